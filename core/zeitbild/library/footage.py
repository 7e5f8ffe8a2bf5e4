"""Footage: stills, sequences in a ZIP, animations and movies."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from zeitbild.footage.pictures import footage_at
from zeitbild.footage.plain import MAX_FOOTAGE_BYTES
from zeitbild.library.base import FileKind, files
from zeitbild.plates import SHIPPED

_READINGS = {
    "ignored": "all of it is there",
    "straight": "alpha is straight",
    "premultiplied": "alpha is premultiplied",
    "over a colour": "alpha is over a colour",
}


def facts(path: Path, label: str, key: str) -> dict[str, Any]:
    """See ``FileKind``: what kind of footage it is, its size, pictures and rate, and how its alpha seems to be meant and why."""
    footage = footage_at(path, label, thorough=True)
    size = f"{footage.width} × {footage.height}, {footage.bits}"
    many = "" if footage.count == 1 else f"{footage.count:,} pictures".replace(",", "\u202f")
    rate = "" if footage.rate is None else f", {float(footage.rate):.5g} a second"
    kind = footage.kind.capitalize()
    return {
        "summary": f"{kind}, {size}" if not many else f"{kind}, {many}{rate}, {size}",
        "finishes": [],
        "kind": footage.kind,
        "width": footage.width,
        "height": footage.height,
        "count": footage.count,
        "rate": None if footage.rate is None else str(footage.rate),
        "alpha": footage.reading,
        "matte": footage.matte,
        "about": f"{_READINGS[footage.reading].capitalize()}: {footage.why}.",
        "notes": list(footage.notes),
    }


files.register(
    FileKind(
        "footage",
        "Picture, sequence or movie",
        (
            *(
                ".png",
                ".jpg",
                ".jpeg",
                ".tif",
                ".tiff",
                ".tga",
                ".exr",
                ".hdr",
                ".webp",
                ".avif",
                ".gif",
                ".apng",
                ".bmp",
            ),
            *(".mov", ".mp4", ".m4v", ".webm", ".mkv", ".zip"),
        ),
        MAX_FOOTAGE_BYTES,
        facts,
        order=2,
        together="numbered pictures",
        shipped=tuple(SHIPPED.values()),
    )
)
