"""Django's own middleware for sessions, forgery and who asks, without a change of thread for each step.

What they do before and after a request reaches no database (sessions and persons are looked up when somebody asks for them), yet
Django takes a thread for each step, since it cannot know. Only a session that was changed is saved in one.
"""

from __future__ import annotations

from typing import Any

from asgiref.sync import iscoroutinefunction, sync_to_async
from django.contrib.auth.middleware import AuthenticationMiddleware
from django.contrib.sessions.middleware import SessionMiddleware
from django.http import HttpRequest
from django.http.response import HttpResponseBase
from django.middleware.csrf import CsrfViewMiddleware


class Sessions(SessionMiddleware):
    """The session of a request; it is kept if it was changed."""

    async def __acall__(self, request: HttpRequest) -> HttpResponseBase:
        """Answer within a session."""
        self.process_request(request)
        response: HttpResponseBase = await self.get_response(request)  # type: ignore[misc]
        if request.session.modified:
            return await sync_to_async(self.process_response)(request, response)  # type: ignore[arg-type]
        return self.process_response(request, response)  # type: ignore[arg-type]


class Forgery(CsrfViewMiddleware):
    """Requests that change something carry the token; its cookie is set."""

    async def __acall__(self, request: HttpRequest) -> HttpResponseBase:
        """Answer with the cookie set."""
        self.process_request(request)
        response: HttpResponseBase = await self.get_response(request)  # type: ignore[misc]
        return self.process_response(request, response)  # type: ignore[arg-type]

    def __init__(self, get_response: Any) -> None:
        super().__init__(get_response)
        if iscoroutinefunction(get_response):
            look = self.process_view

            async def process_view(*arguments: Any) -> Any:
                return look(*arguments)

            self.process_view = process_view  # type: ignore[method-assign, assignment]


class Asking(AuthenticationMiddleware):
    """Who asks, looked up when somebody wants to know."""

    async def __acall__(self, request: HttpRequest) -> HttpResponseBase:
        """Answer, knowing who asks."""
        self.process_request(request)
        response: HttpResponseBase = await self.get_response(request)  # type: ignore[misc]
        return response
