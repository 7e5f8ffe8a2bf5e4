"""What a drawing paints, as regions that lie beside one another: in each point the colour that is seen there.

Later paint hides earlier paint, so that no two faces lie in one place; paint that lets something through mixes with what is below.
"""

from __future__ import annotations

import itertools
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
from zeitbild.geometry.curves import Contour, Points
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
from zeitbild.geometry.drawing.filters import filters_of
from zeitbild.geometry.drawing.gradient import Gradient, Painting
from zeitbild.geometry.drawing.inking import Inking
from zeitbild.geometry.drawing.inlaid import Inlay
from zeitbild.geometry.drawing.masks import faded, shows
from zeitbild.geometry.drawing.mixing import LONGEST, Sources, changed_by, changed_layer, painting_of, seen_through
from zeitbild.geometry.drawing.rasters import Raster, raster
from zeitbild.geometry.drawing.reading import read_drawing
from zeitbild.geometry.drawing.shades import Pictured, Shade, pictures_of, shade_of
from zeitbild.geometry.outline import Outline, outline_on, step_for
from zeitbild.shipped import style_of

#: Colours of a drawing, and shades that are more than one colour, at most.
MAX_COLOURS, _MOST_PAINTINGS = 512, 160
#: Gradients that are kept where there are too many colours.
_FEW_GRADIENTS = 48
_EVEN = "so many gradients and pictures that lie over one another that they are mixed by their middle colours there"
_MANY = f"gradients of more than {_FEW_GRADIENTS} shapes: their middle colours stand for them"
_CUT_OFF = "what is half there of a picture: over other paint of this drawing it is there or not"
#: What is seen through a mask hides so much at least, and lets through so much, in the mean.
_LEAST_MEAN = 1 / 64
#: How fine a drawing is when it is first looked at, and around what is seen of a shade then (shares of the drawing).
_COARSE, _AROUND = 1 / 4096, 1 / 1024
#: What filters made that is kept, by the drawings' numbers.
_changes = SizedCache[Raster | None](96 << 20, lambda one: 0 if one is None else one.pixels.nbytes)
_numbers = itertools.count()


@dataclass(frozen=True, slots=True, eq=False)
class Region:
    """All that is seen of one shade; see ``Drawing.regions``."""

    shade: Shade
    outline: Outline


def _box(points: Points) -> tuple[float, ...]:
    return (*points.min(axis=0).tolist(), *points.max(axis=0).tolist())


def _three(colour: Sequence[float]) -> tuple[float, float, float]:
    red, green, blue = (float(part) for part in colour)
    return red, green, blue


class _ManyColoursError(LimitError):
    """More colours than become finishes, of which some are mixed by place."""


class Drawing:
    """A drawing that was read: paint in its order, with what it lets through. Immutable but for what it keeps."""

    def __init__(self, plain: dict[str, Any], label: str, font: str = "") -> None:
        """From what ``read_drawing`` gives with a font of that name; DrawingError if nothing of it is seen, LimitError for too many colours."""
        self.label, self.notes = label, tuple(str(one) for one in plain["notes"])
        #: Those that shades name.
        self.gradients = tuple(Gradient.of(one) for one in plain.get("gradients", ()))
        #: Whether what lies over one another is mixed as if it were of one colour each, and few gradients are kept.
        self._even = False
        #: Whether edges of pictures over other paint are there or not.
        self._sharp = False
        #: What changes which group.
        self._filters = filters_of(plain.get("filters", ()))
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
            what = (
                "paints nothing but outside of its page, or where it is clipped away"
                if self._paints
                else "paints nothing"
            )
            raise DrawingError(f"{label} {what}: there is nothing to stand in the set{self._told()}", "drawing")
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
        #: Names of pictures of what fills those that are more than one colour, in those boxes.
        self.pictures = self.pictures_in(self.boxes, font)

    def _coarsely(self, plain: dict[str, Any]) -> dict[Shade, Ink]:
        """What is seen of each shade at the coarsest; finds out how much can be mixed by place."""
        for give_up in (self._cut_edges, self._even_out):
            try:
                return self._inked(self._extent * _COARSE, most_edges=MOST_EDGES)[0]
            except ManyEdgesError:
                self._cut_edges(plain)
            except _ManyColoursError:
                give_up(plain)
        return self._inked(self._extent * _COARSE)[0]

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

    def levels(self, named: Pictured, most: int, *, alpha: bool) -> list[NDArray[np.float32]]:
        """Pictures of a painting as ``Painting.levels`` gives them; InputError for one that is none."""
        painting = self.painting(named.painting)
        box = self.bounds if named.box is None else named.box
        return painting.levels(box, named.pixels or painting.side, most, alpha=alpha)

    def pictures_in(self, boxes: Mapping[Shade, Points], font: str = "") -> dict[Shade, str]:
        """Names of pictures of shades in their boxes (``shades.pictures_of``), of this drawing or of parts of it."""
        extent = float((self.bounds[1] - self.bounds[0]).max())
        return pictures_of(boxes, extent, lambda told: self.painting(told).side, font)

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
            around = self._reach_of(number)
            if box is None or around is None:
                return None
            box = np.stack([np.maximum(box[0], around[0]), np.minimum(box[1], around[1])])
            if not (box[0] < box[1]).all():
                return None
        return box

    def _reach_of(self, clip: int) -> Points | None:
        """The same of what a clip lets through."""
        around = [one for filled in self._clips[clip] if (one := self._reach(filled)) is not None]
        if not around:
            return None
        return np.stack([np.min([one[0] for one in around], axis=0), np.max([one[1] for one in around], axis=0)])

    def regions(self, tolerance: float) -> tuple[Region, ...]:
        """What is seen of each shade, from the lowest paint to the highest, curves within ``tolerance`` (the drawing's units).

        The last few are kept.
        """
        with self._lock:
            found = self._kept.get(tolerance)
            if found is None:
                found = self._kept[tolerance] = tuple(self._painted(tolerance))
            return found

    def firm(self, tolerance: float) -> tuple[Region, ...]:
        """``regions`` without what fades out, as shadows do, whose outlines are no edges; all of them if there is nothing else."""
        found = self.regions(tolerance)
        return tuple(one for one in found if not (one.shade.cut and one.shade.painting)) or found

    def _inked(self, tolerance: float, most_edges: int = sys.maxsize) -> tuple[dict[Shade, Ink], list[Contour]]:
        """What is seen of each shade in steps of the grid, and the contours that all of it was made of. ManyEdgesError for more edges of
        pictures over other paint that are mixed with it."""
        canvas, inking = self._canvas(tolerance, self._paints, most_edges)
        return self._alike(self._laid(canvas, self._paints, 0)), inking.sources

    def _canvas(self, tolerance: float, paints: Sequence[Paint], most_edges: int) -> tuple[Canvas, Inking]:
        """Where paints are laid over one another, and what makes ink of them."""
        inking = Inking(self._fills(paints), self._clips, self._low, step_for(self._extent), tolerance, self.label)

        def change(number: int, own: Sequence[Paint]) -> Changed | None:
            filter_ = self._filters.get(number)
            if filter_ is None:
                return None
            text = changed_layer(number, [one.at for one in own], 1.0)
            clips = [inking.clip(one) for one in filter_.clips]
            made = self._changed(text.partition(".")[0])
            if made is None or not made.pixels.any():
                nothing = made is not None and made.below
                return Changed(Ink(), (0.0, 0.0, 0.0), 1.0, PLAIN, nothing, clips)
            hides, colour = made.mean
            mean = min(max(hides, _LEAST_MEAN), 1 - _LEAST_MEAN)
            return Changed(inking.box(made.box), colour, mean, Fill(mixed=text, mean=mean), made.below, clips)

        most_edges = 0 if self._sharp else most_edges
        through = self._through
        canvas = Canvas(self.label, self._groups, inking.ink, self._masks, through, change, self._even, most_edges)
        return canvas, inking

    def _laid(self, canvas: Canvas, paints: Sequence[Paint], depth: int) -> list[Piece]:
        """What is seen of paints on a canvas; what was not done as the drawing says it is noted."""
        pieces = canvas.painted(paints, depth)
        if canvas.evened:
            self._note(_EVEN)
        if canvas.cut_off and any(one.soft for one in self.inlays):
            self._note(_CUT_OFF)
        return pieces

    def _changed_by(self, text: str) -> Painting:
        """What a filter makes of some paints (``mixing.changed_by``); InputError for what is not there."""
        found = self._changed(text)
        if found is None:
            raise InputError(f"{self.label} has no filter {text[:40]!r}")
        return found

    def _changed(self, text: str) -> Raster | None:
        """The same; None if nothing of it is seen."""
        return _changes.get((self._number, text), lambda: self._filtered(*changed_by(text)))

    def _filtered(self, number: int, runs: Sequence[tuple[int, int]]) -> Raster | None:
        filter_ = self._filters.get(number)
        if filter_ is None:
            return None
        every = itertools.chain(self.plain["paints"], *(one["paints"] for one in self.plain.get("masks", ())))
        own = [one for one in every if any(first <= one.get("at", -1) <= last for first, last in runs)]
        # What waits to be shown is filtered as what is.
        paints = self._read([{**one, "hidden": False} for one in own])
        if not paints or any(number not in one.groups for one in paints):
            return None
        canvas, inking = self._canvas(self._extent * _COARSE, paints, sys.maxsize)
        pieces = self._laid(canvas, paints, paints[0].groups.index(number) + 1)
        parts = [
            (rings, painting_of(layer_of(piece), self._sources))
            for piece in pieces
            if (rings := inking.rings(piece.rest()))
        ]
        below = filter_.below(all(map(hides_all, pieces)))
        made = raster(parts, below or filter_, self._within(filter_.clips), self._extent, below is not None)
        return made if made is not None or below is None else Raster.nothing(filter_.corners)

    def _within(self, clips: Sequence[int]) -> Points:
        """The box [2, 2] beyond which nothing is seen that those clips cut off."""
        box: Points = self._low + np.array([[-1.0], [2.0]]) * self._extent
        for number in clips:
            around = self._reach_of(number)
            if around is not None:
                box = np.stack([np.maximum(box[0], around[0]), np.minimum(box[1], around[1])])
        return box

    def _fills(self, painted: Sequence[Paint]) -> Iterator[Filled]:
        """All that is painted, what masks of it paint, and what cuts it off."""
        paints, masks, clips = list(painted), set[int](), set[int]()
        for paint in paints:
            # What is walked through grows: masks may have masks.
            for mask in {self._groups[group].mask for group in paint.groups} - {-1} - masks:
                masks.add(mask)
                paints += self._masks[mask][0]
        fills = [paint.filled for paint in paints]
        for number in {group for paint in paints for group in paint.groups} & self._filters.keys():
            for clip in set(self._filters[number].clips) - clips:
                clips.add(clip)
                fills += self._clips[clip]
        for filled in fills:
            for clip in set(filled.clips) - clips:
                clips.add(clip)
                fills += self._clips[clip]
            yield filled

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


#: By what the pictures in them take; a plain drawing counts as a thirty-second of it all.
_drawings = SizedCache[Drawing](
    192 << 20, lambda one: (6 << 20) + sum(len(file) for file in one.plain.get("files", ()))
)


def drawing_at(path: Path, label: str, font: tuple[str, Path] | None = None) -> Drawing:
    """The drawing in a file, which never changes; DrawingError for what cannot be read. font is that of text which asks for one that
    does not ship: its name (with its style), as textures say it, and its file."""

    def made() -> Drawing:
        named, lettering = font or ("", None)
        own = b"" if lettering is None else lettering.read_bytes()
        plain = read_drawing(path.read_bytes(), label, own, style_of(named)[1])
        return Drawing(plain, label, "" if font is None else font[0])

    return _drawings.get((str(path), font), made)
