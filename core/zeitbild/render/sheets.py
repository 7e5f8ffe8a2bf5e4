"""Surfaces of see-through bodies as sheets: each drawn by itself before what is opaque, and laid over those behind it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.drawing import draw_outputs
from zeitbild.render.outputs import Layer, View, output_for
from zeitbild.render.picture import Picture
from zeitbild.render.visible.areas import Areas, Before, Passing
from zeitbild.render.visible.folds import MOST_DEEP, put_before
from zeitbild.render.visible.pieces import outlines_of
from zeitbild.render.visible.see_through import through
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.render.visible.visibility import tiles_around


class Opaque:
    """What is opaque, as layers have it: of those that have it in other roles, its finishes' weights, and whether they want to know what its
    light is made of."""

    def __init__(self, view: View, solid: Sequence[int], layers: Sequence[Layer]) -> None:
        shown = [tuple(place for place in solid if layer.roles[place] == "shown") for layer in layers]
        kinds = [one for one in dict.fromkeys(shown) if one]
        self.wanted = [
            (
                view.of_finishes(dict.fromkeys(kind, 1.0)),
                any(layer.planes for layer, one in zip(layers, shown, strict=True) if one == kind),
            )
            for kind in kinds
        ]
        #: Of each layer, which of them it has; -1: it shows nothing opaque.
        self.of_layer = [kinds.index(one) if one else -1 for one in shown]

    def before(self, areas: Areas, layer: int) -> Before | None:
        """What a layer shows of what is opaque before a surface, if that was found out."""
        number = self.of_layer[layer]
        return areas.opaque[number] if areas.opaque and number >= 0 else None


class Sheets:
    """Surfaces of some see-through bodies, each as it is seen before what is opaque: the near ones, one behind the other where they fold
    over themselves, and the far ones of those that are closed; in the tiles in which they are, or everywhere."""

    def __init__(
        self,
        view: View,
        solid: Sequence[int],
        group: Sequence[int],
        gives: bool,
        planes: bool,
        *,
        opaque: Opaque | None = None,
        everywhere: bool = False,
        mixed: bool = False,
    ) -> None:
        self.view, self.planes, self.opaque, self.everywhere = view, planes, opaque, everywhere
        self._first: tuple[Picture, Areas] | None = None
        self.weights = np.full(len(view.owners), -1, np.float32)
        mine = np.isin(view.owners, [view.pieces.body(piece) for piece in group])
        self.weights[mine] = np.array(view.stage.opacity, np.float32)[mine]
        self.drawn, self.own = view.triangles_of([*solid, *group]), view.triangles_of(group)
        self.closed = self.own & (view.stage.scene.cull > 0)
        width, height = view.snapshot.width, view.snapshot.height
        self.within = None
        if not everywhere:
            self.within = tiles_around(outlines_of(view.snapshot, group, view.pieces).boxes, width, height)
        # How much of what is shadow only there is, only its light tells.
        self.gives = gives or view.light.catches
        #: What is flat lies over itself in one place, if at all.
        self.folds = mixed or not all(view.pieces.is_flat(one) for one in group)
        #: Their surfaces come one after the other, however they face.
        self.mixed = self.folds and (mixed or any(view.pieces.is_mixed(piece) for piece in group))
        #: Of each tile, how many near surfaces lie one over the other at most.
        self.stacked = np.zeros(-(-width // TILE) * -(-height // TILE), np.uint8)

    @property
    def most(self) -> int:
        """Near surfaces that lie one over the other, once the first was drawn."""
        return min(int(self.stacked.max(initial=1)), MOST_DEEP)

    def tiles(self, passed: int) -> NDArray[np.int64]:
        """Those in which anything is seen behind so many surfaces."""
        return np.flatnonzero(self.stacked > passed)

    def near(self, passed: int = 0) -> tuple[Picture, Areas]:
        """The near side behind so many surfaces of it; the first one finds out how many there are."""
        if not passed and self._first is not None:
            found, self._first = self._first, None
            return found
        stacked = self.stacked if self.folds and not passed else None
        return self._sheet(self.own, None, passed, stacked)

    def count(self) -> int:
        """How many surfaces lie one over the other at most."""
        self._first = self.near()
        return int(self.stacked.max(initial=1))

    def far(self, passed: int = 0) -> tuple[Picture, Areas] | None:
        """The far side behind so many surfaces of it, if any body is closed and sides take turns."""
        return self._sheet(self.closed, self.closed, passed) if self.closed.any() and not self.mixed else None

    def near_to_far(self) -> Iterator[tuple[Picture, Areas, bool]]:
        """All of them, the far sides told apart, each behind its near one."""
        passed = 0
        while passed == 0 or passed < self.most:
            yield *self.near(passed), False
            if (far := self.far(passed)) is not None:
                yield *far, True
            passed += 1

    def _sheet(
        self,
        own: NDArray[np.bool_],
        away: NDArray[np.bool_] | None,
        passed: int,
        stacked: NDArray[np.uint8] | None = None,
    ) -> tuple[Picture, Areas]:
        view, within = self.view, self.within
        PARALLEL.breathe()
        if passed and within is not None:
            within = within & (self.stacked > passed)
        output = output_for(view, self.planes, self.weights, self.gives)
        drawn = self.drawn if away is None else self.drawn & (own | ~self.own)
        counted = own if passed or stacked is not None else None
        part = view.stage.drawing(drawn, away, counted, passed, every_side=self.mixed)
        # What stands before the nearest surface tells about as much as before all of them, unless each is laid over others by itself.
        wanted = self.everywhere or (away is None and not passed)
        opaque = self.opaque.wanted if self.opaque is not None and wanted else []
        (areas,) = draw_outputs(view, part, [output], alone=True, within=within, stacked=stacked, opaque=opaque)
        assert areas is not None
        return output.picture, areas


def over_one_another(own: Sheets) -> tuple[Picture, Areas]:
    """See-through bodies as they are seen before what is opaque, and where; only where, if they give nothing."""
    front, areas = own.near()
    tiles, deeper, passing = np.empty(0, np.int64), None, Passing(areas.seen.shape)
    for passed in range(own.most - 1, 0, -1):
        # Those farther away lie in the area of those nearer, and in no more tiles.
        for sheet in (own.far(passed), own.near(passed)):
            if sheet is not None:
                passing.put_before(*sheet)
                deeper = put_before(*sheet, deeper, tiles)
                tiles = own.tiles(passed)
    far, one = own.far(), areas
    if far is not None:
        passing.put_before(*far)
    if deeper is not None or far is not None:
        passing.put_before(front, one)
    if deeper is not None:
        areas = areas.whole()
    if far is None:
        front = put_before(front, areas, deeper, tiles)
        return front, areas if deeper is None else replace(areas, passing=(passing.clear, passing.before))
    back = put_before(*far, deeper, tiles)
    areas = through(front, back, areas, far[1] if deeper is None else far[1].whole())
    return back, replace(areas, passing=(passing.clear, passing.before))
