"""The door: who comes in, how long one waits after wrong passwords, and when it stays shut."""

from __future__ import annotations

from axes.models import AccessAttempt
from django.conf import settings
from django.contrib.auth import authenticate
from django.contrib.auth.models import User
from django.db.models import Sum
from django.http import HttpRequest
from django.utils import timezone

from journal.writing import address_of, note
from zeitbild_server.errors import ShutOut

#: Wrong passwords for any names from one address within the time that a lock lasts, before it is shut out.
MOST_FROM_ADDRESS = 60
#: Seconds that the first wrong password makes the next try wait; each doubles it, up to the last.
_FIRST_WAIT, _LONGEST_WAIT = 0.1, 3.0
_SHUT = "Too many wrong passwords. Wait a quarter of an hour, or ask whoever runs this server."


def check_door(request: HttpRequest, username: str) -> float:
    """Seconds that this try has to wait; ShutOut if there were too many wrong ones."""
    recent = AccessAttempt.objects.filter(
        ip_address=address_of(request) or None, attempt_time__gte=timezone.now() - settings.AXES_COOLOFF_TIME
    )
    all_names = recent.aggregate(tries=Sum("failures_since_start"))["tries"] or 0
    if all_names >= MOST_FROM_ADDRESS:
        raise ShutOut(_SHUT)
    tries = recent.filter(username=username).aggregate(tries=Sum("failures_since_start"))["tries"] or 0
    return 0.0 if not tries else float(min(_LONGEST_WAIT, _FIRST_WAIT * 2 ** min(tries - 1, 10)))


def sign_in(request: HttpRequest, username: str, password: str) -> User | None:
    """The user whose name and password these are, or None; ShutOut if that was tried too often from there."""
    if "\x00" in username:
        return None
    user = authenticate(request, username=username, password=password)
    if isinstance(user, User):
        note("signed-in", request, user=user)
        return user
    if getattr(request, "axes_locked_out", False):
        note("sign-in-locked", request, user=User.objects.filter(username=username).first(), name=username)
        raise ShutOut(_SHUT)
    note("sign-in-failed", request, user=User.objects.filter(username=username).first(), name=username)
    return None
