"""What a filter changed, as pixels: parts of a drawing that lie beside one another are laid down as a picture, and that is filtered."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.drawing.filtering import Pixels, filtered
from zeitbild.geometry.drawing.filters import Filter
from zeitbild.geometry.drawing.gradient import Painting

Floats = NDArray[np.float64]

#: Pixels along the longer side, at least and at most; and of the longer side of what is as large as the drawing, if only soft things are in
#: it, or what has the filter, too.
_FEWEST, _MOST, _SOFT_SIDE, _SHARP_SIDE = 96, 3000, 1024, 2048
#: Pixels beyond which outlines are not followed.
_FAR = 30_000
#: Finer than its pixels in which it is told what lies inside an outline, and steps of those.
_FINER, _SHIFT = 4, 6
#: Alpha that counts as nothing.
_NOTHING = 1 / 1024


@dataclass(frozen=True, slots=True, eq=False)
class Raster(Painting):
    """Premultiplied encoded pixels [H, W, 4] over a box [2, 2] of a drawing, y up; below tells whether what has the filter stands on it,
    unchanged."""

    pixels: Pixels
    box: Floats
    side: int
    below: bool

    @classmethod
    def nothing(cls, corners: Floats) -> Raster:
        """Below what has the filter nothing is."""
        return cls(np.zeros((1, 1, 4), np.float32), np.stack([corners.min(axis=0), corners.max(axis=0)]), 1, True)

    def at(self, points: Floats) -> Floats:
        """See ``Painting.at``; nothing is outside of the box."""
        import cv2  # a quarter of a second at the start, which few drawings need

        low, high = self.box
        height, width = self.pixels.shape[:2]
        x = ((points[..., 0] - low[0]) / (high[0] - low[0]) * width - 0.5).astype(np.float32)
        y = ((high[1] + points[..., 1]) / (high[1] - low[1]) * height - 0.5).astype(np.float32)
        # The pixels of a picture are looked up in rows.
        shape = x.shape
        x, y = (np.ascontiguousarray(one.reshape(-1, shape[-1])) for one in (x, y))
        found = cv2.remap(self.pixels, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
        straight: Floats = np.asarray(found, np.float64).reshape(*shape, 4)
        straight[..., :3] /= np.maximum(straight[..., 3:], 1e-6)
        return straight

    @property
    def mean(self) -> tuple[float, tuple[float, float, float]]:
        """How much it hides in the mean, and its colour where it does."""
        alpha = float(self.pixels[..., 3].mean())
        red, green, blue = (float(one) for one in self.pixels[..., :3].mean(axis=(0, 1)) / max(alpha, 1e-6))
        return alpha, (min(red, 1.0), min(green, 1.0), min(blue, 1.0))


def _inside(rings: Sequence[Floats], width: int, height: int) -> NDArray[np.float32]:
    """How much of each pixel [height, width] lies inside rings of points in pixels, by the even-odd rule."""
    import cv2

    mask = np.zeros((height * _FINER, width * _FINER), np.uint8)
    # Pixels of that mask are filled by their middles.
    kept = [np.clip(ring, -_FAR, _FAR) for ring in rings]
    steps = [np.round((ring * _FINER - 0.5) * (1 << _SHIFT)).astype(np.int32) for ring in kept]
    cv2.fillPoly(mask, steps, 255, shift=_SHIFT)
    found = cv2.resize(mask, (width, height), interpolation=cv2.INTER_AREA)
    return np.asarray(found, np.float32) / np.float32(255)


def raster(
    parts: Iterable[tuple[Sequence[Floats], Painting]], own: Filter, within: Floats, extent: float, below: bool
) -> Raster | None:
    """What a filter makes of parts, each of rings of points of the drawing (y up) with what fills it. within [2, 2] is a box beyond which nobody
    sees anything, extent how large the drawing is; below as in ``Raster``. None if nothing is left."""
    parts, side = list(parts), _SOFT_SIDE if below else _SHARP_SIDE
    corners = own.corners
    # What is seen of it may come from as far beyond, but not from so far that too few pixels would be left for it.
    reach = min(own.reach, float((within[1] - within[0]).max()))
    low = np.maximum(corners.min(axis=0), within[0] - reach)
    high = np.minimum(corners.max(axis=0), within[1] + reach)
    if parts and not own.fills:
        points = np.concatenate([ring for rings, _ in parts for ring in rings])
        low, high = np.maximum(low, points.min(axis=0) - reach), np.minimum(high, points.max(axis=0) + reach)
    longest = float((high - low).max())
    if not (high > low).all() or not np.isfinite(np.concatenate([low, high, own.onto.reshape(-1)])).all():
        return None
    pixels = min(max(side * (longest / extent) ** 0.75, _FEWEST), _MOST) / longest
    pixels = min(pixels, math.sqrt(own.pixels / float((high - low).prod())))
    width, height = (min(max(2, math.ceil(one)), 2 * _MOST) for one in (high - low) * pixels)
    high = np.array([low[0] + width / pixels, high[1]])
    low = np.array([low[0], high[1] - height / pixels])

    def placed(ring: Floats) -> Floats:
        return np.asarray((ring - (low[0], high[1])) * (pixels, -pixels))

    source = np.zeros((height, width, 4), np.float32)
    for rings, painting in parts:
        _lay(source, [placed(ring) for ring in rings], painting, low[0], high[1], pixels)
    upright = all(min(abs(a - b)) < 1e-9 * longest for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True))
    inside = None if upright else _inside([placed(corners)], width, height)
    made = filtered(source, own.steps, own.onto * pixels, inside)
    there = made[..., 3] > _NOTHING
    if not there.any():
        return None
    rows, columns = np.flatnonzero(there.any(axis=1)), np.flatnonzero(there.any(axis=0))
    top, bottom = max(int(rows[0]) - 1, 0), min(int(rows[-1]) + 2, height)
    left, right = max(int(columns[0]) - 1, 0), min(int(columns[-1]) + 2, width)
    box = np.array(
        [[low[0] + left / pixels, high[1] - bottom / pixels], [low[0] + right / pixels, high[1] - top / pixels]]
    )
    return Raster(np.ascontiguousarray(made[top:bottom, left:right]), box, side, below)


def _lay(source: Pixels, rings: list[Floats], painting: Painting, x: float, y: float, pixels: float) -> None:
    """Add what fills rings (in pixels) to a picture of which the upper left corner lies at a place of the drawing (y up)."""
    height, width = source.shape[:2]
    points = np.concatenate(rings)
    left, top = (max(int(np.floor(one)) - 1, 0) for one in points.min(axis=0))
    right, bottom = (int(np.ceil(one)) + 1 for one in points.max(axis=0))
    right, bottom = min(right, width), min(bottom, height)
    if right <= left or bottom <= top:
        return
    covered = _inside([ring - (left, top) for ring in rings], right - left, bottom - top)
    across = x + (np.arange(left, right) + 0.5) / pixels
    down = -y + (np.arange(top, bottom) + 0.5) / pixels
    values = painting.at(np.stack(np.meshgrid(across, down), axis=-1))
    alpha = (values[..., 3] * covered).astype(np.float32)
    own = source[top:bottom, left:right]
    own[..., :3] += values[..., :3].astype(np.float32) * alpha[..., None]
    own[..., 3] += alpha
    np.minimum(own, 1, out=own)
