"""The models that ship with Zeitbild, made for it by ``make.py``: something neutral to begin with."""

from __future__ import annotations

from pathlib import Path

from zeitbild.shipped import ShippedFile

SHIPPED: dict[str, ShippedFile] = {
    "buoy": ShippedFile("buoy", "Buoy", "a turned body in three materials", Path(__file__).parent / "buoy.glb")
}
