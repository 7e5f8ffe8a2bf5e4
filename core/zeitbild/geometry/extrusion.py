"""Flat ink to a solid with bevels.

Seen from above a bevel is the diagram of the outline cut at the distances of its profile (``bevelling``); its height
depends on the distance alone. Neighbouring faces share their edges, so that the solid is closed by construction.
"""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import manifold3d
import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import InputError, LimitError
from zeitbild.geometry.around import after_each, areas_of, around
from zeitbild.geometry.bevelling import Bands, cut
from zeitbild.geometry.curves import Contour, Points
from zeitbild.geometry.diagram import Diagram, DiagramError
from zeitbild.geometry.filling import filled
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.outline import Outline, coarser, outline_of
from zeitbild.geometry.profile import ProfileName, Segment, bevel_profile
from zeitbild.geometry.seams import shortened
from zeitbild.geometry.shallow import diagram_to
from zeitbild.kernels import kernel

#: Part numbers of an extruded solid, in the order of its finishes.
FACE, BEVEL, SIDE = 0, 1, 2
#: Patches: each is one surface with smooth normals of its own. Runs of the bevels and walls follow.
_FRONT, _BACK, _RUNS = 0, 1, 2
#: Share of the depth that bevels may take, so that a side wall is always left.
_MAX_BEVEL_SHARE = 0.98
MAX_TRIANGLES = 2_000_000
#: A face with at least so many points at its rim gets a coarse rim inside, so many of its edges' mean lengths away.
_FINE_RIM, _RIM_STEPS = 48, 2.0
#: The area of a piece of it that gets one, over its length times how far away that is, is at least this: half of how wide it is.
_NARROW = 1.0
#: Points of loops for which it is looked for together: what that takes grows faster than they do, and begins slowly.
_AT_A_TIME = 4000


@dataclass(frozen=True, slots=True)
class Bevel:
    """Shape of a bevel: profile, width (units), steps, and the sides it is on."""

    profile: ProfileName = "round"
    width: float = 5.0
    steps: int = 3
    sides: Literal["none", "front", "back", "both"] = "both"


class Inside:
    """The inside of an outline: its diagram, as far as a bevel has needed it until now."""

    def __init__(self, outline: Outline) -> None:
        self._outline = outline
        # How far it reaches (units), the outline that it is of, and itself.
        self._known: tuple[float, Outline, Diagram] | None = None

    def to(self, width: float) -> tuple[Outline, Diagram]:
        """The diagram for bevels of that width (units), and the outline that it is of: a coarser one, if need be. InputError if there is
        none."""
        known = self._known
        if known is None or known[0] < width:
            known = self._known = _inside(self._outline, width)
        return known[1:]


def _inside(outline: Outline, width: float) -> tuple[float, Outline, Diagram]:
    # Features of a few steps of the grid may be in the way: on a coarser one they are gone.
    for coarsely in (False, True):
        own = coarser(outline) if coarsely else outline
        if own is not None:
            with contextlib.suppress(DiagramError):
                diagram, reach = diagram_to(own, width / own.step)
                return max(width, reach * own.step), own, diagram
    raise InputError("these outlines are too tangled for a bevel; set its width to 0", "bevel_width")


@dataclass(frozen=True, slots=True, eq=False)
class Plate:
    """An outline and, if it may get a bevel, its inside, in units of which one of the plate's has so many."""

    outline: Outline
    inside: Inside | None
    scale: float = 1.0

    @classmethod
    def of(cls, contours: Sequence[Contour], bevelled: bool) -> Plate | None:
        """The plate of filled contours (non-zero rule); None if nothing is filled."""
        outline = outline_of(contours)
        return None if outline is None else cls.on(outline, bevelled)

    @classmethod
    def on(cls, outline: Outline, bevelled: bool) -> Plate:
        """The plate of an outline."""
        return cls(outline, Inside(outline) if bevelled else None)

    def scaled(self, scale: float) -> Plate:
        """The plate in other units."""
        return Plate(_scaled(self.outline, scale), self.inside, self.scale * scale)

    def cut_to(self, width: float) -> tuple[Outline, Diagram]:
        """The diagram for bevels up to a width and the outline that it is of; see ``Inside.to``."""
        assert self.inside is not None
        outline, diagram = self.inside.to(width / self.scale)
        return _scaled(outline, self.scale), diagram


def _scaled(outline: Outline, scale: float) -> Outline:
    return replace(outline, origin=outline.origin * scale, step=outline.step * scale)


class _Builder:
    """Collects triangles over points that stand at certain heights."""

    def __init__(self) -> None:
        self._vertices: list[Points] = []
        self._triangles: list[NDArray[np.int64]] = []
        self._normals: list[Points] = []
        self._parts: list[NDArray[np.int32]] = []
        self._patches: list[NDArray[np.int32]] = []
        self.count = 0

    def stand(self, points: Points, z: Points | float) -> int:
        """Add points [n, 2] at heights; gives the number of the first."""
        first = self.count
        self._vertices.append(np.column_stack([points, np.broadcast_to(z, len(points))]))
        self.count += len(points)
        return first

    def add(
        self, triangles: NDArray[np.int64], normals: Points, part: int, patches: NDArray[np.int64] | int, flip: bool
    ) -> None:
        """Add triangles [T, 3] with corner normals [T, 3, 3]; flip turns them to the back."""
        if len(triangles):
            if flip:
                triangles, normals = triangles[:, ::-1], normals[:, ::-1]
            self._triangles.append(triangles)
            self._normals.append(normals)
            self._parts.append(np.full(len(triangles), part, np.int32))
            self._patches.append(np.broadcast_to(patches, len(triangles)).astype(np.int32))

    def mesh(self) -> Mesh:
        """All of it, without points that nothing uses."""
        vertices = np.concatenate(self._vertices)
        triangles = np.concatenate(self._triangles)
        # A face whose corners are one has shrunk to a line.
        used, numbers = np.unique(triangles, return_inverse=True)
        return Mesh(
            vertices=np.ascontiguousarray(vertices[used]),
            triangles=np.ascontiguousarray(numbers.reshape(-1, 3).astype(np.int32)),
            normals=np.ascontiguousarray(np.concatenate(self._normals), dtype=np.float32),
            parts=np.concatenate(self._parts),
            patches=np.concatenate(self._patches),
            closed=True,
        )


@kernel
def _walk(rim, first, left, targets, points, ends):  # type: ignore[no-untyped-def]
    """Points of the loops that edges rim [R, 2] make, one after the other, and where each ends; gives their number. Point v's edges lead to
    targets[first[v]] and so on, left[v] of them."""
    used = count = 0
    for k in range(rim.shape[0]):
        while left[rim[k, 0]] > 0:
            start = at = rim[k, 0]
            while True:
                points[used] = at
                used += 1
                left[at] -= 1
                at = targets[first[at] + left[at]]
                if at == start or left[at] == 0:
                    break
            ends[count] = used
            count += 1
    return count


def _loops(rim: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    """Closed loops of directed edges [R, 2]."""
    if not len(rim):
        return []
    left = np.bincount(rim[:, 0], minlength=int(rim.max()) + 1)
    first = np.cumsum(left) - left
    targets = rim[np.argsort(rim[:, 0], kind="stable"), 1]
    points, ends = np.empty(len(rim), np.int64), np.empty(len(rim), np.int64)
    count = _walk(rim, first, left, targets, points, ends)
    return np.split(points, ends[: count - 1])


def _filled(loops: list[NDArray[np.int64]], points: Points) -> NDArray[np.int64]:
    """Triangles [T, 3] over exactly the points that loops name."""
    if not loops:
        return np.empty((0, 3), np.int64)
    found = filled([points[loop] for loop in loops])
    return shortened(points, np.concatenate(loops)[found])


def _face(loops: list[NDArray[np.int64]], points: Points) -> tuple[NDArray[np.int64], Points]:
    """Triangles [T, 3] of a flat face over loops of points, and the points that they need besides, numbered on from points.

    A fine rim would have thin triangles reach across all of the face, which takes longer to draw than anything else. So
    inside of it runs a coarse one, where it is wide enough.
    """
    lengths = np.array([len(loop) for loop in loops])
    if not len(loops) or lengths.sum() < _FINE_RIM or lengths.min() < 3:
        return _filled(loops, points), points[:0]
    rim, ends = np.concatenate([points[loop] for loop in loops]), np.cumsum(lengths)
    outer = around([points[loop] for loop in loops])
    ways = np.add.reduceat(np.hypot(*(rim[after_each(ends)] - rim).T), ends - lengths)
    areas = np.bincount(outer, areas_of(rim, ends), len(loops))
    width = _RIM_STEPS * float(ways.sum()) / len(rim)
    wide = (areas >= _NARROW * width * np.bincount(outer, ways, len(loops)))[outer]
    plain = [loops[number] for number in np.flatnonzero(~wide)]
    found, count = list[tuple[NDArray[np.int64], Points]](), len(points)
    for numbers in _few_at_a_time(np.flatnonzero(wide), outer, lengths):
        own = [loops[number] for number in numbers]
        rimmed = _rimmed(own, points, width, count)
        if rimmed is None:
            plain += own
        else:
            found.append(rimmed)
            count += len(rimmed[1])
    triangles, added = [one for one, _ in found], [one for _, one in found]
    return np.concatenate([_filled(plain, points), *triangles]), np.concatenate([points[:0], *added])


def _few_at_a_time(
    numbers: NDArray[np.int64], outer: NDArray[np.int64], lengths: NDArray[np.int64]
) -> list[NDArray[np.int64]]:
    """Numbers of loops in groups of a few thousand points, each loop with what lies around it."""
    if not len(numbers):
        return []
    numbers = numbers[np.argsort(outer[numbers], kind="stable")]
    group = (np.cumsum(lengths[numbers]) - 1) // _AT_A_TIME
    begins = np.flatnonzero(np.diff(outer[numbers], prepend=-1))
    # A piece stands in the group of its first loop.
    group = np.repeat(group[begins], np.diff([*begins, len(numbers)]))
    return np.split(numbers, np.flatnonzero(np.diff(group)) + 1)


def _rimmed(
    loops: list[NDArray[np.int64]], points: Points, width: float, count: int
) -> tuple[NDArray[np.int64], Points] | None:
    """Triangles of pieces of a face with a coarse rim inside, so far away, whose points are added and numbered from ``count`` on; None if that
    does not hold."""
    rim = [points[loop] for loop in loops]
    inner = manifold3d.CrossSection(rim, manifold3d.FillRule.NonZero).offset(-width, manifold3d.JoinType.Miter, 2.0)
    rings = [np.asarray(ring) for ring in inner.simplify(width / 3).to_polygons()]
    if not rings:
        return None
    own = np.concatenate(loops)
    at = [len(own) + int(first) for first in np.cumsum([0, *map(len, rings)])]
    inside = [np.arange(first, first + len(ring)) for first, ring in zip(at, rings, strict=False)]
    added = np.concatenate(rings)
    everything = np.concatenate([*rim, added])
    outside = np.split(np.arange(len(own)), np.cumsum([len(loop) for loop in loops])[:-1])
    border = _filled([*outside, *(ring[::-1] for ring in inside)], everything)
    triangles = np.concatenate([border, _filled(inside, everything)])
    a, b, c = (everything[triangles[:, corner]] for corner in range(3))
    if ((b - a)[:, 0] * (c - a)[:, 1] < (b - a)[:, 1] * (c - a)[:, 0]).any():
        # Rims that meet each other where the face is narrow.
        return None
    return np.concatenate([own, np.arange(count, count + len(added))])[triangles], added


def _across(outward: Points, normal: tuple[tuple[float, float], tuple[float, float]], share: Points) -> Points:
    """Normals [..., 3] from outward directions [..., 2] and how far [...] up a strip a point stands."""
    (x0, z0), (x1, z1) = normal
    across, up = x0 + (x1 - x0) * share, z0 + (z1 - z0) * share
    length = np.hypot(across, up)
    normals: Points = np.concatenate([outward * (across / length)[..., None], (up / length)[..., None]], axis=-1)
    return normals


def _raise(
    builder: _Builder,
    bands: Bands,
    points: Points,
    strips: list[Segment],
    levels: Points,
    edge: float,
    height: float,
    side: int,
) -> tuple[int, int]:
    """Put a bevel on one side (+1 front, -1 back), its foot ``edge`` from the middle.

    Gives the number of the first of the points that stand at the foot, and that of the next patch.
    """
    mirror = np.array([1.0, 1.0, float(side)])
    stepped = any(strip.is_wall for strip in strips)
    sloped = [strip for strip in strips if not strip.is_wall]
    walls = [strip for strip in strips if strip.is_wall]
    rises = np.array([0.0] + [strip.rise[1] for strip in sloped])
    if stepped:
        # Each step stands at a height of its own; below the first is the foot.
        firsts = [builder.stand(points, side * (edge + height * rise)) for rise in rises]
    else:
        firsts = [builder.stand(points, side * (edge + height * np.interp(bands.distances, levels, rises)))] * len(
            rises
        )
    # Steps and the walls between them stand one before the other: each is a surface of its own.
    apart = len(strips) if stepped else 1
    patch = _RUNS + 2 * (apart * bands.runs + bands.bands % apart) + (0 if side > 0 else 1)
    for number, strip in enumerate(sloped):
        chosen = bands.bands == number
        triangles = bands.triangles[chosen]
        share = (bands.distances[triangles] - levels[number]) / (levels[number + 1] - levels[number])
        normals = _across(bands.outward[chosen], strip.normal, np.clip(share, 0, 1)) * mirror
        builder.add(triangles + firsts[number + 1], normals, BEVEL, patch[chosen], side < 0)
    line_patch = _RUNS + 2 * (apart * bands.line_run + len(sloped) + bands.line_level) + (0 if side > 0 else 1)
    for number, _ in enumerate(walls):
        chosen = bands.line_level == number
        _wall(
            builder,
            bands.lines[chosen],
            bands.line_outward[chosen],
            firsts[number],
            firsts[number + 1],
            BEVEL,
            line_patch[chosen],
            side < 0,
        )
    _cover(builder, _loops(bands.rim), points, firsts[-1], side * (edge + height), side)
    return firsts[0], _RUNS + 2 * apart * (int(bands.runs.max(initial=0)) + 1)


def _cover(
    builder: _Builder,
    loops: list[NDArray[np.int64]],
    points: Points,
    first: int,
    z: float,
    side: int,
    known: tuple[NDArray[np.int64], Points] | None = None,
) -> None:
    """The flat face at height z over loops of points, which stand there from number ``first`` on; known is what ``_face`` makes of them,
    if that is known."""
    face, added = known or _face(loops, points)
    # What the face needs besides stands behind all else.
    face = np.where(face < len(points), face + first, face - len(points) + builder.stand(added, z))
    up = np.broadcast_to(np.array([0.0, 0.0, side]), (len(face), 3, 3))
    builder.add(face, up, FACE, _FRONT if side > 0 else _BACK, side < 0)


def _wall(
    builder: _Builder,
    lines: NDArray[np.int64],
    outward: Points,
    low: int,
    high: int,
    part: int,
    patch: NDArray[np.int64] | int,
    flip: bool,
) -> None:
    """Upright quads over lines [K, 2] between two heights (numbers of their first points)."""
    normals = np.concatenate([outward, np.zeros((len(outward), 2, 1))], axis=2)
    n0, n1 = normals[:, 0], normals[:, 1]
    a, b = lines[:, 0], lines[:, 1]
    builder.add(np.column_stack([low + a, low + b, high + b]), np.stack([n0, n1, n1], axis=1), part, patch, flip)
    builder.add(np.column_stack([low + a, high + b, high + a]), np.stack([n0, n1, n0], axis=1), part, patch, flip)


def solid_of(plate: Plate, depth: float, bevel: Bevel, tolerance: float) -> Mesh:
    """A closed solid of a plate, in its own place on the plane, from -depth / 2 to depth / 2 along z.

    Bevels stay inside the outline and inside the depth. tolerance (units) is how far ridges may be off. LimitError beyond MAX_TRIANGLES.
    """
    outline = plate.outline
    sides = {"none": 0, "front": 1, "back": 1, "both": 2}[bevel.sides] if bevel.width > 0 else 0
    height = min(bevel.width, _MAX_BEVEL_SHARE * depth / sides) if sides else 0.0
    steps = 1 if bevel.profile == "flat" else bevel.steps
    if len(outline.points) * (steps + 1) * 4 > MAX_TRIANGLES:
        raise LimitError("this much lettering with so many bevel steps exceeds two million triangles; use fewer steps")
    if sides:
        outline, diagram = plate.cut_to(bevel.width)
    builder = _Builder()
    flat = outline.points * outline.step + outline.origin
    count = len(flat)
    rings = np.split(np.arange(count), np.flatnonzero(outline.following <= np.arange(count))[:-1] + 1)
    corners = np.arange(count)
    bands = None
    if sides:
        strips = bevel_profile(bevel.profile, steps, height / bevel.width)
        levels = np.array([0.0] + [strip.inset[1] for strip in strips if not strip.is_wall]) * bevel.width
        bands = cut(outline, diagram, levels / outline.step, tolerance / outline.step)
        points = bands.points * outline.step + outline.origin
        corners = diagram.corners
    feet, run = {}, _RUNS
    # Of a side without a bevel the face is that of the other one, too.
    plain: tuple[NDArray[np.int64], Points] | None = None
    for side, name in ((1, "front"), (-1, "back")):
        if bands is not None and bevel.sides in (name, "both"):
            foot, run = _raise(builder, bands, points, strips, levels / outline.step, depth / 2 - height, height, side)
            feet[side] = corners + foot
            continue
        first = builder.stand(flat, side * depth / 2)
        plain = plain or _face(list(rings), flat)
        _cover(builder, list(rings), flat, first, side * depth / 2, side, plain)
        feet[side] = first + np.arange(count)
    low, high = feet[-1], feet[1]
    normals = np.concatenate([outline.normals, np.zeros((count, 2, 1))], axis=2)
    n0, n1 = normals[:, 0], normals[:, 1]
    a, b = np.arange(count), outline.following
    patch = run + _wall_runs(outline)
    builder.add(np.column_stack([low[a], low[b], high[b]]), np.stack([n0, n1, n1], axis=1), SIDE, patch, False)
    builder.add(np.column_stack([low[a], high[b], high[a]]), np.stack([n0, n1, n0], axis=1), SIDE, patch, False)
    return builder.mesh()


def flat_of(plate: Plate) -> Mesh:
    """The plate itself as one flat face at z = 0, to be seen from both sides."""
    outline = plate.outline
    builder, count = _Builder(), len(outline.points)
    flat = outline.points * outline.step + outline.origin
    rings = np.split(np.arange(count), np.flatnonzero(outline.following <= np.arange(count))[:-1] + 1)
    _cover(builder, list(rings), flat, builder.stand(flat, 0.0), 0.0, 1)
    return replace(builder.mesh(), closed=False)


def _wall_runs(outline: Outline) -> NDArray[np.int64]:
    """Numbers of the smooth stretches between corners that the outline's edges belong to."""
    run = np.zeros(len(outline.points), np.int64)
    number = 0
    first = 0
    for ring in outline.loops():
        own = np.arange(first, first + len(ring))
        first += len(ring)
        breaks = ~outline.smooth[own]
        run[own] = number + np.cumsum(breaks)
        if not breaks[0]:
            # Before the first corner goes on what comes after the last one.
            run[own[run[own] == number]] = run[own[-1]]
        number = int(run[own].max()) + 1
    return run


def joined(solids: Sequence[tuple[Mesh, float, float]], centre: tuple[float, float]) -> Mesh:
    """One mesh of solids moved along x and y, with ``centre`` of the plane at the origin; closed if all of them are."""
    first = 0
    patch = 0
    vertices, triangles, patches = [], [], []
    for mesh, x, y in solids:
        vertices.append(mesh.vertices + (x - centre[0], y - centre[1], 0.0))
        triangles.append(mesh.triangles + np.int32(first))
        patches.append(mesh.patches + np.int32(patch))
        first += len(mesh.vertices)
        patch += int(mesh.patches.max(initial=0)) + 1
    return Mesh(
        np.concatenate(vertices),
        np.concatenate(triangles),
        np.concatenate([mesh.normals for mesh, _, _ in solids]),
        np.concatenate([mesh.parts for mesh, _, _ in solids]),
        np.concatenate(patches),
        all(mesh.closed for mesh, _, _ in solids),
    )


def extrude(contours: Sequence[Points | Contour], depth: float, bevel: Bevel, tolerance: float = 0.0) -> Mesh:
    """A closed solid from filled contours (non-zero rule), its ink centre at the origin.

    contours are in units, y up, or [n, 2] float64 points of which nothing more is known. tolerance (units; 0: a five-thousandth
    of the ink) is how far ridges may be off. InputError if nothing is filled.
    """
    known = [one if isinstance(one, Contour) else Contour.of_polyline(np.asarray(one, np.float64)) for one in contours]
    plate = Plate.of(known, bevel.width > 0 and bevel.sides != "none")
    if plate is None:
        raise InputError("the word has no visible ink; it may be made of spaces only", "word")
    low, high = plate.outline.bounds
    centre = (low + high) / 2
    solid = solid_of(plate, depth, bevel, tolerance or float((high - low).max()) / 5000)
    return joined([(solid, 0.0, 0.0)], (float(centre[0]), float(centre[1])))
