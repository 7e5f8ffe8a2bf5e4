"""Pictures of one or more layers to files, of a frame or of all of them, each read back from disk."""

from __future__ import annotations

import contextlib
import hashlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np
from numba import get_num_threads
from numpy.typing import NDArray

from zeitbild.colour.highlights import for_straight
from zeitbild.colour.transfer import TRANSFERS
from zeitbild.document.shot import Shot
from zeitbild.errors import InputError, StoppedError, StorageError
from zeitbild.formats import Format, Options, Plane, ReadBack, beside, finish_names, while_packing
from zeitbild.handoff.conforming import Conforming
from zeitbild.handoff.recipes import Recipe
from zeitbild.handoff.sound import SoundInside
from zeitbild.kernels import set_threads
from zeitbild.naming import Sequenced, Wanted, code_of
from zeitbild.naming.plan import file_name
from zeitbild.render.data_rows import SHARE
from zeitbild.render.passes import Pass, pass_named
from zeitbild.render.picture import Picture
from zeitbild.shipped import AssetSource
from zeitbild.snapshot.reach import Reach
from zeitbild.sources import Source
from zeitbild.storage import write_new, write_new_with


@dataclass(frozen=True, slots=True)
class PlaneRecord:
    """What reading a file back found of one pass in it.

    beyond and clipped count its pixels that had more light than their alpha holds, and more than white. closeup is that of its worst frame
    (``Loss``), which is nowhere kept.
    """

    layer: str
    pass_name: str
    bits: int
    worst: float
    allowed: float
    beyond: int = 0
    clipped: int = 0
    #: Of what loses something: levels of 255 in the mean, and of alpha at worst.
    mean: float | None = None
    alpha: float | None = None
    closeup: NDArray[np.uint8] | None = field(default=None, repr=False, compare=False)

    def and_also(self, before: PlaneRecord | None) -> PlaneRecord:
        """The same pass at this frame and at those before it."""
        if before is None:
            return self
        beyond, clipped = self.beyond + before.beyond, self.clipped + before.clipped
        mean = None if self.mean is None or before.mean is None else max(self.mean, before.mean)
        alpha = None if self.alpha is None or before.alpha is None else max(self.alpha, before.alpha)
        worst = max(self.worst, before.worst)
        closeup = self.closeup if self.worst >= before.worst else before.closeup
        return replace(self, worst=worst, beyond=beyond, clipped=clipped, mean=mean, alpha=alpha, closeup=closeup)


@dataclass(frozen=True, slots=True)
class FileRecord:
    """A written file: relative path, its frames, its checksum, and what reading back found of every pass that it holds. number is the
    one in its name, if that is not the frame's."""

    path: str
    frames: tuple[int, ...]
    bytes: int
    sha256: str
    written: bool
    planes: tuple[PlaneRecord, ...]
    number: int | None = None

    @property
    def worst(self) -> float:
        """The largest difference of any of its passes."""
        return max((plane.worst for plane in self.planes), default=0.0)

    def as_dict(self) -> dict[str, Any]:
        """Plain values for JSON."""
        planes = tuple(replace(plane, closeup=None) for plane in self.planes)
        found = asdict(replace(self, planes=planes))
        for plane in found["planes"]:
            del plane["closeup"]
        return found


@dataclass(frozen=True, slots=True)
class Order:
    """What is written: a recipe with all its options, the version, and how far numbers of data reach."""

    recipe: Recipe
    version: int
    reach: Reach
    options: Options
    #: Where sounds are, for files with sound inside.
    assets: AssetSource | None = None

    @property
    def alpha(self) -> str:
        """How colour relates to alpha in the files: straight, premultiplied, hard or none."""
        alpha = self.recipe.format.alpha
        if alpha == "hard" and self.conforming.ground is not None:
            return "none"
        return self.options.get("alpha", alpha)

    @property
    def colour(self) -> str:
        """How light is encoded in the files."""
        name = self.options.get("transfer")
        return TRANSFERS[name].title if name else self.recipe.format.colour

    @property
    def conforming(self) -> Conforming:
        """What becomes of pictures on their way."""
        return Conforming.of(self.options)


def passes_in(shot: Shot, layer: str, names: Sequence[str]) -> list[Pass]:
    """Passes of a layer by their names; InputError names the layer's field."""
    found = []
    for at, name in enumerate(names):
        try:
            found.append(pass_named(name, shot.light_groups, shot.names))
        except InputError as error:
            number = [one.name for one in shot.layers].index(layer)
            raise InputError(error.message, f"layers.{number}.passes.{at}") from None
    return found


def check_carried(form: Format, layers: Mapping[str, Sequence[Pass]]) -> None:
    """InputError if a format cannot hold one of the passes, with what to do."""
    for layer, chosen in layers.items():
        for one in chosen:
            if not form.carries(one.role):
                raise InputError(
                    f"{form.title} cannot hold {one.title} (of {layer}); choose OpenEXR, or leave that pass out",
                    "recipe",
                )


@dataclass(frozen=True, slots=True, eq=False)
class _Ready:
    """A picture made ready for a format, and how many of its pixels did not fit. If it is laid, its beauty lies over the ground."""

    picture: Picture
    beyond: int = 0
    clipped: int = 0
    laid: bool = False


def _ready(shot: Shot, picture: Picture, order: Order, passes: Sequence[str]) -> _Ready:
    form, conforming = order.recipe.format, order.conforming
    if not form.overscan:
        picture = picture.inside()
    if not form.ends_at_white:
        return _Ready(picture)
    # What is only looked at is laid over its ground on the way.
    height, width = picture.beauty.shape[:2]
    own_size = conforming.raster(width, height) == (width, height)
    ground = conforming.ground if own_size and list(passes) == ["beauty"] else None
    # Beauty and matte alike, so that the alpha of both is one.
    held = for_straight(picture.beauty, picture.covered, shot.sampling.highlights, shot.sampling.beyond_alpha, ground)
    return _Ready(replace(picture, beauty=held.pixels), held.beyond, held.clipped, ground is not None)


def plane_of(
    shot: Shot, layer: str, one: Pass, ready: Picture, order: Order, frame: int, *, laid: bool = False
) -> tuple[Plane, int]:
    """A pass of a picture (made ready for the format, perhaps laid over its ground) on its way into a file, and how many of its pixels are
    clipped at white."""
    pixels, clipped = one.extract(ready), 0
    if one.role == "light" and order.recipe.format.ends_at_white:
        # Parts of light are never rolled off: their sum would not be beauty.
        held = for_straight(pixels, None, "clipped", "clipped")
        pixels, clipped = held.pixels, held.clipped
    ids: tuple[str, ...] = ()
    if one.role == "identity":
        ids = tuple(name for _, name, _ in ready.names) if "element" in one.name else finish_names(ready.names)
    conforming = order.conforming
    plane = Plane(
        one.role,
        pixels,
        name="beauty" if one.name == "beauty" else code_of(shot, one.name),
        layer=layer,
        channels=one.channels,
        spread=tuple(one.spread(order.reach)) if one.spread is not None else (),
        there=ready.data[..., SHARE] > 0 if one.role == "data" and ready.data is not None else None,
        ids=ids,
        rate=conforming.rate or shot.timing.fraction,
        frame=frame,
        margin=ready.margin,
    )
    plane = conforming.apply(plane)
    return (plane if laid else conforming.laid(plane)), clipped


@dataclass(frozen=True, slots=True, eq=False)
class _Held:
    """What a file holds of a frame: planes, the (layer, pass) of each, and how many of its pixels did not fit (beyond alpha, white)."""

    planes: list[Plane]
    names: list[tuple[str, str]]
    counts: list[tuple[int, int]]


def _held(
    shot: Shot,
    holds: Sequence[tuple[str, str]],
    frame: int,
    sources: Mapping[str, Source],
    order: Order,
    number: int | None = None,
) -> _Held:
    ready: dict[str, _Ready] = {}
    held = _Held([], [], [])
    for layer, name in holds:
        if layer not in ready:
            passes = [name for other, name in holds if other == layer]
            ready[layer] = _ready(shot, sources[layer].picture(frame), order, passes)
        own = ready[layer]
        (which,) = passes_in(shot, layer, [name])
        at = frame if number is None else number
        plane, clipped = plane_of(shot, layer, which, own.picture, order, at, laid=own.laid)
        held.planes.append(plane)
        held.names.append((layer, name))
        held.counts.append((own.beyond, own.clipped) if name == "beauty" else (0, clipped))
    return held


def _one_ahead(make: Callable[[int], list[Plane]], count: int) -> Iterator[list[Plane]]:
    """What is made of 0, 1, 2 and so on; the next is made while this one is written or compared."""
    if count == 1:
        yield make(0)
        return
    # As many threads for kernels as this one has.
    with ThreadPoolExecutor(1, initializer=set_threads, initargs=(get_num_threads(),)) as pool:
        coming = pool.submit(make, 0)
        for number in range(count):
            own = coming.result()
            if number + 1 < count:
                coming = pool.submit(make, number + 1)
            yield own


def _is_heard(one: Sequenced) -> bool:
    """Whether a file is one that is looked at and heard: of beauty, not of its parts."""
    return any(name == "beauty" for _, name in one.holds)


def _how_far(found: ReadBack) -> str:
    loss = found.loss
    if loss is not None:
        return (
            f"off by {loss.mean:.3g} of 255 in the mean where {loss.mean_allowed:.3g} is allowed, at worst {loss.worst:.3g} "
            f"({loss.worst_allowed:.3g}), alpha {loss.alpha:.3g} ({loss.alpha_allowed:.3g})"
        )
    return f"off by {found.worst:.3g} where {found.allowed:.3g} is allowed, {found.stray} pixels with colour under zero alpha"


def _to_nobody(share: float) -> None:
    pass


def write_file(
    shot: Shot,
    one: Sequenced,
    frames: Sequence[int],
    sources: Mapping[str, Source],
    order: Order,
    folder: Path,
    told: Callable[[float], None] = _to_nobody,
    number: int | None = None,
) -> list[FileRecord]:
    """Write one file of a sequence below ``folder``, of one frame or of all that it holds, from the sources of its layers, and read it
    back from disk; gives it and what stands beside it. ``told`` hears how much of that (0..1) is done, and may end it by an error. A file
    of one frame may have another ``number`` than it.

    StorageError if it cannot be written, stands there with other content, or does not hold what it should.
    """
    form, recipe = order.recipe.format, order.recipe
    rule = Wanted(sharing=recipe.sharing, container=form.container).rule_of(shot)
    relative = file_name(
        rule, shot, one.layer, one.pass_code, order.version, frames[0] if number is None else number, form.extension
    )
    path = folder / relative
    conforming = order.conforming
    # What is shown one after another, of which some may be dropped or repeated.
    shown = conforming.frames(frames, shot.timing.fraction) if form.container else list(frames)
    sound = SoundInside.of(shot, frames, conforming.rate, order.assets) if form.hears and _is_heard(one) else None
    # A layer that does not have a frame is not in its file.
    there = {layer: frozenset(source.frames) for layer, source in sources.items()}
    # Of a file of one frame nothing is worked out twice; of others the one before is still needed when the next is made.
    last: dict[int, _Held] = {}

    def held_at(frame: int) -> _Held:
        if frame not in last:
            while len(last) > 1:
                last.pop(next(iter(last)))
            holds = [held for held in one.holds if frame in there.get(held[0], ())]
            last[frame] = _held(shot, holds, frame, sources, order, number)
        return last[frame]

    def planes_at(at: int) -> list[Plane]:
        planes = held_at(shown[at]).planes
        return planes if sound is None else [replace(plane, sound=sound.at(at)) for plane in planes]

    def fill(place: Path) -> None:
        writer = form.open(place, recipe.sharing, order.options)
        while_packing(writer, lambda: told(0.5))
        try:
            for at, planes in enumerate(_one_ahead(planes_at, len(shown))):
                writer.add(planes)
                told((at + 1) / len(shown) / 2)
        except BaseException:
            # Whatever it says of half a file, what matters is why there is no more of it.
            with contextlib.suppress(Exception):
                writer.close()
            raise
        writer.close()
        beside_it.update(beside(writer))

    beside_it: dict[str, bytes] = {}
    written = write_new_with(path, fill)
    others = [path.with_suffix(f".{ending}") for ending in beside_it]
    for other, data in zip(others, beside_it.values(), strict=True):
        write_new(other, data)
    # Of each plane what was found: bits, difference and what is allowed, pixels beyond alpha and white.
    found: dict[tuple[str, str], PlaneRecord] = {}
    try:
        backs = form.read_back(path, _one_ahead(planes_at, len(shown)), recipe.sharing, order.options)
        for at, (frame, back) in enumerate(zip(shown, backs, strict=True)):
            told((at / len(shown) + 1) / 2)
            held = held_at(frame)
            for (layer, name), plane, (beyond, clipped) in zip(held.names, back, held.counts, strict=True):
                if not plane.holds:
                    raise StorageError(
                        f"{relative} does not hold what was rendered ({name} of {layer}, frame {frame}): {_how_far(plane)}"
                    )
                loss = plane.loss
                lost = (None, None) if loss is None else (round(loss.mean, 4), round(loss.alpha, 4))
                own = PlaneRecord(layer, name, plane.bits, round(plane.worst, 6), plane.allowed, beyond, clipped, *lost)
                own = replace(own, closeup=None if loss is None else loss.closeup)
                found[layer, name] = own.and_also(found.get((layer, name)))
    except (StorageError, StoppedError):
        # What was written just now and is wrong, or was not looked at, must not stand in the way of another try.
        if written:
            for place in (path, *others):
                place.unlink(missing_ok=True)
        raise
    with path.open("rb") as file:
        digest = hashlib.file_digest(file, "sha256").hexdigest()
    record = FileRecord(relative, tuple(frames), path.stat().st_size, digest, written, tuple(found.values()), number)
    return [record, *(_beside(record, ending, data) for ending, data in beside_it.items())]


def _beside(own: FileRecord, ending: str, data: bytes) -> FileRecord:
    """A file that stands beside another one under another ending."""
    path = PurePosixPath(own.path).with_suffix(f".{ending}")
    return FileRecord(str(path), own.frames, len(data), hashlib.sha256(data).hexdigest(), own.written, (), own.number)
