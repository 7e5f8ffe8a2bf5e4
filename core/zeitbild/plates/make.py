"""Makes the shipped footage: ``python -m zeitbild.plates.make``."""

from __future__ import annotations

import io
import math
import zipfile
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

#: Pictures of the sea, and its size; samples a pixel along each side.
PICTURES, WIDE, HIGH, _SAMPLES = 24, 640, 360, 4
#: Bands from far to near: colour, height of the crest from above, how high waves are, how many stand side by side, how far they run in a cycle.
_BANDS = (
    ("#5f8fa3", 0.40, 0.010, 9, 1),
    ("#4a7d94", 0.47, 0.016, 7, -1),
    ("#376a83", 0.56, 0.024, 5, 1),
    ("#275670", 0.68, 0.034, 4, -1),
    ("#1a425b", 0.82, 0.045, 3, 1),
)
_FOAM = "#dfe9ea"


def _rgb(colour: str) -> NDArray[np.float64]:
    return np.array([int(colour[at : at + 2], 16) for at in (1, 3, 5)], np.float64)


def sea(number: int) -> NDArray[np.uint8]:
    """One picture [H, W, 4] of the sea, colours beside their alpha; after ``PICTURES`` it begins anew."""
    phase = number / PICTURES
    height, width = HIGH * _SAMPLES, WIDE * _SAMPLES
    x = (np.arange(width) + 0.5) / width
    y = ((np.arange(height) + 0.5) / height)[:, None]
    colour = np.zeros((height, width, 3))
    alpha = np.zeros((height, width))
    for hue, crest, high, count, way in _BANDS:
        swing = np.sin(2 * math.pi * (count * x + way * phase)) + 0.35 * np.sin(
            2 * math.pi * (2 * count * x - way * phase)
        )
        edge = crest + high * swing + 0.25 * high * math.sin(2 * math.pi * phase)
        below = y > edge
        foam = below & (y < edge + 0.16 * high)
        colour[below] = _rgb(hue)
        colour[foam] = 0.55 * _rgb(_FOAM) + 0.45 * _rgb(hue)
        alpha[below] = 1
    shape = (HIGH, _SAMPLES, WIDE, _SAMPLES)
    share = alpha.reshape(shape).mean(axis=(1, 3))
    mean = (colour * alpha[..., None]).reshape(*shape, 3).mean(axis=(1, 3)) / np.maximum(share, 1e-9)[..., None]
    return np.concatenate([mean, share[..., None] * 255], axis=2).round().astype(np.uint8)


def lamp() -> NDArray[np.uint8]:
    """A picture [H, W, 3] of all directions: panes of warm glass between bars of brass."""
    high, wide, panes, rings = 256, 512, 8, 3
    y, x = np.mgrid[:high, :wide] + 0.5
    across, down = (x / wide * panes) % 1, y / high
    bars = np.minimum(across, 1 - across) * wide / panes < 5
    level = np.minimum.reduce([np.abs(down - (at + 1) / (rings + 1)) * high for at in range(rings)]) < 4
    caps = (down < 0.09) | (down > 0.91)
    glow = 0.55 + 0.45 * np.cos((across - 0.5) * math.pi) * np.sin(down * math.pi)
    glass = np.array([255, 214, 120]) * glow[..., None]
    brass = np.array([150, 104, 38]) * (0.8 + 0.2 * np.sin(down * 9)[..., None])
    picture: NDArray[np.uint8] = np.where((bars | level | caps)[..., None], brass, glass).clip(0, 255).astype(np.uint8)
    return picture


def _png(pixels: NDArray[np.uint8]) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG", optimize=True)
    return out.getvalue()


def main() -> None:
    """Write them beside this file."""
    folder = Path(__file__).parent
    with zipfile.ZipFile(folder / "sea.zip", "w", zipfile.ZIP_STORED) as packed:
        for number in range(PICTURES):
            packed.writestr(zipfile.ZipInfo(f"sea.{number + 1:04d}.png", (1980, 1, 1, 0, 0, 0)), _png(sea(number)))
    (folder / "lamp.png").write_bytes(_png(lamp()))


if __name__ == "__main__":
    main()
