"""What paint may be instead of a colour: gradients, by what they say and where they lie on a shape (SVG 2, chapter 14)."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np
from fontTools.misc.transform import Identity, Transform
from numpy.typing import NDArray

from zeitbild.geometry.drawing.placing import Size, transform_of
from zeitbild.geometry.drawing.styles import CLEAR, HREF, INITIAL, UNREAD, Styles, colour_of, length, link, local, share
from zeitbild.geometry.drawing.tracks import Track

#: Stops of a gradient that are read, and shapes that may have one.
_MOST_STOPS, _MOST_GRADIENTS = 256, 500


@dataclass(frozen=True, slots=True)
class Lies:
    """Where a shape lies: its transform, the size that per cents are of, and that of the font."""

    transform: Transform
    size: Size
    em: float


@dataclass(slots=True, eq=False)
class Servers:
    """Reads paint. ``named`` gives the element that an address names, ``note`` tells what is left out; gradients are those that shapes
    have so far, as ``Gradient.of`` takes them."""

    styles: Styles
    named: Callable[[str], Element | None]
    note: Callable[[str], None]
    gradients: list[dict[str, Any]] = field(default_factory=list)

    def colour(
        self, text: str, values: dict[str, str], tracks: list[Track], lies: Lies
    ) -> tuple[tuple[float, float, float, float] | None, int]:
        """The colour that a paint stands for (of a gradient its middle one), and the number of its gradient (-1: none)."""
        current = values.get("color", "black")
        named = link(text)
        if named is None:
            colour = colour_of(text, current)
            if colour is UNREAD:
                self.note(f"the colour {text[:40]}, which is not known: black stands for it")
            return colour, -1
        address, otherwise = named
        server = self.named(address)
        kind = local(server.tag) if server is not None else ""
        if server is not None and kind in ("linearGradient", "radialGradient"):
            stops = self._stops(server)
            middle = middle_of(stops)
            if middle is None:
                return None, -1
            return middle, self._gradient(server, stops, tracks, lies)
        self.note(f"the colour {address[:40]}, which is not there")
        return (colour_of(otherwise, current) if otherwise else None), -1

    def chain(self, gradient: Element) -> list[Element]:
        """A gradient or pattern, and those that it takes from what it does not say itself."""
        found: list[Element] = []
        at: Element | None = gradient
        while at is not None and at not in found:
            found.append(at)
            address = at.get("href") or at.get(HREF) or ""
            at = self.named(address) if address else None
        return found

    def _stops(self, gradient: Element) -> NDArray[np.float64]:
        """Offset and straight encoded colour with alpha of each stop [k, 5], rising."""
        chain = self.chain(gradient)
        stops = next((own for one in chain if (own := [child for child in one if local(child.tag) == "stop"])), [])
        found, least = [], 0.0
        for stop in stops[:_MOST_STOPS]:
            values = self.styles.of(stop, INITIAL)
            least = max(least, min(share(stop.get("offset", "0")), 1.0))
            colour = colour_of(values.get("stop-color", "black"), values.get("color", "black")) or (0.0, 0.0, 0.0, 0.0)
            found.append((least, *colour[:3], colour[3] * share(values.get("stop-opacity", ""))))
        return np.array(found, np.float64).reshape(-1, 5)

    def _gradient(self, gradient: Element, stops: NDArray[np.float64], tracks: list[Track], lies: Lies) -> int:
        """Number of a gradient as it lies on a shape; -1 where it is one colour everywhere."""
        chain = self.chain(gradient)
        if len(self.gradients) >= _MOST_GRADIENTS:
            self.note(f"gradients of more than {_MOST_GRADIENTS} shapes: their middle colours stand for them")
            return -1

        def of(name: str, otherwise: str) -> str:
            return next((one.get(name, "") for one in chain if one.get(name)), otherwise)

        boxed = of("gradientUnits", "objectBoundingBox") != "userSpaceOnUse"
        own = transform_of(of("gradientTransform", "")) or Identity
        matrix = lies.transform
        size = (1.0, 1.0) if boxed else lies.size
        if boxed:
            points = np.concatenate([track.sampled(17) for track in tracks])
            low, high = points.min(axis=0), points.max(axis=0)
            if not (high > low).all():
                return -1
            wide, tall = (high - low).tolist()
            matrix = matrix.transform(Transform(wide, 0, 0, tall, float(low[0]), float(low[1])))
        matrix = matrix.transform(own)
        if abs(matrix[0] * matrix[3] - matrix[1] * matrix[2]) < 1e-18 or len(stops) < 2:
            return -1
        em, across = lies.em, math.sqrt((size[0] ** 2 + size[1] ** 2) / 2)
        radial = local(gradient.tag) == "radialGradient"
        ends: tuple[float, ...]
        if radial:
            cx, cy = length(of("cx", "50%"), size[0], em, 0.5), length(of("cy", "50%"), size[1], em, 0.5)
            radius = length(of("r", "50%"), across, em, 0.5)
            ends = (cx, cy, radius, length(of("fx", ""), size[0], em, cx), length(of("fy", ""), size[1], em, cy))
        else:
            ends = (
                length(of("x1", "0%"), size[0], em, 0.0),
                length(of("y1", "0%"), size[1], em, 0.0),
                length(of("x2", "100%"), size[0], em, 1.0),
                length(of("y2", "0%"), size[1], em, 0.0),
            )
        a, b, c, d, e, f = matrix.inverse()
        self.gradients.append(
            {
                "radial": radial,
                "ends": list(ends),
                "into": np.array([[a, c, e], [b, d, f]], np.float64),
                "stops": stops,
                "spread": of("spreadMethod", "pad"),
            }
        )
        return len(self.gradients) - 1


def middle_of(stops: NDArray[np.float64]) -> tuple[float, float, float, float] | None:
    """The mean colour of a gradient over its way from start to end, by alpha; None for one that is nowhere seen."""
    if not len(stops):
        return None
    colours = np.column_stack([stops[:, 1:4] * stops[:, 4:], stops[:, 4]])
    places = np.concatenate([[0.0], stops[:, 0], [1.0]])
    colours = np.concatenate([colours[:1], colours, colours[-1:]])
    mean = (np.diff(places)[:, None] * (colours[1:] + colours[:-1]) / 2).sum(axis=0)
    alpha = float(mean[3])
    if alpha < CLEAR:
        return None
    red, green, blue = (min(float(mean[k]) / alpha, 1.0) for k in range(3))
    return red, green, blue, min(alpha, 1.0)
