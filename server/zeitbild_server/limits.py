"""How much anyone may send: bodies are counted as they arrive, before anything reads them."""

from __future__ import annotations

import asyncio
import contextlib
import json
import re
import time
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.sessions.backends.db import SessionStore
from django.db import close_old_connections
from django.http import parse_cookie

from zeitbild.geometry.font import MAX_FONT_BYTES
from zeitbild.library import files
from zeitbild.pictures import MAX_PICTURE_BYTES

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
Application = Callable[..., Awaitable[None]]

#: What anybody may send, signed in or not.
SMALL = 64 * 1024
#: Beside the file: the parts of a form.
_FORM = 64 * 1024
#: What those who are signed in may send, by address.
LARGER = (
    (re.compile(r"^/api/projects/\d+/fonts$"), MAX_FONT_BYTES + _FORM),
    (re.compile(r"^/api/projects/\d+/(pictures|skies)$"), MAX_PICTURE_BYTES + _FORM),
    (re.compile(r"^/api/projects/\d+/replace/[0-9a-f]{64}/fonts$"), MAX_FONT_BYTES + _FORM),
    (re.compile(r"^/api/projects/\d+/replace/[0-9a-f]{64}/pictures$"), MAX_PICTURE_BYTES + _FORM),
    *(
        (re.compile(rf"^/api/projects/\d+/(files|replace/[0-9a-f]{{64}})/{kind.name}$"), kind.most_bytes + _FORM)
        for kind in files
    ),
    (
        re.compile(
            r"^/api/shots/\d+/(document|picture|examine|framing|lies|pick|way|values|retime|speak|strokes|marks|waveforms|sound|histogram|palette|estimate)$"
        ),
        settings.DATA_UPLOAD_MAX_MEMORY_SIZE,
    ),
)
#: Bytes of large bodies that are taken in at the same time, and seconds that others wait for their turn.
_AT_ONCE, _PATIENCE = 256 * 1024 * 1024, 20.0
#: So much of a body is in memory at most: what is larger lies on the disk as it comes, and is kept as a file.
_IN_MEMORY = 128 * 1024 * 1024
#: Bytes that are too many are let go by up to here, and for so many seconds, so that the answer about them arrives.
_GOES_BY, _BRIEFLY = 32 * 1024 * 1024, 5.0
#: Seconds that a session is believed.
_BELIEVED = 5.0


class _TooMuch(Exception):
    """More came than is allowed."""


class _Room:
    """Bytes shared by large bodies; those who come first go first."""

    def __init__(self, size: int) -> None:
        self._left = size
        self._waiting: list[tuple[int, asyncio.Future[None]]] = []

    async def take(self, count: int) -> None:
        if count <= self._left and not self._waiting:
            self._left -= count
            return
        turn: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        self._waiting.append((count, turn))
        try:
            await asyncio.wait_for(turn, _PATIENCE)
        except BaseException:
            if turn.done() and not turn.cancelled():
                self.give_back(count)
            else:
                self._waiting = [one for one in self._waiting if one[1] is not turn]
            raise

    def give_back(self, count: int) -> None:
        self._left += count
        while self._waiting and self._waiting[0][0] <= self._left:
            need, turn = self._waiting.pop(0)
            if not turn.done():
                self._left -= need
                turn.set_result(None)


def _session_holds(key: str) -> bool:
    close_old_connections()
    return "_auth_user_id" in SessionStore(key)


class BodyLimits:
    """An ASGI application around another that cuts bodies off where they get too long."""

    def __init__(self, application: Application) -> None:
        self._application = application
        self._known: dict[str, float] = {}
        self._room = _Room(_AT_ONCE)

    async def __call__(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        """Serve a request, or answer it with 413 or 503 at once."""
        if scope["type"] != "http":
            await self._application(scope, receive, send)
            return
        headers = dict(scope["headers"])
        said = headers.get(b"content-length", b"0")
        length = int(said) if said.isdigit() else 0
        small = length <= SMALL and b"transfer-encoding" not in headers
        most = SMALL if small else await self._most(scope["path"], headers)
        if length > most:
            await _let_go_by(receive, length)
            await _refuse(send, 413, _too_long(most))
            return
        # A body of unknown length may become as long as is allowed.
        taken = 0 if small else min(length or most, _IN_MEMORY)
        try:
            if taken:
                await self._room.take(taken)
        except TimeoutError:
            await _refuse(send, 503, "Others are sending large files just now; try again in a moment.")
            return
        began = False

        async def counted() -> Message:
            nonlocal so_far
            message = await receive()
            so_far += len(message.get("body", b""))
            if so_far > most:
                raise _TooMuch
            return message

        async def noted(message: Message) -> None:
            nonlocal began
            began = True
            await send(message)

        so_far = 0
        try:
            await self._application(scope, counted, noted)
        except _TooMuch:
            if not began:
                await _refuse(send, 413, _too_long(most))
        finally:
            if taken:
                self._room.give_back(taken)

    async def _most(self, path: str, headers: dict[bytes, bytes]) -> int:
        """Bytes that this person may send to an address."""
        most = next((limit for address, limit in LARGER if address.match(path)), SMALL)
        if most > SMALL and not await self._is_signed_in(headers):
            return SMALL
        return most

    async def _is_signed_in(self, headers: dict[bytes, bytes]) -> bool:
        key = parse_cookie(headers.get(b"cookie", b"").decode("latin-1")).get(settings.SESSION_COOKIE_NAME, "")
        now = time.monotonic()
        if self._known.get(key, 0.0) > now:
            return True
        if not key or not await sync_to_async(_session_holds)(key):
            return False
        self._known = {one: until for one, until in self._known.items() if until > now}
        self._known[key] = now + _BELIEVED
        return True


def _too_long(most: int) -> str:
    size = f"{most // (1024 * 1024)} MB" if most >= 1024 * 1024 else f"{most // 1024} kB"
    return f"This is more than may be sent here ({size})."


async def _let_go_by(receive: Receive, length: int) -> None:
    """Read what is on its way and keep nothing of it: who is cut off while sending may lose the answer with the connection. What
    would take long is cut off all the same."""
    if length > _GOES_BY:
        return
    with contextlib.suppress(TimeoutError):
        async with asyncio.timeout(_BRIEFLY):
            while (await receive()).get("more_body"):
                pass


async def _refuse(send: Send, status: int, detail: str) -> None:
    title = "too-large" if status == 413 else "busy"
    body = {"type": f"about:zeitbild:{title}", "title": title, "status": status, "detail": detail}
    data = json.dumps(body).encode()
    headers = [(b"content-type", b"application/problem+json"), (b"content-length", str(len(data)).encode())]
    await send({"type": "http.response.start", "status": status, "headers": [*headers, (b"connection", b"close")]})
    await send({"type": "http.response.body", "body": data})
