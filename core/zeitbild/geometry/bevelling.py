"""The faces of a bevel, seen from above: the cells of an outline's diagram cut into bands at certain distances.

Each face belongs to one edge or corner of the outline, ridges are edges of the mesh. Everything that two cells share, the
points along the diagram's edges and where they cross a level, is made once and used by both, so that nothing gapes.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.diagram import Diagram
from zeitbild.geometry.diagram_edges import ARC_STEP, Shape, subdivide, vertex_distances
from zeitbild.geometry.outline import Outline
from zeitbild.kernels import kernel

#: A distance that is a level but for so many steps of the grid is that level.
_SNAP = 2e-2


class Bands(NamedTuple):
    """Faces between neighbouring levels, in the outline's grid, as kernels take them.

    points [P, 2] and their distances [P] from the outline, those of the outline first. triangles [T, 3] numbers of points,
    anticlockwise; bands [T] the number of the level below; outward [T, 3, 2] unit directions away from the ink's inside
    at each corner; runs [T] faces of one run are one smooth surface. lines [K, 2] from point to point along the lower
    level of bands, the ink's inside to the left; line_level, line_outward [K, 2, 2], line_run. rim [R, 2] the same
    along the last level.
    """

    points: NDArray[np.float64]
    distances: NDArray[np.float64]
    triangles: NDArray[np.int64]
    bands: NDArray[np.int64]
    outward: NDArray[np.float64]
    runs: NDArray[np.int64]
    lines: NDArray[np.int64]
    line_level: NDArray[np.int64]
    line_outward: NDArray[np.float64]
    line_run: NDArray[np.int64]
    rim: NDArray[np.int64]

    @staticmethod
    def with_room(room: int) -> Bands:
        """No points yet, and room for so many lines, as many edges of the rim and twice as many triangles."""
        whole = np.int64
        return Bands(
            np.empty((0, 2)),
            np.empty(0),
            np.empty((2 * room, 3), whole),
            np.empty(2 * room, whole),
            np.empty((2 * room, 3, 2)),
            np.empty(2 * room, whole),
            np.empty((room, 2), whole),
            np.empty(room, whole),
            np.empty((room, 2, 2)),
            np.empty(room, whole),
            np.empty((room, 2), whole),
        )

    def of(self, where: NDArray[np.float64], made: int, drawn: int, rimmed: int) -> Bands:
        """The first so many triangles, lines and edges of the rim, with points that stand where [P, 3] (the last number the distance)."""
        lengths = (made,) * 4 + (drawn,) * 4 + (rimmed,)
        rest = (one[:length] for one, length in zip(self[2:], lengths, strict=True))
        return Bands._make((where[:, :2], where[:, 2], *rest))


@kernel
def _edge_facing(shape, k, u, v):  # type: ignore[no-untyped-def]
    """Outward direction of outline edge k's curve at a place u along the edge and v inside of it: at depth v the curve's own ends lie as far
    beyond the edge's as it leans.
    """
    points, following, normals, leans = shape
    p, q = points[k], points[following[k]]
    ex, ey = q[0] - p[0], q[1] - p[1]
    length = math.sqrt(ex * ex + ey * ey)
    low, high = -v * leans[k, 0], length + v * leans[k, 1]
    s = 0.5 if high - low <= 1e-9 else min(1.0, max(0.0, (u - low) / (high - low)))
    nx = (1 - s) * normals[k, 0, 0] + s * normals[k, 1, 0]
    ny = (1 - s) * normals[k, 0, 1] + s * normals[k, 1, 1]
    size = math.sqrt(nx * nx + ny * ny)
    if size < 1e-9:
        return ey / length, -ex / length
    return nx / size, ny / size


@kernel
def _ear_worth(polygon, i, j, k):  # type: ignore[no-untyped-def]
    """Twice the area of the triangle over its longest side squared: above 0 if it turns to the left."""
    ax, ay, bx, by, cx, cy = polygon[i, 0], polygon[i, 1], polygon[j, 0], polygon[j, 1], polygon[k, 0], polygon[k, 1]
    area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
    longest = max(
        (bx - ax) * (bx - ax) + (by - ay) * (by - ay),
        (cx - bx) * (cx - bx) + (cy - by) * (cy - by),
        (ax - cx) * (ax - cx) + (ay - cy) * (ay - cy),
    )
    return area / max(longest, 1e-300)


@kernel
def _cut_ears(polygon, count, before, after, out):  # type: ignore[no-untyped-def]
    """Triangles of a polygon over its first edge [count, 2] (points 0 and 1, the rest above it from right to left).

    Of such a polygon every corner that turns to the left, but for those of the base, is an ear.
    """
    for k in range(count):
        before[k], after[k] = (k - 1) % count, (k + 1) % count
    left, made = count, 0
    while left > 3:
        best, chosen = -1e300, -1
        j = after[1]
        while j != 0:
            worth = _ear_worth(polygon, before[j], j, after[j])
            if worth > best:
                best, chosen = worth, j
            j = after[j]
        out[made, 0], out[made, 1], out[made, 2] = before[chosen], chosen, after[chosen]
        made += 1
        after[before[chosen]], before[after[chosen]] = after[chosen], before[chosen]
        left -= 1
    out[made, 0], out[made, 1], out[made, 2] = 0, 1, after[1]
    return made + 1


@kernel
def _cut_bands(  # type: ignore[no-untyped-def]
    shape, diagram, first, edge_run, wedge_run, levels, where, used, found, totals
):  # type: ignore[no-untyped-def]
    """Cut all cells at all levels into what is found but for its points. where [.., 3] holds all points; the first ``used`` are there, those of the diagram's
    edge e from first[e] on.

    totals gets the numbers of points, triangles, lines and rim's edges. Gives False if an array is too small.
    """
    points, following, edge_count = shape.points, shape.following, shape.points.shape[0]
    wedge, rings, ring_starts, sites = diagram.wedge, diagram.rings, diagram.ring_starts, diagram.sites
    start, end = diagram.start, diagram.end
    _, _, triangles, bands, outward, runs, lines, line_level, line_outward, line_run, rim = found
    last = levels.shape[0] - 1
    made = drawn = rimmed = 0
    longest = 0
    for cell in range(ring_starts.shape[0] - 1):
        total = 2
        for j in range(ring_starts[cell], ring_starts[cell + 1]):
            e = rings[j] >> 1
            total += 1 + first[e + 1] - first[e]
        longest = max(longest, total)
    longest += 512
    chain = np.empty(longest, np.int64)
    angle = np.empty(longest)
    polygon = np.empty((longest, 2))
    number = np.empty(longest, np.int64)
    before, after = np.empty(longest, np.int64), np.empty(longest, np.int64)
    ears = np.empty((longest, 3), np.int64)
    # Points on an arc above a chain's place: where they begin, and how many.
    arc_first, arc_count = np.zeros(longest, np.int64), np.zeros(longest, np.int64)
    next_first, next_count = np.zeros(longest, np.int64), np.zeros(longest, np.int64)
    base = np.empty(longest, np.int64)
    for cell in range(ring_starts.shape[0] - 1):
        site = sites[cell]
        is_edge = cell < edge_count
        count = 0
        for j in range(ring_starts[cell], ring_starts[cell + 1]):
            h = rings[j]
            e = h >> 1
            chain[count] = start[h]
            count += 1
            own = first[e + 1] - first[e]
            for k in range(own):
                chain[count] = first[e] + (k if h & 1 == 0 else own - 1 - k)
                count += 1
        chain[count] = end[rings[ring_starts[cell + 1] - 1]]
        count += 1
        px, py = points[site, 0], points[site, 1]
        ex, ey, length = 1.0, 0.0, 1.0
        begin_angle, whole_angle = 0.0, 1.0
        run = edge_run[site]
        if is_edge:
            ex, ey = points[following[site], 0] - px, points[following[site], 1] - py
            length = math.sqrt(ex * ex + ey * ey)
            ex, ey = ex / length, ey / length
        else:
            run = wedge_run[cell - edge_count]
            # Angles run anticlockwise from the inward direction of the edge that starts at the corner.
            starting, ending = wedge[cell, 0], wedge[cell, 1]
            sx = points[following[starting], 0] - points[starting, 0]
            sy = points[following[starting], 1] - points[starting, 1]
            fx = points[following[ending], 0] - points[ending, 0]
            fy = points[following[ending], 1] - points[ending, 1]
            begin_angle = math.atan2(sx, -sy)
            whole_angle = (math.atan2(fx, -fy) - begin_angle) % (2 * math.pi)
            whole_angle = max(whole_angle, 1e-9)
            for k in range(count):
                x, y = where[chain[k], 0] - px, where[chain[k], 1] - py
                turned = (math.atan2(y, x) - begin_angle) % (2 * math.pi)
                if turned > whole_angle:
                    # Outside by rounding: at the nearer end.
                    turned = whole_angle if turned < whole_angle / 2 + math.pi else 0.0
                angle[k] = turned
            angle[0], angle[count - 1] = 0.0, whole_angle
        for k in range(count):
            arc_count[k] = 0
        for band in range(last):
            low, high = levels[band], levels[band + 1]
            for k in range(count):
                next_count[k] = 0
            at = 0
            while at < count - 1:
                # A stretch of the chain above the lower level, from a point on it to a point on it.
                if where[chain[at], 2] > low or where[chain[at + 1], 2] <= low:
                    at += 1
                    continue
                stop = at + 1
                while stop < count - 1 and where[chain[stop], 2] > low:
                    stop += 1
                # The top, cut off at the upper level.
                tops = 0
                k = at
                while k <= stop:
                    if k > at and where[chain[k], 2] > high:
                        # Above until it is back: from k - 1 to m.
                        m = k
                        while m < stop and where[chain[m], 2] > high:
                            m += 1
                        from_point, to_point = chain[k - 1], chain[m]
                        steps = 1
                        if not is_edge:
                            steps = max(1, math.ceil((angle[m] - angle[k - 1]) / ARC_STEP))
                            if used + steps > where.shape[0] or tops + steps + 8 > longest:
                                return False
                            next_first[k - 1], next_count[k - 1] = used, steps - 1
                            for step in range(1, steps):
                                a = angle[k - 1] + (angle[m] - angle[k - 1]) * step / steps
                                where[used, 0] = px + high * math.cos(begin_angle + a)
                                where[used, 1] = py + high * math.sin(begin_angle + a)
                                where[used, 2] = high
                                number[tops] = used
                                polygon[tops, 0] = a
                                tops += 1
                                used += 1
                        if band == last - 1:
                            if rimmed + steps > rim.shape[0]:
                                return False
                            for step in range(steps):
                                # The flat face lies on the other side of the top: from m back to k - 1.
                                one = to_point if step == 0 else used - step
                                two = from_point if step == steps - 1 else used - 1 - step
                                rim[rimmed, 0], rim[rimmed, 1] = one, two
                                rimmed += 1
                        k = m
                        continue
                    number[tops] = chain[k]
                    polygon[tops, 0] = angle[k]
                    tops += 1
                    k += 1
                # The base from its right end to its left, seen with the inside upwards, as the chain runs.
                bases = 0
                base[0] = chain[at]
                bases = 1
                if not is_edge and band > 0:
                    for step in range(arc_count[at]):
                        base[bases] = arc_first[at] + step
                        bases += 1
                base[bases] = chain[stop]
                bases += 1
                if is_edge or band == 0:
                    # Over one edge, or (in the lowest band of a corner) a fan about the corner.
                    if is_edge:
                        pieces = tops
                        for k in range(tops):
                            polygon[k, 0], polygon[k, 1] = where[number[k], 0], where[number[k], 1]
                        # Base first: from the last point of the top (left) to its first (right).
                        before[0] = number[tops - 1]
                        for k in range(tops - 1, 0, -1):
                            number[k] = number[k - 1]
                        number[0] = before[0]
                        x, y = polygon[tops - 1, 0], polygon[tops - 1, 1]
                        for k in range(tops - 1, 0, -1):
                            polygon[k, 0], polygon[k, 1] = polygon[k - 1, 0], polygon[k - 1, 1]
                        polygon[0, 0], polygon[0, 1] = x, y
                        pieces = _cut_ears(polygon, tops, before, after, ears)
                        if made + pieces > triangles.shape[0]:
                            return False
                        for k in range(pieces):
                            for c in range(3):
                                triangles[made + k, c] = number[ears[k, c]]
                    else:
                        pieces = tops - 3
                        if made + max(pieces, 0) > triangles.shape[0]:
                            return False
                        for k in range(pieces):
                            triangles[made + k, 0] = chain[at]
                            triangles[made + k, 1], triangles[made + k, 2] = number[k + 1], number[k + 2]
                        pieces = max(pieces, 0)
                else:
                    # Two rows of points by their angle, of which one step after the other is taken.
                    i = j = 0
                    pieces = 0
                    while i < bases - 1 or j < tops - 1:
                        if made + pieces >= triangles.shape[0]:
                            return False
                        base_angle, top_angle = 1e300, 1e300
                        if i < bases - 1:
                            if i + 1 == bases - 1:
                                base_angle = angle[stop]
                            else:
                                base_angle = angle[at] + (angle[stop] - angle[at]) * (i + 1) / (bases - 1)
                        if j < tops - 1:
                            top_angle = polygon[j + 1, 0]
                        if base_angle < top_angle or (base_angle == top_angle and j == tops - 1):
                            one, two, three = base[i], number[j], base[i + 1]
                            i += 1
                            if one == two or two == three:
                                continue
                        else:
                            one, two, three = number[j], number[j + 1], base[i]
                            j += 1
                            if one == three or two == three:
                                continue
                        triangles[made + pieces, 0], triangles[made + pieces, 1] = one, two
                        triangles[made + pieces, 2] = three
                        pieces += 1
                for k in range(made, made + pieces):
                    bands[k], runs[k] = band, run
                    for c in range(3):
                        v = triangles[k, c]
                        x, y = where[v, 0] - px, where[v, 1] - py
                        if is_edge:
                            outward[k, c, 0], outward[k, c, 1] = _edge_facing(shape, site, x * ex + y * ey, where[v, 2])
                            continue
                        if where[v, 2] == 0.0:
                            # The corner itself: as in the middle of the face.
                            x = y = 0.0
                            for other in range(3):
                                if other != c:
                                    x += where[triangles[k, other], 0] - px
                                    y += where[triangles[k, other], 1] - py
                        outward[k, c, 0], outward[k, c, 1] = _wedge_facing(
                            shape, wedge[cell], begin_angle, whole_angle, x, y, where[v, 2]
                        )
                made += pieces
                # The lower level's line, the inside to its left: from the base's left end to its right.
                if drawn + bases > lines.shape[0]:
                    return False
                if is_edge or band > 0:
                    for k in range(bases - 1):
                        one, two = base[k + 1], base[k]
                        lines[drawn, 0], lines[drawn, 1] = one, two
                        line_level[drawn], line_run[drawn] = band, run
                        for c in range(2):
                            v = lines[drawn, c]
                            x, y = where[v, 0] - px, where[v, 1] - py
                            if is_edge:
                                line_outward[drawn, c, 0], line_outward[drawn, c, 1] = _edge_facing(
                                    shape, site, x * ex + y * ey, where[v, 2]
                                )
                            else:
                                line_outward[drawn, c, 0], line_outward[drawn, c, 1] = _wedge_facing(
                                    shape, wedge[cell], begin_angle, whole_angle, x, y, where[v, 2]
                                )
                        drawn += 1
                at = stop
            for k in range(count):
                arc_first[k], arc_count[k] = next_first[k], next_count[k]
    totals[0], totals[1], totals[2], totals[3] = used, made, drawn, rimmed
    return True


@kernel
def _wedge_facing(shape, edges, begin_angle, whole_angle, x, y, v):  # type: ignore[no-untyped-def]
    """Outward direction in a corner's wedge at (x, y) from the corner, v away from it; edges [2] start and end at the corner.

    Away from the corner's rays by as much as both neighbours are at their borders, more and more the other's.
    """
    points, following, starting, ending = shape.points, shape.following, edges[0], edges[1]
    turned = (math.atan2(y, x) - begin_angle) % (2 * math.pi)
    if turned > whole_angle:
        turned = whole_angle if turned < whole_angle / 2 + math.pi else 0.0
    share = turned / whole_angle
    ax, ay = _edge_facing(shape, starting, 0.0, v)
    dx = points[following[ending], 0] - points[ending, 0]
    dy = points[following[ending], 1] - points[ending, 1]
    bx, by = _edge_facing(shape, ending, math.sqrt(dx * dx + dy * dy), v)
    # Outward is against the ray.
    first_x, first_y = -math.cos(begin_angle), -math.sin(begin_angle)
    last_x, last_y = -math.cos(begin_angle + whole_angle), -math.sin(begin_angle + whole_angle)
    off = math.atan2(first_x * ay - first_y * ax, first_x * ax + first_y * ay) * (1 - share)
    off += math.atan2(last_x * by - last_y * bx, last_x * bx + last_y * by) * share
    way = begin_angle + turned + math.pi + off
    return math.cos(way), math.sin(way)


@kernel
def _unite(following, goes_on, run):  # type: ignore[no-untyped-def]
    """Number of the first of the edges that go on into each other, for each edge: run [n]."""
    for k in range(run.shape[0]):
        run[k] = k
    for k in range(run.shape[0]):
        if not goes_on[k]:
            continue
        a, b = k, following[k]
        while run[a] != a:
            run[a] = run[run[a]]
            a = run[a]
        while run[b] != b:
            run[b] = run[run[b]]
            b = run[b]
        run[max(a, b)] = min(a, b)
    # Each stands behind the one that it points to.
    for k in range(run.shape[0]):
        run[k] = run[run[k]]


def _runs(outline: Outline, diagram: Diagram) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Numbers of the smooth surfaces that the cells of edges and wedges belong to.

    They end at outward corners. Round a corner at which the ink turns back the bevel is smooth.
    """
    count = len(outline.points)
    after = outline.following
    along = outline.points[after] - outline.points
    # By point: the turn from the edge that ends there to the one that starts there.
    turn = np.empty(count)
    turn[after] = along[:, 0] * along[after, 1] - along[:, 1] * along[after, 0]
    run = np.empty(count, np.int64)
    _unite(after, outline.smooth[after] | (turn[after] < 0), run)
    _, numbers = np.unique(run, return_inverse=True)
    edge_run = numbers.reshape(-1).astype(np.int64)
    return edge_run, edge_run[diagram.wedge[count:, 0]]


def _leans(outline: Outline) -> NDArray[np.float64]:
    """Tangents of half the turns at edges' starts and ends [n, 2], positive where the ink turns back, 0 at corners."""
    after = outline.following
    along = outline.points[after] - outline.points
    turn = np.zeros(len(after))
    turn[after] = np.arctan2(
        along[:, 0] * along[after, 1] - along[:, 1] * along[after, 0], (along * along[after]).sum(axis=1)
    )
    lean = np.where(outline.smooth, -np.tan(turn / 2), 0.0)
    return np.ascontiguousarray(np.column_stack([lean, lean[after]]))


def cut(outline: Outline, diagram: Diagram, levels: NDArray[np.float64], tolerance: float) -> Bands:
    """Bands of an outline between levels (rising distances in its grid, the first 0).

    tolerance is how far lines may be off curves, in the grid.
    """
    vertices = diagram.vertices
    distances = np.empty(len(vertices))
    snap = min(_SNAP, float(np.diff(levels).min()) / 4)
    shape = Shape(outline.points, outline.following, outline.normals, _leans(outline))
    vertex_distances(shape, diagram, levels, snap, distances)
    distances[diagram.corners] = 0.0
    first = np.zeros(len(diagram.inside) + 1, np.int64)
    size = 4 * len(vertices) + 4096
    while True:
        where = np.empty((size, 3))
        where[: len(vertices), :2], where[: len(vertices), 2] = vertices, distances
        total = subdivide(shape, diagram, distances, levels, tolerance, snap, first, len(vertices), where)
        if total >= 0:
            break
        size *= 2
    edge_run, wedge_run = _runs(outline, diagram)
    room = 2 * (total + len(diagram.rings)) + 4096
    while True:
        points = np.empty((total + room, 3))
        points[:total] = where[:total]
        found, totals = Bands.with_room(room), np.zeros(4, np.int64)
        if _cut_bands(shape, diagram, first, edge_run, wedge_run, levels, points, total, found, totals):
            break
        room *= 2
    used, made, drawn, rimmed = totals.tolist()
    return found.of(points[:used], made, drawn, rimmed)
