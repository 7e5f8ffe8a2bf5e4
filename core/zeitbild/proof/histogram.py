"""How light is spread over the solid part of a picture."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from zeitbild.colour import encode
from zeitbild.render.picture import Picture

BINS = 64
#: A pixel counts if at least this much of it is solid.
_SOLID = 0.5


@dataclass(frozen=True, slots=True)
class Histogram:
    """Shares of the solid pixels.

    red, green, blue   by encoded (sRGB) straight value, in BINS even steps from 0 to 1; each adds up to 1
    burnt, one_burnt   with all channels above 1; with at least one
    black              with all channels below half a step of 1/255
    solid              of the whole picture that is solid at all, 0..1
    """

    red: list[float]
    green: list[float]
    blue: list[float]
    burnt: float
    one_burnt: float
    black: float
    solid: float


def histogram(picture: Picture) -> Histogram:
    """The histogram of a picture; all zero if nothing in it is solid."""
    alpha = picture.beauty[..., 3]
    solid = alpha >= _SOLID
    if not solid.any():
        nothing = [0.0] * BINS
        return Histogram(nothing, nothing, nothing, 0.0, 0.0, 0.0, 0.0)
    straight = picture.beauty[solid][:, :3] / alpha[solid, None]
    codes = encode(np.clip(straight, 0, 1))
    counts = [np.histogram(codes[:, k], BINS, (0, 1))[0] / len(codes) for k in range(3)]
    red, green, blue = ([round(float(value), 6) for value in count] for count in counts)
    over = straight > 1
    return Histogram(
        red,
        green,
        blue,
        float(over.all(axis=1).mean()),
        float(over.any(axis=1).mean()),
        float((codes < 0.5 / 255).all(axis=1).mean()),
        float(solid.mean()),
    )
