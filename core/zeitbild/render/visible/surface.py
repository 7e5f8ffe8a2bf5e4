"""Where a fragment stands: place, normal and view of a triangle under a place of the picture."""

from __future__ import annotations

import math

import numpy as np

from zeitbild.kernels import inlined_kernel, kernel

_ZERO, _ONE, _SMALLEST = np.float32(0), np.float32(1), np.float32(1e-30)
#: A normal that turns by so much a pixel (radians, squared) tells nothing.
_BEYOND_TELLING = np.float32(1e12)
#: Radians that the normal turns within a fragment at most: samples whose triangles lean apart by more are not shaded as one.
_MOST_BEND = np.float32(0.35)
#: A shading normal leaning away further than this (cosine) shows the surface from behind.
_TURNED_AWAY = TURNED_AWAY = np.float32(-0.2)


@inlined_kernel
def edges_at(edges, t, x, y):  # type: ignore[no-untyped-def]
    """Edge functions of triangle t at picture coordinates; none is negative inside."""
    return (
        edges[t, 0] * x + edges[t, 1] * y + edges[t, 2],
        edges[t, 3] * x + edges[t, 4] * y + edges[t, 5],
        edges[t, 6] * x + edges[t, 7] * y + edges[t, 8],
    )


@kernel
def onto_triangle(edges, t, x, y, a, b, c):  # type: ignore[no-untyped-def]
    """The place on triangle t nearest to (x, y) outside it, where its edge functions are a, b, c.

    The mean of several triangles' samples may lie outside the one that stands for them. Cutting off negative shares
    would lead far along a triangle that is seen edge-on.
    """
    for _ in range(2):
        across, down, worst = 0.0, 0.0, 1e-12
        for k in range(3):
            value = a if k == 0 else (b if k == 1 else c)
            if value >= 0.0:
                continue
            gx, gy = edges[t, 3 * k], edges[t, 3 * k + 1]
            steep = gx * gx + gy * gy
            if value * value > worst * steep:
                worst = value * value / steep
                across, down = -value * gx / steep, -value * gy / steep
        if across == 0.0 and down == 0.0:
            break
        x, y = x + across, y + down
        a, b, c = edges_at(edges, t, x, y)
    return x, y


@inlined_kernel
def shares_at(edges, t, x, y):  # type: ignore[no-untyped-def]
    """Shares (three numbers) of the corners of triangle t in what is found under picture coordinates (x, y)."""
    a, b, c = edges_at(edges, t, x, y)
    if a < 0.0 or b < 0.0 or c < 0.0:
        x, y = onto_triangle(edges, t, x, y, a, b, c)
        a, b, c = edges_at(edges, t, x, y)
        a, b, c = max(0.0, a), max(0.0, b), max(0.0, c)
    # The shares must make one, or the point leaves the surface.
    total = 1.0 / max(a + b + c, 1e-300)
    return np.float32(a * total), np.float32(b * total), np.float32(c * total)


@inlined_kernel
def place_at(places, normals, t, wa, wb, wc):  # type: ignore[no-untyped-def]
    """Six numbers: position and normal, of any length, on triangle t by the shares of its corners.

    places and normals [T, 3, 3] float32 are those of the corners in the world.
    """
    nx = wa * normals[t, 0, 0] + wb * normals[t, 1, 0] + wc * normals[t, 2, 0]
    ny = wa * normals[t, 0, 1] + wb * normals[t, 1, 1] + wc * normals[t, 2, 1]
    nz = wa * normals[t, 0, 2] + wb * normals[t, 1, 2] + wc * normals[t, 2, 2]
    px = wa * places[t, 0, 0] + wb * places[t, 1, 0] + wc * places[t, 2, 0]
    py = wa * places[t, 0, 1] + wb * places[t, 1, 1] + wc * places[t, 2, 1]
    pz = wa * places[t, 0, 2] + wb * places[t, 1, 2] + wc * places[t, 2, 2]
    return px, py, pz, nx, ny, nz


@inlined_kernel
def changes_over(edges, corners, t, inverse, wa, wb, wc):  # type: ignore[no-untyped-def]
    """How much what triangle t has at its corners ([T, 3, 3]: places, normals) changes from a pixel to the one to the right (three numbers)
    and to the one below (three), where the corners have such shares; inverse is one over the sum of the edge functions there."""
    sum_x, sum_y = edges[t, 0] + edges[t, 3] + edges[t, 6], edges[t, 1] + edges[t, 4] + edges[t, 7]
    ax, ay = np.float32((edges[t, 0] - wa * sum_x) * inverse), np.float32((edges[t, 1] - wa * sum_y) * inverse)
    bx, by = np.float32((edges[t, 3] - wb * sum_x) * inverse), np.float32((edges[t, 4] - wb * sum_y) * inverse)
    cx, cy = np.float32((edges[t, 6] - wc * sum_x) * inverse), np.float32((edges[t, 7] - wc * sum_y) * inverse)
    return (
        ax * corners[t, 0, 0] + bx * corners[t, 1, 0] + cx * corners[t, 2, 0],
        ax * corners[t, 0, 1] + bx * corners[t, 1, 1] + cx * corners[t, 2, 1],
        ax * corners[t, 0, 2] + bx * corners[t, 1, 2] + cx * corners[t, 2, 2],
        ay * corners[t, 0, 0] + by * corners[t, 1, 0] + cy * corners[t, 2, 0],
        ay * corners[t, 0, 1] + by * corners[t, 1, 1] + cy * corners[t, 2, 1],
        ay * corners[t, 0, 2] + by * corners[t, 1, 2] + cy * corners[t, 2, 2],
    )


@inlined_kernel
def bend_at(edges, normals, t, x, y, wa, wb, wc, nx, ny, nz, share):  # type: ignore[no-untyped-def]
    """How far the unit normal turns (three numbers) over a fragment that covers so much of a pixel, along the way in which it turns
    most; shares of the corners and the normal, of any length, are those at (x, y)."""
    a, b, c = edges_at(edges, t, x, y)
    return bend_over(edges, normals, t, 1.0 / max(a + b + c, 1e-300), wa, wb, wc, nx, ny, nz, share)


@inlined_kernel
def bend_over(edges, normals, t, inverse, wa, wb, wc, nx, ny, nz, share):  # type: ignore[no-untyped-def]
    """The same, by one over the sum of the edge functions there."""
    rx, ry, rz, dx, dy, dz = changes_over(edges, normals, t, inverse, wa, wb, wc)
    right, down = rx * rx + ry * ry + rz * rz, dx * dx + dy * dy + dz * dz
    rx, ry, rz = (rx, ry, rz) if right > down else (dx, dy, dz)
    most = max(max(right, down), _SMALLEST)
    if not most < _BEYOND_TELLING:
        # A triangle seen edge-on: its corners lie in one line of the picture.
        return _ZERO, _ZERO, _ZERO
    inverse_square = _ONE / max(nx * nx + ny * ny + nz * nz, _SMALLEST)
    # A bend in one direction crosses the pixel's square slantwise: the root of both squares is how far it reaches.
    reach = math.sqrt((right + down) * share * inverse_square)
    scale = min(reach, _MOST_BEND) / math.sqrt(most)  # type: ignore[operator]
    along = (rx * nx + ry * ny + rz * nz) * inverse_square
    return (rx - along * nx) * scale, (ry - along * ny) * scale, (rz - along * nz) * scale


@inlined_kernel
def seen_from(px, py, pz, nx, ny, nz, ex, ey, ez, standing):  # type: ignore[no-untyped-def]
    """Six numbers: unit normal and unit view at a point p with a normal of any length.

    The eye is what ``stage.viewpoint`` gives: standing is 1 for an eye that stands somewhere, 0 for a direction.
    """
    square = nx * nx + ny * ny + nz * nz
    length = _ONE / math.sqrt(max(square, _SMALLEST))
    vx, vy, vz = ex - standing * px, ey - standing * py, ez - standing * pz
    near = _ONE / math.sqrt(max(vx * vx + vy * vy + vz * vz, _SMALLEST))
    vx, vy, vz = vx * near, vy * near, vz * near
    # What is flattened to nothing has no normal: it faces whoever looks.
    none = square <= _SMALLEST
    nx, ny, nz = vx if none else nx * length, vy if none else ny * length, vz if none else nz * length
    turned = -_ONE if nx * vx + ny * vy + nz * vz < _TURNED_AWAY else _ONE
    return nx * turned, ny * turned, nz * turned, vx, vy, vz


@inlined_kernel
def surface_at(edges, places, normals, t, x, y, eye):  # type: ignore[no-untyped-def]
    """Nine numbers: position, unit normal and unit view of triangle t under picture coordinates (x, y)."""
    wa, wb, wc = shares_at(edges, t, x, y)
    px, py, pz, nx, ny, nz = place_at(places, normals, t, wa, wb, wc)
    nx, ny, nz, vx, vy, vz = seen_from(px, py, pz, nx, ny, nz, eye[0], eye[1], eye[2], eye[3])
    return px, py, pz, nx, ny, nz, vx, vy, vz


_surface_at = kernel(surface_at.py_func)
