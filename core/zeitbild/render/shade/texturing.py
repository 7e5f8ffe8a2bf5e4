"""Textures: pictures on surfaces, and what they make of a finish and a normal."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, kernel
from zeitbild.render.light.lighting import sideways
from zeitbild.render.shade.lying import lie_at
from zeitbild.render.shade.texture_values import look_up, look_up_finely
from zeitbild.render.visible.surface import changes_over, edges_at, shares_at
from zeitbild.snapshot.finish_row import ALPHA_MAP, FINISH_ROW, MAP_LIES, MAPS, UNWRAPPED

_ROW, _MAPS, _MAP_LIES, _ALPHA_MAP, _UNWRAPPED = FINISH_ROW, MAPS, MAP_LIES, ALPHA_MAP, UNWRAPPED
_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
#: A surface seen at a lower angle (cosine) is not made coarser any more: where it is looked at once, and in several places.
_LOW = LOW = np.float32(0.25)
_LOWEST = np.float32(1 / 64)
#: A place covers so much of a pixel at least.
_LEAST_SHARE = np.float32(1 / 256)
#: What looks straight at a surface (the square of what is left of the view along it).
_STRAIGHT = np.float32(1e-8)


class Textures(NamedTuple):
    """Pictures that lie on surfaces, as kernels take them: spaces as in ``lying.spaces_of``; unwrapped as in ``scene.Scene``; values and table
    as in ``texels.Texels``."""

    spaces: NDArray[np.float32]
    unwrapped: NDArray[np.float32]
    values: NDArray[np.float32]
    table: NDArray[np.int64]
    #: Whether a pixel is looked at in several places (``texture_values.look_up_finely``).
    finely: bool
    #: Whether fragments are of a picture in which nothing moves: their edge functions tell what they cover (``visibility.Fragments``).
    at_rest: bool


@inlined_kernel
def footprint_at(px, py, pz, eye, pixel_size):  # type: ignore[no-untyped-def]
    """How large a pixel is at a point, in units of the world: pixel_size is that at distance 1, or anywhere in a parallel view (eye as in
    ``stage.viewpoint``)."""
    footprint = pixel_size
    if eye[3] > _ZERO:
        dx, dy, dz = px - eye[0], py - eye[1], pz - eye[2]
        footprint *= math.sqrt(dx * dx + dy * dy + dz * dz)
    return footprint


@kernel
def span_of(edges, places, t, x, y, share, normal, view, footprint, finely, at_rest):  # type: ignore[no-untyped-def]
    """What a fragment covers of its surface: how far its point goes, in the world, as the picture's goes on by the fragment's extent to the
    right (three numbers) and down (three).

    It is of triangle t under (x, y) of ``visibility.Fragments``, covers such a share of a pixel, which is as large as footprint there
    (``footprint_at``), and has such a unit normal and unit view. finely and at_rest as in ``Textures``: what moves is only a part of the
    time there, but over all of its pixel. Nothing but zeros if not finely: then nobody wants to know.
    """
    if not finely:
        return _ZERO, _ZERO, _ZERO, _ZERO, _ZERO, _ZERO
    if not at_rest:
        return span_about(normal, view, footprint)
    wa, wb, wc = shares_at(edges, t, x, y)
    a, b, c = edges_at(edges, t, x, y)
    part = math.sqrt(min(max(share, _LEAST_SHARE), _ONE))
    return changes_over(edges, places, t, part / max(a + b + c, 1e-300), wa, wb, wc)


@kernel
def span_about(normal, view, footprint):  # type: ignore[no-untyped-def]
    """The same of a round pixel as large as footprint across the unit view: as wide, and longer the smaller the angle at which it is seen."""
    nx, ny, nz = normal
    vx, vy, vz = view
    facing = nx * vx + ny * vy + nz * vz
    ax, ay, az = vx - facing * nx, vy - facing * ny, vz - facing * nz
    square = ax * ax + ay * ay + az * az
    if square < _STRAIGHT:
        ax, ay, az, bx, by, bz = sideways(nx, ny, nz)
    else:
        length = _ONE / math.sqrt(square)
        ax, ay, az = ax * length, ay * length, az * length
        bx, by, bz = ny * az - nz * ay, nz * ax - nx * az, nx * ay - ny * ax
    far = footprint / max(abs(facing), _LOWEST)
    return ax * far, ay * far, az * far, bx * footprint, by * footprint, bz * footprint


@inlined_kernel
def _within(space, span):  # type: ignore[no-untyped-def]
    """The same in the element's own space, of ``spaces_of``."""
    rx, ry, rz, dx, dy, dz = span
    return (
        space[0, 0] * rx + space[0, 1] * ry + space[0, 2] * rz,
        space[1, 0] * rx + space[1, 1] * ry + space[1, 2] * rz,
        space[2, 0] * rx + space[2, 1] * ry + space[2, 2] * rz,
        space[0, 0] * dx + space[0, 1] * dy + space[0, 2] * dz,
        space[1, 0] * dx + space[1, 1] * dy + space[1, 2] * dz,
        space[2, 0] * dx + space[2, 1] * dy + space[2, 2] * dz,
    )


@kernel
def alpha_at(finish, t, point, facing, footprint, span, finishes, textures):  # type: ignore[no-untyped-def]
    """How much of the surface is there (0..1) at a point of triangle t, by the picture that says so; facing is the cosine of normal and view,
    the rest as ``apply_textures`` takes it. It lies as the mesh is unwrapped, wherever the finish's other pictures lie; where nothing is,
    all of it is there."""
    px, py, pz = point
    values, table, unwrapped = textures.values, textures.table, textures.unwrapped
    if unwrapped.shape[0] == 0:
        return _ONE
    space, number = textures.spaces[finish], int(finishes[finish, _ALPHA_MAP]) - 1
    x = space[0, 0] * px + space[0, 1] * py + space[0, 2] * pz + space[0, 3]
    y = space[1, 0] * px + space[1, 1] * py + space[1, 2] * pz + space[1, 3]
    z = space[2, 0] * px + space[2, 1] * py + space[2, 2] * pz + space[2, 3]
    u, v = unwrapped[t, 0], unwrapped[t, 1]
    at_u, at_v = u[0] * x + u[1] * y + u[2] * z + u[3], v[0] * x + v[1] * y + v[2] * z + v[3]
    if textures.finely:
        rx, ry, rz, dx, dy, dz = _within(space, span)
        across_u, across_v = u[0] * rx + u[1] * ry + u[2] * rz, v[0] * rx + v[1] * ry + v[2] * rz
        down_u, down_v = u[0] * dx + u[1] * dy + u[2] * dz, v[0] * dx + v[1] * dy + v[2] * dz
        alpha, _, _ = look_up_finely(values, table, number, -1, at_u, at_v, across_u, across_v, down_u, down_v)
        return alpha
    wide = footprint * space[0, 7] / max(_LOW, facing)
    wide_u = wide * math.sqrt(u[0] * u[0] + u[1] * u[1] + u[2] * u[2])
    wide_v = wide * math.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2])
    alpha, _, _ = look_up(values, table, number, at_u, at_v, wide_u, wide_v)
    return alpha


@kernel
def _lie_of(finish, t, point, normal, finishes, textures):  # type: ignore[no-untyped-def]
    """``lie_at`` for a point of the world."""
    px, py, pz = point
    nx, ny, nz = normal
    space = textures.spaces[finish]
    x = space[0, 0] * px + space[0, 1] * py + space[0, 2] * pz + space[0, 3]
    y = space[1, 0] * px + space[1, 1] * py + space[1, 2] * pz + space[1, 3]
    z = space[2, 0] * px + space[2, 1] * py + space[2, 2] * pz + space[2, 3]
    ox = space[0, 4] * nx + space[1, 4] * ny + space[2, 4] * nz
    oy = space[0, 5] * nx + space[1, 5] * ny + space[2, 5] * nz
    oz = space[0, 6] * nx + space[1, 6] * ny + space[2, 6] * nz
    return lie_at(finish, t, x, y, z, ox, oy, oz, finishes, space, textures.unwrapped)


@kernel
def _covered(finish, lie, normal, view, footprint, span, textures):  # type: ignore[no-untyped-def]
    """What is covered of a picture that lies so, to its right and up: by an extent to the right (two numbers) and one down (two)."""
    space = textures.spaces[finish]
    if not textures.finely:
        nx, ny, nz = normal
        vx, vy, vz = view
        wide = footprint * space[0, 7] / max(_LOW, nx * vx + ny * vy + nz * vz)
        return wide * lie.wide_u, _ZERO, _ZERO, wide * lie.wide_v
    ax, ay, az, bx, by, bz = _within(space, span)
    # What turns is told by cosine and sine, what is told by shares by how much they change there.
    to_u, to_v = (lie.wide_u, lie.wide_v) if lie.by_shares else (_ONE, _ONE)
    right, up = ax * lie.right_x + ay * lie.right_y + az * lie.right_z, ax * lie.up_x + ay * lie.up_y + az * lie.up_z
    across_u, across_v = (right * lie.cosine + up * lie.sine) * to_u, (up * lie.cosine - right * lie.sine) * to_v
    right, up = bx * lie.right_x + by * lie.right_y + bz * lie.right_z, bx * lie.up_x + by * lie.up_y + bz * lie.up_z
    down_u, down_v = (right * lie.cosine + up * lie.sine) * to_u, (up * lie.cosine - right * lie.sine) * to_v
    return across_u, across_v, down_u, down_v


@inlined_kernel
def cut_by(finish, finishes):  # type: ignore[no-untyped-def]
    """The number of the picture that says how much of a finish is there, if its other pictures lie as that does; else -1."""
    return int(finishes[finish, _ALPHA_MAP]) - 1 if finishes[finish, _MAP_LIES] == _UNWRAPPED else -1


@kernel
def _value(number, finish, lie, covered, finishes, textures):  # type: ignore[no-untyped-def]
    """Value (three numbers) of the picture of that number, of which ``_covered`` is seen."""
    u, v = lie.across, lie.above
    across_u, across_v, down_u, down_v = covered
    values, table = textures.values, textures.table
    if not lie.by_shares:
        shape = np.float32(table[number, 1 + 1]) / np.float32(table[number, 1 + 2])
        u, v, across_v, down_v = _HALF + u, _HALF - v * shape, across_v * shape, down_v * shape
    if textures.finely:
        cut = cut_by(finish, finishes)
        return look_up_finely(values, table, number, cut, u, v, across_u, -across_v, down_u, -down_v)
    return look_up(values, table, number, u, v, across_u, down_v)


@kernel
def base_colour(finish, t, point, normal, view, footprint, span, finishes, textures):  # type: ignore[no-untyped-def]
    """Three numbers: the base colour of a finish at a point of triangle t, times the picture that says so; as ``apply_textures``."""
    red, green, blue = finishes[finish, 0], finishes[finish, 1], finishes[finish, 2]
    number = int(finishes[finish, _MAPS]) - 1
    if number >= 0:
        lie = _lie_of(finish, t, point, normal, finishes, textures)
        covered = _covered(finish, lie, normal, view, footprint, span, textures)
        r, g, b = _value(number, finish, lie, covered, finishes, textures)
        red, green, blue = red * r, green * g, blue * b
    return red, green, blue


@kernel
def apply_textures(look, finish, t, point, normal, view, footprint, span, finishes, textures):  # type: ignore[no-untyped-def]
    """Write the finish at a point of triangle t into the row ``look`` of finishes; gives the unit normal there (three numbers).

    point, unit normal and unit view are of the world; footprint is a pixel's size at the point in its units (``footprint_at``), span what
    is covered of the surface (``span_of``, ``span_about``), and counts if textures are looked at finely. Factors as in glTF 2.0 (section
    3.9): textures are multiplied with the finish's own values; roughness and metalness take the red channel.
    """
    nx, ny, nz = normal
    space = textures.spaces[finish]
    for k in range(_ROW):
        finishes[look, k] = finishes[finish, k]
    lie = _lie_of(finish, t, point, normal, finishes, textures)
    covered = _covered(finish, lie, normal, view, footprint, span, textures)
    for which in range(5):
        number = int(finishes[finish, _MAPS + which]) - 1
        if number < 0:
            continue
        red, green, blue = _value(number, finish, lie, covered, finishes, textures)
        if which == 0 or which == 4:
            first = 0 if which == 0 else 5
            finishes[look, first] *= red
            finishes[look, first + 1] *= green
            finishes[look, first + 2] *= blue
        elif which == 1:
            finishes[look, 3] *= red
        elif which == 2:
            finishes[look, 4] *= red
        else:
            # To the picture's right, up, and out of it.
            r, u, out = _TWO * red - _ONE, _TWO * green - _ONE, max(np.float32(0.05), _TWO * blue - _ONE)
            c, s = lie.cosine / lie.scale, lie.sine / lie.scale
            tr, tu = r * c - u * s, r * s + u * c
            lx, ly = lie.right_x * tr + lie.up_x * tu, lie.right_y * tr + lie.up_y * tu
            lz = lie.right_z * tr + lie.up_z * tu
            tx = space[0, 4] * lx + space[0, 5] * ly + space[0, 6] * lz
            ty = space[1, 4] * lx + space[1, 5] * ly + space[1, 6] * lz
            tz = space[2, 4] * lx + space[2, 5] * ly + space[2, 6] * lz
            # Only along the surface, and as long as in the element's own space.
            along = tx * nx + ty * ny + tz * nz
            shrink = space[0, 7]
            tx, ty, tz = (tx - along * nx) * shrink, (ty - along * ny) * shrink, (tz - along * nz) * shrink
            mx, my, mz = tx + out * nx, ty + out * ny, tz + out * nz
            length = _ONE / math.sqrt(max(mx * mx + my * my + mz * mz, np.float32(1e-12)))
            nx, ny, nz = mx * length, my * length, mz * length
    return nx, ny, nz
