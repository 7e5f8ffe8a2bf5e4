"""The sounds that ship with Zeitbild, made for it by ``make.py``: something to begin with."""

from __future__ import annotations

from pathlib import Path

from zeitbild.shipped import ShippedFile

_FOLDER = Path(__file__).parent

SHIPPED: dict[str, ShippedFile] = {
    "foghorn": ShippedFile("foghorn", "Foghorn", "two blasts over the sea", _FOLDER / "foghorn.wav"),
    "puffin-voice": ShippedFile(
        "puffin-voice", "Puffin", "a small voice that says hello", _FOLDER / "puffin-voice.wav"
    ),
}
