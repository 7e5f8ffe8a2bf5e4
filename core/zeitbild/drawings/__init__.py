"""The drawings that ship with Zeitbild, made for it: neutral shapes to begin with."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

_FOLDER = Path(__file__).parent


@dataclass(frozen=True, slots=True)
class ShippedDrawing:
    """One shipped drawing: key used in documents, name for people, and what it is."""

    key: str
    title: str
    character: str

    @property
    def path(self) -> Path:
        """The SVG file."""
        return _FOLDER / f"{self.key}.svg"


SHIPPED: dict[str, ShippedDrawing] = {
    one.key: one
    for one in (
        ShippedDrawing("badge", "Badge", "star in a ring"),
        ShippedDrawing("shield", "Shield", "two fields and a rim"),
        ShippedDrawing("lighthouse", "Lighthouse", "a round sign in nine colours"),
        ShippedDrawing("waves", "Waves", "lines with round ends"),
    )
}
