"""Ways that letters stand along (SVG 2, section 11.8)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from xml.etree.ElementTree import Element

import numpy as np
from fontTools.misc.transform import Transform

from zeitbild.geometry.drawing.styles import length
from zeitbild.geometry.drawing.tracks import Floats, Track

#: Pieces of a curve that count as straight where lengths are measured: of a quarter circle they are off by 3e-6.
_PIECES = 128


@dataclass(frozen=True, slots=True, eq=False)
class Along:
    """A way by its length: points [n, 2] in their order, how far along each lies [n], the directions there [n, 2], and where the first
    letter begins."""

    points: Floats
    far: Floats
    directions: Floats
    start: float

    @classmethod
    def of(cls, tracks: Sequence[Track], element: Element, em: float) -> Along | None:
        """That of tracks as a ``textPath`` follows them; None for one without length."""
        if element.get("side") == "right":
            tracks = [Track(one.curves[::-1, ::-1], one.straight[::-1], one.closes) for one in reversed(tracks)]
        curves = [one.curves for one in tracks if len(one.curves)]
        if not curves:
            return None
        a, b, c, d = np.moveaxis(np.concatenate(curves), 1, 0)[:, :, None]
        t = np.linspace(0, 1, _PIECES + 1)[None, :, None]
        points = (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t**2 * c + t**3 * d
        steps = np.hypot(*np.moveaxis(np.diff(points, axis=1), -1, 0))
        # One sub-path after the other, without what lies between them.
        far = np.concatenate([np.zeros((len(points), 1)), np.cumsum(steps, axis=1)], axis=1)
        far += (np.cumsum(far[:, -1]) - far[:, -1])[:, None]
        whole = float(far[-1, -1])
        if not (0 < whole < math.inf):
            return None
        # Where a curve stands still it looks to where it goes.
        ways = np.gradient(points, axis=1)
        told = length(element.get("startOffset", "0"), whole, em, 0.0)
        return cls(points.reshape(-1, 2), far.reshape(-1), ways.reshape(-1, 2), told)

    @property
    def end(self) -> tuple[float, float]:
        """Where it ends."""
        return float(self.points[-1, 0]), float(self.points[-1, 1])

    def at(self, far: float) -> Transform | None:
        """What stands upright at the origin, put so far along the way; None beyond its ends."""
        if not 0 <= far <= self.far[-1]:
            return None
        after = int(np.clip(np.searchsorted(self.far, far), 1, len(self.far) - 1))
        step = self.far[after] - self.far[after - 1]
        share = (far - self.far[after - 1]) / step if step > 0 else 0.0
        x, y = self.points[after - 1] + share * (self.points[after] - self.points[after - 1])
        right, down = self.directions[after - 1] + share * (self.directions[after] - self.directions[after - 1])
        return Transform(1, 0, 0, 1, float(x), float(y)).rotate(math.atan2(down, right))
