"""A line of JSON for every request: who, what, how long, with what answer; and its share in the figures."""

from __future__ import annotations

import json
import logging
import time
from collections.abc import Awaitable, Callable, MutableMapping
from datetime import UTC, datetime
from typing import Any

from operation.metrics import ERRORS, REQUESTS, SECONDS

log = logging.getLogger("zeitbild.access")
Message = MutableMapping[str, Any]
#: Whoever has an address below this may look at what it leads to.
_SHARED = "/shared/"


def _told(path: str) -> str:
    """An address without what would open the door to whoever reads the log."""
    if not path.startswith(_SHARED):
        return path
    token, _, rest = path.removeprefix(_SHARED).partition("/")
    return f"{_SHARED}{token.partition('.')[0]}…/{rest}"


class AccessLog:
    """An ASGI application around another. What is known of a request inside is left in its scope (``security``)."""

    def __init__(self, application: Callable[..., Awaitable[None]]) -> None:
        self._application = application

    async def __call__(self, scope: MutableMapping[str, Any], receive: Any, send: Any) -> None:
        """Serve a request and write its line."""
        if scope["type"] != "http":
            await self._application(scope, receive, send)
            return
        began = time.perf_counter()
        status, sent = 0, 0

        async def noted(message: Message) -> None:
            nonlocal status, sent
            if message["type"] == "http.response.start":
                status = message["status"]
            else:
                sent += len(message.get("body", b""))
            await send(message)

        try:
            await self._application(scope, receive, noted)
        finally:
            seconds = time.perf_counter() - began
            # Addresses that nobody made would be figures without end.
            route = scope.get("zeitbild.route", "other")
            REQUESTS.labels(scope["method"], route, str(status or "gone")).inc()
            SECONDS.labels(route).observe(seconds)
            if status >= 500:
                ERRORS.labels(route).inc()
            line = {
                "at": datetime.now(UTC).isoformat(timespec="milliseconds"),
                "who": scope.get("zeitbild.user"),
                "from": (scope.get("client") or ("",))[0],
                "method": scope["method"],
                "path": _told(scope["path"]),
                "status": status or None,
                "bytes": sent,
                "ms": round(seconds * 1000, 1),
            }
            log.info(json.dumps(line, ensure_ascii=False))
