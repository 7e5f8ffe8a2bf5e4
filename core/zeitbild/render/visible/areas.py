"""Where what is wanted of a drawing is seen, and what something opaque takes before it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL, kernel, parallel_kernel
from zeitbild.render.picture import Picture
from zeitbild.render.visible.surface import surface_at
from zeitbild.render.visible.triangle_setup import TILE

_TILE = TILE
_surface_at = kernel(surface_at.py_func)
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_ZERO, _ONE, _LEAST = np.float32(0), np.float32(1), np.float32(1e-6)


@parallel_kernel
def areas_of(fragments, finish_of, weights, alpha, seen, before, cover):  # type: ignore[no-untyped-def]
    """Area of each pixel, into seen [H, W], that fragments cover whose finish has a weight [F] of 0 or more, and into cover [H, W]
    (or of no length) the same times that weight; into before [H, W] the rest of alpha [H, W]."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, share = fragments.pixel, fragments.triangle, fragments.share
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for row in range(top, min(top + _TILE, seen.shape[0])):
            for column in range(left, min(left + _TILE, width)):
                seen[row, column] = _ZERO
                if cover.shape[0] > 0:
                    cover[row, column] = _ZERO
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            weight = weights[finish_of[triangle[f]]]
            if weight >= 0:
                row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
                seen[row, column] += share[f]
                if cover.shape[0] > 0:
                    cover[row, column] += share[f] * weight
        for row in range(top, min(top + _TILE, seen.shape[0])):
            for column in range(left, min(left + _TILE, width)):
                before[row, column] = max(alpha[row, column] - seen[row, column], _ZERO)


@parallel_kernel
def depth_of_seen(fragments, surfaces, weights, eye, axis, nothing, depth):  # type: ignore[no-untyped-def]
    """Where fragments are hidden whose finish weighs less than 0: depth [H, W] of what is seen in the pixel besides them (at the
    middle of its samples), or nothing. axis [4] takes a point to its distance along the viewing axis."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, where, edges = fragments.pixel, fragments.triangle, fragments.where, fragments.edges
    places, normals, finish_of = surfaces
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        hides = False
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            if weights[finish_of[triangle[f]]] < 0:
                depth[top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)] = -nothing
                hides = True
        if not hides:
            continue
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
def drop_hidden(fragments, finish_of, weights, beside, moved):  # type: ignore[no-untyped-def]
    """Leave out fragments whose finish weighs less than 0, in place, but (beside) where a pixel has others, too; moved [n] gets the new number
    of each, -1 for none. All fragments of a pixel follow one another."""
    order, counts, firsts = fragments.order, fragments.counts, fragments.firsts
    pixel, triangle, share = fragments.pixel, fragments.triangle, fragments.share
    where, at = fragments.where, fragments.at
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        kept = firsts[tile]
        last, end = firsts[tile] + counts[tile], firsts[tile]
        while end < last:
            begin, own, others = end, pixel[end], False
            while end < last and pixel[end] == own:
                others = others or weights[finish_of[triangle[end]]] >= 0
                end += 1
            for f in range(begin, end):
                moved[f] = np.int32(-1)
                if not (others and (beside or weights[finish_of[triangle[f]]] >= 0)):
                    continue
                pixel[kept], triangle[kept], share[kept] = pixel[f], triangle[f], share[f]
                # Both may be the same array.
                x, y, across, down = where[f, 0], where[f, 1], at[f, 0], at[f, 1]
                where[kept, 0], where[kept, 1] = x, y
                at[kept, 0], at[kept, 1] = across, down
                moved[f] = np.int32(kept)
                kept += 1
        counts[tile] = kept - firsts[tile]


@dataclass(frozen=True, slots=True, eq=False)
class Before:
    """Light of what is opaque before a surface, in pixels in which that is seen, too: their numbers [M], rising, row by row; a picture of M
    rows, and the area [M] that is opaque."""

    numbers: NDArray[np.int64]
    picture: Picture
    area: NDArray[np.float32]

    def at(self, numbers: NDArray[np.int64]) -> tuple[NDArray[np.bool_], Picture, NDArray[np.float32]]:
        """Which of some pixels [N] it knows, the picture of these and the area; what others say is not told."""
        place = np.minimum(np.searchsorted(self.numbers, numbers), len(self.numbers) - 1)
        picture = self.picture.taken(place, np.zeros_like(place))
        return self.numbers[place] == numbers, picture, self.area[place]


@dataclass(frozen=True, slots=True, eq=False)
class Areas:
    """Of each pixel [H, W]: the area in which what is wanted is seen, and that in which something opaque is that it does not cover.

    tiles are those in which it may be seen, if that is known; elsewhere nothing is told of what is opaque. fade [H, W] is how much is
    there of what is seen where only a part of it is (``shade/coverage.py``): what is opaque behind it shows through the rest.
    """

    seen: NDArray[np.float32]
    before: NDArray[np.float32]
    tiles: NDArray[np.int64] | None = None
    fade: NDArray[np.float32] | None = None
    #: The area over which what is wanted stretches, there or not; None: that in which it is seen.
    over: NDArray[np.float32] | None = None
    #: Of several surfaces one behind the other (None: it is one): how much all of them let through, and the sum of what each has before it,
    #: times how opaque it is, times how much those nearer let through. Of an area A that is opaque they leave A times the one and the other.
    passing: tuple[NDArray[np.float32], NDArray[np.float32]] | None = None
    #: What is opaque before, as layers have it that have it in other roles.
    opaque: tuple[Before, ...] = ()

    def faded(self, gone: NDArray[np.float32]) -> Areas:
        """The same where ``gone`` [H, W] (of no length: nothing) of each pixel is covered by what is not there."""
        if not len(gone):
            return self
        # Where nothing was drawn these are no numbers, and nobody asks for them.
        with np.errstate(all="ignore"):
            over = self.seen + gone
            fade = self.seen / np.maximum(over, np.float32(1e-6))
        return replace(self, fade=fade.astype(np.float32), over=over.astype(np.float32))

    def in_rows(self, rows: slice) -> Areas:
        """Those of some rows, one pixel after the other."""
        fade = None if self.fade is None else self.fade[rows].reshape(-1)
        return Areas(self.seen[rows].reshape(-1), self.before[rows].reshape(-1), None, fade)

    def at(self, pixels: tuple[NDArray[np.int64], NDArray[np.int64]]) -> Areas:
        """Those of some pixels, rows and columns [M], as a picture of M rows; tiles are left out of account."""

        def some(one: NDArray[np.float32]) -> NDArray[np.float32]:
            return np.ascontiguousarray(one[pixels][:, None])

        fade, over = (None if one is None else some(one) for one in (self.fade, self.over))
        passing = None if self.passing is None else (some(self.passing[0]), some(self.passing[1]))
        return Areas(some(self.seen), some(self.before), None, fade, over, passing)

    @property
    def reach(self) -> NDArray[np.float32]:
        """The area over which what is wanted stretches, there or not."""
        return self.seen if self.over is None else self.over

    def whole(self) -> Areas:
        """The same as if all of it were there: what is behind it and belongs to it fills what is not."""
        return self if self.fade is None else replace(self, seen=self.reach, fade=None, over=None)

    def tiles_in(self, shape: tuple[int, ...]) -> NDArray[np.int64]:
        """The tiles in which it may be seen, of a picture of that shape."""
        return every_tile(shape) if self.tiles is None else self.tiles

    def together(self, far: Areas) -> Areas:
        """Those of the near and the far side of closed bodies, which cover the same."""
        fade = self.fade if far.fade is None or self.fade is None else np.maximum(self.fade, far.fade)
        over = None if self.over is None and far.over is None else np.maximum(self.reach, far.reach)
        return replace(
            self,
            seen=np.maximum(self.seen, far.seen),
            before=np.minimum(self.before, far.before),
            fade=fade,
            over=over,
        )


def every_tile(shape: tuple[int, ...]) -> NDArray[np.int64]:
    """The numbers of all tiles of a picture [H, W]."""
    return np.arange(-(-shape[0] // TILE) * -(-shape[1] // TILE), dtype=np.int64)


def pixels_in(tiles: NDArray[np.int64], shape: tuple[int, ...]) -> NDArray[np.bool_]:
    """Which pixels [H, W] lie in some tiles."""
    height, width = shape
    rows, columns = -(-height // TILE), -(-width // TILE)
    found = np.zeros(rows * columns, np.bool_)
    found[tiles] = True
    return np.repeat(np.repeat(found.reshape(rows, columns), TILE, axis=0), TILE, axis=1)[:height, :width]


@parallel_kernel
def _pass(order, beauty, reach, before, clear, passed):  # type: ignore[no-untyped-def]
    """``Areas.passing`` of surfaces, clear and passed [H, W], with another one before them: in place."""
    columns = (reach.shape[1] + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        top, left = (order[turn] // columns) * _TILE, (order[turn] % columns) * _TILE
        for y in range(top, min(top + _TILE, reach.shape[0])):
            for x in range(left, min(left + _TILE, reach.shape[1])):
                opacity = min(max(beauty[y, x, 3] / max(reach[y, x], _LEAST), _ZERO), _ONE)
                passed[y, x] = opacity * before[y, x] + (_ONE - opacity) * passed[y, x]
                clear[y, x] *= _ONE - opacity


class Passing:
    """What surfaces one behind the other, put in from far to near, leave of what is opaque (``Areas.passing``)."""

    def __init__(self, shape: tuple[int, ...]) -> None:
        self.clear, self.before = np.ones(shape, np.float32), np.zeros(shape, np.float32)

    def put_before(self, front: Picture, areas: Areas) -> None:
        """Put a surface before those that there are."""
        tiles = areas.tiles_in(areas.seen.shape)
        with PARALLEL:
            PARALLEL.by_parts(_pass, tiles, front.beauty, areas.reach, areas.before, self.clear, self.before)


def opacity_in(alpha: NDArray[np.float32], areas: Areas) -> NDArray[np.float32]:
    """How opaque a surface is where it is, from its alpha in the whole pixel, both [H, W] in 0..1."""
    return np.asarray(alpha / np.maximum(areas.seen, np.float32(1e-6)), np.float32)


def rest_behind(alpha: NDArray[np.float32], areas: Areas, solid: NDArray[np.float32]) -> NDArray[np.float32]:
    """The share [H, W] of what is behind a surface that is seen; see ``lay_over``."""
    behind = areas.before / np.maximum(solid, np.float32(1e-6))
    if areas.fade is not None:
        behind = 1 - (1 - behind) * areas.fade
    uncovered = np.where(solid > 0, behind, 1 - areas.seen)
    rest: NDArray[np.float32] = (1 - opacity_in(alpha, areas) * (1 - np.clip(uncovered, 0, 1))).astype(np.float32)
    return rest


def rest_of_veil(
    alpha: NDArray[np.float32], areas: Areas, before: NDArray[np.float32] | None = None
) -> NDArray[np.float32]:
    """The share [H, W] of see-through things behind a surface that is seen: they lie where nothing opaque stands before them, which leaves
    an area ``before`` of each pixel (None: as before the surface), spread evenly over that."""
    room = np.maximum(1 - (areas.before if before is None else before), np.float32(1e-6))
    covered = np.minimum(areas.seen / room, 1)
    return np.asarray(1 - opacity_in(alpha, areas) * covered, np.float32)
