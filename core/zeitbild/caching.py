"""What was made of files and parameters, kept by what tells it apart, up to a size."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

from cachetools import LRUCache

T = TypeVar("T")


class SizedCache(Generic[T]):
    """Values by key, the ones not asked for the longest given up first.

    room and sizes are in bytes, or in whatever counts; a value larger than the room is made anew each time. Safe to share between threads; two that
    ask for one value at once may both make it, and get the same.
    """

    def __init__(self, room: int, size: Callable[[T], int]) -> None:
        self._held: LRUCache[Hashable, T] = LRUCache(room, size)
        self._lock = threading.Lock()

    def clear(self) -> None:
        """Give up all of them."""
        with self._lock:
            self._held.clear()

    def held(self, key: Hashable) -> T | None:
        """The value of a key if it is there."""
        with self._lock:
            return self._held.get(key)

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The value of a key, made if it is not there."""
        with self._lock:
            if key in self._held:
                return self._held[key]
        return self.keep(key, make())

    def keep(self, key: Hashable, made: T) -> T:
        """Keep a value that was made, unless another thread was first: the one that is there."""
        with self._lock:
            try:
                return self._held.setdefault(key, made)
            except ValueError:
                return made
