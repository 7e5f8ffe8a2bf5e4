"""The worker's side of a hand-off: claim it, write and check its files, pack them, give it back."""

from __future__ import annotations

import logging
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any

from django.utils import timezone

from handoffs.models import HandOff
from handoffs.selectors import SHOWN, package_path, version_folder
from runs.models import FINISHED, Run
from workers.active import PULSE, ActiveWorker
from workers.claiming import claim, give_back, holds, note_progress
from zeitbild.assets import AssetFolder
from zeitbild.differences import Difference
from zeitbild.document.reading import parse_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import FullError, InputError, ZeitbildError
from zeitbild.farm import write_files, write_sequence
from zeitbild.farm.mark import Marks
from zeitbild.handoff import (
    Delivered,
    FileRecord,
    Order,
    Packed,
    Part,
    Proofs,
    Recipe,
    pack,
    packed_forms,
    proofs_of,
    recipes,
)
from zeitbild.masters import MasterStore
from zeitbild.paths import assets_folder, masters_folder
from zeitbild.render.picture import Picture
from zeitbild.resolve import reach_of
from zeitbild.sources import Masters, rendered_layers
from zeitbild.storage import own_prefix
from zeitbild.timing import write_frames
from zeitbild_server.writing import writing

log = logging.getLogger("zeitbild.worker")
#: Seconds after which the pace of a hand-off is taken.
_SETTLED = 2.0
#: What is written at once: some layers of a frame.
_Place = tuple[tuple[str, ...], int]


def claim_handoff(worker: str) -> HandOff | None:
    """Take the oldest hand-off that is free and whose run has ended; one that was stopped may go on."""
    there = HandOff.objects.filter(shot__deleted_at=None, shot__project__deleted_at=None)
    return claim(there.exclude(run__state__in=(Run.State.WAITING, Run.State.RUNNING, Run.State.STOPPED)), worker)


def _layers(handoff: HandOff) -> list[str]:
    names: list[str] = handoff.layers or handoff.run.layers
    return names


def places_of(run: Run, names: Sequence[str], recipe: Recipe, frames: Sequence[int]) -> dict[_Place, Masters]:
    """What is written of layers and frames of a run in a form, and the masters that were proofed; InputError if some are not rendered."""
    cells = run.cells.filter(state__in=FINISHED, layer__in=names).order_by("frame")
    by_frame: dict[int, dict[str, tuple[str, str, Any]]] = {}
    wanted = set(frames)
    for layer, frame, key, parts in cells.values_list("layer", "frame", "key", "parts").iterator():
        if frame not in wanted:
            continue
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


def _gone(own: dict[int, Masters], worker: ActiveWorker) -> Iterator[int]:
    """Frames of a layer of which a master is not there any more."""
    store = MasterStore(masters_folder())
    for frame, masters in own.items():
        if not worker.goes_on():
            return
        if not all(store.reuse(key, dict(ends)) for _, key, ends in masters):
            yield frame


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


#: Places that are written by one task, and the number of the form.
_Task = tuple[int, tuple[_Place, ...]]


def tasks_of(
    number: int,
    document: str,
    recipe: Recipe,
    places: dict[_Place, Masters],
    common: tuple[Any, ...],
    frames: Sequence[int],
    marks: Marks[_Task] | None = None,
) -> list[tuple[_Task, tuple[Any, ...]]]:
    """What is to be done for a form: frame by frame, or all frames of some layers at once if a file holds them; these have a mark. frames
    are all that are handed off."""
    if not recipe.format.container:
        every = write_frames(frames)
        return [
            ((number, (place,)), (document, place[1], every, masters, *common)) for place, masters in places.items()
        ]
    together: dict[tuple[str, ...], list[_Place]] = {}
    for place in places:
        together.setdefault(place[0] if recipe.sharing != "frame" else (), []).append(place)
    tasks = []
    for own in together.values():
        task = number, tuple(own)
        # The mark is the last of what ``write_sequence`` takes.
        marked = () if marks is None else (marks.of(task),)
        tasks.append((task, (document, tuple((place[1], places[place]) for place in own), *common, *marked)))
    return tasks


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


class _Progress:
    """What is written of each form, told to everybody now and then."""

    def __init__(self, handoff: HandOff, worker: ActiveWorker, marks: Marks[_Task]) -> None:
        self._handoff, self._worker, self._marks = handoff, worker, marks
        self._began = time.monotonic()
        self._paced = False
        self.parts = handoff.parts
        # As far as an earlier worker came; those files are only checked again.
        self._most = sum(one.count for one in self.parts)
        self._frames: list[dict[str, list[int]]] = [{} for _ in self.parts]
        self.records: list[list[FileRecord]] = [[] for _ in self.parts]
        self.places = 0
        self._reported = 0.0

    def add(self, number: int, places: tuple[_Place, ...], records: list[FileRecord]) -> None:
        """Files of some places of a form are written and read back."""
        self._marks.end((number, places))
        self.records[number].extend(records)
        self.places += len(places)
        for own, at in places:
            for layer in own:
                self._frames[number].setdefault(layer, []).append(at)

    def settle(self) -> None:
        """Put into the forms what is known of them."""
        begun = [0.0] * len(self.parts)
        for (number, places), share in self._marks.shares():
            begun[number] += share * len(places)
        for one, frames, records, share in zip(self.parts, self._frames, self.records, begun, strict=True):
            one.begun = share
            one.written = _frame_sets(frames)
            one.files, one.bytes = len(records), sum(record.bytes for record in records)
            one.worst = max((record.worst for record in records), default=0.0)
            if recipes.get(one.recipe).format.container:
                one.shown = [record.path for record in records if Path(record.path).suffix in SHOWN]

    def report(self, *, at_once: bool = False) -> None:
        """Tell it, but not too often."""
        if time.monotonic() - self._reported <= PULSE / 2 and not at_once:
            return
        self._reported = time.monotonic()
        self.settle()
        with writing():
            if holds(self._handoff, self._worker.name):
                self._handoff.keep(self.parts)
                HandOff.objects.filter(id=self._handoff.id).update(forms=self._handoff.forms, **self._pace())
                count = sum(one.count for one in self.parts)
                if count > self._most:
                    self._most = count
                    note_progress(self._handoff)

    def _pace(self) -> dict[str, Any]:
        """Once something is done, from when on the time left is told: processes that start, and files that stood already, say nothing."""
        if self._paced or not self._handoff.share or time.monotonic() - self._began < _SETTLED:
            return {}
        self._paced = True
        return {"began_at": timezone.now(), "began_with": self._handoff.share}


def work_handoff(handoff: HandOff, worker: ActiveWorker) -> None:
    """Write all files of a claimed hand-off, each read back from disk, and pack them with their manifests."""
    with tempfile.TemporaryDirectory(prefix=own_prefix()) as marks:
        _work(handoff, worker, Marks(Path(marks)))


def _work(handoff: HandOff, worker: ActiveWorker, marks: Marks[_Task]) -> None:
    run, folder = handoff.run, version_folder(handoff)
    shot = parse_shot(run.document)
    HandOff.objects.filter(id=handoff.id).update(began_at=None)
    progress = _Progress(handoff, worker, marks)
    # Those that go frame by frame, and those whose files hold all frames.
    tasks: dict[bool, list[tuple[_Task, tuple[Any, ...]]]] = {False: [], True: []}
    total = 0
    # All forms take the same masters.
    source = _masters_of(handoff)
    gone: list[_Place] = [((layer,), frame) for layer, own in source.items() for frame in _gone(own, worker)]
    for number, form in enumerate(progress.parts):
        recipe = recipes.get(form.recipe)
        places = places_of(run, _layers(handoff), recipe, handoff.frames)
        total += len(places)
        chosen = tuple(sorted(form.options.items())), tuple(_layers(handoff)), tuple(form.passes)
        common = (recipe.name, *chosen, handoff.version, assets_folder(), masters_folder(), folder / form.folder)
        tasks[recipe.format.container] += tasks_of(number, run.document, recipe, places, common, handoff.frames, marks)
    # Forms take the masters of a frame one after another, while they are at hand.
    tasks[False].sort(key=lambda task: task[0][1][0][1])
    functions: dict[bool, Callable[..., list[FileRecord]]] = {False: write_files, True: write_sequence}
    for container in (False, True) if not gone else ():
        for outcome in worker.pool.run(functions[container], tasks[container], worker.goes_on, pulse=PULSE / 2):
            if not worker.goes_on():
                marks.stop()
            if outcome is not None and outcome.stopped:
                continue
            if outcome is not None and outcome.gone:
                gone.extend(outcome.task[1])
            elif outcome is not None and outcome.result is None:
                number, own = outcome.task
                kind = FullError if outcome.full else ZeitbildError
                where = write_frames(sorted({at for _, at in own}))
                ahead = f"{progress.parts[number].recipe}, " if len(progress.parts) > 1 else ""
                raise kind(f"{ahead}frame {where} of {', '.join(own[0][0])}: {outcome.error}")
            elif outcome is not None and outcome.result is not None:
                progress.add(*outcome.task, outcome.result)
            progress.report()
    if gone:
        _render_again(handoff, worker, gone)
        return
    if progress.places < total or not worker.goes_on():
        # Stopped, put away, or the worker ends: files that stand are kept, and the next one goes on from there.
        progress.report(at_once=True)
        _give_back(handoff, worker)
        return
    progress.settle()
    packed = _packed(handoff, shot, progress, source)
    size = pack(folder, package_path(handoff), packed.beside, packed.files)
    with writing():
        if not holds(handoff, worker.name):
            return
        handoff.keep(progress.parts)
        HandOff.objects.filter(id=handoff.id).update(files=len(packed.files), bytes=size, forms=handoff.forms)
        handoff.refresh_from_db()
        give_back(handoff, worker.name, HandOff.State.DONE)
    log.info("hand-off %s: %s files", handoff.id, len(packed.files))


def _give_back(handoff: HandOff, worker: ActiveWorker) -> None:
    """Leave the rest to whoever claims it next, or, if a stop was asked, to whoever lets it go on."""
    with writing():
        asked = HandOff.objects.filter(id=handoff.id, stop_asked=True).exists()
        give_back(handoff, worker.name, HandOff.State.STOPPED if asked else HandOff.State.WAITING)
        if asked:
            HandOff.objects.filter(id=handoff.id).update(stop_asked=False)


def _packed(handoff: HandOff, shot: Shot, progress: _Progress, source: dict[str, dict[int, Masters]]) -> Packed:
    """What goes into the package beside the files that were written, and the checksums of these."""
    assets = AssetFolder(assets_folder())
    reach = reach_of(shot, assets)
    parts = []
    for form, records in zip(progress.parts, progress.records, strict=True):
        recipe = recipes.get(form.recipe)
        order = Order(recipe, handoff.version, reach, recipe.chosen(form.options), assets)
        parts.append(Part(order, form.folder, records))
    what = Delivered(
        [layer for layer in shot.layers if layer.name in _layers(handoff)],
        sorted({frame for own in source.values() for frame in own}),
        handoff.run.quality,
        handoff.made_at.isoformat(timespec="seconds"),
        _proofs(handoff),
    )
    return packed_forms(shot, parts, what, version_folder(handoff), lambda layer, frame: _picture(source, layer, frame))


def _masters_of(handoff: HandOff) -> dict[str, dict[int, Masters]]:
    """The masters of each layer, by frame."""
    found: dict[str, dict[int, Masters]] = {}
    for (layers, frame), masters in places_of(
        handoff.run, _layers(handoff), recipes.get("png8"), handoff.frames
    ).items():
        found.setdefault(layers[0], {})[frame] = masters
    return found


def _picture(source: dict[str, dict[int, Masters]], layer: str, frame: int) -> Picture:
    """A master as it was proofed."""
    store = MasterStore(masters_folder())
    return rendered_layers(store, [(frame, source[layer][frame])])[layer].picture(frame)
