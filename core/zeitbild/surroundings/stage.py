"""Dark stage: nothing but two tall lights behind at either side, and a faint one above."""

from zeitbild.surroundings._base import Array, Colours, Surroundings, inside, kinds, lit, mixed, smooth


def _radiance(colours: Colours, azimuth: Array, elevation: Array) -> Array:
    light = mixed(smooth(elevation / 120 + 0.5), colours.floor, colours.sky) * 0.035
    for middle, colour, strength in ((118, colours.sky, 6.0), (-118, colours.horizon, 6.0)):
        light = light + lit(inside(azimuth, elevation, (middle, 8), (9, 56)) * strength * colours.lamps, colour)
    light = light + lit(inside(azimuth, elevation, (180, 72), (50, 8)) * 1.8 * colours.lamps, colours.sky)
    return light + lit(inside(azimuth, elevation, (22, 36), (26, 5)) * 0.7 * colours.lamps, colours.sky)


kinds.register(
    Surroundings(
        "dark stage",
        "Dark stage",
        "Rims of light from behind at both sides, the rest dark",
        _radiance,
        "#cfe0ff",
        "#ffd2a6",
        "#181a20",
        1.0,
        lamps=True,
        order=6,
    )
)
