"""The worker's side of a hand-off: write and read back every file, then pack."""

from __future__ import annotations

import logging
import time

from django.db import transaction

from handoffs.models import HandOff
from handoffs.selectors import package_path, version_folder
from workers.active import PULSE, ActiveWorker
from workers.claiming import claim, give_back, holds, note_progress
from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot
from zeitbild.errors import FullError, ZeitbildError
from zeitbild.farm import write_cell
from zeitbild.handoff import FileRecord, build_manifest, pack, receiver_text
from zeitbild.handoff.recipes import recipes
from zeitbild.paths import assets_folder, masters_folder
from zeitbild.resolve import depth_range
from zeitbild.timing import parse_frames, write_frames

log = logging.getLogger("zeitbild.worker")


def claim_handoff(worker: str) -> HandOff | None:
    """Take the oldest hand-off that is free."""
    return claim(HandOff.objects.filter(shot__deleted_at=None, shot__project__deleted_at=None), worker)


def _frame_sets(written: dict[str, list[int]]) -> dict[str, str]:
    return {layer: write_frames(sorted(frames)) for layer, frames in written.items()}


def work_handoff(handoff: HandOff, worker: ActiveWorker) -> None:
    """Write all files of a claimed hand-off, each read back from disk, and pack them with their manifest."""
    run, recipe = handoff.run, recipes.get(handoff.recipe)
    shot = parse_shot(run.document)
    folder = version_folder(handoff)
    cells = [(layer, frame) for layer in run.layers for frame in run.frames]
    common = (run.quality, recipe.name, handoff.version, assets_folder(), masters_folder(), folder)
    tasks = (((layer, frame), (run.document, frame, layer, *common)) for layer, frame in cells)
    records: list[FileRecord] = []
    written: dict[str, list[int]] = {}
    reported = 0.0
    # As far as an earlier worker came; those files are only checked again.
    most = sum(len(parse_frames(text)) for text in handoff.written.values() if text)
    for outcome in worker.pool.run(write_cell, tasks, worker.goes_on, pulse=PULSE / 2):
        if outcome is not None and outcome.result is None:
            kind = FullError if outcome.full else ZeitbildError
            raise kind(f"frame {outcome.task[1]} of {outcome.task[0]}: {outcome.error}")
        if outcome is not None and outcome.result is not None:
            records.extend(outcome.result)
            written.setdefault(outcome.task[0], []).append(outcome.task[1])
        if time.monotonic() - reported > PULSE / 2:
            reported = time.monotonic()
            with transaction.atomic():
                if holds(handoff, worker.name):
                    HandOff.objects.filter(id=handoff.id).update(written=_frame_sets(written))
                    count = sum(map(len, written.values()))
                    if count > most:
                        most = count
                        note_progress(handoff)
    if sum(map(len, written.values())) < len(cells) or not worker.goes_on():
        # Put away, or the worker ends: files that stand are kept, and the next one goes on from there.
        give_back(handoff, worker.name, HandOff.State.WAITING)
        return
    manifest = build_manifest(
        shot,
        recipe,
        handoff.version,
        records,
        layers=[layer.name for layer in shot.layers],
        frames=sorted({frame for _, frame in cells}),
        quality=run.quality,
        depth_range=depth_range(shot, AssetFolder(assets_folder())),
        created=handoff.made_at.isoformat(timespec="seconds"),
    )
    size = pack(folder, package_path(handoff), manifest, receiver_text(manifest, recipe.note), records)
    with transaction.atomic():
        if not holds(handoff, worker.name):
            return
        HandOff.objects.filter(id=handoff.id).update(
            files=len(records),
            bytes=size,
            worst=max((record.worst for record in records), default=0.0),
            written=_frame_sets(written),
        )
        handoff.refresh_from_db()
        give_back(handoff, worker.name, HandOff.State.DONE)
    log.info("hand-off %s: %s files", handoff.id, len(records))
