"""Filled contours as one clean outline on a grid of whole numbers: nothing crosses, ink lies to the left of every edge.

The grid is so fine that it moves nothing that can be seen, and whole numbers are what exact geometry needs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import manifold3d
import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.curves import Contour, Points, after_each, before_each
from zeitbild.kernels import kernel

#: Steps of the grid across the larger side of the ink.
GRID = 1 << 23
#: Directions at a point that differ by less belong to one curve.
_SMOOTH_DEGREES = 15.0
_SMOOTH_COSINE = math.cos(math.radians(_SMOOTH_DEGREES))
#: How often contours are united anew if rounding made some of them cross.
_TRIES = 5
#: So far (steps of the grid) a point is moved off an edge that it lies on.
_APART = 3.0


def step_for(extent: float) -> float:
    """The step of a grid that is so far across (units): a power of two, so that halves, quarters and whole units lie on it, and two shapes that
    touch have the very same corners there."""
    return 2.0 ** math.ceil(math.log2(extent / GRID))


@dataclass(frozen=True, slots=True, eq=False)
class Outline:
    """Closed contours, one after the other; edge k goes from point k to point following[k].

    points [n, 2] float64, whole numbers; a point's place in units is origin + points * step. normals [n, 2, 2]: outward
    unit directions of the true curve at the start and the end of edge k. smooth [n]: the outline has no corner at point k.
    """

    points: Points
    following: NDArray[np.int64]
    normals: Points
    smooth: NDArray[np.bool_]
    origin: Points
    step: float

    @property
    def bounds(self) -> Points:
        """Lower left and upper right corner in units [2, 2]."""
        corners: Points = np.stack([self.points.min(axis=0), self.points.max(axis=0)]) * self.step + self.origin
        return corners

    def loops(self) -> list[Points]:
        """Each contour's points, in the outline's order."""
        ends = np.flatnonzero(self.following <= np.arange(len(self.following))) + 1
        return np.split(self.points, ends[:-1])


@kernel
def crossing(points, following):  # type: ignore[no-untyped-def]
    """Whether any two edges meet other than at a common end, or a point lies on an edge; coordinates are whole numbers."""
    count = points.shape[0]
    low, high = np.empty(count), np.empty(count)
    for k in range(count):
        q = following[k]
        low[k], high[k] = min(points[k, 0], points[q, 0]), max(points[k, 0], points[q, 0])
    order = np.argsort(low, kind="mergesort")
    for i in range(count):
        k = order[i]
        k2 = following[k]
        ax, ay, bx, by = points[k, 0], points[k, 1], points[k2, 0], points[k2, 1]
        low_y, high_y = min(ay, by), max(ay, by)
        for j in range(i + 1, count):
            m = order[j]
            if low[m] > high[k]:
                break
            m2 = following[m]
            cx, cy, dx, dy = points[m, 0], points[m, 1], points[m2, 0], points[m2, 1]
            if max(cy, dy) < low_y or min(cy, dy) > high_y:
                continue
            # Products of whole numbers below 2^24 are exact in double precision.
            side_c = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
            side_d = (bx - ax) * (dy - ay) - (by - ay) * (dx - ax)
            side_a = (dx - cx) * (ay - cy) - (dy - cy) * (ax - cx)
            side_b = (dx - cx) * (by - cy) - (dy - cy) * (bx - cx)
            if (side_c > 0) == (side_d > 0) and side_c != 0 and side_d != 0:
                continue
            if (side_a > 0) == (side_b > 0) and side_a != 0 and side_b != 0:
                continue
            # They meet: only in an end that both have?
            shared = 0
            if (ax == cx and ay == cy) or (ax == dx and ay == dy):
                shared += 1
            if (bx == cx and by == cy) or (bx == dx and by == dy):
                shared += 1
            zeros = (side_a == 0) + (side_b == 0) + (side_c == 0) + (side_d == 0)
            if shared == 1 and zeros <= 2:
                continue
            if shared == 1 and zeros == 4:
                # In one line: away from the common end, do both go the same way?
                from_start = (ax == cx and ay == cy) or (ax == dx and ay == dy)
                ux, uy = (bx - ax, by - ay) if from_start else (ax - bx, ay - by)
                sx, sy = (ax, ay) if from_start else (bx, by)
                other_x, other_y = (dx, dy) if (cx == sx and cy == sy) else (cx, cy)
                if ux * (other_x - sx) + uy * (other_y - sy) < 0:
                    continue
            return True
    return False


@kernel
def part(points, following):  # type: ignore[no-untyped-def]
    """Move points that lie on an edge a few steps to its left, where the ink is: in place."""
    count = points.shape[0]
    order = np.argsort(points[:, 0], kind="mergesort")
    sorted_x = points[order, 0].copy()
    for k in range(count):
        q = following[k]
        ax, ay, dx, dy = points[k, 0], points[k, 1], points[q, 0] - points[k, 0], points[q, 1] - points[k, 1]
        square = dx * dx + dy * dy
        length = math.sqrt(square)
        low = np.searchsorted(sorted_x, min(ax, ax + dx) - 1.0)
        for i in range(low, count):
            if sorted_x[i] > max(ax, ax + dx) + 1.0:
                break
            p = order[i]
            x, y = points[p, 0] - ax, points[p, 1] - ay
            along = x * dx + y * dy
            if p in (k, q) or along <= 0.0 or along >= square:
                continue
            if abs(dx * y - dy * x) <= length:
                points[p, 0] += np.round(-dy / length * _APART)
                points[p, 1] += np.round(dx / length * _APART)


def _cleaned(rings: list[Points]) -> list[Points]:
    """Rings on the grid without doubled points, points in a straight line and rings that enclose nothing."""
    clean = []
    for ring in rings:
        points = np.round(ring)
        while len(points) >= 3:
            # Doubled points first: of two that are one, both would seem to lie in line.
            points = points[(points != before_each(points)).any(axis=1)]
            before, after = points - before_each(points), after_each(points) - points
            turning = before[:, 0] * after[:, 1] != before[:, 1] * after[:, 0]
            if turning.all():
                break
            points = points[turning]
        if len(points) >= 3:
            clean.append(points)
    return clean


def _following(rings: list[Points]) -> NDArray[np.int64]:
    ends = np.cumsum([len(ring) for ring in rings])
    found = np.arange(1, ends[-1] + 1)
    found[ends - 1] = [0, *ends[:-1]]
    return found.astype(np.int64)


def _snapped(rings: list[Points]) -> list[Points]:
    """Rings rounded so that nothing crosses (snap rounding)."""
    import shapely  # needed for one outline in thousands

    def polygons(positive: bool) -> list[shapely.Polygon]:
        return [
            shapely.make_valid(shapely.Polygon(ring))
            for ring in rings
            if (shapely.LinearRing(ring).is_ccw if len(ring) >= 3 else False) == positive
        ]

    solid = shapely.union_all(polygons(True), grid_size=1.0)
    solid = shapely.difference(solid, shapely.union_all(polygons(False), grid_size=1.0), grid_size=1.0)
    found = []
    for part in shapely.get_parts(solid):
        if part.geom_type != "Polygon":
            continue
        part = shapely.geometry.polygon.orient(part)
        found += [np.asarray(ring.coords)[:-1] for ring in (part.exterior, *part.interiors)]
    return _cleaned(found)


def _edge_keys(start: Points, end: Points) -> NDArray[np.int64]:
    """A number for each edge by its ends on the grid; that two edges have the same by chance is one in 10^18."""
    mixed = np.zeros(len(start), np.uint64)
    for column in (start[:, 0], start[:, 1], end[:, 0], end[:, 1]):
        mixed = (mixed ^ column.astype(np.int64).view(np.uint64)) * np.uint64(0x9E3779B97F4A7C15)
        mixed ^= mixed >> np.uint64(29)
    return mixed.view(np.int64)


def _last_of(known: NDArray[np.int64], order: NDArray[np.int64], wanted: NDArray[np.int64]) -> NDArray[np.int64]:
    """Where each wanted number stands in known, for the last time; -1 where it does not. order sorts known."""
    at = np.searchsorted(known, wanted, side="right", sorter=order) - 1
    place = order[np.maximum(at, 0)]
    return np.where((at >= 0) & (known[place] == wanted), place, -1)


#: How far around (steps) directions are looked for first, then next; so few pairs of edges are all looked at, and so many at most are
#: held at once.
_FARTHER = (8.0, 64.0, 512.0, 4096.0)
_FEW_PAIRS, _MOST_PAIRS = 1_000_000, 20_000_000


@kernel
def _match(starts, ends, from_starts, from_ends, from_normals, lost, firsts, lasts, near, far_off, out, unsure):  # type: ignore[no-untyped-def]
    """Directions at the ends of edges that are pieces of others, or lie within rounding of them.

    For each of the ``lost`` ones only those of the others are looked at that are ``near``, from firsts to lasts; unsure gets 1 where the best
    of them is so far that one beyond ``far_off``, which may not be among them, might be better.
    """
    for n in range(lost.shape[0]):
        k = lost[n]
        ax, ay, bx, by = starts[k, 0], starts[k, 1], ends[k, 0], ends[k, 1]
        ex, ey = bx - ax, by - ay
        length = math.sqrt(ex * ex + ey * ey)
        mx, my = (ax + bx) / 2, (ay + by) / 2
        best, found, backwards = 1e300, -1, False
        for at in range(firsts[n], lasts[n]):
            s = near[at]
            cx, cy = from_starts[s, 0], from_starts[s, 1]
            dx, dy = from_ends[s, 0] - cx, from_ends[s, 1] - cy
            square = dx * dx + dy * dy
            if square == 0.0:
                continue
            t = min(1.0, max(0.0, ((mx - cx) * dx + (my - cy) * dy) / square))
            gx, gy = mx - cx - t * dx, my - cy - t * dy
            along = (dx * ex + dy * ey) / (math.sqrt(square) * max(length, 1e-300))
            # Lying beside counts, and so does leaning: short edges may lie near many.
            far = math.sqrt(gx * gx + gy * gy) + length * (1.0 - abs(along))
            if far < best:
                best, found, backwards = far, s, along < 0.0
        unsure[n] = 1 if best > far_off else 0
        if found < 0:
            continue
        cx, cy = from_starts[found, 0], from_starts[found, 1]
        dx, dy = from_ends[found, 0] - cx, from_ends[found, 1] - cy
        square = dx * dx + dy * dy
        sign = -1.0 if backwards else 1.0
        for end in range(2):
            x, y = (ax, ay) if end == 0 else (bx, by)
            t = min(1.0, max(0.0, ((x - cx) * dx + (y - cy) * dy) / square))
            nx = (1 - t) * from_normals[found, 0, 0] + t * from_normals[found, 1, 0]
            ny = (1 - t) * from_normals[found, 0, 1] + t * from_normals[found, 1, 1]
            size = max(math.sqrt(nx * nx + ny * ny), 1e-12)
            out[k, end, 0], out[k, end, 1] = sign * nx / size, sign * ny / size


def _find_near(
    starts: Points,
    ends: Points,
    from_starts: Points,
    from_ends: Points,
    from_normals: Points,
    lost: NDArray[np.int64],
    out: Points,
) -> None:
    """``_match`` for edges whose numbers are ``lost``: among those nearby first, farther and farther off for those that are left."""
    import shapely  # not needed for most outlines

    def match(
        some: NDArray[np.int64], firsts: NDArray[np.int64], lasts: NDArray[np.int64], near: NDArray[np.int64]
    ) -> None:
        unsure = np.zeros(len(some), np.uint8)
        _match(starts, ends, from_starts, from_ends, from_normals, some, firsts, lasts, near, far_off, out, unsure)
        left.append(some[unsure > 0])

    tree = None
    for far_off in (*_FARTHER, math.inf):
        left = list[NDArray[np.int64]]()
        if math.isinf(far_off) or len(lost) * len(from_starts) <= _FEW_PAIRS:
            far_off = math.inf
            nothing = np.zeros(len(lost), np.int64)
            match(lost, nothing, nothing + len(from_starts), np.arange(len(from_starts)))
        else:
            tree = tree or shapely.STRtree(shapely.linestrings(np.stack([from_starts, from_ends], axis=1)))
            # So many at a time that they have room even if all are near.
            for some in np.array_split(lost, 1 + len(lost) * len(from_starts) // _MOST_PAIRS):
                of, near = tree.query(shapely.points((starts[some] + ends[some]) / 2), "dwithin", far_off)
                order = np.lexsort((near, of))
                firsts, lasts = (np.searchsorted(of[order], np.arange(len(some)), side) for side in ("left", "right"))
                match(some, firsts, lasts, near[order])
        lost = np.concatenate(left)
        if not len(lost):
            return


def _directions(starts: Points, ends: Points, sources: Sequence[Contour]) -> Points:
    """Outward directions at both ends of the outline's edges, found again on the contours that it was made of."""
    from_starts = np.concatenate([contour.points for contour in sources])
    from_ends = from_starts[_following([contour.points for contour in sources])]
    from_normals = np.concatenate([contour.normals for contour in sources])
    out = np.empty((len(starts), 2, 2))
    forwards, backwards = _edge_keys(starts, ends), _edge_keys(ends, starts)
    known = _edge_keys(from_starts, from_ends)
    order = np.argsort(known, kind="stable")
    found, turned = _last_of(known, order, forwards), _last_of(known, order, backwards)
    out[found >= 0] = from_normals[found[found >= 0]]
    back = (found < 0) & (turned >= 0)
    out[back] = -from_normals[turned[back], ::-1]
    lost = np.flatnonzero((found < 0) & (turned < 0))
    if len(lost):
        along = ends - starts
        length = np.maximum(np.hypot(along[:, 0], along[:, 1]), 1e-300)[:, None]
        flat = np.column_stack([along[:, 1], -along[:, 0]]) / length
        out[lost] = flat[lost, None]
        _find_near(starts, ends, from_starts, from_ends, from_normals, lost, out)
        # What leans far from its own edge was not found: it is a piece that rounding made.
        wrong = lost[(out[lost] * flat[lost, None]).sum(axis=2).min(axis=1) < 0.5]
        out[wrong] = flat[wrong, None]
    return out


def outline_of(contours: Sequence[Contour]) -> Outline | None:
    """The outline of what contours fill by the non-zero rule; None if they fill nothing."""
    contours = [contour for contour in contours if len(contour.points) >= 3]
    if not contours:
        return None
    low = np.min([contour.points.min(axis=0) for contour in contours], axis=0)
    high = np.max([contour.points.max(axis=0) for contour in contours], axis=0)
    extent = float((high - low).max())
    if not extent > 0:
        return None
    step = step_for(extent)
    sources = [Contour(np.round((contour.points - low) / step), contour.normals) for contour in contours]
    return outline_on([contour.points for contour in sources], sources, low, step)


def outline_on(rings: list[Points], sources: Sequence[Contour], low: Points, step: float) -> Outline | None:
    """The outline of what rings fill by the non-zero rule, on the grid that begins at ``low`` and has steps of ``step`` units; None if
    they fill nothing.

    Rings and sources are in steps; the directions of the outline's edges are found on the sources.
    """
    for attempt in range(_TRIES + 1):
        if attempt == _TRIES:
            rings = _snapped(rings)
        else:
            ink = manifold3d.CrossSection(rings, manifold3d.FillRule.NonZero)
            rings = _cleaned([np.asarray(ring) for ring in ink.to_polygons()])
        if not rings:
            return None
        points, following = np.concatenate(rings), _following(rings)
        if not crossing(points, following):
            break
        part(points, following)
        rings = np.split(points, np.cumsum([len(ring) for ring in rings])[:-1])
    normals = _directions(points, points[following], sources)
    before = np.empty((len(points), 2))
    before[following] = normals[:, 1]
    smooth = (before * normals[:, 0]).sum(axis=1) > _SMOOTH_COSINE
    mean = before + normals[:, 0]
    mean /= np.maximum(np.hypot(mean[:, 0], mean[:, 1]), 1e-12)[:, None]
    normals[smooth, 0] = mean[smooth]
    ending = smooth[following]
    normals[ending, 1] = mean[following[ending]]
    return Outline(points, following, normals, smooth, low, step)


def coarser(outline: Outline) -> Outline | None:
    """The same outline on a grid of a sixteenth as many steps."""
    loops = outline.loops()
    normals = np.split(outline.normals, np.cumsum([len(loop) for loop in loops])[:-1])
    step = 16 * outline.step
    return outline_of(
        [Contour(np.round(loop / 16) * step + outline.origin, own) for loop, own in zip(loops, normals, strict=True)]
    )
