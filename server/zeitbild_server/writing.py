"""Writing to the database, one after the other.

SQLite lets one write at a time; who finds it busy looks again after a while, and whoever looks at the right moment goes first, so
that among many one may wait for seconds. Within a process they stand in line instead.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from django.db import transaction

from zeitbild.turns import Turns

#: Who came first goes first; who writes may begin another transaction within the first.
_line = Turns()


@contextmanager
def writing() -> Iterator[None]:
    """A transaction that writes, in its turn."""
    with _line, transaction.atomic():
        yield
