"""The API: routers of all apps, and the one place where errors become answers (RFC 9457 problem details)."""

from __future__ import annotations

import logging
from typing import Any

from django.db import OperationalError
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from accounts.api import router as accounts_router
from assets.api import router as assets_router
from brought.api import router as brought_router
from disk.api import router as disk_router
from handoffs.api import router as handoffs_router
from projects.api import router as projects_router
from runs.api import router as runs_router
from runs.events import TooManyLines
from shots.api import router as shots_router
from workers.api import router as workers_router
from zeitbild import __version__
from zeitbild.errors import DocumentError, InputError, StorageError
from zeitbild_server.errors import Conflict, NotAllowed, Overtaken, ShutOut
from zeitbild_server.parsing import StrictParser
from zeitbild_server.security import SessionUser

log = logging.getLogger("zeitbild.api")

api = NinjaAPI(title="Zeitbild", version=__version__, auth=SessionUser(), urls_namespace="api", parser=StrictParser())
api.add_router("", accounts_router)
api.add_router("", projects_router)
api.add_router("", shots_router)
api.add_router("", assets_router)
api.add_router("", brought_router)
api.add_router("", runs_router)
api.add_router("", handoffs_router)
api.add_router("", workers_router)
api.add_router("", disk_router)


def problem(status: int, code: str, detail: str, **more: Any) -> HttpResponse:
    """An answer of type application/problem+json."""
    return JsonResponse(
        {"type": f"about:zeitbild:{code}", "title": code, "status": status, "detail": detail, **more},
        status=status,
        content_type="application/problem+json",
    )


@api.exception_handler(InputError)
def _input(request: HttpRequest, error: InputError) -> HttpResponse:
    problems = (
        [{"field": one.field, "message": one.message} for one in error.problems]
        if isinstance(error, DocumentError)
        else [{"field": error.field, "message": error.message}]
    )
    return problem(422, error.code, str(error), problems=problems)


@api.exception_handler(StorageError)
def _storage(request: HttpRequest, error: StorageError) -> HttpResponse:
    log.error("storage: %s", error)
    return problem(507, error.code, str(error))


@api.exception_handler(OperationalError)
def _database(request: HttpRequest, error: OperationalError) -> HttpResponse:
    log.error("database: %s", error)
    if "full" in str(error) or "disk I/O" in str(error):
        return problem(
            507, "full", "The disk of this server is full. What you did is kept here and saved when there is room."
        )
    return problem(503, "busy", "The database is busy just now; try again in a moment.")


@api.exception_handler(Conflict)
def _conflict(request: HttpRequest, error: Conflict) -> HttpResponse:
    return problem(409, "conflict", str(error), current=error.current)


@api.exception_handler(ShutOut)
def _shut_out(request: HttpRequest, error: ShutOut) -> HttpResponse:
    return problem(429, "shut-out", str(error))


@api.exception_handler(Overtaken)
def _overtaken(request: HttpRequest, error: Overtaken) -> HttpResponse:
    return problem(503, "overtaken", "This was given up for what was asked for after it.")


@api.exception_handler(NotAllowed)
def _not_allowed(request: HttpRequest, error: NotAllowed) -> HttpResponse:
    return problem(403, "not-allowed", str(error))


@api.exception_handler(Http404)
def _missing(request: HttpRequest, error: Http404) -> HttpResponse:
    return problem(404, "not-found", "There is no such thing here, or it is not shared with you.")


@api.exception_handler(AuthenticationError)
def _signed_out(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
    return problem(401, "signed-out", "Sign in to go on.")


@api.exception_handler(ValidationError)
def _request(request: HttpRequest, error: ValidationError) -> HttpResponse:
    problems = [
        {"field": ".".join(str(part) for part in one["loc"][2:] or one["loc"][1:]), "message": one["msg"]}
        for one in error.errors
    ]
    return problem(
        422, "request", "; ".join(f"{one['field']}: {one['message']}" for one in problems), problems=problems
    )


@api.exception_handler(TooManyLines)
def _lines(request: HttpRequest, error: TooManyLines) -> HttpResponse:
    return problem(429, "busy", "Too many pages of yours watch progress at the same time; close some.")


@api.exception_handler(OverflowError)
def _overflow(request: HttpRequest, error: OverflowError) -> HttpResponse:
    # A number of a request that no column can hold.
    return problem(422, "request", "A number in this request is too large.")


@api.exception_handler(HttpError)
def _http(request: HttpRequest, error: HttpError) -> HttpResponse:
    why = f": {error.__cause__}" if isinstance(error.__cause__, ValueError) else ""
    return problem(error.status_code, "request", f"{error}{why}")
