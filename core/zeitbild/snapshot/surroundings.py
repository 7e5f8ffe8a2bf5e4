"""What is all around the set: by a formula, or a picture."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from zeitbild.snapshot.lights import Softbox

#: Rows and columns of directions at least that a picture gives, however few pixels it has.
_LEAST = 32


@dataclass(frozen=True, slots=True)
class SkyPicture:
    """A latitude-longitude picture of all that is around, known by the digest of its file.

    sizes are the same picture [H, W, 3], linear, with fewer and fewer pixels, by area: top row straight up, the middle of the picture in
    front (+z), what is to the right of it towards -x, as seen from the set.
    """

    digest: str
    sizes: tuple[NDArray[np.float32], ...] = field(compare=False, repr=False)

    def towards(self, azimuth: NDArray[np.float64], elevation: NDArray[np.float64], width: int) -> NDArray[np.float64]:
        """Radiance [..., 3] from directions in degrees, bilinear, where so many of them go round once: of the size that has no fewer pixels,
        or of the largest."""
        pixels = next((one for one in reversed(self.sizes) if one.shape[1] >= width), self.sizes[0])
        height, width = pixels.shape[:2]
        x = (0.5 - azimuth / 360) * width - 0.5
        y = np.clip((0.5 - elevation / 180) * height - 0.5, 0, height - 1)
        x0, y0 = np.floor(x).astype(np.int64), np.minimum(np.floor(y).astype(np.int64), max(0, height - 2))
        fx, fy = (x - x0)[..., None], (y - y0)[..., None]
        left, right, below = x0 % width, (x0 + 1) % width, np.minimum(y0 + 1, height - 1)
        above = pixels[y0, left] * (1 - fx) + pixels[y0, right] * fx
        under = pixels[below, left] * (1 - fx) + pixels[below, right] * fx
        mixed: NDArray[np.float64] = above * (1 - fy) + under * fy
        return mixed

    def sources(
        self, width: int
    ) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
        """Azimuths and elevations [H, W] in degrees, solid angles [H, W] and radiance [H, W, 3] of the pixels of the largest size that has no
        more than so many in a row, or of the smallest; parts of them where these are few."""
        pixels = next((one for one in self.sizes if one.shape[1] <= width), self.sizes[-1])
        for axis in (0, 1):
            pixels = pixels.repeat(-(-_LEAST // pixels.shape[axis]), axis)
        height, width = pixels.shape[:2]
        azimuth = (0.5 - (np.arange(width) + 0.5) / width) * 360
        rims = np.sin(np.radians(90 - np.arange(height + 1) / height * 180))
        elevation = 90 - (np.arange(height) + 0.5) / height * 180
        solid = (rims[:-1] - rims[1:]) * (2 * math.pi / width)
        shape = (height, width)
        return (
            np.broadcast_to(azimuth, shape),
            np.broadcast_to(elevation[:, None], shape),
            np.broadcast_to(solid[:, None], shape),
            pixels.astype(np.float64),
        )


@dataclass(frozen=True, slots=True)
class EnvironmentLight:
    """Parameters of the environment, linear light: surroundings by the formula of that name (``zeitbild.surroundings``) in the
    colours of sky, horizon and floor, with lamps of so much strength.

    With a ``picture`` nothing is generated. ``softboxes`` stand for themselves: neither strength nor rotation changes them.
    """

    strength: float
    sky: tuple[float, float, float]
    floor: tuple[float, float, float]
    lamps: float
    rotation: float
    softboxes: tuple[Softbox, ...] = ()
    horizon: tuple[float, float, float] = (0.0, 0.0, 0.0)
    spread: float = 60.0
    picture: SkyPicture | None = None
    formula: str = "studio"
