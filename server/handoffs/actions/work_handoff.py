"""The worker's side of a hand-off: claim it, write and check its files, pack them, give it back."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterator
from typing import Any

from handoffs.models import HandOff
from handoffs.selectors import package_path, version_folder
from runs.models import FINISHED, Run
from workers.active import PULSE, ActiveWorker
from workers.claiming import claim, give_back, holds, note_progress
from zeitbild.assets import AssetFolder
from zeitbild.differences import Difference
from zeitbild.document.reading import parse_shot
from zeitbild.errors import FullError, InputError, ZeitbildError
from zeitbild.farm import write_files, write_sequence
from zeitbild.handoff import (
    FileRecord,
    Order,
    Proofs,
    Recipe,
    SoundRecord,
    Written,
    build_manifest,
    pack,
    proofs_of,
    receiver_text,
    recipes,
    write_sound,
)
from zeitbild.masters import MasterStore
from zeitbild.paths import assets_folder, masters_folder
from zeitbild.resolve import reach_of
from zeitbild.sources import Masters
from zeitbild.timing import parse_frames, write_frames
from zeitbild_server.writing import writing

log = logging.getLogger("zeitbild.worker")
#: What is written at once: some layers of a frame.
_Place = tuple[tuple[str, ...], int]


def claim_handoff(worker: str) -> HandOff | None:
    """Take the oldest hand-off that is free and whose run is at rest."""
    there = HandOff.objects.filter(shot__deleted_at=None, shot__project__deleted_at=None)
    return claim(there.exclude(run__state__in=(Run.State.WAITING, Run.State.RUNNING)), worker)


def _layers(handoff: HandOff) -> list[str]:
    names: list[str] = handoff.layers or handoff.run.layers
    return names


def _places(handoff: HandOff, recipe: Recipe) -> dict[_Place, Masters]:
    """What is written, and the masters that were proofed in its run; InputError if some are not rendered."""
    run, names = handoff.run, _layers(handoff)
    cells = run.cells.filter(state__in=FINISHED, layer__in=names).order_by("frame")
    by_frame: dict[int, dict[str, tuple[str, str, Any]]] = {}
    for layer, frame, key, parts in cells.values_list("layer", "frame", "key", "parts").iterator():
        by_frame.setdefault(frame, {})[layer] = (layer, key, tuple((parts or {"beauty": ""}).items()))
    missing = run.total - run.cells.filter(state__in=FINISHED).count()
    if missing:
        raise InputError(f"{missing} frames of its run are not rendered; finish the run, then try again", "run")
    found: dict[_Place, Masters] = {}
    for frame, own in sorted(by_frame.items()):
        ordered = [own[name] for name in names if name in own]
        for group in [ordered] if recipe.sharing == "frame" else [[one] for one in ordered]:
            found[tuple(layer for layer, _, _ in group), frame] = tuple(group)
    return found


def _gone(places: dict[_Place, Masters], worker: ActiveWorker) -> Iterator[_Place]:
    """Those of which a master is not there any more."""
    store = MasterStore(masters_folder())
    for place, masters in places.items():
        if not worker.goes_on():
            return
        if not all(store.reuse(key, dict(ends)) for _, key, ends in masters):
            yield place


def _render_again(handoff: HandOff, worker: ActiveWorker, gone: list[_Place]) -> None:
    """Never silently: the run renders what is gone once more, in sight of everybody, and the hand-off waits for it.

    If another version of the renderer made the rest, the run renders that too (``work_run``).
    """
    with writing():
        if not holds(handoff, worker.name):
            return
        for layers, frame in gone:
            handoff.run.cells.filter(layer__in=layers, frame=frame).delete()
        Run.objects.filter(id=handoff.run_id).update(state=Run.State.WAITING, stop_asked=False, error="")
        frames = write_frames(sorted({frame for _, frame in gone}))
        give_back(
            handoff,
            worker.name,
            HandOff.State.WAITING,
            f"What was proofed of frames {frames} is not there any more; the run renders them once more (all, if Zeitbild "
            "was renewed since), then this goes on. Look at them in Proof.",
        )
    log.warning("hand-off %s: masters of %s frames are gone", handoff.id, len(gone))


#: Places that are written by one task.
_Task = tuple[_Place, ...]


def _tasks(
    document: str, recipe: Recipe, places: dict[_Place, Masters], common: tuple[Any, ...]
) -> tuple[Callable[..., list[FileRecord]], list[tuple[_Task, tuple[Any, ...]]]]:
    """What writes the files, and what is to be done: frame by frame, or all frames of some layers at once if a file holds them."""
    if not recipe.format.container:
        return write_files, [((place,), (document, place[1], masters, *common)) for place, masters in places.items()]
    together: dict[tuple[str, ...], list[_Place]] = {}
    for place in places:
        together.setdefault(place[0] if recipe.sharing != "frame" else (), []).append(place)
    return write_sequence, [
        (tuple(own), (document, tuple((place[1], places[place]) for place in own), *common))
        for own in together.values()
    ]


def _frame_sets(written: dict[str, list[int]]) -> dict[str, str]:
    return {layer: write_frames(sorted(frames)) for layer, frames in written.items()}


def _proofs(handoff: HandOff) -> Proofs:
    """What the run found out about its frames."""
    names = _layers(handoff)
    cells = handoff.run.cells.filter(layer__in=names, sums__isnull=False).values_list("layer", "frame", "sums")
    sums = [(layer, frame, Difference(**(off or {}))) for layer, frame, off in cells.iterator()]
    rejoins = [
        (tuple(one.layers), one.frame, Difference(one.largest, one.x, one.y))
        for one in handoff.run.rejoins.iterator()
        if set(one.layers) <= set(names)
    ]
    return proofs_of(sums, rejoins)


def work_handoff(handoff: HandOff, worker: ActiveWorker) -> None:
    """Write all files of a claimed hand-off, each read back from disk, and pack them with their manifest."""
    run, recipe = handoff.run, recipes.get(handoff.recipe)
    shot = parse_shot(run.document)
    folder = version_folder(handoff)
    places = _places(handoff, recipe)
    gone = list(_gone(places, worker))
    if gone:
        _render_again(handoff, worker, gone)
        return
    chosen = tuple(sorted(handoff.options.items())), tuple(_layers(handoff)), tuple(handoff.passes)
    common = (recipe.name, *chosen, handoff.version, assets_folder(), masters_folder(), folder)
    function, tasks = _tasks(run.document, recipe, places, common)
    records: list[FileRecord] = []
    written: dict[str, list[int]] = {}
    reported, done = 0.0, 0
    # As far as an earlier worker came; those files are only checked again.
    most = sum(len(parse_frames(text)) for text in handoff.written.values() if text)
    for outcome in worker.pool.run(function, tasks, worker.goes_on, pulse=PULSE / 2):
        if outcome is not None and outcome.gone:
            gone.extend(outcome.task)
        elif outcome is not None and outcome.result is None:
            kind = FullError if outcome.full else ZeitbildError
            where = write_frames(sorted({at for _, at in outcome.task}))
            raise kind(f"frame {where} of {', '.join(outcome.task[0][0])}: {outcome.error}")
        elif outcome is not None and outcome.result is not None:
            records.extend(outcome.result)
            done += len(outcome.task)
            for own, at in outcome.task:
                for layer in own:
                    written.setdefault(layer, []).append(at)
        if time.monotonic() - reported > PULSE / 2:
            reported = time.monotonic()
            with writing():
                if holds(handoff, worker.name):
                    HandOff.objects.filter(id=handoff.id).update(written=_frame_sets(written))
                    count = sum(map(len, written.values()))
                    if count > most:
                        most = count
                        note_progress(handoff)
    if gone:
        _render_again(handoff, worker, gone)
        return
    if done < len(places) or not worker.goes_on():
        # Put away, or the worker ends: files that stand are kept, and the next one goes on from there.
        give_back(handoff, worker.name, HandOff.State.WAITING)
        return
    order = Order(recipe, handoff.version, reach_of(shot, AssetFolder(assets_folder())), handoff.options)
    layers = [layer for layer in shot.layers if layer.name in _layers(handoff)]
    frames = sorted({frame for _, frame in places})
    made = handoff.made_at.isoformat(timespec="seconds")
    sound = write_sound(shot, frames, handoff.version, folder, AssetFolder(assets_folder()))
    held = Written(records, layers, frames, run.quality, made, _proofs(handoff), sound)
    manifest = build_manifest(shot, order, held)
    files: list[FileRecord | SoundRecord] = [*records, *([sound] if sound is not None else [])]
    size = pack(folder, package_path(handoff), manifest, receiver_text(manifest, recipe.note), files)
    with writing():
        if not holds(handoff, worker.name):
            return
        HandOff.objects.filter(id=handoff.id).update(
            files=len(files),
            bytes=size,
            worst=max((record.worst for record in records), default=0.0),
            written=_frame_sets(written),
        )
        handoff.refresh_from_db()
        give_back(handoff, worker.name, HandOff.State.DONE)
    log.info("hand-off %s: %s files", handoff.id, len(records))
