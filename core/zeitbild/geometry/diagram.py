"""The segment Voronoi diagram of an outline: for every place inside, which edge or corner of the outline is nearest.

Made by Boost's diagram (``pyvoronoi``), whose points are whole numbers and whose topology is exact. A site is an edge, or
a corner at which the ink turns back (a reflex one); each has a cell. Along an edge's cell distance to the outline grows
evenly, in a corner's cell (a wedge) it is the distance to the corner.
"""

from __future__ import annotations

from itertools import chain
from typing import Any, NamedTuple

import numpy as np
import pyvoronoi
from numpy.typing import NDArray

from zeitbild.errors import ZeitbildError
from zeitbild.geometry.outline import Outline
from zeitbild.kernels import kernel

#: Diagram vertices nearer than this (steps of the grid) are one.
_SAME = 1e-3
#: Boost's numbers for what a cell belongs to: both kinds of a segment's end, and the segment itself either way round.
_STARTS, _ENDS, _SEGMENT, _REVERSED = 1, 2, 3, 4


class DiagramError(ZeitbildError):
    """An outline whose diagram does not hold together; the outline has to be cleaned further."""


class Diagram(NamedTuple):
    """The part of the diagram that lies inside the outline, as kernels take it.

    Half edges run around their cells with the cell to the left; the other half of h is h ^ 1. vertices [V, 2] in the
    outline's grid; corners [n] those at the outline's points. start, end [H] vertex numbers; owner [H] the cell. Cells, one after the other: those of the
    outline's edges, then wedges. rings [..] half edges, cell c's from ring_starts[c] to ring_starts[c + 1], from the end
    of the edge to its start, or from the corner round to it, anticlockwise. sites [C] is the edge of a cell, or a wedge's
    corner; wedge [C, 2] the edges before which (starting there) and after which (ending there) a wedge lies, -1 for
    edges' cells. inside [H // 2] tells which edges are used.
    """

    vertices: NDArray[np.float64]
    corners: NDArray[np.int64]
    start: NDArray[np.int64]
    end: NDArray[np.int64]
    owner: NDArray[np.int64]
    rings: NDArray[np.int64]
    ring_starts: NDArray[np.int64]
    sites: NDArray[np.int64]
    wedge: NDArray[np.int64]
    inside: NDArray[np.bool_]


@kernel
def _merge(start, end, vertices, same, into):  # type: ignore[no-untyped-def]
    """Number of the vertex that stands for each, those that short edges join being one."""
    for v in range(into.shape[0]):
        into[v] = v
    for h in range(0, start.shape[0], 2):
        a, b = start[h], end[h]
        if a < 0 or b < 0:
            continue
        if abs(vertices[a, 0] - vertices[b, 0]) > same or abs(vertices[a, 1] - vertices[b, 1]) > same:
            continue
        while into[a] != a:
            a = into[a]
        while into[b] != b:
            b = into[b]
        into[max(a, b)] = min(a, b)
    for v in range(into.shape[0]):
        root = v
        while into[root] != root:
            root = into[root]
        into[v] = root


@kernel
def _edge_chains(edge_cell, from_vertex, to_vertex, first, ring, start, end, rings, ring_starts, marked):  # type: ignore[no-untyped-def]
    """Half edges of each outline edge's cell on the inner side; gives the number of the first edge that has none, or -1.

    edge_cell [n] the cell of each outline edge, whose half edges are ring[first[c]:first[c + 1]], anticlockwise.
    """
    used = 0
    for k in range(edge_cell.shape[0]):
        cell = edge_cell[k]
        low, high = first[cell], first[cell + 1]
        count = high - low
        begin = -1
        for j in range(low, high):
            if start[ring[j]] == to_vertex[k] and start[ring[j]] != end[ring[j]]:
                begin = j
                break
        if begin < 0:
            return k
        done = False
        for step in range(count):
            h = ring[low + (begin - low + step) % count]
            if start[h] == end[h]:
                continue
            if start[h] < 0 or end[h] < 0:
                return k
            rings[used] = h
            used += 1
            marked[h] = True
            if end[h] == from_vertex[k]:
                done = True
                break
        if not done:
            return k
        ring_starts[k + 1] = used
    return -1


@kernel
def _wedge_chains(  # type: ignore[no-untyped-def]
    point_cells, first, ring, start, end, owner, cell_edge, at_vertex, marked, rings, ring_starts, found, used
):  # type: ignore[no-untyped-def]
    """Half edges of the wedges inside; found [.., 4] cell, vertex, edge before and edge after of each. Gives their number.

    A corner's cell may hold several, where contours touch. -1 if one does not come back to its corner.
    """
    count = 0
    for number in range(point_cells.shape[0]):
        cell = point_cells[number]
        low, high = first[cell], first[cell + 1]
        length = high - low
        for j in range(low, high):
            h = ring[j]
            if start[h] != at_vertex[number] or start[h] == end[h] or not marked[h ^ 1]:
                continue
            base = used
            done = False
            for step in range(length):
                g = ring[low + (j - low + step) % length]
                if start[g] == end[g]:
                    continue
                if start[g] < 0 or end[g] < 0:
                    return -1
                rings[used] = g
                used += 1
                if end[g] == at_vertex[number]:
                    done = True
                    break
            if not done or used - base < 2:
                return -1
            found[count, 0], found[count, 1] = cell, number
            found[count, 2], found[count, 3] = cell_edge[owner[rings[base] ^ 1]], cell_edge[owner[rings[used - 1] ^ 1]]
            count += 1
            ring_starts[count] = used
    return count


def _column(objects: list[Any], name: str) -> NDArray[np.int64]:
    return np.fromiter((getattr(one, name) for one in objects), np.int64, len(objects))


def _points_at(vertices: NDArray[np.float64], points: NDArray[np.float64]) -> NDArray[np.int64]:
    """Number of the vertex at each of the outline's points; DiagramError if one has none."""
    near = np.round(vertices)
    fits = (np.abs(vertices - near) < 0.01).all(axis=1)
    numbers = np.flatnonzero(fits)
    keys = near[fits] @ np.array([float(1 << 26), 1.0])
    order = np.argsort(keys, kind="stable")
    wanted = points @ np.array([float(1 << 26), 1.0])
    at = np.searchsorted(keys[order], wanted)
    at = np.minimum(at, len(order) - 1)
    found = order[at]
    if (keys[found] != wanted).any():
        raise DiagramError("a corner of the outline is missing in its diagram")
    there: NDArray[np.int64] = numbers[found]
    return there


def diagram_of(outline: Outline) -> Diagram:
    """The diagram inside an outline. DiagramError if it does not hold together."""
    maker = pyvoronoi.Pyvoronoi(1)
    corners = outline.points.astype(np.int64).tolist()
    for a, b in enumerate(outline.following.tolist()):
        maker.AddSegment([corners[a], corners[b]])
    maker.Construct()
    cells, raw = maker.GetCells(), maker.GetVertices()
    vertices = np.array([(one.X, one.Y) for one in raw], np.float64).reshape(-1, 2)
    category, site = _column(cells, "source_category"), _column(cells, "site")
    members = [one.edges for one in cells]
    lengths = np.fromiter(map(len, members), np.int64, len(members))
    edge_count = int(lengths.sum())
    ring = np.fromiter(chain.from_iterable(members), np.int64, edge_count)
    first = np.concatenate([[0], np.cumsum(lengths)])
    # A cell tells where each of its edges starts; asking each edge for itself takes longer than making the diagram.
    begins = np.fromiter(chain.from_iterable(one.vertices[:-1] for one in cells), np.int64, edge_count)
    start, owner = np.empty(edge_count, np.int64), np.empty(edge_count, np.int64)
    start[ring], owner[ring] = begins, np.repeat(np.arange(len(cells)), lengths)
    end = start[np.arange(edge_count) ^ 1]
    into = np.empty(len(vertices) + 1, np.int64)
    into[-1] = -1
    _merge(start, end, vertices, _SAME, into[:-1])
    start, end = into[start], into[end]
    at_point = into[_points_at(vertices, outline.points)]
    count = len(outline.points)
    is_edge = category >= _SEGMENT
    edge_cell = np.full(count, -1, np.int64)
    edge_cell[site[is_edge]] = np.flatnonzero(is_edge)
    cell_edge = np.where(is_edge, site, -1)
    rings = np.empty(2 * edge_count + 2, np.int64)
    ring_starts = np.zeros(count + 1, np.int64)
    marked = np.zeros(edge_count, np.bool_)
    wrong = _edge_chains(
        edge_cell, at_point, at_point[outline.following], first, ring, start, end, rings, ring_starts, marked
    )
    if wrong >= 0:
        raise DiagramError(f"the diagram of the outline is broken at its edge {wrong}")
    point_cells = np.flatnonzero(~is_edge)
    point = np.where(category[point_cells] == _ENDS, outline.following[site[point_cells]], site[point_cells])
    wedge_starts = np.zeros(2 * count + 2, np.int64)
    wedge_starts[0] = used = int(ring_starts[-1])
    found = np.empty((2 * count + 2, 4), np.int64)
    wedges = _wedge_chains(
        point_cells,
        first,
        ring,
        start,
        end,
        owner,
        cell_edge,
        at_point[point],
        marked,
        rings,
        wedge_starts,
        found,
        used,
    )
    if wedges < 0:
        raise DiagramError("a corner's part of the outline's diagram is broken")
    used = int(wedge_starts[wedges])
    inside = np.zeros(edge_count // 2, np.bool_)
    inside[rings[:used] // 2] = True
    new_owner = np.full(edge_count, -1, np.int64)
    all_starts = np.concatenate([ring_starts, wedge_starts[1 : wedges + 1]])
    new_owner[rings[:used]] = np.repeat(np.arange(count + wedges), np.diff(all_starts))
    vertices[at_point] = outline.points
    return Diagram(
        vertices,
        at_point,
        start,
        end,
        new_owner,
        rings[:used].copy(),
        all_starts,
        np.concatenate([np.arange(count), point[found[:wedges, 1]]]),
        np.concatenate([np.full((count, 2), -1), found[:wedges, 2:]]),
        inside,
    )
