"""The browser is told to load nothing from anywhere else."""

from __future__ import annotations

from collections.abc import Awaitable, Callable

from asgiref.sync import iscoroutinefunction, markcoroutinefunction
from django.http import HttpRequest, HttpResponse

_POLICY = (
    "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; font-src 'self'; "
    "connect-src 'self'; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
)


class ContentPolicy:
    """Adds the content security policy to every answer."""

    async_capable = True
    sync_capable = True

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse | Awaitable[HttpResponse]]) -> None:
        self._get_response = get_response
        if iscoroutinefunction(get_response):
            markcoroutinefunction(self)

    def __call__(self, request: HttpRequest) -> HttpResponse | Awaitable[HttpResponse]:
        if iscoroutinefunction(self):
            return self._answer(request)
        response = self._get_response(request)
        assert isinstance(response, HttpResponse)
        response["Content-Security-Policy"] = _POLICY
        return response

    async def _answer(self, request: HttpRequest) -> HttpResponse:
        answer = self._get_response(request)
        response = await answer if isinstance(answer, Awaitable) else answer
        response["Content-Security-Policy"] = _POLICY
        return response
