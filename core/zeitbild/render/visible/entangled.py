"""See-through bodies that reach through one another: their surfaces are laid over one another pixel by pixel, by their depths.

A body has one surface, or a near and a far one if it is closed. Over of Porter and Duff 1984 is a sum of what surfaces give, each
weighted by what those before it let through; so the weights are found out first, from depths and areas alone, and no more than one
body is drawn in full at a time. Where surfaces pass through one another within a pixel, its weights are the mean of those of the
orders that there are in it, at places spread over it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.visible.pieces import Pieces, outlines_of
from zeitbild.render.visible.see_through import Areas, opacity_in, rest_behind, rest_of_veil
from zeitbild.snapshot import Snapshot

#: Surfaces that are sorted pixel by pixel at most.
MOST_SURFACES = 12
#: Rows that are sorted at a time, and places of a pixel at which the order is looked at, in pixels from its middle (a net of eight,
#: each row and column once).
_ROWS = 64
_PLACES = (np.array([[0, 3], [1, 6], [2, 1], [3, 4], [4, 7], [5, 2], [6, 5], [7, 0]]) + 0.5) / 8 - 0.5

_Floats = NDArray[np.float32]


@dataclass(frozen=True, slots=True, eq=False)
class Surface:
    """One side of a body in the picture: the body's place, its alpha and its depth [H, W] (NO_DEPTH where it is not), and where it is.
    far tells that it is the far side of a closed one, whose near side stands before it in a list."""

    body: int
    alpha: _Floats
    depth: _Floats
    areas: Areas
    far: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Weights:
    """How much of each surface [K, H, W], and of what is behind all of them [H, W], is seen."""

    surfaces: _Floats
    behind: _Floats


def entangled(snapshot: Snapshot, veiled: Sequence[int]) -> list[tuple[int, ...]]:
    """See-through bodies, given from far to near, as units: alone, or several together that may reach through one another."""
    outlines = outlines_of(snapshot, veiled)
    unit_of = {place: place for place in veiled}

    def root(place: int) -> int:
        while unit_of[place] != place:
            place = unit_of[place]
        return place

    # What touches or lies side by side reaches through nothing.
    least = 1e-6 * np.maximum(np.abs(outlines.depths[:, 1]), 1e-9)
    reaches = np.tril((outlines.deep() > least[:, None]) & outlines.meeting(), -1)
    pieces = Pieces(snapshot)
    planes = np.array([pieces.plane(place) for place in veiled], int)
    # Nor does what lies in one plane: it has an order.
    reaches &= (planes[:, None] != planes) | (planes < 0)
    for number, other in np.argwhere(reaches):
        unit_of[root(veiled[number])] = root(veiled[other])
    meshes, units = snapshot.built_meshes, dict[int, list[int]]()
    for place in veiled:
        units.setdefault(root(place), []).append(place)
    found: list[tuple[int, ...]] = []
    for members in units.values():
        surfaces = sum(2 if meshes[place].closed else 1 for place in members)
        found += [tuple(members)] if surfaces <= MOST_SURFACES else [(place,) for place in members]
    middle = {place: number for number, place in enumerate(veiled)}
    return sorted(found, key=lambda unit: sum(middle[place] for place in unit) / len(unit))


def weights_of(surfaces: Sequence[Surface], solid: _Floats) -> Weights:
    """What is seen of each surface; solid [H, W] is the area that opaque bodies cover (``see_through.lay_over``)."""
    height, width = solid.shape
    weights = Weights(np.empty((len(surfaces), height, width), np.float32), np.empty((height, width), np.float32))
    for top in range(0, height, _ROWS):
        rows = slice(top, min(top + _ROWS, height))
        weights.surfaces[:, rows], weights.behind[rows] = _weights_in(surfaces, solid, rows)
    return weights


def weights_at(surfaces: Sequence[Surface], at: tuple[NDArray[np.int64], ...]) -> tuple[_Floats, _Floats]:
    """What is seen of each surface [K, M] and of see-through things behind all of them [M] in some pixels (rows and columns [M]), where
    opaque things are left out of account (``rims``)."""
    depths = np.stack([np.where(one.areas.seen[at] > 0, one.depth[at], np.float32(np.inf)) for one in surfaces])
    cut = []
    for one in surfaces:
        fade = None if one.areas.fade is None else one.areas.fade[at]
        cut.append((one.alpha[at], Areas(one.areas.seen[at], one.areas.before[at], None, fade)))
    return _Stack.by(surfaces, cut, rest_of_veil, np.isfinite(depths)).through(_sorted(depths))


def _weights_in(surfaces: Sequence[Surface], solid: _Floats, rows: slice) -> tuple[_Floats, _Floats]:
    depths, across, down = _depths(surfaces, rows)
    shape = depths.shape
    depths, across, down = (one.reshape(len(surfaces), -1) for one in (depths, across, down))
    stack = _Stack.of(surfaces, solid, rows, np.isfinite(depths))
    order = _sorted(depths)
    seen, behind = stack.through(order)
    there = np.take_along_axis(stack.there, order, axis=0)
    orders = (depths + across * np.float32(x) + down * np.float32(y) for x, y in _PLACES)
    mixed = np.zeros(depths.shape[1], bool)
    for other in orders:
        mixed |= ((_sorted(other) != order) & there).any(axis=0)
    if mixed.any():
        part = stack.only(mixed)
        own = [one[:, mixed] for one in (depths, across, down)]
        both = [part.through(_sorted(own[0] + own[1] * np.float32(x) + own[2] * np.float32(y))) for x, y in _PLACES]
        seen[:, mixed] = np.mean([one for one, _ in both], axis=0)
        behind[mixed] = np.mean([one for _, one in both], axis=0)
    return seen.reshape(shape), behind.reshape(shape[1:])


def _depths(surfaces: Sequence[Surface], rows: slice) -> tuple[_Floats, _Floats, _Floats]:
    """Depths [K, h, W] in some rows, infinite where a surface is not, and their slopes to the right and down."""
    height = len(surfaces[0].depth)
    first, last = max(rows.start - 1, 0), min(rows.stop + 1, height)
    more = np.stack(
        [np.where(one.areas.seen[first:last] > 0, one.depth[first:last], np.float32(np.inf)) for one in surfaces]
    )
    more[more >= NO_DEPTH] = np.inf
    slopes = []
    with np.errstate(invalid="ignore"):
        for axis in (2, 1):
            slope = np.gradient(more, axis=axis) if more.shape[axis] > 1 else np.zeros_like(more)
            slopes.append(np.where(np.isfinite(slope), slope, 0).astype(np.float32))
    own = slice(rows.start - first, rows.stop - first)
    return more[:, own], slopes[0][:, own], slopes[1][:, own]


def _sorted(depths: _Floats) -> NDArray[np.int64]:
    """Numbers of surfaces from near to far [K, n]; those that are not there come last."""
    return np.argsort(depths, axis=0, kind="stable")


@dataclass(frozen=True, slots=True, eq=False)
class _Stack:
    """Of each surface and pixel [K, n]: whether it is there, what it lets through of what is behind it, and what the near side of a
    closed body does of its own far one, and both together of what is behind them. far_of gives for each near side its far one, else -1."""

    there: NDArray[np.bool_]
    rest: _Floats
    clear: _Floats
    both: _Floats
    far_of: tuple[int, ...]

    @classmethod
    def of(cls, surfaces: Sequence[Surface], solid: _Floats, rows: slice, there: NDArray[np.bool_]) -> _Stack:
        cut = [(one.alpha[rows].reshape(-1), one.areas.in_rows(rows)) for one in surfaces]
        own_solid = solid[rows].reshape(-1)
        return cls.by(surfaces, cut, lambda alpha, areas: rest_behind(alpha, areas, own_solid), there)

    @classmethod
    def by(
        cls,
        surfaces: Sequence[Surface],
        cut: Sequence[tuple[_Floats, Areas]],
        rest_of: Callable[[_Floats, Areas], _Floats],
        there: NDArray[np.bool_],
    ) -> _Stack:
        """From each surface's alpha and areas in some pixels, and what is seen of what is behind such a one."""
        rest = np.stack([rest_of(alpha, areas) for alpha, areas in cut])
        clear, both, far_of = np.zeros_like(rest), np.zeros_like(rest), [-1] * len(surfaces)
        for number, (alpha, areas) in enumerate(cut):
            if number + 1 < len(surfaces) and surfaces[number + 1].far:
                far_of[number] = number + 1
                far_alpha, far_areas = cut[number + 1]
                clear[number] = 1 - opacity_in(alpha, areas)
                both[number] = rest_of(alpha + far_alpha * clear[number], areas.together(far_areas))
        return cls(there, rest, clear, both, tuple(far_of))

    def only(self, chosen: NDArray[np.bool_]) -> _Stack:
        """The chosen pixels alone."""
        there, rest = self.there[:, chosen], self.rest[:, chosen]
        return _Stack(there, rest, self.clear[:, chosen], self.both[:, chosen], self.far_of)

    def through(self, order: NDArray[np.int64]) -> tuple[_Floats, _Floats]:
        """What is seen of each surface [K, n] and of what is behind all [n], in an order from near to far."""
        ranks, pixels = np.argsort(order, axis=0), np.arange(order.shape[1])
        rest, joined = self.rest.copy(), np.zeros(order.shape, bool)
        partner = np.arange(len(self.rest))
        for near, far in enumerate(self.far_of):
            if far >= 0:
                # Both cover the same area of a pixel; with nothing between them they are one surface.
                joined[near] = (ranks[far] == ranks[near] + 1) & self.there[near] & self.there[far]
                rest[near][joined[near]] = self.both[near][joined[near]]
                partner[near] = far
        seen = np.zeros(order.shape, np.float32)
        left = np.ones(order.shape[1], np.float32)
        done = np.zeros(order.shape, bool)
        for which in order:
            takes = self.there[which, pixels] & ~done[which, pixels]
            seen[which[takes], pixels[takes]] = left[takes]
            pair = takes & joined[which, pixels]
            both, at = which[pair], pixels[pair]
            seen[partner[both], at] = left[pair] * self.clear[both, at]
            done[partner[both], at] = True
            left[takes] *= rest[which[takes], pixels[takes]]
        return seen, left


def distinct(solids: Sequence[_Floats]) -> Iterator[tuple[_Floats, list[int]]]:
    """Each of several areas once, with the numbers of those that are equal to it."""
    left = list(range(len(solids)))
    while left:
        same = [number for number in left if number == left[0] or np.array_equal(solids[number], solids[left[0]])]
        yield solids[left[0]], same
        left = [number for number in left if number not in same]


def surface_of(picture: Picture, areas: Areas, body: int, *, far: bool = False) -> Surface:
    """What of a drawing tells how much is seen of it."""
    return Surface(body, picture.beauty[..., 3].copy(), picture.depth, areas, far)
