"""The drawings that ship with Zeitbild, made for it: neutral shapes to begin with, and a lighthouse."""

from __future__ import annotations

from pathlib import Path

from zeitbild.shipped import ShippedFile

_FOLDER = Path(__file__).parent

SHIPPED: dict[str, ShippedFile] = {
    key: ShippedFile(key, title, character, _FOLDER / f"{key}.svg")
    for key, title, character in (
        ("badge", "Badge", "star in a ring"),
        ("shield", "Shield", "two fields and a rim"),
        ("lighthouse", "Lighthouse", "a round sign"),
        ("waves", "Waves", "lines with round ends"),
        ("puffin-parts", "Puffin", "a bird in parts that move"),
    )
}
