"""What a link shows to anybody who has it: the note of a hand-off with what browsers play of it, its files and its package."""

from __future__ import annotations

import mimetypes
import threading
import time
from collections import deque
from collections.abc import Awaitable, Callable
from functools import wraps
from html import escape
from pathlib import Path, PurePosixPath
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.urls import path as address
from django.utils.formats import date_format
from django.utils.timezone import localtime

from handoffs.actions.links import followed
from handoffs.models import Link
from handoffs.selectors import SHOWN, package_path, version_folder
from journal.writing import address_of, note
from zeitbild_server.downloads import file_answer
from zeitbild_server.security import in_database

#: Requests that one address may make within so many seconds; a movie asks for a few ranges a second while it is looked through.
MOST, SECONDS = 300, 60.0
#: Who asks for links that lead nowhere gets fewer.
MOST_WRONG = 20
#: Pages of a package that are shown as pages.
_PAGES = ("README.html", "play.html")
_BAR = (
    '<div style="font:15px/1.5 Georgia,serif;color:#22201c;background:#fffdf7;border:1px solid #cfc8b8;padding:.7rem 1rem;margin:0 0 1.6rem;'
    'display:flex;flex-wrap:wrap;gap:.4rem 1.4rem;align-items:baseline">{parts}</div>'
)
_NOWHERE = (
    "<!doctype html><html lang=en><meta charset=utf-8><title>Nothing here</title>"
    "<style>body { font: 17px/1.6 Georgia, serif; color: #22201c; background: #f7f4ec; margin: 15vh auto; max-width: 32rem; padding: 0 1rem }</style>"
    "<h1>This link leads nowhere</h1><p>It was ended, its days are over, or a letter of it is missing. Ask for a new one where you got it.</p></html>"
)
_HEADERS = {"Referrer-Policy": "no-referrer", "X-Robots-Tag": "noindex, nofollow", "Cache-Control": "private, no-store"}


class _Quota:
    """How often each address asked lately."""

    def __init__(self) -> None:
        self._asked: dict[str, deque[float]] = {}
        self._lock = threading.Lock()

    def takes(self, who: str, most: int) -> bool:
        """Count a request of an address; False if it made too many."""
        now = time.monotonic()
        with self._lock:
            if len(self._asked) > 10_000:
                self._asked = {one: times for one, times in self._asked.items() if times[-1] > now - SECONDS}
            times = self._asked.setdefault(who, deque())
            while times and times[0] <= now - SECONDS:
                times.popleft()
            if len(times) >= most:
                return False
            times.append(now)
            return True

    def forget(self) -> None:
        """As if nobody had asked."""
        with self._lock:
            self._asked.clear()


quota = _Quota()
_View = Callable[[HttpRequest, Link, str], Awaitable[HttpResponseBase]]


def _nowhere() -> HttpResponse:
    return HttpResponse(_NOWHERE, status=404)


def _by_link(*, counts: bool = False) -> Callable[[_View], Callable[..., Any]]:
    """A view of what a link leads to, for whoever has it, so often."""

    def around(view: _View) -> Callable[..., Any]:
        @wraps(view)
        async def answer(request: HttpRequest, token: str, inner: str = "") -> HttpResponseBase:
            found: HttpResponseBase
            who = address_of(request)
            if request.method not in ("GET", "HEAD"):
                found = HttpResponse(status=405, headers={"Allow": "GET, HEAD"})
            elif not quota.takes(who, MOST):
                found = HttpResponse("Too many requests; try again in a minute.", status=429, content_type="text/plain")
                found.headers["Retry-After"] = "60"
            else:
                link = await in_database(followed)(token, counts=counts)
                if link is not None:
                    found = await view(request, link, inner)
                elif quota.takes(f"wrong {who}", MOST_WRONG):
                    found = _nowhere()
                else:
                    found = HttpResponse("Too many links that lead nowhere.", status=429, content_type="text/plain")
                    found.headers["Retry-After"] = "60"
            for name, value in _HEADERS.items():
                found.headers[name] = value
            return found

        return answer

    return around


def _bar(link: Link, here: str) -> str:
    handoff = link.handoff
    parts = [
        f"<b>{escape(handoff.shot.code)} v{handoff.version:03}</b>",
        f'<a style="color:#1d5f93" href="package.zip" download>Download all ({handoff.bytes / 1e6:.1f} MB)</a>',
    ]
    folder = version_folder(handoff)
    if here != "play.html" and (folder / "play.html").is_file():
        parts.append('<a style="color:#1d5f93" href="play.html">Play it over grounds</a>')
    if here == "play.html":
        parts.append('<a style="color:#1d5f93" href="./">The note</a>')
    until = date_format(localtime(link.expires_at), "j F Y, H:i")
    parts.append(f'<span style="color:#635e53;margin-left:auto">This link holds until {until}.</span>')
    return _BAR.format(parts="".join(parts))


def _page(link: Link, name: str) -> HttpResponse:
    """A page of the package with a bar above it."""
    path = version_folder(link.handoff) / name
    if not path.is_file():
        return _nowhere()
    text = path.read_text(encoding="utf-8")
    head, style, rest = text.partition("</style>")
    return HttpResponse(f"{head}{style}{_bar(link, name)}{rest}" if style else text)


@_by_link(counts=True)
async def shared(request: HttpRequest, link: Link, inner: str) -> HttpResponseBase:
    """The note."""
    return _page(link, "README.html")


@_by_link()
async def shared_file(request: HttpRequest, link: Link, inner: str) -> HttpResponseBase:
    """A file of the package by its path in it."""
    if inner in _PAGES:
        return _page(link, inner)
    root = version_folder(link.handoff).resolve()
    parts = PurePosixPath(inner).parts
    path = root.joinpath(*parts)
    # Nothing beside the files that the package holds.
    if ".." in parts or "\\" in inner or "\0" in inner or not path.is_file() or root not in path.resolve().parents:
        return _nowhere()
    kind = SHOWN.get(path.suffix) or {".pdf": "application/pdf", ".txt": "text/plain; charset=utf-8"}.get(path.suffix)
    other = mimetypes.guess_type(path.name)[0] or "application/octet-stream"
    # Only what browsers show by itself is shown: nothing that is a document could ask for anything here.
    safe = (
        other if other.startswith(("image/", "video/", "audio/")) and "svg" not in other else "application/octet-stream"
    )
    return file_answer(request, Path(path), path.name, kind or safe, inline=kind is not None)[0]


@_by_link()
async def shared_package(request: HttpRequest, link: Link, inner: str) -> HttpResponseBase:
    """The ZIP."""
    path = package_path(link.handoff)
    if not path.is_file():
        return _nowhere()
    answer, first = file_answer(request, path, link.handoff.package_name, "application/zip")
    if first == 0 and request.method == "GET":
        about = link.handoff.package_name
        await in_database(note)(
            "package-downloaded", request, name="somebody with a link", project=link.handoff.shot.project, about=about
        )
    return answer


addresses = [
    address("<str:token>/", shared),
    address("<str:token>/package.zip", shared_package),
    address("<str:token>/<path:inner>", shared_file),
]
