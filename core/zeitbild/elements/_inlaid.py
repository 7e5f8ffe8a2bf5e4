"""What a picture inside a drawing wears."""

from __future__ import annotations

from zeitbild.elements.base import Worn
from zeitbild.geometry.drawing.inlaid import INLAYS
from zeitbild.geometry.drawing.shades import Shade

#: How much is there in the mean of the edge of a picture, and of what fades out.
FADED = 0.5


def inlaid(drawing: str, shade: Shade, file: int) -> Worn:
    """The first surface with the picture of a shade of a drawing (as documents name it) on it, by the number of its file.

    Its edge is cut out by the picture's alpha.
    """
    changes = {"base_colour": "#ffffff", "base_map": f"{drawing}#{INLAYS + file}", "map_by": "unwrapped"}
    return Worn(0, changes, shade.alpha, cut=FADED if shade.cut else -1.0)
