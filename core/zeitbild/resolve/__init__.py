"""A shot document at a frame becomes a snapshot: everything the renderer needs, and nothing it does not."""

from zeitbild.resolve.extent import depth_range
from zeitbild.resolve.key import frame_key
from zeitbild.resolve.resolving import resolve
from zeitbild.resolve.snapshot import Snapshot, SnapshotElement

__all__ = ["Snapshot", "SnapshotElement", "depth_range", "frame_key", "resolve"]
