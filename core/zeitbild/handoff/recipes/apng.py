"""A moving PNG with 8 bits a channel: one file for each pass."""

from zeitbild.handoff.recipes._base import Recipe, recipes

recipes.register(
    Recipe(
        "apng",
        "Moving PNG, one file for each pass",
        "apng",
        "Each file is an APNG that holds all frames of its pass, without loss: browsers play it as it is, with its alpha. Colour is "
        "straight (unassociated) and sRGB-encoded, and black where alpha is zero. Programs that do not know APNG show the first frame.",
        order=20,
    )
)
