"""Who computes, for the interface to say."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from ninja import Router, Schema

from workers.presence import workers_present
from zeitbild_server.security import RecentUser, in_database

router = Router(tags=["workers"])


class WorkerOut(Schema):
    """A worker that was heard of a moment ago."""

    name: str
    host: str
    processes: int
    started_at: datetime


class StudioOut(Schema):
    """What is there to work with."""

    workers: list[WorkerOut]


@router.get("/studio", response=StudioOut, auth=RecentUser(), operation_id="getStudio")
async def studio(request: HttpRequest) -> StudioOut:
    """The workers that are there; asked every other second, so that the interface notices when none is."""
    found = await in_database(workers_present)()
    return StudioOut(
        workers=[
            WorkerOut(name=one.name, host=one.host, processes=one.processes, started_at=one.started_at) for one in found
        ]
    )
