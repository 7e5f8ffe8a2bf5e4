"""Writing to the database, one after the other.

SQLite lets one write at a time; who finds it busy looks again after a while, and whoever looks at the right moment goes first, so
that among many one may wait for seconds. Within a process they stand in line instead.
"""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection, transaction


class Line:
    """A lock that is given to those who wait in the order in which they came.

    It wakes the next one alone; ``zeitbild.turns.Turns``, which has ranks as well, wakes all to see whose turn it is: among fifty
    people that kept short requests waiting half as long again.
    """

    def __init__(self) -> None:
        self._changing = threading.Lock()
        self._waiting: deque[threading.Lock] = deque()
        self._taken = False

    def __enter__(self) -> None:
        with self._changing:
            if not self._taken:
                self._taken = True
                return
            gate = threading.Lock()
            gate.acquire()
            self._waiting.append(gate)
        gate.acquire()

    def __exit__(self, *_: object) -> None:
        with self._changing:
            if self._waiting:
                self._waiting.popleft().release()
            else:
                self._taken = False


_line = Line()


@contextmanager
def writing() -> Iterator[None]:
    """A transaction that writes, within another one or in its turn."""
    if connection.in_atomic_block:
        with transaction.atomic():
            yield
        return
    with _line, transaction.atomic():
        yield
