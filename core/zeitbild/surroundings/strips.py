"""Strip lights: a dark hall with upright tubes all around."""

from zeitbild.surroundings._base import Array, Colours, Surroundings, inside, kinds, lit, mixed, smooth

_STRIPS = (-150, -108, -66, -24, 18, 60, 102, 144)


def _radiance(colours: Colours, azimuth: Array, elevation: Array) -> Array:
    light = mixed(smooth(elevation / 90 + 0.4), colours.floor, colours.sky) * 0.16
    for middle in _STRIPS:
        light = light + lit(inside(azimuth, elevation, (middle, 8), (4, 52)) * 3.4 * colours.lamps, colours.sky)
    # Their light on the ceiling.
    return light + lit(smooth((elevation - 52) / 30) * 0.5 * colours.lamps, colours.sky)


kinds.register(
    Surroundings(
        "strip lights",
        "Strip lights",
        "Upright tubes in a dark hall: lines of light along every edge",
        _radiance,
        "#f2f6ff",
        "",
        "#3a3f4a",
        0.9,
        lamps=True,
        order=1,
    )
)
