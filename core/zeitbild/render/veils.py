"""See-through bodies put over what is behind them by lists of their fragments (``visible/lists.py``): all at once, however many there are."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from threading import Lock

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.drawing import cut_by_pictures, make_dark, shade_outputs, tell_what_stands
from zeitbild.render.outputs import Output, View, output_for
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.rays.secondary import cast_rays
from zeitbild.render.stage import Stage
from zeitbild.render.visible.lists import (
    MOST_OPAQUE,
    PIXELS,
    STRETCHES,
    Left,
    Lists,
    Runs,
    Samples,
    Surfacing,
    count_room,
    join,
    list_fragments,
)
from zeitbild.render.visible.rims import Rims
from zeitbild.render.visible.see_through import lay_parts
from zeitbild.render.visible.visibility import Fragments, sorted_into_tiles, spread
from zeitbild.render.visible.weighing import hold, list_and_weigh, pack, put_through, weigh
from zeitbild.render.world.buffers import kept
from zeitbild.snapshot.camera import DepthScale
from zeitbild.snapshot.finish_row import ALPHA_MAP

#: Fragments that there is room for at a time: those of a large picture behind a hundred panes would fill any memory.
_MOST_FRAGMENTS = 4_000_000
#: Room that a tile has for them at first: four surfaces one behind the other.
_FIRST_ROOM = 4 * PIXELS
#: How much room the last pictures needed [tiles], and what is left free beside that in the next like them.
_rooms: LRUCache[tuple[int, ...], NDArray[np.int64]] = LRUCache(16)
_rooms_lock = Lock()
_SPARE, _STEP = 64, 1 << 16


def put_veils(
    view: View,
    solid: Sequence[int],
    places: Sequence[int],
    shown: Sequence[Sequence[bool]],
    pictures: Sequence[Picture],
    rims: Sequence[Rims],
    *,
    solid_shown: Sequence[Sequence[bool]],
    empty: bool = False,
) -> None:
    """Put see-through bodies (or pieces of them) at some places over the pictures of layers, in place; what is opaque hides what of them
    stands behind it. shown and solid_shown tell of each layer, body by body, whether it is shown or only hides; empty: nothing is in the
    pictures yet."""
    own = view.triangles_of(places)
    stage = view.stage.drawing(view.triangles_of([*solid, *places]), None, own, every_side=True)
    bodies = np.array([view.pieces.body(piece) for piece in places])
    opacity = np.array(view.stage.opacity, np.float32)
    every = np.append(bodies, np.array(solid, int))
    gives = np.array(
        [
            np.isin(view.owners, every[np.array([*one, *other], bool)])
            for one, other in zip(shown, solid_shown, strict=True)
        ]
    )
    outputs = []
    for giving, picture in zip(gives, pictures, strict=True):
        weights = np.where(giving, opacity, np.float32(-1)).astype(np.float32)
        if empty:
            outputs.append(Output(picture, weights, bool(giving.any())))
            continue
        outputs.append(output_for(view, picture.planes is not None, weights, bool(giving.any()), "veil "))
        if outputs[-1].picture.planes is not None:
            make_dark(outputs[-1].picture)
    size = view.snapshot.height, view.snapshot.width
    veils = _Veils(view, stage, gives)
    hidden = [None if one.held is None else np.zeros(size, np.float32) for one in pictures]
    only_hides = [np.where(np.isin(view.owners, every) & ~one, opacity, np.float32(0)) for one in gives]
    with PARALLEL:
        for fragments, runs in veils.drawn():
            _light(view, stage, outputs, fragments, runs, veils.left.depth[0])
            for held, amounts in zip(hidden, only_hides, strict=True):
                if held is not None and amounts.any():
                    PARALLEL.by_parts(hold, fragments, stage.scene.finish_of, amounts.astype(np.float32), held)
    for number, (output, picture, rim, held) in enumerate(zip(outputs, pictures, rims, hidden, strict=True)):
        front, left = output.picture if output.lit and not empty else None, veils.left
        nothing, touched = np.empty((0, 0), np.float32), kept("touched", size, np.bool_)
        touched.fill(False)
        with PARALLEL:
            PARALLEL.by_parts(
                put_through,
                veils.tiles,
                left,
                number,
                picture.beauty[:0] if front is None else front.beauty,
                nothing if held is None else held,
                picture.beauty[:0] if empty else picture.beauty,
                nothing if picture.held is None else picture.held,
                nothing if picture.covered is None else picture.covered,
                picture.depth,
                touched,
            )
        if empty:
            continue
        lay_parts(front, picture, left.solid, touched, veils.tiles)
        rim.put_through(front, left, held, veils.tiles)


class _Veils:
    """Fragments of see-through triangles of a stage, those of some tiles at a time, and what they leave of what is behind them.

    gives [K, F] tells of layers which finishes they show. tiles are those in which there may be any; ``left`` holds elsewhere as if
    there were none.
    """

    def __init__(self, view: View, stage: Stage, gives: NDArray[np.bool_]) -> None:
        self.view, self.stage = view, stage
        snapshot, scene = view.snapshot, stage.scene
        width, height = snapshot.width, snapshot.height
        assert stage.own is not None
        self.own: NDArray[np.uint8] = stage.own
        self.surfacing = Surfacing(
            scene.patches, scene.facing, scene.finish_of, view.owners, np.array(stage.opacity, np.float32), gives
        )
        self.samples = Samples.of(view.samples)
        size, layers = (height, width), len(gives)
        self.left = Left(
            kept("left solid", size, np.float32),
            kept("left open", size, np.float32),
            kept("left covered", (layers, *size), np.float32),
            kept("left depth", (layers, *size), np.float32),
        )
        for values, empty in zip(self.left, (1, 1, 0, NO_DEPTH), strict=True):
            values.fill(empty)
        corners, distances = view.corners()
        self.scale = DepthScale.of(snapshot.camera, distances)
        with PARALLEL:
            self.edges, self.bins = sorted_into_tiles(
                corners,
                self.scale.order(distances),
                scene.triangles,
                scene.cull,
                stage.drawn,
                self.scale.least_w,
                width,
                height,
            )
            tiles = spread(len(self.bins.starts) - 1)
            self.room = np.zeros(len(tiles), np.int64)
            PARALLEL.by_parts(count_room, tiles, self.bins, self.own, width, height, self.room)
            # Each pixel may need room for what is opaque, too.
            self.room += MOST_OPAQUE * np.minimum(self.room, PIXELS)
        #: From above to below: of a picture that is cut into parts each has its neighbours, which share their rays.
        self.tiles = np.flatnonzero(self.room)
        #: How many fragments there are in each tile, once it was drawn; and what pictures of the same have in common.
        self.needed = np.zeros(len(tiles), np.int64)
        self._like = width, height, view.samples, len(scene.triangles), int(self.own.sum())

    def drawn(self) -> Iterator[tuple[Fragments, Runs]]:
        """Fragments and where they are, good until the next. Hold ``kernels.PARALLEL``."""
        with _rooms_lock:
            known = _rooms.get(self._like)
        rooms = np.minimum(self.room, _FIRST_ROOM if known is None else known)
        tiles = max(1, _MOST_FRAGMENTS // _FIRST_ROOM)
        for first in range(0, len(self.tiles), tiles):
            yield from self._in_parts(self.tiles[first : first + tiles], rooms)
        self._remember()
        if self.view.snapshot.camera.parallel:
            self.left.depth[:] = self.scale.depth(self.left.depth, NO_DEPTH)

    def _remember(self) -> None:
        """How much room this one needed, for the next one like it; not where that is too much for one part, so that into which parts
        a picture is cut never depends on the one before."""
        room = self.needed + self.needed // 4 + _SPARE
        if int(room[self.tiles].sum()) <= _MOST_FRAGMENTS:
            with _rooms_lock:
                _rooms[self._like] = room

    def _in_parts(self, tiles: NDArray[np.int64], rooms: NDArray[np.int64]) -> Iterator[tuple[Fragments, Runs]]:
        """Those of some tiles that have such rooms [tiles], or as many more as they need, as many at a time as there is room for."""
        found = self._of(tiles[spread(len(tiles))], rooms)
        if found is not None:
            yield found
            return
        ends = np.cumsum(self.needed[tiles])
        first = 0
        while first < len(tiles):
            before = ends[first - 1] if first else 0
            last = max(first + 1, int(np.searchsorted(ends, before + _MOST_FRAGMENTS, side="right")))
            yield from self._in_parts(tiles[first:last], self.needed.copy())
            first = last

    def _of(self, tiles: NDArray[np.int64], rooms: NDArray[np.int64]) -> tuple[Fragments, Runs] | None:
        """Those of some tiles; None if they need more room than they have, which is known then."""
        view = self.view
        width, height = view.snapshot.width, view.snapshot.height
        farthest, rays = np.float32(1 / self.scale.near), _sends_rays(view)
        firsts = np.zeros(len(rooms) + 1, np.int64)
        firsts[tiles] = np.cumsum(rooms[tiles]) - rooms[tiles]
        total, most_room = _in_whole(int(rooms[tiles].sum())), int(rooms[tiles].max())
        found = _fragments("found ", total, tiles, firsts, self.edges, width)
        size = (height, width) if rays else (0, width)
        runs = Runs(
            kept("runs", size, np.int32),
            kept("runs of", size, np.int32),
            kept("away", (total if rays else 0,), np.float32),
        )
        runs.first.fill(-1)
        runs.many.fill(0)
        bins, own, samples, surfacing = self.bins, self.own, self.samples, self.surfacing
        if not view.light.cuts and STRETCHES * most_room <= _MOST_FRAGMENTS:
            listed = _fragments("listed ", STRETCHES * most_room, tiles, firsts, self.edges, width)
            lists = _lists(STRETCHES * most_room, STRETCHES)
            at = found, listed, lists, rooms, most_room, bins, own, farthest
            PARALLEL.by_parts(list_and_weigh, *at, surfacing, samples, runs, self.left, self.needed)
            if (self.needed[tiles] > rooms[tiles]).any():
                return None
            return self._packed(found, runs) if rays else (found, runs)
        listed = _fragments("listed ", total, tiles, firsts, self.edges, width)
        lists, most, more = _lists(total, len(rooms)), np.zeros(len(rooms), np.int64), np.zeros(len(rooms), np.int64)
        patches = surfacing.patches
        PARALLEL.by_parts(
            list_fragments, listed, lists, rooms, bins, own, patches, height, farthest, samples, most, more
        )
        self.needed[tiles] = listed.counts[tiles] + more[tiles]
        if (self.needed[tiles] > rooms[tiles]).any():
            return None
        if view.light.cuts:
            nothing, by_picture = np.empty((0, width), np.float32), view.light.finishes[:, ALPHA_MAP] > 0
            PARALLEL.by_parts(join, listed, lists, surfacing, by_picture)
            cut_by_pictures(view, self.stage, listed, nothing, nothing)
        PARALLEL.by_parts(weigh, found, listed, lists, bins, own, farthest, surfacing, samples, most, runs, self.left)
        return self._packed(found, runs) if rays else (found, runs)

    def _packed(self, found: Fragments, runs: Runs) -> tuple[Fragments, Runs]:
        """The same without room between tiles: for each fragment rays take much room more."""
        firsts, tiles = np.zeros_like(found.firsts), found.order
        firsts[tiles] = np.cumsum(found.counts[tiles]) - found.counts[tiles]
        total = _in_whole(int(found.counts[tiles].sum()))
        packed = _fragments("packed ", total, tiles, firsts, self.edges, found.width)
        packed.counts[:] = found.counts
        own = runs._replace(away=kept("packed away", (total,), np.float32))
        PARALLEL.by_parts(pack, tiles, found, runs, packed, own)
        return packed, own


def _fragments(
    name: str,
    total: int,
    tiles: NDArray[np.int64],
    firsts: NDArray[np.int64],
    edges: NDArray[np.float64],
    width: int,
) -> Fragments:
    """Room for so many fragments of some tiles, in arrays that ``name`` tells apart."""
    where = kept(name + "where", (total, 2), np.float32)
    return Fragments(
        tiles,
        kept(name + "pixel", (total,), np.int32),
        kept(name + "triangle", (total,), np.int32),
        kept(name + "share", (total,), np.float32),
        where,
        np.zeros(len(firsts) - 1, np.int32),
        firsts,
        edges,
        where,
        width,
    )


def _in_whole(total: int) -> int:
    """So many or a few more: pictures that follow one another get room of one size, which is kept."""
    return -(-total // _STEP) * _STEP


def _lists(total: int, rows: int) -> Lists:
    """Room for so many fragments, and for the pixels of so many tiles."""
    return Lists(
        kept("masks", (total,), np.uint64),
        kept("list of", (rows, PIXELS), np.int32),
        kept("following", (total,), np.int32),
        kept("solid", (rows, PIXELS), np.uint64),
        kept("several", (rows, PIXELS), np.uint8),
    )


def _sends_rays(view: View) -> bool:
    snapshot = view.snapshot
    return any(one.shadows for one in snapshot.lights) or snapshot.occlusion > 0 or snapshot.bounces > 0


def _light(
    view: View,
    stage: Stage,
    outputs: Sequence[Output],
    fragments: Fragments,
    runs: Runs,
    depth: NDArray[np.float32],
) -> None:
    """Rays and light of fragments into the pictures of outputs."""
    lit_ones = [output for output in outputs if output.lit]
    if not lit_ones:
        return
    wanted = any(output.picture.planes is not None for output in lit_ones)
    rayed = cast_rays(view.snapshot, view.quality, stage, view.light, fragments, depth, unlit_too=wanted, runs=runs)
    # What fragments cover tells how opaque pixels are, and not this.
    unread = kept("alpha", depth.shape, np.float32)
    shade_outputs(view, stage, unread, lit_ones, fragments, rayed)
    for output in lit_ones:
        tell_what_stands(view, stage, fragments, output)
