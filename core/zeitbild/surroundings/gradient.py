"""Gradient: three colours, above, at the horizon and below."""

import numpy as np

from zeitbild.surroundings._base import Array, Colours, Surroundings, kinds, smooth


def _radiance(colours: Colours, azimuth: Array, elevation: Array) -> Array:
    away = smooth(np.abs(elevation) / colours.spread)[..., None]
    ends = np.where((elevation > 0)[..., None], np.asarray(colours.sky), np.asarray(colours.floor))
    light: Array = np.asarray(colours.horizon) * (1 - away) + ends * away
    return light


kinds.register(
    Surroundings(
        "gradient",
        "Gradient",
        "Three colours: above, at the horizon, below",
        _radiance,
        "#dfe7ee",
        "#f3d9b8",
        "#5a5048",
        0.6,
        order=7,
    )
)
