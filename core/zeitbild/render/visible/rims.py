"""Pixels that something opaque covers only in part, where see-through bodies stand: what those give is kept apart there.

Laid over one another in one pixel, a see-through body would weaken an edge that stands before it as much as what is behind it. So, at
rims alone, opaque and see-through things are laid over one another by themselves, and put together at the end.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.visible.entangled import Surface, weights_at
from zeitbild.render.visible.lists import Left
from zeitbild.render.visible.see_through import Areas, add, lay, rest_behind, rest_of_veil, weaken
from zeitbild.render.visible.triangle_setup import TILE

#: Shares of a pixel that count as all or nothing.
_LEAST = 1e-4
_LIGHT = ("beauty", "planes", "identities", "data", "held")

_Floats = NDArray[np.float32]


@dataclass(slots=True, eq=False)
class Rims:
    """The rows and columns [M] of such pixels, the area [M, 1] that is opaque, what see-through bodies give there so far (a picture of
    M rows), and what the picture had there before the body that is laid over it now."""

    at: tuple[NDArray[np.int64], NDArray[np.int64]]
    solid: _Floats
    veil: Picture
    before: Picture | None = None

    @classmethod
    def of(cls, picture: Picture, solid: _Floats) -> Rims:
        """The rims of a picture's opaque bodies, which cover solid [H, W]."""
        at = np.nonzero((solid > _LEAST) & (solid < 1 - _LEAST))
        own = _taken(picture, at)
        veil = replace(
            own,
            beauty=np.zeros_like(own.beauty),
            depth=np.full_like(own.depth, NO_DEPTH),
            planes=None if own.planes is None else np.zeros_like(own.planes),
            groups={name: np.zeros_like(values) for name, values in own.groups.items()},
            identities=None
            if own.identities is None
            else np.zeros_like(own.identities) + np.array([-1, 0], np.float32),
            data=None if own.data is None else np.zeros_like(own.data),
            held=None if own.held is None else np.zeros_like(own.held),
            covered=None,
        )
        return cls((at[0], at[1]), solid[at][:, None], veil)

    def __len__(self) -> int:
        return len(self.at[0])

    def _cut(self, areas: Areas) -> Areas:
        fade = None if areas.fade is None else areas.fade[self.at][:, None]
        return Areas(areas.seen[self.at][:, None], areas.before[self.at][:, None], None, fade)

    def taken(self, picture: Picture) -> Picture:
        """The same pixels of another picture."""
        return _taken(picture, self.at)

    def begin(self, picture: Picture) -> None:
        """Remember what the picture has there."""
        self.before = _taken(picture, self.at) if len(self) else None

    def lay_over(self, front: Picture, areas: Areas, *, gives: bool, picture: Picture) -> None:
        """After ``see_through.lay_over``: the same at rims, by themselves."""
        if self.before is None:
            return
        own, cut = _taken(front, self.at), self._cut(areas)
        if areas.tiles is not None:
            # Elsewhere nothing was drawn, and nothing is told.
            outside = self._outside(areas.tiles, picture)
            cut.seen[outside] = cut.before[outside] = 0
            _nothing(own, outside)
            if cut.fade is not None:
                cut.fade[outside] = 1
        alpha = own.beauty[..., 3]
        self._put(picture, rest_behind(alpha, cut, self.solid))
        rest = rest_of_veil(alpha, cut)
        if self.veil.held is not None:
            self.veil.held[:] = self.veil.held * rest + (0 if gives else alpha)
        lay(own if gives else None, self.veil, rest)

    def put_through(
        self, front: Picture | None, left: Left, hidden: _Floats | None, tiles: NDArray[np.int64], picture: Picture
    ) -> None:
        """After see-through surfaces in some tiles were put over the picture by what they leave of what is behind them: the same at rims.
        front is what they give, if they give anything, and hidden [H, W] what those that only hide do."""
        if self.before is None:
            return
        self._put(picture, left.solid[self.at][:, None])
        rest = left.open[self.at][:, None]
        if self.veil.held is not None:
            self.veil.held[:] = self.veil.held * rest + (0 if hidden is None else hidden[self.at][:, None])
        own = None
        if front is not None:
            own = _taken(front, self.at)
            _nothing(own, self._outside(tiles, picture))
        lay(own, self.veil, rest)

    def _outside(self, tiles: NDArray[np.int64], picture: Picture) -> NDArray[np.bool_]:
        """Which of the rims [M] lie in none of some tiles."""
        columns = -(-picture.beauty.shape[1] // TILE)
        outside: NDArray[np.bool_] = ~np.isin(self.at[0] // TILE * columns + self.at[1] // TILE, tiles)
        return outside

    def through_one_another(
        self,
        surfaces: list[Surface],
        behind: _Floats,
        gives: list[bool],
        fronts: list[tuple[int, Picture, Areas]],
        picture: Picture,
    ) -> None:
        """After surfaces that reach through one another were put over the picture, of which ``behind`` [H, W] is seen: the same at
        rims. gives tells of each surface whether it is shown; fronts are drawings there (``taken``) by the
        number of their surface."""
        if self.before is None:
            return
        self._put(picture, behind[self.at][:, None])
        seen, rest = weights_at(surfaces, self.at)
        weaken(self.veil, rest[:, None])
        for number, front, areas in fronts:
            add(front, self.veil, self._cut(areas), seen[number][:, None])
        if self.veil.held is not None:
            for surface, weight, shown in zip(surfaces, seen, gives, strict=True):
                if not shown:
                    self.veil.held[:] += (surface.alpha[self.at] * weight)[:, None]

    def add(self, front: Picture, picture: Picture) -> None:
        """Add what something gives whose place was made before, to the picture, or at rims to what is kept apart there."""
        if len(self):
            own = _taken(front, self.at)
            _nothing(front, self.at)
            lay(own, self.veil, np.ones_like(self.solid))
        lay(front, picture, np.ones(picture.depth.shape, np.float32))

    def join(self, picture: Picture) -> None:
        """Put what see-through bodies give together with the rest."""
        if not len(self):
            return
        whole = _taken(picture, self.at)
        if whole.held is not None and self.veil.held is not None:
            whole.held[:] += self.veil.held
        lay(self.veil, whole, np.ones_like(self.solid))
        _put(picture, self.at, whole)

    def _put(self, picture: Picture, rest: _Floats) -> None:
        """What is opaque as it was before, weakened."""
        assert self.before is not None
        weaken(self.before, rest)
        _put(picture, self.at, self.before)
        self.before = None


def _nothing(picture: Picture, at: Any) -> None:
    """Leave nothing in some pixels, in place."""
    for values in (picture.beauty, picture.planes, picture.data, *picture.groups.values()):
        if values is not None:
            values[at] = 0
    if picture.identities is not None:
        picture.identities[at] = (-1, 0)


def _taken(picture: Picture, at: tuple[NDArray[np.int64], ...]) -> Picture:
    """Copies of some pixels [M], as a picture of M rows."""
    rows, columns = at[0], at[1]
    found: dict[str, Any] = {
        name: np.ascontiguousarray(values[rows, columns][:, None])
        for name in (*_LIGHT, "depth", "covered")
        if (values := getattr(picture, name)) is not None
    }
    groups = {name: np.ascontiguousarray(values[rows, columns][:, None]) for name, values in picture.groups.items()}
    return replace(picture, **found, groups=groups)


def _put(picture: Picture, at: tuple[NDArray[np.int64], ...], own: Picture) -> None:
    """Light of some pixels, and what is told of them, back into a picture."""
    for name in _LIGHT:
        values, mine = getattr(picture, name), getattr(own, name)
        if values is not None and mine is not None:
            values[at[0], at[1]] = mine[:, 0]
    for name, values in picture.groups.items():
        values[at[0], at[1]] = own.groups[name][:, 0]
