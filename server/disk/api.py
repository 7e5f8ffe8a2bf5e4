"""What a project takes on the disk, and cleaning up."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest
from ninja import Router, Schema

from disk.cleaning import DAYS, Survey, clean, survey
from disk.room import free_bytes
from disk.usage import usage_of
from journal.writing import note
from projects.models import Project, Role
from projects.selectors import project_for
from zeitbild_server.security import signed_in

router = Router(tags=["disk"])


class KeptOut(Schema):
    """Frames that stay, and why."""

    why: str
    count: int
    bytes: int


class DiskOut(Schema):
    """Bytes by what they are. quota is 0 if there is none; days is how long unused frames are kept."""

    masters: int
    handoffs: int
    uploads: int
    quota: int
    free: int
    days: float
    kept: list[KeptOut]
    may_go: int
    may_go_count: int


def _out(project: Project, found: Survey) -> DiskOut:
    usage = usage_of(project)
    return DiskOut(
        masters=usage.masters,
        handoffs=usage.handoffs,
        uploads=usage.uploads,
        quota=settings.PROJECT_QUOTA,
        free=max(0, free_bytes() - settings.DISK_RESERVE),
        days=DAYS,
        kept=[KeptOut(why=why, count=count, bytes=size) for why, (count, size) in sorted(found.kept.items())],
        may_go=found.going,
        may_go_count=len(found.may_go),
    )


@router.get("/projects/{project_id}/disk", response=DiskOut, operation_id="getDisk")
def look(request: HttpRequest, project_id: int) -> DiskOut:
    """What a project takes, what may go, what is kept and why."""
    project = project_for(signed_in(request), project_id)
    return _out(project, survey(project))


@router.post("/projects/{project_id}/clean", response=DiskOut, operation_id="cleanProject")
def clean_(request: HttpRequest, project_id: int) -> DiskOut:
    """Remove what may go; it can be rendered again."""
    user = signed_in(request)
    project = project_for(user, project_id, least=Role.EDITOR)
    gone = clean(project)
    note("cleaned", request, user=user, project=project, about=f"{len(gone.may_go)} frames")
    return _out(project, survey(project))
