"""Light animation: one file that plays where pictures are shown."""

from zeitbild.handoff.recipes._base import Recipe, recipes

_ONE = "Each file holds all frames of its pass and plays by itself."

for _recipe in (
    Recipe(
        "webp-moving",
        "Moving WebP",
        "webp-moving",
        _ONE,
        order=51,
        receiver="web",
        keeps="Soft alpha where a picture is shown, in small files.",
        loses="Sound; detail, if it is to be smaller.",
    ),
    Recipe(
        "avif-moving",
        "Moving AVIF",
        "avif-moving",
        f"{_ONE} Browsers play it as it is, with its alpha.",
        order=53,
        receiver="web",
        keeps="Soft alpha where a picture is shown, in the smallest files.",
        loses="Sound; fine detail.",
    ),
    Recipe(
        "apng",
        "Moving PNG, one file for each pass",
        "apng",
        "Each file is an APNG that holds all frames of its pass, without loss: browsers play it as it is, with its alpha. "
        "Programs that do not know APNG show the first frame.",
        order=52,
        receiver="web",
        keeps="Soft alpha where a picture is shown, without loss.",
        loses="Sound; files are large.",
    ),
    Recipe(
        "gif",
        "GIF",
        "gif",
        f"{_ONE} Delays are hundredths of a second that add up to its length.",
        order=54,
        receiver="web",
        keeps="A loop that plays even where nothing else does.",
        loses="Soft edges (or clear ground), all but 255 colours, sound.",
    ),
    Recipe(
        "sprites",
        "Sprite sheet with JSON",
        "sprites",
        "Each file holds all frames of its pass on one sheet; the JSON beside it says where each of them is, how it was cut, where it "
        "stands and how fast it plays.",
        order=60,
        receiver="games",
        keeps="Soft alpha, without loss; frames that are alike only once.",
        loses="Sound; a sheet has at most 8192 pixels a side.",
    ),
    Recipe(
        "lottie",
        "Lottie JSON of pictures",
        "lottie",
        f"{_ONE} It is a vector animation (Lottie 1.0) with a picture for each frame.",
        order=55,
        receiver="web",
        keeps="Soft alpha, without loss, for players of vector animation.",
        loses="Sound; it does not get sharper when it gets larger.",
    ),
):
    recipes.register(_recipe)
