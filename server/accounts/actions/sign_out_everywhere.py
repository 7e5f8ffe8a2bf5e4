"""End all sessions of a person."""

from __future__ import annotations

from django.contrib.auth import SESSION_KEY
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.utils import timezone


def sign_out_everywhere(user: User) -> int:
    """End every session of a person, wherever it is; gives how many there were."""
    sessions = Session.objects.filter(expire_date__gte=timezone.now()).iterator()
    own = [session.pk for session in sessions if session.get_decoded().get(SESSION_KEY) == str(user.pk)]
    Session.objects.filter(pk__in=own).delete()
    return len(own)
