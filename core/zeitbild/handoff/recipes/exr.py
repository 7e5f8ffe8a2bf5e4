"""OpenEXR: a file for each pass, for each layer with all its passes, or for each frame with everything."""

from zeitbild.handoff.recipes._base import Recipe, recipes

_COLOUR = "Colour is premultiplied (associated) and linear light with Rec. 709 primaries: import it as it is."

recipes.register(Recipe("exr", "OpenEXR, a file for each pass", "exr", _COLOUR, order=32))
recipes.register(
    Recipe(
        "exr-layer",
        "OpenEXR, a file for each layer",
        "exr",
        f"{_COLOUR} Each file holds one layer: beauty as R, G, B and A, every other pass as channels under its name.",
        order=33,
        sharing="layer",
    )
)
recipes.register(
    Recipe(
        "exr-frame",
        "OpenEXR, one file for each frame",
        "exr",
        f"{_COLOUR} Each file holds everything of its frame in parts that are called layer.pass.",
        order=34,
        sharing="frame",
    )
)
