"""What is see-through in a set, in the order in which it is laid over what is behind it: bodies, their pieces, and which lie apart."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from threading import Lock
from typing import Any

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from zeitbild.geometry.mesh import Mesh, box_around
from zeitbild.render.world.paint_order import paint_order
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import lets_through


def veiled_places(snapshot: Snapshot) -> list[int]:
    """Places of the bodies in view that have a finish through which something may be seen; of a snapshot not yet built, too."""
    return [
        place
        for place, body in enumerate(snapshot.bodies)
        if body.role != "unseen" and any(lets_through(finish) for finish in body.finishes)
    ]


def see_through_places(snapshot: Snapshot) -> tuple[int, ...]:
    """Those places of a snapshot that is built, far to near by the middles of their bodies."""
    return Pieces(snapshot).far_to_near(veiled_places(snapshot))


def fused_places(snapshot: Snapshot) -> list[tuple[int, ...]]:
    """Places of the bodies in view that stand in one group of which only a share is left, by the outermost of such."""
    found: dict[str, list[int]] = {}
    for place, body in enumerate(snapshot.bodies):
        if body.fades and body.role != "unseen" and body.dots is None:
            found.setdefault(body.fades[0][0], []).append(place)
    return [tuple(places) for places in found.values()]


#: Pieces that a body is taken apart into at most; and how many bodies' pieces are remembered.
_MOST_PIECES, _REMEMBERED = 64, 32
#: What is thinner than this share of its size is flat.
_FLAT = 1e-6
#: Corners no farther apart than this share of a mesh are in one place.
_ONE_PLACE = 1e-9


@dataclass(frozen=True, slots=True, eq=False)
class _Apart:
    """A mesh whose parts have no corner in common: the part [T] of each triangle and the box [2, 3] around each part; none of both
    for a mesh that stays whole. mixed: it has parts of which one may reach through another or stand in it."""

    mesh: Mesh
    part_of: NDArray[np.int32]
    boxes: tuple[NDArray[np.float64], ...]
    mixed: bool = False


_taken_apart: LRUCache[int, _Apart] = LRUCache(_REMEMBERED)
_taking_apart = Lock()


def _apart(mesh: Mesh) -> _Apart:
    """The parts of a mesh, found out once."""
    with _taking_apart:
        found = _taken_apart.get(id(mesh))
    # The number of a mesh that is gone may be another's.
    if found is None or found.mesh is not mesh:
        found = _parts_of(mesh)
        with _taking_apart:
            _taken_apart[id(mesh)] = found
    return found


def _parts_of(mesh: Mesh) -> _Apart:
    """The parts of a mesh; it stays whole if it is one, or too many."""
    whole = _Apart(mesh, np.empty(0, np.int32), ())
    count, t = len(mesh.vertices), mesh.triangles
    if not count or not len(t):
        return whole
    # Corners in one place are one: what lies edge to edge is not seen through one another.
    step = float(np.ptp(mesh.vertices, axis=0).max()) * _ONE_PLACE or 1.0
    _, place = np.unique(np.round(mesh.vertices / step), axis=0, return_inverse=True)
    place = place.reshape(-1)
    joined_t = place[t]
    rows, columns = joined_t[:, [0, 1]].reshape(-1), joined_t[:, [1, 2]].reshape(-1)
    joined = coo_matrix((np.ones(len(rows), np.int8), (rows, columns)), shape=(count, count))
    _, labels = connected_components(joined, directed=False)
    # Corners of no triangle are parts of nothing.
    used, part_of = np.unique(labels[joined_t[:, 0]], return_inverse=True)
    if len(used) < 2:
        return whole
    own = labels[place]
    boxes = tuple(box_around(mesh.vertices[own == one]) for one in used) if len(used) <= _MOST_PIECES else ()
    if not boxes or _entwined(boxes):
        return replace(whole, mixed=True)
    return _Apart(mesh, part_of.astype(np.int32), boxes)


def _entwined(boxes: Sequence[NDArray[np.float64]]) -> bool:
    """Whether any two boxes have room in common."""
    low, high = np.array([box[0] for box in boxes]), np.array([box[1] for box in boxes])
    shared = np.minimum(high[:, None], high) - np.maximum(low[:, None], low)
    return bool((np.tril((shared > 0).all(axis=2), -1)).any())


class Pieces:
    """See-through bodies in pieces where their parts lie apart, as the letters of a word do: one may be seen through another.

    A piece has a number, as bodies have their places: those of whole bodies are their places, those of parts come after them.
    """

    def __init__(self, snapshot: Snapshot) -> None:
        self._snapshot, self._meshes = snapshot, snapshot.built_meshes
        self._bodies = list(range(len(self._meshes)))
        self._order = paint_order(snapshot)
        #: Of those that somebody asked for; None: it has no corner.
        self._boxes: dict[int, NDArray[np.float64] | None] = {}

    def body(self, piece: int) -> int:
        """The place of the body that a piece is of."""
        return self._bodies[piece]

    def box(self, piece: int) -> NDArray[np.float64] | None:
        """The lowest and the highest corner [2, 3] of the box around a piece, in its body's own units; None for an empty one."""
        if piece not in self._boxes:
            mesh = self._meshes[piece]
            self._boxes[piece] = mesh.bounds if len(mesh.vertices) else None
        return self._boxes[piece]

    def is_mixed(self, piece: int) -> bool:
        """Whether parts of a piece may reach through one another: then sides that face us and that face away come in any order."""
        return piece < len(self._meshes) and _apart(self._meshes[piece]).mixed

    def is_flat(self, piece: int) -> bool:
        """Whether a piece lies in a plane of its body's own axes."""
        box = self.box(piece)
        if box is None:
            return True
        sides = box[1] - box[0]
        return bool(sides.min() <= _FLAT * sides.max())

    def far_to_near(self, pieces: Sequence[int]) -> tuple[int, ...]:
        """Pieces in the order of their middles."""
        middles = {piece: self._away(piece) for piece in pieces}
        # What lies in one plane is one to what is before it and behind it, and lies in the order of the set.
        planes: dict[int, list[float]] = {}
        for piece in pieces:
            planes.setdefault(self.plane(piece), []).append(middles[piece])
        for piece in pieces:
            if self.plane(piece) >= 0:
                own = planes[self.plane(piece)]
                middles[piece] = sum(own) / len(own)
        return tuple(sorted(pieces, key=lambda piece: (-middles[piece], self._rank(piece), piece)))

    def plane(self, piece: int) -> int:
        """The number of the plane that a piece lies in, -1 if it is not flat."""
        planes = self._order.planes
        return planes[self._bodies[piece]] if planes else -1

    def _rank(self, piece: int) -> int:
        ranks = self._order.ranks
        return ranks[self._bodies[piece]] if ranks else 0

    def _away(self, piece: int) -> float:
        """How far the middle of a piece is along the viewing axis."""
        matrix = np.array(self._snapshot.bodies[self._bodies[piece]].matrix).reshape(4, 4)
        box = self.box(piece)
        middle = np.zeros(3) if box is None else (box[0] + box[1]) / 2
        return float(self._snapshot.camera.distance((matrix[:3, :3] @ middle + matrix[:3, 3])[None])[0])

    def among(self, units: Sequence[tuple[int, ...]], others: Sequence[tuple[int, ...]]) -> list[tuple[int, ...]]:
        """Units, given from far to near, with others put among them by their middles."""
        found = list(units)
        for other in others:
            away = self.mean_away(other)
            at = next((number for number, unit in enumerate(found) if self.mean_away(unit) < away), len(found))
            found.insert(at, other)
        return found

    def mean_away(self, unit: Sequence[int]) -> float:
        """How far the middles of a unit are along the viewing axis, in the mean."""
        return sum(self._away(piece) for piece in unit) / len(unit)

    def take_apart(
        self, units: Sequence[tuple[int, ...]], owners: NDArray[np.int64]
    ) -> tuple[list[tuple[int, ...]], NDArray[np.int64]]:
        """Units (``entangled.entangled``) with pieces in place of each body that is one alone, and which piece each triangle [T] is of, where
        owners [T] are the places of their bodies."""
        found: list[tuple[int, ...]] = []
        owners = owners.copy()
        for unit in units:
            parts = _apart(self._meshes[unit[0]]) if len(unit) == 1 else None
            if parts is None or not parts.boxes:
                found.append(unit)
                continue
            first = len(self._bodies)
            self._bodies += [unit[0]] * len(parts.boxes)
            self._boxes |= dict(enumerate(parts.boxes, first))
            owners[owners == unit[0]] = first + parts.part_of
            found += [(piece,) for piece in self.far_to_near(range(first, len(self._bodies)))]
        return found, owners


#: Pixels that two elements must lie apart to be drawn together.
_APART = 2.0


#: Which end of a box, low or high, each of its eight corners has along each axis.
_CORNERS = np.array(list(itertools.product((0, 1), repeat=3)))


@dataclass(frozen=True, slots=True, eq=False)
class Outlines:
    """Where bodies may be in the picture while the shutter is open, by the boxes around them.

    boxes  [n, 4] left, top, right and bottom in pixels; everywhere, if one reaches behind the eye
    depths [n, 2] between which distances along the viewing axis
    """

    boxes: NDArray[np.float64]
    depths: NDArray[np.float64]

    def meeting(self, bodies: Sequence[int] = ()) -> NDArray[np.bool_]:
        """Which two [n, n] may have a pixel in common. Pieces of the same of ``bodies`` [n] may have one in common at their edges:
        drawn together each has its share of it."""
        own = np.array(bodies)
        closer = self.boxes + np.array([_APART, _APART, -_APART, -_APART])
        return np.where(own[:, None] == own, _meet(closer), _meet(self.boxes)) if len(own) else _meet(self.boxes)

    def deep(self) -> NDArray[np.float64]:
        """How far two [n, n] share distances from the eye."""
        near, far = self.depths.T
        shared: NDArray[np.float64] = np.minimum(far[:, None], far) - np.maximum(near[:, None], near)
        return shared


def _meet(boxes: NDArray[np.float64]) -> NDArray[np.bool_]:
    left, top, right, bottom = boxes.T
    across: NDArray[np.bool_] = (left[:, None] < right) & (left < right[:, None])
    down: NDArray[np.bool_] = (top[:, None] < bottom) & (top < bottom[:, None])
    return np.logical_and(across, down)


def outlines_of(snapshot: Snapshot, places: Sequence[int], pieces: Pieces | None = None) -> Outlines:
    """The outlines of bodies at some places, or of pieces of them."""
    camera, pieces = snapshot.camera, pieces or Pieces(snapshot)
    found = Outlines(np.zeros((len(places), 4)), np.zeros((len(places), 2)))
    every = [pieces.box(place) for place in places]
    at = [number for number, box in enumerate(every) if box is not None]
    if not at:
        return found
    places = [pieces.body(place) for place in places]
    ends = np.array([every[number] for number in at])
    if snapshot.stations:
        far = np.array([snapshot.bodies[places[number]].strays() for number in at])
        ends += np.stack([-far, far], axis=1)
    corners = ends[:, _CORNERS, np.arange(3)]
    stations = snapshot.stations or (tuple(body.matrix for body in snapshot.bodies),)
    matrices = np.array([[station[places[number]] for number in at] for station in stations])
    matrices = matrices.reshape(len(stations), len(at), 1, 4, 4)
    points = np.einsum("snoij,nkj->snki", matrices[..., :3, :3], corners) + matrices[..., :3, 3]
    shape = points.shape[:3]
    away = camera.distance(points.reshape(-1, 3)).reshape(shape)
    projected = camera.project(points.reshape(-1, 3)).reshape(*shape, 3)
    found.depths[at] = np.stack([away.min(axis=(0, 2)), away.max(axis=(0, 2))], axis=1)
    spots = projected[..., :2] / np.where(projected[..., 2:] == 0, 1, projected[..., 2:])
    found.boxes[at] = np.concatenate([spots.min(axis=(0, 2)) - _APART, spots.max(axis=(0, 2)) + _APART], axis=1)
    if not camera.parallel:
        behind = (projected[..., 2] <= camera.near).any(axis=(0, 2))
        found.boxes[np.array(at)[behind]] = (-np.inf, -np.inf, np.inf, np.inf)
    return found


def groups_apart(
    snapshot: Snapshot, units: Sequence[tuple[int, ...]], roles: Mapping[int, Any], pieces: Pieces | None = None
) -> list[list[tuple[int, ...]]]:
    """See-through bodies, given from far to near (several together where they reach through one another), in groups to be laid over
    one another: those of one group lie apart in the picture and have the same roles, and two that may cover one another stand in
    groups in their order. What is together has a group of its own."""
    every = [place for unit in units for place in unit]
    number_of = {place: number for number, place in enumerate(every)}
    bodies = [pieces.body(place) for place in every] if pieces is not None else ()
    meeting = outlines_of(snapshot, every, pieces).meeting(bodies)
    levels: list[list[tuple[int, ...]]] = []
    #: The numbers of the bodies in each level.
    inside: list[list[int]] = []
    for unit in units:
        mine = [number_of[place] for place in unit]
        met = np.logical_or.reduce(meeting[mine], axis=0)
        level = max((number + 1 for number, others in enumerate(inside) if met[others].any()), default=0)
        while level < len(levels) and (
            len(unit) > 1 or len(levels[level][0]) > 1 or roles[levels[level][0][0]] != roles[unit[0]]
        ):
            level += 1
        if level == len(levels):
            levels.append([])
            inside.append([])
        levels[level].append(unit)
        inside[level] += mine
    return levels
