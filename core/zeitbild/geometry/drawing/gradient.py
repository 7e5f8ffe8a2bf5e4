"""Gradients of a drawing (SVG 2, chapter 14): colour by place, as a picture over what is seen of the drawing."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.colour import decode

#: Pixels of the longer side of a gradient's picture; it is smooth, and lies between them.
_SIDE = 1024
#: Alphas of stops that differ by more fade out.
FADES = 0.01

Floats = NDArray[np.float64]


class Painting(ABC):
    """Colour by place; side says how many pixels the longer side of a picture of it has that is as large as the drawing."""

    __slots__ = ()
    side: int

    @abstractmethod
    def at(self, points: Floats) -> Floats:
        """Straight encoded colours and alpha [..., 4] at points [..., 2] of the drawing, y down."""

    def levels(self, box: Floats, longest: int, most: int, *, alpha: bool = False) -> list[NDArray[np.float32]]:
        """A picture of it over a box [2, 2] of a drawing (y up), so many pixels along its longer side, linear light [H, W, 3], and up to ``most``
        halves of it; or of its alpha, three times over."""
        low, high = box
        wide, tall = high - low
        scale = longest / max(wide, tall)
        width, height = max(2, round(wide * scale)), max(2, round(tall * scale))
        found = []
        while True:
            x = low[0] + (np.arange(width) + 0.5) / width * wide
            y = high[1] - (np.arange(height) + 0.5) / height * tall
            points = np.stack(np.meshgrid(x, -y), axis=-1)
            values = self.at(points)
            shown = np.repeat(values[..., 3:], 3, axis=-1) if alpha else decode(values[..., :3])
            found.append(np.ascontiguousarray(shown, np.float32))
            if max(width, height) == 1 or len(found) == most:
                return found
            width, height = max(1, width // 2), max(1, height // 2)


@dataclass(frozen=True, slots=True, eq=False)
class Gradient(Painting):
    """Colour by place.

    radial tells which kind; ends are x1, y1, x2, y2 of a linear one, or cx, cy, r, fx, fy of a radial one, in a space of its own, to which
    ``into`` [2, 3] leads from the drawing (y down). stops [k, 5]: offset, then straight encoded red, green, blue and alpha, rising.
    spread is ``pad``, ``repeat`` or ``reflect``.
    """

    radial: bool
    ends: tuple[float, ...]
    into: Floats
    stops: Floats
    spread: str
    side: int = _SIDE

    @classmethod
    def of(cls, plain: dict[str, Any]) -> Gradient:
        """From what ``reading`` gives."""
        return cls(
            bool(plain["radial"]),
            tuple(float(one) for one in plain["ends"]),
            np.asarray(plain["into"], np.float64).reshape(2, 3),
            np.asarray(plain["stops"], np.float64).reshape(-1, 5),
            str(plain["spread"]),
        )

    def at(self, points: Floats) -> Floats:
        """See ``Painting.at``."""
        place = points @ self.into[:, :2].T + self.into[:, 2]
        along = self._radial(place) if self.radial else self._linear(place)
        if self.spread == "repeat":
            along = along % 1
        elif self.spread == "reflect":
            along = 1 - np.abs(along % 2 - 1)
        offsets = self.stops[:, 0]
        return np.stack([np.interp(along, offsets, self.stops[:, 1 + k]) for k in range(4)], axis=-1)

    def _linear(self, place: Floats) -> Floats:
        x1, y1, x2, y2 = self.ends
        way = np.array([x2 - x1, y2 - y1])
        square = float(way @ way)
        if square == 0:
            return np.ones(place.shape[:-1])
        along: Floats = (place - (x1, y1)) @ way / square
        return along

    def _radial(self, place: Floats) -> Floats:
        cx, cy, radius, fx, fy = self.ends
        if radius <= 0:
            return np.ones(place.shape[:-1])
        focus = np.array([fx - cx, fy - cy])
        far = float(np.hypot(*focus))
        if far > radius * 0.999:
            # A focus outside lies on the rim.
            focus *= radius * 0.999 / far
        # The circle through the place, of those that grow from the focus to the whole one.
        off = place - (cx, cy) - focus
        a = radius * radius - float(focus @ focus)
        b = off @ focus
        c = (off * off).sum(axis=-1)
        along: Floats = (b + np.sqrt(np.maximum(b * b + a * c, 0))) / a
        return along

    @property
    def mean(self) -> float:
        """How much it hides over its way from start to end, in the mean."""
        places = np.concatenate([[0.0], self.stops[:, 0], [1.0]])
        alphas = np.concatenate([self.stops[:1, 4], self.stops[:, 4], self.stops[-1:, 4]])
        return float((np.diff(places) * (alphas[1:] + alphas[:-1]) / 2).sum())

    @property
    def fades(self) -> bool:
        """Whether it lets through more in one place than in another."""
        return float(np.ptp(self.stops[:, 4])) > FADES
