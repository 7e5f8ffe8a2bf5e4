"""Session endpoints."""

from __future__ import annotations

from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.models import User
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router, Schema
from ninja.errors import HttpError
from ninja.utils import check_csrf

router = Router(tags=["accounts"])


class SessionOut(Schema):
    """Who is signed in, or null."""

    username: str | None


class SignIn(Schema):
    """Name and password."""

    username: str
    password: str


@router.get("/session", response=SessionOut, auth=None, operation_id="getSession")
def get_session(request: HttpRequest) -> SessionOut:
    """Who is signed in; sets the CSRF cookie."""
    get_token(request)
    return SessionOut(username=request.user.get_username() if request.user.is_authenticated else None)


@router.post("/session", response=SessionOut, auth=None, operation_id="signIn")
def sign_in(request: HttpRequest, data: SignIn) -> SessionOut:
    """Sign in by name and password."""
    # Requests without authentication are exempt from Ninja's CSRF check, but a sign-in must not be forged either.
    if check_csrf(request) is not None:
        raise HttpError(403, "The page is out of date; load it again.")
    user = authenticate(request, username=data.username, password=data.password)
    if not isinstance(user, User):
        raise HttpError(403, "Name and password do not match.")
    login(request, user)
    return SessionOut(username=user.get_username())


@router.delete("/session", response=SessionOut, operation_id="signOut")
def sign_out(request: HttpRequest) -> SessionOut:
    """Sign out."""
    logout(request)
    return SessionOut(username=None)
