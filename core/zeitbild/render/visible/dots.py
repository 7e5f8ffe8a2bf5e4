"""Dots drawn into a picture, from the nearest to the farthest, before and behind what is opaque; what moves is drawn out by its way.

How much of a pixel a dot takes is its profile at the pixel's middle: (1 - d^2 / r^2)^2 for a soft one, which can be integrated exactly along a
straight way; dots smaller than a pixel are made as large as one and as much fainter.
"""

from __future__ import annotations

import math

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, kernel, parallel_kernel
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.snapshot.camera import Camera
from zeitbild.snapshot.dots import DotLook, Dots

_TILE = TILE
_LOOKS: dict[DotLook, int] = {"soft": 0, "disc": 1, "streak": 2}
_SOFT, _DISC, _STREAK = 0, 1, 2
#: Radius in pixels below which dots become fainter in place of smaller.
_SMALLEST = 0.75
#: Less than this of a pixel is nothing.
_LEAST = 1e-4
#: Nothing behind is seen through less than this.
_THROUGH = 1e-3


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
def _to_way(ax, ay, bx, by):  # type: ignore[no-untyped-def]
    """Distance of the origin from the way from a to b."""
    dx, dy = bx - ax, by - ay
    square = dx * dx + dy * dy
    at = 0.0 if square < 1e-12 else min(max(-(ax * dx + ay * dy) / square, 0.0), 1.0)
    return math.sqrt((ax + at * dx) ** 2 + (ay + at * dy) ** 2)


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


@parallel_kernel
def _draw(  # type: ignore[no-untyped-def]
    order,
    firsts,
    members,
    ends,
    radii,
    gains,
    depths,
    deep,
    colours,
    opacities,
    look,
    plus,
    solid,
    depth,
    front,
    behind,
    nearest,
):
    """front and behind [H, W, 4]: dots before what is opaque, and those behind it, premultiplied; nearest [H, W] the distance of the first.

    ends [n, 4] where each begins and ends in pixels, deep [n] its radius in units; solid [H, W] is the area that is opaque, depth [H, W] how far.
    """
    height, width = depth.shape
    columns = (width + _TILE - 1) // _TILE
    covers = 0.0 if plus else 1.0
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        x0, y0 = (tile % columns) * _TILE, (tile // columns) * _TILE
        x1, y1 = min(width, x0 + _TILE), min(height, y0 + _TILE)
        through = np.ones((2, _TILE, _TILE), np.float32)
        for k in range(firsts[tile], firsts[tile + 1]):
            i = members[k]
            ax, ay, bx, by, r = ends[i, 0], ends[i, 1], ends[i, 2], ends[i, 3], radii[i]
            reach = r + 1.0
            left, right = (
                max(x0, math.floor(min(ax, bx) - reach)),
                min(x1 - 1, math.ceil(max(ax, bx) + reach)),
            )
            top, bottom = (
                max(y0, math.floor(min(ay, by) - reach)),
                min(y1 - 1, math.ceil(max(ay, by) + reach)),
            )
            moves = ax != bx or ay != by
            for y in range(top, bottom + 1):
                py = y + 0.5
                for x in range(left, right + 1):
                    if through[0, y - y0, x - x0] < _THROUGH:
                        continue
                    px = x + 0.5
                    if look == _STREAK:
                        part = min(max(r + 0.5 - _to_way(ax - px, ay - py, bx - px, by - py), 0.0), 1.0)
                    elif look == _DISC:
                        if moves:
                            first, last = _inside(ax - px, ay - py, bx - px, by - py, r)
                            part = max(last - first, 0.0)
                        else:
                            part = min(max(r + 0.5 - math.sqrt((ax - px) ** 2 + (ay - py) ** 2), 0.0), 1.0)
                    elif moves:
                        part = soft_along(ax - px, ay - py, bx - px, by - py, r)
                    else:
                        inner = 1 - ((ax - px) ** 2 + (ay - py) ** 2) / (r * r)
                        part = inner * inner if inner > 0 else 0.0
                    part *= opacities[i] * gains[i]
                    if part < _LEAST:
                        continue
                    # Where it meets something opaque it goes into it over its own depth.
                    before = min(max(0.5 + 0.5 * (depth[y, x] - depths[i]) / deep[i], 0.0), 1.0)
                    for side in range(2):
                        own = part * (before if side == 0 else 1 - before)
                        if own <= 0 or (side == 1 and solid[y, x] >= 1):
                            continue
                        left_over = through[side, y - y0, x - x0]
                        picture = front if side == 0 else behind
                        for c in range(3):
                            picture[y, x, c] += np.float32(left_over * own * colours[i, c])
                        picture[y, x, 3] += np.float32(left_over * own * covers)
                        through[side, y - y0, x - x0] = np.float32(left_over * (1 - own * covers))
                        nearest[y, x] = min(nearest[y, x], np.float32(depths[i]))


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
) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """Dots of a body that stands at matrix [4, 4]: those before what is opaque and those behind it [H, W, 4] each, and the depth [H, W] of the
    nearest. shutter: from when to when (frames from the frame on) they are seen; share: how opaque the body is. Call it outside of ``PARALLEL``."""
    height, width = depth.shape
    front, behind = np.zeros((height, width, 4), np.float32), np.zeros((height, width, 4), np.float32)
    nearest = np.full((height, width), nothing, np.float32)
    scale = abs(float(np.linalg.det(matrix[:3, :3]))) ** (1 / 3)

    def seen(points: NDArray[np.float64]) -> NDArray[np.float64]:
        return camera.project(points @ matrix[:3, :3].T + matrix[:3, 3], shift)

    opens, closes = shutter
    starts = dots.places + opens * dots.ways
    stops = dots.places + (dots.tails if dots.look == "streak" else closes * dots.ways)
    if dots.look == "streak":
        starts = dots.places + closes * dots.ways
        stops = dots.places + opens * dots.ways + dots.tails
    middle = dots.places + (opens + closes) / 2 * dots.ways
    away = camera.distance(middle @ matrix[:3, :3].T + matrix[:3, 3])
    a, b = seen(starts), seen(stops)
    with np.errstate(all="ignore"):
        sizes = camera.focal if camera.parallel else camera.focal / np.maximum(away, 1e-12)
        radii = dots.radii * scale * sizes
        ends = np.concatenate([a[:, :2] / a[:, 2:], b[:, :2] / b[:, 2:]], axis=1)
    ahead = (
        (away > camera.near)
        & (a[:, 2] > (0 if camera.parallel else camera.near))
        & (b[:, 2] > (0 if camera.parallel else camera.near))
    )
    reach = np.maximum(radii, _SMALLEST) + 1
    x, y = ends[:, [0, 2]], ends[:, [1, 3]]
    inside = ahead & np.isfinite(ends).all(axis=1) & (dots.opacities * share > _LEAST) & (radii > 0)
    inside &= (x.max(axis=1) + reach > 0) & (x.min(axis=1) - reach < width)
    inside &= (y.max(axis=1) + reach > 0) & (y.min(axis=1) - reach < height)
    which = np.flatnonzero(inside)
    if not len(which):
        return front, behind, nearest
    which = which[np.argsort(away[which], kind="stable")]
    ends, radii, x, y, reach = ends[which], radii[which], x[which], y[which], reach[which]
    held = np.maximum(radii, _SMALLEST)
    # As much light as before: of a streak its width alone is too small.
    gains = (radii / held) ** (1 if dots.look == "streak" else 2)
    columns, rows = -(-width // TILE), -(-height // TILE)
    far = 1 << 24
    box = [
        np.clip(np.floor(x.min(axis=1) - reach), -1, far).astype(np.int64),
        np.clip(np.floor(y.min(axis=1) - reach), -1, far).astype(np.int64),
        np.clip(np.ceil(x.max(axis=1) + reach), -1, far).astype(np.int64),
        np.clip(np.ceil(y.max(axis=1) + reach), -1, far).astype(np.int64),
    ]
    counts = np.zeros(columns * rows, np.int64)
    _count(*box, columns, rows, counts)
    firsts = np.concatenate([[0], np.cumsum(counts)])
    members = np.empty(int(firsts[-1]), np.int64)
    _sort(*box, columns, rows, firsts[:-1], members)
    order = np.argsort(-counts, kind="stable")[: int((counts > 0).sum())]
    with PARALLEL:
        _draw(
            order,
            firsts,
            members,
            ends,
            held,
            gains,
            away[which],
            np.maximum(dots.radii[which] * scale, 1e-9),
            dots.colours[which],
            dots.opacities[which] * np.float32(share),
            _LOOKS[dots.look],
            dots.plus,
            solid,
            depth,
            front,
            behind,
            nearest,
        )
    behind *= (1 - solid)[..., None]
    return front, behind, nearest
