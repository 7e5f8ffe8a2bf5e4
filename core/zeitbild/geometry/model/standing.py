"""A model's parts as meshes: welded, with smooth normals where the file has none, turned upright, as large as wanted."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from zeitbild.caching import SizedCache
from zeitbild.errors import InputError
from zeitbild.geometry.mesh import Mesh, place_keys
from zeitbild.geometry.model.figure import Figure
from zeitbild.geometry.model.plain import Floats, Material, PlainPart
from zeitbild.geometry.model.reading import read_model

#: Points nearer than this share of the model are one.
_SAME = 1e-7
#: Given normals that differ by less (cosine) belong to one surface.
_ALIKE = 0.9995

#: The number of the picture of corners' colours of what has no material; those of materials come after it.
COLOURS = 9000

Up = Literal["as the file has it", "x", "y", "z"]
Stands = Literal["about its middle", "on its foot", "about its own origin"]


class Model:
    """A model that was read. Immutable."""

    def __init__(self, plain: dict[str, Any], label: str) -> None:
        """From what ``read_model`` gives."""
        self.label, self.up = label, str(plain["up"])
        self.parts = tuple(PlainPart(**one) for one in plain["parts"])
        self.materials = tuple(Material.of(one) for one in plain["materials"])
        self.notes = tuple(str(one) for one in plain["notes"])
        self.clips = tuple((str(name), float(seconds)) for name, seconds in plain["clips"])
        #: How it is posed; None for what cannot be.
        self.figure = Figure(plain["figure"]) if plain.get("figure") else None
        self.triangles = sum(len(part.triangles) for part in self.parts)
        #: Pictures of corners' colours by their numbers among the file's pictures (``corner_colours``).
        self.colours: dict[int, NDArray[np.float32]] = {}
        for material in {part.material for part in self.parts if part.colours is not None}:
            own = [part for part in self.parts if part.material == material]
            # A surface has one picture: where it has one of its own, that is it.
            if material < 0 or self.materials[material].pictures[0] < 0:
                self.colours[COLOURS + 1 + material] = corner_colours(own)
            else:
                self.notes += ("colours of points where a surface has a picture",)


def corner_colours(parts: Sequence[PlainPart]) -> NDArray[np.float32]:
    """A picture [H, W, 3] in which each triangle of some parts has four pixels, between which its corners' colours run straight; parts are
    told where they lie in it. White where there are none."""
    count = sum(len(part.triangles) for part in parts)
    across = max(1, math.ceil(math.sqrt(count)))
    down = -(-count // across)
    picture = np.ones((down, 2, across, 2, 3), np.float32)
    first = 0
    for part in parts:
        own = len(part.triangles)
        row, column = np.divmod(np.arange(first, first + own), across)
        first += own
        if part.colours is not None:
            a, b, c = part.colours[:, 0], part.colours[:, 1], part.colours[:, 2]
            picture[row, 0, column, 0], picture[row, 0, column, 1], picture[row, 1, column, 0] = a, b, c
            picture[row, 1, column, 1] = b + c - a
        corner = np.stack([2 * column + 0.5, 2 * row + 0.5], axis=1)[:, None]
        places = corner + np.array([[0, 0], [1, 0], [0, 1]])
        part.unwrapped = (places / np.array([2 * across, 2 * down])).astype(np.float32)
    return picture.reshape(2 * down, 2 * across, 3)


@dataclass(frozen=True, slots=True)
class Placing:
    """How a model is put into an element: its larger side in units, which axis is up, where its pivot is, and the bend (degrees) from
    which on an edge is sharp where the file has no normals."""

    size: float
    up: Up = "as the file has it"
    stands: Stands = "about its middle"
    crease: float = 30.0


def meshes_of(model: Model, placing: Placing, hidden: frozenset[str]) -> dict[int, Mesh]:
    """A mesh for each material (-1: none) of the parts that are not hidden, pivot at the origin; part numbers of its triangles are the
    material's number and one more. InputError if nothing is left."""
    return Shapes(model, placing, hidden).at_rest()


class Shapes:
    """A model's meshes at rest, and in any pose: they stand where and as large as the model does at rest, and share its triangles."""

    def __init__(self, model: Model, placing: Placing, hidden: frozenset[str]) -> None:
        """InputError if nothing is left, or if it has no size."""
        shown = [at for at, part in enumerate(model.parts) if part.name not in hidden]
        if not shown:
            raise InputError("every part of the model is hidden; show one", "hidden")
        self.upright = _upright(model.up if placing.up == "as the file has it" else placing.up)
        # By all parts, so that hiding one moves nothing.
        points = np.concatenate([part.points[np.unique(part.triangles)] for part in model.parts]) @ self.upright.T
        low, high = points.min(axis=0), points.max(axis=0)
        extent = float((high - low).max())
        if not extent > 0:
            raise InputError("the model has no size", "model")
        middle = (low + high) / 2
        self.pivot = {
            "about its middle": middle,
            "on its foot": np.array([middle[0], low[1], middle[2]]),
            "about its own origin": np.zeros(3),
        }[placing.stands]
        self.scale = placing.size / extent
        self.templates: dict[int, _Template] = {}
        for material in sorted({model.parts[at].material for at in shown}):
            own = [at for at in shown if model.parts[at].material == material]
            two_sided = material >= 0 and model.materials[material].two_sided
            made = _template([(at, model.parts[at]) for at in own], self, placing.crease, material, two_sided)
            if made is not None:
                self.templates[material] = made
        if not self.templates:
            raise InputError("the model's triangles have no area", "model")

    def placed(self, points: Floats) -> Floats:
        """Where points of the model come."""
        placed: Floats = (points @ self.upright.T - self.pivot) * self.scale
        return placed

    def at_rest(self) -> dict[int, Mesh]:
        """A mesh for each material (-1: none)."""
        return {material: one.rest for material, one in self.templates.items()}

    def posed(self, parts: Sequence[tuple[Floats, NDArray[np.float32] | None]]) -> dict[int, Mesh]:
        """The same where points [V, 3] and normals [T, 3, 3] of all the model's parts are given."""
        turned = self.upright.T.astype(np.float32)
        found = {}
        for material, template in self.templates.items():
            points, normals = [], []
            for piece in template.pieces:
                own, given = parts[piece.part]
                points.append(self.placed(own[piece.vertices]))
                if given is None:
                    flat = np.cross(
                        points[-1][piece.corners[:, 1]] - points[-1][piece.corners[:, 0]],
                        points[-1][piece.corners[:, 2]] - points[-1][piece.corners[:, 0]],
                    )
                    normals.append(_smoothed(piece.corners, flat, piece.smooth))
                else:
                    normals.append(given[piece.good] @ turned)
            rest = template.rest
            found[material] = replace(
                rest,
                vertices=np.ascontiguousarray(np.concatenate(points)),
                normals=np.ascontiguousarray(np.concatenate(normals), np.float32),
            )
        return found


@dataclass(frozen=True, slots=True, eq=False)
class _Piece:
    """What one part gives to a mesh: its number, the points that are kept of it, triangles over them, which of its triangles those are, and its smooth
    edges."""

    part: int
    vertices: NDArray[np.int64]
    corners: NDArray[np.int64]
    good: NDArray[np.bool_]
    smooth: _Edges


@dataclass(frozen=True, slots=True, eq=False)
class _Template:
    """A mesh at rest and the pieces that it is made of."""

    rest: Mesh
    pieces: tuple[_Piece, ...]


def _upright(up: str) -> Floats:
    """What turns a model so that an axis of it points upwards [3, 3]."""
    if up == "z":
        return np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])
    if up == "x":
        return np.array([[0.0, -1, 0], [1, 0, 0], [0, 0, 1]])
    return np.eye(3)


def _template(
    parts: list[tuple[int, PlainPart]],
    shapes: Shapes,
    crease: float,
    material: int,
    two_sided: bool,
) -> _Template | None:
    points, triangles, normals, shares, patches, pieces = [], [], [], [], [], []
    first = patch = 0
    for number, part in parts:
        turned = None if part.normals is None else part.normals @ shapes.upright.T.astype(np.float32)
        placed = shapes.placed(part.points)
        vertices, corners = _welded(placed, part.triangles)
        welded = placed[vertices]
        flat = np.cross(welded[corners[:, 1]] - welded[corners[:, 0]], welded[corners[:, 2]] - welded[corners[:, 0]])
        good = np.einsum("ij,ij->i", flat, flat) > 0
        corners, flat = corners[good], flat[good]
        if not len(corners):
            continue
        own = None if turned is None else turned[good]
        smooth = _smooth_edges(corners, flat, own, crease)
        pieces.append(_Piece(number, vertices, corners, good, smooth))
        normals.append(_smoothed(corners, flat, smooth) if own is None else own)
        patches.append(_patches(len(corners), smooth) + patch)
        patch = int(patches[-1].max()) + 1
        points.append(welded)
        triangles.append(corners + first)
        first += len(welded)
        shares.append(None if part.unwrapped is None else part.unwrapped[good])
    if not points:
        return None
    count = sum(len(one) for one in triangles)
    unwrapped = None
    if any(one is not None for one in shares):
        filled = [
            np.zeros((len(own), 3, 2), np.float32) if one is None else one
            for own, one in zip(triangles, shares, strict=True)
        ]
        unwrapped = np.ascontiguousarray(np.concatenate(filled), np.float32)
    mesh = Mesh(
        np.ascontiguousarray(np.concatenate(points)),
        np.ascontiguousarray(np.concatenate(triangles), np.int32),
        np.ascontiguousarray(np.concatenate(normals), np.float32),
        np.full(count, material + 1, np.int32),
        np.concatenate(patches).astype(np.int32),
        False,
        unwrapped,
    )
    closed = not two_sided and mesh.open_edges() == 0 and mesh.volume() > 0
    return _Template(replace(mesh, closed=closed), tuple(pieces))


def _welded(points: Floats, triangles: NDArray[np.int32]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Points that are one made one: the numbers of the distinct ones, and triangles over them."""
    used, corners = np.unique(triangles, return_inverse=True)
    own = points[used]
    extent = float(np.ptp(own, axis=0).max()) or 1.0
    keys = place_keys(own, extent * _SAME)
    _, first, number = np.unique(keys, return_index=True, return_inverse=True)
    return used[first].astype(np.int64), number.reshape(-1)[corners.reshape(-1)].reshape(-1, 3)


@dataclass(frozen=True, slots=True, eq=False)
class _Edges:
    """Edges between two triangles that are smooth: the triangles [E, 2], and of each the corners at the edge's two ends [E, 2, 2]."""

    triangles: NDArray[np.int64]
    corners: NDArray[np.int64]


def _smooth_edges(
    corners: NDArray[np.int64], flat: Floats, normals: NDArray[np.float32] | None, crease: float
) -> _Edges:
    size = np.int64(corners.max()) + 1
    start, end = corners.reshape(-1), np.roll(corners, -1, axis=1).reshape(-1)
    key = np.minimum(start, end) * size + np.maximum(start, end)
    order = np.argsort(key, kind="stable")
    sorted_key = key[order]
    # Edges that exactly two triangles have.
    same = np.append(sorted_key[1:] == sorted_key[:-1], False)
    before, after = np.insert(same[:-1], 0, False), np.append(same[1:], False)
    at = np.flatnonzero(same & ~before & ~after)
    one, other = order[at], order[at + 1]
    triangles = np.stack([one // 3, other // 3], axis=1)
    # In each triangle the corners at the edge's lower and higher end.
    ends = np.empty((len(at), 2, 2), np.int64)
    for side, half in enumerate((one, other)):
        here, there = half, half // 3 * 3 + (half % 3 + 1) % 3
        lower = start[half] < end[half]
        ends[:, side, 0], ends[:, side, 1] = np.where(lower, here, there), np.where(lower, there, here)
    if normals is None:
        unit = flat / np.linalg.norm(flat, axis=1, keepdims=True)
        cosine = np.einsum("ij,ij->i", unit[triangles[:, 0]], unit[triangles[:, 1]])
        smooth = cosine > math.cos(math.radians(crease))
    else:
        loose = normals.reshape(-1, 3)
        alike = np.einsum("eki,eki->ek", loose[ends[:, 0]], loose[ends[:, 1]])
        smooth = (alike > _ALIKE).all(axis=1)
    return _Edges(triangles[smooth], ends[smooth])


def _groups(count: int, pairs: NDArray[np.int64]) -> NDArray[np.int64]:
    graph = coo_matrix((np.ones(len(pairs), np.int8), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    groups: NDArray[np.int64] = connected_components(graph, directed=False)[1]
    return groups


def _patches(count: int, smooth: _Edges) -> NDArray[np.int64]:
    return _groups(count, smooth.triangles)


def _smoothed(corners: NDArray[np.int64], flat: Floats, smooth: _Edges) -> NDArray[np.float32]:
    """Normals [T, 3, 3]: at each corner the mean of the triangles round it that smooth edges join, weighted by their areas."""
    pairs = smooth.corners.transpose(0, 2, 1).reshape(-1, 2)
    groups = _groups(corners.size, pairs)
    each = np.repeat(flat, 3, axis=0)
    total = np.stack([np.bincount(groups, each[:, k]) for k in range(3)], axis=1)[groups]
    length = np.linalg.norm(total, axis=1, keepdims=True)
    unit = np.where(
        length > 1e-30, total / np.maximum(length, 1e-30), each / np.linalg.norm(each, axis=1, keepdims=True)
    )
    found: NDArray[np.float32] = unit.reshape(-1, 3, 3).astype(np.float32)
    return found


_models = SizedCache[Model](3_000_000, lambda one: one.triangles)


def model_at(path: Path, label: str) -> Model:
    """The model in a file, which never changes; ModelError for what cannot be read. The last few are kept."""
    return _models.get(str(path), lambda: Model(read_model(str(path), label), label))
