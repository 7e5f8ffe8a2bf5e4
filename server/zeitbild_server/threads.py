"""A thread of its own for each request that is under way, kept for the next one together with its connection to the database.

Django begins a thread for each request, and with it a connection: more than half of what a short request took. Those that are
idle wait here; as many requests as ever may be under way at the same time, so that none waits for another.
"""

from __future__ import annotations

from collections.abc import Awaitable, Callable, MutableMapping
from concurrent.futures import Future, ThreadPoolExecutor
from typing import Any

from asgiref.sync import ThreadSensitiveContext
from django.core.signals import request_started
from django.db import close_old_connections, connections, reset_queries

#: Idle threads that are kept.
_IDLE = 16


class _Thread(ThreadPoolExecutor):
    """One thread that knows whether it still does what it was last asked for."""

    def __init__(self) -> None:
        super().__init__(1, "request")
        self._last: Future[Any] | None = None

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        """See ``Executor.submit``."""
        self._last = super().submit(fn, *args, **kwargs)
        return self._last

    @property
    def is_idle(self) -> bool:
        """False as long as it works for a request that is gone."""
        return self._last is None or self._last.done()


class KeptThreads:
    """An ASGI application around another that lends it a thread for what is not async."""

    def __init__(self, application: Callable[..., Awaitable[None]]) -> None:
        self._application = application
        # Taken and given back by the event loop's thread only.
        self._idle: list[_Thread] = []
        # Connections are looked after when a request ends; before it begins that would be one more change of thread.
        request_started.disconnect(close_old_connections)
        request_started.disconnect(reset_queries)

    async def __call__(self, scope: MutableMapping[str, Any], receive: Any, send: Any) -> None:
        """Serve a request with a thread of its own."""
        if scope["type"] != "http":
            await self._application(scope, receive, send)
            return
        thread = self._idle.pop() if self._idle else _Thread()
        try:
            async with ThreadSensitiveContext(executor=thread):
                await self._application(scope, receive, send)
        finally:
            # Who hangs up leaves a thread that is still at work: nobody else is to wait for its end.
            if thread.is_idle and len(self._idle) < _IDLE:
                self._idle.append(thread)
            else:
                thread.submit(connections.close_all)
                thread.shutdown(wait=False)
