"""Progress to the browser by server-sent events: what changed since the last look, a few times a second."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator, Callable
from typing import Any

from zeitbild_server.security import in_database

_EVERY = 0.35
#: A comment now and then tells both ends that the line still stands.
_KEEP_ALIVE = 15.0


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
