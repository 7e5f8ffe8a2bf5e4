"""Dusk: a blue sky, and a band of warm light low at one side."""

import numpy as np

from zeitbild.surroundings._base import Array, Colours, Surroundings, kinds, lit, mixed, smooth

_WEST = 52


def _radiance(colours: Colours, azimuth: Array, elevation: Array) -> Array:
    sky = mixed(smooth(elevation / 75), colours.sky, colours.sky) * (0.75 - 0.45 * smooth(elevation / 80))[..., None]
    off = (azimuth - _WEST + 180) % 360 - 180
    towards = 0.25 + 0.75 * np.exp(-((off / 55) ** 2))
    band = np.exp(-(((elevation - 3) / 11) ** 2)) * towards
    sun = np.exp(-((off / 9) ** 2) - ((elevation - 3) / 7) ** 2)
    ground = lit(0.35 + 0.4 * smooth(1 + elevation / 40), colours.floor)
    edge = smooth(elevation / 6 + 0.5)[..., None]
    over = sky + lit(band * 2.2 + sun * 7, colours.horizon)
    light: Array = ground * (1 - edge) + over * edge
    return light


kinds.register(
    Surroundings(
        "dusk",
        "Dusk",
        "Blue above, a warm band and a low sun at one side",
        _radiance,
        "#6d86c9",
        "#ffb066",
        "#2c2733",
        0.9,
        order=4,
    )
)
