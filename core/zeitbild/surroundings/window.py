"""A window: one large window of four panes at one side of a dim room."""

from zeitbild.surroundings._base import Array, Colours, Surroundings, inside, kinds, lit, mixed, smooth

#: Middle of the window; half size of a pane; how far from the middle panes lie.
_MIDDLE, _PANE, _OFF = (38, 16), (9, 13), (11, 15)


def _radiance(colours: Colours, azimuth: Array, elevation: Array) -> Array:
    room = mixed(smooth(elevation / 80 + 0.45), colours.floor, colours.horizon) * 0.42
    # The wall across from the window takes its light.
    across = lit(inside(azimuth, elevation, (-130, 0), (70, 50), 60) * 0.3, colours.horizon)
    light = room + across
    for side in (-1, 1):
        for up in (-1, 1):
            middle = _MIDDLE[0] + side * _OFF[0], _MIDDLE[1] + up * _OFF[1]
            light = light + lit(inside(azimuth, elevation, middle, _PANE, 5) * 4.2 * colours.lamps, colours.sky)
    return light


kinds.register(
    Surroundings(
        "window",
        "Window",
        "Four bright panes at one side of a dim room",
        _radiance,
        "#dcebff",
        "#c9b99f",
        "#5d4a38",
        0.8,
        lamps=True,
        order=2,
    )
)
