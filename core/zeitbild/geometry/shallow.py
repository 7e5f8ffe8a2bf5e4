"""The diagram of an outline as far as a narrow bevel reaches.

Where nothing of the outline meets on the way, each edge's cell is cut off by a line along it, and its sides are known at once: halves of
corners, and rays beside corners at which the ink turns back. That is so if every place of those lines is as far from the outline as it should
be: from there a straight way leads down to the edge, and whatever came nearer on it would be nearer at its end, too. Contours of which it does
not hold get the whole diagram of all of them together: no other comes near.
"""

from __future__ import annotations

import math

import numpy as np
import shapely
from numpy.typing import NDArray

from zeitbild.geometry.around import around
from zeitbild.geometry.curves import Points
from zeitbild.geometry.diagram import Diagram, diagram_of
from zeitbild.geometry.outline import Outline
from zeitbild.kernels import kernel

#: So much farther than asked for the diagram reaches, as a share and in steps of the grid.
_FARTHER, _MORE = 1.002, 1.0
#: What of that lines have to be away from the outline: chords of arcs are nearer than these.
_AWAY = 0.999
_ARC_STEP = math.radians(4.0)
#: Lines along edges are at least so long (steps of the grid), and places farther apart than this are two.
_SHORTEST, _SAME = 1.0, 1e-3
#: Lines that are looked at together, and edges near each of them, in the mean, up to which a bevel counts as narrow.
_AT_ONCE, _NARROW = 512, 150
#: Makes one whole number of a place in the grid.
_KEY = np.array([float(1 << 26), 1.0])


def diagram_to(outline: Outline, reach: float) -> tuple[Diagram, float]:
    """The diagram inside an outline, for levels up to ``reach`` (in its grid), and up to which it can be used: all, if it is whole.
    DiagramError as ``diagram_of``."""
    if len(np.unique(outline.points @ _KEY)) < len(outline.points):
        # Contours that touch.
        return diagram_of(outline), math.inf
    far = reach * _FARTHER + _MORE
    sides, ends = _sides(outline, far)
    contour = _contours(outline)
    wrong = np.zeros(int(contour.max()) + 1, bool)
    wrong[contour[_meet(outline, ends, sides, far)]] = True
    if not wrong.any():
        return _shallow(outline, sides, ends), reach
    if not wrong.all():
        # What lies around a hole, or its inside would have no end.
        wrong[around(outline.loops())[wrong]] = True
    together = wrong[contour]
    if together.all():
        return diagram_of(outline), math.inf
    own, other = np.flatnonzero(~together), np.flatnonzero(together)
    shallow = _shallow(_part(outline, own), sides[own], ends[own])
    return _merged(len(outline.points), [(own, shallow), (other, diagram_of(_part(outline, other)))]), reach


def _before(outline: Outline) -> NDArray[np.int64]:
    """Number of the point, and of the edge, before each."""
    before = np.empty(len(outline.points), np.int64)
    before[outline.following] = np.arange(len(before))
    return before


def _sides(outline: Outline, far: float) -> tuple[NDArray[np.bool_], Points]:
    """Whether the ink turns back at each point, and where the lines along edges, ``far`` inside, start and end [n, 2, 2]."""
    points, after = outline.points, outline.following
    before = _before(outline)
    along = points[after] - points
    along /= np.hypot(along[:, 0], along[:, 1])[:, None]
    inward = np.column_stack([-along[:, 1], along[:, 0]])
    # Of the edge that ends at a point and the one that starts there.
    last, own = inward[before], inward
    turn = along[before][:, 0] * along[:, 1] - along[before][:, 1] * along[:, 0]
    even = 1 + (last * own).sum(axis=1)
    back = (turn < 0) & (np.hypot(*(far * (own - last)).T) > _SAME)
    halved = (last + own) / np.maximum(even, 1e-9)[:, None]
    starts = points + far * np.where(back[:, None], own, halved)
    stops = points + far * np.where(back[:, None], last, halved)
    return back, np.stack([starts, stops[after]], axis=1)


@kernel
def _nearest(edges, lines, owner, first, second, near, found):  # type: ignore[no-untyped-def]
    """Of pairs of a line [m, 2, 2] and an edge [n, 2, 2] that are nearer than ``near`` to each other found [n] tells the edge, and the edge
    to which the line belongs."""
    for k in range(first.shape[0]):
        if found[owner[first[k]]] and found[second[k]]:
            continue
        line, edge = lines[first[k]], edges[second[k]]
        meets = False
        for turn in range(2):
            a, b = (line, edge) if turn == 0 else (edge, line)
            bx, by = b[1, 0] - b[0, 0], b[1, 1] - b[0, 1]
            length = bx * bx + by * by
            for end in range(2):
                x, y = a[end, 0] - b[0, 0], a[end, 1] - b[0, 1]
                share = min(1.0, max(0.0, (x * bx + y * by) / length)) if length > 0.0 else 0.0
                x, y = x - share * bx, y - share * by
                meets |= x * x + y * y < near * near
        # They may cross far from their ends.
        ax, ay, bx, by = line[0, 0], line[0, 1], line[1, 0], line[1, 1]
        cx, cy, dx, dy = edge[0, 0], edge[0, 1], edge[1, 0], edge[1, 1]
        side_c = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        side_d = (bx - ax) * (dy - ay) - (by - ay) * (dx - ax)
        side_a = (dx - cx) * (ay - cy) - (dy - cy) * (ax - cx)
        side_b = (dx - cx) * (by - cy) - (dy - cy) * (bx - cx)
        meets |= (side_c > 0) != (side_d > 0) and (side_a > 0) != (side_b > 0)
        if meets:
            found[owner[first[k]]] = found[second[k]] = True


def _meet(outline: Outline, ends: Points, back: NDArray[np.bool_], far: float) -> NDArray[np.bool_]:
    """Edges [n] whose lines, or arcs round the corners at their starts, have something on the way, and those that are."""
    points, after = outline.points, outline.following
    edges = np.stack([points, points[after]], axis=1)
    along = edges[:, 1] - edges[:, 0]
    length = np.hypot(along[:, 0], along[:, 1])
    found: NDArray[np.bool_] = ((ends[:, 1] - ends[:, 0]) * along).sum(axis=1) < _SHORTEST * length
    arcs, at = _arcs(outline, ends, back)
    lines = np.concatenate([ends, arcs])
    owner = np.concatenate([np.arange(len(points)), at])
    low, high = lines.min(axis=1) - far, lines.max(axis=1) + far
    tree = shapely.STRtree(shapely.linestrings(edges))
    # Of what is asked for the tree looks at the box: its diagonal has the same.
    boxes = shapely.linestrings(np.stack([low, high], axis=1))
    looked = 0
    for first in range(0, len(boxes), _AT_ONCE):
        line, edge = tree.query(boxes[first : first + _AT_ONCE])
        looked += len(line)
        if looked > _NARROW * (first + _AT_ONCE):
            # As wide as all that is no narrow bevel, and looking takes longer than a diagram.
            found[:] = True
            break
        _nearest(edges, lines, owner, line + first, edge, far * _AWAY, found)
    return found


def _arcs(outline: Outline, ends: Points, back: NDArray[np.bool_]) -> tuple[Points, NDArray[np.int64]]:
    """Chords [m, 2, 2] of the arcs round corners at which the ink turns back, and the corner of each."""
    corners = np.flatnonzero(back)
    before = _before(outline)
    here = outline.points[corners]
    # Clockwise, from the end of the line before to the start of the one after.
    first, second = ends[before[corners], 1] - here, ends[corners, 0] - here
    angle = np.arctan2(first[:, 1], first[:, 0])
    turned = np.arctan2(first[:, 0] * second[:, 1] - first[:, 1] * second[:, 0], (first * second).sum(axis=1))
    steps = np.maximum(1, np.ceil(np.abs(turned) / _ARC_STEP).astype(np.int64))
    at = np.repeat(np.arange(len(corners)), steps)
    number = np.arange(len(at)) - np.repeat(np.cumsum(steps) - steps, steps)
    size = np.hypot(first[:, 0], first[:, 1])[at]
    chords = []
    for end in (0, 1):
        way = angle[at] + turned[at] * (number + end) / steps[at]
        chords.append(here[at] + size[:, None] * np.column_stack([np.cos(way), np.sin(way)]))
    return np.stack(chords, axis=1), corners[at]


def _contours(outline: Outline) -> NDArray[np.int64]:
    """Number of the contour of each point."""
    is_first = np.zeros(len(outline.points), np.int64)
    is_first[outline.following[outline.following <= np.arange(len(outline.points))]] = 1
    return np.cumsum(is_first) - 1


def _part(outline: Outline, points: NDArray[np.int64]) -> Outline:
    """Some whole contours of an outline by the numbers of their points."""
    number = np.full(len(outline.points), -1, np.int64)
    number[points] = np.arange(len(points))
    return Outline(
        outline.points[points],
        number[outline.following[points]],
        outline.normals[points],
        outline.smooth[points],
        outline.origin,
        outline.step,
    )


def _shallow(outline: Outline, back: NDArray[np.bool_], ends: Points) -> Diagram:
    """The diagram that ends at lines along edges. At each corner there is one side, or two where the ink turns back."""
    count = len(outline.points)
    after, before, numbers = outline.following, _before(outline), np.arange(count)
    corners = np.flatnonzero(back)
    # Vertices: the outline's points, where the edges' lines start, and where those before them end at corners that turn back.
    vertices = np.concatenate([outline.points, ends[:, 0], ends[before[corners], 1]])
    starts = count + numbers
    stops = starts.copy()
    stops[corners] = 2 * count + np.arange(len(corners))
    # Edges: a side from each point to the start of its line, a second one at corners that turn back, then lines and arcs.
    side, line = 2 * numbers, 2 * (count + len(corners) + numbers)
    second = side.copy()
    second[corners] = 2 * (count + np.arange(len(corners)))
    arc = 2 * (2 * count + len(corners) + np.arange(len(corners)))
    total = 2 * (2 * count + 2 * len(corners))
    start, end = np.empty(total, np.int64), np.empty(total, np.int64)

    def between(half: NDArray[np.int64], one: NDArray[np.int64], other: NDArray[np.int64]) -> None:
        start[half], end[half] = one, other
        start[half + 1], end[half + 1] = other, one

    between(side, numbers, starts)
    between(second[corners], corners, stops[corners])
    # Anticlockwise round its cell: from where the edge ends to where it starts.
    between(line, stops[after], starts)
    between(arc, starts[corners], stops[corners])
    rings = np.concatenate(
        [
            np.stack([second[after], line, side + 1], axis=1).reshape(-1),
            np.stack([side[corners], arc, second[corners] + 1], axis=1).reshape(-1),
        ]
    )
    cells = count + len(corners)
    owner = np.full(total, -1, np.int64)
    owner[rings] = np.repeat(np.arange(cells), 3)
    # Along lines and arcs distance does not change, so that no level crosses them.
    inside = np.zeros(total // 2, bool)
    inside[: count + len(corners)] = True
    return Diagram(
        vertices,
        numbers,
        start,
        end,
        owner,
        rings,
        3 * np.arange(cells + 1),
        np.concatenate([numbers, corners]),
        np.concatenate([np.full((count, 2), -1), np.column_stack([corners, before[corners]])]),
        inside,
    )


def _merged(count: int, parts: list[tuple[NDArray[np.int64], Diagram]]) -> Diagram:
    """Diagrams of parts of an outline of so many points as one, by the numbers that points have in all of it."""
    corners = np.empty(count, np.int64)
    moved: list[Diagram] = []
    cells: list[NDArray[np.int64]] = []
    vertices = halves = 0
    wedges = count
    for points, one in parts:
        own = len(points)
        cell = np.concatenate([points, wedges + np.arange(len(one.sites) - own)])
        cells.append(cell)
        corners[points] = one.corners + vertices

        def kept(numbers: NDArray[np.int64], to: NDArray[np.int64]) -> NDArray[np.int64]:
            return np.where(numbers >= 0, to[numbers], -1)

        moved.append(
            one._replace(
                start=np.where(one.start >= 0, one.start + vertices, -1),
                end=np.where(one.end >= 0, one.end + vertices, -1),
                owner=kept(one.owner, cell),
                rings=one.rings + halves,
                sites=points[one.sites],
                wedge=kept(one.wedge, points),
            )
        )
        vertices += len(one.vertices)
        halves += len(one.start)
        wedges += len(one.sites) - own
    order = np.argsort(np.concatenate(cells))
    lengths = np.concatenate([np.diff(one.ring_starts) for one in moved])
    begins = np.concatenate([[0], np.cumsum(lengths)])[:-1][order]
    lengths = lengths[order]
    rings = np.concatenate([one.rings for one in moved])
    starts = np.concatenate([[0], np.cumsum(lengths)])
    taken = np.repeat(begins - starts[:-1], lengths) + np.arange(starts[-1])
    return Diagram(
        np.concatenate([one.vertices for one in moved]),
        corners,
        np.concatenate([one.start for one in moved]),
        np.concatenate([one.end for one in moved]),
        np.concatenate([one.owner for one in moved]),
        rings[taken],
        starts,
        np.concatenate([one.sites for one in moved])[order],
        np.concatenate([one.wedge for one in moved])[order],
        np.concatenate([one.inside for one in moved]),
    )
