"""Markers at the corners of lines (SVG 2, section 13.7): where the corners are, and how a marker lies there."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from xml.etree.ElementTree import Element

from fontTools.misc.transform import Identity, Transform
from fontTools.pens.basePen import BasePen

from zeitbild.geometry.drawing.placing import SIDES, Size, angle, fit
from zeitbild.geometry.drawing.styles import length, numbers
from zeitbild.geometry.drawing.tracks import Arc, parse

Pair = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Corner:
    """Where a line begins, turns or ends: its place, the marker's property, and the direction that it has there (radians)."""

    place: Pair
    which: str
    turned: float


@dataclass(slots=True)
class _Line:
    """One sub-path: its corners, and the direction at the beginning and the end of what lies between two of them (None: they are one)."""

    places: list[Pair]
    ways: list[tuple[Pair | None, Pair | None]]
    closes: bool = False


def _way(points: Sequence[Pair]) -> Pair | None:
    """The direction in which points leave the first of them."""
    first = points[0]
    for one in points[1:]:
        x, y = one[0] - first[0], one[1] - first[1]
        far = math.hypot(x, y)
        if 0 < far < math.inf:
            return x / far, y / far
    return None


class _Pen(BasePen):  # type: ignore[misc]  # fontTools has no types
    """Collects corners: what an arc is made of has none."""

    def __init__(self) -> None:
        super().__init__(None)
        self.lines: list[_Line] = []
        #: Points of the arc that is drawn now.
        self.arc: list[Pair] | None = None

    def _add(self, *points: Sequence[float]) -> None:
        plain = [(float(one[0]), float(one[1])) for one in points]
        if self.arc is not None:
            self.arc += plain
            return
        line = self.lines[-1]
        whole = [line.places[-1], *plain]
        back = _way(whole[::-1])
        line.ways.append((_way(whole), None if back is None else (-back[0], -back[1])))
        line.places.append(whole[-1])

    def _moveTo(self, pt: Pair) -> None:
        self.lines.append(_Line([(float(pt[0]), float(pt[1]))], []))

    def _lineTo(self, pt: Pair) -> None:
        self._add(pt)

    def _curveToOne(self, c1: Pair, c2: Pair, end: Pair) -> None:
        self._add(c1, c2, end)

    def _closePath(self) -> None:
        line = self.lines[-1]
        self._add(line.places[0])
        line.closes = True

    def _endPath(self) -> None:
        pass


class _WholeArc(Arc):
    """An arc that is one piece of a line."""

    def draw(self, pen: _Pen) -> None:
        """See ``Arc``."""
        pen.arc = []
        super().draw(pen)
        points, pen.arc = pen.arc, None
        if points:
            pen._add(*points)


def corners(element: Element, name: str, points: Sequence[float]) -> list[Corner]:
    """All corners of a path, or of a line through points (x, y, x, y …), in their order."""
    pen = _Pen()
    if name == "path":
        parse(element.get("d", ""), pen, _WholeArc)
    else:
        pairs = list(zip(points[::2], points[1::2], strict=False))
        for at, one in enumerate(pairs):
            pen.lineTo(one) if at else pen.moveTo(one)
        if pairs and name == "polygon":
            pen.closePath()
    turned = [(place, turn) for line in pen.lines for place, turn in _turns(line)]
    last = len(turned) - 1
    return [
        Corner(place, "marker-start" if not at else "marker-end" if at == last else "marker-mid", turn)
        for at, (place, turn) in enumerate(turned)
        if math.isfinite(place[0]) and math.isfinite(place[1])
    ] + ([Corner(*turned[0][:1], "marker-end", turned[0][1])] if last == 0 else [])


def _turns(line: _Line) -> Iterator[tuple[Pair, float]]:
    """Each corner of a sub-path with its direction: between where it comes from and where it goes."""
    # What stands still between two corners has no direction: the next that has one counts.
    comes: list[Pair | None] = [None]
    for _, end in line.ways:
        comes.append(end or comes[-1])
    goes: list[Pair | None] = [None]
    for start, _ in reversed(line.ways):
        goes.append(start or goes[-1])
    goes.reverse()
    if line.closes:
        # Where it closes it comes from its end and goes to its beginning.
        comes[0], goes[-1] = comes[-1], goes[0]
    for place, before, after in zip(line.places, comes, goes, strict=True):
        both = [one for one in (before, after) if one is not None]
        x, y = (sum(one[k] for one in both) for k in (0, 1))
        if both and math.hypot(x, y) < 1e-9:
            # It turns back: the bisector is across.
            x, y = -both[0][1], both[0][0]
        yield place, math.atan2(y, x) if both else 0.0


@dataclass(frozen=True, slots=True)
class Marker:
    """How a marker lies at corners: what leads from its content to the corner upright, the box that it is cut off at (x, y, width, height,
    None: nowhere) upright, too, and the size that per cents in it are of."""

    onto: Transform
    box: tuple[float, float, float, float] | None
    size: Size

    @classmethod
    def of(cls, element: Element, overflow: str, width: float, em: float) -> Marker | None:
        """That of an element at a line of a width; None for one without size."""
        wide, tall = (length(element.get(side, "3"), 3.0, em, 3.0) for side in ("markerWidth", "markerHeight"))
        if not (wide > 0 and tall > 0):
            return None
        scale = 1.0 if element.get("markerUnits") == "userSpaceOnUse" else width
        fitted, size = fit(element, wide, tall)
        box = numbers(element.get("viewBox", ""))
        left, top = box[:2] if len(box) == 4 else (0.0, 0.0)
        ref = []
        for side, start, whole in (("refX", left, size[0]), ("refY", top, size[1])):
            told = element.get(side, "0").strip()
            ref.append((start if told in SIDES else 0.0) + length(SIDES.get(told, told), whole, em, 0.0))
        x, y = fitted.transformPoint(ref)
        whole = Identity.scale(scale).translate(-x, -y)
        cut = None if overflow in ("visible", "auto") else (-x * scale, -y * scale, wide * scale, tall * scale)
        return cls(whole.transform(fitted), cut, size)

    @staticmethod
    def turn(element: Element, corner: Corner) -> float:
        """How far it is turned at a corner (radians)."""
        told = element.get("orient", "0").strip()
        if told in ("auto", "auto-start-reverse"):
            back = told != "auto" and corner.which == "marker-start"
            return corner.turned + math.pi * back
        try:
            found = math.radians(angle(told))
        except ValueError:
            return 0.0
        return found if math.isfinite(found) else 0.0
