"""Paths of a drawing: sub-paths of cubic curves, from path data, from the basic shapes of SVG 2 (chapter 10), and strokes of them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pathops
from fontTools.misc.transform import Transform
from fontTools.pens.basePen import BasePen
from fontTools.svgLib.path import parse_path
from numpy.typing import NDArray

#: Radians that one cubic of an arc spans: it is off its arc by less than 1e-7 of the radius.
_ARC_STEP = math.pi / 8
#: Strokes are found in single precision, at about so many units across.
_STROKE_UNITS = 16_384.0
#: Coordinates of strokes, and of anything else: beyond that single precision, or any, is lost.
_MOST = 1e12
#: Dashes that a stroke is cut into at most.
MAX_DASHES = 20_000

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Track:
    """One sub-path: cubic curves [k, 4, 2], each beginning where the one before it ends, which of them [k] are straight, and whether it
    closes (it need not then end where it began)."""

    curves: Floats
    straight: NDArray[np.bool_]
    closes: bool

    def sampled(self, count: int) -> Floats:
        """So many points along each curve [n, 2], ends and all."""
        t = np.linspace(0, 1, count)[:, None, None]
        a, b, c, d = (self.curves[:, k] for k in range(4))
        points: Floats = (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t * t * c + t**3 * d
        return points.swapaxes(0, 1).reshape(-1, 2)

    def moved(self, transform: Transform) -> Track:
        """The same under an affine map."""
        a, b, c, d, e, f = transform
        x, y = self.curves[..., 0], self.curves[..., 1]
        # What becomes no number is left out later.
        with np.errstate(all="ignore"):
            return Track(np.stack([a * x + c * y + e, b * x + d * y + f], axis=-1), self.straight, self.closes)


class TrackPen(BasePen):  # type: ignore[misc]  # fontTools has no types
    """Collects tracks."""

    def __init__(self) -> None:
        super().__init__(None)
        self.tracks: list[Track] = []
        self._curves: list[tuple[tuple[float, float], ...]] = []
        self._straight: list[bool] = []
        self._at = (0.0, 0.0)
        #: Whether a sub-path began of which nothing was drawn yet.
        self._began = False

    def _moveTo(self, pt: tuple[float, float]) -> None:
        self._end(False)
        self._at, self._began = (float(pt[0]), float(pt[1])), True

    def _lineTo(self, pt: tuple[float, float]) -> None:
        end = (float(pt[0]), float(pt[1]))
        self._curves.append((self._at, self._at, end, end))
        self._straight.append(True)
        self._at = end

    def _curveToOne(self, c1: Sequence[float], c2: Sequence[float], end: Sequence[float]) -> None:
        points = tuple((float(x), float(y)) for x, y in (c1, c2, end))
        self._curves.append((self._at, *points))
        self._straight.append(False)
        self._at = points[2]

    def _closePath(self) -> None:
        if self._began and not self._curves:
            # A point: nothing to fill, but caps of a stroke are drawn there.
            self._lineTo(self._at)
        self._end(True)

    def _endPath(self) -> None:
        self._end(False)

    def _end(self, closes: bool) -> None:
        if self._curves:
            self.tracks.append(Track(np.array(self._curves, np.float64), np.array(self._straight, bool), closes))
            self._at = self._curves[0][0]
        self._curves, self._straight, self._began = [], [], False

    def finish(self) -> list[Track]:
        """All tracks, the last one too if nothing ended it."""
        self._end(False)
        return [track for track in self.tracks if np.isfinite(track.curves).all()]


class Arc:
    """An elliptical arc by its ends (SVG 2, appendix B.2.4), as ``parse_path`` asks for one."""

    def __init__(
        self, start: complex, rx: float, ry: float, rotation: float, large: int, sweep: int, end: complex
    ) -> None:
        self._start, self._end = complex(start), complex(end)
        self._rx, self._ry, self._phi = abs(rx), abs(ry), math.radians(rotation)
        self._large, self._sweep = bool(large), bool(sweep)

    def draw(self, pen: Any) -> None:
        """Cubics that span ``_ARC_STEP`` at most."""
        start, end = self._start, self._end
        if start == end:
            return
        if self._rx == 0 or self._ry == 0:
            pen.lineTo((end.real, end.imag))
            return
        cosine, sine = math.cos(self._phi), math.sin(self._phi)
        half = (start - end) / 2
        x, y = cosine * half.real + sine * half.imag, -sine * half.real + cosine * half.imag
        rx, ry = self._rx, self._ry
        # Radii that do not reach are made larger.
        short = (x / rx) ** 2 + (y / ry) ** 2
        if short > 1:
            rx, ry = rx * math.sqrt(short), ry * math.sqrt(short)
        square = (rx * ry) ** 2 - (rx * y) ** 2 - (ry * x) ** 2
        root = math.sqrt(max(0.0, square / ((rx * y) ** 2 + (ry * x) ** 2)))
        root = -root if self._large == self._sweep else root
        cx, cy = root * rx * y / ry, -root * ry * x / rx
        middle = (start + end) / 2 + complex(cosine * cx - sine * cy, sine * cx + cosine * cy)
        first = math.atan2((y - cy) / ry, (x - cx) / rx)
        span = math.atan2((-y - cy) / ry, (-x - cx) / rx) - first
        if self._sweep and span < 0:
            span += 2 * math.pi
        elif not self._sweep and span > 0:
            span -= 2 * math.pi
        _arc(pen, (middle.real, middle.imag), (rx, ry), self._phi, first, span, (end.real, end.imag))


def _arc(
    pen: Any,
    middle: tuple[float, float],
    radii: tuple[float, float],
    turned: float,
    first: float,
    span: float,
    end: tuple[float, float] | None = None,
) -> None:
    """Part of an ellipse from the angle ``first`` over ``span`` (radians); ``end`` is where it ends to the last bit."""
    pieces = max(1, math.ceil(abs(span) / _ARC_STEP - 1e-9))
    step = span / pieces
    reach = 4 / 3 * math.tan(step / 4)
    cosine, sine = math.cos(turned), math.sin(turned)

    def at(x: float, y: float) -> tuple[float, float]:
        x, y = x * radii[0], y * radii[1]
        return middle[0] + cosine * x - sine * y, middle[1] + sine * x + cosine * y

    for number in range(pieces):
        a, b = first + number * step, first + (number + 1) * step
        last = at(math.cos(b), math.sin(b)) if end is None or number < pieces - 1 else end
        pen.curveTo(
            at(math.cos(a) - reach * math.sin(a), math.sin(a) + reach * math.cos(a)),
            at(math.cos(b) + reach * math.sin(b), math.sin(b) - reach * math.cos(b)),
            last,
        )


def path(data: str) -> tuple[list[Track], bool]:
    """Tracks of path data, and whether all of it could be read: what is wrong ends the path there (SVG 2, section 9.5.4)."""
    pen = TrackPen()
    whole = parse(data, pen)
    return pen.finish(), whole


def parse(data: str, pen: BasePen, arc: type[Arc] = Arc) -> bool:
    """Draw path data with a pen, arcs of that kind; whether all of it could be read."""
    try:
        parse_path(data, pen, arc_class=arc)
    except (ValueError, IndexError, TypeError, KeyError, AssertionError, OverflowError, StopIteration):
        return False
    return True


def polygon(points: Sequence[float], closes: bool) -> list[Track]:
    """Lines through points given as x, y, x, y …"""
    pairs = list(zip(points[::2], points[1::2], strict=False))
    pen = TrackPen()
    if len(pairs) < 2:
        return []
    pen.moveTo(pairs[0])
    for one in pairs[1:]:
        pen.lineTo(one)
    if closes:
        pen.closePath()
    return pen.finish()


def ellipse(cx: float, cy: float, rx: float, ry: float) -> list[Track]:
    """A whole ellipse; nothing if a radius is not above 0."""
    if not (rx > 0 and ry > 0):
        return []
    pen = TrackPen()
    pen.moveTo((cx + rx, cy))
    _arc(pen, (cx, cy), (rx, ry), 0.0, 0.0, 2 * math.pi, (cx + rx, cy))
    pen.closePath()
    return pen.finish()


def rectangle(x: float, y: float, width: float, height: float, rx: float = 0, ry: float = 0) -> list[Track]:
    """A rectangle with rounded corners; nothing if a side is not above 0."""
    if not (width > 0 and height > 0):
        return []
    rx, ry = min(max(rx, 0), width / 2), min(max(ry, 0), height / 2)
    pen = TrackPen()
    if not (rx > 0 and ry > 0):
        return polygon((x, y, x + width, y, x + width, y + height, x, y + height), True)
    right, bottom, quarter = x + width, y + height, math.pi / 2
    pen.moveTo((x + rx, y))
    for cx, cy, first, start in (
        (right - rx, y + ry, -quarter, (right - rx, y)),
        (right - rx, bottom - ry, 0.0, (right, bottom - ry)),
        (x + rx, bottom - ry, quarter, (x + rx, bottom)),
        (x + rx, y + ry, 2 * quarter, (x, y + ry)),
    ):
        pen.lineTo(start)
        _arc(pen, (cx, cy), (rx, ry), 0.0, first, quarter)
    pen.closePath()
    return pen.finish()


def closed(tracks: Sequence[Track]) -> list[Track]:
    """The same, each led back to where it began, as filling has it; what is no finite number is left out."""
    found = []
    for track in tracks:
        curves, straight = track.curves, track.straight
        if not (np.abs(curves) < _MOST).all():
            continue
        if not np.array_equal(curves[-1, 3], curves[0, 0]):
            end, start = curves[-1, 3], curves[0, 0]
            curves = np.concatenate([curves, np.array([[end, end, start, start]])])
            straight = np.append(straight, True)
        found.append(Track(curves, straight, True))
    return found


def packed(tracks: Sequence[Track], even_odd: bool = False, clips: Sequence[int] = ()) -> dict[str, Any]:
    """Tracks to be filled as plain arrays, all closed: curves [n, 4, 2], straight [n], starts [k] of the contours, their fill rule, and the
    numbers of what clips them."""
    shut = closed(tracks)
    curves, straight = [track.curves for track in shut], [track.straight for track in shut]
    ends = np.cumsum([0, *(len(one) for one in curves)])
    return {
        "curves": np.concatenate(curves) if curves else np.empty((0, 4, 2)),
        "straight": np.concatenate(straight) if straight else np.empty(0, bool),
        "starts": ends[:-1].astype(np.int64),
        "even_odd": even_odd,
        "clips": list(clips),
    }


@dataclass(frozen=True, slots=True)
class Stroke:
    """How a line is drawn along a path, in the path's own units."""

    width: float
    cap: str = "butt"
    join: str = "miter"
    limit: float = 4.0
    dashes: tuple[float, ...] = field(default=())
    offset: float = 0.0


_CAPS = {"round": pathops.LineCap.ROUND_CAP, "square": pathops.LineCap.SQUARE_CAP}
_JOINS = {
    "round": pathops.LineJoin.ROUND_JOIN,
    "bevel": pathops.LineJoin.BEVEL_JOIN,
}


def stroked(tracks: Sequence[Track], stroke: Stroke) -> list[Track]:
    """The outline of a stroke, to be filled by the non-zero rule. ValueError for more than MAX_DASHES dashes."""
    if not tracks or not stroke.width > 0:
        return []
    tracks = [track for track in tracks if np.abs(track.curves).max(initial=0) < _MOST]
    if not tracks:
        return []
    points = np.concatenate([track.curves.reshape(-1, 2) for track in tracks])
    low, high = points.min(axis=0), points.max(axis=0)
    extent = float(max((high - low).max(), stroke.width))
    scale = _STROKE_UNITS / extent
    drawn = pathops.Path()
    pen = drawn.getPen()
    for track in tracks:
        own = (track.curves - low) * scale
        pen.moveTo(tuple(own[0, 0]))
        for curve, straight in zip(own, track.straight, strict=True):
            if straight:
                pen.lineTo(tuple(curve[3]))
            else:
                pen.curveTo(*(tuple(one) for one in curve[1:]))
        if track.closes:
            pen.closePath()
        else:
            pen.endPath()
    dashes = stroke.dashes if sum(stroke.dashes) > 0 and min(stroke.dashes) >= 0 else ()
    if dashes:
        way = sum(float(np.hypot(*np.diff(track.curves, axis=1).reshape(-1, 2).T).sum()) for track in tracks)
        if way / sum(dashes) * len(dashes) > MAX_DASHES:
            raise ValueError("too many dashes")
        dashes = dashes * 2 if len(dashes) % 2 else dashes
    drawn.stroke(
        stroke.width * scale,
        _CAPS.get(stroke.cap, pathops.LineCap.BUTT_CAP),
        _JOINS.get(stroke.join, pathops.LineJoin.MITER_JOIN),
        max(stroke.limit, 1.0),
        [one * scale for one in dashes] or None,
        stroke.offset * scale,
    )
    drawn.convertConicsToQuads(1e-3)
    outline = TrackPen()
    drawn.draw(outline)
    back = Transform(1 / scale, 0, 0, 1 / scale, float(low[0]), float(low[1]))
    return [track.moved(back) for track in outline.finish()]
