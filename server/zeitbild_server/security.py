"""Who is asking: Django's session, for sync and async operations alike."""

from __future__ import annotations

from collections.abc import Awaitable
from typing import Any

from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth.models import AnonymousUser, User
from django.http import HttpRequest
from ninja.security import APIKeyCookie


class SessionUser(APIKeyCookie):
    """Takes the signed-in user; writing requests must carry the CSRF token."""

    param_name = settings.SESSION_COOKIE_NAME

    def authenticate(self, request: HttpRequest, key: str | None) -> User | None:
        """The active user of the session, or None."""
        user = request.user
        return user if isinstance(user, User) and user.is_active else None


class AsyncSessionUser(APIKeyCookie):
    """The same for async operations, which must not touch the database themselves."""

    param_name = settings.SESSION_COOKIE_NAME

    def authenticate(self, request: HttpRequest, key: str | None) -> Awaitable[Any]:
        """The active user of the session, or None."""
        return self._user(request)

    async def _user(self, request: HttpRequest) -> User | None:
        user: User | AnonymousUser = await request.auser()
        return user if isinstance(user, User) and user.is_active else None


def signed_in(request: HttpRequest) -> User:
    """The user that authentication let through."""
    user = request.auth  # type: ignore[attr-defined]  # set by ninja
    assert isinstance(user, User)
    return user


in_database = sync_to_async
