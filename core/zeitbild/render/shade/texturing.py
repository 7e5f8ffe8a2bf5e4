"""Textures: pictures on surfaces, looked up in the element's own space, coarser the farther away they are.

Mean pictures of halved size stand for what is smaller than a pixel (Williams 1983, Pyramidal Parametrics). What a pixel covers of a
picture is long and narrow on what is seen at a small angle: at check and final it is looked at in several places along and across, at each as
sharply as places lie apart (after McCormack et al. 1999, Feline), so that it is the mean of what lies in the pixel and no more.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, kernel
from zeitbild.render.visible.surface import edges_at, shares_at
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
#: Places along a pixel at most, where it covers something long and narrow.
_MOST_PLACES = np.float32(16)
#: Cosine of what its sides enclose, from which on it is no rectangle any more.
_SLANTED = np.float32(0.1)
#: A place covers so much of a pixel at least.
_LEAST_SHARE = np.float32(1 / 256)
#: So much of a place is nothing: numbers are rounded.
_ALMOST = np.float32(0.01)
#: Texels that nothing covers: a triangle that is seen edge-on.
_ENDLESS = np.float32(1e6)


class Textures(NamedTuple):
    """Pictures that lie on surfaces, as kernels take them: spaces of ``spaces_of``; unwrapped as in ``scene.Scene``; values and table as in
    ``texels.Texels``."""

    spaces: NDArray[np.float32]
    unwrapped: NDArray[np.float32]
    values: NDArray[np.float32]
    table: NDArray[np.int64]
    #: Whether a pixel is looked at in several places (``look_up_finely``).
    finely: bool
    #: Whether a place stands for as much of a pixel as it covers, or for all of it, and for a part of the time.
    at_rest: bool


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
def _level_of(size, last):  # type: ignore[no-untyped-def]
    """Which level has texels of a size, or somewhat less, and how far the next is mixed with it."""
    wanted = max(_ZERO, min(np.float32(last), np.float32(math.log(max(size, _ONE))) * _TO_LOG2))
    level = min(int(wanted), last)
    return level, np.float32(wanted) - np.float32(level)


@inlined_kernel
def look_up(values, table, number, u, v, wide_u, wide_v):  # type: ignore[no-untyped-def]
    """Value (three numbers) of a texture at shares of its width and height from its upper left corner; wide_u and wide_v are what a pixel
    covers of them."""
    width, height = np.float32(table[number, 1 + 1]), np.float32(table[number, 1 + 2])
    last = table[number, 0] - 1
    level, blend = _level_of(np.float32(max(wide_u * width, wide_v * height)), last)
    soft_u = soft_v = _ONE
    if table[number, _HARD] != 0 and level == 0:
        soft_u, soft_v = max(_SMALL, min(_ONE, wide_u * width)), max(_SMALL, min(_ONE, wide_v * height))
    red, green, blue = _texel(values, table, number, level, u, v, soft_u, soft_v)
    if blend > _ZERO and level < last:
        r, g, b = _texel(values, table, number, level + 1, u, v, _ONE, _ONE)
        red, green, blue = red + (r - red) * blend, green + (g - green) * blend, blue + (b - blue) * blend
    return red, green, blue


@inlined_kernel
def _side_by_side(length, size):  # type: ignore[no-untyped-def]
    """How many places of a size cover a length, and how far they are apart, in lengths. Two part from where one stood, so that nothing
    jumps as a second one is needed."""
    count = max(1, math.ceil(length / size - _ALMOST))
    if count > 2:
        return count, _ONE / np.float32(count)
    return count, max(_ZERO, _ONE - size / max(length, _SMALL))


@kernel
def look_up_finely(values, table, number, cut, u, v, across_u, across_v, down_u, down_v):  # type: ignore[no-untyped-def]
    """The mean of a texture over what a pixel covers: a parallelogram about its place with the sides across and down, in shares of width
    and height. Places lie in it side by side, each as wide as two go into its lesser side: what is halved is the mean of its texels. Each
    counts as much as texture ``cut`` (none below 0), of the same size, says.
    """
    width, height = np.float32(table[number, 1 + 1]), np.float32(table[number, 1 + 2])
    # In texels.
    ax, ay, bx, by = across_u * width, across_v * height, down_u * width, down_v * height
    first, second = math.sqrt(ax * ax + ay * ay), math.sqrt(bx * bx + by * by)
    slant = ax * bx + ay * by
    if abs(slant) > _SLANTED * first * second:
        # Of a slanted parallelogram the axes of the ellipse in it.
        turn = _HALF * np.float32(math.atan2(_TWO * slant, first * first - second * second))
        c, s = np.float32(math.cos(turn)), np.float32(math.sin(turn))
        ax, ay, bx, by = c * ax + s * bx, c * ay + s * by, c * bx - s * ax, c * by - s * ay
        first, second = math.sqrt(ax * ax + ay * ay), math.sqrt(bx * bx + by * by)
    wide_u, wide_v = math.sqrt(ax * ax + bx * bx), math.sqrt(ay * ay + by * by)
    longer, last = np.float32(max(first, second)), table[number, 0] - 1
    # Beside each other in a picture without halves lies what has nothing to do with each other (``models``: colours of corners).
    if not longer > _ONE or not longer < _ENDLESS or last == 0:
        return look_up(values, table, number, u, v, wide_u / width, wide_v / height)
    size = np.float32(max(_ONE, _HALF * min(first, second), longer / _MOST_PLACES))
    along, step_along = _side_by_side(first, size)
    aside, step_aside = _side_by_side(second, size)
    level, blend = _level_of(size, last)
    mixed = blend > _ZERO and level < last
    weighed = cut >= 0 and table[cut, 1 + 1] == table[number, 1 + 1] and table[cut, 1 + 2] == table[number, 1 + 2]
    weight, total = _ONE, _ZERO
    red = green = blue = _ZERO
    for i in range(along):
        t = step_along * (np.float32(i) - _HALF * np.float32(along - 1))
        for j in range(aside):
            w = step_aside * (np.float32(j) - _HALF * np.float32(aside - 1))
            own_u, own_v = u + (t * ax + w * bx) / width, v + (t * ay + w * by) / height
            r, g, b = _texel(values, table, number, level, own_u, own_v, _ONE, _ONE)
            if mixed:
                other_r, other_g, other_b = _texel(values, table, number, level + 1, own_u, own_v, _ONE, _ONE)
                r, g, b = r + (other_r - r) * blend, g + (other_g - g) * blend, b + (other_b - b) * blend
            if weighed:
                weight, _, _ = _texel(values, table, cut, level, own_u, own_v, _ONE, _ONE)
                weight = max(weight, _SMALL)
            total += weight
            red, green, blue = red + r * weight, green + g * weight, blue + b * weight
    count = _ONE / total
    return red * count, green * count, blue * count


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


@inlined_kernel
def part_of(share, textures):  # type: ignore[no-untyped-def]
    """How far along each side of a pixel a place reaches that covers such a share of it."""
    return math.sqrt(min(max(share, _LEAST_SHARE), _ONE)) if textures.at_rest else _ONE


@inlined_kernel
def span_at(edges, places, t, x, y, part):  # type: ignore[no-untyped-def]
    """How far the point of triangle t under picture coordinates (x, y) goes as those go on by part of a pixel to the right (three numbers)
    and down (three numbers), in the world."""
    wa, wb, wc = shares_at(edges, t, x, y)
    a, b, c = edges_at(edges, t, x, y)
    inverse = part / max(a + b + c, 1e-300)
    sum_x, sum_y = edges[t, 0] + edges[t, 3] + edges[t, 6], edges[t, 1] + edges[t, 4] + edges[t, 7]
    ax, ay = np.float32((edges[t, 0] - wa * sum_x) * inverse), np.float32((edges[t, 1] - wa * sum_y) * inverse)
    bx, by = np.float32((edges[t, 3] - wb * sum_x) * inverse), np.float32((edges[t, 4] - wb * sum_y) * inverse)
    cx, cy = np.float32((edges[t, 6] - wc * sum_x) * inverse), np.float32((edges[t, 7] - wc * sum_y) * inverse)
    return (
        ax * places[t, 0, 0] + bx * places[t, 1, 0] + cx * places[t, 2, 0],
        ax * places[t, 0, 1] + bx * places[t, 1, 1] + cx * places[t, 2, 1],
        ax * places[t, 0, 2] + bx * places[t, 1, 2] + cx * places[t, 2, 2],
        ay * places[t, 0, 0] + by * places[t, 1, 0] + cy * places[t, 2, 0],
        ay * places[t, 0, 1] + by * places[t, 1, 1] + cy * places[t, 2, 1],
        ay * places[t, 0, 2] + by * places[t, 1, 2] + cy * places[t, 2, 2],
    )


@inlined_kernel
def _own_span(space, span):  # type: ignore[no-untyped-def]
    """The same in the element's own space."""
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
    """How much of the surface is there at a point of triangle t, by the picture that says so; facing is the cosine of normal and view, the
    rest as ``apply_textures`` takes it. It lies as the mesh is unwrapped, wherever the finish's other pictures lie; where nothing is, all
    of it is there."""
    px, py, pz = point
    spaces, unwrapped, values, table, finely, _ = textures
    if unwrapped.shape[0] == 0:
        return _ONE
    space, number = spaces[finish], int(finishes[finish, _ALPHA_MAP]) - 1
    x = space[0, 0] * px + space[0, 1] * py + space[0, 2] * pz + space[0, 3]
    y = space[1, 0] * px + space[1, 1] * py + space[1, 2] * pz + space[1, 3]
    z = space[2, 0] * px + space[2, 1] * py + space[2, 2] * pz + space[2, 3]
    u, v = unwrapped[t, 0], unwrapped[t, 1]
    at_u, at_v = u[0] * x + u[1] * y + u[2] * z + u[3], v[0] * x + v[1] * y + v[2] * z + v[3]
    if finely:
        rx, ry, rz, dx, dy, dz = _own_span(space, span)
        alpha, _, _ = look_up_finely(
            values,
            table,
            number,
            -1,
            at_u,
            at_v,
            u[0] * rx + u[1] * ry + u[2] * rz,
            v[0] * rx + v[1] * ry + v[2] * rz,
            u[0] * dx + u[1] * dy + u[2] * dz,
            v[0] * dx + v[1] * dy + v[2] * dz,
        )
        return alpha
    wide = footprint * space[0, 7] / max(_LOW, facing)
    wide_u = wide * math.sqrt(u[0] * u[0] + u[1] * u[1] + u[2] * u[2])
    wide_v = wide * math.sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2])
    alpha, _, _ = look_up(values, table, number, at_u, at_v, wide_u, wide_v)
    return alpha


@inlined_kernel
def _lying(finish, t, point, normal, view, footprint, span, finishes, textures):  # type: ignore[no-untyped-def]
    """``_lies_at`` for a point of the world, with what a pixel covers of the picture instead of how much it changes in a unit: to the right
    and up of the picture, for a pixel to the right (two numbers) and one down (two)."""
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
    across_u = across_v = down_u = down_v = _ZERO
    if _is_known(span) and textures.finely:
        ax, ay, az, bx, by, bz = _own_span(space, span)
        # Only along the surface; what turns counts as turned, what is told by shares as wide as it is there.
        to_u, to_v = (wide_u, wide_v) if by_shares else (_ONE, _ONE)
        right, up = ax * rx + ay * ry + az * rz, ax * ux + ay * uy + az * uz
        across_u, across_v = (right * cosine + up * sine) * to_u, (up * cosine - right * sine) * to_v
        right, up = bx * rx + by * ry + bz * rz, bx * ux + by * uy + bz * uz
        down_u, down_v = (right * cosine + up * sine) * to_u, (up * cosine - right * sine) * to_v
    else:
        facing = max(_LOW, nx * vx + ny * vy + nz * vz)
        wide = footprint * space[0, 7] / facing
        across_u, down_v = wide * wide_u, wide * wide_v
    return (
        by_shares,
        across,
        above,
        across_u,
        across_v,
        down_u,
        down_v,
        rx,
        ry,
        rz,
        ux,
        uy,
        uz,
        cosine,
        sine,
        scale,
    )


@inlined_kernel
def _is_known(span):  # type: ignore[no-untyped-def]
    """Whether it is known what a pixel covers (``span_at``): not of what is mirrored."""
    rx, ry, rz, dx, dy, dz = span
    return rx != _ZERO or ry != _ZERO or rz != _ZERO or dx != _ZERO or dy != _ZERO or dz != _ZERO


@inlined_kernel
def _seen(  # type: ignore[no-untyped-def]
    number, cut, by_shares, across, above, across_u, across_v, down_u, down_v, finely, values, table
):
    """Value (three numbers) of a picture that lies so, as ``_lying`` says; cut as in ``look_up_finely``."""
    u, v = across, above
    if not by_shares:
        shape = np.float32(table[number, 1 + 1]) / np.float32(table[number, 1 + 2])
        u, v, across_v, down_v = _HALF + across, _HALF - above * shape, across_v * shape, down_v * shape
    if finely:
        return look_up_finely(values, table, number, cut, u, v, across_u, -across_v, down_u, -down_v)
    return look_up(values, table, number, u, v, across_u, down_v)


@inlined_kernel
def cut_by(finish, finishes):  # type: ignore[no-untyped-def]
    """The number of the picture that says how much of a finish is there, if its other pictures lie as that does; else -1."""
    return int(finishes[finish, _ALPHA_MAP]) - 1 if finishes[finish, _MAP_LIES] == _UNWRAPPED else -1


@inlined_kernel
def base_colour(finish, t, point, normal, view, footprint, span, finishes, textures):  # type: ignore[no-untyped-def]
    """Three numbers: the base colour of a finish at a point of triangle t, times the picture that says so; as ``apply_textures``."""
    red, green, blue = finishes[finish, 0], finishes[finish, 1], finishes[finish, 2]
    number = int(finishes[finish, _MAPS]) - 1
    if number >= 0:
        by_shares, across, above, across_u, across_v, down_u, down_v, _, _, _, _, _, _, _, _, _ = _lying(
            finish, t, point, normal, view, footprint, span, finishes, textures
        )
        finely = textures.finely and _is_known(span)
        r, g, b = _seen(
            number,
            cut_by(finish, finishes),
            by_shares,
            across,
            above,
            across_u,
            across_v,
            down_u,
            down_v,
            finely,
            textures.values,
            textures.table,
        )
        red, green, blue = red * r, green * g, blue * b
    return red, green, blue


@kernel
def apply_textures(look, finish, t, point, normal, view, footprint, span, finishes, textures):  # type: ignore[no-untyped-def]
    """Write the finish at a point of triangle t into the row ``look`` of finishes; gives the unit normal there (three numbers).

    footprint is a pixel's size at the point in units of the world, span what it covers of the surface, as ``span_at`` says, or nothing but
    zeros, if that is not known. Factors as in
    glTF 2.0 (section 3.9): textures are multiplied with the finish's own values; roughness and metalness take the red channel.
    """
    nx, ny, nz = normal
    space = textures.spaces[finish]
    for k in range(_ROW):
        finishes[look, k] = finishes[finish, k]
    by_shares, across, above, across_u, across_v, down_u, down_v, rx, ry, rz, ux, uy, uz, cosine, sine, scale = _lying(
        finish, t, point, normal, view, footprint, span, finishes, textures
    )
    finely = textures.finely and _is_known(span)
    for which in range(5):
        number = int(finishes[finish, _MAPS + which]) - 1
        if number < 0:
            continue
        red, green, blue = _seen(
            number,
            cut_by(finish, finishes),
            by_shares,
            across,
            above,
            across_u,
            across_v,
            down_u,
            down_v,
            finely,
            textures.values,
            textures.table,
        )
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
