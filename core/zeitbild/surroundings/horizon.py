"""Horizon: a bright sky that ends in a sharp line over dark ground. Chrome lives from it."""

from zeitbild.surroundings._base import Array, Colours, Surroundings, kinds, lit, mixed, smooth


def _radiance(colours: Colours, azimuth: Array, elevation: Array) -> Array:
    above = mixed(smooth(elevation / 48), colours.horizon, colours.sky)
    # Just above the line it is brightest.
    above = above * (1 + 1.1 * (1 - smooth(elevation / 16)))[..., None]
    below = mixed(smooth(-elevation / 55), colours.floor, colours.horizon) * 0.5
    edge = smooth(elevation / 4 + 0.5)[..., None]
    light: Array = below * (1 - edge) + above * edge
    # A haze of the sun, high at one side.
    glow = smooth(1 - ((azimuth - 50 + 180) % 360 - 180) ** 2 / 45**2 - (elevation - 38) ** 2 / 26**2)
    return light + lit(glow * 1.4, colours.horizon)


kinds.register(
    Surroundings(
        "horizon",
        "Horizon",
        "Bright sky over dark ground, with a sharp line between",
        _radiance,
        "#5f95d8",
        "#fff3df",
        "#2a211c",
        1.0,
        order=3,
    )
)
