"""Centre lines of inked shapes: where discs lie that touch the outline on two sides.

The outline is sampled evenly; the Voronoi diagram of the samples has the centre line among its edges (Brandt 1994, Convergence and Continuity
Criteria for Discrete Approximations of the Continuous Planar Skeleton). What only leads into corners is left out by the angle between the two
places that a disc touches.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import Voronoi

from zeitbild.geometry.pen.strokes import Stroke

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]

#: Samples across the ink's larger side, and of all at most.
_FINE, _MOST = 220.0, 6000
#: Discs that touch the outline at places less than so far apart (seen from their middle) lead into a corner.
_CORNER = math.radians(100)
#: A branch is shorter than so many radii where it leaves: it is none.
_SPUR = 1.35
#: A pen covers so many radii; ink beyond that is missed where it is larger than a square of so many radii a side.
_COVERS, _MISSED = 1.3, 0.7
#: Junctions nearer than so many radii to one another are one.
_ONE = 0.9
#: Two branches go on as one stroke where they turn by less than this.
_GOES_ON = math.radians(65)


def centre_lines(rings: Sequence[Floats]) -> list[Stroke]:
    """Strokes along the centre lines of what closed outlines [n, 2] enclose (non-zero rule), in no order."""
    ink = _ink(rings)
    if ink.is_empty:
        return []
    found: list[Stroke] = []
    for part in getattr(ink, "geoms", [ink]):
        if part.geom_type == "Polygon" and part.area > 0:
            own = _of_part(part)
            found += own + [stroke for rest in _uncovered(part, own) for stroke in _of_part(rest)]
    return found


def _uncovered(part: shapely.Polygon, strokes: Sequence[Stroke]) -> list[shapely.Polygon]:
    """Ink that no pen comes near on these strokes, as arms that are hardly longer than wide: it gets strokes of its own."""
    bands = [shapely.LineString(one.points).buffer(float(np.max(one.radii)) * _COVERS) for one in strokes]
    widest = max(float(np.median(one.radii)) for one in strokes)
    rest = shapely.difference(part, shapely.union_all(bands))
    pieces = [one for one in getattr(rest, "geoms", [rest]) if one.geom_type == "Polygon"]
    return [one for one in pieces if one.area > (_MISSED * widest) ** 2]


def _ink(rings: Sequence[Floats]) -> shapely.Geometry:
    import manifold3d

    section = manifold3d.CrossSection([np.asarray(ring) for ring in rings], manifold3d.FillRule.NonZero)
    loops = [shapely.Polygon(ring) for ring in section.to_polygons() if len(ring) > 2]
    solid = shapely.union_all([one for one in loops if one.exterior.is_ccw])
    return shapely.difference(solid, shapely.union_all([one for one in loops if not one.exterior.is_ccw]))


def _of_part(part: shapely.Polygon) -> list[Stroke]:
    rings = [np.array(part.exterior.coords)[:-1], *(np.array(one.coords)[:-1] for one in part.interiors)]
    size = float(np.ptp(rings[0], axis=0).max())
    total = sum(float(np.hypot(*(np.roll(ring, -1, axis=0) - ring).T).sum()) for ring in rings)
    step = max(size / _FINE, total / _MOST)
    samples = np.concatenate([_sampled(ring, step) for ring in rings])
    if len(samples) < 8:
        return [_dot(part)]
    diagram = Voronoi(samples)
    ends = np.array(diagram.ridge_vertices, np.int64)
    sides = samples[diagram.ridge_points]
    shapely.prepare(part)
    inside: NDArray[np.bool_] = np.asarray(shapely.contains_xy(part, *diagram.vertices.T), bool)
    kept: NDArray[np.bool_] = np.asarray((ends >= 0).all(axis=1), bool)
    kept[kept] = inside[ends[kept]].all(axis=1)
    ends, sides = ends[kept], sides[kept]
    middles = diagram.vertices[ends].mean(axis=1)
    first, second = sides[:, 0] - middles, sides[:, 1] - middles
    lengths = np.hypot(*first.T) * np.hypot(*second.T)
    angles = np.arccos(np.clip((first * second).sum(axis=1) / np.maximum(lengths, 1e-30), -1, 1))
    ends = ends[angles > _CORNER]
    radii = np.full(len(diagram.vertices), np.nan)
    for at, own in zip(ends[:, 0], sides[angles > _CORNER][:, 0], strict=True):
        radii[at] = np.hypot(*(diagram.vertices[at] - own))
    for at, own in zip(ends[:, 1], sides[angles > _CORNER][:, 0], strict=True):
        radii[at] = np.hypot(*(diagram.vertices[at] - own))
    graph = _Graph(diagram.vertices, radii, ends)
    strokes = graph.strokes()
    return strokes or [_dot(part)]


def _sampled(ring: Floats, step: float) -> Floats:
    """Points along a closed outline, ``step`` apart."""
    closed = np.concatenate([ring, ring[:1]])
    along = np.append(0.0, np.cumsum(np.hypot(*np.diff(closed, axis=0).T)))
    count = max(8, round(along[-1] / step))
    # Half a step off its corners, so that no sample lies on one.
    at = (np.arange(count) + 0.5) / count * along[-1]
    return np.column_stack([np.interp(at, along, closed[:, axis]) for axis in (0, 1)])


def _dot(part: shapely.Polygon) -> Stroke:
    """What is as long as wide: the pen rests there a little."""
    middle = np.array(part.centroid.coords[0])
    radius = math.sqrt(part.area / math.pi)
    off = np.array([radius / 8, 0.0])
    return Stroke(np.array([middle - off, middle + off]), np.full(2, radius))


class _Graph:
    """Centre lines as nodes and chains between them."""

    def __init__(self, points: Floats, radii: Floats, edges: Whole) -> None:
        self.points, self.radii = points, radii
        self.chains = self._chained(self._largest_parts(edges))
        self._prune()
        self._join()

    def _largest_parts(self, edges: Whole) -> Whole:
        """Without crumbs that hang together with nothing."""
        if not len(edges):
            return edges
        count = len(self.points)
        linked = coo_matrix((np.ones(len(edges)), edges.T), shape=(count, count))
        _, labels = connected_components(linked, directed=False)
        lengths = np.hypot(*(self.points[edges[:, 0]] - self.points[edges[:, 1]]).T)
        totals = np.bincount(labels[edges[:, 0]], lengths, minlength=labels.max() + 1)
        widest = np.zeros(labels.max() + 1)
        np.maximum.at(widest, labels[edges[:, 0]], np.nan_to_num(self.radii[edges[:, 0]]))
        keep = totals >= np.minimum(totals.max(), widest * 1.5)
        return np.asarray(edges[keep[labels[edges[:, 0]]]], np.int64)

    @staticmethod
    def _chained(edges: Whole) -> list[list[int]]:
        """Chains of nodes between ends and junctions; closed ones begin and end at the same node."""
        neighbours: dict[int, list[int]] = {}
        for a, b in edges.tolist():
            neighbours.setdefault(a, []).append(b)
            neighbours.setdefault(b, []).append(a)
        used: set[tuple[int, int]] = set()
        chains: list[list[int]] = []

        def follow(start: int, first: int) -> list[int]:
            chain = [start, first]
            used.update({(start, first), (first, start)})
            while len(neighbours[chain[-1]]) == 2 and chain[-1] != start:
                a, b = neighbours[chain[-1]]
                following = a if b == chain[-2] else b
                if (chain[-1], following) in used:
                    break
                used.update({(chain[-1], following), (following, chain[-1])})
                chain.append(following)
            return chain

        for node, around in neighbours.items():
            if len(around) != 2:
                chains += [follow(node, other) for other in around if (node, other) not in used]
        for node, around in neighbours.items():
            if (node, around[0]) not in used:
                chains.append(follow(node, around[0]))
        return chains

    def _length(self, chain: Sequence[int]) -> float:
        return float(np.hypot(*np.diff(self.points[list(chain)], axis=0).T).sum())

    def _degrees(self) -> dict[int, int]:
        found: dict[int, int] = {}
        for chain in self.chains:
            for end in (chain[0], chain[-1]):
                found[end] = found.get(end, 0) + 1
        return found

    def _merge(self) -> None:
        """Chains that meet two and two in one node become one."""
        edges = {
            tuple(sorted(pair))
            for chain in self.chains
            for pair in zip(chain, chain[1:], strict=False)
            if pair[0] != pair[1]
        }
        self.chains = self._chained(np.array(sorted(edges), np.int64).reshape(-1, 2))

    def _prune(self) -> None:
        """Take away branches that only lead into corners, the shortest first."""
        while True:
            degrees = self._degrees()
            spurs = []
            for at, chain in enumerate(self.chains):
                ends = degrees[chain[0]], degrees[chain[-1]]
                if min(ends) == 1 and max(ends) > 2:
                    root = chain[0] if ends[0] > 1 else chain[-1]
                    length, radius = self._length(chain), float(np.nan_to_num(self.radii[root]))
                    if length < _SPUR * radius:
                        spurs.append((length / max(radius, 1e-12), at))
            if not spurs:
                return
            del self.chains[min(spurs)[1]]
            self._merge()

    def _join(self) -> None:
        """Junctions that lie within one disc are one: chains between them are taken away, the others moved there."""
        for _ in range(100):
            degrees = self._degrees()
            short = [
                (self._length(chain), at)
                for at, chain in enumerate(self.chains)
                if chain[0] != chain[-1]
                and degrees[chain[0]] > 2
                and degrees[chain[-1]] > 2
                and self._length(chain) < _ONE * float(np.nanmax(self.radii[[chain[0], chain[-1]]]))
            ]
            if not short:
                return
            chain = self.chains.pop(min(short)[1])
            kept, gone = chain[0], chain[-1]
            self.chains = [
                [kept if node == gone and place in (0, len(one) - 1) else node for place, node in enumerate(one)]
                for one in self.chains
            ]

    def _way(self, chain: Sequence[int], node: int) -> Floats:
        """The way in which a chain leaves a node, over as far as its disc reaches."""
        own = list(chain) if chain[0] == node else list(chain)[::-1]
        points = self.points[own]
        along = np.append(0.0, np.cumsum(np.hypot(*np.diff(points, axis=0).T)))
        reach = min(2.0 * float(np.nan_to_num(self.radii[node])), along[-1])
        near = 0.5 * reach
        at = [np.array([np.interp(s, along, points[:, axis]) for axis in (0, 1)]) for s in (near, reach)]
        way = at[1] - at[0]
        return np.asarray(way / max(float(np.hypot(*way)), 1e-12), np.float64)

    def strokes(self) -> list[Stroke]:
        """Chains joined where one goes on in the other's way."""
        partner: dict[tuple[int, int], tuple[int, int]] = {}
        at_node: dict[int, list[tuple[int, int]]] = {}
        for at, chain in enumerate(self.chains):
            for end, node in ((0, chain[0]), (1, chain[-1])):
                at_node.setdefault(node, []).append((at, end))
        for node, ends in at_node.items():
            if len(ends) < 2:
                continue
            ways = {
                end: self._way(self.chains[end[0]] if end[1] == 0 else self.chains[end[0]][::-1], node) for end in ends
            }
            pairs = sorted(
                (math.acos(float(np.clip(-(ways[a] @ ways[b]), -1, 1))), a, b)
                for number, a in enumerate(ends)
                for b in ends[number + 1 :]
                if a[0] != b[0]
            )
            for turn, a, b in pairs:
                if turn < _GOES_ON and a not in partner and b not in partner:
                    partner[a], partner[b] = b, a
        return [self._drawn(one) for one in self._joined(partner)]

    def _joined(self, partner: dict[tuple[int, int], tuple[int, int]]) -> list[list[int]]:
        done: set[int] = set()
        found = []
        order = sorted(range(len(self.chains)), key=lambda at: ((at, 0) in partner) + ((at, 1) in partner))
        for at in order:
            if at in done:
                continue
            # From an end that goes on in nothing, if it has one.
            end = 0 if (at, 0) not in partner else 1
            nodes: list[int] = []
            here: tuple[int, int] | None = (at, end)
            while here is not None and here[0] not in done:
                done.add(here[0])
                chain = self.chains[here[0]]
                own = chain if here[1] == 0 else chain[::-1]
                nodes += own if not nodes else own[1:]
                here = partner.get((here[0], 1 - here[1]))
            found.append(nodes)
        return found

    def _drawn(self, nodes: Sequence[int]) -> Stroke:
        points, radii = self.points[list(nodes)], np.nan_to_num(self.radii[list(nodes)])
        if nodes[0] != nodes[-1]:
            points, radii = self._to_the_edge(points, radii)
        return _even(points, radii)

    @staticmethod
    def _to_the_edge(points: Floats, radii: Floats) -> tuple[Floats, Floats]:
        """An end lies half a width before the edge; a pen goes on to it but for the roundness of its tip."""
        for turned in (False, True):
            own, wide = (points[::-1], radii[::-1]) if turned else (points, radii)
            back = own[min(len(own) - 1, 6)] - own[0]
            length = float(np.hypot(*back))
            if length > 0:
                more = own[0] - back / length * wide[0] * 0.25
                own, wide = np.concatenate([[more], own]), np.concatenate([wide[:1], wide])
            points, radii = (own[::-1], wide[::-1]) if turned else (own, wide)
        return points, radii


def _even(points: Floats, radii: Floats) -> Stroke:
    """A stroke with points evenly apart, smoothed over a few, as the diagram's vertices tremble."""
    kept = np.append(True, np.hypot(*np.diff(points, axis=0).T) > 1e-9)
    points, radii = points[kept], radii[kept]
    if len(points) < 2:
        off = np.array([float(radii[0]) / 8, 0.0])
        return Stroke(np.array([points[0] - off, points[0] + off]), np.full(2, float(radii[0])))
    along = np.append(0.0, np.cumsum(np.hypot(*np.diff(points, axis=0).T)))
    step = max(float(np.median(radii)) / 5, along[-1] / 1500)
    count = max(3, round(along[-1] / step) + 1)
    at = np.linspace(0, along[-1], count)
    x, y, r = (np.interp(at, along, values) for values in (points[:, 0], points[:, 1], radii))
    closed = bool(np.allclose(points[0], points[-1]))
    for _ in range(2):
        x, y, r = (_smoothed(values, closed) for values in (x, y, r))
    if closed:
        x[-1], y[-1], r[-1] = x[0], y[0], r[0]
    return Stroke(np.column_stack([x, y]), r)


def _smoothed(values: Floats, closed: bool) -> Floats:
    weights = np.array([1.0, 4, 6, 4, 1]) / 16
    if closed:
        own = values[:-1]
        padded = np.concatenate([own[-2:], own, own[:2]])
        inner = np.convolve(padded, weights, mode="valid")
        return np.append(inner, inner[0])
    # Its ends stay.
    padded = np.concatenate([2 * values[0] - values[2:0:-1], values, 2 * values[-1] - values[-2:-4:-1]])
    return np.convolve(padded, weights, mode="valid")
