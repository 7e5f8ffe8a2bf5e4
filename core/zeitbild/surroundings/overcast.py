"""Overcast: an even grey sky, three times as bright above as at the horizon."""

import numpy as np

from zeitbild.surroundings._base import Array, Colours, Surroundings, kinds, lit, smooth


def _radiance(colours: Colours, azimuth: Array, elevation: Array) -> Array:
    # Moon and Spencer 1942, Illumination from a non-uniform sky: (1 + 2 sin elevation) / 3 of the zenith's.
    sky = (1 + 2 * np.sin(np.radians(np.maximum(elevation, 0)))) / 3
    edge = smooth(elevation / 5 + 0.5)[..., None]
    ground = lit(0.55 + 0.25 * smooth(1 + elevation / 50), colours.floor)
    light: Array = ground * (1 - edge) + lit(sky * 1.5, colours.sky) * edge
    return light


kinds.register(
    Surroundings(
        "overcast",
        "Overcast",
        "Even sky without a sun: soft, for judging shapes",
        _radiance,
        "#dfe4e8",
        "",
        "#6b665e",
        0.9,
        order=5,
    )
)
