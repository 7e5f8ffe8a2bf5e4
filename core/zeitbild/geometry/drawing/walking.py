"""What a walk through an SVG document needs everywhere: where an element stands, its outline and its stroke, and what is counted."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np
from fontTools.misc.transform import Identity, Transform

from zeitbild.errors import DrawingError, LimitError
from zeitbild.geometry.drawing.document import MAX_ELEMENTS
from zeitbild.geometry.drawing.inlaid import Inlays
from zeitbild.geometry.drawing.placing import Size, transform_of
from zeitbild.geometry.drawing.servers import Servers
from zeitbild.geometry.drawing.styles import HREF, INITIAL, Styles, length, local, numbers
from zeitbild.geometry.drawing.texts import Texts, em_of
from zeitbild.geometry.drawing.tracks import (
    MAX_DASHES,
    Stroke,
    Track,
    ellipse,
    packed,
    path,
    polygon,
    rectangle,
    stroked,
)
from zeitbild.geometry.font import TrustedFace

#: Curves in all.
MAX_CURVES = 200_000
#: Regions that clip, each use counted.
MAX_CLIPS = 4_000
#: Markers, each use counted.
MAX_MARKERS = 3_000
#: Things with names, and lines, that are told.
MAX_PARTS, MAX_LINES = 2000, 20_000
#: Lines that reach farther are left out (pixels).
_FAR_OFF = 1e9
#: Things that were left out and are told one by one.
MAX_NOTES = 20


@dataclass(frozen=True, slots=True)
class Place:
    """Where and how an element is drawn: its transform, values handed down, the groups that are painted as one before they let something
    through, clips, the viewport's size, and what it stands in."""

    transform: Transform
    handed: dict[str, str]
    groups: tuple[int, ...]
    clips: tuple[int, ...]
    size: Size
    depth: int = 0
    within: tuple[int, ...] = ()
    #: The innermost part that it stands in (``Part`` numbers), -1: none.
    part: int = -1
    #: Whether it stands in something that is not displayed, and whether in a tile of a pattern, where names mean no parts.
    hidden: bool = False
    tiled: bool = False
    #: Fill and stroke of the line that a marker stands on.
    context: tuple[str, str] = ("none", "none")


@dataclass(slots=True, eq=False)
class Walker:
    """What a walk has found so far. The walk itself is ``reading.Reader``."""

    root: Element
    styles: Styles
    by_id: dict[str, Element]
    paints: list[dict[str, Any]] = field(default_factory=list)
    clips: list[list[dict[str, Any]]] = field(default_factory=list)
    #: Opacity of each group; what masks paint, and of which groups they are (group, mask).
    groups: list[float] = field(default_factory=list)
    masks: list[dict[str, Any]] = field(default_factory=list)
    masked: list[tuple[int, int]] = field(default_factory=list)
    #: Which group is changed by which filter.
    filters: list[tuple[int, dict[str, Any]]] = field(default_factory=list)
    #: Which group blends how with what is below.
    blends: list[tuple[int, str]] = field(default_factory=list)
    #: What has a name, and the part that each stands in.
    parts: list[dict[str, Any]] = field(default_factory=list)
    #: What shapes are drawn along, as the document has it, fill and stroke apart from that.
    lines: list[dict[str, Any]] = field(default_factory=list)
    notes: dict[str, int] = field(default_factory=dict)
    elements: int = 0
    curves: int = 0
    markers: int = 0
    #: The font of texts that ask for one that does not ship.
    font: TrustedFace | None = None
    #: Whether the content of a pattern is tried out.
    trying: bool = False
    servers: Servers = field(init=False)
    texts: Texts = field(init=False)
    inlays: Inlays = field(init=False)

    def __post_init__(self) -> None:
        self.servers = Servers(self.styles, self._named, self.note)
        self.texts = Texts(self.styles, self.note, self._way, self.font)
        self.inlays = Inlays(self.note)

    def note(self, text: str) -> None:
        """Tell once that something was left out, and how often."""
        if text in self.notes or len(self.notes) < MAX_NOTES:
            self.notes[text] = self.notes.get(text, 0) + 1

    def _reached(self) -> tuple[int, ...]:
        """How much there is of all that a walk finds, to go back to by ``_forget``."""
        return tuple(map(len, self._found()))

    def _forget(self, reached: tuple[int, ...]) -> tuple[list[dict[str, Any]], list[list[list[float]]]]:
        """Forget all that was found since; gives the lines, and the corners of pictures."""
        lines = self.lines[reached[1] :]
        frames = self.inlays.frames[reached[-1] :]
        for found, count in zip(self._found(), reached, strict=True):
            del found[count:]
        return lines, frames

    def _found(self) -> tuple[list[Any], ...]:
        own = self.paints, self.lines, self.clips, self.groups, self.masks, self.masked, self.blends, self.filters
        return (*own, self.servers.gradients, self.inlays.placed, self.inlays.frames)

    def _count(self) -> None:
        self.elements += 1
        if self.elements > MAX_ELEMENTS:
            raise LimitError(f"the drawing has more than {MAX_ELEMENTS} elements, those of each use counted", "drawing")

    # -- the tree

    def walk(self, element: Element, place: Place) -> None:
        """Draw an element and all that stands in it."""
        raise NotImplementedError

    def _use(self, element: Element, place: Place) -> None:
        raise NotImplementedError

    def _picture(self, element: Element, place: Place) -> None:
        raise NotImplementedError

    def _placed(self, element: Element, name: str, values: dict[str, str], place: Place) -> Place:
        raise NotImplementedError

    def _children(self, element: Element, name: str) -> Sequence[Element]:
        if name != "switch":
            return list(element)
        # The first that asks for nothing that only some readers can.
        fitting = (one for one in element if local(one.tag) and not one.get("requiredExtensions"))
        return [next(fitting)] if any(local(one.tag) and not one.get("requiredExtensions") for one in element) else []

    def _named(self, address: str) -> Element | None:
        """The element of this document that an address names; anything outside it is refused."""
        if not address.startswith("#"):
            raise DrawingError(
                f"it asks for {address[:60]!r}, which lies outside the file; only what is inside it is read", "drawing"
            )
        return self.by_id.get(address[1:])

    # -- outlines

    def _em(self, place: Place) -> float:
        return length(place.handed.get("font-size", "16"), 16, 16, 16)

    def _shape(self, element: Element, name: str, place: Place) -> list[Track] | None:
        """The tracks of a basic shape or path in its own units; None for what is none."""
        em, (wide, high) = self._em(place), place.size
        across = math.sqrt((wide * wide + high * high) / 2)

        def of(side: str, whole: float, otherwise: float = 0.0) -> float:
            return length(element.get(side, ""), whole, em, otherwise)

        if name == "path":
            tracks, whole = path(element.get("d", ""))
            if not whole:
                self.note("the end of a path that is damaged")
            return tracks
        if name == "rect":
            rx, ry = of("rx", wide, math.nan), of("ry", high, math.nan)
            rx = ry if math.isnan(rx) else rx
            ry = rx if math.isnan(ry) else ry
            rx, ry = (0.0 if math.isnan(one) else one for one in (rx, ry))
            return rectangle(of("x", wide), of("y", high), of("width", wide), of("height", high), rx, ry)
        if name == "circle":
            radius = of("r", across)
            return ellipse(of("cx", wide), of("cy", high), radius, radius)
        if name == "ellipse":
            rx, ry = of("rx", wide, math.nan), of("ry", high, math.nan)
            rx, ry = ry if math.isnan(rx) else rx, rx if math.isnan(ry) else ry
            return ellipse(of("cx", wide), of("cy", high), rx, ry)
        if name == "line":
            return polygon(self._ends(element, place), False)
        if name in ("polyline", "polygon"):
            return polygon(numbers(element.get("points", "")), name == "polygon")
        return None

    def _ends(self, element: Element, place: Place) -> list[float]:
        """Both ends of a line: x, y, x, y."""
        em = self._em(place)
        return [
            length(element.get(side, ""), whole, em, 0.0)
            for side, whole in zip(("x1", "y1", "x2", "y2"), place.size * 2, strict=True)
        ]

    def _way(self, element: Element, size: Size) -> list[Track] | None:
        """What the letters of a textPath stand along; None for what is not there."""
        if element.get("path"):
            return path(element.get("path", ""))[0]
        address = element.get("href") or element.get(HREF) or ""
        meant = self._named(address) if address else None
        if meant is None:
            return None
        tracks = self._shape(meant, local(meant.tag), Place(Identity, INITIAL, (), (), size))
        own = transform_of(self.styles.of(meant, INITIAL).get("transform", "")) or Identity
        return tracks and [one.moved(own) for one in tracks]

    def _font_size(self, values: dict[str, str], outer: Place) -> float:
        """The size of the font in an element that stands in a place."""
        same = values.get("font-size") == outer.handed.get("font-size")
        return self._em(outer) if same else em_of(values, self._em(outer))

    def _drawn(self, what: str, tracks: list[Track], values: dict[str, str], place: Place) -> tuple[list[Track], bool]:
        """What is filled, or the stroke, and whether by the even-odd rule."""
        if what == "stroke":
            return self._stroke(tracks, values, place), False
        return [one.moved(place.transform) for one in tracks], values.get("fill-rule") == "evenodd"

    def _keep_line(self, tracks: list[Track], values: dict[str, str], place: Place) -> None:
        """What a shape is drawn along, and how wide its stroke is there (0: it has none)."""
        if len(self.lines) >= MAX_LINES:
            return
        a, b, c, d, _, _ = place.transform
        wide = math.sqrt(abs(a * d - b * c))
        width = 0.0
        if values.get("stroke", "none") != "none":
            em, (across, high) = self._em(place), place.size
            width = wide * length(values.get("stroke-width", "1"), math.hypot(across, high) / math.sqrt(2), em, 1.0)
        for track in tracks:
            moved = track.moved(place.transform)
            if np.abs(moved.curves).max(initial=0) < _FAR_OFF:
                self.curves += len(moved.curves)
                shape = {"curves": moved.curves, "straight": moved.straight, "closes": moved.closes}
                self.lines.append({**shape, "width": width, "part": place.part})

    def _stroke_of(self, values: dict[str, str], place: Place) -> Stroke:
        em, (wide, high) = self._em(place), place.size
        across = math.sqrt((wide * wide + high * high) / 2)
        dashes = values.get("stroke-dasharray", "none")
        found = [] if dashes == "none" else [length(one, across, em, 0.0) for one in dashes.replace(",", " ").split()]
        return Stroke(
            length(values.get("stroke-width", "1"), across, em, 1.0),
            values.get("stroke-linecap", "butt"),
            values.get("stroke-linejoin", "miter"),
            length(values.get("stroke-miterlimit", "4"), 1, 1, 4.0),
            tuple(found),
            length(values.get("stroke-dashoffset", "0"), across, em, 0.0),
        )

    def _stroke(self, tracks: list[Track], values: dict[str, str], place: Place) -> list[Track]:
        stroke, fixed = self._stroke_of(values, place), values.get("vector-effect") == "non-scaling-stroke"
        try:
            if fixed:
                return stroked([one.moved(place.transform) for one in tracks], stroke)
            return [one.moved(place.transform) for one in stroked(tracks, stroke)]
        except ValueError:
            raise LimitError(f"a line of the drawing has more than {MAX_DASHES} dashes", "drawing") from None

    def _packed(self, tracks: list[Track], even_odd: bool, clips: tuple[int, ...] = ()) -> dict[str, Any]:
        """Tracks as plain arrays, counted."""
        own = packed(tracks, even_odd, clips)
        self._add_curves(len(own["curves"]))
        return own

    def _add_curves(self, count: int) -> None:
        self.curves += count
        if self.curves > MAX_CURVES:
            raise LimitError(f"the drawing has more than {MAX_CURVES} curves; simplify it", "drawing")

    def _cut(self, tracks: list[Track], transform: Transform) -> int:
        self.clips.append([self._packed([one.moved(transform) for one in tracks], False)])
        return len(self.clips) - 1
