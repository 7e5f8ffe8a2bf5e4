"""Signing in and out, and one's own password."""

from __future__ import annotations

import asyncio

from django.contrib.auth import login, logout
from django.http import HttpRequest
from django.middleware.csrf import get_token
from ninja import Router, Schema
from ninja.errors import HttpError
from ninja.utils import check_csrf

from accounts.actions.change_password import change_password
from accounts.actions.sign_in import check_door, sign_in
from accounts.actions.sign_out_everywhere import sign_out_everywhere
from journal.writing import note
from zeitbild_server.security import in_database, signed_in

router = Router(tags=["accounts"])


class SessionOut(Schema):
    """Who is signed in, or null."""

    username: str | None


class SignIn(Schema):
    """Name and password."""

    username: str
    password: str


class PasswordIn(Schema):
    """The password as it is and as it is to be."""

    old: str
    new: str


@router.get("/session", response=SessionOut, auth=None, operation_id="getSession")
def get_session(request: HttpRequest) -> SessionOut:
    """Who is signed in; sets the CSRF cookie."""
    get_token(request)
    return SessionOut(username=request.user.get_username() if request.user.is_authenticated else None)


@router.post("/session", response=SessionOut, auth=None, operation_id="signIn")
async def sign_in_(request: HttpRequest, data: SignIn) -> SessionOut:
    """Sign in by name and password; each wrong one makes the next answer come later."""
    # Requests without authentication are exempt from Ninja's CSRF check, but a sign-in must not be forged either.
    if check_csrf(request) is not None:
        raise HttpError(403, "The page is out of date; load it again.")
    # While somebody waits here others are served.
    await asyncio.sleep(await in_database(check_door)(request, data.username))
    user = await in_database(sign_in)(request, data.username, data.password)
    if user is None:
        raise HttpError(403, "Name and password do not match.")
    await in_database(login)(request, user)
    return SessionOut(username=user.get_username())


@router.delete("/session", response=SessionOut, operation_id="signOut")
def sign_out(request: HttpRequest, everywhere: bool = False) -> SessionOut:
    """Sign out, here or everywhere."""
    if everywhere:
        user = signed_in(request)
        sign_out_everywhere(user)
        note("signed-out-everywhere", request, user=user)
    logout(request)
    return SessionOut(username=None)


@router.put("/session/password", response=SessionOut, operation_id="changePassword")
def change_password_(request: HttpRequest, data: PasswordIn) -> SessionOut:
    """Change one's own password; other places where one is signed in are signed out."""
    user = change_password(request, signed_in(request), data.old, data.new)
    note("password-changed", request, user=user)
    return SessionOut(username=user.get_username())
