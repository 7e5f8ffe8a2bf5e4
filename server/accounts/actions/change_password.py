"""Passwords: the rules hold wherever one is set."""

from __future__ import annotations

from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.models import User
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.http import HttpRequest

from zeitbild.errors import InputError


def check_password_rules(user: User, password: str) -> None:
    """InputError with all that is wrong with a new password."""
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise InputError(" ".join(error.messages), "new") from None


def change_password(request: HttpRequest, user: User, old: str, new: str) -> User:
    """Set a new password; other sessions of the person end, this one stays. InputError if the old one is wrong."""
    if not user.check_password(old):
        raise InputError("This is not your password.", "old")
    check_password_rules(user, new)
    user.set_password(new)
    user.save(update_fields=["password"])
    update_session_auth_hash(request, user)
    return user
