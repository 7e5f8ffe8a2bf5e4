"""A shot document at a frame becomes a snapshot: everything the renderer needs, and nothing it does not."""

from zeitbild.resolve.extent import depth_range, reach_of
from zeitbild.resolve.resolving import resolve, resolve_as, whole_of

__all__ = ["depth_range", "reach_of", "resolve", "resolve_as", "whole_of"]
