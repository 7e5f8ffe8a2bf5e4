"""Masters: rendered pictures kept once for each content."""

from zeitbild.masters.store import MasterStore

__all__ = ["MasterStore"]
