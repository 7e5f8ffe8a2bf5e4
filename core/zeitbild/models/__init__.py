"""The models that ship with Zeitbild, made for it by ``make.py``: something neutral to begin with."""

from __future__ import annotations

from pathlib import Path

from zeitbild.shipped import ShippedFile

_FOLDER = Path(__file__).parent

SHIPPED: dict[str, ShippedFile] = {
    "buoy": ShippedFile("buoy", "Buoy", "a turned body in three materials", _FOLDER / "buoy.glb"),
    "puffin": ShippedFile("puffin", "Puffin", "one skin, two clips", _FOLDER / "puffin.glb"),
}
