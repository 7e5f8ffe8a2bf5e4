"""What was made of uploaded files, kept by their digests up to a size."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

T = TypeVar("T")


class DigestCache(Generic[T]):
    """Values by key, the ones not asked for the longest given up first.

    room and sizes are in bytes; a value larger than the room is made anew each time.
    """

    def __init__(self, room: int, size: Callable[[T], int]) -> None:
        self._room, self._size = room, size
        self._held: dict[Hashable, T] = {}

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The value of a key, made if it is not there."""
        found = self._held.pop(key, None)
        if found is None:
            found = make()
        if self._size(found) > self._room:
            return found
        self._held[key] = found
        while sum(self._size(one) for one in self._held.values()) > self._room:
            del self._held[next(iter(self._held))]
        return found
