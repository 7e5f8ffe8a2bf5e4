"""One pixel, read in every way that a receiver might read it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from zeitbild.alpha import unpremultiply
from zeitbild.colour import encode
from zeitbild.errors import InputError
from zeitbild.render.picture import NO_DEPTH, Picture

Four = tuple[float, float, float, float]


@dataclass(frozen=True, slots=True)
class Probe:
    """Values of a pixel: linear floats and 8-bit sRGB codes, straight and premultiplied; depth or None.

    Premultiplied codes are the straight codes times alpha, as files with premultiplied 8-bit colour hold them.
    """

    x: int
    y: int
    straight: Four
    premultiplied: Four
    straight_8: tuple[int, int, int, int]
    premultiplied_8: tuple[int, int, int, int]
    depth: float | None


def probe(picture: Picture, x: int, y: int) -> Probe:
    """Read pixel (x, y) of the raster, row 0 at the top, or one of its overscan, which lies around it; InputError outside of both."""
    margin = picture.margin
    width, height = (side - 2 * margin for side in picture.size)
    if not (-margin <= x < width + margin and -margin <= y < height + margin):
        around = f" and its overscan of {margin}" if margin else ""
        raise InputError(f"pixel ({x}, {y}) is outside the raster of {width} × {height}{around}")
    row, column = y + margin, x + margin
    value = picture.beauty[row, column].astype(np.float64)
    straight = unpremultiply(value)
    encoded = encode(np.clip(straight[:3], 0, 1))
    alpha = float(np.clip(value[3], 0, 1))
    codes = [int(code * 255 + 0.5) for code in encoded] if int(alpha * 255 + 0.5) else [0, 0, 0]
    multiplied = [int(code * alpha * 255 + 0.5) for code in encoded]
    depth = float(picture.depth[row, column])
    return Probe(
        x,
        y,
        tuple(float(v) for v in straight),  # type: ignore[arg-type]
        tuple(float(v) for v in value),  # type: ignore[arg-type]
        (codes[0], codes[1], codes[2], int(alpha * 255 + 0.5)),
        (multiplied[0], multiplied[1], multiplied[2], int(alpha * 255 + 0.5)),
        None if depth >= NO_DEPTH else depth,
    )
