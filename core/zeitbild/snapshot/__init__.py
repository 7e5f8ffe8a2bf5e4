"""What a camera sees at one frame, in plain frozen values: what ``resolve`` makes and ``render`` reads. Neither knows the other."""

from zeitbild.snapshot.body import Bent, Body, Matrix, Role
from zeitbild.snapshot.snapshot import Snapshot

__all__ = ["Bent", "Body", "Matrix", "Role", "Snapshot"]
