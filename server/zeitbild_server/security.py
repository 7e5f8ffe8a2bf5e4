"""Who is asking: Django's session, for sync and async operations alike."""

from __future__ import annotations

import time
from collections.abc import Awaitable

from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth.models import User
from django.http import HttpRequest
from ninja.security import APIKeyCookie

#: How long a person who was let through keeps seeing pictures after being signed out or put out of a project.
BELIEVED_SECONDS = 5.0


def _noted(request: HttpRequest, user: User) -> User:
    """Leave who asks for what where the access log finds it."""
    scope = getattr(request, "scope", None)
    if scope is not None:
        match = request.resolver_match
        scope["zeitbild.user"], scope["zeitbild.route"] = user.username, match.route if match else "other"
    return user


class SessionUser(APIKeyCookie):
    """Takes the signed-in user; writing requests must carry the CSRF token. Async operations call it in a thread."""

    param_name = settings.SESSION_COOKIE_NAME

    def authenticate(self, request: HttpRequest, key: str | None) -> User | None:
        """The active user of the session, or None."""
        user = request.user
        return _noted(request, user) if isinstance(user, User) and user.is_active else None


class RecentUser(SessionUser):
    """For pictures while somebody drags: a session that was let through is believed for a few seconds.

    An async operation with this authentication touches no database thread as long as the answer is remembered.
    """

    def __init__(self) -> None:
        super().__init__()
        # Ninja awaits what an authentication of this kind gives.
        self.is_async = True
        self._recent: dict[str, tuple[float, User]] = {}

    def authenticate(self, request: HttpRequest, key: str | None) -> Awaitable[User | None]:  # type: ignore[override]
        """The active user of the session, or None."""
        return self._authenticate(request, key)

    async def _authenticate(self, request: HttpRequest, key: str | None) -> User | None:
        now = time.monotonic()
        known = self._recent.get(key or "")
        if known and known[0] > now:
            return _noted(request, known[1])
        user = await request.auser()
        if not (isinstance(user, User) and user.is_active and key):
            return None
        self._recent = {own: entry for own, entry in self._recent.items() if entry[0] > now}
        self._recent[key] = (now + BELIEVED_SECONDS, user)
        return _noted(request, user)


def signed_in(request: HttpRequest) -> User:
    """The user that authentication let through."""
    user = request.auth  # type: ignore[attr-defined]  # set by ninja
    assert isinstance(user, User)
    return user


in_database = sync_to_async
