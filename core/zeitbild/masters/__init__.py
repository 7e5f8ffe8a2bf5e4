"""Masters: rendered pictures kept once for each content."""

from zeitbild.masters.frame_key import frame_key
from zeitbild.masters.store import MasterStore, ends_of

__all__ = ["MasterStore", "ends_of", "frame_key"]
