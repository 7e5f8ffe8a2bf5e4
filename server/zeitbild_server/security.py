"""Who is asking: Django's session, for sync and async operations alike."""

from __future__ import annotations

from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth.models import User
from django.http import HttpRequest
from ninja.security import APIKeyCookie


class SessionUser(APIKeyCookie):
    """Takes the signed-in user; writing requests must carry the CSRF token. Async operations call it in a thread."""

    param_name = settings.SESSION_COOKIE_NAME

    def authenticate(self, request: HttpRequest, key: str | None) -> User | None:
        """The active user of the session, or None."""
        user = request.user
        return user if isinstance(user, User) and user.is_active else None


def signed_in(request: HttpRequest) -> User:
    """The user that authentication let through."""
    user = request.auth  # type: ignore[attr-defined]  # set by ninja
    assert isinstance(user, User)
    return user


in_database = sync_to_async
