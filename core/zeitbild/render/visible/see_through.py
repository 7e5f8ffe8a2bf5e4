"""See-through elements: laid over what is behind them, one after the other, from far to near.

Each is drawn together with everything that is opaque, which hides what of it stands behind; of itself its nearest
surface is seen. Over of Porter and Duff 1984, in premultiplied linear light, area by area.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, kernel, parallel_kernel
from zeitbild.render.data_rows import SHARE
from zeitbild.render.picture import Picture
from zeitbild.render.visible.surface import surface_at
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import opacity_of

_TILE = TILE
_surface_at = kernel(surface_at.py_func)
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1


def see_through_places(snapshot: Snapshot) -> tuple[int, ...]:
    """Places of the bodies in view that have a finish of less than full opacity, far to near by their middles."""
    places = [
        place
        for place, body in enumerate(snapshot.bodies)
        if body.role != "unseen" and any(opacity_of(finish) < 1 for finish in body.finishes)
    ]
    if not places:
        return ()
    camera = snapshot.camera
    middles = {}
    for place in places:
        matrix = np.array(snapshot.bodies[place].matrix).reshape(4, 4)
        vertices = snapshot.built_meshes[place].vertices
        middle = (vertices.min(axis=0) + vertices.max(axis=0)) / 2 if len(vertices) else np.zeros(3)
        middles[place] = float(camera.distance((matrix[:3, :3] @ middle + matrix[:3, 3])[None])[0])
    return tuple(sorted(places, key=lambda place: (-middles[place], place)))


#: Pixels that two elements must lie apart to be drawn together.
_APART = 2.0


#: Left, top, right and bottom in pixels; None if that is not known (it reaches behind the eye).
Box = tuple[float, float, float, float] | None


@dataclass(frozen=True, slots=True)
class Outline:
    """Where a body may be in the picture while the shutter is open, and between which distances along the viewing axis."""

    box: Box
    depths: tuple[float, float]


def outline_of(snapshot: Snapshot, place: int) -> Outline:
    """The outline of the box around a body."""
    vertices = snapshot.built_meshes[place].vertices
    if not len(vertices):
        return Outline((0, 0, 0, 0), (0, 0))
    low, high = vertices.min(axis=0), vertices.max(axis=0)
    corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
    camera = snapshot.camera
    found, near, far = [], np.inf, -np.inf
    matrices = [station[place] for station in snapshot.stations] or [snapshot.bodies[place].matrix]
    hidden = False
    for matrix in (np.array(one).reshape(4, 4) for one in matrices):
        points = corners @ matrix[:3, :3].T + matrix[:3, 3]
        away = camera.distance(points)
        near, far = min(near, float(away.min())), max(far, float(away.max()))
        projected = camera.project(points)
        hidden |= not camera.parallel and bool((projected[:, 2] <= camera.near).any())
        found.append(projected[:, :2] / np.where(projected[:, 2:] == 0, 1, projected[:, 2:]))
    if hidden:
        return Outline(None, (near, far))
    every = np.concatenate(found)
    (left, top), (right, bottom) = every.min(axis=0) - _APART, every.max(axis=0) + _APART
    return Outline((float(left), float(top), float(right), float(bottom)), (near, far))


def groups_apart(
    snapshot: Snapshot, units: Sequence[tuple[int, ...]], roles: Mapping[int, Any]
) -> list[list[tuple[int, ...]]]:
    """See-through bodies, given from far to near (several together where they reach through one another), in groups to be laid over
    one another: those of one group lie apart in the picture and have the same roles, and two that may cover one another stand in
    groups in their order. What is together has a group of its own."""
    boxes = {place: outline_of(snapshot, place).box for unit in units for place in unit}

    def meet(one: tuple[int, ...], other: tuple[int, ...]) -> bool:
        return any(boxes_meet(boxes[a], boxes[b]) for a in one for b in other)

    levels: list[list[tuple[int, ...]]] = []
    for unit in units:
        level = 0
        for number, others in enumerate(levels):
            if any(meet(unit, other) for other in others):
                level = number + 1
        while level < len(levels) and (
            len(unit) > 1 or len(levels[level][0]) > 1 or roles[levels[level][0][0]] != roles[unit[0]]
        ):
            level += 1
        if level == len(levels):
            levels.append([])
        levels[level].append(unit)
    return levels


def boxes_meet(one: Box, other: Box) -> bool:
    """Whether two boxes may have a pixel in common."""
    if one is None or other is None:
        return True
    return one[0] < other[2] and other[0] < one[2] and one[1] < other[3] and other[1] < one[3]


@parallel_kernel
def areas_of(order, pixel, triangle, counts, firsts, width, share, finish_of, weights, seen, cover):  # type: ignore[no-untyped-def]
    """Area of each pixel, into seen [H, W], that fragments cover whose finish has a weight [F] of 0 or more, and into cover [H, W]
    the same times that weight."""
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for row in range(top, min(top + _TILE, seen.shape[0])):
            for column in range(left, min(left + _TILE, width)):
                seen[row, column] = np.float32(0)
                cover[row, column] = np.float32(0)
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            weight = weights[finish_of[triangle[f]]]
            if weight >= 0:
                row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
                seen[row, column] += share[f]
                cover[row, column] += share[f] * weight


@parallel_kernel
def depth_of_seen(  # type: ignore[no-untyped-def]
    order,
    pixel,
    triangle,
    share,
    where,
    counts,
    firsts,
    width,
    edges,
    places,
    normals,
    finish_of,
    weights,
    eye,
    axis,
    nothing,
    depth,
):
    """Where fragments are hidden whose finish weighs less than 0: depth [H, W] of what is seen in the pixel besides them (at the
    middle of its samples), or nothing. axis [4] takes a point to its distance along the viewing axis."""
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            if weights[finish_of[triangle[f]]] < 0:
                depth[top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)] = -nothing
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            held = depth[row, column]
            if held >= 0 or weights[finish_of[triangle[f]]] < 0:
                continue
            px, py, pz, _, _, _, _, _, _ = _surface_at(
                edges, places, normals, np.uint64(triangle[f]), where[f, 0], where[f, 1], eye
            )
            along = axis[0] * px + axis[1] * py + axis[2] * pz + axis[3]
            # Below zero: what is hidden here too is not looked at any more.
            depth[row, column] = max(held, -np.float32(along))
        for row in range(top, min(top + _TILE, depth.shape[0])):
            for column in range(left, min(left + _TILE, width)):
                if depth[row, column] < 0:
                    depth[row, column] = -depth[row, column]


@parallel_kernel
def drop_hidden(order, pixel, triangle, share, where, counts, firsts, at, finish_of, weights, moved):  # type: ignore[no-untyped-def]
    """Leave out fragments whose finish weighs less than 0, in place; moved [n] gets the new number of each, -1 for none.

    at [n, 2] as in ``visibility.Fragments``, or of no length.
    """
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        kept = firsts[tile]
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            moved[f] = np.int32(-1)
            if weights[finish_of[triangle[f]]] < 0:
                continue
            pixel[kept], triangle[kept], share[kept] = pixel[f], triangle[f], share[f]
            where[kept, 0], where[kept, 1] = where[f, 0], where[f, 1]
            if at.shape[0] > 0:
                at[kept, 0], at[kept, 1] = at[f, 0], at[f, 1]
            moved[f] = np.int32(kept)
            kept += 1
        counts[tile] = kept - firsts[tile]


@parallel_kernel
def _over(upper, rest, touched, lower):  # type: ignore[no-untyped-def]
    """lower [H, W, C] becomes upper + lower x rest [H, W] where touched [H, W]; an upper of no length is nothing."""
    for y in numba.prange(lower.shape[0]):
        for x in range(lower.shape[1]):
            if touched[y, x]:
                part = rest[y, x]
                for k in range(lower.shape[2]):
                    lower[y, x, k] *= part
                if upper.shape[0] > 0:
                    for k in range(lower.shape[2]):
                        lower[y, x, k] += upper[y, x, k]


@dataclass(frozen=True, slots=True, eq=False)
class Areas:
    """Of each pixel [H, W]: the area in which what is wanted is seen, and that in which something opaque is that it does not cover."""

    seen: NDArray[np.float32]
    before: NDArray[np.float32]

    def together(self, far: Areas) -> Areas:
        """Those of the near and the far side of closed bodies, which cover the same."""
        return Areas(np.maximum(self.seen, far.seen), np.minimum(self.before, far.before))


def opacity_in(alpha: NDArray[np.float32], areas: Areas) -> NDArray[np.float32]:
    """How opaque a surface is where it is, from its alpha in the whole pixel, both [H, W] in 0..1."""
    return np.asarray(alpha / np.maximum(areas.seen, np.float32(1e-6)), np.float32)


def rest_behind(alpha: NDArray[np.float32], areas: Areas, solid: NDArray[np.float32]) -> NDArray[np.float32]:
    """The share [H, W] of what is behind a surface that is seen; see ``lay_over``."""
    uncovered = np.where(solid > 0, areas.before / np.maximum(solid, np.float32(1e-6)), 1 - areas.seen)
    rest: NDArray[np.float32] = (1 - opacity_in(alpha, areas) * (1 - np.clip(uncovered, 0, 1))).astype(np.float32)
    return rest


def through(front: Picture, back: Picture, areas: Areas, far: Areas) -> Areas:
    """Put the near side of closed bodies over their far side, in place of that, with all that beauty is made of; gives the areas of
    both. They cover the same: what is seen of the far side is seen through the near one.
    """
    _lay(front, back, (1 - opacity_in(front.beauty[..., 3], areas)).astype(np.float32))
    return areas.together(far)


def lay_over(front: Picture, behind: Picture, areas: Areas, solid: NDArray[np.float32], *, gives: bool = True) -> None:
    """Put a see-through element over what is behind it, in place, with all that beauty is made of; one that ``gives`` nothing only
    weakens it.

    solid [H, W] is the area that opaque elements cover when nothing stands before them. What the element does not cover of them
    is not weakened by it: an opaque edge before a clear plate stays as it is. How see-through elements farther away share a
    pixel with that area is not known; they count as spread evenly over it.
    """
    rest = rest_behind(front.beauty[..., 3], areas, solid)
    if behind.held is not None:
        # What a hold-out hides stays hidden, but for what stands before it.
        behind.held[:] = behind.held * rest + (0 if gives else front.beauty[..., 3])
    _lay(front if gives else None, behind, rest)
    if gives:
        _stand(front, behind, areas)


def _stand(front: Picture, behind: Picture, areas: Areas) -> None:
    """Where something stands, however clear, and its depth, in place."""
    if behind.covered is not None:
        np.maximum(behind.covered, np.minimum(areas.seen + areas.before, 1), out=behind.covered)
    seen = areas.seen > 0
    behind.depth[seen] = np.minimum(behind.depth[seen], front.depth[seen])


def weaken(behind: Picture, rest: NDArray[np.float32]) -> None:
    """Leave only a share [H, W] of all that beauty is made of and of what hold-outs hide, in place."""
    if behind.held is not None:
        behind.held[:] *= rest
    _lay(None, behind, rest)


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
    _lay(own, behind, np.ones_like(weight))
    _stand(front, behind, areas)


def _lay(front: Picture | None, behind: Picture, rest: NDArray[np.float32]) -> None:
    """Over of Porter and Duff 1984 with all that beauty is made of, in place: what is behind is weakened to ``rest`` [H, W]."""
    touched = rest != 1
    if front is not None:
        touched |= front.beauty.any(axis=2)

    def over(upper: NDArray[np.float32] | None, lower: NDArray[np.float32]) -> None:
        with PARALLEL:
            _over(lower[:0] if upper is None else upper, rest, touched, lower)

    over(None if front is None else front.beauty, behind.beauty)
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
        more = front.data[..., SHARE] > behind.data[..., SHARE]
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
