"""Progress to the browser by server-sent events: what changed since the last look, a few times a second."""

from __future__ import annotations

import asyncio
import json
from collections import Counter
from collections.abc import AsyncIterator, Callable
from typing import Any

from django.contrib.auth.models import User
from django.http import StreamingHttpResponse

from zeitbild_server.security import in_database

_EVERY = 0.35
#: A comment now and then tells both ends that the line still stands.
_KEEP_ALIVE = 15.0


#: Lines that one person may have open at the same time: each costs a look at the database three times a second.
MOST_LINES = 12
_lines: Counter[int] = Counter()


class TooManyLines(Exception):
    """A person has as many lines open as one may."""


def open_line(user: User, look: Callable[[Any], tuple[dict[str, Any] | None, Any, bool]]) -> StreamingHttpResponse:
    """An answer that goes on (``stream``); TooManyLines beyond ``MOST_LINES`` of one person."""
    if _lines[user.id] >= MOST_LINES:
        raise TooManyLines
    return StreamingHttpResponse(
        _counted(user.id, look),
        content_type="text/event-stream",
        headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"},
    )


async def _counted(person: int, look: Callable[[Any], tuple[dict[str, Any] | None, Any, bool]]) -> AsyncIterator[bytes]:
    _lines[person] += 1
    try:
        async for part in stream(look):
            yield part
    finally:
        _lines[person] -= 1


async def stream(look: Callable[[Any], tuple[dict[str, Any] | None, Any, bool]]) -> AsyncIterator[bytes]:
    """Call ``look(since)`` in the database thread until it says that nothing more will come.

    ``look`` gives what to send (or None), the next ``since``, and whether this was the last.
    """
    since: Any = None
    quiet = 0.0
    reader = in_database(look)
    while True:
        change, since, last = await reader(since)
        if change is not None:
            quiet = 0.0
            yield f"data: {json.dumps(change)}\n\n".encode()
        elif quiet >= _KEEP_ALIVE:
            quiet = 0.0
            yield b": here\n\n"
        if last:
            yield b"event: end\ndata: {}\n\n"
            return
        await asyncio.sleep(_EVERY)
        quiet += _EVERY
