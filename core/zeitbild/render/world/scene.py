"""The snapshot's meshes gathered into one list of triangles in the world."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel
from zeitbild.snapshot import Snapshot


@dataclass(frozen=True, slots=True, eq=False)
class Scene:
    """Triangles of all bodies in world space.

    vertices [V, 3] float64; triangles [T, 3] int32; normals [T, 3, 3] and facing [T, 3] float32, unit length; cull [T]
    int8, 1 for those left out when facing away (``triangle_setup``); patches, finish_of [T] int32, the finish counted through all bodies.
    unwrapped [T, 2, 4] float32 takes a point of a triangle in its
    body's own space (and 1) to its place in pictures, as shares of their width and height from the upper left; of no length if no
    mesh is unwrapped.
    """

    vertices: NDArray[np.float64]
    triangles: NDArray[np.int32]
    normals: NDArray[np.float32]
    facing: NDArray[np.float32]
    cull: NDArray[np.int8]
    patches: NDArray[np.int32]
    finish_of: NDArray[np.int32]
    unwrapped: NDArray[np.float32]


@kernel
def _place(  # type: ignore[no-untyped-def]
    linear,
    move,
    turn,
    mirrored,
    from_vertices,
    from_triangles,
    from_normals,
    first,
    vertices,
    triangles,
    normals,
    facing,
):  # type: ignore[no-untyped-def]
    """Move one mesh into the world: vertices by linear [3, 3] and move [3], normals by turn [3, 3] (cofactors)."""
    for v in range(from_vertices.shape[0]):
        x, y, z = from_vertices[v, 0], from_vertices[v, 1], from_vertices[v, 2]
        for k in range(3):
            vertices[v, k] = linear[k, 0] * x + linear[k, 1] * y + linear[k, 2] * z + move[k]
    for t in range(from_triangles.shape[0]):
        sum_x, sum_y, sum_z = 0.0, 0.0, 0.0
        for corner in range(3):
            source = 2 - corner if mirrored else corner
            triangles[t, corner] = from_triangles[t, source] + first
            x, y, z = from_normals[t, source, 0], from_normals[t, source, 1], from_normals[t, source, 2]
            nx = turn[0, 0] * x + turn[0, 1] * y + turn[0, 2] * z
            ny = turn[1, 0] * x + turn[1, 1] * y + turn[1, 2] * z
            nz = turn[2, 0] * x + turn[2, 1] * y + turn[2, 2] * z
            scale = 1.0 / math.sqrt(max(nx * nx + ny * ny + nz * nz, 1e-60))
            nx, ny, nz = nx * scale, ny * scale, nz * scale
            normals[t, corner, 0], normals[t, corner, 1], normals[t, corner, 2] = nx, ny, nz
            sum_x, sum_y, sum_z = sum_x + nx, sum_y + ny, sum_z + nz
        scale = 1.0 / math.sqrt(max(sum_x * sum_x + sum_y * sum_y + sum_z * sum_z, 1e-60))
        facing[t, 0], facing[t, 1], facing[t, 2] = sum_x * scale, sum_y * scale, sum_z * scale


def gather(snapshot: Snapshot) -> Scene:
    """One scene of all bodies of a snapshot; there must be at least one."""
    vertex_count = sum(len(mesh.vertices) for mesh in snapshot.built_meshes)
    triangle_count = sum(len(mesh.triangles) for mesh in snapshot.built_meshes)
    vertices = np.empty((vertex_count, 3))
    triangles = np.empty((triangle_count, 3), np.int32)
    normals = np.empty((triangle_count, 3, 3), np.float32)
    facing = np.empty((triangle_count, 3), np.float32)
    cull: list[NDArray[np.int8]] = []
    patches: list[NDArray[np.int32]] = []
    finish_of: list[NDArray[np.int32]] = []
    finish_count = patch_count = 0
    first_vertex = first_triangle = 0
    matrices = np.array([body.matrix for body in snapshot.bodies]).reshape(-1, 4, 4)
    rows = [np.ascontiguousarray(matrices[:, at, :3]) for at in range(3)]
    # Normals go through the cofactor matrix, which also holds for flattened and mirrored bodies.
    turns = np.stack([np.cross(rows[1], rows[2]), np.cross(rows[2], rows[0]), np.cross(rows[0], rows[1])], axis=1)
    flips = np.linalg.det(matrices[:, :3, :3]) < 0
    bodies = zip(snapshot.bodies, snapshot.built_meshes, matrices, turns, flips, strict=True)
    for body, mesh, matrix, turn, mirrored in bodies:
        linear = np.ascontiguousarray(matrix[:3, :3])
        if mirrored:
            turn = -turn
        own = slice(first_triangle, first_triangle + len(mesh.triangles))
        _place(
            linear,
            np.ascontiguousarray(matrix[:3, 3]),
            np.ascontiguousarray(turn),
            bool(mirrored),
            mesh.vertices,
            mesh.triangles,
            mesh.normals,
            np.int32(first_vertex),
            vertices[first_vertex:],
            triangles[own],
            normals[own],
            facing[own],
        )
        cull.append(np.full(len(mesh.triangles), mesh.closed, np.int8))
        patches.append((mesh.patches + patch_count).astype(np.int32))
        patch_count += int(mesh.patches.max(initial=-1)) + 1
        finish_of.append((mesh.parts + finish_count).astype(np.int32))
        finish_count += len(body.finishes)
        first_vertex += len(mesh.vertices)
        first_triangle += len(mesh.triangles)
    return Scene(
        vertices,
        triangles,
        normals,
        facing,
        np.concatenate(cull),
        np.concatenate(patches),
        np.concatenate(finish_of),
        _unwrapped(snapshot, triangle_count),
    )


def _unwrapped(snapshot: Snapshot, count: int) -> NDArray[np.float32]:
    """See ``Scene.unwrapped``."""
    if all(mesh.unwrapped is None for mesh in snapshot.built_meshes):
        return np.empty((0, 2, 4), np.float32)
    found, first = np.zeros((count, 2, 4), np.float32), 0
    for mesh in snapshot.built_meshes:
        own = slice(first, first + len(mesh.triangles))
        first = own.stop
        if mesh.unwrapped is not None:
            _planes_of(mesh.vertices, mesh.triangles, mesh.unwrapped, found[own])
    return found


@kernel
def _planes_of(vertices, triangles, unwrapped, out):  # type: ignore[no-untyped-def]
    """For triangles [T, 3] of vertices [V, 3] with shares of a picture [T, 3, 2] at their corners: what takes a point and 1 to its share, into
    out [T, 2, 4]."""
    for t in range(triangles.shape[0]):
        first, second, third = vertices[triangles[t, 0]], vertices[triangles[t, 1]], vertices[triangles[t, 2]]
        ax, ay, az = second[0] - first[0], second[1] - first[1], second[2] - first[2]
        bx, by, bz = third[0] - first[0], third[1] - first[1], third[2] - first[2]
        x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
        square = x * x + y * y + z * z
        sides = (ax * ax + ay * ay + az * az) * (bx * bx + by * by + bz * bz)
        scale = 0.0 if square <= 1e-24 * max(sides, 1e-300) else 1.0 / square
        for k in range(2):
            start = float(unwrapped[t, 0, k])
            # Of a linear function with these rises along both sides, and none out of the plane, this is the slope.
            of_a, of_b = (float(unwrapped[t, 1, k]) - start) * scale, (float(unwrapped[t, 2, k]) - start) * scale
            sx = of_a * (by * z - bz * y) + of_b * (y * az - z * ay)
            sy = of_a * (bz * x - bx * z) + of_b * (z * ax - x * az)
            sz = of_a * (bx * y - by * x) + of_b * (x * ay - y * ax)
            out[t, k, 0], out[t, k, 1], out[t, k, 2] = sx, sy, sz
            out[t, k, 3] = start - (sx * first[0] + sy * first[1] + sz * first[2])
