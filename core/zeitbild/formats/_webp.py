"""What stills and moving pictures in WebP share (RFC 9649): what can be chosen, and what is allowed."""

from __future__ import annotations

from typing import Any

from zeitbild.formats._base import Option, Options

#: A side of a picture at most: 14 bits.
LARGEST = 16383
KEEPS = Option("keeps", "Keeps", (("all", "All of it, without loss"), ("most", "Most of it: far smaller files")))
QUALITY = Option(
    "quality",
    "Quality",
    low=1,
    high=100,
    initial="85",
    kind="number",
    note="Only if not all of it is kept.",
    smaller="lower",
    only={"keeps": "most"},
)
#: Mean, worst place and alpha in levels of 255, at the lowest quality; alpha is kept whole.
ALLOWED = 12.0, 64.0, 0.6


def is_whole(options: Options) -> bool:
    """Whether nothing is lost."""
    return options.get("keeps", "all") == "all"


def settings(options: Options) -> dict[str, Any]:
    """What the writer is told. exact: colour under zero alpha stays as it is."""
    if is_whole(options):
        return {"lossless": True, "quality": 60, "method": 2, "exact": True}
    return {"lossless": False, "quality": int(float(options.get("quality", "85"))), "method": 4, "alpha_quality": 100}
