"""See-through bodies that reach through one another: their surfaces are laid over one another pixel by pixel, by their depths.

A body has one surface, or a near and a far one if it is closed. Over of Porter and Duff 1984 is a sum of what surfaces give, each
weighted by what those before it let through; so the weights are found out first, from depths and areas alone, and no more than one
body is drawn in full at a time. Where surfaces pass through one another within a pixel, its weights are the mean of those of the
orders that there are in it, at places spread over it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.visible.areas import Areas, opacity_in, rest_behind
from zeitbild.render.visible.pieces import Pieces, outlines_of
from zeitbild.snapshot import Snapshot

#: Surfaces that are sorted pixel by pixel at most.
MOST_SURFACES = 12
#: Rows that are sorted at a time, and places of a pixel at which the order is looked at, in pixels from its middle (a net of eight,
#: each row and column once).
_ROWS = 64
_PLACES = (np.array([[0, 3], [1, 6], [2, 1], [3, 4], [4, 7], [5, 2], [6, 5], [7, 0]]) + 0.5) / 8 - 0.5

_TINY = np.float32(1e-6)

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


def weights_at(
    surfaces: Sequence[Surface], at: tuple[NDArray[np.int64], NDArray[np.int64]], solid: _Floats, least: _Floats
) -> tuple[_Floats, _Floats]:
    """What is seen of each surface [K, M] and of see-through things behind all of them [M] in some pixels (rows and columns [M]), where
    opaque things are left out of account (``rims``): those cover an area ``solid`` [M], and stand before what is behind in an area ``least``.

    Areas of a pixel that something opaque takes before surfaces lie one within the other, as they do before one edge: then it falls into
    stripes, in each of which some surfaces are, and lie over one another.
    """
    before = np.stack([np.clip(one.areas.before[at], 0, 1) for one in surfaces])
    there = np.stack([one.areas.seen[at] > 0 for one in surfaces])
    reach = np.stack([one.areas.reach[at] for one in surfaces])
    alpha = np.clip(np.stack([one.alpha[at] for one in surfaces]) / np.maximum(reach, _TINY), 0, 1)
    # How much of the open part of a pixel a surface takes, if it takes all that is opaque but what stands before it; or of that.
    over = np.maximum(solid - before, 0)
    beside = np.clip((reach - over) / np.maximum(1 - solid, _TINY), 0, 1)
    inside_of = np.clip(reach / np.maximum(over, _TINY), 0, 1)
    order = _sorted(np.where(there, np.stack([one.depth[at] for one in surfaces]), np.float32(np.inf)))
    body_of = np.array([one.body for one in surfaces])
    nothing = np.zeros((1, before.shape[1]), np.float32)
    ends = np.sort(
        np.concatenate([nothing, np.where(there, before, 1), solid[None], np.minimum(least, 1)[None], nothing + 1]),
        axis=0,
    )
    starts, widths, pixels = ends[:-1], np.diff(ends, axis=0), np.arange(before.shape[1])
    # What is left in each stripe, and was before the body whose surfaces follow one another, and what those let through.
    left, earlier = np.ones_like(starts), np.ones_like(starts)
    last, clear = np.full(before.shape[1], -1), np.ones(before.shape[1], np.float32)
    seen = np.zeros_like(before)
    for which in order:
        own, goes_on = alpha[which, pixels], body_of[which] == last
        earlier, clear = np.where(goes_on, earlier, left), np.where(goes_on, clear, 1)
        part = np.where(starts >= solid - _TINY, beside[which, pixels], inside_of[which, pixels])
        part = np.where((starts >= before[which, pixels] - _TINY) & there[which, pixels], part, 0)
        wide, visible = widths * part, earlier * clear
        seen[which, pixels] = (wide * visible).sum(axis=0) / np.maximum(wide.sum(axis=0), _TINY)
        # What is behind a surface of the same body lies in the area of that.
        left, clear, last = left - visible * part * own, clear * (1 - own), body_of[which]
    wide = np.where(starts >= least - _TINY, widths, 0)
    behind = (wide * left).sum(axis=0) / np.maximum(wide.sum(axis=0), _TINY)
    return seen.astype(np.float32), behind.astype(np.float32)


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
    """Of each surface and pixel [K, n]: whether it is there, what is seen of what is behind it, and what it lets through where it is; and the
    body of each surface [K]."""

    there: NDArray[np.bool_]
    rest: _Floats
    clear: _Floats
    body_of: NDArray[np.int64]

    @classmethod
    def of(cls, surfaces: Sequence[Surface], solid: _Floats, rows: slice, there: NDArray[np.bool_]) -> _Stack:
        cut = [(one.alpha[rows].reshape(-1), one.areas.in_rows(rows)) for one in surfaces]
        own_solid = solid[rows].reshape(-1)
        rest = np.stack([rest_behind(alpha, areas, own_solid) for alpha, areas in cut])
        clear = 1 - np.stack([opacity_in(alpha, areas) for alpha, areas in cut])
        return cls(there, rest, clear, np.array([one.body for one in surfaces]))

    def only(self, chosen: NDArray[np.bool_]) -> _Stack:
        """The chosen pixels alone."""
        return replace(self, there=self.there[:, chosen], rest=self.rest[:, chosen], clear=self.clear[:, chosen])

    def through(self, order: NDArray[np.int64]) -> tuple[_Floats, _Floats]:
        """What is seen of each surface [K, n] and of what is behind all [n], in an order from near to far."""
        pixels = np.arange(order.shape[1])
        seen = np.zeros(order.shape, np.float32)
        left = np.ones(order.shape[1], np.float32)
        # Before the body whose surfaces follow one another, and what those let through: they lie in the area of one another.
        earlier, clear, last = left, left, np.full(order.shape[1], -1)
        for which in order:
            there, goes_on = self.there[which, pixels], self.body_of[which] == last
            earlier, clear = np.where(goes_on, earlier, left), np.where(goes_on, clear, 1)
            visible = np.where(there, earlier * clear, 0)
            seen[which, pixels] = visible
            left = left - visible * (1 - self.rest[which, pixels])
            clear, last = clear * np.where(there, self.clear[which, pixels], 1), self.body_of[which]
        return seen, np.maximum(left, 0)


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
