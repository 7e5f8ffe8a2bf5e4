"""What tests share."""

from __future__ import annotations

from typing import Any

from zeitbild.document.shot import Layer, Raster, Shot, Timing
from zeitbild.document.values import Turn
from zeitbild.elements.lettering import Lettering


def small_shot(**more: Any) -> Shot:
    """A tiny spinning word."""
    word = Lettering(id="word-1", word="Zb", turn=Turn(turns=1))
    fields: dict[str, Any] = {
        "raster": Raster(width=96, height=54),
        "timing": Timing(last=6),
        "elements": (word,),
        "layers": (Layer(name="sign", passes=("beauty", "matte", "depth")),),
        **more,
    }
    return Shot(**fields)
