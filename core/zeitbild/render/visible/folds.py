"""Bodies that lie over themselves in the picture: how many of their surfaces stand one behind the other, and where.

A see-through body that is closed has a near side and a far one; where it folds over itself, as the tube of a ring or the stem of a letter
before its bowl, more of both. Those behind are drawn like the first, with as many surfaces taken away before them (``visibility.rasterise``).
What is behind a surface of the same body lies in the area of that, so they are laid over one another as the two sides are.
"""

from __future__ import annotations

import math

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.render.picture import Picture
from zeitbild.render.visible.areas import Areas, pixels_in
from zeitbild.render.visible.see_through import lay, rest_within
from zeitbild.render.visible.triangle_setup import TILE, Bins

#: Surfaces of a side that are seen one behind the other at most.
MOST_DEEP = 16
_TILE = TILE


@parallel_kernel
def _count(order, bins, own, width, height, most):  # type: ignore[no-untyped-def]
    """Into most [tiles], if it is more than that: how many triangles of own [T] (not 0) lie one over the other at the middle of any pixel of
    a tile."""
    scaled, boxes, starts, members = bins
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        x0, y0 = (tile % columns) * _TILE, (tile // columns) * _TILE
        x1, y1 = min(width, x0 + _TILE), min(height, y0 + _TILE)
        counts = np.zeros((_TILE, _TILE), np.uint8)
        for k in range(starts[tile], starts[tile + 1]):
            t = members[k]
            if own[t] == 0:
                continue
            for y in range(max(y0, boxes[t, 1]), min(y1, boxes[t, 3] + 1)):
                # Middles of pixels between the edges: from the first to before the last.
                low, high = float(max(x0, boxes[t, 0])), float(min(x1, boxes[t, 2] + 1))
                for e in range(3):
                    slope = scaled[t, 3 * e]
                    rest = scaled[t, 3 * e + 1] * (y + 0.5) + scaled[t, 3 * e + 2]
                    if slope > 0.0:
                        low = max(low, math.floor(-rest / slope - 0.5) + 1.0)
                    elif slope < 0.0:
                        high = min(high, math.ceil(-rest / slope - 0.5))
                    elif not rest > 0.0:
                        high = low
                for x in range(int(low), int(high) if high > low else int(low)):
                    if counts[y - y0, x - x0] < 255:
                        counts[y - y0, x - x0] += np.uint8(1)
        for y in range(_TILE):
            for x in range(_TILE):
                most[tile] = max(most[tile], counts[y, x])


def count_folds(
    bins: Bins,
    own: NDArray[np.uint8],
    shape: tuple[int, ...],
    tiles: NDArray[np.int64],
    most: NDArray[np.uint8],
) -> None:
    """Into most [tiles], if it is more than what stands there: how many surfaces of own [T] (not 0) lie one over the other in each of some
    tiles of a picture of that shape, as the middles of its pixels tell. Hold ``kernels.PARALLEL``."""
    PARALLEL.by_parts(_count, tiles, bins, own, shape[1], shape[0], most)


def put_before(front: Picture, areas: Areas, deeper: Picture | None, tiles: NDArray[np.int64]) -> Picture:
    """The picture of a surface with those behind it, which were drawn in some tiles, in place of both."""
    if deeper is None:
        return front
    rest = rest_within(front, areas)
    lay(front, deeper, rest, tiles)
    there = pixels_in(tiles, rest.shape)
    for name in ("beauty", "planes", "data", "identities"):
        own, other = getattr(front, name), getattr(deeper, name)
        if own is not None and other is not None:
            own[there] = other[there]
    front.depth[there] = np.minimum(front.depth[there], deeper.depth[there])
    for name, values in deeper.groups.items():
        front.groups[name][there] = values[there]
    return front
