"""What each sample of each pixel sees: triangles rasterised by homogeneous edge functions.

Olano and Greer 1997, Triangle Scan Conversion using 2D Homogeneous Coordinates: edge functions come from cross
products of homogeneous corners, so triangles that reach behind the camera need no clipping, and the functions of an
edge shared by two triangles are exact negatives of each other, so that no sample falls between them.

The result is a list of fragments for each tile: one for each pixel and surface seen there, with the share of the
pixel's samples it covers. Shading works on fragments, so it does not depend on the number of samples.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.visible.edge_kernel import sharpen_edges, spread_marks
from zeitbild.render.visible.tile_kernel import RASTERISERS, RASTERISERS_AGAIN, RASTERISERS_DEEP, RASTERISERS_DEEP_AGAIN
from zeitbild.render.visible.triangle_setup import STRETCHES, TILE, Bins, count_bins, fill_bins, set_up
from zeitbild.render.world.buffers import kept

#: Depth where nothing is, as the tile kernel writes it.
_NOTHING = np.float32(1e10)
#: Fragments that a tile has room for at first, per pixel; doubled when a tile needs more.
_ROOM = 2


class Fragments(NamedTuple):
    """Fragments of all tiles, as kernels take them; good until the next ``rasterise``. Tile t owns counts[t] entries of each array from
    firsts[t] on.

    order    [tiles] int64, the tiles, as threads should take them to be equally busy; a kernel may get some of them
    pixel    [n] int32, place in the tile, row * TILE + column
    triangle [n] int32
    share    [n] float32, covered share of the pixel in (0, 1]
    where    [n, 2] float32, mean position of the covered samples in pixels from the picture's corner
    counts   [tiles] int32
    firsts   [tiles or more] int64
    edges    [T, 9] float64, homogeneous edge functions (three coefficients for each corner), for interpolation; they
             are of ``where``, which is not a place of the picture when these are fragments of a stretch (``sweeping``)
    at       [n, 2] float32, where in the picture they were seen: where it is not a stretch, the same array as ``where``
    width    of the picture
    """

    order: NDArray[np.int64]
    pixel: NDArray[np.int32]
    triangle: NDArray[np.int32]
    share: NDArray[np.float32]
    where: NDArray[np.float32]
    counts: NDArray[np.int32]
    firsts: NDArray[np.int64]
    edges: NDArray[np.float64]
    at: NDArray[np.float32]
    width: int


@dataclass(frozen=True, slots=True, eq=False)
class Drawing:
    """Triangles set up and sorted into tiles, from which fragments are drawn; see ``rasterise``."""

    edges: NDArray[np.float64]
    bins: Bins
    patches: NDArray[np.int32]
    facing: NDArray[np.float32]
    near: float
    samples: int
    alpha: NDArray[np.float32]
    depth: NDArray[np.float32]
    marks: NDArray[np.uint8]
    #: Triangles [T] (not 0) of which so many surfaces are taken away; of no length: none.
    own: NDArray[np.uint8]
    passed: int = 0

    def fragments(
        self, firsts: NDArray[np.int64], name: str, sides: NDArray[np.uint8], tiles: NDArray[np.int64]
    ) -> tuple[Fragments, int]:
        """Fragments of some tiles into arrays that ``name`` tells apart, and the most that a tile would need.

        sides [H, W] tells which pixels to draw again and into how many cells a side they are cut, or has no length: all
        are drawn, for the first time.
        """
        width = self.alpha.shape[1]
        total = int(firsts[-1])
        pixel, triangle = kept(name + "pixel", (total,), np.int32), kept(name + "triangle", (total,), np.int32)
        share, where = kept(name + "share", (total,), np.float32), kept(name + "where", (total, 2), np.float32)
        counts = np.zeros(len(firsts) - 1, np.int32)
        found = Fragments(tiles, pixel, triangle, share, where, counts, firsts, self.edges, where, width)
        if self.passed:
            rasterisers = RASTERISERS_DEEP_AGAIN if len(sides) else RASTERISERS_DEEP
        else:
            rasterisers = RASTERISERS_AGAIN if len(sides) else RASTERISERS
        PARALLEL.by_parts(
            rasterisers[self.samples],
            found,
            self.bins,
            self.patches,
            self.facing,
            self.near,
            self.marks,
            self.alpha,
            self.depth,
            sides,
            self.own,
            self.passed,
        )
        return found, int(counts.max(initial=0))

    def again(self, sides: NDArray[np.uint8]) -> Fragments:
        """Fragments of the pixels that are wanted again (see ``fragments``), good until the next call."""
        height, width = sides.shape
        columns, rows = -(-width // TILE), -(-height // TILE)
        whole = np.zeros((rows * TILE, columns * TILE), np.int32)
        whole[:height, :width] = sides.astype(np.int32) ** 2
        cells = whole.reshape(rows, TILE, columns, TILE).sum(axis=(1, 3)).reshape(-1)
        wanted = (whole.reshape(rows, TILE, columns, TILE) > 0).sum(axis=(1, 3)).reshape(-1)
        # At most a fragment for each sample; most cells hold one surface.
        room = np.minimum(cells + cells // 2 + 4 * wanted, self.samples * wanted)
        while True:
            firsts = np.concatenate([[0], np.cumsum(room)]).astype(np.int64)
            found, _ = self.fragments(firsts, "again ", sides, spread(len(room)))
            if (found.counts <= room).all():
                return found
            room = np.where(found.counts > room, self.samples * wanted, room)


def tiles_around(boxes: NDArray[np.float64], width: int, height: int) -> NDArray[np.bool_]:
    """Which tiles of a picture some boxes [n, 4] (left, top, right, bottom in pixels) reach into."""
    columns, rows = -(-width // TILE), -(-height // TILE)
    left, top, right, bottom = boxes[
        (boxes[:, 2] >= 0) & (boxes[:, 3] >= 0) & (boxes[:, 0] <= width) & (boxes[:, 1] <= height)
    ].T
    # Cut off before they become whole numbers: they may be infinite.
    first_column, last_column = (np.clip(x, 0, width - 1).astype(np.int64) // TILE for x in (left, right))
    first_row, last_row = (np.clip(y, 0, height - 1).astype(np.int64) // TILE for y in (top, bottom))
    # A corner of each box adds or takes away one; summed up both ways that is how many boxes reach into a tile.
    corners = np.zeros((rows + 1, columns + 1), np.int64)
    np.add.at(corners, (first_row, first_column), 1)
    np.add.at(corners, (last_row + 1, last_column + 1), 1)
    np.add.at(corners, (first_row, last_column + 1), -1)
    np.add.at(corners, (last_row + 1, first_column), -1)
    return (corners.cumsum(axis=0).cumsum(axis=1)[:rows, :columns] > 0).reshape(-1)


def spread(count: int) -> NDArray[np.int64]:
    """Numbers below ``count`` in steps of the golden section: any stretch of them samples the whole picture evenly.

    Threads get stretches of equal length; without this one thread would get the full half of a picture.
    """
    step = max(1, int(count * 0.618))
    while math.gcd(step, count) > 1:
        step += 1
    return np.arange(count, dtype=np.int64) * step % count


def sorted_into_tiles(
    corners: NDArray[np.float64],
    order: NDArray[np.float64],
    triangles: NDArray[np.int32],
    cull: NDArray[np.int8],
    drawn: NDArray[np.int32] | None,
    least_w: float,
    width: int,
    height: int,
) -> tuple[NDArray[np.float64], Bins]:
    """Edge functions [T, 9] of triangles, and those triangles sorted into tiles; see ``rasterise``. Good until the next call. Hold
    ``kernels.PARALLEL``."""
    count = len(triangles)
    edges, scaled = kept("edges", (count, 9), np.float64), kept("scaled", (count, 12), np.float64)
    boxes = kept("boxes", (count, 4), np.int32)
    which = np.arange(count, dtype=np.int32) if drawn is None else drawn
    set_up(which, corners, order, triangles, cull, least_w, width, height, edges, scaled, boxes)
    columns, rows = -(-width // TILE), -(-height // TILE)
    # Tile by tile, and within a tile stretch by stretch: that keeps the triangles' order.
    places = np.zeros((columns * rows, STRETCHES), np.int64)
    count_bins(which, boxes, columns, places)
    ends = np.cumsum(places).reshape(places.shape)
    places = ends - places
    starts = np.append(places[:, 0], ends[-1, -1])
    members = np.empty(int(starts[-1]), np.int32)
    fill_bins(which, boxes, columns, places, members)
    return edges, Bins(scaled, boxes, starts, members)


def rasterise(
    corners: NDArray[np.float64],
    order: NDArray[np.float64],
    triangles: NDArray[np.int32],
    cull: NDArray[np.int8],
    patches: NDArray[np.int32],
    facing: NDArray[np.float32],
    *,
    near: float,
    least_w: float,
    width: int,
    height: int,
    samples: int,
    edges_exactly: bool = False,
    depth: NDArray[np.float32] | None = None,
    within: NDArray[np.bool_] | None = None,
    drawn: NDArray[np.int32] | None = None,
    own: NDArray[np.uint8] | None = None,
    passed: int = 0,
) -> tuple[Fragments, NDArray[np.float32], Drawing]:
    """Fragments, alpha [H, W] in 0..1 and (in the drawing) depth [H, W] of triangles over homogeneous corners [V, 3].

    order [V] and near are what depths go by (``camera.DepthScale``), and depth has to be read by it; corners whose w is
    not above least_w are behind the camera.
    cull [T] tells which triangles are left out (``triangle_setup``); patches [T] and facing [T, 3] (unit normals)
    tell which samples share a shading. With edges_exactly the alpha of pixels covered in part, and of those beside them, is
    the area that is covered (``edge_kernel``). depth is where depths are written, if it is given. within [tiles]: nothing is
    drawn but in those tiles; elsewhere it is as if nothing were there. drawn are the numbers of the triangles that are there, rising, if
    it is not all of them. Of those that are own [T] (not 0) each sample sees what stands behind so many surfaces of them, passed; then
    what covers a pixel in part is counted from samples. Hold ``kernels.PARALLEL``. Float32 outputs;
    depth as in ``Picture``.
    """
    edges, bins = sorted_into_tiles(corners, order, triangles, cull, drawn, least_w, width, height)
    columns, rows = -(-width // TILE), -(-height // TILE)
    alpha = kept("alpha", (height, width), np.float32)
    if depth is None:
        depth = np.empty((height, width), np.float32)
    marks = kept("marks", (height, width), np.uint8)
    tiles = spread(columns * rows)
    if within is not None:
        tiles = tiles[within[tiles]]
        for values, nothing in ((alpha, 0), (depth, _NOTHING), (marks, 0)):
            values.fill(nothing)
    which_own = np.empty(0, np.uint8) if own is None else own
    drawing = Drawing(
        edges,
        bins,
        patches,
        facing,
        near,
        samples,
        alpha,
        depth,
        marks,
        which_own,
        passed,
    )
    room = TILE * TILE * _ROOM
    while True:
        firsts = np.arange(columns * rows + 1, dtype=np.int64) * room
        fragments, most = drawing.fragments(firsts, "", np.empty((0, width), np.uint8), tiles)
        if most <= room:
            break
        room = max(2 * room, most)
    if edges_exactly and not passed:
        spread_marks(alpha.view(np.int32), marks)
        PARALLEL.by_parts(
            sharpen_edges,
            fragments,
            drawing.bins,
            marks,
            alpha,
            depth,
        )
    return fragments, alpha, drawing
