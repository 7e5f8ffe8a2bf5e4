"""OpenEXR sequence."""

from zeitbild.handoff.recipes._base import Recipe, recipes

recipes.register(
    Recipe(
        "exr",
        "OpenEXR sequence",
        "exr",
        "Colour is premultiplied (associated) and linear light with Rec. 709 primaries: import it as it is.",
        order=32,
    )
)
