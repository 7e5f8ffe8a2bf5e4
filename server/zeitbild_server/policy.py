"""Headers that tell the browser to load nothing from anywhere else and to guess nothing."""

from __future__ import annotations

from collections.abc import Awaitable, Callable

from asgiref.sync import iscoroutinefunction, markcoroutinefunction
from django.conf import settings
from django.http import HttpRequest
from django.http.response import HttpResponseBase

_HEADERS = {
    "Content-Security-Policy": (
        "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; font-src 'self'; "
        "connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
    ),
    "X-Frame-Options": "DENY",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}
_Answer = Callable[[HttpRequest], HttpResponseBase | Awaitable[HttpResponseBase]]


def _with_headers(response: HttpResponseBase) -> HttpResponseBase:
    if settings.SECURE_HSTS_SECONDS:
        response.headers.setdefault("Strict-Transport-Security", f"max-age={settings.SECURE_HSTS_SECONDS}")
    for name, value in _HEADERS.items():
        response.headers.setdefault(name, value)
    return response


class SafeHeaders:
    """Adds the headers to every answer; checks that the host is one of ours."""

    async_capable = True
    sync_capable = True

    def __init__(self, get_response: _Answer) -> None:
        self._get_response = get_response
        self._is_async = iscoroutinefunction(get_response)
        if self._is_async:
            markcoroutinefunction(self)

    def __call__(self, request: HttpRequest) -> HttpResponseBase | Awaitable[HttpResponseBase]:
        """Answer, with the headers set."""
        # Raises DisallowedHost, which Django answers with 400, for names that are not in ALLOWED_HOSTS.
        request.get_host()
        if self._is_async:
            return self._answer(request)
        response = self._get_response(request)
        assert isinstance(response, HttpResponseBase)
        return _with_headers(response)

    async def _answer(self, request: HttpRequest) -> HttpResponseBase:
        answer = self._get_response(request)
        return _with_headers(await answer if isinstance(answer, Awaitable) else answer)
