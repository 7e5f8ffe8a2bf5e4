"""See-through elements: laid over what is behind them, one after the other, from far to near.

Each is drawn together with everything that is opaque, which hides what of it stands behind; of itself its nearest
surface is seen. Over of Porter and Duff 1984, in premultiplied linear light, area by area.
"""

from __future__ import annotations

from dataclasses import replace

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.render.data_rows import SHARE
from zeitbild.render.picture import Picture
from zeitbild.render.visible.areas import Areas, every_tile
from zeitbild.render.visible.triangle_setup import TILE

_TILE = TILE
_ZERO, _ONE, _LEAST = np.float32(0), np.float32(1), np.float32(1e-6)


@parallel_kernel
def _see_through(order, beauty, seen, rest):  # type: ignore[no-untyped-def]
    """How clear a surface is where it is: rest [H, W]."""
    columns = (rest.shape[1] + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        top, left = (order[turn] // columns) * _TILE, (order[turn] % columns) * _TILE
        for y in range(top, min(top + _TILE, rest.shape[0])):
            for x in range(left, min(left + _TILE, rest.shape[1])):
                rest[y, x] = _ONE - beauty[y, x, 3] / max(seen[y, x], _LEAST)


@parallel_kernel
def _mark_touched(order, upper, rest, touched):  # type: ignore[no-untyped-def]
    """touched [H, W] where an upper [H, W, 4] (or nothing, of no length) is, or less than all of what is behind is left."""
    columns = (rest.shape[1] + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        top, left = (order[turn] // columns) * _TILE, (order[turn] % columns) * _TILE
        for y in range(top, min(top + _TILE, rest.shape[0])):
            for x in range(left, min(left + _TILE, rest.shape[1])):
                is_there = rest[y, x] != _ONE
                if upper.shape[0] > 0:
                    for k in range(4):
                        is_there = is_there or upper[y, x, k] != _ZERO
                touched[y, x] = is_there


@parallel_kernel
def _put_over(  # type: ignore[no-untyped-def]
    order, upper, own_depth, seen, before, fade, solid, gives, held, covered, depth, rest, touched, lower
):
    """Beauty of ``lay_over`` in one pass: lower [H, W, 4] becomes upper + lower x rest, or lower x rest where it ``gives`` nothing.

    rest [H, W] is that of ``rest_behind``, touched [H, W] tells where something changes (both of no length: nobody asks); held, covered
    (or of no length) and depth [H, W] are changed in place, too.
    """
    columns = (depth.shape[1] + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        top, left = (order[turn] // columns) * _TILE, (order[turn] % columns) * _TILE
        for y in range(top, min(top + _TILE, depth.shape[0])):
            for x in range(left, min(left + _TILE, depth.shape[1])):
                area, own_before, behind = seen[y, x], before[y, x], solid[y, x]
                red, green, blue, alpha = upper[y, x, 0], upper[y, x, 1], upper[y, x, 2], upper[y, x, 3]
                if behind > _ZERO:
                    uncovered = own_before / max(behind, _LEAST)
                    if fade.shape[0] > 0:
                        uncovered = _ONE - (_ONE - uncovered) * fade[y, x]
                else:
                    uncovered = _ONE - area
                opacity = alpha / max(area, _LEAST)
                part = _ONE - opacity * (_ONE - min(max(uncovered, _ZERO), _ONE))
                if held.shape[0] > 0:
                    # What a hold-out hides stays hidden, but for what stands before it.
                    held[y, x] = held[y, x] * part + (_ZERO if gives else alpha)
                if gives and area > _ZERO:
                    if covered.shape[0] > 0:
                        covered[y, x] = max(covered[y, x], min(area + own_before, _ONE))
                    depth[y, x] = min(depth[y, x], own_depth[y, x])
                is_there = part != _ONE
                if gives:
                    is_there = is_there or red != _ZERO or green != _ZERO or blue != _ZERO or alpha != _ZERO
                if rest.shape[0] > 0:
                    rest[y, x], touched[y, x] = part, is_there
                if is_there:
                    for k in range(4):
                        lower[y, x, k] *= part
                    if gives:
                        lower[y, x, 0] += red
                        lower[y, x, 1] += green
                        lower[y, x, 2] += blue
                        lower[y, x, 3] += alpha


@parallel_kernel
def _over(order, upper, rest, touched, lower):  # type: ignore[no-untyped-def]
    """lower [H, W, C] becomes upper + lower x rest [H, W] where touched [H, W]; an upper of no length is nothing."""
    columns = (rest.shape[1] + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        top, left = (order[turn] // columns) * _TILE, (order[turn] % columns) * _TILE
        for y in range(top, min(top + _TILE, rest.shape[0])):
            for x in range(left, min(left + _TILE, rest.shape[1])):
                if touched[y, x]:
                    part = rest[y, x]
                    for k in range(lower.shape[2]):
                        lower[y, x, k] *= part
                    if upper.shape[0] > 0:
                        for k in range(lower.shape[2]):
                            lower[y, x, k] += upper[y, x, k]


def rest_within(front: Picture, areas: Areas) -> NDArray[np.float32]:
    """The share [H, W] of what lies in the area of a surface, behind it, that is seen."""
    rest = np.ones_like(areas.seen)
    with PARALLEL:
        PARALLEL.by_parts(_see_through, areas.tiles_in(rest.shape), front.beauty, areas.reach, rest)
    return rest


def through(front: Picture, back: Picture, areas: Areas, far: Areas) -> Areas:
    """Put the near side of closed bodies over their far side, in place of that, with all that beauty is made of; gives the areas of
    both. They cover the same: what is seen of the far side is seen through the near one.
    """
    lay(front, back, rest_within(front, areas), areas.tiles)
    # What is seen first is the near side.
    with np.errstate(all="ignore"):
        np.copyto(back.depth, front.depth, where=areas.seen > 0)
    return areas.together(far)


def lay_over(front: Picture, behind: Picture, areas: Areas, solid: NDArray[np.float32], *, gives: bool = True) -> None:
    """Put a see-through element over what is behind it, in place, with all that beauty is made of; one that ``gives`` nothing only
    weakens it.

    solid [H, W] is the area that opaque elements cover when nothing stands before them. What the element does not cover of them
    is not weakened by it: an opaque edge before a clear plate stays as it is. How see-through elements farther away share a
    pixel with that area is not known; they count as spread evenly over it.
    """
    # Only what beauty is made of wants to know.
    size = (0, 0) if behind.planes is None and behind.data is None else solid.shape
    rest, touched = np.ones(size, np.float32), np.zeros(size, np.bool_)
    tiles = areas.tiles_in(solid.shape)
    held, covered = (np.empty((0, 0), np.float32) if one is None else one for one in (behind.held, behind.covered))
    with PARALLEL:
        PARALLEL.by_parts(
            _put_over,
            tiles,
            front.beauty,
            front.depth,
            areas.seen,
            areas.before,
            np.empty((0, 0), np.float32) if areas.fade is None else areas.fade,
            solid,
            gives,
            held,
            covered,
            behind.depth,
            rest,
            touched,
            behind.beauty,
        )
    if len(rest):
        lay_parts(front if gives else None, behind, rest, touched, tiles)


def _stand(front: Picture, behind: Picture, areas: Areas) -> None:
    """Where something stands, however clear, and its depth, in place."""
    seen = areas.seen > 0
    if behind.covered is not None:
        stands = np.minimum(areas.seen + areas.before, 1)
        behind.covered[seen] = np.maximum(behind.covered[seen], stands[seen])
    behind.depth[seen] = np.minimum(behind.depth[seen], front.depth[seen])


def weaken(behind: Picture, rest: NDArray[np.float32]) -> None:
    """Leave only a share [H, W] of all that beauty is made of and of what hold-outs hide, in place."""
    if behind.held is not None:
        behind.held[:] *= rest
    lay(None, behind, rest)


def add(front: Picture, behind: Picture, areas: Areas, weight: NDArray[np.float32]) -> None:
    """Add what a share [H, W] of a surface gives, in place; what is behind it was weakened before."""

    def part(values: NDArray[np.float32] | None) -> NDArray[np.float32] | None:
        return None if values is None else values * weight[..., None]

    own = replace(
        front,
        beauty=front.beauty * weight[..., None],
        planes=part(front.planes) if behind.planes is not None else None,
        groups={name: front.groups[name] * weight[..., None] for name in behind.groups},
        identities=None if front.identities is None else front.identities.copy(),
        data=None if front.data is None else front.data.copy(),
    )
    if own.identities is not None:
        own.identities[..., 1] *= weight[..., None, None]
    if own.data is not None:
        own.data[..., SHARE] *= weight
    lay(own, behind, np.ones_like(weight))
    _stand(front, behind, areas)


def lay(
    front: Picture | None, behind: Picture, rest: NDArray[np.float32], tiles: NDArray[np.int64] | None = None
) -> None:
    """Over of Porter and Duff 1984 with all that beauty is made of, in place: what is behind is weakened to ``rest`` [H, W], in some
    tiles, or everywhere."""
    order = every_tile(rest.shape) if tiles is None else tiles
    touched = np.zeros(rest.shape, np.bool_)
    with PARALLEL:
        upper = behind.beauty[:0] if front is None else front.beauty
        PARALLEL.by_parts(_mark_touched, order, upper, rest, touched)

        PARALLEL.by_parts(_over, order, upper, rest, touched, behind.beauty)
    lay_parts(front, behind, rest, touched, order)


def lay_parts(
    front: Picture | None,
    behind: Picture,
    rest: NDArray[np.float32],
    touched: NDArray[np.bool_],
    tiles: NDArray[np.int64],
) -> None:
    """The same with what beauty is made of and with what stands in the pixels, where touched [H, W] in some tiles."""

    def over(upper: NDArray[np.float32] | None, lower: NDArray[np.float32]) -> None:
        with PARALLEL:
            PARALLEL.by_parts(_over, tiles, lower[:0] if upper is None else upper, rest, touched, lower)

    if behind.planes is not None:
        over(None if front is None else front.planes, behind.planes)
    for name, values in behind.groups.items():
        over(None if front is None else front.groups[name], values)
    if front is None:
        if behind.identities is not None:
            behind.identities[..., 1] *= rest[..., None, None]
        if behind.data is not None:
            behind.data[..., SHARE] *= rest
        return
    if front.data is not None and behind.data is not None:
        # Of two surfaces in a pixel the one that gives more to it is told of.
        behind.data[..., SHARE] *= rest
        more = touched & (front.data[..., SHARE] > behind.data[..., SHARE])
        behind.data[more] = front.data[more]
    if front.identities is not None and behind.identities is not None:
        _merge(front.identities, behind.identities, rest[..., None], touched)


def _merge(
    front: NDArray[np.float32], behind: NDArray[np.float32], rest: NDArray[np.float32], touched: NDArray[np.bool_]
) -> None:
    """Identities [H, W, 2, SLOTS, 2] of both, in place, where touched: those with the most coverage are kept."""
    slots = behind.shape[3]
    upper, lower = front[touched], behind[touched]
    lower[..., 1] *= rest[touched][..., None]
    both = np.concatenate([upper, lower], axis=2)
    order = np.argsort(-both[..., 1], axis=2, kind="stable")[..., :slots]
    merged = np.take_along_axis(both, order[..., None], axis=2)
    # Where nothing is covered there is no number.
    merged[..., 0][merged[..., 1] <= 0] = -1
    behind[touched] = merged
