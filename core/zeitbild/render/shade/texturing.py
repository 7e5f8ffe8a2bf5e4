"""Textures: pictures on surfaces, looked up in the element's own space, coarser the farther away they are.

Mean pictures of halved size stand for what is smaller than a pixel (Williams 1983, Pyramidal Parametrics).
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, kernel
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import (
    ALL_SIDES,
    ALPHA_MAP,
    FINISH_ROW,
    MAP_LIES,
    MAP_TURN,
    MAPS,
    ROUND_BALL,
    UNWRAPPED,
)
from zeitbild.snapshot.texture import HARD, ONCE

_ROW, _MAPS, _MAP_LIES, _MAP_TURN, _ALPHA_MAP = FINISH_ROW, MAPS, MAP_LIES, MAP_TURN, ALPHA_MAP
_ALL_SIDES, _ROUND_BALL, _UNWRAPPED = ALL_SIDES, ROUND_BALL, UNWRAPPED
_ONCE, _HARD = ONCE, HARD
_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
_SMALL = np.float32(1e-9)
#: Turns in a radian.
_TURNS = np.float32(1 / (2 * math.pi))
_TO_LOG2 = np.float32(1 / math.log(2))
#: A surface seen at a lower angle (cosine) is not made coarser any more.
_LOW = LOW = np.float32(0.25)


class Textures(NamedTuple):
    """Pictures that lie on surfaces, as kernels take them: spaces of ``spaces_of``; unwrapped as in ``scene.Scene``; values and table as in
    ``texels.Texels``."""

    spaces: NDArray[np.float32]
    unwrapped: NDArray[np.float32]
    values: NDArray[np.float32]
    table: NDArray[np.int64]


def spaces_of(snapshot: Snapshot) -> NDArray[np.float32]:
    """For each finish [F, 3, 10]: the way from the world into its element's own space (four columns), the element's axes
    in the world (three), a column in whose first place stands how many of its own units a unit of the world is, and middle and half
    size of its box in its own space."""
    spaces = []
    nothing = np.zeros((3, 10))
    for body in snapshot.bodies:
        if not any(any(row[MAPS : MAPS + 5]) or any(row[ALPHA_MAP : ALPHA_MAP + 1]) for row in body.finishes):
            # Without pictures nobody asks where it lies in them.
            spaces += [nothing] * len(body.finishes)
            continue
        matrix = np.array(body.matrix).reshape(4, 4)
        size = abs(float(np.linalg.det(matrix[:3, :3])))
        inverse = np.linalg.inv(matrix) if size > 1e-12 else np.eye(4)
        space = np.zeros((3, 10))
        space[:, :4], space[:, 4:7] = inverse[:3], matrix[:3, :3]
        space[0, 7] = size ** (-1 / 3) if size > 1e-12 else 1
        low, high = body.box
        space[:, 8], space[:, 9] = (low + high) / 2, (high - low) / 2
        spaces += [space] * len(body.finishes)
    return np.array(spaces, np.float32).reshape(-1, 3, 10)


@inlined_kernel
def footprint_at(px, py, pz, eye, pixel_size):  # type: ignore[no-untyped-def]
    """How large a pixel is at a point, in units of the world: pixel_size is that at distance 1, or anywhere in a parallel view (eye as in
    ``stage.viewpoint``)."""
    footprint = pixel_size
    if eye[3] > _ZERO:
        dx, dy, dz = px - eye[0], py - eye[1], pz - eye[2]
        footprint *= math.sqrt(dx * dx + dy * dy + dz * dz)
    return footprint


@inlined_kernel
def _texel(values, table, number, level, u, v, soft_u, soft_v):  # type: ignore[no-untyped-def]
    """Bilinear value (three numbers) of one level; the picture repeats, or is seen once. soft_u and soft_v are how much of a texel the
    way from one to the next takes: all of it, or less where pixels are to stay whole."""
    at = 1 + 3 * level
    offset, width, height = table[number, at], table[number, at + 1], table[number, at + 2]
    x, y = u * np.float32(width) - _HALF, v * np.float32(height) - _HALF
    left, top = math.floor(x), math.floor(y)
    fx, fy = np.float32(x - left), np.float32(y - top)
    if soft_u < _ONE:
        fx = max(_ZERO, min(_ONE, (fx - _HALF) / soft_u + _HALF))
    if soft_v < _ONE:
        fy = max(_ZERO, min(_ONE, (fy - _HALF) / soft_v + _HALF))
    x0, y0 = int(left), int(top)
    x1, y1 = x0 + 1, y0 + 1
    if x0 < 0 or y0 < 0 or x0 >= width - 1 or y0 >= height - 1:
        # Most places do not lie at a border, and dividing takes long.
        if table[number, _ONCE] != 0:
            x0, y0 = max(0, min(x0, width - 1)), max(0, min(y0, height - 1))
            x1, y1 = max(0, min(x1, width - 1)), max(0, min(y1, height - 1))
        else:
            x0, y0 = x0 % width, y0 % height
            x1, y1 = (x0 + 1) % width, (y0 + 1) % height
    a, b = np.uint64(offset + y0 * width + x0), np.uint64(offset + y0 * width + x1)
    c, d = np.uint64(offset + y1 * width + x0), np.uint64(offset + y1 * width + x1)
    wa, wb, wc, wd = (_ONE - fx) * (_ONE - fy), fx * (_ONE - fy), (_ONE - fx) * fy, fx * fy
    return (
        values[a, 0] * wa + values[b, 0] * wb + values[c, 0] * wc + values[d, 0] * wd,
        values[a, 1] * wa + values[b, 1] * wb + values[c, 1] * wc + values[d, 1] * wd,
        values[a, 2] * wa + values[b, 2] * wb + values[c, 2] * wc + values[d, 2] * wd,
    )


@inlined_kernel
def look_up(values, table, number, u, v, wide_u, wide_v):  # type: ignore[no-untyped-def]
    """Value (three numbers) of a texture at shares of its width and height from its upper left corner; wide_u and wide_v are what a pixel
    covers of them."""
    width, height = np.float32(table[number, 1 + 1]), np.float32(table[number, 1 + 2])
    last = table[number, 0] - 1
    footprint = max(wide_u * width, wide_v * height)
    wanted = max(_ZERO, min(np.float32(last), math.log(max(footprint, _ONE)) * _TO_LOG2))
    level = min(int(wanted), last)
    blend = np.float32(wanted) - np.float32(level)
    soft_u = soft_v = _ONE
    if table[number, _HARD] != 0 and level == 0:
        soft_u, soft_v = max(_SMALL, min(_ONE, wide_u * width)), max(_SMALL, min(_ONE, wide_v * height))
    red, green, blue = _texel(values, table, number, level, u, v, soft_u, soft_v)
    if blend > _ZERO and level < last:
        r, g, b = _texel(values, table, number, level + 1, u, v, _ONE, _ONE)
        red, green, blue = red + (r - red) * blend, green + (g - green) * blend, blue + (b - blue) * blend
    return red, green, blue


@inlined_kernel
def _round_about(space, x, y, z, turn, ball):  # type: ignore[no-untyped-def]
    """Shares of a picture that is laid round a body once, its middle in front, and how much they change in a unit (four numbers): over
    a ball by longitude and latitude, over a column by its height."""
    x, y, z = x - space[0, 8], y - space[1, 8], z - space[2, 8]
    wide, high, deep = max(space[0, 9], _SMALL), max(space[1, 9], _SMALL), max(space[2, 9], _SMALL)
    around = max(math.sqrt(x * x + z * z), _SMALL)
    u = _HALF + np.float32(math.atan2(x / wide, z / deep)) * _TURNS + turn
    if not ball:
        return u, _HALF - _HALF * y / high, _TURNS / around, _HALF / high  # type: ignore
    a, b, c = x / wide, y / high, z / deep
    length = max(math.sqrt(a * a + b * b + c * c), _SMALL)
    v = _HALF - _TWO * _TURNS * np.float32(math.asin(max(-_ONE, min(_ONE, b / length))))
    return u, v, _TURNS / around, _TWO * _TURNS / high  # type: ignore


@inlined_kernel
def _lies_at(finish, t, x, y, z, ox, oy, oz, finishes, space, unwrapped):  # type: ignore[no-untyped-def]
    """Where a point of the element's own space (x, y, z; its normal o) lies in pictures. Whether that is told by shares of a picture's width
    and height from its upper left, or else in widths from its middle; the place (two numbers); how much both change in a unit; the
    directions that run to the picture's right and up (six numbers); its turn (cosine and sine), and the length of that."""
    lies = finishes[finish, _MAP_LIES]
    cosine, sine = finishes[finish, _MAP_TURN], finishes[finish, _MAP_TURN + 1]
    # Directions in the element's own space that run to the picture's right and up.
    rx, ry, rz, ux, uy, uz = _ONE, _ZERO, _ZERO, _ZERO, _ONE, _ZERO
    scale = math.sqrt(cosine * cosine + sine * sine)
    wide_u = wide_v = scale
    # In widths of the picture from its middle, or, where shares are known, those.
    across = above = _ZERO
    by_shares = lies >= _ROUND_BALL and (lies < _UNWRAPPED or unwrapped.shape[0] > 0)
    if by_shares and lies < _UNWRAPPED:
        turn = np.float32(math.atan2(sine, cosine)) * _TURNS
        across, above, wide_u, wide_v = _round_about(space, x, y, z, turn, lies == _ROUND_BALL)
        flat = max(math.sqrt(x * x + z * z), _SMALL)
        rx, ry, rz = z / flat, _ZERO, -x / flat
        ux, uy, uz = oy * rz - oz * ry, oz * rx - ox * rz, ox * ry - oy * rx
        length = _ONE / max(math.sqrt(ux * ux + uy * uy + uz * uz), _SMALL)  # type: ignore
        ux, uy, uz = ux * length, uy * length, uz * length
        cosine, sine, scale = _ONE, _ZERO, _ONE  # type: ignore
    elif by_shares:
        across = unwrapped[t, 0, 0] * x + unwrapped[t, 0, 1] * y + unwrapped[t, 0, 2] * z + unwrapped[t, 0, 3]
        above = unwrapped[t, 1, 0] * x + unwrapped[t, 1, 1] * y + unwrapped[t, 1, 2] * z + unwrapped[t, 1, 3]
        rx, ry, rz = unwrapped[t, 0, 0], unwrapped[t, 0, 1], unwrapped[t, 0, 2]
        ux, uy, uz = -unwrapped[t, 1, 0], -unwrapped[t, 1, 1], -unwrapped[t, 1, 2]
        wide_u = math.sqrt(rx * rx + ry * ry + rz * rz)
        wide_v = math.sqrt(ux * ux + uy * uy + uz * uz)
        a, b = _ONE / max(wide_u, _SMALL), _ONE / max(wide_v, _SMALL)  # type: ignore
        rx, ry, rz, ux, uy, uz = rx * a, ry * a, rz * a, ux * b, uy * b, uz * b
        cosine, sine, scale = _ONE, _ZERO, _ONE  # type: ignore
    else:
        a, b = x, y
        if lies == _ALL_SIDES:
            if abs(ox) > abs(oy) and abs(ox) > abs(oz):
                sign = -_ONE if ox > _ZERO else _ONE
                rx, rz = _ZERO, sign
                a, b = sign * z, y
            elif abs(oy) > abs(oz):
                sign = -_ONE if oy > _ZERO else _ONE
                uy, uz = _ZERO, sign
                a, b = x, sign * z
            elif oz < _ZERO:
                rx = -_ONE
                a = -x
        across, above = a * cosine + b * sine, b * cosine - a * sine
    return by_shares, across, above, wide_u, wide_v, rx, ry, rz, ux, uy, uz, cosine, sine, scale


@kernel
def alpha_at(finish, t, point, facing, footprint, finishes, textures):  # type: ignore[no-untyped-def]
    """How much of the surface is there at a point of triangle t, by the picture that says so; facing is the cosine of normal and view, the
    rest as ``apply_textures`` takes it. It lies as the mesh is unwrapped, wherever the finish's other pictures lie; where nothing is, all
    of it is there."""
    px, py, pz = point
    spaces, unwrapped, values, table = textures
    if unwrapped.shape[0] == 0:
        return _ONE
    space = spaces[finish]
    x = space[0, 0] * px + space[0, 1] * py + space[0, 2] * pz + space[0, 3]
    y = space[1, 0] * px + space[1, 1] * py + space[1, 2] * pz + space[1, 3]
    z = space[2, 0] * px + space[2, 1] * py + space[2, 2] * pz + space[2, 3]
    u, v = unwrapped[t, 0], unwrapped[t, 1]
    wide = footprint * space[0, 7] / max(_LOW, facing)
    alpha, _, _ = look_up(
        values,
        table,
        int(finishes[finish, _ALPHA_MAP]) - 1,
        u[0] * x + u[1] * y + u[2] * z + u[3],
        v[0] * x + v[1] * y + v[2] * z + v[3],
        wide * math.sqrt(u[0] * u[0] + u[1] * u[1] + u[2] * u[2]),
        wide * math.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]),
    )
    return alpha


@inlined_kernel
def _lying(finish, t, point, normal, view, footprint, finishes, textures):  # type: ignore[no-untyped-def]
    """``_lies_at`` for a point of the world, with what a pixel covers of the picture instead of how much it changes in a unit."""
    px, py, pz = point
    nx, ny, nz = normal
    vx, vy, vz = view
    space = textures.spaces[finish]
    x = space[0, 0] * px + space[0, 1] * py + space[0, 2] * pz + space[0, 3]
    y = space[1, 0] * px + space[1, 1] * py + space[1, 2] * pz + space[1, 3]
    z = space[2, 0] * px + space[2, 1] * py + space[2, 2] * pz + space[2, 3]
    ox = space[0, 4] * nx + space[1, 4] * ny + space[2, 4] * nz
    oy = space[0, 5] * nx + space[1, 5] * ny + space[2, 5] * nz
    oz = space[0, 6] * nx + space[1, 6] * ny + space[2, 6] * nz
    by_shares, across, above, wide_u, wide_v, rx, ry, rz, ux, uy, uz, cosine, sine, scale = _lies_at(
        finish, t, x, y, z, ox, oy, oz, finishes, space, textures.unwrapped
    )
    facing = max(_LOW, nx * vx + ny * vy + nz * vz)
    wide = footprint * space[0, 7] / facing
    return by_shares, across, above, wide * wide_u, wide * wide_v, rx, ry, rz, ux, uy, uz, cosine, sine, scale


@inlined_kernel
def _seen(number, by_shares, across, above, wide_u, wide_v, values, table):  # type: ignore[no-untyped-def]
    """Value (three numbers) of a picture that lies so."""
    u, v = across, above
    if not by_shares:
        shape = np.float32(table[number, 1 + 1]) / np.float32(table[number, 1 + 2])
        u, v, wide_v = _HALF + across, _HALF - above * shape, wide_v * shape
    return look_up(values, table, number, u, v, wide_u, wide_v)


@inlined_kernel
def base_colour(finish, t, point, normal, view, footprint, finishes, textures):  # type: ignore[no-untyped-def]
    """Three numbers: the base colour of a finish at a point of triangle t, times the picture that says so; as ``apply_textures``."""
    red, green, blue = finishes[finish, 0], finishes[finish, 1], finishes[finish, 2]
    number = int(finishes[finish, _MAPS]) - 1
    if number >= 0:
        by_shares, across, above, wide_u, wide_v, _, _, _, _, _, _, _, _, _ = _lying(
            finish, t, point, normal, view, footprint, finishes, textures
        )
        r, g, b = _seen(number, by_shares, across, above, wide_u, wide_v, textures.values, textures.table)
        red, green, blue = red * r, green * g, blue * b
    return red, green, blue


@kernel
def apply_textures(look, finish, t, point, normal, view, footprint, finishes, textures):  # type: ignore[no-untyped-def]
    """Write the finish at a point of triangle t into the row ``look`` of finishes; gives the unit normal there (three numbers).

    footprint is a pixel's size at the point in units of the world; textures as in ``stage.Textures``. Factors as in
    glTF 2.0 (section 3.9): textures are multiplied with the finish's own values; roughness and metalness take the red channel.
    """
    nx, ny, nz = normal
    space = textures.spaces[finish]
    for k in range(_ROW):
        finishes[look, k] = finishes[finish, k]
    by_shares, across, above, wide_u, wide_v, rx, ry, rz, ux, uy, uz, cosine, sine, scale = _lying(
        finish, t, point, normal, view, footprint, finishes, textures
    )
    for which in range(5):
        number = int(finishes[finish, _MAPS + which]) - 1
        if number < 0:
            continue
        red, green, blue = _seen(number, by_shares, across, above, wide_u, wide_v, textures.values, textures.table)
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
            tr, tu = r * c - u * s, r * s + u * c
            lx, ly, lz = rx * tr + ux * tu, ry * tr + uy * tu, rz * tr + uz * tu
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
