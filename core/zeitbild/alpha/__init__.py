"""Alpha: association and compositing operators."""

from zeitbild.alpha.association import premultiply, unpremultiply
from zeitbild.alpha.operators import over, over_colour

__all__ = ["over", "over_colour", "premultiply", "unpremultiply"]
