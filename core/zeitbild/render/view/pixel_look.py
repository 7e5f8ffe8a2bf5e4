"""Pixel look: a small raster where a pixel belongs to a surface or does not, enlarged by whole numbers."""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.colour import encode
from zeitbild.kernels import parallel_kernel
from zeitbild.render.picture import NO_DEPTH
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.snapshot.look import PixelLook, Triple

_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)


@parallel_kernel
def harden(fragments, alpha):  # type: ignore[no-untyped-def]
    """Give each pixel to the fragment that covers most of it, whole, if half of the pixel is covered; else to none."""
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, share = fragments.pixel, fragments.share
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        held = np.full(_TILE * _TILE, -1, np.int32)
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            now = held[pixel[f]]
            if now < 0 or share[f] > share[now]:
                held[pixel[f]] = f
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            share[f] = _ONE if held[pixel[f]] == f and alpha[row, column] >= _HALF else _ZERO
        for row in range(top, min(top + _TILE, alpha.shape[0])):
            for column in range(left, min(left + _TILE, width)):
                alpha[row, column] = _ONE if alpha[row, column] >= _HALF else _ZERO


def _lab(linear: NDArray[np.float64]) -> NDArray[np.float64]:
    """Perceptual coordinates [..., 3] of linear sRGB: Ottosson 2020, A perceptual color space for image processing."""
    cone = linear @ np.array(
        [
            [0.4122214708, 0.2119034982, 0.0883024619],
            [0.5363325363, 0.6806995451, 0.2817188376],
            [0.0514459929, 0.1073969566, 0.6299787005],
        ]
    )
    root = np.cbrt(np.maximum(cone, 0))
    lab: NDArray[np.float64] = root @ np.array(
        [
            [0.2104542553, 1.9779984951, 0.0259040371],
            [0.7936177850, -2.4285922050, 0.7827717662],
            [-0.0040720468, 0.4505937099, -0.8086757660],
        ]
    )
    return lab


def nearest_of(palette: tuple[Triple, ...], colours: NDArray[np.float32]) -> NDArray[np.float32]:
    """The palette's colour that looks nearest to each linear colour [n, 3]; the earlier one where two are as near."""
    known = np.asarray(palette, np.float64)
    gaps = ((_lab(np.clip(colours, 0, 1).astype(np.float64))[:, None] - _lab(known)[None]) ** 2).sum(axis=2)
    chosen: NDArray[np.float32] = known[gaps.argmin(axis=1)].astype(np.float32)
    return chosen


def palette_of(beauty: NDArray[np.float32], count: int) -> list[str]:
    """At most ``count`` sRGB colours ``#rrggbb`` that stand for the solid pixels of a picture, dark to light."""
    from PIL import Image

    solid = beauty[beauty[..., 3] >= 0.5]
    if not len(solid):
        return []
    straight = np.clip(solid[:, :3] / solid[:, 3:], 0, 1)
    codes = (encode(straight) * 255 + 0.5).astype(np.uint8)
    small = Image.fromarray(codes.reshape(1, -1, 3)).quantize(count, method=Image.Quantize.MEDIANCUT)
    colours = np.asarray(small.getpalette(), np.uint8).reshape(-1, 3)
    used = colours[np.unique(np.asarray(small))]
    ordered = sorted(
        {tuple(int(v) for v in colour) for colour in used},
        key=lambda c: (0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2], c),
    )
    return [f"#{r:02x}{g:02x}{b:02x}" for r, g, b in ordered]


def finish_pixels(look: PixelLook, beauty: NDArray[np.float32], depth: NDArray[np.float32]) -> None:
    """Palette and outline of a small picture, in place: beauty [H, W, 4] with alpha 0 or 1, depth [H, W]."""
    solid = beauty[..., 3] > 0
    depth[~solid] = NO_DEPTH
    if look.palette and solid.any():
        beauty[solid, :3] = nearest_of(look.palette, beauty[solid, :3])
    if look.outline is not None:
        near = np.full(depth.shape, np.float32(NO_DEPTH))
        for here, there in (
            (np.s_[1:], np.s_[:-1]),
            (np.s_[:-1], np.s_[1:]),
            (np.s_[:, 1:], np.s_[:, :-1]),
            (np.s_[:, :-1], np.s_[:, 1:]),
        ):
            near[here] = np.minimum(near[here], depth[there])
        rim = ~solid & (near < NO_DEPTH)
        beauty[rim] = (*look.outline, 1.0)
        depth[rim] = near[rim]


def enlarge(values: NDArray[np.float32], by: int) -> NDArray[np.float32]:
    """Each pixel of [H, W, ...] as a square of ``by`` pixels a side."""
    return np.ascontiguousarray(np.repeat(np.repeat(values, by, axis=0), by, axis=1))
