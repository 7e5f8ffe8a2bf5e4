"""Where pictures lie on surfaces: straight through, on six sides, round a ball or a column, or as a mesh is unwrapped."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, kernel
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import ALL_SIDES, ALPHA_MAP, MAP_LIES, MAP_TURN, MAPS, ROUND_BALL, UNWRAPPED

_MAP_LIES, _MAP_TURN = MAP_LIES, MAP_TURN
_ALL_SIDES, _ROUND_BALL, _UNWRAPPED = ALL_SIDES, ROUND_BALL, UNWRAPPED
_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
_SMALL = np.float32(1e-9)
#: Turns in a radian.
_TURNS = np.float32(1 / (2 * math.pi))


#: Single precision in kernels.
_Number = float | np.float32


class Lie(NamedTuple):
    """How pictures lie at a point, in the element's own space.

    by_shares tells whether across and above are shares of a picture's width and height from its upper left, or widths of it from its
    middle, to the right and up; wide_u and wide_v how much both change in a unit along the unit directions right and up; cosine and sine
    are of the picture's turn, times scale (widths a unit), which is 1 where shares are known, and they are not turned.
    """

    by_shares: bool
    across: _Number
    above: _Number
    wide_u: _Number
    wide_v: _Number
    right_x: _Number
    right_y: _Number
    right_z: _Number
    up_x: _Number
    up_y: _Number
    up_z: _Number
    cosine: _Number
    sine: _Number
    scale: _Number


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


@kernel
def lie_at(finish, t, x, y, z, ox, oy, oz, finishes, space, unwrapped):  # type: ignore[no-untyped-def]
    """How pictures lie at a point of triangle t in the element's own space (x, y, z; its normal o): a ``Lie``. finishes [F, FINISH_ROW];
    space [3, 10] is that of the finish in ``spaces_of``; unwrapped as in ``scene.Scene``."""
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
    return Lie(by_shares, across, above, wide_u, wide_v, rx, ry, rz, ux, uy, uz, cosine, sine, scale)
