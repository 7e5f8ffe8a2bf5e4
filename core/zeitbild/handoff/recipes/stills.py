"""Sequences of stills: one file for each frame of each pass."""

from zeitbild.handoff.recipes._base import Recipe, recipes

_SEQUENCE = "One file for each frame of each pass, numbered."

for _recipe in (
    Recipe(
        "png8",
        "PNG sequence, 8 bits",
        "png8",
        _SEQUENCE,
        order=8,
        keeps="Soft alpha, without loss; read everywhere.",
        loses="Light beyond white; fine gradients may show steps.",
    ),
    Recipe(
        "png16",
        "PNG sequence, 16 bits",
        "png16",
        _SEQUENCE,
        order=16,
        keeps="Soft alpha and fine gradients, without loss.",
        loses="Light beyond white.",
    ),
    Recipe(
        "tiff16",
        "TIFF sequence, 16 bits",
        "tiff16",
        f"{_SEQUENCE} Its tags say how colour relates to alpha.",
        order=18,
        keeps="Soft alpha and fine gradients, straight or premultiplied as its tags say.",
        loses="Light beyond white.",
    ),
    Recipe(
        "tiff8",
        "TIFF sequence, 8 bits",
        "tiff8",
        f"{_SEQUENCE} Its tags say how colour relates to alpha.",
        order=19,
        keeps="Soft alpha, straight or premultiplied as its tags say.",
        loses="Light beyond white; fine gradients may show steps.",
    ),
    Recipe(
        "tiff-float",
        "TIFF sequence, floats",
        "tiff-float",
        _SEQUENCE,
        order=20,
        keeps="Light beyond white, linear and premultiplied.",
        loses="Nothing but what half floats round.",
    ),
    Recipe(
        "tga",
        "TGA sequence, 8 bits",
        "tga",
        f"{_SEQUENCE} Its footer says how colour relates to alpha.",
        order=22,
        keeps="Soft alpha, without loss.",
        loses="Light beyond white, depth and data.",
    ),
    Recipe(
        "png-palette",
        "PNG sequence with a palette",
        "png-palette",
        f"{_SEQUENCE} Every colour is in a palette of at most 256.",
        order=62,
        receiver="games",
        keeps="Every colour of a pixel look, in very small files.",
        loses="Nothing; pictures of more than 256 colours are refused.",
    ),
    Recipe(
        "webp",
        "WebP stills",
        "webp",
        _SEQUENCE,
        order=53,
        receiver="web",
        keeps="Soft alpha, in small files.",
        loses="Light beyond white; detail, if it is to be smaller.",
    ),
    Recipe(
        "jpeg",
        "JPEG sequence",
        "jpeg",
        _SEQUENCE,
        order=80,
        receiver="looking",
        keeps="Something that everyone can open.",
        loses="Alpha; a little of the fine detail.",
    ),
):
    recipes.register(_recipe)
