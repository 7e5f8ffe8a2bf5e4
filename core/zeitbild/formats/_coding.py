"""How colour becomes numbers in files: what can be chosen, for all formats that offer it."""

from __future__ import annotations

from dataclasses import dataclass

from zeitbild.colour.transfer import TRANSFERS, Transfer
from zeitbild.formats._base import Option, Options


@dataclass(frozen=True, slots=True)
class Coding:
    """How colour becomes whole numbers: its curve, multiplied with alpha (after it was encoded) or not, what stands under zero alpha
    (black, or the colour of the nearest pixel that is seen), and whether steps are broken up by a fixed pattern of noise."""

    transfer: Transfer = TRANSFERS["srgb"]
    premultiplied: bool = False
    bled: bool = False
    dithered: bool = False

    @classmethod
    def of(cls, options: Options) -> Coding:
        """That of the options of a format, as far as it has them."""
        return cls(
            TRANSFERS[options.get("transfer", "srgb")],
            options.get("alpha") == "premultiplied",
            options.get("under") == "bled",
            options.get("dither") == "on",
        )


#: Options that formats may have; ``Coding.of`` reads them.
TRANSFER = Option("transfer", "Light is encoded by", tuple((one.name, one.title) for one in TRANSFERS.values()))
ALPHA = Option(
    "alpha", "Colour", (("straight", "Straight, not multiplied with alpha"), ("premultiplied", "Premultiplied"))
)
UNDER = Option(
    "under",
    "Where nothing is seen",
    (
        ("black", "Black, so that no filter drags a colour in"),
        ("bled", "The colour of the nearest edge, for game engines"),
    ),
)
DITHER = Option(
    "dither", "Steps of 8 bits", (("off", "Rounded"), ("on", "Broken up by fine noise, against bands in gradients"))
)
