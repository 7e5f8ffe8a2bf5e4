"""The work on the cells of a frame, as plain functions that any process can run."""

from __future__ import annotations

import json
import os
import socket
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

from zeitbild.assets import AssetFolder
from zeitbild.differences import Difference, difference
from zeitbild.document.layers import Layer
from zeitbild.document.reading import parse_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import FullError, GoneError, ZeitbildError
from zeitbild.farm.mark import Mark
from zeitbild.farm.pool import NO_MEMORY
from zeitbild.handoff.recipes import Recipe, recipes
from zeitbild.handoff.writing import FileRecord, Order, passes_in, write_file
from zeitbild.masters import MasterStore, ends_of, frame_key
from zeitbild.naming import Wanted, sequences
from zeitbild.proof.adding_up import groups_of, rejoined
from zeitbild.render import QUALITIES, render_together
from zeitbild.render.data_rows import DATA
from zeitbild.render.passes import Bundle
from zeitbild.render.shade.shading import PLANES
from zeitbild.render.visible.identity import SLOTS
from zeitbild.resolve import reach_of, resolve, resolve_as, whole_of
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.reach import Reach
from zeitbild.sources import Masters, RenderedLayer, rendered_layers
from zeitbild.storage import write_bytes
from zeitbild.timing import parse_frames

F = TypeVar("F", bound=Callable[..., Any])


@dataclass(frozen=True, slots=True)
class CellResult:
    """A rendered cell: its master's key, the ends of its bundles' names and their size, the seconds it took, and whether it was
    there already; or why there is none. sums is how far its passes of light are from beauty, if it has them."""

    frame: int
    key: str = ""
    ends: dict[Bundle, str] = field(default_factory=dict)
    bytes: int = 0
    seconds: float = 0.0
    reused: bool = False
    error: str = ""
    #: There was no room for it: it is rendered again when there is.
    full: bool = False
    #: Machine and process that made it.
    where: str = ""
    sums: Difference | None = None


@dataclass(frozen=True, slots=True)
class Rejoin:
    """How far layers, laid over one another, are from the picture of the whole set."""

    layers: tuple[str, ...]
    off: Difference


@dataclass(frozen=True, slots=True)
class FrameResult:
    """What became of the cells of a frame, by layer, and how its layers rejoin."""

    cells: dict[str, CellResult]
    rejoins: tuple[Rejoin, ...] = ()


@lru_cache(maxsize=8)
def _shot(document: str) -> Shot:
    return parse_shot(document)


@lru_cache(maxsize=8)
def _reach(document: str, assets: Path) -> Reach:
    return reach_of(_shot(document), AssetFolder(assets))


def _layer(shot: Shot, name: str) -> Layer:
    return shot.layer(name) if name else shot.layers_on[0]


def _bundles(shot: Shot, layer: Layer) -> dict[Bundle, None]:
    """Bundles that the passes of a layer come from."""
    return dict.fromkeys(one.bundle for one in passes_in(shot, layer.name, layer.passes))


def cell_key(document: str, frame: int, quality: str, assets: Path, layer: str = "") -> str:
    """Frame key of a cell without rendering it: of a layer, or of the first."""
    shot = _shot(document)
    return frame_key(resolve(shot, frame, AssetFolder(assets), _layer(shot, layer).name), quality)


def cell_is_there(document: str, frame: int, quality: str, assets: Path, masters: Path, layer: str) -> tuple[str, bool]:
    """Frame key of a cell, and whether everything that its passes need is rendered."""
    shot = _shot(document)
    own = _layer(shot, layer)
    snapshot = resolve(shot, frame, AssetFolder(assets), own.name)
    key = frame_key(snapshot, quality)
    return key, MasterStore(masters).has(key, ends_of(snapshot, _bundles(shot, own)))


@dataclass(frozen=True, slots=True)
class _Wanted:
    """A picture that is to be in the store: of which snapshot, with which bundles, under which key."""

    snapshot: Snapshot
    ends: dict[Bundle, str]
    key: str

    @property
    def planes(self) -> bool:
        """Whether more than beauty is wanted."""
        return any(bundle != "beauty" for bundle in self.ends)

    @property
    def set_key(self) -> tuple[str, int]:
        """The same for layers of one set that can be rendered together."""
        drawn = tuple(
            replace(body, role="shown" if body.role == "hold-out" else body.role) for body in self.snapshot.bodies
        )
        return frame_key(replace(self.snapshot, bodies=drawn, backdrop=None), ""), len(drawn)

    @property
    def bytes(self) -> int:
        """What its picture takes in memory, about."""
        numbers = _BARE + (_PARTS + 3 * len(self.snapshot.groups) if self.planes else 0)
        wide = self.snapshot.widened()
        return 4 * numbers * wide.width * wide.height


#: Numbers a pixel of beauty with all that stands beside it, and of its parts.
_BARE, _PARTS = 8, PLANES + DATA + 4 * SLOTS
#: Bytes of pictures that are rendered together, at most.
_TOGETHER = 900 * 1024 * 1024


def _wanted(shot: Shot, frame: int, quality: str, assets: Path, layer: str) -> _Wanted:
    own = _layer(shot, layer)
    snapshot = resolve(shot, frame, AssetFolder(assets), own.name)
    return _Wanted(snapshot, ends_of(snapshot, _bundles(shot, own)), frame_key(snapshot, quality))


def _render(store: MasterStore, wanted: Sequence[_Wanted], quality: str) -> None:
    """Render pictures of one set together, as many as memory is meant for, and keep them."""
    left = list(wanted)
    while left:
        part = [left.pop(0)]
        while left and sum(one.bytes for one in (*part, left[0])) <= _TOGETHER:
            part.append(left.pop(0))
        pictures = render_together([one.snapshot for one in part], QUALITIES[quality], [one.planes for one in part])
        for one, picture in zip(part, pictures, strict=True):
            store.save(one.key, picture, one.ends)


def render_cell(document: str, frame: int, quality: str, assets: Path, masters: Path, layer: str = "") -> CellResult:
    """Render one frame of a layer (the first, if none is named) of a document (JSON text) into the master store, what of it is
    not there yet."""
    started = time.perf_counter()
    store, wanted = MasterStore(masters), _wanted(_shot(document), frame, quality, assets, layer)
    reused = store.reuse(wanted.key, wanted.ends)
    if not reused:
        _render(store, [wanted], quality)
    return _result(store, frame, wanted, reused, time.perf_counter() - started)


def _result(store: MasterStore, frame: int, wanted: _Wanted, reused: bool, seconds: float) -> CellResult:
    size, sums = store.size(wanted.key, wanted.ends), store.sums(wanted.key, wanted.ends)
    return CellResult(frame, wanted.key, wanted.ends, size, seconds, reused, where=_where(), sums=sums)


def _where() -> str:
    return f"{socket.gethostname()[:60]} {os.getpid()}"


def render_layers(
    document: str,
    frame: int,
    quality: str,
    assets: Path,
    masters: Path,
    layers: tuple[str, ...],
    together: tuple[str, ...] = (),
) -> FrameResult:
    """One frame of several layers: those that see the same share a master, and those of one set are rendered together.

    What one layer lacks does not keep the others from being rendered. If all is well, how the layers named ``together`` (these
    and others that are rendered already) rejoin is found out too.
    """
    store, shot = MasterStore(masters), _shot(document)
    results: dict[str, CellResult] = {}
    found: dict[str, _Wanted] = {}
    for layer in layers:
        try:
            found[layer] = _wanted(shot, frame, quality, assets, layer)
        except ZeitbildError as error:
            results[layer] = CellResult(frame, error=str(error))
    proofs = _proofs(store, shot, frame, quality, assets, together) if not results else []
    sets: dict[tuple[str, int], list[tuple[str, _Wanted]]] = {}
    for name, one in [*found.items(), *(("", proof.whole) for proof in proofs if not proof.note.exists())]:
        sets.setdefault(one.set_key, []).append((name, one))
    for members in sets.values():
        results |= _render_set(store, frame, quality, members)
    rejoins: list[Rejoin] = []
    if not any(one.error for one in results.values()):
        try:
            rejoins = [_rejoin(store, shot, proof) for proof in proofs]
        except ZeitbildError:
            # Its cells are good; that they were not proved is told where proofs are.
            rejoins = []
    return FrameResult({layer: results[layer] for layer in layers}, tuple(rejoins))


def _render_set(
    store: MasterStore, frame: int, quality: str, members: Sequence[tuple[str, _Wanted]]
) -> dict[str, CellResult]:
    """What became of layers of one set; what has no name is only rendered."""
    started = time.perf_counter()
    missing: dict[str, _Wanted] = {}
    for _, one in members:
        if not store.reuse(one.key, one.ends):
            # Layers that see the same may want different passes.
            ends = missing[one.key].ends | one.ends if one.key in missing else one.ends
            missing[one.key] = replace(one, ends=ends)
    lacks = CellResult(frame)
    try:
        _render(store, list(missing.values()), quality)
    except FullError as error:
        lacks = CellResult(frame, error=str(error), full=True)
    except ZeitbildError as error:
        lacks = CellResult(frame, error=str(error))
    except MemoryError:
        lacks = CellResult(frame, error=NO_MEMORY)
    seconds = (time.perf_counter() - started) / max(1, len(missing))
    results = {}
    seen: set[str] = set()
    for name, one in members:
        if not name:
            continue
        # Of those that see the same the first one was rendered.
        reused = one.key not in missing or one.key in seen
        seen.add(one.key)
        if (not reused and lacks.error and not store.has(one.key, one.ends)) or (
            reused and not store.has(one.key, one.ends)
        ):
            results[name] = lacks
        else:
            results[name] = _result(store, frame, one, reused, 0.0 if reused else seconds)
    return results


@dataclass(frozen=True, slots=True)
class _Proof:
    """Layers of a frame that should rejoin: their keys, the picture of the whole set, and where what was found out is noted."""

    group: tuple[Layer, ...]
    keys: list[str]
    whole: _Wanted
    note: Path


def _proofs(
    store: MasterStore, shot: Shot, frame: int, quality: str, assets: Path, layers: tuple[str, ...]
) -> list[_Proof]:
    source = AssetFolder(assets)
    found = []
    for group in groups_of(shot, [shot.layer(name) for name in layers], frame):
        snapshot = resolve_as(shot, frame, source, whole_of(group))
        whole = _Wanted(snapshot, {"beauty": ""}, frame_key(snapshot, quality))
        keys = [frame_key(resolve(shot, frame, source, layer.name), quality) for layer in group]
        relations = [layer.model_dump(mode="json", include={"members", "others"}) for layer in group]
        note = store.note(whole.key, json.dumps([keys, relations], sort_keys=True))
        found.append(_Proof(group, keys, whole, note))
    return found


def _rejoin(store: MasterStore, shot: Shot, proof: _Proof) -> Rejoin:
    """How far layers are from the whole, as was noted or is found out now."""
    names = tuple(layer.name for layer in proof.group)
    if proof.note.exists():
        return Rejoin(names, Difference(**json.loads(proof.note.read_text(encoding="utf-8"))))
    pictures = [store.load(key) for key in proof.keys]
    whole = store.load(proof.whole.key)
    off = difference(rejoined(shot, proof.group, pictures), whole.beauty).inside(whole.margin)
    write_bytes(proof.note, json.dumps(asdict(off)).encode())
    return Rejoin(names, off)


def _read_of(cells: Masters, masters: Path) -> list[tuple[Path, Path]]:
    """Files of masters of cells, each with the folder that it lies in."""
    store = MasterStore(masters)
    return [(masters, store.path(key, end)) for _, key, ends in cells for _, end in ends]


def _masters_read(*arguments: Any) -> list[tuple[Path, Path]]:
    """Of ``write_files`` with those arguments the files that it reads, each with the folder that it lies in."""
    return _read_of(arguments[3], arguments[10])


def reads(files: Callable[..., list[tuple[Path, Path]]]) -> Callable[[F], F]:
    """Mark a function of the farm with what it reads, for workers that see none of our folders."""

    def mark(function: F) -> F:
        function.reads = files  # type: ignore[attr-defined]
        return function

    return mark


def _order(document: str, recipe: Recipe, version: int, options: tuple[tuple[str, str], ...], assets: Path) -> Order:
    return Order(recipe, version, _reach(document, assets), recipe.chosen(dict(options)), AssetFolder(assets))


def _sources(
    shot: Shot, wanted: Wanted, masters: Path, cells: Sequence[tuple[int, Masters]]
) -> dict[str, RenderedLayer]:
    """Layers with what is wanted of them, and no more."""
    chosen = [one for layer in wanted.layers_of(shot) for one in passes_in(shot, layer.name, wanted.passes_of(layer))]
    depth = any(one.role == "depth" for one in chosen)
    return rendered_layers(MasterStore(masters), cells, {one.bundle for one in chosen}, depth=depth)


@reads(_masters_read)
def write_files(
    document: str,
    frame: int,
    frames: str,
    cells: Masters,
    recipe: str,
    options: tuple[tuple[str, str], ...],
    layers: tuple[str, ...],
    passes: tuple[str, ...],
    version: int,
    assets: Path,
    masters: Path,
    folder: Path,
) -> list[FileRecord]:
    """Files of a frame from the masters of its cells, each read back: those sequences of the layers and passes named (none: all)
    that these cells hold. frames is the set that is handed off: at another rate than the shot's it tells under which numbers this one is
    written: none if it is dropped, several if it is repeated.

    GoneError if a master is not there or cannot be read: nothing is rendered here.
    """
    shot, chosen = _shot(document), recipes.get(recipe)
    wanted = Wanted(layers, passes, chosen.sharing)
    order = _order(document, chosen, version, options, assets)
    numbers: list[int | None] = [None]
    if order.conforming.changes_rate(shot.timing.fraction):
        every = order.conforming.numbered(parse_frames(frames), shot.timing.fraction)
        numbers = [number for number, shown in every if shown == frame]
    if not numbers:
        return []
    sources = _sources(shot, wanted, masters, [(frame, cells)])
    return [
        record
        for one in sequences(shot, wanted, (frame,))
        if frame in one.frames and any(layer in sources for layer, _ in one.holds)
        for number in numbers
        for record in write_file(shot, one, (frame,), sources, order, folder, number=number)
    ]


def _sequence_read(*arguments: Any) -> list[tuple[Path, Path]]:
    """The same for ``write_sequence``."""
    return [one for _, cells in arguments[1] for one in _read_of(cells, arguments[8])]


@reads(_sequence_read)
def write_sequence(
    document: str,
    cells: tuple[tuple[int, Masters], ...],
    recipe: str,
    options: tuple[tuple[str, str], ...],
    layers: tuple[str, ...],
    passes: tuple[str, ...],
    version: int,
    assets: Path,
    masters: Path,
    folder: Path,
    mark: Path | None = None,
) -> list[FileRecord]:
    """Files that hold all frames of a sequence, from the masters of cells frame by frame, each read back; see ``write_files``. How far
    it is stands in the file at ``mark`` (``Mark``); StoppedError once that is gone."""
    shot, chosen = _shot(document), recipes.get(recipe)
    wanted = Wanted(layers, passes, chosen.sharing, True)
    sources = _sources(shot, wanted, masters, cells)
    order = _order(document, chosen, version, options, assets)
    records: list[FileRecord] = []
    known = Mark(mark)
    every = sequences(shot, wanted, [frame for frame, _ in cells])

    def told(number: int) -> Callable[[float], None]:
        return lambda share: known.tell((number + share) / len(every))

    for number, one in enumerate(every):
        there = {frame for layer, _ in one.holds if layer in sources for frame in sources[layer].frames}
        frames = [frame for frame in one.frames if frame in there]
        if frames:
            records += write_file(shot, one, frames, sources, order, folder, told(number))
    return records


@dataclass(frozen=True, slots=True)
class Made:
    """A frame that was rendered and written: its masters, what was proved of them, and the files of each form."""

    cells: Masters
    sums: dict[str, Difference]
    rejoins: tuple[Rejoin, ...]
    records: tuple[list[FileRecord], ...]


def make_frame(
    document: str,
    frame: int,
    frames: str,
    layers: tuple[str, ...],
    quality: str,
    proved: bool,
    forms: tuple[tuple[Any, ...], ...],
    assets: Path,
    masters: Path,
) -> Made:
    """Render a frame of some layers, as far as it is not, and write its files in each of the forms: what ``write_files`` takes from the
    recipe on. frames is the set that it is one of. proved: how its layers rejoin is found out, too."""
    for again in (False, True):
        made = render_layers(document, frame, quality, assets, masters, layers, layers if proved else ())
        cells = _masters_of(made.cells)
        try:
            records = tuple(write_files(document, frame, frames, cells, *form) for form in forms)
        except GoneError:
            # It was damaged: now it is not there any more, and rendered anew.
            if again:
                raise
        else:
            sums = {name: one.sums for name, one in made.cells.items() if one.sums is not None}
            return Made(cells, sums, made.rejoins, records)
    raise AssertionError


def _masters_of(cells: Mapping[str, CellResult]) -> Masters:
    """Where the masters of cells are; ZeitbildError at one that could not be rendered."""
    for one in cells.values():
        if one.error:
            raise FullError(one.error) if one.full else ZeitbildError(one.error)
    return tuple((name, one.key, tuple(one.ends.items())) for name, one in cells.items())


def frames_with(document: str, layers: Sequence[str], frames: Sequence[int]) -> dict[int, tuple[str, ...]]:
    """Of each frame the layers that have it, of frames that any has."""
    shot = _shot(document)
    found: dict[int, list[str]] = {}
    for name in layers:
        for frame in shot.layer(name).frames_of(tuple(frames)):
            found.setdefault(frame, []).append(name)
    return {frame: tuple(found[frame]) for frame in sorted(found)}
