"""Reading runs, always as one person may see them."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib.auth.models import User
from django.db.models import Count, QuerySet, Sum
from django.shortcuts import get_object_or_404

from projects.models import Role
from projects.selectors import demand
from runs.models import FINISHED, Cell, Run
from workers.presence import workers_present
from zeitbild.document.reading import write_shot
from zeitbild.errors import ZeitbildError
from zeitbild.farm import cell_key
from zeitbild.paths import assets_folder


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a run is. left is in seconds, None until a frame has been rendered and while no worker is there."""

    total: int
    waiting: int
    rendering: int
    done: int
    reused: int
    failed: int
    bytes: int
    left: float | None


def runs_of(user: User) -> QuerySet[Run]:
    """Runs in the projects of a person, newest first."""
    return Run.objects.filter(
        shot__project__memberships__user=user, shot__project__deleted_at=None, shot__deleted_at=None
    ).order_by("-id")


def run_for(user: User, run_id: int, *, least: Role = Role.VIEWER) -> Run:
    """One run that a person may reach; Http404 otherwise, NotAllowed if one may not what ``least`` may."""
    run = get_object_or_404(runs_of(user).select_related("shot", "shot__project"), id=run_id)
    demand(user, run.shot.project, least)
    return run


def cell_for(user: User, run_id: int, layer: str, frame: int) -> Cell:
    """A finished cell; Http404 if there is none."""
    return get_object_or_404(
        run_for(user, run_id).cells.select_related("run").filter(state__in=FINISHED), layer=layer, frame=frame
    )


def progress_of(run: Run) -> Progress:
    """Counts by state, bytes of masters, and the time left at the pace of the frames rendered so far."""
    counts = {row["state"]: row["n"] for row in run.cells.order_by().values("state").annotate(n=Count("id"))}
    spent = run.cells.filter(state=Cell.State.DONE).aggregate(seconds=Sum("seconds"), bytes=Sum("bytes"))
    done = counts.get(Cell.State.DONE, 0)
    open_cells = counts.get(Cell.State.WAITING, 0) + counts.get(Cell.State.RENDERING, 0)
    # The newest frames tell the pace: the first ones also waited for processes to start.
    recent = list(
        run.cells.filter(state=Cell.State.DONE).order_by("-changed_at").values_list("seconds", flat=True)[:20]
    )
    processes = sum(worker.processes for worker in workers_present())
    # Without a worker nobody can say.
    left = sum(recent) / len(recent) * open_cells / processes if recent and processes else None
    return Progress(
        total=sum(counts.values()),
        waiting=counts.get(Cell.State.WAITING, 0),
        rendering=counts.get(Cell.State.RENDERING, 0),
        done=done,
        reused=counts.get(Cell.State.REUSED, 0),
        failed=counts.get(Cell.State.FAILED, 0),
        bytes=spent["bytes"] or 0,
        left=0.0 if not open_cells else left,
    )


def stale_frames(run: Run) -> list[int]:
    """Frames whose finished cells no longer show what the shot's current document gives; rising.

    All frames if the document cannot be resolved any more.
    """
    cells = list(run.cells.filter(state__in=FINISHED).values_list("frame", "layer", "key"))
    current = write_shot(run.shot.current_document())
    if current == run.document:
        return []
    try:
        return sorted(
            {
                frame
                for frame, layer, key in cells
                if cell_key(current, frame, run.quality, assets_folder(), layer) != key
            }
        )
    except ZeitbildError:
        return sorted({frame for frame, _, _ in cells})
