"""PNG sequence with 16 bits a channel."""

from zeitbild.handoff.recipes._base import Recipe, recipes

recipes.register(
    Recipe(
        "png16",
        "PNG sequence, 16 bits",
        "png16",
        "Colour is straight (unassociated): do not divide or multiply it by alpha on import. It is sRGB-encoded, and "
        "black where alpha is zero.",
        order=16,
    )
)
