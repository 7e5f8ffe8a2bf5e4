"""To look at: all frames small on paper or on one picture."""

from zeitbild.handoff.recipes._base import Recipe, recipes

_ONE = "Each file shows all frames of its pass, small, beside one another and with their numbers, over a ground."

for _recipe in (
    Recipe(
        "contact",
        "Contact prints on one PNG",
        "contact",
        _ONE,
        order=70,
        receiver="looking",
        keeps="Every frame at a glance, with its number.",
        loses="Size, alpha and sound: it is for looking.",
    ),
    Recipe(
        "contact-pdf",
        "Contact prints as PDF",
        "contact-pdf",
        _ONE,
        order=71,
        receiver="looking",
        keeps="Every frame on pages to print, with its number.",
        loses="Size, alpha and sound: it is for looking.",
    ),
):
    recipes.register(_recipe)
