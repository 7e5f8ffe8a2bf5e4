"""Art that elements draw themselves: fills and strokes in named layers, as a form."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from fontTools.misc.transform import Transform

from zeitbild.geometry.drawing.painting import Drawing
from zeitbild.geometry.drawing.tracks import Stroke, Track, packed, stroked
from zeitbild.geometry.emblem_form import EmblemForm, Raised
from zeitbild.geometry.extrusion import Bevel

#: What is painted, each by a colour that nobody sees.
Layer = Literal["fill", "line"]
_COLOURS: dict[Layer, str] = {"fill": "#000000", "line": "#ffffff"}
#: Parts of the form's meshes.
PARTS: dict[Layer, int] = {"fill": 0, "line": 1}


def _paint(tracks: Sequence[Track], layer: Layer) -> dict[str, Any]:
    value = float(int(_COLOURS[layer][1:3], 16)) / 255
    # Drawings have y down.
    turned = [track.moved(Transform(1, 0, 0, -1, 0, 0)) for track in tracks]
    return {**packed(turned), "colour": [value] * 3, "alpha": 1.0}


def art(paints: Sequence[tuple[Sequence[Track], Layer]], depth: float, bevel: Bevel, label: str) -> EmblemForm:
    """The form of tracks (units, y up) painted one over the other, its middle at the origin; depth 0 is flat.

    DrawingError if nothing is painted.
    """
    drawing = Drawing(
        {"paints": [_paint(tracks, layer) for tracks, layer in paints if tracks], "clips": [], "notes": []}, label
    )
    layers = {colour: PARTS[layer] for layer, colour in _COLOURS.items()}
    faces = tuple(layers[one.colour] for one in drawing.shades)
    low, high = drawing.bounds
    size = float((high - low).max())
    return EmblemForm(drawing, size, depth, (Raised(depth, bevel),) * len(faces), faces, faces)


def outline_of(
    tracks: Sequence[Track], width: float, join: str, cap: str = "butt", dashes: Sequence[float] = ()
) -> list[Track]:
    """The outline of a line along tracks."""
    return stroked(tracks, Stroke(width, cap, join, 8.0, tuple(dashes)))
