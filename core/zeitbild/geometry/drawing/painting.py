"""What a drawing paints, as regions that lie beside one another: in each point the colour that is seen there.

Later paint hides earlier paint, so that no two faces lie in one place; paint that lets something through mixes with what is below.
"""

from __future__ import annotations

import itertools
import math
import sys
import threading
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import manifold3d
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from zeitbild.caching import SizedCache
from zeitbild.errors import DrawingError, InputError, LimitError
from zeitbild.geometry.curves import Contour, Points, after_each, before_each, flattened
from zeitbild.geometry.drawing.canvas import (
    MOST_EDGES,
    PLAIN,
    Canvas,
    Changed,
    Fill,
    Filled,
    Group,
    Ink,
    ManyEdgesError,
    Paint,
    Piece,
    hides_all,
    layer_of,
)
from zeitbild.geometry.drawing.filters import steps_below
from zeitbild.geometry.drawing.gradient import Gradient, Painting
from zeitbild.geometry.drawing.inlaid import Inlay
from zeitbild.geometry.drawing.masks import faded, shows
from zeitbild.geometry.drawing.mixing import LONGEST, Sources, changed_layer, painting_of, seen_through
from zeitbild.geometry.drawing.rasters import Raster, raster
from zeitbild.geometry.drawing.reading import read_drawing
from zeitbild.geometry.outline import GRID, Outline, outline_on, step_for
from zeitbild.kernels import kernel

#: Points of all contours at one fineness; colours of a drawing, at most.
MAX_POINTS, MAX_COLOURS = 600_000, 512
#: Crossings of a shape's own edges; pairs of edges looked at.
_MOST_CROSSINGS, _MOST_LOOKS = 200_000, 1_000_000_000
#: Curves that are made polylines at once.
_TOGETHER = 1024
#: Beyond so many steps of the grid nothing is seen of what clips cut off.
_FAR = float(4 * GRID)
#: Gradients that are kept where there are too many colours.
_FEW_GRADIENTS = 48
_EVEN = "so many gradients and pictures that lie over one another that they are mixed by their middle colours there"
_MANY = f"gradients of more than {_FEW_GRADIENTS} shapes: their middle colours stand for them"
_CUT_OFF = "what is half there of a picture: over other paint of this drawing it is there or not"
#: What is seen through a mask hides so much at least, and lets through so much, in the mean.
_LEAST_MEAN = 1 / 64
#: Around what is seen of a shade at the coarsest (a share of the drawing); and what stands before a box.
_AROUND, _IN = 1 / 1024, "@"
#: What stands before the name of a font.
_BY = "~"
#: The power of its share of the drawing by which a smaller picture has fewer pixels along its longer side, how many it has at least and at
#: most; and pixels of all of them.
_FEWER, _LEAST_SIDE, _MOST_LONG, _MOST_PIXELS = 0.75, 16.0, 8192, 6e6
#: What filters made that is kept, by the drawings' numbers.
_changes = SizedCache[Raster | None](96 << 20, lambda one: 0 if one is None else one.pixels.nbytes)
_numbers = itertools.count()
#: Shades that are more than one colour, at most.
_MOST_PAINTINGS = 160
_RULES = {True: manifold3d.FillRule.EvenOdd, False: manifold3d.FillRule.NonZero}


@dataclass(frozen=True, slots=True)
class Shade:
    """A colour as drawings have it: ``#rrggbb``, how much it hides (0 to 1), and the number of its gradient or of the picture that
    fills it (-1: none; the colour is then its middle one), or of what it is mixed (``mixing``). cut: the alpha of that says how much of it
    is there."""

    colour: str
    alpha: float = 1.0
    gradient: int = -1
    inlay: int = -1
    cut: bool = False
    mixed: str = ""

    @property
    def painting(self) -> str:
        """What ``Drawing.painting`` takes for what fills it; empty for one colour, and for a picture of the drawing."""
        return self.mixed or (str(self.gradient) if self.gradient >= 0 else "")


def shares_in(box: Points, points: Points) -> NDArray[np.float32]:
    """Where points [..., 2] of a drawing lie in a picture over a box of it: shares of its width and height from its upper left."""
    low, high = box
    return np.asarray((points - low) / (high - low) * (1, -1) + (0, 1), np.float32)


@dataclass(frozen=True, slots=True, eq=False)
class Region:
    """All that is seen of one shade; see ``Drawing.regions``."""

    shade: Shade
    outline: Outline


def _box(points: Points) -> tuple[float, ...]:
    return (*points.min(axis=0).tolist(), *points.max(axis=0).tolist())


def _cut_off(points: Points) -> Contour | None:
    """A contour that reaches far beyond what is seen, in steps of the grid, cut off there (Sutherland and Hodgman 1974: its winding
    about what is seen stays); None if nothing of it is left."""
    for axis in (0, 1):
        for sign in (1.0, -1.0):
            beyond = sign * points[:, axis] - _FAR
            after, to = after_each(points), after_each(beyond)
            crosses = (beyond > 0) != (to > 0)
            share = np.where(crosses, beyond / np.where(crosses, beyond - to, 1), 0)[:, None]
            both = np.stack([points, points + share * (after - points)], axis=1)
            points = both[np.stack([beyond <= 0, crosses], axis=1)]
            if len(points) < 3:
                return None
    points = np.round(points)
    points = points[(points != before_each(points)).any(axis=1)]
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


class _ManyColoursError(LimitError):
    """More colours than become finishes, of which some are mixed by place."""


class Drawing:
    """A drawing that was read: paint in its order, with what it lets through. Immutable but for what it keeps."""

    def __init__(self, plain: dict[str, Any], label: str, font: str = "") -> None:
        """From what ``read_drawing`` gives with a font of that name; DrawingError if nothing of it is seen, LimitError for too many colours."""
        self._font = f"{_BY}{font}" if font else ""
        self.label, self.notes = label, tuple(str(one) for one in plain["notes"])
        #: Those that shades name.
        self.gradients = tuple(Gradient.of(one) for one in plain.get("gradients", ()))
        #: Whether what lies over one another is mixed as if it were of one colour each, and few gradients are kept.
        self._even = False
        #: Whether edges of pictures over other paint are there or not.
        self._sharp = False
        #: What changes which group.
        self._filters = dict(plain.get("filters", ()))
        self._number = next(_numbers)
        self._paints = self._read(plain["paints"])
        masked = dict(plain.get("masked", ()))
        blends = dict(plain.get("blends", ()))
        self._groups = tuple(
            Group(float(one), masked.get(at, -1), blends.get(at, "")) for at, one in enumerate(plain.get("groups", ()))
        )
        self._masks = [(self._read(one["paints"]), bool(one["light"])) for one in plain.get("masks", ())]
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
        coarse = self._coarsely(plain)
        if not coarse:
            raise DrawingError(f"{label} paints nothing that is seen{self._told()}", "drawing")
        seen = np.array([ink.bounds() for ink in coarse.values()]).reshape(-1, 2, 2) * step_for(self._extent) + low
        #: Lower left and upper right corner [2, 2] of what is seen, in the drawing's units, y up.
        self.bounds: Points = np.stack([seen[:, 0].min(axis=0), seen[:, 1].max(axis=0)])
        #: What is seen, from the lowest paint to the highest.
        self.shades = tuple(coarse)
        #: Lower left and upper right corner [2, 2] of what is seen of each, and a little around it.
        self.boxes: dict[Shade, Points] = {
            shade: box + self._extent * _AROUND * np.array([[-1], [1]]) for shade, box in zip(coarse, seen, strict=True)
        }
        #: What fills those that are more than one colour, as pictures in those boxes.
        self.pictures = self.pictures_in(self.boxes, float((self.bounds[1] - self.bounds[0]).max()))

    def _coarsely(self, plain: dict[str, Any]) -> dict[Shade, Ink]:
        """What is seen of each shade at the coarsest; finds out how much can be mixed by place."""
        for give_up in (self._cut_edges, self._even_out):
            try:
                return self._inked(self._extent / 4096, most_edges=MOST_EDGES)[0]
            except ManyEdgesError:
                self._cut_edges(plain)
            except _ManyColoursError:
                give_up(plain)
        return self._inked(self._extent / 4096)[0]

    def _cut_edges(self, plain: dict[str, Any]) -> None:
        self._sharp = True

    def _even_out(self, plain: dict[str, Any]) -> None:
        self._sharp = self._even = True
        self._paints = self._read(plain["paints"])
        masks = zip(plain.get("masks", ()), self._masks, strict=True)
        self._masks = [(self._read(one["paints"]), light) for one, (_, light) in masks]

    def painting(self, told: str) -> Painting:
        """What fills a shade by place (``Shade.painting``); InputError for what is none."""
        if not told.isdecimal():
            return painting_of(told, self._sources)
        if int(told) >= len(self.gradients):
            raise InputError(f"{self.label} has no gradient {told}")
        return self.gradients[int(told)]

    @property
    def _sources(self) -> Sources:
        return Sources(self.gradients, self.inlays, self._extent, self.label, self._changed_by)

    def levels(self, told: str, most: int, *, alpha: bool) -> list[NDArray[np.float32]]:
        """Pictures of a painting as ``Painting.levels`` gives them, over all of the drawing, or as ``pictures_in`` tells; InputError for what
        tells of none."""
        named, boxed, rest = told.partition(_IN)
        painting = self.painting(named)
        if not boxed:
            return painting.levels(self.bounds, painting.side, most, alpha=alpha)
        try:
            *corners, pixels = (float(one) for one in rest.split(","))
            box = np.array(corners).reshape(2, 2)
        except ValueError:
            raise InputError(f"{self.label} has no place {rest[:40]!r}") from None
        if not (np.isfinite(box).all() and (box[0] < box[1]).all() and 1 <= pixels <= _MOST_LONG):
            raise InputError(f"{self.label} has no place {rest[:40]!r}")
        return painting.levels(box, int(pixels), most, alpha=alpha)

    def pictures_in(self, boxes: Mapping[Shade, Points], extent: float) -> dict[Shade, str]:
        """What ``levels`` takes for a picture of what fills each shade that is more than one colour, in its box [2, 2] of a drawing that is
        ``extent`` large. What is smaller has fewer pixels, but not so few; all together have no more than a set can hold."""
        sides, pixels = {}, 0.0
        for shade, box in boxes.items():
            if shade.painting:
                whole, (shorter, longest) = self.painting(shade.painting).side, np.sort(box[1] - box[0])
                side = min(max(whole * (longest / extent) ** _FEWER, _LEAST_SIDE), 2.0 * whole)
                sides[shade] = side
                pixels += side * side * shorter / longest * (2 if shade.cut else 1)
        scale = min(1.0, math.sqrt(_MOST_PIXELS / max(pixels, 1.0)))
        corners = {shade: ",".join(repr(float(one)) for one in boxes[shade].reshape(-1)) for shade in sides}
        return {
            shade: f"{shade.painting}{_IN}{corners[shade]},{max(2, round(side * scale))}{self._font}"
            for shade, side in sides.items()
        }

    def like(self, shade: Shade) -> int:
        """Which of the shades that are seen one is, or is most like: a finer look shows more."""
        if shade in self.boxes:
            return self.shades.index(shade)

        def parts(one: Shade) -> Points:
            return np.array([*(int(one.colour[at : at + 2], 16) / 255 for at in (1, 3, 5)), one.alpha])

        return int(np.argmin([np.abs(parts(one) - parts(shade)).sum() for one in self.shades]))

    def _read(self, paints: Sequence[dict[str, Any]]) -> list[Paint]:
        """Things that are painted, of those that somebody sees."""
        return [
            Paint(
                Filled.of(one),
                _three(one["colour"]),
                min(max(float(one["alpha"]), 0.0), 1.0),
                self._fill(one),
                tuple(one.get("groups", ())),
                int(one.get("at", -1)),
            )
            for one in paints
            if not one.get("hidden")
        ]

    def _fill(self, paint: dict[str, Any]) -> Fill:
        """What fills something that is painted, beside its colour."""
        gradient, inlay = int(paint.get("gradient", -1)), int(paint.get("inlay", -1))
        if self._even and gradient >= _FEW_GRADIENTS:
            self._note(_MANY)
            gradient = -1
        fades = gradient >= 0 and self.gradients[gradient].fades
        return Fill(gradient, inlay, paint.get("cut") or "", mean=self.gradients[gradient].mean if fades else 0.0)

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

    def _inked(self, tolerance: float, most_edges: int = sys.maxsize) -> tuple[dict[Shade, Ink], list[Contour]]:
        """What is seen of each shade in steps of the grid, and the contours that all of it was made of. ManyEdgesError for more edges of
        pictures over other paint that are mixed with it."""
        canvas, sources = self._canvas(tolerance, self._paints, most_edges)
        pieces = canvas.painted(self._paints, 0)
        if canvas.evened:
            self._note(_EVEN)
        if canvas.cut_off and any(one.soft for one in self.inlays):
            self._note(_CUT_OFF)
        return self._alike(pieces), sources

    def _canvas(self, tolerance: float, paints: Sequence[Paint], most_edges: int) -> tuple[Canvas, list[Contour]]:
        """Where paints are laid over one another, and the contours that all of it will be made of."""
        low, step = self._low, step_for(self._extent)
        sources: list[Contour] = []
        count = 0

        flat = self._flattened(tolerance, paints)

        def ink_of(filled: Filled) -> Ink:
            nonlocal count
            rings = []
            for curved in filled.contours:
                polyline = flat[id(curved)]
                points = (polyline.points - low) / step
                own = Contour(np.round(points), polyline.normals) if np.abs(points).max() < _FAR else _cut_off(points)
                if own is None:
                    continue
                count += len(own.points)
                if count > MAX_POINTS:
                    raise self._too_fine()
                sources.append(own)
                rings.append(own.points)
            self._check_tangle(rings)
            ink = Ink(rings, _RULES[filled.even_odd])
            for clip in filled.clips:
                ink = ink ^ clip_ink(clip)
            return ink

        clips: dict[int, Ink] = {}

        def clip_ink(number: int) -> Ink:
            if number not in clips:
                own = [ink_of(one) for one in self._clips[number]]
                clips[number] = manifold3d.CrossSection.batch_boolean(own, manifold3d.OpType.Add) if own else Ink()
            return clips[number]

        def change(number: int, own: Sequence[Paint]) -> Changed | None:
            plain = self._filters.get(number)
            if plain is None:
                return None
            text = changed_layer(number, [one.at for one in own], 1.0)
            made, ink, fill, alpha, colour = self._changed(text.partition(".")[0]), Ink(), PLAIN, 1.0, (0.0, 0.0, 0.0)
            if made is not None and made.pixels.any():
                hides, colour = made.mean
                alpha = min(max(hides, _LEAST_MEAN), 1 - _LEAST_MEAN)
                fill = Fill(mixed=text, mean=alpha)
                left, bottom, right, top = ((made.box - low) / step).reshape(-1).tolist()
                ring = np.round(np.array([[left, bottom], [right, bottom], [right, top], [left, top]]))
                sources.append(Contour.of_polyline(ring))
                ink = Ink([ring], _RULES[False])
            keeps = made is not None and made.below
            return Changed(ink, colour, alpha, fill, keeps, [clip_ink(one) for one in plain["clips"]])

        most_edges = 0 if self._sharp else most_edges
        through = self._through
        canvas = Canvas(self.label, self._groups, ink_of, self._masks, through, change, self._even, most_edges)
        return canvas, sources

    def _changed_by(self, text: str) -> Painting:
        """What a filter makes of some paints; InputError for what is not there."""
        found = self._changed(text)
        if found is None:
            raise InputError(f"{self.label} has no filter {text[:40]!r}")
        return found

    def _changed(self, text: str) -> Raster | None:
        """The same; None if nothing of it is seen."""
        return _changes.get((self._number, text), lambda: self._filtered(text))

    def _filtered(self, text: str) -> Raster | None:
        head, *runs = text.split(":")
        number, ends = int(head[1:]), [[int(end) for end in run.split("-")] for run in runs]
        plain = self._filters.get(number)
        if plain is None:
            return None
        every = itertools.chain(self.plain["paints"], *(one["paints"] for one in self.plain.get("masks", ())))
        own = [one for one in every if any(a <= one.get("at", -1) <= b for a, b in ends)]
        paints = self._read([{**one, "hidden": False} for one in own])
        if not paints or any(number not in one.groups for one in paints):
            return None
        canvas, _ = self._canvas(self._extent / 4096, paints, sys.maxsize)
        step, parts = step_for(self._extent), []
        pieces = canvas.painted(paints, paints[0].groups.index(number) + 1)
        below = steps_below(plain["steps"])
        if below is not None and plain["steps"][-1]["linear"] and not all(map(hides_all, pieces)):
            # What lets something through mixes with what is below as light.
            below = None
        for piece in pieces:
            rings = [np.asarray(ring) * step + self._low for ring in piece.rest().to_polygons()]
            if rings:
                parts.append((rings, painting_of(layer_of(piece), self._sources)))
        a, b, c, d, _, _ = plain["onto"]
        corners = np.array(plain["corners"], np.float64) * (1, -1)
        steps = plain["steps"] if below is None else below
        made = raster(
            parts, steps, np.array([[a, c], [b, d]]), corners, self._within(plain), self._extent, below is not None
        )
        return made if made is not None or below is None else Raster.nothing(corners)

    def _within(self, plain: dict[str, Any]) -> Points:
        """The box [2, 2] beyond which nothing of what a filter makes is seen."""
        box: Points = self._low + np.array([[-1.0], [2.0]]) * self._extent
        for number in plain["clips"]:
            around = [one for clip in self._clips[number] if (one := self._reach(clip)) is not None]
            if around:
                low, high = np.min([one[0] for one in around], axis=0), np.max([one[1] for one in around], axis=0)
                box = np.stack([np.maximum(box[0], low), np.minimum(box[1], high)])
        return box

    def _flattened(self, tolerance: float, paints: Sequence[Paint]) -> dict[int, Contour]:
        """All contours as polylines, by their identity; LimitError for too many points."""
        contours = [one for filled in self._fills(paints) for one in filled.contours]
        found: dict[int, Contour] = {}
        points = 0
        # So many at once that arrays stay small.
        ends = np.cumsum([len(one.curves) for one in contours]) // _TOGETHER
        for own in np.split(np.arange(len(contours)), np.flatnonzero(np.diff(ends)) + 1):
            chunk = [contours[at] for at in own.tolist()]
            lines = flattened(chunk, tolerance) if chunk else []
            points += sum(len(one.points) for one in lines)
            if points > MAX_POINTS:
                raise self._too_fine()
            found |= {id(curved): line for curved, line in zip(chunk, lines, strict=True)}
        return found

    def _fills(self, painted: Sequence[Paint]) -> Iterator[Filled]:
        """All that is painted, what masks of it paint, and what cuts it off."""
        paints, masks, clips = list(painted), set[int](), set[int]()
        for paint in paints:
            # What is walked through grows: masks may have masks.
            for mask in {self._groups[group].mask for group in paint.groups} - {-1} - masks:
                masks.add(mask)
                paints += self._masks[mask][0]
        fills = [paint.filled for paint in paints]
        filters = {group for paint in paints for group in paint.groups} & self._filters.keys()
        cuts = [self._filters[number]["clips"] for number in filters]
        for cut in cuts:
            for clip in set(cut) - clips:
                clips.add(clip)
                fills += self._clips[clip]
        for filled in fills:
            for clip in set(filled.clips) - clips:
                clips.add(clip)
                fills += self._clips[clip]
            yield filled

    def _too_fine(self) -> LimitError:
        return LimitError(f"{self.label} has too many curves for a picture of this size", "drawing")

    def _through(self, piece: Piece, mask: Piece, light: bool) -> tuple[float, Fill]:
        """How much of a piece is seen through one of a mask, and what fills it then."""
        shown = mask.alpha * shows(mask.colour, light)
        number = mask.fill.gradient
        if mask.fill == PLAIN:
            return piece.alpha * shown, piece.fill
        if number >= 0:
            gradient = self.gradients[number]
            whole = faded(gradient, piece.colour, light)
            # Besides what the gradient says of itself something else may let through.
            shown = mask.alpha / max(gradient.mean, 1e-9) * whole.mean
            if not whole.fades:
                return piece.alpha * shown, piece.fill
        text = seen_through(layer_of(piece), layer_of(mask), light=light)
        if len(text) > LONGEST or self._even:
            self._note(_EVEN)
            return piece.alpha * shown, piece.fill
        mean = min(max(piece.alpha * shown, _LEAST_MEAN), 1 - _LEAST_MEAN)
        return mean, Fill(mixed=text, mean=mean)

    def _note(self, text: str) -> None:
        if text not in self.notes:
            self.notes = (*self.notes, text)

    def _check_tangle(self, rings: Sequence[Points]) -> None:
        """Refuse a shape whose edges cross one another so often that nobody could tell what it is: each crossing becomes a point."""
        if not rings:
            return
        starts, ends = np.concatenate(rings), np.concatenate([after_each(ring) for ring in rings])
        if _crossings(starts, ends, _MOST_CROSSINGS, _MOST_LOOKS) > _MOST_CROSSINGS:
            raise LimitError(f"{self.label} has a shape whose edges cross one another too often", "drawing")

    def _alike(self, pieces: Sequence[Piece]) -> dict[Shade, Ink]:
        """Pieces of one shade made one. Of too many that are more than one colour the smallest become their middle one."""
        alike: dict[Shade, list[Piece]] = {}
        for piece in pieces:
            if not piece.rest().is_empty():
                alike.setdefault(shade_of(piece.colour, piece.alpha, piece.fill), []).append(piece)
        paintings = [shade for shade in alike if shade.painting]
        if len(paintings) > _MOST_PAINTINGS:
            self._note(_EVEN)
            areas = {shade: sum(piece.ink.area() for piece in alike[shade]) for shade in paintings}
            small = set(sorted(paintings, key=lambda shade: -areas[shade])[_MOST_PAINTINGS:])
            before, alike = alike, {}
            for shade, own in before.items():
                for piece in own:
                    fill = PLAIN if shade in small else piece.fill
                    alike.setdefault(shade_of(piece.colour, piece.alpha, fill), []).append(piece)
        # Pictures have a limit of their own.
        colours = sum(shade.inlay < 0 for shade in alike)
        if colours > MAX_COLOURS:
            kind = _ManyColoursError if paintings and not self._even else LimitError
            raise kind(
                f"{self.label} shows {colours} colours; up to {MAX_COLOURS} become finishes, so simplify it",
                "drawing",
            )
        inks = {shade: [piece.ink for piece in own] for shade, own in alike.items()}
        return {
            shade: own[0] if len(own) == 1 else manifold3d.CrossSection.batch_boolean(own, manifold3d.OpType.Add)
            for shade, own in inks.items()
        }

    def _painted(self, tolerance: float) -> list[Region]:
        inks, sources = self._inked(tolerance)
        low, step = self._low, step_for(self._extent)
        boxes = np.array([_box(one.points) for one in sources]).reshape(-1, 4)
        found = []
        for shade, whole in inks.items():
            rings = [np.asarray(ring) for ring in whole.to_polygons()]
            if not rings:
                continue
            left, bottom, right, top = _box(np.concatenate(rings))
            near = (boxes[:, 0] <= right) & (boxes[:, 2] >= left) & (boxes[:, 1] <= top) & (boxes[:, 3] >= bottom)
            outline = outline_on(rings, [sources[at] for at in np.flatnonzero(near)], low, step)
            if outline is not None:
                found.append(Region(shade, outline))
        return found


def shade_of(colour: Sequence[float], alpha: float, fill: Fill = PLAIN) -> Shade:
    """The shade nearest to three shares from 0 to 1 and an alpha."""
    named = "#" + "".join(f"{round(255 * part):02x}" for part in colour)
    if fill.mean > 0:
        # Its own alpha comes on top.
        return Shade(named, round(min(alpha / fill.mean, 1.0), 3), fill.gradient, cut=True, mixed=fill.mixed)
    return Shade(named, round(min(alpha, 1.0), 3), fill.gradient, fill.inlay, bool(fill.cut), fill.mixed)


#: By what the pictures in them take; a plain drawing counts as a thirty-second of it all.
_drawings = SizedCache[Drawing](
    192 << 20, lambda one: (6 << 20) + sum(len(file) for file in one.plain.get("files", ()))
)


def drawing_at(path: Path, label: str, font: tuple[str, Path] | None = None) -> Drawing:
    """The drawing in a file, which never changes; DrawingError for what cannot be read. font is that of text which asks for one that
    does not ship: its name, as textures say it, and its file."""

    def made() -> Drawing:
        plain = read_drawing(path.read_bytes(), label, b"" if font is None else font[1].read_bytes())
        return Drawing(plain, label, "" if font is None else font[0])

    return _drawings.get((str(path), font), made)


def in_font(told: str) -> tuple[str, str]:
    """What fills something by place, and the name of the font that its drawing is read with (empty: none)."""
    named, _, font = told.partition(_BY)
    return named, font
