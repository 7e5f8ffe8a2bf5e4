"""Dots drawn into a picture, from the nearest to the farthest, before and behind what is opaque; what moves is drawn out by its way.

How much of a pixel a dot takes is its profile at the pixel's middle: (1 - d^2 / r^2)^2 for a soft one, which can be integrated exactly along a
straight way; dots smaller than a pixel are made as large as one and as much fainter.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, kernel, parallel_kernel
from zeitbild.render.visible.see_through import Areas
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.snapshot.camera import Camera
from zeitbild.snapshot.dots import DotLook, Dots

_TILE = TILE
_LOOKS: dict[DotLook, int] = {"soft": 0, "disc": 1, "streak": 2}
_SOFT, _DISC, _STREAK = 0, 1, 2
#: Radius in pixels below which dots become fainter in place of smaller: the middles of pixels see as much of a soft one of that size
#: wherever it is, to 3 in 100, so that nothing twinkles that moves slowly.
_SMALLEST: dict[DotLook, float] = {"soft": 1.5, "disc": 0.75, "streak": 0.75}
#: Stretches of tiles that are as full as each other.
_HANDS = 32
#: Numbers of a pixel while a tile is drawn.
_HERE = 6
#: Numbers of a dot in its row, one of which is room.
_ROW = 12
#: Less than this of a pixel is nothing.
_LEAST = np.float32(1e-4)
#: Nothing behind is seen through less than this.
_THROUGH = np.float32(1e-3)
_ZERO, _ONE = np.float32(0), np.float32(1)


@kernel
def _inside(ax, ay, bx, by, r):  # type: ignore[no-untyped-def]
    """From when to when (0 to 1) what goes from a to b is within r of the origin; (1, 0) if never."""
    dx, dy = bx - ax, by - ay
    a, b, c = dx * dx + dy * dy, ax * dx + ay * dy, ax * ax + ay * ay - r * r
    if a < 1e-12:
        return (0.0, 1.0) if c < 0 else (1.0, 0.0)
    root = b * b - a * c
    if root <= 0:
        return 1.0, 0.0
    root = math.sqrt(root)
    return max(0.0, (-b - root) / a), min(1.0, (-b + root) / a)


@kernel
def soft_along(ax, ay, bx, by, r):  # type: ignore[no-untyped-def]
    """The mean over time of a soft dot's profile at the origin, while it goes from a to b; 1 for one that rests there."""
    first, last = _inside(ax, ay, bx, by, r)
    if last <= first:
        return 0.0
    dx, dy = bx - ax, by - ay
    p0 = 1 - (ax * ax + ay * ay) / (r * r)
    p1, p2 = -2 * (ax * dx + ay * dy) / (r * r), -(dx * dx + dy * dy) / (r * r)
    total = 0.0
    for end, sign in ((last, 1.0), (first, -1.0)):
        t2 = end * end
        total += sign * (
            p0 * p0 * end
            + p0 * p1 * t2
            + (p1 * p1 + 2 * p0 * p2) * t2 * end / 3
            + p1 * p2 * t2 * t2 / 2
            + p2 * p2 * t2 * t2 * end / 5
        )
    return total


@kernel
def _count(left, top, right, bottom, columns, rows, counts):  # type: ignore[no-untyped-def]
    """How many dots reach into each tile."""
    for i in range(left.shape[0]):
        for row in range(max(top[i], 0) // _TILE, min(bottom[i], rows * _TILE - 1) // _TILE + 1):
            for column in range(max(left[i], 0) // _TILE, min(right[i], columns * _TILE - 1) // _TILE + 1):
                counts[row * columns + column] += 1


@kernel
def _sort(left, top, right, bottom, columns, rows, firsts, members):  # type: ignore[no-untyped-def]
    """The numbers of those, in their order."""
    used = firsts.copy()
    for i in range(left.shape[0]):
        for row in range(max(top[i], 0) // _TILE, min(bottom[i], rows * _TILE - 1) // _TILE + 1):
            for column in range(max(left[i], 0) // _TILE, min(right[i], columns * _TILE - 1) // _TILE + 1):
                tile = row * columns + column
                members[used[tile]] = i
                used[tile] += 1


@kernel
def _part(look, moves, ax, ay, bx, by, r):  # type: ignore[no-untyped-def]
    """How much of a pixel at the origin a dot takes that goes from a to b."""
    if look == _STREAK:
        # Full at its head, nothing at its tail.
        dx, dy = bx - ax, by - ay
        square = dx * dx + dy * dy
        at = 0.0 if square < 1e-12 else min(max(-(ax * dx + ay * dy) / square, 0.0), 1.0)
        off = math.sqrt((ax + at * dx) ** 2 + (ay + at * dy) ** 2)
        return min(max(r * (1 - 0.7 * at) + 0.5 - off, 0.0), 1.0) * (1 - at)
    if look == _DISC:
        if moves:
            first, last = _inside(ax, ay, bx, by, r)
            return max(last - first, 0.0)
        return min(max(r + 0.5 - math.sqrt(ax * ax + ay * ay), 0.0), 1.0)
    return soft_along(ax, ay, bx, by, r)


@parallel_kernel
def _draw(  # type: ignore[no-untyped-def]
    order,
    firsts,
    members,
    rows,
    look,
    plus,
    solid,
    depth,
    front,
    behind,
    nearest,
):
    """front and behind [H, W, 4]: dots before what is opaque, and those behind it (or of no length: nothing is opaque), premultiplied; nearest
    [H, W] the distance of the first.

    rows [n, 12] has all that is known of a dot in one place, since they are fetched in any order: where it begins and ends in pixels, its radius,
    strength, distance, radius in units, and colour; solid [H, W] is the area that is opaque, depth [H, W] how far.
    """
    height, width = nearest.shape
    columns = (width + _TILE - 1) // _TILE
    covers = _ZERO if plus else _ONE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        x0, y0 = (tile % columns) * _TILE, (tile // columns) * _TILE
        x1, y1 = min(width, x0 + _TILE), min(height, y0 + _TILE)
        # Of each pixel in one place: light, what is seen through it, and how far its first dot is.
        here = np.zeros((_TILE * _TILE, _HERE), np.float32)
        here[:, 4] = _ONE
        here[:, 5] = np.inf
        beyond = np.ones((_TILE, _TILE), np.float32)
        # Whether anything opaque is seen in the tile at all.
        meets = False
        if behind.shape[0] > 0:
            for y in range(y0, y1):
                for x in range(x0, x1):
                    meets = meets or solid[y, x] > _ZERO
        for k in range(firsts[tile], firsts[tile + 1]):
            own_row = rows[members[k]]
            ax, ay, bx, by = float(own_row[0]), float(own_row[1]), float(own_row[2]), float(own_row[3])
            r = float(own_row[4])
            moves = ax != bx or ay != by
            round_ = look == _SOFT and not moves
            reach = r if round_ else r + 1.0
            top = max(y0, math.floor(min(ay, by) - reach))
            bottom = min(y1 - 1, math.ceil(max(ay, by) + reach))
            strength, away, deep = own_row[5], own_row[6], own_row[7]
            red, green, blue = own_row[8], own_row[9], own_row[10]
            square = np.float32(1 / (r * r))
            for y in range(top, bottom + 1):
                down = y + 0.5 - ay
                half = reach
                if round_:
                    rest = r * r - down * down
                    if rest <= 0:
                        continue
                    half = math.sqrt(rest)
                # The middles of pixels that it may reach.
                left = max(x0, math.ceil(min(ax, bx) - half - 0.5))
                right = min(x1 - 1, math.floor(max(ax, bx) + half - 0.5))
                if round_ and not meets:
                    # Nearly all of them: nothing opaque is near, and they rest.
                    row = (y - y0) * _TILE - x0
                    below = np.float32(down * down)
                    for x in range(left, right + 1):
                        own = here[np.uint64(row + x)]
                        left_over = own[4]
                        if left_over <= _THROUGH:
                            continue
                        across = np.float32(x + 0.5 - ax)
                        inner = _ONE - (across * across + below) * square
                        part = inner * inner * strength
                        if part < _LEAST:
                            continue
                        given = left_over * part
                        own[0] += given * red
                        own[1] += given * green
                        own[2] += given * blue
                        own[3] += given * covers
                        own[4] = left_over * (_ONE - part * covers)
                        own[5] = min(own[5], away)
                    continue
                for x in range(left, right + 1):
                    if round_:
                        across = np.float32(x + 0.5 - ax)
                        inner = _ONE - (across * across + np.float32(down * down)) * square
                        part = inner * inner * strength
                    else:
                        px, py = x + 0.5, y + 0.5
                        part = np.float32(_part(look, moves, ax - px, ay - py, bx - px, by - py, r)) * strength
                    if part < _LEAST:
                        continue
                    before = _ONE
                    if meets and solid[y, x] > _ZERO:
                        # Where it meets something opaque it goes into it over its own depth.
                        before = np.float32(min(max(0.5 + 0.5 * (depth[y, x] - away) / deep, 0.0), 1.0))
                    place = here[np.uint64((y - y0) * _TILE + x - x0)]
                    left_over = place[4]
                    share = part * before
                    if share > _ZERO and left_over > _THROUGH:
                        given = left_over * share
                        place[0] += given * red
                        place[1] += given * green
                        place[2] += given * blue
                        place[3] += given * covers
                        place[4] = left_over * (_ONE - share * covers)
                        place[5] = min(place[5], away)
                    share = part * (_ONE - before)
                    if share > _ZERO and solid[y, x] < _ONE:
                        left_over = beyond[y - y0, x - x0]
                        given = left_over * share
                        behind[y, x, 0] += given * red
                        behind[y, x, 1] += given * green
                        behind[y, x, 2] += given * blue
                        behind[y, x, 3] += given * covers
                        beyond[y - y0, x - x0] = left_over * (_ONE - share * covers)
                        place[5] = min(place[5], away)
        for y in range(y0, y1):
            for x in range(x0, x1):
                place = here[(y - y0) * _TILE + x - x0]
                for c in range(4):
                    front[y, x, c] = place[c]
                nearest[y, x] = min(nearest[y, x], place[5])


@parallel_kernel
def _where(order, front, behind, solid, share, seen, before, far_seen, far_before):  # type: ignore[no-untyped-def]
    """Areas [H, W] in which dots are seen before what is opaque, with what of that they do not cover, and the same of those behind it; of their
    light a share is left."""
    height, width = seen.shape
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        y0, x0 = (order[turn] // columns) * _TILE, (order[turn] % columns) * _TILE
        for y in range(y0, min(height, y0 + _TILE)):
            for x in range(x0, min(width, x0 + _TILE)):
                light = front[y, x, 0] + front[y, x, 1] + front[y, x, 2] + front[y, x, 3]
                there = light > _ZERO
                seen[y, x] = _ONE if there else _ZERO
                before[y, x] = _ZERO if there else solid[y, x]
                for c in range(4):
                    front[y, x, c] *= share
                if behind.shape[0] > 0:
                    rest = _ONE - solid[y, x]
                    light = behind[y, x, 0] + behind[y, x, 1] + behind[y, x, 2] + behind[y, x, 3]
                    far_seen[y, x] = rest if light > _ZERO else _ZERO
                    far_before[y, x] = solid[y, x]
                    for c in range(4):
                        behind[y, x, c] *= rest * share


@dataclass(frozen=True, slots=True, eq=False)
class Drawn:
    """Dots in a picture: light [H, W, 4], premultiplied, and where it is; depth [H, W] of the nearest dot anywhere."""

    light: NDArray[np.float32]
    areas: Areas
    depth: NDArray[np.float32]


def drawn_dots(
    dots: Dots,
    matrix: NDArray[np.float64],
    camera: Camera,
    shift: tuple[float, float],
    shutter: tuple[float, float],
    share: float,
    solid: NDArray[np.float32],
    depth: NDArray[np.float32],
    nothing: float,
) -> list[Drawn]:
    """Dots of a body that stands at matrix [4, 4], in the order in which they are to be laid over a picture: those behind what is opaque (if
    anything is: solid [H, W] is its area, depth [H, W] how far it is, of no length: nothing is), and those before it. shutter: from when to when
    (frames from the frame on) they are seen; share: how
    much of all together is left. Call it outside of ``PARALLEL``."""
    height, width = solid.shape
    nearest = np.full((height, width), nothing, np.float32)
    scale = abs(float(np.linalg.det(matrix[:3, :3]))) ** (1 / 3)

    def seen(points: NDArray[np.float64]) -> NDArray[np.float64]:
        return camera.project(points @ matrix[:3, :3].T + matrix[:3, 3], shift)

    opens, closes = shutter
    starts, stops = dots.places + opens * dots.ways, dots.places + closes * dots.ways
    if dots.look == "streak":
        # From its head as the shutter closes to its tail as it opens.
        starts, stops = stops, starts + dots.tails
    rests = opens == closes and dots.look != "streak"
    middle = starts if rests else dots.places + (opens + closes) / 2 * dots.ways
    away = camera.distance(middle @ matrix[:3, :3].T + matrix[:3, 3])
    a = seen(starts)
    b = a if rests else seen(stops)
    with np.errstate(all="ignore"):
        sizes = camera.focal if camera.parallel else camera.focal / np.maximum(away, 1e-12)
        radii = dots.radii * scale * sizes
        ends = np.concatenate([a[:, :2] / a[:, 2:], b[:, :2] / b[:, 2:]], axis=1)
    ahead = (
        (away > camera.near)
        & (a[:, 2] > (0 if camera.parallel else camera.near))
        & (b[:, 2] > (0 if camera.parallel else camera.near))
    )
    smallest = _SMALLEST[dots.look]
    reach = np.maximum(radii, smallest) + 1
    ax, ay, bx, by = ends.T
    left, right = np.minimum(ax, bx) - reach, np.maximum(ax, bx) + reach
    top, bottom = np.minimum(ay, by) - reach, np.maximum(ay, by) + reach
    # What is no number is in no picture.
    inside = ahead & (dots.opacities > _LEAST) & (radii > 0)
    inside &= (right > 0) & (left < width) & (bottom > 0) & (top < height)
    which = np.flatnonzero(inside)
    if not len(which):
        return []
    which = which[np.argsort(away[which], kind="stable")]
    held = np.maximum(radii[which], smallest)
    # As much light as before: of a streak its width alone is too small.
    gains = (radii[which] / held) ** (1 if dots.look == "streak" else 2)
    rows_of_dots = np.empty((len(which), _ROW), np.float32)
    rows_of_dots[:, :4] = ends[which]
    rows_of_dots[:, 4], rows_of_dots[:, 5] = held, gains * dots.opacities[which]
    rows_of_dots[:, 6], rows_of_dots[:, 7] = away[which], np.maximum(dots.radii[which] * scale, 1e-9)
    rows_of_dots[:, 8:11] = dots.colours[which]
    columns, rows = -(-width // TILE), -(-height // TILE)
    box = [
        np.clip(np.floor(values[which]), -1, most).astype(np.int64)
        for values, most in ((left, width), (top, height), (right, width), (bottom, height))
    ]
    counts = np.zeros(columns * rows, np.int64)
    _count(*box, columns, rows, counts)
    firsts = np.concatenate([[0], np.cumsum(counts)])
    members = np.empty(int(firsts[-1]), np.int64)
    _sort(*box, columns, rows, firsts[:-1], members)
    fullest = np.argsort(-counts, kind="stable")[: int((counts > 0).sum())]
    # Threads get stretches of equal length: each of them as full as the others.
    order = np.concatenate([fullest[first::_HANDS] for first in range(_HANDS)])
    size = height, width
    front = np.zeros((*size, 4), np.float32)
    behind = np.zeros((*size, 4) if len(depth) else (0, 0, 4), np.float32)
    near = [np.zeros(size, np.float32) for _ in range(2)]
    far = [np.zeros(size if len(depth) else (0, 0), np.float32) for _ in range(2)]
    with PARALLEL:
        _draw(
            order,
            firsts,
            members,
            rows_of_dots,
            _LOOKS[dots.look],
            dots.plus,
            solid,
            depth,
            front,
            behind,
            nearest,
        )
        _where(order, front, behind, solid, np.float32(share), *near, *far)
    found = [Drawn(front, Areas(near[0], near[1], order), nearest)]
    if len(depth):
        found.insert(0, Drawn(behind, Areas(far[0], far[1], order), nearest))
    return found
