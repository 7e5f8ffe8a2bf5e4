"""What a drawing paints, as regions that lie beside one another: in each point the colour that is seen there.

Later paint hides earlier paint, so that no two faces lie in one place; paint that lets something through mixes with what is below.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal, TypeAlias

import manifold3d
import numpy as np
from cachetools import LRUCache

from zeitbild.caching import SizedCache
from zeitbild.errors import DrawingError, LimitError
from zeitbild.geometry.curves import Contour, CurvedContour, Points
from zeitbild.geometry.drawing.gradient import Gradient
from zeitbild.geometry.drawing.inlaid import Inlay
from zeitbild.geometry.drawing.reading import read_drawing
from zeitbild.geometry.outline import GRID, Outline, outline_on, step_for
from zeitbild.kernels import kernel

#: Points of all contours at one fineness; regions; colours of a drawing, at most.
MAX_POINTS, MAX_REGIONS, MAX_COLOURS = 600_000, 20_000, 64
#: Points of all that hides something, counted for each that it hides; crossings of a shape's own edges; pairs of edges looked at.
_MOST_HIDDEN, _MOST_CROSSINGS, _MOST_LOOKS = 20_000_000, 200_000, 1_000_000_000
#: Paint at least so opaque hides all that is below it.
_HIDES = 1 - 1 / 512
#: Beyond so many steps of the grid nothing is seen of what clips cut off.
_FAR = float(4 * GRID)
_Ink: TypeAlias = manifold3d.CrossSection
#: Of a picture's edge, where less than half of it is there and where more is.
Cut = Literal["", "weak", "strong"]
_EVEN = "a gradient that fades out over other paint: there it lets through as much everywhere"
_RULES = {True: manifold3d.FillRule.EvenOdd, False: manifold3d.FillRule.NonZero}


@dataclass(frozen=True, slots=True, eq=False)
class Filled:
    """Closed contours, y up, with their fill rule and the numbers of the clips that cut them."""

    contours: tuple[CurvedContour, ...]
    even_odd: bool
    clips: tuple[int, ...]

    @classmethod
    def of(cls, plain: dict[str, Any]) -> Filled:
        """From what ``read_drawing`` gives."""
        curves = np.asarray(plain["curves"], np.float64) * (1.0, -1.0)
        straight, starts = np.asarray(plain["straight"], bool), np.asarray(plain["starts"], np.int64)
        cuts = starts[1:]
        contours = zip(np.split(curves, cuts), np.split(straight, cuts), strict=True) if len(starts) else ()
        return cls(tuple(CurvedContour(*one) for one in contours), bool(plain["even_odd"]), tuple(plain["clips"]))

    @property
    def box(self) -> Points | None:
        """Lower left and upper right corner [2, 2] around its curves; None if it has none."""
        if not self.contours:
            return None
        points = np.concatenate([contour.curves.reshape(-1, 2) for contour in self.contours])
        return np.stack([points.min(axis=0), points.max(axis=0)])


@dataclass(frozen=True, slots=True)
class Shade:
    """A colour as drawings have it: ``#rrggbb``, how much it hides (0 to 1), and the number of its gradient or of the picture that
    fills it (-1: none; the colour is then its middle one). cut: the alpha of that says how much of it is there."""

    colour: str
    alpha: float = 1.0
    gradient: int = -1
    inlay: int = -1
    cut: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Region:
    """All that is seen of one shade; see ``Drawing.regions``."""

    shade: Shade
    outline: Outline


@dataclass(frozen=True, slots=True)
class _Fill:
    """What fills an outline beside its colour; see ``Shade``."""

    gradient: int = -1
    inlay: int = -1
    cut: Cut = ""
    #: Of a gradient that fades out: how much it hides in the mean.
    mean: float = 0.0


_PLAIN = _Fill()


@dataclass(frozen=True, slots=True, eq=False)
class _Paint:
    """One thing that is painted: what is filled, with which shade (its colour as three shares), in which groups from the outmost to the
    inmost."""

    filled: Filled
    colour: tuple[float, float, float]
    alpha: float
    fill: _Fill
    groups: tuple[int, ...]


@dataclass(slots=True, eq=False)
class _Piece:
    """A part of the picture while it is painted: ink of one colour, and what hides it."""

    ink: _Ink
    colour: tuple[float, float, float]
    alpha: float
    box: tuple[float, ...]
    fill: _Fill = _PLAIN
    cuts: list[_Ink] = field(default_factory=list)

    def rest(self) -> _Ink:
        """What is left of it; worked out once for all that hides it."""
        if self.cuts:
            self.ink = self.ink - manifold3d.CrossSection.batch_boolean(self.cuts, manifold3d.OpType.Add)
            self.cuts = []
        return self.ink


def _meet(a: tuple[float, ...], b: tuple[float, ...]) -> bool:
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]


def _box(points: Points) -> tuple[float, ...]:
    return (*points.min(axis=0).tolist(), *points.max(axis=0).tolist())


def _cut_off(points: Points) -> Contour | None:
    """A contour that reaches far beyond what is seen, in steps of the grid, cut off there (Sutherland and Hodgman 1974: its winding
    about what is seen stays); None if nothing of it is left."""
    for axis in (0, 1):
        for sign in (1.0, -1.0):
            beyond = sign * points[:, axis] - _FAR
            after, to = np.roll(points, -1, axis=0), np.roll(beyond, -1)
            crosses = (beyond > 0) != (to > 0)
            share = np.where(crosses, beyond / np.where(crosses, beyond - to, 1), 0)[:, None]
            both = np.stack([points, points + share * (after - points)], axis=1)
            points = both[np.stack([beyond <= 0, crosses], axis=1)]
            if len(points) < 3:
                return None
    points = np.round(points)
    points = points[(points != np.roll(points, 1, axis=0)).any(axis=1)]
    return Contour.of_polyline(points) if len(points) >= 3 else None


def _three(colour: Sequence[float]) -> tuple[float, float, float]:
    red, green, blue = (float(part) for part in colour)
    return red, green, blue


@kernel
def _crossings(starts, ends, most, looks):  # type: ignore[no-untyped-def]
    """How many pairs of edges cross; counted up to one more than ``most``, and as that if more than so many pairs lie beside one another."""
    count = starts.shape[0]
    low, high = np.minimum(starts[:, 0], ends[:, 0]), np.maximum(starts[:, 0], ends[:, 0])
    order = np.argsort(low, kind="mergesort")
    found = 0
    for i in range(count):
        k = order[i]
        ax, ay, bx, by = starts[k, 0], starts[k, 1], ends[k, 0], ends[k, 1]
        low_y, high_y = min(ay, by), max(ay, by)
        for j in range(i + 1, count):
            m = order[j]
            if low[m] > high[k]:
                break
            looks -= 1
            if looks < 0:
                return most + 1
            cx, cy, dx, dy = starts[m, 0], starts[m, 1], ends[m, 0], ends[m, 1]
            if max(cy, dy) < low_y or min(cy, dy) > high_y:
                continue
            c = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
            d = (bx - ax) * (dy - ay) - (by - ay) * (dx - ax)
            a = (dx - cx) * (ay - cy) - (dy - cy) * (ax - cx)
            b = (dx - cx) * (by - cy) - (dy - cy) * (bx - cx)
            if c * d < 0 and a * b < 0:
                found += 1
                if found > most:
                    return found
    return found


class Drawing:
    """A drawing that was read: paint in its order, with what it lets through. Immutable but for what it keeps."""

    def __init__(self, plain: dict[str, Any], label: str) -> None:
        """From what ``read_drawing`` gives; DrawingError if nothing of it is seen, LimitError for too many colours."""
        self.label, self.notes = label, tuple(str(one) for one in plain["notes"])
        #: Those that shades name.
        self.gradients = tuple(Gradient.of(one) for one in plain.get("gradients", ()))
        self._paints = [
            _Paint(
                Filled.of(one),
                _three(one["colour"]),
                min(max(float(one["alpha"]), 0.0), 1.0),
                self._fill(one),
                tuple(one.get("groups", ())),
            )
            for one in plain["paints"]
            if not one.get("hidden")
        ]
        self._groups = tuple(float(one) for one in plain.get("groups", ()))
        # What came from the reading process is made what others keep, once for all drawings of its parts.
        files = plain.get("files", [])
        files[:] = [bytes(one) for one in files]
        self.inlays = tuple(Inlay.of(one, files) for one in plain.get("inlays", ()))
        self._clips = [[Filled.of(one) for one in clip] for clip in plain["clips"]]
        #: What it was made of.
        self.plain = plain
        boxes = [box for paint in self._paints if (box := self._reach(paint.filled)) is not None]
        if not boxes:
            raise DrawingError(f"{label} paints nothing that could become a solid{self._told()}", "drawing")
        low = np.min([box[0] for box in boxes], axis=0)
        high = np.max([box[1] for box in boxes], axis=0)
        self._low, self._extent = low, float((high - low).max())
        if not (self._extent > 0 and np.isfinite(self._extent)):
            raise DrawingError(f"{label} has no size", "drawing")
        self._kept: LRUCache[float, tuple[Region, ...]] = LRUCache(4)
        self._lock = threading.Lock()
        coarse = self.regions(self._extent / 4096)
        if not coarse:
            raise DrawingError(f"{label} paints nothing that is seen{self._told()}", "drawing")
        seen = np.array([one.outline.bounds for one in coarse])
        #: Lower left and upper right corner [2, 2] of what is seen, in the drawing's units, y up.
        self.bounds: Points = np.stack([seen[:, 0].min(axis=0), seen[:, 1].max(axis=0)])
        #: What is seen, from the lowest paint to the highest.
        self.shades = tuple(one.shade for one in coarse)

    def _fill(self, paint: dict[str, Any]) -> _Fill:
        """What fills something that is painted, beside its colour."""
        gradient, inlay = int(paint.get("gradient", -1)), int(paint.get("inlay", -1))
        fades = gradient >= 0 and self.gradients[gradient].fades
        return _Fill(gradient, inlay, paint.get("cut") or "", self.gradients[gradient].mean if fades else 0.0)

    def _told(self) -> str:
        return f" (left out: {'; '.join(self.notes[:3])})" if self.notes else ""

    def _reach(self, filled: Filled) -> Points | None:
        """Lower left and upper right corner [2, 2] around what is filled, as far as its clips let it through; None for nothing."""
        box = filled.box
        for number in filled.clips:
            around = [one for clip in self._clips[number] if (one := self._reach(clip)) is not None]
            if box is None or not around:
                return None
            low, high = np.min([one[0] for one in around], axis=0), np.max([one[1] for one in around], axis=0)
            box = np.stack([np.maximum(box[0], low), np.minimum(box[1], high)])
            if not (box[0] < box[1]).all():
                return None
        return box

    def regions(self, tolerance: float) -> tuple[Region, ...]:
        """What is seen of each shade, from the lowest paint to the highest, curves within ``tolerance`` (the drawing's units).

        The last few are kept.
        """
        with self._lock:
            found = self._kept.get(tolerance)
            if found is None:
                found = self._kept[tolerance] = tuple(self._painted(tolerance))
            return found

    def _painted(self, tolerance: float) -> list[Region]:
        low, step = self._low, step_for(self._extent)
        sources: list[Contour] = []
        count = 0

        def ink_of(filled: Filled) -> _Ink:
            nonlocal count
            rings = []
            for curved in filled.contours:
                flat = curved.flattened(tolerance)
                points = (flat.points - low) / step
                own = Contour(np.round(points), flat.normals) if np.abs(points).max() < _FAR else _cut_off(points)
                if own is None:
                    continue
                count += len(own.points)
                if count > MAX_POINTS:
                    raise LimitError(f"{self.label} has too many curves for a picture of this size", "drawing")
                sources.append(own)
                rings.append(own.points)
            self._check_tangle(rings)
            ink = _Ink(rings, _RULES[filled.even_odd])
            for clip in filled.clips:
                ink = ink ^ clip_ink(clip)
            return ink

        clips: dict[int, _Ink] = {}

        def clip_ink(number: int) -> _Ink:
            if number not in clips:
                own = [ink_of(one) for one in self._clips[number]]
                clips[number] = manifold3d.CrossSection.batch_boolean(own, manifold3d.OpType.Add) if own else _Ink()
            return clips[number]

        canvas = _Canvas(self.label, self._groups, ink_of)
        pieces = canvas.painted(self._paints, 0)
        if canvas.even and _EVEN not in self.notes:
            self.notes = (*self.notes, _EVEN)
        return self._gathered(pieces, sources, low, step)

    def _check_tangle(self, rings: Sequence[Points]) -> None:
        """Refuse a shape whose edges cross one another so often that nobody could tell what it is: each crossing becomes a point."""
        if not rings:
            return
        starts, ends = np.concatenate(rings), np.concatenate([np.roll(ring, -1, axis=0) for ring in rings])
        if _crossings(starts, ends, _MOST_CROSSINGS, _MOST_LOOKS) > _MOST_CROSSINGS:
            raise LimitError(f"{self.label} has a shape whose edges cross one another too often", "drawing")

    def _gathered(self, pieces: Sequence[_Piece], sources: list[Contour], low: Points, step: float) -> list[Region]:
        """Pieces of one shade made one region each."""
        inks: dict[Shade, list[_Ink]] = {}
        for piece in pieces:
            ink = piece.rest()
            if not ink.is_empty():
                inks.setdefault(shade_of(piece.colour, piece.alpha, piece.fill), []).append(ink)
        # Pictures have a limit of their own.
        colours = sum(shade.inlay < 0 for shade in inks)
        if colours > MAX_COLOURS:
            raise LimitError(
                f"{self.label} shows {colours} colours; up to {MAX_COLOURS} become finishes, so simplify it",
                "drawing",
            )
        boxes = np.array([_box(one.points) for one in sources]).reshape(-1, 4)
        found = []
        for shade, own in inks.items():
            whole = own[0] if len(own) == 1 else manifold3d.CrossSection.batch_boolean(own, manifold3d.OpType.Add)
            rings = [np.asarray(ring) for ring in whole.to_polygons()]
            if not rings:
                continue
            left, bottom, right, top = _box(np.concatenate(rings))
            near = (boxes[:, 0] <= right) & (boxes[:, 2] >= left) & (boxes[:, 1] <= top) & (boxes[:, 3] >= bottom)
            outline = outline_on(rings, [sources[at] for at in np.flatnonzero(near)], low, step)
            if outline is not None:
                found.append(Region(shade, outline))
        return found


def shade_of(colour: Sequence[float], alpha: float, fill: _Fill = _PLAIN) -> Shade:
    """The shade nearest to three shares from 0 to 1 and an alpha."""
    named = "#" + "".join(f"{round(255 * part):02x}" for part in colour)
    if fill.mean > 0:
        # Its own alpha comes on top.
        return Shade(named, round(min(alpha / fill.mean, 1.0), 3), fill.gradient, cut=True)
    return Shade(named, round(min(alpha, 1.0), 3), fill.gradient, fill.inlay, bool(fill.cut))


def _mixed(own: _Piece, below: Sequence[_Piece]) -> list[_Piece]:
    """Paint that lets something through: pieces where it lies over others, mixed as CSS mixes (over, of encoded colours; of gradients
    their middle colours), and the rest."""
    found, free, alpha = [], own.ink, own.alpha
    for one in below:
        under = one.rest()
        both = under ^ own.ink
        if both.is_empty():
            continue
        total = alpha + one.alpha * (1 - alpha)
        mixed = tuple(
            (mine * alpha + other * one.alpha * (1 - alpha)) / total
            for mine, other in zip(own.colour, one.colour, strict=True)
        )
        one.ink, free = under - own.ink, free - under
        box = tuple(both.bounds())
        found.append(_Piece(both, (mixed[0], mixed[1], mixed[2]), 1.0 if total >= _HIDES else total, box))
    if not free.is_empty():
        found.append(_Piece(free, own.colour, alpha, own.box, own.fill))
    return found


@dataclass(slots=True, eq=False)
class _Canvas:
    """Lays paint over paint: groups by their opacity, and what gives the ink of what is filled."""

    label: str
    groups: tuple[float, ...]
    ink_of: Callable[[Filled], _Ink]
    hidden: int = 0
    #: Whether a gradient that fades out lies over other paint, where it hides as much everywhere.
    even: bool = False

    def painted(self, paints: Sequence[_Paint], depth: int) -> list[_Piece]:
        """What is seen of paints that have the groups up to ``depth`` in common; a group further in is painted by itself and then laid
        over what is there as one."""
        pieces: list[_Piece] = []
        at = 0
        while at < len(paints):
            own = paints[at].groups[depth : depth + 1]
            end = at + 1
            while own and end < len(paints) and paints[end].groups[depth : depth + 1] == own:
                end += 1
            # Pieces of a group lie beside one another: they are laid over what was there before it alone.
            before = list(pieces) if own else pieces
            for piece in self.painted(paints[at:end], depth + 1) if own else self._piece(paints[at]):
                ink = piece.rest()
                if not ink.is_empty():
                    alpha = piece.alpha * (self.groups[own[0]] if own else 1.0)
                    top = _Piece(ink, piece.colour, alpha, tuple(ink.bounds()), piece.fill)
                    pieces += self._over(top, [one for one in before if _meet(one.box, top.box)])
            if len(pieces) > MAX_REGIONS:
                raise LimitError(
                    f"{self.label} has more than {MAX_REGIONS} regions that show through others", "drawing"
                )
            at = end
        return pieces

    def _piece(self, paint: _Paint) -> list[_Piece]:
        ink = self.ink_of(paint.filled)
        if ink.is_empty():
            return []
        return [_Piece(ink, paint.colour, paint.alpha, tuple(ink.bounds()), paint.fill)]

    def _over(self, top: _Piece, below: Sequence[_Piece]) -> list[_Piece]:
        """Pieces to be added once one is laid over others, which are changed in place."""
        if top.alpha < _HIDES:
            found = _mixed(top, below)
            self.even = self.even or (top.fill.mean > 0 and len(found) > 1)
            return found
        if top.fill.cut:
            return self._edge_over(top, below)
        self.hidden += len(below) * top.ink.num_vert()
        if self.hidden > _MOST_HIDDEN:
            raise LimitError(f"{self.label} has too many shapes that lie over one another; join some", "drawing")
        for one in below:
            one.cuts.append(top.ink)
        top.alpha = 1.0
        return [top]

    def _edge_over(self, top: _Piece, below: Sequence[_Piece]) -> list[_Piece]:
        """The edge of a picture: its alpha is kept where nothing is below; over other paint it is there from the half on."""
        if not below:
            return [top]
        under = manifold3d.CrossSection.batch_boolean([one.rest() for one in below], manifold3d.OpType.Add)
        free, both = top.ink - under, top.ink ^ under
        found = [] if free.is_empty() else [_Piece(free, top.colour, 1.0, tuple(free.bounds()), top.fill)]
        if top.fill.cut == "strong" and not both.is_empty():
            whole = _Piece(both, top.colour, 1.0, tuple(both.bounds()), _Fill(top.fill.gradient, top.fill.inlay))
            found += self._over(whole, below)
        return found


#: By what the pictures in them take; a plain drawing counts as a thirty-second of it all.
_drawings = SizedCache[Drawing](
    192 << 20, lambda one: (6 << 20) + sum(len(file) for file in one.plain.get("files", ()))
)


def drawing_at(path: Path, label: str) -> Drawing:
    """The drawing in a file, which never changes; DrawingError for what cannot be read."""
    return _drawings.get(str(path), lambda: Drawing(read_drawing(path.read_bytes(), label), label))
