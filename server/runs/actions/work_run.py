"""The worker's side of a run: claim it, render it, keep its lease, give it back."""

from __future__ import annotations

import logging
import time

from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from runs.leases import LEASE, PULSE
from runs.models import Cell, Run
from zeitbild.errors import ZeitbildError
from zeitbild.farm import CellResult, FramePool, cell_key, render_cell
from zeitbild.masters import MasterStore
from zeitbild.paths import assets_folder, masters_folder

log = logging.getLogger("zeitbild.worker")


def claim_run(worker: str) -> Run | None:
    """Take the oldest run that waits, or whose worker is dead; its half-rendered cells wait again."""
    now = timezone.now()
    with transaction.atomic():
        run = (
            Run.objects.filter(Q(state=Run.State.WAITING) | Q(state=Run.State.RUNNING, lease_until__lt=now))
            .filter(shot__deleted_at=None)
            .order_by("id")
            .first()
        )
        if run is None:
            return None
        run.state, run.worker, run.lease_until = Run.State.RUNNING, worker, now + LEASE
        run.save(update_fields=["state", "worker", "lease_until"])
        run.cells.filter(state=Cell.State.RENDERING).update(state=Cell.State.WAITING, changed_at=now)
    return run


def _renew(run: Run, worker: str) -> bool:
    """Renew the lease; False if another worker has taken the run meanwhile."""
    return bool(
        Run.objects.filter(id=run.id, worker=worker, state=Run.State.RUNNING).update(lease_until=timezone.now() + LEASE)
    )


def _reuse(run: Run) -> list[Cell]:
    """Mark cells whose masters are there as reused, and give the rest, with their keys, to be rendered."""
    store, assets = MasterStore(masters_folder()), assets_folder()
    reused, rest = [], []
    keys: dict[int, str] = {}
    now = timezone.now()
    for cell in run.cells.filter(state=Cell.State.WAITING):
        if cell.frame not in keys:
            keys[cell.frame] = cell_key(run.document, cell.frame, run.quality, assets)
        cell.key, cell.changed_at = keys[cell.frame], now
        if store.has(cell.key):
            cell.state, cell.bytes = Cell.State.REUSED, store.path(cell.key).stat().st_size
            reused.append(cell)
        else:
            rest.append(cell)
    Cell.objects.bulk_update(reused, ["state", "key", "bytes", "changed_at"], batch_size=500)
    return rest


def _finish(run: Run, worker: str) -> None:
    with transaction.atomic():
        run = Run.objects.get(id=run.id)
        if run.worker != worker:
            return
        states = set(run.cells.order_by().values_list("state", flat=True).distinct())
        if states & {Cell.State.WAITING, Cell.State.RENDERING}:
            run.state = Run.State.STOPPED
        else:
            run.state = Run.State.FAILED if Cell.State.FAILED in states else Run.State.DONE
        run.stop_asked, run.lease_until, run.worker = False, None, ""
        run.save(update_fields=["state", "stop_asked", "lease_until", "worker"])


def _give_up(run: Run, reason: str) -> None:
    run.cells.filter(state=Cell.State.WAITING).update(state=Cell.State.FAILED, error=reason, changed_at=timezone.now())
    Run.objects.filter(id=run.id).update(error=reason)


def work_run(run: Run, worker: str, pool: FramePool) -> None:
    """Render the waiting cells of a claimed run until they are done, a stop is asked, or the lease is lost."""
    began = time.monotonic()
    checked = {"at": began, "go": True}

    def keep_going() -> bool:
        if time.monotonic() - checked["at"] > PULSE / 2:
            checked["at"] = time.monotonic()
            asked = Run.objects.filter(id=run.id, stop_asked=True).exists()
            checked["go"] = _renew(run, worker) and not asked
        return bool(checked["go"])

    try:
        cells = {(cell.layer, cell.frame): cell for cell in _reuse(run)}
    except ZeitbildError as error:
        _give_up(run, str(error))
        _finish(run, worker)
        return
    common = (run.quality, assets_folder(), masters_folder())
    tasks = [((cell.layer, cell.frame), (run.document, cell.frame, *common)) for cell in cells.values()]

    def on_start(task: tuple[str, int]) -> None:
        cell = cells[task]
        cell.state = Cell.State.RENDERING
        cell.save(update_fields=["state", "key", "changed_at"])

    if tasks:
        for outcome in pool.run(render_cell, tasks, keep_going, on_start, PULSE):
            if outcome is None:
                keep_going()
                continue
            cell = cells[outcome.task]
            if outcome.result is None:
                cell.state, cell.error = Cell.State.FAILED, outcome.error or "unknown"
                log.warning("run %s frame %s failed: %s", run.id, cell.frame, cell.error)
            else:
                result: CellResult = outcome.result
                cell.state = Cell.State.REUSED if result.reused else Cell.State.DONE
                cell.key, cell.seconds, cell.bytes = result.key, result.seconds, result.bytes
            cell.save(update_fields=["state", "error", "key", "seconds", "bytes", "changed_at"])
    Run.objects.filter(id=run.id).update(seconds=run.seconds + time.monotonic() - began)
    _finish(run, worker)
    log.info("run %s: %s cells in %.1f s", run.id, len(tasks), time.monotonic() - began)
