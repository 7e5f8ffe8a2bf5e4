"""PNG sequence with 8 bits a channel."""

from zeitbild.handoff.recipes._base import Recipe, recipes

recipes.register(
    Recipe(
        "png8",
        "PNG sequence, 8 bits",
        "png8",
        "Colour is straight (unassociated): do not divide or multiply it by alpha on import. It is sRGB-encoded, and "
        "black where alpha is zero.",
        order=8,
    )
)
