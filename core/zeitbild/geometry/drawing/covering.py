"""What covers parts of a drawing: clip paths, and masks (CSS Masking 1)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np
from fontTools.misc.transform import Identity, Transform

from zeitbild.errors import DrawingError, LimitError
from zeitbild.geometry.drawing.masks import boxed, everywhere, region
from zeitbild.geometry.drawing.placing import transform_of
from zeitbild.geometry.drawing.styles import HREF, INITIAL, length, link, local
from zeitbild.geometry.drawing.tracks import Track, polygon
from zeitbild.geometry.drawing.walking import MAX_CLIPS, Place, Walker


class Covering(Walker):
    """Finds what clips and masks let through."""

    def _box(self, element: Element, name: str, values: dict[str, str], place: Place) -> Transform | None:
        """What leads from the unit square to the box around an element in its own units; None for what has no area."""
        if name == "text":
            tracks = [
                track for one in self.texts.set(element, values, self._em(place), place.size) for track in one.tracks
            ]
        elif name in ("g", "a", "switch", "use", "image"):
            tracks = self._lines_in(element, name, place)
        else:
            tracks = self._shape(element, name, place) or []
        if not tracks:
            return None
        points = np.concatenate([track.sampled(17) for track in tracks])
        (left, top), (wide, tall) = points.min(axis=0).tolist(), np.ptp(points, axis=0).tolist()
        return Transform(wide, 0, 0, tall, left, top) if wide > 0 and tall > 0 else None

    def _lines_in(self, element: Element, name: str, place: Place) -> list[Track]:
        """What all shapes in a group are drawn along, in its own units."""
        reached, notes = self._reached(), dict(self.notes)
        place = replace(place, transform=Identity, clips=(), groups=(), tiled=True)
        if name == "use":
            self._use(element, place)
        elif name == "image":
            self._picture(element, place)
        else:
            for child in self._children(element, name):
                self.walk(child, place)
        self.notes = notes
        lines, frames = self._forget(reached)
        tracks = [Track(one["curves"], one["straight"], one["closes"]) for one in lines]
        return tracks + [track for frame in frames for track in polygon(np.ravel(frame).tolist(), True)]

    def _masked(self, text: str, place: Place, box: Callable[[], Transform | None]) -> Place:
        """The place of what is seen through a mask: a group of its own."""
        named = link(text)
        element = self._named(named[0]) if named is not None else None
        if element is None or local(element.tag) != "mask":
            self.note(f"a mask {text[:40]}, which is not there")
            return place
        if id(element) in place.within:
            raise DrawingError(f"the mask {element.get('id', '')[:40]} masks itself", "drawing")
        if len(self.masks) >= MAX_CLIPS:
            raise LimitError(f"the drawing has more than {MAX_CLIPS} masks, each use counted", "drawing")
        values = self.styles.of(element, INITIAL)
        within = (*place.within, id(element))
        # A mask is there though what it is on may be a drawing that waits to be shown.
        inner = replace(place, handed=values, groups=(), clips=(), within=within, tiled=True, hidden=False)
        in_box = element.get("maskContentUnits") == "objectBoundingBox"
        unit = None if everywhere(element) and not in_box else box()
        if unit is None and (in_box or (boxed(element) and not everywhere(element))):
            self.note("a mask in units of what it is on, which has no area")
            return place
        if not everywhere(element):
            cut = self._cut(region(element, unit, place.size, self._em(place)), place.transform)
            inner = replace(inner, clips=(cut,))
        if in_box and unit is not None:
            inner = replace(inner, transform=place.transform.transform(unit), size=(1.0, 1.0))
        if values.get("mask", "none") != "none":
            inner = self._masked(values["mask"], inner, box)
        paints, lines = len(self.paints), len(self.lines)
        for child in element:
            self.walk(child, inner)
        self.masks.append({"paints": self.paints[paints:], "light": values.get("mask-type") != "alpha"})
        del self.paints[paints:], self.lines[lines:]
        self.groups.append(1.0)
        self.masked.append((len(self.groups) - 1, len(self.masks) - 1))
        return replace(place, groups=(*place.groups, len(self.groups) - 1))

    def _clip(self, address: str, place: Place, box: Callable[[], Transform | None]) -> int | None:
        """The number of a clip path's region; None for one that is not there, which clips nothing."""
        element = self._named(address)
        if element is None or local(element.tag) != "clipPath":
            self.note(f"a clip path {address[:40]}, which is not there")
            return None
        if id(element) in place.within:
            raise DrawingError(f"the clip path {address[:40]} clips itself", "drawing")
        if len(self.clips) >= MAX_CLIPS:
            raise LimitError(
                f"the drawing's elements are clipped more than {MAX_CLIPS} times, each use counted", "drawing"
            )
        values = self.styles.of(element, INITIAL)
        own = transform_of(values.get("transform", "")) or Identity
        if element.get("clipPathUnits") == "objectBoundingBox":
            unit = box()
            if unit is None:
                self.note("a clip path in units of what it clips, which has no area")
                return None
            own, place = unit.transform(own), replace(place, size=(1.0, 1.0))
        inner = replace(
            place,
            transform=place.transform.transform(own),
            handed=values,
            clips=(),
            within=(*place.within, id(element)),
        )
        shapes: list[dict[str, Any]] = []
        for child in element:
            self._clip_shape(child, inner, shapes)
        outer = link(values.get("clip-path", ""))
        if outer is not None:
            further = self._clip(outer[0], inner, box)
            for one in shapes if further is not None else ():
                one["clips"] = [*one["clips"], further]
        self.clips.append(shapes)
        return len(self.clips) - 1

    def _clip_shape(self, element: Element, place: Place, shapes: list[dict[str, Any]]) -> None:
        name = local(element.tag)
        self._count()
        if not name:
            return
        values = self.styles.of(element, place.handed)
        if values.get("display") == "none" or values.get("visibility", "visible") != "visible":
            return
        em = self._font_size(values, place)
        place = self._placed(element, name, values, place)
        if name == "use":
            address = element.get("href") or element.get(HREF) or ""
            meant = self._named(address) if address else None
            if meant is None or id(meant) in place.within:
                return
            em = self._em(place)
            x, y = (
                length(element.get(side, "0"), whole, em, 0.0) for side, whole in zip("xy", place.size, strict=True)
            )
            moved = replace(place, transform=place.transform.translate(x, y), within=(*place.within, id(meant)))
            self._clip_shape(meant, moved, shapes)
            return
        if name == "text":
            for one in self.texts.set(element, values, em, place.size):
                shapes.append(self._packed([track.moved(place.transform) for track in one.tracks], False, place.clips))
            return
        tracks = self._shape(element, name, place)
        if tracks:
            own = [one.moved(place.transform) for one in tracks]
            shapes.append(self._packed(own, values.get("clip-rule") == "evenodd", place.clips))
        elif tracks is None:
            self.note(f"<{name[:30]}> in a clip path")
