"""Solid bodies: boxes with rounded edges, and bodies turned on a lathe, closed and with exact normals."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.mesh import Mesh, place_keys

_Points = NDArray[np.float64]
#: Corners nearer than this share of the body are one.
_SAME = 1e-9


#: Steps of a quarter turn, at least and at most.
_FEWEST, _MOST = 4, 200
#: By what share of its sagitta a polygon is widened so that it covers, in the mean, what its circle covers: seen along
#: its axis by two thirds, seen from the side (where it turns) by a third; bodies are seen from anywhere.
_ALONG, _ALL_ROUND = 2 / 3, 0.4


def steps_for(radius: float, tolerance: float) -> int:
    """Steps of a quarter turn for which a circle's polygon is off by no more than ``tolerance``."""
    # A chord over the angle t is off by r (1 - cos(t / 2)), about r t^2 / 8.
    steps = math.pi / 4 * math.sqrt(max(radius, 0.0) / (2 * tolerance))
    return min(max(math.ceil(steps), _FEWEST), _MOST)


def _swell(steps: int, share: float) -> float:
    return 1 + share * (1 - math.cos(math.pi / 4 / steps))


def _welded(points: _Points, normals: _Points, patches: NDArray[np.int32], size: float) -> Mesh:
    """A closed mesh of loose triangles: points and normals [T, 3, 3]; what shrank to a line is left out."""
    keys = place_keys(points.reshape(-1, 3), size * _SAME)
    _, first, number = np.unique(keys, return_index=True, return_inverse=True)
    triangles = number.reshape(-1, 3).astype(np.int32)
    a, b, c = triangles.T
    kept = (a != b) & (b != c) & (c != a)
    lengths = np.maximum(np.linalg.norm(normals, axis=2, keepdims=True), 1e-30)
    return Mesh(
        points.reshape(-1, 3)[first],
        np.ascontiguousarray(triangles[kept]),
        np.ascontiguousarray((normals / lengths)[kept], dtype=np.float32),
        np.zeros(int(kept.sum()), np.int32),
        np.ascontiguousarray(patches[kept]),
        True,
    )


def _quads(points: _Points, normals: _Points) -> tuple[_Points, _Points]:
    """Triangles [2 n m, 3, 3] of a grid [n + 1, m + 1, 3], anticlockwise where rows x columns points outside."""

    def cut(grid: _Points) -> _Points:
        a, b, c, d = grid[:-1, :-1], grid[1:, :-1], grid[1:, 1:], grid[:-1, 1:]
        return np.concatenate([np.stack([a, b, c], 2).reshape(-1, 3, 3), np.stack([a, c, d], 2).reshape(-1, 3, 3)])

    return cut(points), cut(normals)


def rounded_box(width: float, height: float, depth: float, rounding: float, steps: int) -> Mesh:
    """A box about the origin whose edges and corners are rounded by a radius (at most half the smallest side), ``steps`` to a quarter turn
    (an even number of them, since each side takes a half of it)."""
    half = np.array([width, height, depth]) / 2
    radius = min(rounding, float(half.min()))
    inner = half - radius
    if radius > 0:
        half_steps = math.ceil(steps / 2)
        slopes = np.tan(np.linspace(-math.pi / 4, 0, half_steps + 1))
        # Exactly one, so that faces meet in the same points.
        slopes[0] = -1.0
        slope = np.concatenate([slopes, -slopes[::-1]])
        side = np.concatenate([np.full(half_steps + 1, -1.0), np.full(half_steps + 1, 1.0)])
    else:
        slope, side = np.zeros(2), np.array([-1.0, 1.0])
    points: list[_Points] = []
    normals: list[_Points] = []
    patches: list[NDArray[np.int32]] = []
    for axis in range(3):
        for sign in (-1.0, 1.0):
            u, v = (axis + 1) % 3, (axis + 2) % 3
            count = len(slope)
            direction = np.empty((count, count, 3))
            direction[..., axis], direction[..., u], direction[..., v] = sign, slope[:, None], slope[None, :]
            middle = np.empty_like(direction)
            middle[..., axis], middle[..., u], middle[..., v] = sign, side[:, None], side[None, :]
            normal = direction / np.linalg.norm(direction, axis=2, keepdims=True)
            grid = middle * inner + radius * normal
            # u x v points along the axis: the other side runs the other way round.
            ordered = (grid, normal) if sign > 0 else (grid.swapaxes(0, 1), normal.swapaxes(0, 1))
            face, facing = _quads(*ordered)
            points.append(face)
            normals.append(facing)
            patches.append(np.full(len(face), 0 if radius > 0 else len(patches), np.int32))
    return _welded(np.concatenate(points), np.concatenate(normals), np.concatenate(patches), float(half.max()))


def _turned(pieces: list[tuple[_Points, _Points]], segments: int, squeeze: float) -> Mesh:
    """A body of revolution about y. Pieces are smooth parts of its profile from bottom to top: (r, y) and normals [n, 2].

    squeeze scales z.
    """
    # A quarter of a step on: seen from the front or the side the body is then as wide as in the mean of all views.
    turn = 2 * math.pi * (np.arange(segments + 1) + 0.25) / segments
    turn[-1] = turn[0]
    around = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    wider = 1 + _ALL_ROUND * (1 - math.cos(math.pi / segments))
    points, normals, patches = [], [], []
    size = max(float(np.abs(profile).max()) for profile, _ in pieces)
    for number, (profile, facing) in enumerate(pieces):

        def spin(values: _Points, scale: float, by: float = 1.0) -> _Points:
            grid = np.empty((len(values), len(around), 3))
            grid[..., 0] = values[:, :1] * around[:, 0] * by
            grid[..., 1] = values[:, 1:]
            grid[..., 2] = values[:, :1] * around[:, 1] * (scale * by)
            return grid

        # Rows go up and columns from x to z: up x round points inwards, so the grid is read column by column.
        grid, normal = spin(profile, squeeze, wider), spin(facing, 1 / squeeze)
        triangles, corners = _quads(grid, normal)
        points.append(triangles)
        normals.append(corners)
        patches.append(np.full(len(triangles), number, np.int32))
    return _welded(np.concatenate(points), np.concatenate(normals), np.concatenate(patches), size)


def ball(width: float, height: float, depth: float, steps: int) -> Mesh:
    """An ellipsoid about the origin by its whole axes, ``steps`` to a quarter turn."""
    width, height, depth = (side * _swell(steps, _ALONG) for side in (width, height, depth))
    rise = np.linspace(-math.pi / 2, math.pi / 2, 2 * steps + 1)
    profile = np.stack([np.cos(rise) * width / 2, np.sin(rise) * height / 2], axis=1)
    profile[[0, -1], 0] = 0.0
    facing = np.stack([np.cos(rise) / width, np.sin(rise) / height], axis=1)
    return _turned([(profile, facing)], 4 * steps, depth / width)


def ring(width: float, thickness: float, depth: float, steps: int, tube_steps: int) -> Mesh:
    """A torus about the origin: ``width`` from outside to outside, ``thickness`` of its tube; its axis is y.

    steps and tube_steps are those of a quarter turn about the axis and round the tube.
    """
    tube = min(thickness / 2, width / 4)
    turn = np.linspace(-math.pi, math.pi, 4 * tube_steps + 1)
    turn[-1] = -math.pi
    facing = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    profile = facing * tube * _swell(tube_steps, _ALONG) + np.array([width / 2 - tube, 0.0])
    # A tube that reaches to the axis ends there.
    profile[:, 0] = np.maximum(profile[:, 0], 0.0)
    return _turned([(profile, facing)], 4 * steps, depth / width)


def column(width: float, top: float, height: float, depth: float, rounding: float, steps: int, rim_steps: int) -> Mesh:
    """A round column about the origin, its top ``top`` times as wide as its bottom (0: a cone), both rims rounded.

    steps and rim_steps are those of a quarter turn about the axis and round the rims.
    """
    bottom = width / 2
    corners = np.array([[0, -height / 2], [bottom, -height / 2], [bottom * top, height / 2], [0, height / 2]])
    pieces: list[tuple[_Points, _Points]] = []
    start = corners[0]
    for number in (1, 2):
        before, corner, after = corners[number - 1 : number + 2]
        to_before, to_after = before - corner, after - corner
        lengths = float(np.linalg.norm(to_before)), float(np.linalg.norm(to_after))
        if min(lengths) < 1e-12 * height:
            # The point of a cone.
            continue
        into, out = to_before / lengths[0], to_after / lengths[1]
        turn = math.pi - math.acos(float(np.clip(into @ out, -1, 1)))
        # Half of each side is left for the other rim, all of a flat end is there.
        room = min(lengths[0] if number == 1 else lengths[0] / 2, lengths[1] / 2 if number == 1 else lengths[1])
        cut = min(rounding * math.tan(turn / 2), room) if rounding > 0 else 0.0
        enter, leave = corner + into * cut, corner + out * cut
        if np.linalg.norm(enter - start) > 1e-12 * height:
            pieces.append(_straight(start, enter))
        if cut > 0:
            radius = cut / math.tan(turn / 2)
            first = _outward(before, corner)
            middle = enter - first * radius
            angles = np.linspace(0, turn, rim_steps + 1)
            # The profile turns to the left, anticlockwise, on its way up.
            cosine, sine = np.cos(angles)[:, None], np.sin(angles)[:, None]
            facing = first * cosine + np.array([-first[1], first[0]]) * sine
            profile = middle + radius * facing
            profile[0], profile[-1] = enter, leave
            pieces.append((profile, facing))
        start = leave
    if np.linalg.norm(corners[3] - start) > 1e-12 * height:
        pieces.append(_straight(start, corners[3]))
    mesh = _turned(pieces, 4 * steps, depth / width)
    if rounding > 0:
        # Straight and rounded parts meet smoothly: all of it is shaded as one.
        return Mesh(mesh.vertices, mesh.triangles, mesh.normals, mesh.parts, np.zeros_like(mesh.patches), True)
    return mesh


def _outward(start: _Points, end: _Points) -> _Points:
    along = (end - start) / np.linalg.norm(end - start)
    return np.array([along[1], -along[0]])


def _straight(start: _Points, end: _Points) -> tuple[_Points, _Points]:
    normal = _outward(start, end)
    return np.stack([start, end]), np.stack([normal, normal])
