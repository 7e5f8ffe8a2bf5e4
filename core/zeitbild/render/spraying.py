"""Bodies of dots, put over pictures of layers."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.light.dots import lit_dots
from zeitbild.render.outputs import Layer, View, empty_picture
from zeitbild.render.picture import Picture
from zeitbild.render.shade.shading import EMISSION
from zeitbild.render.visible.dots import Drawn, drawn_dots
from zeitbild.render.visible.rims import Rims
from zeitbild.render.visible.see_through import lay_over
from zeitbild.render.world.buffers import kept
from zeitbild.snapshot import Snapshot


class Spraying:
    """Bodies of dots that are still to be put over pictures of layers, from the farthest to the nearest."""

    def __init__(
        self, view: View, layers: Sequence[Layer], shutter: tuple[float, ...], places: Sequence[int], *, hides: bool
    ) -> None:
        self.view, self.layers, self.shutter = view, layers, shutter
        snapshot = view.snapshot
        away = {place: view.pieces.mean_away([place]) for place in places}
        self.left = sorted(places, key=lambda place: away[place])
        self.away = away
        size = snapshot.height, snapshot.width
        # That of all that is opaque, whatever a layer shows of it.
        opaque = places and hides
        self.depth = kept("whole depth", size, np.float32).copy() if opaque else np.empty((0, 0), np.float32)

    def any_behind(self, away: float) -> bool:
        """Whether any of them is farther away."""
        return bool(self.left) and self.away[self.left[-1]] > away

    def put(
        self,
        nearer_than: float,
        pictures: Sequence[Picture],
        areas: Sequence[NDArray[np.float32]],
        rims: Sequence[Rims],
    ) -> None:
        """Put those that are farther away than something over the pictures, in place."""
        while self.any_behind(nearer_than):
            place = self.left.pop()
            PARALLEL.breathe()
            for number, (picture, area, rim) in enumerate(zip(pictures, areas, rims, strict=True)):
                self._put(place, self.layers[number], picture, area, rim)

    def _put(self, place: int, layer: Layer, picture: Picture, area: NDArray[np.float32], rim: Rims) -> None:
        body, snapshot = self.view.snapshot.bodies[place], self.view.snapshot
        assert body.dots is not None
        share = math.prod(one for _, one in body.fades)
        opens, closes = self.shutter
        matrix = np.array(body.matrix).reshape(4, 4)
        dots = lit_dots(body.dots, matrix, snapshot) if body.dots.lit else body.dots
        seen_by = snapshot.camera, self.view.shift, (opens, closes)
        drawn = drawn_dots(dots, matrix, *seen_by, share, area, self.depth, finely=self.view.quality.dots_finely)
        numbers = self.view.numbers[int(np.flatnonzero(self.view.owners == place)[0])]
        gives = layer.roles[place] == "shown"
        for one in drawn:
            whole = _picture(snapshot, one, numbers, layer.planes)
            rim.begin(picture, area, one.areas)
            lay_over(whole, picture, one.areas, area, gives=gives)
            rim.lay_over(whole, one.areas, gives=gives)


def _picture(snapshot: Snapshot, drawn: Drawn, numbers: NDArray[np.int32], planes: bool) -> Picture:
    """A picture of dots, whose light stands among what glows: no surface tells anything of them but its number. Without planes it is told where
    they are alone."""
    if not planes:
        return Picture(drawn.light, drawn.depth)
    drawn = drawn.everywhere()
    light = drawn.light
    picture = replace(empty_picture(snapshot, planes), beauty=light, depth=drawn.depth)
    assert picture.planes is not None
    assert picture.identities is not None
    picture.planes[..., EMISSION : EMISSION + 3] = light[..., :3]
    there = light[..., 3] > 0
    for kind in range(2):
        picture.identities[there, kind, 0, 0] = numbers[kind]
        picture.identities[there, kind, 0, 1] = light[there, 3]
    return picture
