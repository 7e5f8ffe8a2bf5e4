"""Textures: pictures on surfaces, looked up in the element's own space, coarser the farther away they are.

Mean pictures of halved size stand for what is smaller than a pixel (Williams 1983, Pyramidal Parametrics).
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import FINISH_ROW, MAP_BOX, MAP_TURN, MAPS

_ROW, _MAPS, _MAP_BOX, _MAP_TURN = FINISH_ROW, MAPS, MAP_BOX, MAP_TURN
_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
_TO_LOG2 = np.float32(1 / math.log(2))
#: A surface seen at a lower angle (cosine) is not made coarser any more.
_LOW = np.float32(0.25)


def spaces_of(snapshot: Snapshot) -> NDArray[np.float32]:
    """For each finish [F, 3, 8]: the way from the world into its element's own space (four columns), the element's axes
    in the world (three), and in the last column's first place how many of its own units a unit of the world is."""
    spaces = []
    for body in snapshot.bodies:
        matrix = np.array(body.matrix).reshape(4, 4)
        size = abs(float(np.linalg.det(matrix[:3, :3])))
        inverse = np.linalg.inv(matrix) if size > 1e-12 else np.eye(4)
        space = np.zeros((3, 8))
        space[:, :4], space[:, 4:7] = inverse[:3], matrix[:3, :3]
        space[0, 7] = size ** (-1 / 3) if size > 1e-12 else 1
        spaces += [space] * len(body.finishes)
    return np.array(spaces, np.float32).reshape(-1, 3, 8)


@kernel
def _texel(values, table, number, level, u, v):  # type: ignore[no-untyped-def]
    """Bilinear value (three numbers) of one level; the picture repeats."""
    at = 1 + 3 * level
    offset, width, height = table[number, at], table[number, at + 1], table[number, at + 2]
    x, y = u * np.float32(width) - _HALF, v * np.float32(height) - _HALF
    left, top = math.floor(x), math.floor(y)
    fx, fy = np.float32(x - left), np.float32(y - top)
    x0, y0 = int(left) % width, int(top) % height
    x1, y1 = (x0 + 1) % width, (y0 + 1) % height
    a, b = offset + y0 * width + x0, offset + y0 * width + x1
    c, d = offset + y1 * width + x0, offset + y1 * width + x1
    wa, wb, wc, wd = (_ONE - fx) * (_ONE - fy), fx * (_ONE - fy), (_ONE - fx) * fy, fx * fy
    return (
        values[a, 0] * wa + values[b, 0] * wb + values[c, 0] * wc + values[d, 0] * wd,
        values[a, 1] * wa + values[b, 1] * wb + values[c, 1] * wc + values[d, 1] * wd,
        values[a, 2] * wa + values[b, 2] * wb + values[c, 2] * wc + values[d, 2] * wd,
    )


@kernel
def _look_up(values, table, number, across, up, footprint):  # type: ignore[no-untyped-def]
    """Value (three numbers) of a texture at a place counted in its widths from its middle; footprint in its widths."""
    width, height = np.float32(table[number, 1 + 1]), np.float32(table[number, 1 + 2])
    u, v = _HALF + across, _HALF - up * width / height
    last = table[number, 0] - 1
    wanted = max(_ZERO, min(np.float32(last), math.log(max(footprint * width, _ONE)) * _TO_LOG2))
    level = min(int(wanted), last)
    blend = np.float32(wanted) - np.float32(level)
    red, green, blue = _texel(values, table, number, level, u, v)
    if blend > _ZERO and level < last:
        r, g, b = _texel(values, table, number, level + 1, u, v)
        red, green, blue = red + (r - red) * blend, green + (g - green) * blend, blue + (b - blue) * blend
    return red, green, blue


@kernel
def apply_textures(  # type: ignore[no-untyped-def]
    look, finish, px, py, pz, nx, ny, nz, vx, vy, vz, footprint, finishes, spaces, values, table
):
    """Write the finish at a point into the row ``look`` of finishes; gives the unit normal there (three numbers).

    footprint is a pixel's size at the point in units of the world. Factors as in glTF 2.0 (section 3.9): textures are
    multiplied with the finish's own values; roughness and metalness take the red channel.
    """
    for k in range(_ROW):
        finishes[look, k] = finishes[finish, k]
    space = spaces[finish]
    x = space[0, 0] * px + space[0, 1] * py + space[0, 2] * pz + space[0, 3]
    y = space[1, 0] * px + space[1, 1] * py + space[1, 2] * pz + space[1, 3]
    z = space[2, 0] * px + space[2, 1] * py + space[2, 2] * pz + space[2, 3]
    # Axes of the element that run to the picture's right and up, and their signs.
    right, up, sign_right, sign_up = 0, 1, _ONE, _ONE
    a, b = x, y
    if finishes[finish, _MAP_BOX] > _ZERO:
        ox = space[0, 4] * nx + space[1, 4] * ny + space[2, 4] * nz
        oy = space[0, 5] * nx + space[1, 5] * ny + space[2, 5] * nz
        oz = space[0, 6] * nx + space[1, 6] * ny + space[2, 6] * nz
        if abs(ox) > abs(oy) and abs(ox) > abs(oz):
            right, sign_right = 2, -_ONE if ox > _ZERO else _ONE
            a, b = sign_right * z, y
        elif abs(oy) > abs(oz):
            up, sign_up = 2, -_ONE if oy > _ZERO else _ONE
            a, b = x, sign_up * z
        elif oz < _ZERO:
            sign_right = -_ONE
            a = -x
    cosine, sine = finishes[finish, _MAP_TURN], finishes[finish, _MAP_TURN + 1]
    across, above = a * cosine + b * sine, b * cosine - a * sine
    scale = math.sqrt(cosine * cosine + sine * sine)
    facing = max(_LOW, nx * vx + ny * vy + nz * vz)
    wide = footprint * space[0, 7] * scale / facing
    for which in range(5):
        number = int(finishes[finish, _MAPS + which]) - 1
        if number < 0:
            continue
        red, green, blue = _look_up(values, table, number, across, above, wide)
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
            c, s = cosine / scale, sine / scale
            tr, tu = sign_right * (r * c - u * s), sign_up * (r * s + u * c)
            tx = space[0, 4 + right] * tr + space[0, 4 + up] * tu
            ty = space[1, 4 + right] * tr + space[1, 4 + up] * tu
            tz = space[2, 4 + right] * tr + space[2, 4 + up] * tu
            # Only along the surface, and as long as in the element's own space.
            along = tx * nx + ty * ny + tz * nz
            shrink = space[0, 7]
            tx, ty, tz = (tx - along * nx) * shrink, (ty - along * ny) * shrink, (tz - along * nz) * shrink
            mx, my, mz = tx + out * nx, ty + out * ny, tz + out * nz
            length = _ONE / math.sqrt(max(mx * mx + my * my + mz * mz, np.float32(1e-12)))
            nx, ny, nz = mx * length, my * length, mz * length
    return nx, ny, nz
