"""OpenEXR: a file for each pass, for each layer with all its passes, or for each frame with everything."""

from zeitbild.handoff.recipes._base import Recipe, recipes

_KEEPS, _LOSES = (
    "Light as it was computed, beyond white too; every pass; identities.",
    "Nothing but what half floats round.",
)

recipes.register(
    Recipe(
        "exr",
        "OpenEXR, a file for each pass",
        "exr",
        "One file for each frame of each pass, numbered.",
        order=2,
        keeps=_KEEPS,
        loses=_LOSES,
    )
)
recipes.register(
    Recipe(
        "exr-layer",
        "OpenEXR, a file for each layer",
        "exr",
        "Each file holds one layer: beauty as R, G, B and A, every other pass as channels under its name.",
        order=3,
        keeps=_KEEPS,
        loses=_LOSES,
        sharing="layer",
    )
)
recipes.register(
    Recipe(
        "exr-frame",
        "OpenEXR, one file for each frame",
        "exr",
        "Each file holds everything of its frame in parts that are called layer.pass.",
        order=4,
        keeps=_KEEPS,
        loses=_LOSES,
        sharing="frame",
    )
)
