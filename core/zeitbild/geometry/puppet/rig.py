"""The parts of a drawing that can move by themselves: what has a name, with the points that are marked for it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import manifold3d
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from zeitbild.errors import DrawingError, LimitError
from zeitbild.geometry.drawing.painting import Drawing, drawing_at
from zeitbild.values import part_code

Floats = NDArray[np.float64]

#: Parts of a puppet at most.
MAX_LIMBS = 120
#: Ids that drawing programs give, which name nothing.
_GIVEN_BY_PROGRAMS = re.compile(
    r"^(path|g|group|rect|circle|ellipse|polygon|polyline|line|use|svg|text|tspan|image|symbol|shape|vector|fill|stroke|object|xmlid|svgid)?"
    r"[-_ ]?[\d_-]*$",
    re.IGNORECASE,
)
#: Points that are marked: a shape named like that, alone or after the name of its part.
_MARK = re.compile(r"^(?:(?P<of>.*?)[-_ ]+)?(?P<what>pivot|bend|tip)(?:[-_ ]*\d+)?$", re.IGNORECASE)
#: What belongs to no part.
REST = "rest"
#: How finely overlaps are looked at, as a share of the drawing.
_COARSE = 1 / 1024


@dataclass(frozen=True, slots=True, eq=False)
class Limb:
    """One part: what documents call it, its name, the number of the part that it hangs on (-1: none), what it paints (None: nothing itself), when
    it is painted, and points in units of the drawing, y up: where it turns, where it bends and where it ends (None where that is
    not marked). found says where the pivot comes from. drawings are the parts directly inside of it; shows is which of them alone is seen at
    first, counted from 1 (0: all)."""

    code: str
    name: str
    parent: int
    drawing: Drawing | None
    order: int
    pivot: Floats
    found: str
    bend: Floats | None
    tip: Floats | None
    drawings: tuple[int, ...]
    shows: int
    middle: Floats


@dataclass(frozen=True, slots=True, eq=False)
class Rig:
    """All parts of a drawing; a part stands after the one that it hangs on. bounds [2, 2] are the lower left and upper right corner of what is
    seen."""

    limbs: tuple[Limb, ...]
    bounds: Floats

    def number(self, code: str) -> int:
        """Of the part of that code, -1 if there is none."""
        return next((at for at, one in enumerate(self.limbs) if one.code == code), -1)


def _plain(part: dict[str, Any]) -> bool:
    return not part["given"] and _GIVEN_BY_PROGRAMS.match(part["name"]) is not None


def _subset(plain: dict[str, Any], paints: Sequence[dict[str, Any]], label: str) -> Drawing | None:
    """A drawing of some paints alone, those that are cut off at the edge of the page as a whole; None if they show nothing."""
    page = plain.get("page", -1)
    own = [{**one, "hidden": False, "clips": [clip for clip in one["clips"] if clip != page]} for one in paints]
    if not own:
        return None
    try:
        filters = [
            [group, {**one, "clips": [clip for clip in one["clips"] if clip != page]}]
            for group, one in plain.get("filters", ())
        ]
        return Drawing({**plain, "paints": own, "filters": filters}, label)
    except LimitError:
        raise
    except DrawingError:
        return None


def _ink(drawing: Drawing, tolerance: float) -> manifold3d.CrossSection:
    """What a drawing covers that has edges, in its units."""
    rings = []
    for region in drawing.firm(tolerance):
        outline = region.outline
        rings += [ring * outline.step + outline.origin for ring in outline.loops()]
    return manifold3d.CrossSection(rings, manifold3d.FillRule.NonZero)


def _middle(points: Floats) -> Floats:
    found: Floats = (points.min(axis=0) + points.max(axis=0)) / 2
    return found


class _Finder:
    """Finds the parts of a drawing that was read."""

    def __init__(self, plain: dict[str, Any], label: str) -> None:
        self.plain, self.label = plain, label
        self.told = plain["parts"]
        self.marks: dict[int, tuple[str, str]] = {}
        for at, part in enumerate(self.told):
            found = _MARK.match(part["name"])
            if found:
                self.marks[at] = found["what"].lower(), (found["of"] or "").strip()
        named = [at for at, one in enumerate(self.told) if at not in self.marks and not _plain(one)]
        self.kept = [at for at in named if self._holds(at)]
        if len(self.kept) > MAX_LIMBS:
            raise LimitError(f"{label} has {len(self.kept)} named parts; a puppet has up to {MAX_LIMBS}", "drawing")

    def _above(self, at: int) -> int:
        """The nearest kept part that something stands in, itself first; -1 for none."""
        while at >= 0 and (at in self.marks or _plain(self.told[at])):
            at = self.told[at]["inside"]
        return at

    def _within(self, at: int, part: int) -> bool:
        while at >= 0:
            if at == part:
                return True
            at = self.told[at]["inside"]
        return False

    def _holds(self, part: int) -> bool:
        """Whether a part has any paint, its own or that of parts in it."""
        return any(self._within(one["part"], part) for one in self.plain["paints"] if one["part"] not in self.marks)

    def _point(self, mark: int) -> Floats | None:
        """The middle of a mark."""
        points = [
            np.asarray(one["curves"]).reshape(-1, 2) for one in self.plain["lines"] if self._within(one["part"], mark)
        ]
        return _middle(np.concatenate(points)) * (1, -1) if points else None

    def marked(self, part: int) -> dict[str, Floats]:
        """Points that are marked for a part: in it, or by its name."""
        found: dict[str, Floats] = {}
        name = self.told[part]["name"].lower()
        for at, (what, of) in self.marks.items():
            by_name = of.lower() == name
            inside = not self._named(of) and self._above(self.told[at]["inside"]) == part
            if (by_name or inside) and what not in found:
                point = self._point(at)
                if point is not None:
                    found[what] = point
        return found

    def _named(self, of: str) -> bool:
        """Whether a mark names a part."""
        return bool(of) and any(self.told[at]["name"].lower() == of.lower() for at in self.kept)

    def rig(self) -> Rig:
        """The parts."""
        plain, label, taken = self.plain, self.label, {REST}
        own: dict[int, list[tuple[int, dict[str, Any]]]] = {-1: [], **{part: [] for part in self.kept}}
        for number, paint in enumerate(plain["paints"]):
            if not any(self._within(paint["part"], mark) for mark in self.marks):
                own[self._above(paint["part"])].append((number, paint))
        # What is in no part comes first: all else may hang on it.
        order = ([-1] if own[-1] else []) + self.kept
        places = {part: number for number, part in enumerate(order)}
        drawings = {part: _subset(plain, [one for _, one in own[part]], label) for part in order}
        if not any(drawings.values()):
            raise DrawingError(f"{label} paints nothing that is seen", "drawing")
        bounds = self._bounds(drawings)
        extent = float((bounds[1] - bounds[0]).max())
        inks = {part: _ink(one, extent * _COARSE) for part, one in drawings.items() if one is not None}
        limbs = []
        for part in order:
            name = "Rest" if part < 0 else self.told[part]["name"]
            code = REST if part < 0 else part_code(name, taken)
            outer = -1 if part < 0 else self._above(self.told[part]["inside"])
            inner = (
                [one for one in order if one >= 0 and self._above(self.told[one]["inside"]) == part]
                if part >= 0
                else []
            )
            hidden = [self.told[one]["hidden"] for one in inner]
            shows = hidden.index(False) + 1 if any(hidden) and not all(hidden) else 0
            marks = {} if part < 0 else self.marked(part)
            whole = self._reach(part, order, drawings, bounds)
            pivot, found = marks.get("pivot"), "a mark"
            if pivot is None:
                pivot, found = self._joint(part, outer, inks, whole)
            first = min((number for number, _ in own[part]), default=self._first(part, own))
            limbs.append(
                Limb(
                    code,
                    name,
                    -1 if part < 0 else places.get(outer, -1),
                    drawings[part],
                    first,
                    pivot,
                    found,
                    marks.get("bend"),
                    marks.get("tip"),
                    tuple(places[one] for one in inner),
                    shows,
                    _middle(whole),
                )
            )
        return Rig(tuple(limbs), bounds)

    def _first(self, part: int, own: dict[int, list[tuple[int, dict[str, Any]]]]) -> int:
        """When the first thing in a part is painted that paints nothing itself."""
        inside = [paints[0][0] for one, paints in own.items() if paints and one >= 0 and self._within(one, part)]
        return min(inside, default=0)

    def _bounds(self, drawings: dict[int, Drawing | None]) -> Floats:
        """Around what is seen at first, or around all if nothing is."""
        seen = [one.bounds for part, one in drawings.items() if one and (part < 0 or not self.told[part]["hidden"])]
        boxes = np.array(seen or [one.bounds for one in drawings.values() if one])
        return np.stack([boxes[:, 0].min(axis=0), boxes[:, 1].max(axis=0)])

    def _reach(self, part: int, order: Sequence[int], drawings: dict[int, Drawing | None], bounds: Floats) -> Floats:
        """The corners [2, 2] around a part and all in it."""
        own = [drawings[one] for one in order if one == part or (one >= 0 and part >= 0 and self._within(one, part))]
        boxes = np.array([one.bounds for one in own if one is not None])
        return np.stack([boxes[:, 0].min(axis=0), boxes[:, 1].max(axis=0)]) if len(boxes) else bounds

    def _joint(
        self, part: int, outer: int, inks: dict[int, manifold3d.CrossSection], whole: Floats
    ) -> tuple[Floats, str]:
        """Where a part turns for which nothing is marked: in the middle of what it has in common with what it hangs on, or in its own."""
        if part in inks and outer in inks:
            both = inks[part] ^ inks[outer]
            if not both.is_empty():
                rings = [np.asarray(ring) for ring in both.to_polygons()]
                return _centroid(rings), "the overlap"
        return _middle(whole), "its middle"


def _centroid(rings: Sequence[Floats]) -> Floats:
    """Of an area by its outlines (Green's theorem)."""
    total, moment = 0.0, np.zeros(2)
    for ring in rings:
        after = np.roll(ring, -1, axis=0)
        cross = ring[:, 0] * after[:, 1] - after[:, 0] * ring[:, 1]
        total += float(cross.sum()) / 2
        moment += ((ring + after) * cross[:, None]).sum(axis=0) / 6
    return moment / total if abs(total) > 0 else _middle(np.concatenate(list(rings)))


_rigs: LRUCache[str, Rig] = LRUCache(16)


def rig_at(path: Path, label: str) -> Rig:
    """The parts of the drawing in a file, which never changes. DrawingError for what cannot be read, LimitError for too many parts."""
    found = _rigs.get(str(path))
    if found is None:
        found = _rigs[str(path)] = _Finder(drawing_at(path, label).plain, label).rig()
    return found
