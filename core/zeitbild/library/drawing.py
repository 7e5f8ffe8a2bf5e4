"""Vector drawings (SVG)."""

from __future__ import annotations

from typing import Any

from zeitbild.geometry.drawing.painting import Drawing
from zeitbild.geometry.drawing.reading import MAX_DRAWING_BYTES, read_drawing
from zeitbild.library.base import FileKind, files


def told(drawing: Drawing) -> dict[str, Any]:
    """Colours of what is seen, from the lowest paint to the highest, its size, and what is left out of it."""
    low, high = drawing.bounds
    colours = dict.fromkeys(shade.colour for shade in drawing.shades)
    return {
        "colours": list(colours),
        "width": round(float(high[0] - low[0]), 3),
        "height": round(float(high[1] - low[1]), 3),
        "notes": list(drawing.notes),
    }


def facts(data: bytes, label: str) -> dict[str, Any]:
    """See ``FileKind``."""
    return told(Drawing(read_drawing(data, label), label))


files.register(FileKind("drawings", "Drawing", (".svg",), MAX_DRAWING_BYTES, facts))
