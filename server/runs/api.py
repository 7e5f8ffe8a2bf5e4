"""Run endpoints: start, steer, watch, and look at rendered frames."""

from __future__ import annotations

from dataclasses import asdict
from datetime import datetime
from typing import Any, Literal

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.utils.dateparse import parse_datetime
from ninja import Query, Router, Schema

from projects.models import Role
from runs.actions.retry_failed import retry_failed
from runs.actions.start_run import start_run
from runs.events import open_line
from runs.models import Cell, Run
from runs.selectors import (
    cell_for,
    places_of,
    progress_of,
    run_for,
    runs_of,
    stale_frames,
    states_of,
    worst_rejoins,
    worst_sums,
)
from shots.lanes import SHORT, compute
from shots.rendering import master_picture
from shots.selectors import shot_for
from workers import steering
from zeitbild.document.reading import parse_shot
from zeitbild.proof import Ground, View, encode_view, probe, show
from zeitbild.proof.adding_up import ALLOWED, SUMS_ALLOWED
from zeitbild.proof.looks import needs_planes
from zeitbild.render.passes import Bundle
from zeitbild.timing import write_frames
from zeitbild_server.security import in_database, signed_in

router = Router(tags=["runs"])
#: Failed cells that are told with their reasons, and changes told at once.
MAX_FAILED, MAX_CHANGES = 100, 2000


class RunIn(Schema):
    """What to render: the revision looked at, a frame set (empty: the range), a quality (empty: the shot's), and
    layers (none: those that are on)."""

    base: int
    frame_set: str = ""
    quality: str = ""
    layers: list[str] = []


class ProgressOut(Schema):
    """Counts by state."""

    total: int
    waiting: int
    rendering: int
    done: int
    reused: int
    failed: int
    cleaned: int
    bytes: int
    left: float | None


class CellOut(Schema):
    """A cell."""

    layer: str
    frame: int
    state: str
    error: str
    seconds: float


class RunOut(Schema):
    """A run with its progress."""

    id: int
    shot_id: int
    revision: int
    state: str
    stopping: bool
    error: str
    quality: str
    frame_set: str
    made_at: datetime
    seconds: float
    progress: ProgressOut


class PlaceOut(Schema):
    """A machine's process, and how many cells it made."""

    place: str
    cells: int
    seconds: float


class RasterOut(Schema):
    """Pixels of a run's frames, and how many of overscan there are around them."""

    width: int
    height: int
    overscan: int


class RunFull(RunOut):
    """A run with what became of its cells.

    raster is that of its frames, which the shot's may differ from by now; states are frame sets by state by layer, of cells that were
    begun; failed are the first cells that failed, with their reasons; mark is where watching goes on from.
    """

    layers: list[str]
    raster: RasterOut
    states: dict[str, dict[str, str]]
    failed: list[CellOut]
    mark: str


class WorstOut(Schema):
    """Where something that should add up is off by most: a layer's passes of light, or layers laid over one another.

    largest is a share of white; allowed how much of it rounding and edges may be; proved counts the frames that were compared.
    """

    what: list[str]
    frame: int
    largest: float
    allowed: float
    x: int
    y: int
    proved: int


class ProofsOut(Schema):
    """What adds up in a run."""

    sums: list[WorstOut]
    rejoins: list[WorstOut]


class StaleOut(Schema):
    """Frames that the current document would give differently, as a frame set; not all of them if there is more to look at."""

    frames: str
    complete: bool


class LookIn(Schema):
    """How to show a rendered frame; overscan: with what was rendered around the raster."""

    ground: Literal["checker", "black", "white", "grey", "colour", "gradient"] = "checker"
    colour: str = "#00a651"
    colour_to: str = "#101828"
    what: str = "picture"
    blend: Literal["linear", "encoded"] = "linear"
    kind: Literal["jpeg", "png"] = "png"
    overscan: bool = False


class ProbeOut(Schema):
    """A pixel read in every way."""

    x: int
    y: int
    straight: list[float]
    premultiplied: list[float]
    straight_8: list[int]
    premultiplied_8: list[int]
    depth: float | None


def _cell(cell: Cell) -> dict[str, Any]:
    return {
        "layer": cell.layer,
        "frame": cell.frame,
        "state": cell.state,
        "error": cell.error,
        "seconds": round(cell.seconds, 3),
    }


def _out(run: Run) -> dict[str, Any]:
    return {
        "id": run.id,
        "shot_id": run.shot_id,
        "revision": run.revision_id,
        "state": run.state,
        "stopping": run.stop_asked and run.state == Run.State.RUNNING,
        "error": run.error,
        "quality": run.quality,
        "frame_set": run.frame_set,
        "made_at": run.made_at,
        "seconds": run.seconds,
        "progress": asdict(progress_of(run)),
    }


def _full(run: Run) -> dict[str, Any]:
    # The mark first: what changes while the states are read is told once more.
    newest = run.cells.order_by("-changed_at").values_list("changed_at", flat=True).first()
    return {
        **_out(run),
        "layers": run.layers,
        "raster": parse_shot(run.document).raster.model_dump(include={"width", "height", "overscan"}),
        "states": states_of(run),
        "failed": [_cell(cell) for cell in run.cells.filter(state=Cell.State.FAILED)[:MAX_FAILED]],
        "mark": newest.isoformat() if newest else "",
    }


@router.get("/shots/{shot_id}/runs", response=list[RunOut], operation_id="listRuns")
def list_runs(request: HttpRequest, shot_id: int) -> list[dict[str, Any]]:
    """Runs of a shot, newest first."""
    user = signed_in(request)
    shot_for(user, shot_id)
    return [_out(run) for run in runs_of(user).filter(shot_id=shot_id)[:50]]


@router.post("/shots/{shot_id}/runs", response=RunFull, operation_id="startRun")
def start(request: HttpRequest, shot_id: int, data: RunIn) -> dict[str, Any]:
    """Freeze the shot and line it up."""
    user = signed_in(request)
    run = start_run(
        user,
        shot_for(user, shot_id, least=Role.EDITOR),
        base=data.base,
        frame_set=data.frame_set,
        quality=data.quality,
        layers=data.layers,
    )
    return _full(run)


@router.get("/runs/{run_id}", response=RunFull, operation_id="getRun")
def get(request: HttpRequest, run_id: int) -> dict[str, Any]:
    """A run with its cells."""
    return _full(run_for(signed_in(request), run_id))


@router.get("/runs/{run_id}/places", response=list[PlaceOut], operation_id="getPlaces")
def places(request: HttpRequest, run_id: int) -> list[dict[str, Any]]:
    """Who computed how much of a run, the busiest first."""
    return places_of(run_for(signed_in(request), run_id))


@router.get("/runs/{run_id}/proofs", response=ProofsOut, operation_id="getProofs")
def proofs(request: HttpRequest, run_id: int) -> dict[str, Any]:
    """How far passes of light are from beauty, and layers from the whole set, where they are farthest."""
    run = run_for(signed_in(request), run_id)
    return {
        "sums": [{**asdict(one), "allowed": SUMS_ALLOWED} for one in worst_sums(run)],
        "rejoins": [{**asdict(one), "allowed": ALLOWED} for one in worst_rejoins(run)],
    }


@router.get("/runs/{run_id}/stale", response=StaleOut, operation_id="getStale")
def stale(request: HttpRequest, run_id: int) -> StaleOut:
    """Which frames are stale, as far as could be found out in half a second; ask again until it is complete."""
    frames, complete = stale_frames(run_for(signed_in(request), run_id))
    return StaleOut(frames=write_frames(frames), complete=complete)


@router.post("/runs/{run_id}/stop", response=RunOut, operation_id="stopRun")
def stop(request: HttpRequest, run_id: int) -> dict[str, Any]:
    """Finish the frames under way and stop."""
    run = run_for(signed_in(request), run_id, least=Role.EDITOR)
    steering.stop(run)
    return _out(run)


@router.post("/runs/{run_id}/continue", response=RunOut, operation_id="continueRun")
def go_on(request: HttpRequest, run_id: int) -> dict[str, Any]:
    """Go on where it stopped."""
    run = run_for(signed_in(request), run_id, least=Role.EDITOR)
    steering.go_on(run)
    return _out(run)


@router.post("/runs/{run_id}/retry", response=RunOut, operation_id="retryRun")
def retry(request: HttpRequest, run_id: int) -> dict[str, Any]:
    """Try failed frames again."""
    run = run_for(signed_in(request), run_id, least=Role.EDITOR)
    retry_failed(run)
    return _out(run)


@router.get("/runs/{run_id}/events", operation_id="watchRun")
async def watch(request: HttpRequest, run_id: int, mark: str = "") -> StreamingHttpResponse:
    """Server-sent events: the run's progress and the cells that changed since a mark, or since it began."""
    try:
        seen = parse_datetime(mark)
    except ValueError:
        seen = None
    user = signed_in(request)
    await in_database(run_for)(user, run_id)

    def look(since: Any) -> tuple[dict[str, Any] | None, Any, bool]:
        run = Run.objects.get(id=run_id)
        state, newest = since or (None, seen)
        cells = run.cells.all() if newest is None else run.cells.filter(changed_at__gte=newest)
        # Many at once come in parts, the oldest first.
        rows = [(cell.changed_at, _cell(cell)) for cell in cells.order_by("changed_at", "id")[:MAX_CHANGES]]
        latest = max((changed for changed, _ in rows), default=newest)
        now = _out(run)
        now_state = (
            now["state"],
            now["stopping"],
            now["progress"]["done"],
            now["progress"]["failed"],
            now["progress"]["rendering"],
        )
        ended = run.state in (Run.State.DONE, Run.State.FAILED, Run.State.STOPPED) and len(rows) < MAX_CHANGES
        if now_state == state and latest == newest:
            return None, since, ended
        change = {"run": {**now, "made_at": now["made_at"].isoformat()}, "cells": [row for _, row in rows]}
        return change, (now_state, latest), ended

    return open_line(user, look)


def _shown(cell: Cell, look: LookIn) -> bytes:
    files = parse_shot(cell.run.document).sampling
    ends: dict[Bundle, str] = cell.parts if needs_planes(look.what) and cell.parts else {"beauty": ""}
    view = View(
        Ground(look.ground, look.colour, look.colour_to), look.what, look.blend, files.highlights, files.beyond_alpha
    )
    picture = master_picture(cell.key, ends)
    return encode_view(show(picture if look.overscan else picture.inside(), view), look.kind)


@router.get("/runs/{run_id}/cells/{layer}/{frame}/picture", operation_id="lookAtCell")
async def look_at(request: HttpRequest, run_id: int, layer: str, frame: int, look: Query[LookIn]) -> HttpResponse:
    """A rendered frame over a ground, or one of its passes."""
    cell = await in_database(cell_for)(signed_in(request), run_id, layer, frame)
    data = await compute(SHORT, signed_in(request).id, _shown, cell, look)
    return HttpResponse(data, content_type=f"image/{look.kind}", headers={"Cache-Control": "private, max-age=86400"})


@router.get("/runs/{run_id}/cells/{layer}/{frame}/probe", response=ProbeOut, operation_id="probeCell")
async def probe_cell(request: HttpRequest, run_id: int, layer: str, frame: int, x: int, y: int) -> dict[str, Any]:
    """One pixel of a rendered frame; what lies around its raster, left of it and above, has numbers below 0."""
    cell = await in_database(cell_for)(signed_in(request), run_id, layer, frame)

    def read() -> dict[str, Any]:
        return asdict(probe(master_picture(cell.key), x, y))

    return await compute(SHORT, signed_in(request).id, read)
