"""A studio: a dim room with a tall box and a strip in front of the set, and wide boxes above and behind."""

import numpy as np

from zeitbild.surroundings._base import Array, Colours, Surroundings, inside, kinds, lit, mixed, smooth

#: Middle and half size in degrees, and brightness, of each box. Flat metal that faces the camera mirrors what is between
#: the first two, so that both and the dark between them go over it as it turns.
_BOXES = (
    ((27, 16), (10, 40), 2.9),
    ((-19, 4), (4.5, 46), 2.0),
    ((-78, 10), (16, 42), 1.7),
    ((8, 68), (60, 15), 2.4),
    ((160, 24), (40, 20), 1.1),
    ((-8, -34), (46, 5), 0.8),
)


def _radiance(colours: Colours, azimuth: Array, elevation: Array) -> Array:
    # The wall in front is darkest just below the height of the eye and bright soon above it: a flat face shows the way between.
    room = mixed(smooth(elevation / 24 + 0.5), colours.floor, colours.sky)
    dim = 0.3 + 0.75 * smooth((elevation + 9) / 24) + 0.35 * smooth((-elevation - 12) / 50)
    light = room * dim[..., None] * (0.55 + 0.45 * np.cos(np.radians(azimuth)))[..., None]
    for middle, half, strength in _BOXES:
        light = light + lit(inside(azimuth, elevation, middle, half) * strength * colours.lamps, colours.sky)
    return light


kinds.register(
    Surroundings(
        "studio",
        "Studio",
        "Boxes beside and above, dark between them",
        _radiance,
        "#dfe7ee",
        "",
        "#5a5048",
        0.6,
        lamps=True,
        order=0,
    )
)
