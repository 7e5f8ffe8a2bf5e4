"""See-through elements: laid over what is behind them, one after the other, from far to near.

Each is drawn together with everything that is opaque, which hides what of it stands behind; of itself its nearest
surface is seen. Over of Porter and Duff 1984, in premultiplied linear light, area by area.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import parallel_kernel
from zeitbild.render.finish_row import opacity_of
from zeitbild.render.picture import Picture
from zeitbild.render.triangle_setup import TILE

if TYPE_CHECKING:
    from zeitbild.resolve.snapshot import Snapshot

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1


def see_through_places(snapshot: Snapshot) -> tuple[int, ...]:
    """Places of the elements that have a finish of less than full opacity, far to near by their middles."""
    places = [
        place
        for place, element in enumerate(snapshot.elements)
        if any(opacity_of(finish) < 1 for finish in element.finishes)
    ]
    if not places:
        return ()
    camera = snapshot.camera
    middles = {}
    for place in places:
        matrix = np.array(snapshot.elements[place].matrix).reshape(4, 4)
        vertices = snapshot.built_meshes[place].vertices
        middle = (vertices.min(axis=0) + vertices.max(axis=0)) / 2 if len(vertices) else np.zeros(3)
        middles[place] = float(camera.distance((matrix[:3, :3] @ middle + matrix[:3, 3])[None])[0])
    return tuple(sorted(places, key=lambda place: (-middles[place], place)))


@parallel_kernel
def areas_of(order, pixel, triangle, counts, firsts, width, share, finish_of, weights, seen):  # type: ignore[no-untyped-def]
    """Area of each pixel, into seen [H, W], that fragments cover whose finish has a weight [F] of 0 or more."""
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for row in range(top, min(top + _TILE, seen.shape[0])):
            for column in range(left, min(left + _TILE, width)):
                seen[row, column] = np.float32(0)
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            if weights[finish_of[triangle[f]]] >= 0:
                seen[top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)] += share[f]


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


@dataclass(frozen=True, slots=True, eq=False)
class Areas:
    """Of each pixel [H, W]: the area in which a see-through element is seen, and that in which something opaque is that it does
    not cover."""

    seen: NDArray[np.float32]
    before: NDArray[np.float32]


def lay_over(front: Picture, behind: Picture, areas: Areas, solid: NDArray[np.float32]) -> None:
    """Put a see-through element over what is behind it, in place, with all that beauty is made of.

    solid [H, W] is the area that opaque elements cover when nothing stands before them. What the element does not cover of them
    is not weakened by it: an opaque edge before a clear plate stays as it is. How see-through elements farther away share a
    pixel with that area is not known; they count as spread evenly over it.
    """
    opacity = front.beauty[..., 3] / np.maximum(areas.seen, np.float32(1e-6))
    uncovered = np.where(solid > 0, areas.before / np.maximum(solid, np.float32(1e-6)), 1 - areas.seen)
    rest = (1 - opacity * (1 - np.clip(uncovered, 0, 1)))[..., None]

    def over(upper: NDArray[np.float32], lower: NDArray[np.float32]) -> None:
        lower *= rest
        lower += upper

    over(front.beauty, behind.beauty)
    assert behind.covered is not None
    np.maximum(behind.covered, np.minimum(areas.seen + areas.before, 1), out=behind.covered)
    seen = areas.seen > 0
    behind.depth[seen] = np.minimum(behind.depth[seen], front.depth[seen])
    if front.planes is not None and behind.planes is not None:
        over(front.planes, behind.planes)
    for name, values in behind.groups.items():
        over(front.groups[name], values)
    if front.identities is not None and behind.identities is not None:
        _merge(front.identities, behind.identities, rest)


def _merge(front: NDArray[np.float32], behind: NDArray[np.float32], rest: NDArray[np.float32]) -> None:
    """Identities [H, W, 2, SLOTS, 2] of both, in place: those with the most coverage are kept."""
    slots = behind.shape[3]
    behind[..., 1] *= rest[..., None]
    both = np.concatenate([front, behind], axis=3)
    order = np.argsort(-both[..., 1], axis=3, kind="stable")[..., :slots]
    behind[:] = np.take_along_axis(both, order[..., None], axis=3)
    # Where nothing is covered there is no number.
    behind[..., 0][behind[..., 1] <= 0] = -1
