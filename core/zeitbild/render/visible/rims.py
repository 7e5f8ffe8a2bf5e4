"""Pixels in which opaque edges and see-through bodies meet: what those give is kept apart there.

Laid over one another in one pixel, a see-through body would weaken an edge that stands before it as much as what is behind it. So, at
rims alone, opaque and see-through things are laid over one another by themselves, and put together at the end.

Of the area that is opaque each surface leaves a part as it is: what stands before it, or beside it. Those parts are taken for one within the
other, as they are where one edge runs before several surfaces, or several of them end at one line.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.data_rows import SHARE
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.visible.areas import Areas, Before, pixels_in, rest_of_veil
from zeitbild.render.visible.entangled import Surface, weights_at
from zeitbild.render.visible.lists import Left
from zeitbild.render.visible.see_through import add, lay, weaken
from zeitbild.render.visible.triangle_setup import TILE

#: Shares of a pixel that count as all or nothing.
_LEAST = 1e-4
_TINY = np.float32(1e-6)
#: Surfaces whose parts of a pixel are told apart at most.
_MOST_SURFACES = 16
_LIGHT = ("beauty", "planes", "identities", "data", "held")

_Floats = NDArray[np.float32]
_At = tuple[NDArray[np.int64], NDArray[np.int64]]


@dataclass(frozen=True, slots=True)
class Veil:
    """Of a see-through surface: the area [M] of what is opaque that it leaves as it is, the share [M] of the rest that is seen, and light of
    what it leaves, if that is known."""

    leaves: _Floats
    clear: _Floats
    left: Picture | None = None

    def more(self, solid: _Floats, opaque: Picture) -> Veil:
        """The same with pixels in which it is not, which are opaque in an area [N], and how they look."""
        leaves, clear = np.concatenate([self.leaves, solid]), np.concatenate([self.clear, np.ones_like(solid)])
        return Veil(leaves, clear, None if self.left is None else _both(self.left, opaque))


@dataclass(slots=True, eq=False)
class Rims:
    """The rows and columns [M] of such pixels, the area [M] that is opaque, what the picture has there of that, the surfaces put before it so
    far, what these give (a picture of M rows), the least area [M] that any of them leaves (2 where none is), and whether what counts as
    opaque [M] has something see-through in it already; and where [H, W] anything see-through was put so far."""

    at: _At
    solid: _Floats
    opaque: Picture
    surfaces: list[Veil]
    given: Picture
    least: _Floats
    mixed: NDArray[np.bool_]
    veiled: NDArray[np.bool_]

    @classmethod
    def of(cls, picture: Picture, solid: _Floats) -> Rims:
        """Pixels that a picture's opaque bodies, which cover solid [H, W], cover only in part."""
        return cls._where(picture, solid, np.nonzero((solid > _LEAST) & (solid < 1 - _LEAST)))

    @classmethod
    def _where(cls, picture: Picture, solid: _Floats, at: tuple[NDArray[np.int64], ...]) -> Rims:
        own = picture.taken(at[0], at[1])
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
        area = solid[at]
        nowhere = np.zeros(solid.shape, bool)
        return cls((at[0], at[1]), area, own, [], veil, np.full_like(area, 2), np.zeros(len(area), bool), nowhere)

    def __len__(self) -> int:
        return len(self.at[0])

    def _cut(self, areas: Areas) -> Areas:
        found = areas.at(self.at)
        if areas.tiles is not None:
            # Elsewhere nothing was drawn, and nothing is told.
            outside = self._outside(areas.tiles)
            found.seen[outside] = found.before[outside] = 0
            if found.fade is not None:
                found.fade[outside] = 1
            if found.over is not None:
                found.over[outside] = 0
        return found

    def taken(self, picture: Picture) -> Picture:
        """The same pixels of another picture."""
        return picture.taken(*self.at)

    def begin(self, picture: Picture, solid: _Floats, *fronts: Areas) -> None:
        """Before surfaces are put over a picture whose opaque bodies cover solid [H, W]: pixels that are opaque all over, of which something
        stands before them and something does not, are rims from now on. What was put over them so far counts as opaque, too."""
        if not len(self.veiled):
            return
        found, seen = np.zeros(solid.shape, bool), np.zeros(solid.shape, bool)
        for areas in fronts:
            with np.errstate(invalid="ignore"):
                there = areas.seen > _LEAST
                partly = there & (areas.before > _LEAST) & (areas.before < 1 - _LEAST)
            if areas.tiles is not None:
                within = pixels_in(areas.tiles, solid.shape)
                there, partly = there & within, partly & within
            found, seen = found | partly, seen | there
        found &= solid >= 1 - _LEAST
        found[self.at] = False
        if found.any():
            self._add(Rims._where(picture, solid, np.nonzero(found)))
        self.veiled |= seen

    def _add(self, more: Rims) -> None:
        """Further pixels."""
        self.at = (np.concatenate([self.at[0], more.at[0]]), np.concatenate([self.at[1], more.at[1]]))
        self.surfaces = [one.more(more.solid, more.opaque) for one in self.surfaces]
        self.solid, self.least = np.append(self.solid, more.solid), np.append(self.least, more.least)
        self.opaque, self.given = _both(self.opaque, more.opaque), _both(self.given, more.given)
        self.mixed = np.append(self.mixed, self.veiled[more.at])

    def lay_over(self, front: Picture, areas: Areas, *, gives: bool, opaque: Before | None = None) -> None:
        """After ``see_through.lay_over``: the same at rims, by themselves; opaque is what stands before it."""
        if not len(self):
            return
        own, cut = self.taken(front), self._cut(areas)
        if areas.tiles is not None:
            _nothing(own, self._outside(areas.tiles))
        alpha = own.beauty[..., 3]
        self._stand_before(_veil(alpha[:, 0], cut), opaque)
        rest = rest_of_veil(alpha, cut, np.minimum(self.least[:, None], cut.before))
        self._take(own if gives else None, rest, alpha if not gives else None)
        self._note(cut.seen[:, 0], cut.before[:, 0])

    def put_through(self, front: Picture | None, left: Left, hidden: _Floats | None, tiles: NDArray[np.int64]) -> None:
        """After see-through surfaces in some tiles were put over the picture by what they leave of what is behind them: the same at rims.
        front is what they give, if they give anything, and hidden [H, W] what those that only hide do."""
        if not len(self.veiled):
            return
        self.veiled |= pixels_in(tiles, self.veiled.shape) & (left.open < 1)
        self._stand_before(Veil(np.zeros_like(self.solid), left.solid[self.at]), None)
        own = None
        if front is not None:
            own = self.taken(front)
            _nothing(own, self._outside(tiles))
        self._take(own, left.open[self.at][:, None], None if hidden is None else hidden[self.at][:, None])

    def _outside(self, tiles: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Which of the rims [M] lie in none of some tiles."""
        columns = -(-self.veiled.shape[1] // TILE)
        outside: NDArray[np.bool_] = ~np.isin(self.at[0] // TILE * columns + self.at[1] // TILE, tiles)
        return outside

    def through_one_another(
        self,
        surfaces: list[Surface],
        gives: list[bool],
        fronts: list[tuple[int, Picture, Areas, Before | None]],
    ) -> None:
        """After surfaces that reach through one another were put over the picture: the same at rims. gives tells of each surface whether it is
        shown; fronts are drawings there (``taken``) by the number of their surface, and what stands before each."""
        if not len(self):
            return
        cuts = [self._cut(one.areas) for one in surfaces]
        alphas = [one.alpha[self.at][:, None] for one in surfaces]
        seen, rest = weights_at(surfaces, self.at, self.solid, self.least)
        opaque = {number: one for number, _, _, one in fronts}
        for number, (alpha, cut) in enumerate(zip(alphas, cuts, strict=True)):
            self._stand_before(_veil(alpha[:, 0], cut), opaque.get(number))
            self._note(cut.seen[:, 0], cut.before[:, 0])
        weaken(self.given, rest[:, None])
        for number, front, areas, _ in fronts:
            add(front, self.given, areas.at(self.at), seen[number][:, None])
        if self.given.held is not None:
            for alpha, weight, shown in zip(alphas, seen, gives, strict=True):
                if not shown:
                    self.given.held[:] += alpha * weight[:, None]

    def add(self, front: Picture, picture: Picture) -> None:
        """Add what something gives whose place was made before, and which was held out, to the picture, or at rims to what is kept apart
        there."""
        if picture.held is not None:
            picture.held[:] -= front.beauty[..., 3]
        if len(self):
            own = self.taken(front)
            _nothing(front, self.at)
            lay(own, self.given, np.ones((len(self), 1), np.float32))
            if self.given.held is not None:
                self.given.held[:] -= own.beauty[..., 3]
        lay(front, picture, np.ones(picture.depth.shape, np.float32))

    def join(self, picture: Picture) -> None:
        """Put what see-through bodies give together with the rest."""
        if not len(self):
            return
        whole = self._weakened()
        # Both together fill a pixel that is opaque all over, and no pixel more than once.
        taken, of_opaque = (one.beauty[..., 3] + (0 if one.held is None else one.held) for one in (self.given, whole))
        weaken(self.given, np.asarray(1 / np.maximum(taken, 1), np.float32))
        taken = np.minimum(taken, 1)
        room = np.where(self.solid[:, None] >= 1 - _LEAST, 1 - taken, np.minimum(of_opaque, 1 - taken))
        weaken(whole, np.asarray(np.maximum(room, 0) / np.maximum(of_opaque, _TINY), np.float32))
        if whole.held is not None and self.given.held is not None:
            whole.held[:] += self.given.held
        lay(self.given, whole, np.ones((len(self), 1), np.float32))
        _put(picture, self.at, whole)

    def _take(self, front: Picture | None, rest: _Floats, hidden: _Floats | None) -> None:
        """Put what surfaces give before what others do, of which they leave a rest [M, 1]; hidden [M, 1] is what they hide and do not give."""
        if self.given.held is not None:
            self.given.held[:] = self.given.held * rest + (0 if hidden is None else hidden)
        lay(front, self.given, rest)

    def _note(self, seen: _Floats, before: _Floats) -> None:
        """That a surface is seen there, before which something opaque stands in an area [M]."""
        self.least = np.where(seen > _LEAST, np.minimum(self.least, before), self.least)

    def _stand_before(self, veil: Veil, stands: Before | None) -> None:
        """Put a surface before what there is; of what stands before it light may be known."""
        if len(self.surfaces) >= _MOST_SURFACES:
            # So that no number of them takes much memory: what was put there so far counts as opaque.
            self.opaque, self.surfaces = self._weakened(), []
            self.mixed[:] = True
        if stands is None:
            self.surfaces.append(veil)
            return
        leaves = np.minimum(veil.leaves, self.solid)
        # Of what has something see-through in it, what stands before another surface is not told.
        known, seen, area = stands.at(self.at[0] * self.veiled.shape[1] + self.at[1])
        # Where it leaves less than that, a part of it; where it leaves more, a part of what is opaque besides.
        known &= ~self.mixed
        inner = np.where(known, np.clip(leaves / np.maximum(area, _TINY), 0, 1), 0)
        outer = np.clip((leaves - area) / np.maximum(self.solid - area, _TINY), 0, 1)
        outer = np.where(known, outer, leaves / self.solid)
        held = None if self.opaque.held is None else np.maximum(area - seen.beauty[:, 0, 3], 0)[:, None]

        def left(before: _Floats, every: _Floats) -> _Floats:
            shape = (-1, *[1] * (every.ndim - 1))
            near, far = inner.reshape(shape), outer.reshape(shape)
            return np.asarray(np.where(near > 0, before, 0) * (near - far) + every * far, np.float32)

        self.surfaces.append(replace(veil, left=_combined(left, replace(seen, held=held), self.opaque)))

    def _weakened(self) -> Picture:
        """What is opaque, weakened by all surfaces so far."""
        own = _rows(self.opaque)
        if not self.surfaces:
            return own
        clear, shares = shares_of(self.solid, self.surfaces)
        all_of_it = even = clear
        for share, one in zip(shares, self.surfaces, strict=True):
            part = share * np.minimum(one.leaves, self.solid) / self.solid
            all_of_it = all_of_it + part
            even = even if one.left is not None else even + part
        light = replace(own, identities=None, data=None, covered=None)
        weaken(light, even[:, None])
        for share, one in zip(shares, self.surfaces, strict=True):
            if one.left is not None:
                light = _combined(partial(_plus, share), light, one.left)
        if own.identities is not None:
            own.identities[..., 1] *= all_of_it[:, None, None, None]
        if own.data is not None:
            own.data[..., SHARE] *= all_of_it[:, None]
        return replace(light, identities=own.identities, data=own.data, covered=own.covered)


def _plus(share: _Floats, values: _Floats, more: _Floats) -> _Floats:
    return np.asarray(values + more * share.reshape(-1, *[1] * (more.ndim - 1)), np.float32)


def _combined(change: Callable[[_Floats, _Floats], _Floats], one: Picture, other: Picture) -> Picture:
    """All light of two pictures of the same pixels, and what hold-outs hide of them, changed into that of one; of the rest as in the first."""
    found: dict[str, Any] = {
        name: change(values, more)
        for name in ("beauty", "planes", "held")
        if (values := getattr(one, name)) is not None and (more := getattr(other, name)) is not None
    }
    groups = {name: change(values, other.groups[name]) for name, values in one.groups.items() if name in other.groups}
    return replace(one, **found, groups=groups)


def shares_of(solid: _Floats, surfaces: Sequence[Veil]) -> tuple[_Floats, list[_Floats]]:
    """How much is seen of an opaque area [M] behind surfaces, if what one leaves as it is lies within what another does: so much of all of
    it, and of what each leaves so much more."""
    order = np.argsort(np.minimum(np.stack([one.leaves for one in surfaces]), solid), axis=0, kind="stable")
    own, pixels = np.stack([one.clear for one in surfaces]), np.arange(len(solid))
    clear, found = np.ones_like(solid), np.zeros_like(own)
    for which in order:
        # What it leaves is seen through those alone that leave less.
        found[which, pixels] = clear * (1 - own[which, pixels])
        clear = clear * own[which, pixels]
    return clear, list(found)


def _veil(alpha: _Floats, areas: Areas) -> Veil:
    """A surface, or several one behind the other, of an alpha [M] in the whole pixel."""
    if areas.passing is not None:
        clear, before = (one[:, 0] for one in areas.passing)
        return Veil((before / np.maximum(1 - clear, _TINY)).astype(np.float32), clear)
    opacity = np.clip(alpha / np.maximum(areas.reach[:, 0], _TINY), 0, 1)
    return Veil(areas.before[:, 0], np.asarray(1 - opacity, np.float32))


def _nothing(picture: Picture, at: Any) -> None:
    """Leave nothing in some pixels, in place."""
    for values in (picture.beauty, picture.planes, picture.data, *picture.groups.values()):
        if values is not None:
            values[at] = 0
    if picture.identities is not None:
        picture.identities[at] = (-1, 0)


def _rows(picture: Picture) -> Picture:
    """A copy of pixels that were taken."""
    every = np.arange(len(picture.depth))
    return picture.taken(every, np.zeros_like(every))


def _both(one: Picture, other: Picture) -> Picture:
    """Pixels that were taken, and others after them."""
    found: dict[str, Any] = {
        name: np.concatenate([values, getattr(other, name)])
        for name in (*_LIGHT, "depth", "covered")
        if (values := getattr(one, name)) is not None
    }
    groups = {name: np.concatenate([values, other.groups[name]]) for name, values in one.groups.items()}
    return replace(one, **found, groups=groups)


def _put(picture: Picture, at: tuple[NDArray[np.int64], ...], own: Picture) -> None:
    """Light of some pixels, and what is told of them, back into a picture."""
    for name in _LIGHT:
        values, mine = getattr(picture, name), getattr(own, name)
        if values is not None and mine is not None:
            values[at[0], at[1]] = mine[:, 0]
    for name, values in picture.groups.items():
        values[at[0], at[1]] = own.groups[name][:, 0]
