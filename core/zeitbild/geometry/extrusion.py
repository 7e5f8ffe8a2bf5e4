"""Flat ink to a solid with bevels: contours moved inwards step by step, rings between them triangulated.

Every contour is the true inward offset of the outline, every ring between two successive contours is triangulated
with exactly their points, so that neighbouring rings share their edges and the solid is closed by construction.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import manifold3d
import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import InputError, LimitError
from zeitbild.geometry.contour_normals import OutwardField, edge_normals
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.profile import ProfileName, Segment, bevel_profile

Points = NDArray[np.float64]

#: Part numbers of an extruded solid, in the order of its finishes.
FACE, BEVEL, SIDE = 0, 1, 2
#: Patch numbers: each is one surface with smooth normals of its own.
_FRONT, _BACK, _WALL, _FRONT_BEVEL, _BACK_BEVEL = range(5)

#: Steps a bevel gets at least where strokes are thinner than it is wide, so that their ridges keep their height.
_RIDGE_STEPS = 10
#: Share of the depth that bevels may take, so that a side wall is always left.
_MAX_BEVEL_SHARE = 0.98
_ROUND_SEGMENTS = 24
#: Points nearer than this to the line of their neighbours are left out of moved contours, as a share of the size.
_SIMPLIFY = 2e-5
MAX_TRIANGLES = 2_000_000


@dataclass(frozen=True, slots=True)
class Bevel:
    """Shape of a bevel: profile, width (units), steps, and the sides it is on."""

    profile: ProfileName = "round"
    width: float = 5.0
    steps: int = 3
    sides: Literal["none", "front", "back", "both"] = "both"


class _Builder:
    """Collects vertices, triangles and their corner normals."""

    def __init__(self) -> None:
        self._vertices: list[Points] = []
        self._triangles: list[NDArray[np.int32]] = []
        self._normals: list[NDArray[np.float64]] = []
        self._parts: list[tuple[int, int, int]] = []
        self.count = 0

    def level(self, contours: list[Points], z: float) -> int:
        """Add the points of a contour set at a height; gives the number of its first vertex."""
        first = self.count
        for points in contours:
            self._vertices.append(np.column_stack([points, np.full(len(points), z)]))
            self.count += len(points)
        return first

    def add(self, triangles: NDArray[np.int32], normals: NDArray[np.float64], part: int, patch: int) -> None:
        """Add triangles [T, 3] with corner normals [T, 3, 3]."""
        if len(triangles):
            self._triangles.append(triangles.astype(np.int32))
            self._normals.append(normals)
            self._parts.append((len(triangles), part, patch))

    def mesh(self, centre: tuple[float, float]) -> Mesh:
        """The solid with ``centre`` of the plane moved to the origin."""
        vertices = np.concatenate(self._vertices) - (*centre, 0.0)
        counts = [count for count, _, _ in self._parts]
        return Mesh(
            vertices=np.ascontiguousarray(vertices),
            triangles=np.ascontiguousarray(np.concatenate(self._triangles)),
            normals=np.ascontiguousarray(np.concatenate(self._normals), dtype=np.float32),
            parts=np.repeat([part for _, part, _ in self._parts], counts).astype(np.int32),
            patches=np.repeat([patch for _, _, patch in self._parts], counts).astype(np.int32),
            closed=True,
        )


def _cap(contours: list[Points], first: int) -> NDArray[np.int32]:
    return np.asarray(manifold3d.triangulate(contours, allow_convex=False), dtype=np.int32).reshape(-1, 3) + first


def _walls(builder: _Builder, contours: list[Points], low: int, high: int, part: int, patch: int) -> None:
    """Upright quads between one contour set at two heights (numbers of its first vertices)."""
    _, normals2 = edge_normals(contours)
    starts, ends = [], []
    at = 0
    for points in contours:
        index = np.arange(len(points))
        starts.append(at + index)
        ends.append(at + np.roll(index, -1))
        at += len(points)
    start, end = np.concatenate(starts), np.concatenate(ends)
    normals = np.zeros((len(start), 2, 3))
    normals[:, :, :2] = normals2
    n0, n1 = normals[:, 0], normals[:, 1]
    builder.add(np.column_stack([low + start, low + end, high + end]), np.stack([n0, n1, n1], axis=1), part, patch)
    builder.add(np.column_stack([low + start, high + end, high + start]), np.stack([n0, n1, n0], axis=1), part, patch)


@dataclass(frozen=True, slots=True)
class _Strip:
    """One strip of a bevel seen from above: ring triangles over outer then inner points, or a wall of one contour."""

    outer: list[Points]
    inner: list[Points]
    segment: Segment
    triangles: NDArray[np.int32]
    normals: NDArray[np.float64]


def _strips(
    ink: manifold3d.CrossSection, outline: list[Points], bevel: Bevel, height: float, simplify: float
) -> list[_Strip]:
    """The strips of the front bevel; the back takes the same ones upside down."""
    steps = 1 if bevel.profile == "flat" else bevel.steps
    inmost = ink.offset(-bevel.width, manifold3d.JoinType.Round, 2.0, _ROUND_SEGMENTS)
    if len(inmost.to_polygons()) < len(outline):
        steps = max(steps, _RIDGE_STEPS)
    field = OutwardField(outline, bevel.width)
    strips: list[_Strip] = []
    outer = outline
    for segment in bevel_profile(bevel.profile, steps, height / bevel.width):
        if segment.is_wall:
            strips.append(_Strip(outer, outer, segment, np.empty((0, 3), np.int32), np.empty((0, 3, 3))))
            continue
        moved = ink.offset(-bevel.width * segment.inset[1], manifold3d.JoinType.Round, 2.0, _ROUND_SEGMENTS)
        inner = [np.asarray(points) for points in moved.simplify(simplify).to_polygons()]
        if not inner:
            break
        points = np.concatenate(outer + inner)
        triangles = np.asarray(
            manifold3d.triangulate([*outer, *(ring[::-1] for ring in inner)], allow_convex=False), dtype=np.int32
        ).reshape(-1, 3)
        outer_count = sum(map(len, outer))
        triangles = _unreverse(triangles, outer_count, inner)
        directions = field.at(points[triangles])
        across, up = (np.array(pair) for pair in zip(*segment.normal, strict=True))
        which = (triangles >= outer_count).astype(np.intp)
        normals = np.concatenate([directions * across[which][..., None], up[which][..., None]], axis=2)
        strips.append(_Strip(outer, inner, segment, triangles, normals))
        outer = inner
    return strips


def _unreverse(triangles: NDArray[np.int32], first: int, contours: list[Points]) -> NDArray[np.int32]:
    """Renumber triangles over contours that were handed over backwards to the contours' own order."""
    numbers = [np.arange(first)]
    at = first
    for points in contours:
        numbers.append(np.arange(at + len(points) - 1, at - 1, -1))
        at += len(points)
    renumbered: NDArray[np.int32] = np.concatenate(numbers).astype(np.int32)[triangles]
    return renumbered


def _half(builder: _Builder, outline: list[Points], strips: list[_Strip], edge: float, height: float, side: int) -> int:
    """One side of the solid from the side wall to its face; ``side`` is +1 for the front, -1 for the back.

    ``edge`` is the distance of the bevel's foot from the middle. Gives the number of the first vertex at the foot.
    """
    mirror = np.array([1.0, 1.0, side])
    patch = _FRONT_BEVEL if side > 0 else _BACK_BEVEL
    foot = at = builder.level(outline, side * edge)
    contours = outline
    for strip in strips:
        top = edge + height * strip.segment.rise[1]
        upper = builder.level(strip.inner, side * top)
        if strip.segment.is_wall:
            low, high = (at, upper) if side > 0 else (upper, at)
            _walls(builder, contours, low, high, BEVEL, patch)
        else:
            outer_count = sum(map(len, strip.outer))
            triangles = np.where(
                strip.triangles < outer_count, strip.triangles + at, strip.triangles - outer_count + upper
            )
            normals = strip.normals * mirror
            if side < 0:
                triangles, normals = triangles[:, ::-1], normals[:, ::-1]
            builder.add(triangles, normals, BEVEL, patch)
        at, contours = upper, strip.inner
    cap = _cap(contours, at)
    face_normals = np.broadcast_to(np.array([0.0, 0.0, side]), (len(cap), 3, 3))
    builder.add(cap if side > 0 else cap[:, ::-1], face_normals, FACE, _FRONT if side > 0 else _BACK)
    return foot


def extrude(contours: list[Points], depth: float, bevel: Bevel) -> Mesh:
    """A closed solid from filled contours (non-zero rule), its ink centre at the origin.

    contours are [n, 2] float64 in units, y up; the solid stands from -depth / 2 to depth / 2 along z. Bevels stay
    inside the outline and inside the depth, so the ink keeps its silhouette and its size. InputError if nothing is
    filled, LimitError beyond ``MAX_TRIANGLES``.
    """
    ink = manifold3d.CrossSection(contours, manifold3d.FillRule.NonZero) if contours else manifold3d.CrossSection()
    if ink.is_empty() or ink.area() <= 0:
        raise InputError("the word has no visible ink; it may be made of spaces only", "word")
    bounds = np.array(ink.bounds()).reshape(2, 2)
    simplify = _SIMPLIFY * float((bounds[1] - bounds[0]).max())
    outline = [np.asarray(points) for points in ink.to_polygons()]
    sides = {"none": 0, "front": 1, "back": 1, "both": 2}[bevel.sides] if bevel.width > 0 else 0
    height = min(bevel.width, _MAX_BEVEL_SHARE * depth / sides) if sides else 0.0
    if sum(map(len, outline)) * (bevel.steps + 1) * 4 > MAX_TRIANGLES:
        raise LimitError("this much lettering with so many bevel steps exceeds two million triangles; use fewer steps")
    strips = _strips(ink, outline, bevel, height, simplify) if sides else []
    builder = _Builder()
    feet = {}
    for side, name in ((1, "front"), (-1, "back")):
        own = strips if bevel.sides in (name, "both") else []
        feet[side] = _half(builder, outline, own, depth / 2 - (height if own else 0.0), height, side)
    _walls(builder, outline, feet[-1], feet[1], SIDE, _WALL)
    centre = bounds.mean(axis=0)
    return builder.mesh((float(centre[0]), float(centre[1])))
