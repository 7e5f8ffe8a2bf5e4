"""Points along the edges of an outline's diagram: how far its vertices lie from the outline, where edges cross a level, and as many
points between as a curve needs. Each edge is done once, for both cells that share it.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel

#: Steps round a corner, at most: a facet's direction is then off by half of that.
ARC_STEP = math.radians(8.0)
_STRAIGHT, _BETWEEN_POINTS, _PARABOLA = 0, 1, 2


class Shape(NamedTuple):
    """An outline in its grid, as kernels take it: points [n, 2], following [n] and normals [n, 2, 2] as ``Outline`` has them; leans [n, 2] are the
    tangents of half the turn at each edge's start and end, positive where the ink turns back."""

    points: NDArray[np.float64]
    following: NDArray[np.int64]
    normals: NDArray[np.float64]
    leans: NDArray[np.float64]


@kernel
def vertex_distances(shape, diagram, levels, snap, out):  # type: ignore[no-untyped-def]
    """Distance of every used vertex of the diagram from the outline; close to a level it is the level. -1: not used."""
    points, following, edge_count = shape.points, shape.following, shape.points.shape[0]
    vertices, start, end, sites = diagram.vertices, diagram.start, diagram.end, diagram.sites
    rings, ring_starts = diagram.rings, diagram.ring_starts
    out[:] = -1.0
    for cell in range(ring_starts.shape[0] - 1):
        site = sites[cell]
        for j in range(ring_starts[cell], ring_starts[cell + 1]):
            for side in range(2):
                v = start[rings[j]] if side == 0 else end[rings[j]]
                if out[v] >= 0.0:
                    continue
                x, y = vertices[v, 0], vertices[v, 1]
                ax, ay = points[site, 0], points[site, 1]
                if cell < edge_count:
                    bx, by = points[following[site], 0] - ax, points[following[site], 1] - ay
                    away = abs(bx * (y - ay) - by * (x - ax)) / math.sqrt(bx * bx + by * by)
                else:
                    away = math.sqrt((x - ax) * (x - ax) + (y - ay) * (y - ay))
                for k in range(levels.shape[0]):
                    if abs(away - levels[k]) < snap:
                        away = levels[k]
                out[v] = away


@kernel
def _effort(u, scale, pace, turns):  # type: ignore[no-untyped-def]
    """How many points a curve needs from its apex to u: by its bend, and by the angle that a corner sees it under."""
    return u / pace + turns * math.atan(u / scale) / ARC_STEP


@kernel
def _edge_points(kind, a, b, p, q, e, levels, tolerance, snap, out):  # type: ignore[no-untyped-def]
    """Points (x, y, distance) strictly between the ends a and b of a diagram edge, in order, into out; gives their number.

    a and b are such points; p (and q) are corners whose distance counts; e, for a parabola, the unit direction of its edge, q a point of it.
    Every level that is crossed gets a point, at the very level.
    """
    ax, ay, da = a
    bx, by, db = b
    px, py = p
    qx, qy = q
    ex, ey = e
    top = levels[levels.shape[0] - 1]
    count = 0
    if kind == _STRAIGHT:
        low, high = min(da, db), max(da, db)
        if high - low <= 0.0:
            return 0
        for step in range(levels.shape[0]):
            k = step if db > da else levels.shape[0] - 1 - step
            if levels[k] <= low or levels[k] >= high:
                continue
            t = (levels[k] - da) / (db - da)
            out[count, 0], out[count, 1], out[count, 2] = ax + t * (bx - ax), ay + t * (by - ay), levels[k]
            count += 1
        return count
    if kind == _PARABOLA:
        nx, ny = -ey, ex
        f = (px - qx) * nx + (py - qy) * ny
        if f < 0.0:
            nx, ny, f = -nx, -ny, -f
        f = max(f, 1e-9)
        ox, oy = px - f * nx, py - f * ny
    else:
        # The bisector of two corners, from the middle between them.
        ox, oy = (px + qx) / 2, (py + qy) / 2
        f = math.sqrt((qx - px) * (qx - px) + (qy - py) * (qy - py)) / 2
        f = max(f, 1e-9)
        ex, ey = -(qy - py) / (2 * f), (qx - px) / (2 * f)
        nx, ny = 0.0, 0.0
    u0, u1 = (ax - ox) * ex + (ay - oy) * ey, (bx - ox) * ex + (by - oy) * ey
    way = 1.0 if u1 > u0 else -1.0
    scale = f
    pace = math.sqrt(8 * scale * tolerance)
    # Round its focus a parabola turns by twice the arc of u over f.
    turns = 2.0 if kind == _PARABOLA else 1.0
    # Breaks: where levels are crossed, and the apex, from where on distance grows to both sides.
    breaks = np.empty(2 * levels.shape[0] + 3)
    depths = np.empty(2 * levels.shape[0] + 3)
    found = 0
    for k in range(levels.shape[0]):
        square = 2 * f * levels[k] - f * f if kind == _PARABOLA else levels[k] * levels[k] - f * f
        if square <= 0.0:
            continue
        root = math.sqrt(square)
        breaks[found], depths[found] = root, levels[k]
        breaks[found + 1], depths[found + 1] = -root, levels[k]
        found += 2
    least = f / 2 if kind == _PARABOLA else f
    breaks[found], depths[found] = 0.0, least
    for k in range(levels.shape[0]):
        if abs(least - levels[k]) < snap:
            depths[found] = levels[k]
    found += 1
    order = np.argsort(breaks[:found] * way, kind="mergesort")
    # Ends are what the diagram says they are, and so is whether a level lies between.
    at, depth_at = u0, da
    for step in range(found + 1):
        if step < found:
            u, depth = breaks[order[step]], depths[order[step]]
            if (u - u0) * way <= 0.0 or (u1 - u) * way <= 0.0:
                continue
            # A level that rounding puts just outside what the ends are is not crossed.
            if (u - at) * way <= 1e-9 or (u1 - u) * way <= 1e-9:
                continue
        else:
            u, depth = u1, db
        middle = (at + u) / 2
        rise = (middle * middle + f * f) / (2 * f) if kind == _PARABOLA else math.sqrt(middle * middle + f * f)
        if rise < top:
            begin, finish = _effort(at * way, scale, pace, turns), _effort(u * way, scale, pace, turns)
            pieces = int(min(max(math.ceil(finish - begin), 1.0), 400.0))
            for piece in range(1, pieces):
                wanted = begin + (finish - begin) * piece / pieces
                low, high = at * way, u * way
                for _ in range(48):
                    half = (low + high) / 2
                    if _effort(half, scale, pace, turns) < wanted:
                        low = half
                    else:
                        high = half
                w = way * (low + high) / 2
                d = (w * w + f * f) / (2 * f) if kind == _PARABOLA else math.sqrt(w * w + f * f)
                # Between two levels, or one of them has been missed.
                d = min(max(d, min(depth_at, depth)), max(depth_at, depth))
                lift = d if kind == _PARABOLA else 0.0
                out[count, 0] = ox + w * ex + lift * nx
                out[count, 1] = oy + w * ey + lift * ny
                out[count, 2] = d
                count += 1
        if step < found:
            lift = depth if kind == _PARABOLA else 0.0
            out[count, 0], out[count, 1] = ox + u * ex + lift * nx, oy + u * ey + lift * ny
            out[count, 2] = depth
            count += 1
            at, depth_at = u, depth
    return count


@kernel
def subdivide(shape, diagram, distances, levels, tolerance, snap, first, total, where):  # type: ignore[no-untyped-def]
    """Points along every used diagram edge, in the direction of its even half edge: first [E + 1] into where [.., 3].

    total is the number of points there before; gives the number after, or less than 0 if where is too small.
    """
    points, following, edge_count = shape.points, shape.following, shape.points.shape[0]
    vertices, start, end = diagram.vertices, diagram.start, diagram.end
    owner, inside, sites = diagram.owner, diagram.inside, diagram.sites
    top = levels[levels.shape[0] - 1]
    room = np.empty((32768, 3))
    for e in range(inside.shape[0]):
        first[e] = total
        if not inside[e]:
            continue
        h = 2 * e
        a, b = start[h], end[h]
        da, db = distances[a], distances[b]
        left, right = owner[h], owner[h + 1]
        kind = _STRAIGHT
        px, py, qx, qy, ex, ey = 0.0, 0.0, 0.0, 0.0, 1.0, 0.0
        left_edge, right_edge = left < edge_count, right < edge_count
        if not left_edge and not right_edge:
            kind = _BETWEEN_POINTS
            px, py = points[sites[left], 0], points[sites[left], 1]
            qx, qy = points[sites[right], 0], points[sites[right], 1]
            if px == qx and py == qy:
                kind = _STRAIGHT
        elif left_edge != right_edge:
            edge, corner = (sites[left], sites[right]) if left_edge else (sites[right], sites[left])
            other = following[edge]
            if corner != edge and corner != other:
                px, py = points[corner, 0], points[corner, 1]
                qx, qy = points[edge, 0], points[edge, 1]
                ex, ey = points[other, 0] - qx, points[other, 1] - qy
                size = math.sqrt(ex * ex + ey * ey)
                ex, ey = ex / size, ey / size
                off = abs((px - qx) * ey - (py - qy) * ex)
                # A corner on the edge's own line or at its end (where contours touch): distance grows evenly.
                kind = _PARABOLA if off > 1e-6 else _STRAIGHT
        if kind == _STRAIGHT and min(da, db) >= top:
            continue
        count = _edge_points(
            kind,
            (vertices[a, 0], vertices[a, 1], da),
            (vertices[b, 0], vertices[b, 1], db),
            (px, py),
            (qx, qy),
            (ex, ey),
            levels,
            tolerance,
            snap,
            room,
        )
        if total + count > where.shape[0]:
            return -1
        for k in range(count):
            where[total + k] = room[k]
        total += count
    first[inside.shape[0]] = total
    return total
