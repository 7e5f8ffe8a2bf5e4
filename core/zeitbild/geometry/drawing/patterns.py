"""Patterns as paint: which tiles of one lie on a shape, and where each of them lies (SVG 2, section 14.3)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np
from fontTools.misc.transform import Identity, Transform

from zeitbild.geometry.drawing.placing import Size, fit_box, transform_of
from zeitbild.geometry.drawing.servers import Lies
from zeitbild.geometry.drawing.styles import length, numbers
from zeitbild.geometry.drawing.tracks import Floats, Track

#: What is off its tile by less than this share of it lies in it.
_ROOM = 1e-7
#: Tiles that lie on one shape at most.
MOST_TILES = 600


@dataclass(frozen=True, slots=True)
class Tiling:
    """The tiles of a pattern that lie on a shape: the element whose content they show, of each the transform of its content and that of its box, the
    box (x, y, width, height), and the size that per cents in it are of."""

    content: Element
    tiles: list[tuple[Transform, Transform]]
    box: tuple[float, float, float, float]
    size: Size

    @property
    def moves(self) -> Floats:
        """How far each tile lies from the first [n, 2], in units of the drawing."""
        corners = np.array([(own[4], own[5]) for _, own in self.tiles])
        return np.asarray(corners - corners[0])


def lies_in(curves: Floats, box: tuple[float, float, float, float], onto: Transform) -> bool:
    """Whether curves [k, 4, 2], in units of the drawing, lie in the box (x, y, width, height) of a tile that lies there by a transform."""
    x, y, width, height = box
    a, b, c, d, e, f = onto.inverse()
    points = curves.reshape(-1, 2) @ np.array([[a, b], [c, d]]) + (e - x, f - y)
    room = _ROOM * max(width, height)
    return bool((points >= -room).all() and (points <= (width + room, height + room)).all())


def repeated(paint: dict[str, Any], moves: Floats) -> dict[str, Any]:
    """Curves, straight and starts of what is painted (``tracks.packed``), once for each of some moves [n, 2]."""
    curves, count = paint["curves"], len(moves)
    starts = np.arange(count)[:, None] * len(curves) + np.asarray(paint["starts"])
    return {
        "curves": (curves + moves[:, None, None, None, :]).reshape(-1, 4, 2),
        "straight": np.tile(paint["straight"], count),
        "starts": starts.reshape(-1),
    }


def tiling(chain: Sequence[Element], shape: Sequence[Track], painted: Sequence[Track], lies: Lies) -> Tiling | None:
    """How a pattern, with those that it takes from what it does not say itself, lies on a shape (in its own units), of which ``painted`` is
    what is painted (in those of the drawing). None where it paints nothing; ValueError for too many tiles."""

    def of(name: str, otherwise: str) -> str:
        return next((one.get(name, "") for one in chain if one.get(name)), otherwise)

    content = next((one for one in chain if len(one)), None)
    if content is None or not shape or not painted:
        return None
    points = np.concatenate([track.sampled(17) for track in shape])
    low, high = points.min(axis=0), points.max(axis=0)
    (left, top), (wide, tall) = low.tolist(), (high - low).tolist()
    boxed = of("patternUnits", "objectBoundingBox") != "userSpaceOnUse"
    across, down = (1.0, 1.0) if boxed else lies.size
    x, y = length(of("x", "0"), across, lies.em, 0.0), length(of("y", "0"), down, lies.em, 0.0)
    width, height = length(of("width", "0"), across, lies.em, 0.0), length(of("height", "0"), down, lies.em, 0.0)
    if boxed:
        x, y, width, height = left + x * wide, top + y * tall, width * wide, height * tall
    onto = lies.transform.transform(transform_of(of("patternTransform", "")) or Identity)
    if not (width > 0 and height > 0) or abs(onto[0] * onto[3] - onto[1] * onto[2]) < 1e-18:
        return None
    # The content begins at the corner of its tile.
    inner, size = Identity.translate(x, y), lies.size
    view = numbers(of("viewBox", ""))
    if len(view) == 4 and view[2] > 0 and view[3] > 0:
        box = view[0], view[1], view[2], view[3]
        inner = inner.transform(fit_box(box, of("preserveAspectRatio", ""), width, height))
        size = view[2], view[3]
    elif of("patternContentUnits", "userSpaceOnUse") == "objectBoundingBox":
        inner, size = inner.transform(Transform(wide, 0, 0, tall, 0, 0)), (1.0, 1.0)
    # Where what is painted lies among the tiles.
    a, b, c, d, e, f = onto.inverse()
    reached = np.concatenate([track.sampled(9) for track in painted]) @ np.array([[a, b], [c, d]]) + (e, f)
    first = np.floor((reached.min(axis=0) - (x, y)) / (width, height))
    last = np.floor((reached.max(axis=0) - (x, y)) / (width, height))
    if not np.isfinite([first, last]).all() or math.prod((last - first + 1).tolist()) > MOST_TILES:
        raise ValueError(f"more than {MOST_TILES} tiles")
    tiles = []
    for row in range(int(first[1]), int(last[1]) + 1):
        for column in range(int(first[0]), int(last[0]) + 1):
            own = onto.translate(column * width, row * height)
            tiles.append((own.transform(inner), own))
    return Tiling(content, tiles, (x, y, width, height), size)
