"""Exact areas that surfaces take of a pixel.

A pixel is cut by the edges of its triangles, from the nearest to the farthest, into convex cells (Sutherland and Hodgman 1974, Reentrant
Polygon Clipping): what lies in a triangle is that one's, and the rest goes on to those behind it. Where surfaces reach through one another
it is cut along those lines first, and each part has an order of its own. What lies in one plane side by side is added up.

Triangles are those of ``Bins.scaled``: edge functions and nearness are v + f x + g y in a pixel, whose sides are 1 and whose upper left corner is
at x and y. Surfaces are told apart by their patches.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, kernel
from zeitbild.render.visible.polygons import clipped_area, cut, measure

#: Triangles and surfaces of a pixel that are told apart at most, cells of it and corners of each, and parts that it is cut into where surfaces
#: reach through one another.
_MOST, _SURFACES, _CELLS, _CORNERS, _PARTS = 96, 12, 96, 16, 16
MOST_TRIANGLES, MOST_SURFACES = _MOST, _SURFACES
#: Areas below this are nothing.
_NOTHING = NOTHING = 1e-9
#: Triangles whose nearness differs by less (as a share) lie in one plane; and areas that differ by less are the same.
_ONE_PLANE, _ALIKE = 1e-8, 0.004


class Near(NamedTuple):
    """Triangles of a pixel from near to far, room to work in: which they are, how near they are at its middle, and how much nearer or farther
    elsewhere in it, all [_MOST]."""

    which: NDArray[np.int64]
    height: NDArray[np.float64]
    reach: NDArray[np.float64]


class Shares(NamedTuple):
    """What surfaces have of a pixel, all [_SURFACES]: their patches, areas, those times the place in the pixel of their middle, across and down,
    the triangle of each that has most of it, and how much."""

    patches: NDArray[np.int32]
    area: NDArray[np.float64]
    across: NDArray[np.float64]
    down: NDArray[np.float64]
    triangle: NDArray[np.int64]
    most: NDArray[np.float64]


class Polygons(NamedTuple):
    """Convex polygons, room to work in: corners across and down [..., _CORNERS], and how many each has [...]."""

    xs: NDArray[np.float64]
    ys: NDArray[np.float64]
    corners: NDArray[np.int64]


class Room(NamedTuple):
    """Room to work in: parts of a pixel; cells of one of them, in two halves [2, cells]; a polygon that is cut, two at a time [4, _CORNERS]; and
    what ``clipped_area`` needs."""

    parts: Polygons
    cells: Polygons
    work: NDArray[np.float64]
    ring: NDArray[np.float64]
    other: NDArray[np.float64]


@kernel
def make_room():  # type: ignore[no-untyped-def]
    """Near, Shares and Room, with whatever they hold."""
    near = Near(np.empty(_MOST, np.int64), np.empty(_MOST), np.empty(_MOST))
    shares = Shares(
        np.empty(_SURFACES, np.int32),
        np.empty(_SURFACES),
        np.empty(_SURFACES),
        np.empty(_SURFACES),
        np.empty(_SURFACES, np.int64),
        np.empty(_SURFACES),
    )
    parts = Polygons(np.empty((_PARTS, _CORNERS)), np.empty((_PARTS, _CORNERS)), np.empty(_PARTS, np.int64))
    # One more than there may be: what is cut off comes there before it is known whether it is anything.
    cells = Polygons(
        np.empty((2, _CELLS + 1, _CORNERS)), np.empty((2, _CELLS + 1, _CORNERS)), np.empty((2, _CELLS + 1), np.int64)
    )
    return near, shares, Room(parts, cells, np.empty((4, _CORNERS)), np.empty((8, 2)), np.empty((8, 2)))


@inlined_kernel
def _edge(scaled, t, e, x, y):  # type: ignore[no-untyped-def]
    """v, f and g of a triangle's edge function, or (3) of its nearness."""
    f, g = scaled[t, 3 * e], scaled[t, 3 * e + 1]
    return f * x + g * y + scaled[t, 3 * e + 2], f, g


@kernel
def put_in_order(near, many, t, scaled, x, y, behind):  # type: ignore[no-untyped-def]
    """Put a triangle among those of a pixel, of which there are so many, unless it is ``behind`` all of one that fills the pixel (the nearness that
    nothing seen falls below; less than 0: none does). Gives how many there are then, and that nearness; -1 for too many."""
    which, height, reach = near
    v, f, g = _edge(scaled, t, 3, x, y)
    middle, spread = v + 0.5 * (f + g), 0.5 * (abs(f) + abs(g))
    if middle + spread < behind:
        return many, behind
    whole = True
    for e in range(3):
        v, f, g = _edge(scaled, t, e, x, y)
        whole = whole and v + min(f, 0.0) + min(g, 0.0) >= 0.0
    if whole and middle - spread > behind:
        behind = middle - spread
        while many > 0 and height[many - 1] + reach[many - 1] < behind:
            many -= 1
    if many == _MOST:
        return -1, behind
    j = many
    while j > 0 and height[j - 1] < middle:
        which[j], height[j], reach[j] = which[j - 1], height[j - 1], reach[j - 1]
        j -= 1
    which[j], height[j], reach[j] = t, middle, spread
    return many + 1, behind


@inlined_kernel
def _make_square(xs, ys):  # type: ignore[no-untyped-def]
    """The whole pixel as a polygon; gives its corners."""
    xs[0], xs[1], xs[2], xs[3] = 0.0, 1.0, 1.0, 0.0
    ys[0], ys[1], ys[2], ys[3] = 0.0, 0.0, 1.0, 1.0
    return 4


@inlined_kernel
def _take(shares, slots, patch, t, area, across, down):  # type: ignore[no-untyped-def]
    """Give a surface an area of which a triangle is, and that times the place of its middle. Gives how many surfaces there are then, of slots
    before; more than there is room for if they are too many."""
    # Unpacked first: what is written to by its name in a record is left out as if nobody would read it.
    own, areas, acrosses, downs, triangles, most = shares
    slot = 0
    while slot < slots and own[slot] != patch:
        slot += 1
    if slot == _SURFACES:
        return _SURFACES + 1
    if slot == slots:
        own[slot] = patch
        areas[slot], acrosses[slot], downs[slot], most[slot] = 0.0, 0.0, 0.0, 0.0
        slots += 1
    areas[slot] += area
    acrosses[slot] += across
    downs[slot] += down
    if area > most[slot]:
        triangles[slot], most[slot] = t, area
    return slots


@inlined_kernel
def _begin(shares, slots):  # type: ignore[no-untyped-def]
    """So many slots as if nothing were theirs yet."""
    _, areas, acrosses, downs, _, most = shares
    for slot in range(slots):
        areas[slot], acrosses[slot], downs[slot], most[slot] = 0.0, 0.0, 0.0, 0.0


@kernel
def _cut_where_they_cross(many, which, patches, x, y, scaled, parts, work):  # type: ignore[no-untyped-def]
    """Cut a pixel into parts in each of which of any two of its triangles one is before the other. Gives how many there are; 0 for too many."""
    xs, ys, corners = parts
    corners[0] = _make_square(xs[0], ys[0])
    count = 1
    for k in range(1, many):
        for j in range(k):
            v, f, g = _edge(scaled, which[k], 3, x, y)
            other_v, other_f, other_g = _edge(scaled, which[j], 3, x, y)
            v, f, g = v - other_v, f - other_f, g - other_g
            same = patches[which[k]] == patches[which[j]]
            if same or abs(v + 0.5 * (f + g)) >= 0.5 * (abs(f) + abs(g)):
                continue
            for part in range(count):
                if count == _PARTS or corners[part] + 2 >= _CORNERS:
                    return 0
                before, behind = cut(xs[part], ys[part], corners[part], v, f, g, work[0], work[1], work[2], work[3])
                # A line that runs along another one cuts nothing off.
                if (
                    before < 3
                    or behind < 3
                    or measure(work[0], work[1], before)[0] < _NOTHING
                    or measure(work[2], work[3], behind)[0] < _NOTHING
                ):
                    continue
                xs[part, :before], ys[part, :before], corners[part] = work[0, :before], work[1, :before], before
                xs[count, :behind], ys[count, :behind], corners[count] = work[2, :behind], work[3, :behind], behind
                count += 1
    return count


@kernel
def _share_out(many, which, patches, x, y, scaled, shares, slots, cells, work):  # type: ignore[no-untyped-def]
    """Areas of a convex part of a pixel (the first cell), of triangles from near to far, added to shares, which has so many slots. Gives how many
    it has then; 0 if that cannot be told."""
    xs, ys, corners = cells
    # From one half of the room for cells into the other.
    own, other, count = 0, 1, 1
    for k in range(many):
        t = which[k]
        area, across, down, left = 0.0, 0.0, 0.0, 0
        for cell in range(count):
            inside, at = corners[own, cell], 0
            work[0, :inside], work[1, :inside] = xs[own, cell, :inside], ys[own, cell, :inside]
            for e in range(3):
                if left == _CELLS or inside + 1 >= _CORNERS:
                    return 0
                v, f, g = _edge(scaled, t, e, x, y)
                off_x, off_y = xs[other, left], ys[other, left]
                inside, off = cut(work[at], work[at + 1], inside, v, f, g, work[2 - at], work[3 - at], off_x, off_y)
                at = 2 - at
                if off > 2 and measure(off_x, off_y, off)[0] > _NOTHING:
                    corners[other, left] = off
                    left += 1
                if inside < 3:
                    break
            if inside > 2:
                own_area, own_across, own_down = measure(work[at], work[at + 1], inside)
                area, across, down = area + own_area, across + own_across, down + own_down
        if area > _NOTHING:
            slots = _take(shares, slots, patches[t], t, area, across, down)
            if slots > _SURFACES:
                return 0
            own, other, count = other, own, left
            if count == 0:
                break
    return slots


@kernel
def _add_up(many, which, patches, x, y, scaled, shares, slots, room):  # type: ignore[no-untyped-def]
    """``_share_out`` of a whole pixel to triangles that lie side by side: what each has of it. Gives the area of all, too."""
    total = 0.0
    for k in range(many):
        t = which[k]
        v0, f0, g0 = _edge(scaled, t, 0, x, y)
        v1, f1, g1 = _edge(scaled, t, 1, x, y)
        v2, f2, g2 = _edge(scaled, t, 2, x, y)
        area, middle_x, middle_y = clipped_area(v0, f0, g0, v1, f1, g1, v2, f2, g2, room.ring, room.other)
        if area > _NOTHING:
            slots = _take(shares, slots, patches[t], t, area, area * middle_x, area * middle_y)
            if slots > _SURFACES:
                return 0, 0.0
            total += area
    return slots, total


@kernel
def measure_out(many, near, patches, x, y, scaled, shares, slots, room, covered):  # type: ignore[no-untyped-def]
    """What surfaces have of a pixel at x and y by so many triangles in their order (near, in another one afterwards): into shares, whose first slots
    have patches that are asked for. covered is the area that is known to be covered, 0 if none is. Gives how many slots there are then, 0 if
    that cannot be told."""
    which, height, _ = near
    parts, cells, work, _, _ = room
    cells_x, cells_y, cells_corners = cells
    _begin(shares, slots)
    if height[0] - height[many - 1] <= _ONE_PLANE * abs(height[0]):
        # All in one plane, mostly of one mesh, and side by side: unless more is covered than there is.
        there, total = _add_up(many, which, patches, x, y, scaled, shares, slots, room)
        if there > 0 and total <= 1.0 + _ALIKE and (covered == 0.0 or abs(total - covered) < _ALIKE):
            return there
        _begin(shares, slots)
    count = _cut_where_they_cross(many, which, patches, x, y, scaled, parts, work)
    for part in range(count):
        corners = parts.corners[part]
        cells_x[0, 0, :corners], cells_y[0, 0, :corners] = parts.xs[part, :corners], parts.ys[part, :corners]
        cells_corners[0, 0] = corners
        if count > 1:
            area, across, down = measure(parts.xs[part], parts.ys[part], corners)
            for k in range(many):
                v, f, g = _edge(scaled, which[k], 3, x, y)
                t, j, nearness = which[k], k, v + f * across / area + g * down / area
                while j > 0 and height[j - 1] < nearness:
                    which[j], height[j] = which[j - 1], height[j - 1]
                    j -= 1
                which[j], height[j] = t, nearness
        slots = _share_out(many, which, patches, x, y, scaled, shares, slots, cells, work)
        if slots == 0:
            return 0
    return slots if count > 0 else 0
