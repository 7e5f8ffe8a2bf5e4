"""Whether Zeitbild lives and is ready for work."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.db import DatabaseError, connection
from django.http import HttpRequest, JsonResponse

from disk.room import free_bytes, said
from workers.presence import workers_present


def _database() -> str:
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
    except DatabaseError as error:
        return f"the database does not answer: {error}"
    return ""


def _disk() -> str:
    free = free_bytes()
    if free < settings.DISK_RESERVE:
        return f"{said(free)} are free in the data folder; {said(settings.DISK_RESERVE)} are kept in reserve"
    return ""


def _worker() -> str:
    try:
        return "" if workers_present() else "no worker is there"
    except DatabaseError:
        return "workers are not known while the database does not answer"


#: What is looked at: empty if it is well, else a sentence.
PARTS: dict[str, Callable[[], str]] = {"database": _database, "disk": _disk, "worker": _worker}


def health(request: HttpRequest) -> JsonResponse:
    """200 if all is ready, 503 with the reasons if not. With ``?lives`` only that the server answers."""
    if "lives" in request.GET:
        return JsonResponse({"lives": True})
    found = {name: look() for name, look in PARTS.items()}
    ready = not any(found.values())
    parts = {name: said or "well" for name, said in found.items()}
    return JsonResponse({"lives": True, "ready": ready, **parts}, status=200 if ready else 503)
