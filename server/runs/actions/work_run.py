"""The worker's side of a run: claim it, render it, write down what became of each cell, give it back."""

from __future__ import annotations

import logging
import time
from collections import defaultdict
from dataclasses import asdict

from django.db.models import F
from django.utils import timezone

from disk.room import no_room
from runs.models import FINISHED, Cell, Rejoin, Run
from workers.active import PULSE, ActiveWorker
from workers.claiming import claim, give_back, holds, note_progress
from zeitbild.errors import ZeitbildError
from zeitbild.farm import CellResult, FrameResult, cell_key, frames_with, render_layers
from zeitbild.paths import assets_folder, masters_folder
from zeitbild_server.writing import writing

log = logging.getLogger("zeitbild.worker")
#: Seconds between two looks of others at what became of cells.
_REPORTED = 0.25
#: Cells of one statement; SQLite takes so many values.
_BATCH = 200


def claim_run(worker: str) -> Run | None:
    """Take the oldest run that is free; cells that were being rendered wait again.

    So do all, if another version of the renderer made those that are there: one sequence is never made of two.
    """
    run = claim(Run.objects.filter(shot__deleted_at=None, shot__project__deleted_at=None), worker)
    if run is not None:
        _unrender(run)
        if _of_another_renderer(run):
            log.warning(
                "run %s was begun by another version of the renderer; all its frames are rendered again", run.id
            )
            run.cells.all().delete()
    return run


def _of_another_renderer(run: Run) -> bool:
    """Whether what is rendered would get another key now; the document and what it uses are frozen."""
    cell = run.cells.filter(state__in=FINISHED).order_by("frame").first()
    if cell is None:
        return False
    try:
        return cell_key(run.document, cell.frame, run.quality, assets_folder(), cell.layer) != cell.key
    except ZeitbildError:
        # What it lacks is told when its frames are rendered.
        return False


def _unrender(run: Run) -> None:
    run.cells.filter(state=Cell.State.RENDERING).delete()


class _Report:
    """What became of cells, written in batches, and only as long as the run is the worker's own."""

    def __init__(self, run: Run, worker: str) -> None:
        self._run, self._worker = run, worker
        self._cells: dict[tuple[str, int], Cell | None] = {}
        self._rejoins: list[Rejoin] = []
        self._written = 0.0

    def note(
        self, layer: str, frame: int, state: Cell.State, result: CellResult | None = None, error: str = ""
    ) -> None:
        """Remember what is to be written about a cell."""
        cell = Cell(run=self._run, layer=layer, frame=frame, state=state, error=error, changed_at=timezone.now())
        if result is not None:
            cell.key, cell.seconds, cell.bytes, cell.place = result.key, result.seconds, result.bytes, result.where
            cell.parts, cell.sums = dict(result.ends), None if result.sums is None else asdict(result.sums)
        self._cells[layer, frame] = cell
        if len(self._cells) >= _BATCH:
            self.write()

    def note_rejoins(self, frame: int, result: FrameResult) -> None:
        """Remember how the layers of a frame rejoin."""
        self._rejoins += [
            Rejoin(run=self._run, frame=frame, layers=list(one.layers), **asdict(one.off)) for one in result.rejoins
        ]

    def forget(self, layer: str, frame: int) -> None:
        """Remember that a cell waits again."""
        self._cells[layer, frame] = None

    def write_now_and_then(self) -> None:
        """Write if the last time is a while ago."""
        if time.monotonic() - self._written > _REPORTED:
            self.write()

    def write(self) -> None:
        """Write all that was noted."""
        self._written = time.monotonic()
        noted, self._cells = self._cells, {}
        rejoins, self._rejoins = self._rejoins, []
        cells = [cell for cell in noted.values() if cell is not None]
        fields = ["state", "error", "key", "seconds", "bytes", "parts", "sums", "place", "changed_at"]
        if not noted and not rejoins:
            return
        with writing():
            if not holds(self._run, self._worker):
                return
            for layer, frame in (place for place, cell in noted.items() if cell is None):
                self._run.cells.filter(layer=layer, frame=frame).delete()
            Cell.objects.bulk_create(
                cells, _BATCH, update_conflicts=True, unique_fields=["run", "layer", "frame"], update_fields=fields
            )
            Rejoin.objects.bulk_create(
                rejoins,
                _BATCH,
                update_conflicts=True,
                unique_fields=["run", "frame", "layers"],
                update_fields=["largest", "x", "y"],
            )
            if any(cell.state in FINISHED for cell in cells):
                note_progress(self._run)


def work_run(run: Run, worker: ActiveWorker) -> None:
    """Render the waiting cells of a claimed run until they are done, it is unwanted, the claim is lost, or the worker ends."""
    began = time.monotonic()
    known: dict[int, set[str]] = defaultdict(set)
    for layer, frame in run.cells.order_by().values_list("layer", "frame"):
        known[frame].add(layer)
    every = frames_with(run.document, run.layers, run.frames)
    waiting = {
        frame: tuple(layer for layer in layers if layer not in known.get(frame, ()))
        for frame, layers in every.items()
        if len(known.get(frame, ())) < len(layers)
    }
    common = (run.quality, assets_folder(), masters_folder())
    tasks = ((frame, (run.document, frame, *common, layers, every[frame])) for frame, layers in waiting.items())
    report = _Report(run, worker.name)
    full = ""

    def goes_on() -> bool:
        nonlocal full
        full = full or no_room()
        return worker.goes_on() and not full

    def on_start(frame: int) -> None:
        for layer in waiting[frame]:
            report.note(layer, frame, Cell.State.RENDERING)

    for outcome in worker.pool.run(render_layers, tasks, goes_on, on_start, PULSE / 2):
        if outcome is not None:
            frame = outcome.task
            for layer in waiting[frame]:
                result = outcome.result.cells[layer] if outcome.result is not None else None
                error = outcome.error if result is None else result.error
                if result is not None and result.full:
                    report.forget(layer, frame)
                    full = result.error
                elif result is None or error:
                    report.note(layer, frame, Cell.State.FAILED, error=error or "unknown")
                    log.warning("run %s frame %s of %s failed: %s", run.id, frame, layer, error)
                else:
                    report.note(layer, frame, Cell.State.REUSED if result.reused else Cell.State.DONE, result)
            if outcome.result is not None:
                report.note_rejoins(frame, outcome.result)
        report.write_now_and_then()
    report.write()
    _end(run, worker, time.monotonic() - began, full and (no_room() or full))
    log.info("run %s: %s frames in %.1f s", run.id, len(waiting), time.monotonic() - began)


def _end(run: Run, worker: ActiveWorker, seconds: float, full: str) -> None:
    """Give the run back in the state that its cells give it; full says why there is no room, if there is none."""
    with writing():
        if not holds(run, worker.name):
            return
        run.refresh_from_db()
        _unrender(run)
        error = ""
        if run.cells.count() >= run.total:
            failed = run.cells.filter(state=Cell.State.FAILED).exists()
            state = Run.State.FAILED if failed else Run.State.DONE
        elif run.stop_asked:
            state = Run.State.STOPPED
        else:
            # Asked to go on meanwhile, put away, or the worker ends: the next one takes it.
            state, error = Run.State.WAITING, full
        Run.objects.filter(id=run.id).update(seconds=F("seconds") + seconds, stop_asked=False)
        give_back(run, worker.name, state, error)
