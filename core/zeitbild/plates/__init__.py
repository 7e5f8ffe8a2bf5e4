"""The footage that ships with Zeitbild, made for it by ``make.py``: something to begin with."""

from __future__ import annotations

from pathlib import Path

from zeitbild.shipped import ShippedFile

_FOLDER = Path(__file__).parent

SHIPPED: dict[str, ShippedFile] = {
    "sea": ShippedFile("sea", "Sea plate", "waves that close after 24 pictures", _FOLDER / "sea.zip"),
    "lamp": ShippedFile("lamp", "Lamp glass", "a picture for round a ball", _FOLDER / "lamp.png"),
}
