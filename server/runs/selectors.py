"""Reading runs, always as one person may see them."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from typing import Any

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
from zeitbild.timing import write_frames


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a run is. left is in seconds, None until a frame has been rendered and while no worker is there."""

    total: int
    waiting: int
    rendering: int
    done: int
    reused: int
    failed: int
    cleaned: int
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
    spent = run.cells.filter(state=Cell.State.DONE).aggregate(bytes=Sum("bytes"))
    rendering = counts.get(Cell.State.RENDERING, 0)
    waiting = run.total - sum(counts.values())
    # The newest frames tell the pace: the first ones also waited for processes to start.
    recent = list(
        run.cells.filter(state=Cell.State.DONE).order_by("-changed_at").values_list("seconds", flat=True)[:20]
    )
    processes = sum(worker.processes for worker in workers_present())
    # Without a worker nobody can say.
    left = sum(recent) / len(recent) * (waiting + rendering) / processes if recent and processes else None
    return Progress(
        total=run.total,
        waiting=waiting,
        rendering=rendering,
        done=counts.get(Cell.State.DONE, 0),
        reused=counts.get(Cell.State.REUSED, 0),
        failed=counts.get(Cell.State.FAILED, 0),
        cleaned=counts.get(Cell.State.CLEANED, 0),
        bytes=spent["bytes"] or 0,
        left=left if waiting + rendering else 0.0,
    )


def states_of(run: Run) -> dict[str, dict[str, str]]:
    """Frame sets of each state of each layer's cells that were begun."""
    found: dict[str, dict[str, list[int]]] = {layer: {} for layer in run.layers}
    for layer, state, frame in run.cells.order_by("layer", "frame").values_list("layer", "state", "frame"):
        found.setdefault(layer, {}).setdefault(state, []).append(frame)
    return {layer: {state: write_frames(frames) for state, frames in own.items()} for layer, own in found.items()}


@dataclass(frozen=True, slots=True)
class Worst:
    """Where something that should add up is off by most in a run: what, the frame, by how much, the pixel; how many frames were
    proved."""

    what: tuple[str, ...]
    frame: int
    largest: float
    x: int
    y: int
    proved: int


def worst_sums(run: Run) -> list[Worst]:
    """Of each layer with passes of light, where they are farthest from beauty."""
    found = []
    for layer in run.layers:
        cells = run.cells.filter(layer=layer, state__in=FINISHED, sums__isnull=False).order_by(
            "-sums__largest", "frame"
        )
        first = cells.first()
        if first is not None:
            off: Any = first.sums
            found.append(Worst((layer,), first.frame, off["largest"], off["x"], off["y"], cells.count()))
    return found


def worst_rejoins(run: Run) -> list[Worst]:
    """Of each group of layers that belong together, where they are farthest from the picture of the whole set."""
    found: dict[tuple[str, ...], Worst] = {}
    for one in run.rejoins.order_by("-largest", "frame").iterator():
        group = tuple(one.layers)
        if group in found:
            found[group] = replace(found[group], proved=found[group].proved + 1)
        else:
            found[group] = Worst(group, one.frame, one.largest, one.x, one.y, 1)
    return list(found.values())


#: Processes that are told of a run.
_MOST_PLACES = 40


def places_of(run: Run) -> list[dict[str, Any]]:
    """Machines and processes that made cells of a run, how many and in what time; the busiest first."""
    made = run.cells.filter(state=Cell.State.DONE).exclude(place="").order_by().values("place")
    rows = made.annotate(cells=Count("id"), seconds=Sum("seconds")).order_by("-cells", "place")
    return [dict(row) for row in rows[:_MOST_PLACES]]


@dataclass(slots=True)
class _Known:
    """What is known of a run's staleness against one revision of its shot."""

    revision: int
    frames: set[int]
    looked: set[tuple[str, int, str]]


_known: dict[int, _Known] = {}
#: Runs whose staleness is remembered, and seconds that a question may take.
_MOST_KNOWN, _PATIENCE = 64, 0.5


def stale_frames(run: Run, patience: float = _PATIENCE) -> tuple[list[int], bool]:
    """Frames whose finished cells no longer show what the shot's current document gives, rising, as far as is known; and whether
    that is all: asked again, it goes on where it stopped.

    All frames if the document cannot be resolved any more.
    """
    shot = run.shot
    current = write_shot(shot.current_document())
    if current == run.document:
        return [], True
    known = _known.get(run.id)
    if known is None or known.revision != shot.current_id:
        known = _Known(shot.current_id or 0, set(), set())
        _known.pop(run.id, None)
        _known[run.id] = known
        while len(_known) > _MOST_KNOWN:
            del _known[next(iter(_known))]
    until = time.monotonic() + patience
    cells = run.cells.filter(state__in=FINISHED).order_by("frame").values_list("layer", "frame", "key")
    for layer, frame, key in cells:
        if (layer, frame, key) in known.looked:
            continue
        if time.monotonic() > until:
            return sorted(known.frames), False
        try:
            if cell_key(current, frame, run.quality, assets_folder(), layer) != key:
                known.frames.add(frame)
        except ZeitbildError:
            known.frames.add(frame)
        known.looked.add((layer, frame, key))
    return sorted(known.frames), True
