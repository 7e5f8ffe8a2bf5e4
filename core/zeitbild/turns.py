"""Whose turn it is to compute: a lock that those with the better rank get first, and work that may be given up in the middle.

A picture that takes long asks now and then (``breathe``) whether it is still wanted, and lets others go before it. Who computes
says by ``working`` how urgent that is; without a word it is as urgent as can be, and is never interrupted.
"""

from __future__ import annotations

import collections
import heapq
import itertools
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any


class GivenUp(Exception):
    """Nobody wants any more what is being computed."""


class _Mine(threading.local):
    rank = 0
    unwanted: Callable[[], bool] | None = None


_mine = _Mine()
#: How many compute something with each rank, whether they hold a lock just now or not; and how long one of a worse rank stays away for
#: them at a time: what takes many locks would else wait for a part of a long one before each.
_at_work: collections.Counter[int] = collections.Counter()
_done = threading.Condition()
_STAY_AWAY = 0.2
#: Seconds that a part of a kernel's work is to take, where others may be waiting, and tiles that it begins with.
_PART, _FIRST = 0.04, 64


@contextmanager
def working(rank: int, unwanted: Callable[[], bool] | None = None) -> Iterator[None]:
    """Within it this thread computes with a rank (0 goes first) what is given up once ``unwanted`` says so."""
    before = _mine.rank, _mine.unwanted
    _mine.rank, _mine.unwanted = rank, unwanted
    with _done:
        _at_work[rank] += 1
    try:
        yield
    finally:
        _mine.rank, _mine.unwanted = before
        with _done:
            _at_work[rank] -= 1
            _done.notify_all()


def _better_at_work() -> bool:
    return any(count > 0 and rank < _mine.rank for rank, count in _at_work.items())


class Turns:
    """A lock for one thread at a time, which may take it again. Of those who wait the best rank gets it first, then the first."""

    def __init__(self) -> None:
        self._changed = threading.Condition(threading.Lock())
        self._owner: int | None = None
        self._depth = 0
        self._waiting: list[tuple[int, int]] = []
        self._tickets = itertools.count()

    def __enter__(self) -> Turns:
        self._take(1)
        return self

    def __exit__(self, *_: object) -> None:
        with self._changed:
            self._depth -= 1
            if not self._depth:
                self._owner = None
                self._changed.notify_all()

    def _take(self, depth: int) -> None:
        me = threading.get_ident()
        with self._changed:
            if self._owner == me:
                self._depth += depth
                return
            entry = (_mine.rank, next(self._tickets))
            heapq.heappush(self._waiting, entry)
            try:
                while self._owner is not None or self._waiting[0] != entry:
                    self._changed.wait()
            except BaseException:
                self._waiting.remove(entry)
                heapq.heapify(self._waiting)
                self._changed.notify_all()
                raise
            heapq.heappop(self._waiting)
            self._owner, self._depth = me, depth

    def breathe(self) -> None:
        """Give way to whoever waits with a rank as good, or computes with a better one, and come back; GivenUp if what is computed is
        no longer wanted."""
        if _mine.unwanted is not None and _mine.unwanted():
            raise GivenUp
        better = _better_at_work()
        with self._changed:
            waits = bool(self._waiting) and self._waiting[0][0] <= _mine.rank
            if self._owner != threading.get_ident() or not (waits or better):
                return
            depth, self._depth, self._owner = self._depth, 0, None
            self._changed.notify_all()
        if better:
            with _done:
                _done.wait_for(lambda: not _better_at_work(), _STAY_AWAY)
        self._take(depth)

    def by_parts(self, kernel: Callable[..., Any], over: Any, *arguments: Any) -> None:
        """Call a kernel that goes over tiles, at once or, where others may have to wait, some tiles at a time. over are their numbers in
        the order in which they are taken, or a record that has them as its ``order``.

        The result is the same: such kernels write to each tile's own places.
        """
        if _mine.rank == 0 and _mine.unwanted is None:
            kernel(over, *arguments)
            return
        order = getattr(over, "order", over)
        first, size = 0, _FIRST
        while first < len(order):
            began = time.perf_counter()
            part = order[first : first + size]
            kernel(part if order is over else over._replace(order=part), *arguments)
            first += size
            took = time.perf_counter() - began
            size = max(8, int(size * min(4.0, max(0.25, _PART / max(took, 1e-6)))))
            self.breathe()
