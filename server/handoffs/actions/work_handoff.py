"""The worker's side of a hand-off: write and read back every file, then pack."""

from __future__ import annotations

import logging
import time

from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from handoffs.models import HandOff
from handoffs.selectors import package_path, version_folder
from runs.leases import LEASE, PULSE
from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot
from zeitbild.errors import ZeitbildError
from zeitbild.farm import FramePool, write_cell
from zeitbild.handoff import FileRecord, build_manifest, pack, receiver_text
from zeitbild.handoff.recipes import recipes
from zeitbild.paths import assets_folder, masters_folder
from zeitbild.resolve import depth_range
from zeitbild.timing import write_frames

log = logging.getLogger("zeitbild.worker")


def claim_handoff(worker: str) -> HandOff | None:
    """Take the oldest hand-off that waits, or whose worker is dead."""
    now = timezone.now()
    with transaction.atomic():
        handoff = (
            HandOff.objects.filter(Q(state=HandOff.State.WAITING) | Q(state=HandOff.State.WRITING, lease_until__lt=now))
            .order_by("id")
            .first()
        )
        if handoff is None:
            return None
        handoff.state, handoff.worker, handoff.lease_until = HandOff.State.WRITING, worker, now + LEASE
        handoff.save(update_fields=["state", "worker", "lease_until"])
    return handoff


def _report(handoff: HandOff, written: dict[str, list[int]]) -> None:
    HandOff.objects.filter(id=handoff.id, worker=handoff.worker).update(
        written={layer: write_frames(sorted(frames)) for layer, frames in written.items()},
        lease_until=timezone.now() + LEASE,
    )


def _fail(handoff: HandOff, reason: str) -> None:
    log.warning("hand-off %s failed: %s", handoff.id, reason)
    HandOff.objects.filter(id=handoff.id).update(state=HandOff.State.FAILED, error=reason, lease_until=None, worker="")


def work_handoff(handoff: HandOff, pool: FramePool) -> None:
    """Write all files of a claimed hand-off, each read back from disk, and pack them with their manifest."""
    run, recipe = handoff.run, recipes.get(handoff.recipe)
    shot = parse_shot(run.document)
    folder = version_folder(handoff)
    cells = [(cell.layer, cell.frame) for cell in run.cells.all()]
    common = (run.quality, recipe.name, handoff.version, assets_folder(), masters_folder(), folder)
    tasks = [((layer, frame), (run.document, frame, layer, *common)) for layer, frame in cells]
    records: list[FileRecord] = []
    written: dict[str, list[int]] = {}
    reported = 0.0
    for outcome in pool.run(write_cell, tasks, pulse=PULSE):
        if outcome is not None and outcome.result is None:
            _fail(handoff, f"frame {outcome.task[1]} of {outcome.task[0]}: {outcome.error}")
            return
        if outcome is not None and outcome.result is not None:
            records.extend(outcome.result)
            written.setdefault(outcome.task[0], []).append(outcome.task[1])
        if time.monotonic() - reported > PULSE / 2:
            reported = time.monotonic()
            _report(handoff, written)
    frames = sorted({frame for _, frame in cells})
    try:
        manifest = build_manifest(
            shot,
            recipe,
            handoff.version,
            records,
            layers=[layer.name for layer in shot.layers],
            frames=frames,
            quality=run.quality,
            depth_range=depth_range(shot, AssetFolder(assets_folder())),
            created=handoff.made_at.isoformat(timespec="seconds"),
        )
        size = pack(folder, package_path(handoff), manifest, receiver_text(manifest, recipe.note), records)
    except ZeitbildError as error:
        _fail(handoff, str(error))
        return
    HandOff.objects.filter(id=handoff.id).update(
        state=HandOff.State.DONE,
        files=len(records),
        bytes=size,
        lease_until=None,
        worker="",
        worst=max((record.worst for record in records), default=0.0),
        written={layer: write_frames(sorted(done)) for layer, done in written.items()},
    )
    log.info("hand-off %s: %s files", handoff.id, len(records))
