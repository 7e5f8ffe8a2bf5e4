"""Vector drawings (SVG)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from zeitbild.drawings import SHIPPED
from zeitbild.errors import InputError
from zeitbild.geometry.drawing.document import MAX_DRAWING_BYTES
from zeitbild.geometry.drawing.painting import Drawing
from zeitbild.geometry.drawing.reading import read_drawing
from zeitbild.geometry.puppet.rig import rig_at
from zeitbild.library.base import FileKind, files
from zeitbild.library.layered import SUFFIXES, gathered


def facts(path: Path, label: str, key: str) -> dict[str, Any]:
    """See ``FileKind``: finishes are the colours of what is seen, from the lowest paint to the highest."""
    plain = read_drawing(path.read_bytes(), label)
    drawing = Drawing(plain, label)
    low, high = drawing.bounds
    colours = list(dict.fromkeys(shade.colour for shade in drawing.shades if shade.inlay < 0 and not shade.cut))
    pictures = len({shade.inlay for shade in drawing.shades if shade.inlay >= 0})
    told = [(len(colours), "colour")] if colours else []
    told += [(pictures, "picture")] if pictures else []
    many = ", ".join(f"{count} {what}" + ("s" if count > 1 else "") for count, what in told)
    return {
        "kind": "with text" if plain["texts"] else "drawing",
        "summary": f"{many}, {high[0] - low[0]:.0f} × {high[1] - low[1]:.0f}",
        "finishes": [{"name": one, "colour": one, "values": {"base_colour": one}} for one in colours],
        "width": round(float(high[0] - low[0]), 3),
        "height": round(float(high[1] - low[1]), 3),
        "notes": list(drawing.notes),
        "limbs": _limbs(path, label),
    }


def _limbs(path: Path, label: str) -> list[dict[str, Any]]:
    """The parts that a puppet of it has, each after the one that it stands in; none if it has too many."""
    try:
        rig = rig_at(path, label)
    except InputError:
        return []
    codes = [one.code for one in rig.limbs]
    return [
        {
            "code": one.code,
            "name": one.name,
            "inside": codes[one.parent] if one.parent >= 0 else "",
            "drawings": [codes[at] for at in one.drawings],
            "bends": one.bend is not None,
            "turns_about": one.found,
            "shows": one.shows,
        }
        for one in rig.limbs
    ]


files.register(
    FileKind(
        "drawings",
        "Drawing",
        (".svg", ".svgz"),
        MAX_DRAWING_BYTES,
        facts,
        tuple(SHIPPED.values()),
        gathers=(*SUFFIXES, ".zip"),
        gather=gathered,
        # 2: mixed by place, filters, text.
        version=2,
    )
)
