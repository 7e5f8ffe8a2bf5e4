"""What was made of uploaded files, kept by their digests up to a size."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

T = TypeVar("T")


class DigestCache(Generic[T]):
    """Values by key, the ones not asked for the longest given up first.

    room and sizes are in bytes; a value larger than the room is made anew each time. Safe to share between threads; two that
    ask for one value at once may both make it, and get the same.
    """

    def __init__(self, room: int, size: Callable[[T], int]) -> None:
        self._room, self._size = room, size
        self._held: dict[Hashable, T] = {}
        self._lock = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The value of a key, made if it is not there."""
        with self._lock:
            found = self._held.get(key)
        made = make() if found is None else found
        if self._size(made) > self._room:
            return made
        with self._lock:
            # Another thread may have been first.
            made = self._held.pop(key, made)
            self._held[key] = made
            while sum(self._size(one) for one in self._held.values()) > self._room:
                del self._held[next(iter(self._held))]
        return made
