"""A hand-off without server or database: a document is rendered and written in one form or several, and packed if asked for."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from zeitbild.assets import AssetFolder
from zeitbild.differences import Difference
from zeitbild.document.layers import Layer
from zeitbild.document.reading import write_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import InputError, ZeitbildError
from zeitbild.farm import FramePool, Made, frames_with, make_frame, write_sequence
from zeitbild.handoff import (
    Delivered,
    FileRecord,
    Order,
    Part,
    Recipe,
    folders_of,
    pack,
    packed_forms,
    proofs_of,
    recipes,
    settle,
    write_sound,
)
from zeitbild.masters import MasterStore
from zeitbild.render import Picture
from zeitbild.resolve import reach_of
from zeitbild.sources import Masters, rendered_layers
from zeitbild.timing import write_frames


@dataclass(frozen=True, slots=True)
class Form:
    """A recipe with what was chosen of its options, the folder of its files (empty: the top), and the passes that it gets (none: those of
    each layer)."""

    recipe: Recipe
    options: tuple[tuple[str, str], ...]
    folder: str
    passes: tuple[str, ...] = ()


def forms_of(names: Sequence[str], options: Sequence[str], passes: Sequence[str] = ()) -> list[Form]:
    """Forms by the names of their recipes. Options read NAME=VALUE, for each of them that has it, or RECIPE:NAME=VALUE; InputError at one
    that is of no form. Passes read NAME, for each that has none of its own, or RECIPE:NAME; InputError where a form is left without any
    that others have. Each has a folder of its own if there are several."""
    chosen = [recipes.get(name) for name in names]
    own: list[dict[str, str]] = [{} for _ in chosen]
    for text in options:
        ahead, equals, value = text.partition("=")
        if not equals:
            raise InputError(f"{text!r} says no value; write NAME=VALUE", "option")
        recipe, _, name = ahead.rpartition(":")
        takes = [
            at
            for at, one in enumerate(chosen)
            if recipe in ("", one.name) and name in {option.name for option in one.options}
        ]
        if not takes:
            # A recipe says what it has.
            next((one for one in chosen if one.name == recipe), chosen[0]).chosen({name: value})
            raise InputError(f"{text!r} is an option of none of {', '.join(names)}", "option")
        for at in takes:
            own[at][name] = value
    folders, got = folders_of([one.name for one in chosen]), _passes_of(names, passes)
    return [
        Form(one, tuple(has.items()), folder, got[one.name])
        for one, has, folder in zip(chosen, own, folders, strict=True)
    ]


def _passes_of(names: Sequence[str], passes: Sequence[str]) -> dict[str, tuple[str, ...]]:
    """The passes of each recipe."""
    shared: dict[str, None] = {}
    own: dict[str, dict[str, None]] = {name: {} for name in names}
    for text in passes:
        recipe, _, name = text.partition(":")
        if recipe in own and name:
            own[recipe][name] = None
        elif name and recipe in recipes:
            raise InputError(f"{text!r} is a pass of none of {', '.join(names)}", "pass")
        else:
            shared[text] = None
    got = {name: tuple(few or shared) for name, few in own.items()}
    without = [name for name, few in got.items() if not few]
    if without and any(got.values()):
        raise InputError(f"{without[0]} gets no pass; name some for it ({without[0]}:NAME) or for all (NAME)", "pass")
    return got


@dataclass(frozen=True, slots=True)
class Delivery:
    """What is rendered and written: of a shot, those layers and frames, in those forms. The shot's layers have all passes that a form gets."""

    shot: Shot
    layers: Sequence[Layer]
    frames: tuple[int, ...]
    quality: str
    forms: Sequence[Form]
    version: int
    assets: Path
    masters: Path
    out: Path
    packed: bool = False

    @property
    def folder(self) -> Path:
        """Where the files go: a folder of this version alone if they are packed."""
        return self.out / self.name if self.packed else self.out

    @property
    def package(self) -> Path:
        """The ZIP of a delivery that is packed."""
        return self.out / f"{self.name}.zip"

    @property
    def name(self) -> str:
        """What its package is called."""
        return f"{self.shot.shot}_v{self.version:03}"

    def check(self) -> tuple[str, ...]:
        """Hints about names; InputError if a form cannot hold what is asked, or the version is packed already."""
        hints: dict[str, None] = {}
        for form in self.forms:
            layers = [one.name for one in self.layers]
            options = dict(form.options)
            _, own = settle(self.shot, form.recipe, options, layers, form.passes, self.frames, self.version)
            hints |= dict.fromkeys(own)
        if self.packed and self.package.exists():
            raise InputError(f"{self.package} is there already and is never touched; give another number", "version")
        return tuple(hints)


@dataclass(slots=True)
class Progress:
    """How far a delivery is: frames, and files of all frames after them."""

    total: int
    done: int = 0
    failed: int = 0
    files: int = 0
    began: float = field(default_factory=time.monotonic)
    #: What went wrong since the last look.
    errors: list[str] = field(default_factory=list)

    @property
    def ended(self) -> int:
        """Of those in total how many are done or have failed."""
        return self.done + self.failed

    @property
    def left(self) -> float:
        """Seconds that the rest takes at this pace."""
        return (time.monotonic() - self.began) / max(self.ended, 1) * (self.total - self.ended)


def deliver(delivery: Delivery, workers: int) -> Iterator[Progress]:
    """Render and write all of a delivery with so many processes, every file read back; progress after each step. Frames of one set are rendered
    together, and their files are written by the process that rendered them while others render."""
    document = write_shot(delivery.shot)
    names = tuple(layer.name for layer in delivery.layers)
    by_frame = [form for form in delivery.forms if not form.recipe.format.container]
    whole = [form for form in delivery.forms if form.recipe.format.container]
    records: dict[str, list[FileRecord]] = {form.folder: [] for form in delivery.forms}
    stores = delivery.assets, delivery.masters
    every = write_frames(delivery.frames)

    def told(form: Form) -> tuple[Any, ...]:
        chosen = (form.recipe.name, form.options, names, form.passes)
        return (*chosen, delivery.version, *stores, delivery.folder / form.folder)

    tasks = [
        (
            ("+".join(own), frame),
            (document, frame, every, own, delivery.quality, delivery.packed, tuple(map(told, by_frame)), *stores),
        )
        for frame, own in frames_with(document, names, delivery.frames).items()
    ]
    progress = Progress(len(tasks) + len(whole))
    made: dict[int, Made] = {}
    with FramePool(min(workers, max(len(tasks), 1))) as pool:
        for outcome in pool.run(make_frame, tasks):
            if outcome is None:
                continue
            layers, frame = outcome.task
            if outcome.result is None:
                progress.failed += 1
                progress.errors.append(f"frame {frame} of {layers}: {outcome.error}")
            else:
                made[frame] = outcome.result
                progress.done += 1
                for form, own_records in zip(by_frame, outcome.result.records, strict=True):
                    records[form.folder] += own_records
                    progress.files += len(own_records)
            yield progress
            progress.errors.clear()
        cells = tuple((frame, one.cells) for frame, one in sorted(made.items()))
        if progress.failed:
            # A file of all frames would lack some.
            progress.failed += len(whole)
        else:
            sequences = [(form.folder, (document, cells, *told(form))) for form in whole]
            for written in pool.run(write_sequence, sequences):
                if written is None:
                    continue
                if written.result is None:
                    progress.failed += 1
                    progress.errors.append(f"{written.task or delivery.forms[0].recipe.name}: {written.error}")
                else:
                    progress.done += 1
                    records[written.task] += written.result
                    progress.files += len(written.result)
                yield progress
                progress.errors.clear()
    if not progress.failed:
        if delivery.packed:
            progress.files = _packed(delivery, records, made)
        else:
            assets = AssetFolder(delivery.assets)
            sounds = (
                write_sound(delivery.shot, delivery.frames, delivery.version, delivery.folder / one.folder, assets)
                for one in delivery.forms
            )
            progress.files += sum(sound is not None for sound in sounds)
    yield progress


def _packed(delivery: Delivery, records: Mapping[str, Sequence[FileRecord]], made: Mapping[int, Made]) -> int:
    """Write what stands beside the files, and the ZIP; gives how many files are in it."""
    assets = AssetFolder(delivery.assets)
    reach = reach_of(delivery.shot, assets)
    parts = [
        Part(
            Order(form.recipe, delivery.version, reach, form.recipe.chosen(dict(form.options)), assets),
            form.folder,
            sorted(records[form.folder], key=lambda record: record.path),
        )
        for form in delivery.forms
    ]
    sums = [(layer, frame, off) for frame, one in made.items() for layer, off in one.sums.items()]
    rejoins: list[tuple[tuple[str, ...], int, Difference]] = [
        (one.layers, frame, one.off) for frame, frame_made in made.items() for one in frame_made.rejoins
    ]
    created = datetime.now(UTC).isoformat(timespec="seconds")
    what = Delivered(delivery.layers, sorted(made), delivery.quality, created, proofs_of(sums, rejoins))
    packed = packed_forms(
        delivery.shot, parts, what, delivery.folder, _look(delivery, {at: one.cells for at, one in made.items()})
    )
    pack(delivery.folder, delivery.package, packed.beside, packed.files)
    return len(packed.files)


def _look(delivery: Delivery, cells: Mapping[int, Masters]) -> Callable[[str, int], Picture]:
    store = MasterStore(delivery.masters)

    def look(layer: str, frame: int) -> Picture:
        own = rendered_layers(store, [(frame, cells[frame])])
        if layer not in own:
            raise ZeitbildError(f"the layer {layer} has no frame {frame}")
        return own[layer].picture(frame)

    return look
