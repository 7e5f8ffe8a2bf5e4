"""An SVG document to what it paints, in order: outlines with one colour each. Read in a process of its own (``isolation``).

Shapes, transforms, style sheets, strokes, clip paths, ``use`` and ``symbol`` are those of SVG 1.1 and 2. What cannot become an
outline with a colour is left out and told.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np
from fontTools.misc.transform import Identity, Transform

from zeitbild.errors import DrawingError, LimitError
from zeitbild.geometry.drawing.document import MAX_DEPTH, MAX_DRAWING_BYTES, MAX_ELEMENTS, elements_of, parsed
from zeitbild.geometry.drawing.inlaid import Inlays
from zeitbild.geometry.drawing.patterns import MOST_TILES, tiling
from zeitbild.geometry.drawing.placing import Size, fit, transform_of
from zeitbild.geometry.drawing.servers import Lies, Servers
from zeitbild.geometry.drawing.styles import CLEAR, HREF, INITIAL, MARKERS, Styles, length, link, local, numbers, share
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
from zeitbild.isolation import Limits, apart

#: Curves in all.
MAX_CURVES = 200_000
#: Regions that clip, each use counted.
MAX_CLIPS = 8_000
#: Things with names, and lines, that are told.
MAX_PARTS, MAX_LINES = 2000, 20_000
#: Lines that reach farther are left out (pixels).
_FAR_OFF = 1e9
#: Things that were left out and are told one by one.
MAX_NOTES = 20
#: What holds things that are drawn only where something names them, or tells about the document.
_UNSEEN = frozenset(
    [
        "defs",
        "clipPath",
        "mask",
        "marker",
        "pattern",
        "symbol",
        "linearGradient",
        "radialGradient",
        "filter",
        "style",
        "script",
        "metadata",
        "title",
        "desc",
    ]
    + ["font", "font-face", "view", "animate", "animateTransform", "animateMotion", "set", "cursor", "solidcolor"]
)


@dataclass(frozen=True, slots=True)
class _Place:
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


def _name_of(element: Element) -> tuple[str, bool]:
    """The name of an element, and whether somebody gave it (a label; ids are given by programs, too)."""
    for key, value in element.attrib.items():
        if key.rpartition("}")[2] in ("label", "data-name") and value.strip():
            return " ".join(value.split())[:60], True
    return " ".join((element.get("id") or "").split())[:60], False


@dataclass(slots=True, eq=False)
class _Reader:
    """Walks through a document."""

    root: Element
    styles: Styles
    by_id: dict[str, Element]
    paints: list[dict[str, Any]] = field(default_factory=list)
    clips: list[list[dict[str, Any]]] = field(default_factory=list)
    #: Opacity of each group.
    groups: list[float] = field(default_factory=list)
    #: What has a name, and the part that each stands in.
    parts: list[dict[str, Any]] = field(default_factory=list)
    #: What shapes are drawn along, as the document has it, fill and stroke apart from that.
    lines: list[dict[str, Any]] = field(default_factory=list)
    notes: dict[str, int] = field(default_factory=dict)
    elements: int = 0
    curves: int = 0
    servers: Servers = field(init=False)
    texts: Texts = field(init=False)
    inlays: Inlays = field(init=False)

    def __post_init__(self) -> None:
        self.servers = Servers(self.styles, self._named, self.note)
        self.texts = Texts(self.styles, self.note)
        self.inlays = Inlays(self.note)

    def note(self, text: str) -> None:
        """Tell once that something was left out, and how often."""
        if text in self.notes or len(self.notes) < MAX_NOTES:
            self.notes[text] = self.notes.get(text, 0) + 1

    def _count(self) -> None:
        self.elements += 1
        if self.elements > MAX_ELEMENTS:
            raise LimitError(f"the drawing has more than {MAX_ELEMENTS} elements, those of each use counted", "drawing")

    # -- the tree

    def walk(self, element: Element, place: _Place) -> None:
        """Draw an element and all that stands in it."""
        name = local(element.tag)
        self._count()
        if place.depth > MAX_DEPTH:
            raise LimitError(f"the drawing's elements stand in one another more than {MAX_DEPTH} deep", "drawing")
        if not name or name in _UNSEEN:
            return
        values = self.styles.of(element, place.handed)
        if values.get("display") == "none":
            if not place.hidden:
                self._hidden(element, values, place)
                return
        if share(values.get("opacity", "")) < CLEAR:
            return
        em = self._font_size(values, place)
        place = self._named_part(element, self._placed(element, name, values, place))
        if name in ("g", "a", "svg", "switch"):
            if name == "svg" and element is not self.root:
                place = self._viewport(element, place)
            for child in self._children(element, name):
                self.walk(child, place)
        elif name == "use":
            self._use(element, place)
        elif name == "image":
            if values.get("visibility", "visible") == "visible":
                self._picture(element, place)
        elif name in ("foreignObject", "video", "iframe", "canvas"):
            self.note(f"a {name} inside the drawing")
        elif name == "text":
            for one in self.texts.set(element, values, em, place.size):
                self._paint(one.element, one.tracks, one.values, replace(place, handed=one.values))
        elif name in ("tspan", "textPath"):
            self.note(f"a {name} outside of a text")
        else:
            tracks = self._shape(element, name, place)
            if tracks is None:
                self.note(f"<{name[:30]}>, which is not known")
            elif tracks and values.get("visibility", "visible") == "visible":
                self._paint(element, tracks, values, place)

    def _hidden(self, element: Element, values: dict[str, str], place: _Place) -> None:
        """What is not seen is kept all the same where it has a name: it may be one of several drawings of a part. What is wrong with it is nobody's
        business."""
        if not _name_of(element)[0]:
            return
        notes, counted = dict(self.notes), self.elements
        try:
            self.elements -= 1
            self.walk(element, replace(place, hidden=True))
        except DrawingError:
            self.elements = max(self.elements, counted)
        self.notes = notes

    def _placed(self, element: Element, name: str, values: dict[str, str], place: _Place) -> _Place:
        """The place within an element, by what it says itself."""
        own = transform_of(values["transform"]) if "transform" in values else Identity
        if own is None:
            self.note(f"a transform that cannot be read ({values['transform'][:40]})")
            own = Identity
        inner = replace(place, transform=place.transform.transform(own), handed=values, depth=place.depth + 1)
        opacity = share(values.get("opacity", ""))
        if opacity < 1:
            # All that the element paints, fill and line too, is one thing that lets something through.
            self.groups.append(opacity)
            inner = replace(inner, groups=(*place.groups, len(self.groups) - 1))
        for what in ("mask", "filter"):
            if values.get(what, "none") != "none":
                self.note(f"a {what}")
        if any(values.get(one, "none") != "none" for one in MARKERS):
            self.note("markers of a line")
        if values.get("mix-blend-mode", "normal") != "normal":
            self.note(f"the blend mode {values['mix-blend-mode'][:20]}")
        cut = link(values.get("clip-path", ""))
        if cut is not None:
            number = self._clip(cut[0], inner, lambda: self._box(element, name, values, inner))
            if number is not None:
                inner = replace(inner, clips=(*inner.clips, number))
        return inner

    def _named_part(self, element: Element, place: _Place) -> _Place:
        """The place within an element that has a name: a label, which drawing programs give in spaces of their own, or its id."""
        name, given = _name_of(element)
        if not name or element is self.root or place.tiled or len(self.parts) >= MAX_PARTS:
            return place
        self.parts.append({"name": name, "given": given, "inside": place.part, "hidden": place.hidden})
        return replace(place, part=len(self.parts) - 1)

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

    def _use(self, element: Element, place: _Place) -> None:
        address = element.get("href") or element.get(HREF) or ""
        meant = self._named(address) if address else None
        if meant is None:
            self.note(f"a use of {address[:40] or 'nothing'}, which is not there")
            return
        if id(meant) in place.within:
            raise DrawingError(f"{address[:40]} uses itself", "drawing")
        em = self._em(place)
        x, y = (length(element.get(side, "0"), whole, em, 0.0) for side, whole in zip("xy", place.size, strict=True))
        moved = replace(place, transform=place.transform.translate(x, y), within=(*place.within, id(meant)))
        if local(meant.tag) in ("symbol", "svg"):
            values = self.styles.of(meant, moved.handed)
            inner = self._viewport(meant, self._placed(meant, "symbol", values, moved), element)
            for child in meant:
                self.walk(child, inner)
        else:
            self.walk(meant, moved)

    def _viewport(self, element: Element, place: _Place, asks: Element | None = None) -> _Place:
        """The place within an inner svg or a symbol, cut off at its edges; ``asks`` is the use that may give its size."""
        em, (wide, high) = self._em(place), place.size
        size = []
        for side, whole in (("width", wide), ("height", high)):
            text = (asks.get(side) if asks is not None else None) or element.get(side) or "100%"
            size.append(length(text, whole, em, whole))
        x, y = (length(element.get(side, "0"), whole, em, 0.0) for side, whole in zip("xy", place.size, strict=True))
        width, height = size
        place = replace(place, transform=place.transform.translate(x, y))
        values = self.styles.of(element, place.handed)
        if values.get("overflow", "hidden") in ("hidden", "scroll"):
            place = replace(place, clips=(*place.clips, self._cut(rectangle(0, 0, width, height), place.transform)))
        fitted, inner = fit(element, width, height)
        return replace(place, transform=place.transform.transform(fitted), size=inner)

    # -- outlines

    def _em(self, place: _Place) -> float:
        return length(place.handed.get("font-size", "16"), 16, 16, 16)

    def _shape(self, element: Element, name: str, place: _Place) -> list[Track] | None:
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
            ends = of("x1", wide), of("y1", high), of("x2", wide), of("y2", high)
            return polygon(ends, False)
        if name in ("polyline", "polygon"):
            return polygon(numbers(element.get("points", "")), name == "polygon")
        return None

    def _font_size(self, values: dict[str, str], outer: _Place) -> float:
        """The size of the font in an element that stands in a place."""
        same = values.get("font-size") == outer.handed.get("font-size")
        return self._em(outer) if same else em_of(values, self._em(outer))

    def _paint(self, element: Element, tracks: list[Track], values: dict[str, str], place: _Place) -> None:
        """Fill and stroke, in the order that is asked for."""
        self._keep_line(tracks, values, place)
        order = values.get("paint-order", "normal").split()
        first = next((one for one in order if one in ("fill", "stroke")), "fill")
        for what in ("fill", "stroke") if first == "fill" else ("stroke", "fill"):
            if local(element.tag) == "line" and what == "fill":
                continue
            lies = Lies(place.transform, place.size, self._em(place))
            if self._pattern(what, element, tracks, values, place, lies):
                continue
            colour, gradient = self.servers.colour(values.get(what, "none"), values, tracks, lies)
            if colour is None:
                continue
            alpha = colour[3] * share(values.get(f"{what}-opacity", ""))
            if alpha < CLEAR:
                continue
            drawn, even_odd = self._drawn(what, tracks, values, place)
            if drawn:
                own = self._packed(drawn, even_odd, place.clips)
                shade = {"colour": list(colour[:3]), "alpha": min(alpha, 1.0), "gradient": gradient}
                shade |= {"part": place.part, "hidden": place.hidden}
                self.paints.append({**own, **shade, "groups": list(place.groups)})

    def _drawn(self, what: str, tracks: list[Track], values: dict[str, str], place: _Place) -> tuple[list[Track], bool]:
        """What is filled, or the stroke, and whether by the even-odd rule."""
        if what == "stroke":
            return self._stroke(tracks, values, place), False
        return [one.moved(place.transform) for one in tracks], values.get("fill-rule") == "evenodd"

    def _pattern(
        self, what: str, element: Element, tracks: list[Track], values: dict[str, str], place: _Place, lies: Lies
    ) -> bool:
        """Fill or stroke with a pattern, each tile cut off at its box and at what is painted; whether there is one."""
        named = link(values.get(what, ""))
        pattern = self._named(named[0]) if named is not None else None
        if pattern is None or local(pattern.tag) != "pattern":
            return False
        if id(pattern) in place.within:
            raise DrawingError(f"the pattern {pattern.get('id', '')[:40]} paints itself", "drawing")
        drawn, even_odd = self._drawn(what, tracks, values, place)
        opacity = share(values.get(f"{what}-opacity", ""))
        try:
            laid = tiling(self.servers.chain(pattern), tracks, drawn, lies) if opacity >= CLEAR else None
        except ValueError:
            self.note(f"a pattern with more than {MOST_TILES} tiles on one shape")
            return True
        if laid is None:
            return True
        self.clips.append([self._packed(drawn, even_odd, place.clips)])
        clips, groups = (*place.clips, len(self.clips) - 1), place.groups
        if opacity < 1:
            self.groups.append(opacity)
            groups = (*groups, len(self.groups) - 1)
        handed = self.styles.of(laid.content, INITIAL)
        within = (*place.within, id(pattern))
        inner = replace(place, handed=handed, groups=groups, size=laid.size, within=within, tiled=True)
        whole = handed.get("overflow", "hidden") in ("visible", "auto")
        for onto, box in laid.tiles:
            if len(self.clips) >= MAX_CLIPS:
                raise LimitError(f"the drawing's patterns have more than {MAX_CLIPS} tiles", "drawing")
            own = clips if whole else (*clips, self._cut(rectangle(*laid.box), box))
            for child in laid.content:
                self.walk(child, replace(inner, transform=onto, clips=own))
        return True

    def _picture(self, element: Element, place: _Place) -> None:
        """What a picture that is written into the document fills."""
        em, (wide, high) = self._em(place), place.size
        sides = (("x", wide, 0.0), ("y", high, 0.0), ("width", wide, math.nan), ("height", high, math.nan))
        x, y, width, height = (
            length("" if element.get(side, "") == "auto" else element.get(side, ""), whole, em, otherwise)
            for side, whole, otherwise in sides
        )
        address, ratio = element.get("href") or element.get(HREF) or "", element.get("preserveAspectRatio", "")
        if ratio.endswith("slice") and width > 0 and height > 0:
            cut = self._cut(rectangle(x, y, width, height), place.transform)
            place = replace(place, clips=(*place.clips, cut))
        for tracks, shade, onto in self.inlays.lay(address, place.transform, (x, y, width, height), ratio):
            own = self._packed([one.moved(onto) for one in tracks], True, place.clips)
            shade |= {"alpha": 1.0, "part": place.part, "hidden": place.hidden, "groups": list(place.groups)}
            self.paints.append({**own, **shade})

    def _keep_line(self, tracks: list[Track], values: dict[str, str], place: _Place) -> None:
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

    def _stroke(self, tracks: list[Track], values: dict[str, str], place: _Place) -> list[Track]:
        em, (wide, high) = self._em(place), place.size
        across = math.sqrt((wide * wide + high * high) / 2)
        dashes = values.get("stroke-dasharray", "none")
        found = [] if dashes == "none" else [length(one, across, em, 0.0) for one in dashes.replace(",", " ").split()]
        stroke = Stroke(
            length(values.get("stroke-width", "1"), across, em, 1.0),
            values.get("stroke-linecap", "butt"),
            values.get("stroke-linejoin", "miter"),
            length(values.get("stroke-miterlimit", "4"), 1, 1, 4.0),
            tuple(found),
            length(values.get("stroke-dashoffset", "0"), across, em, 0.0),
        )
        fixed = values.get("vector-effect") == "non-scaling-stroke"
        try:
            if fixed:
                return stroked([one.moved(place.transform) for one in tracks], stroke)
            return [one.moved(place.transform) for one in stroked(tracks, stroke)]
        except ValueError:
            raise LimitError(f"a line of the drawing has more than {MAX_DASHES} dashes", "drawing") from None

    def _packed(self, tracks: list[Track], even_odd: bool, clips: tuple[int, ...] = ()) -> dict[str, Any]:
        """Tracks as plain arrays, counted."""
        own = packed(tracks, even_odd, clips)
        self.curves += len(own["curves"])
        if self.curves > MAX_CURVES:
            raise LimitError(f"the drawing has more than {MAX_CURVES} curves; simplify it", "drawing")
        return own

    # -- clips

    def _cut(self, tracks: list[Track], transform: Transform) -> int:
        self.clips.append([self._packed([one.moved(transform) for one in tracks], False)])
        return len(self.clips) - 1

    def _box(self, element: Element, name: str, values: dict[str, str], place: _Place) -> Transform | None:
        """What leads from the unit square to the box around a shape; None for what is none, or has no area."""
        if name == "text":
            tracks = [
                track for one in self.texts.set(element, values, self._em(place), place.size) for track in one.tracks
            ]
        else:
            tracks = self._shape(element, name, place) or []
        if not tracks:
            return None
        points = np.concatenate([track.sampled(17) for track in tracks])
        (left, top), (wide, tall) = points.min(axis=0).tolist(), np.ptp(points, axis=0).tolist()
        return Transform(wide, 0, 0, tall, left, top) if wide > 0 and tall > 0 else None

    def _clip(self, address: str, place: _Place, box: Callable[[], Transform | None]) -> int | None:
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
                self.note("a clip path in units of what it clips, which is a group or has no area")
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

    def _clip_shape(self, element: Element, place: _Place, shapes: list[dict[str, Any]]) -> None:
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


@apart(DrawingError, "drawing", Limits(seconds=20.0))
def read_drawing(data: bytes, label: str) -> dict[str, Any]:
    """What an SVG document paints, as plain values.

    paints, from the lowest to the highest: curves [n, 4, 2] float64 in pixels of CSS, y down, straight [n], starts [k] of the closed
    contours, even_odd, colour (three shares from 0 to 1, as CSS has them) and alpha, gradient (its number, or -1), inlay and cut where a
    picture fills it (its number, and whether its alpha counts), clips and groups (numbers, groups from the outmost to the inmost);
    opacity of each of the groups, which are painted as one before they are laid over what is below;
    gradients as ``Gradient.of`` and inlays as ``Inlay.of`` take them, of files that hold the pictures;
    clips: what each lets through, as lists of the same without colour, of which page is that of the whole (-1: there is none);
    parts: name, whether it was given by a person, number of the part that each stands in (-1: none) and whether it is hidden (then its
    paints are, too, which nobody sees); each paint names its innermost;
    lines: what shapes are drawn along (curves [n, 4, 2] y down, straight [n], closes, width of the stroke, part);
    notes: what was left out, with how often.
    DrawingError for what cannot be read, LimitError for what is too large.
    """
    if len(data) > MAX_DRAWING_BYTES:
        raise LimitError(
            f"{label} is {len(data) / 1e6:.0f} MB; drawings go to {MAX_DRAWING_BYTES // 1_000_000} MB", "drawing"
        )
    root = parsed(data, label)
    by_id: dict[str, Element] = {}
    for element in elements_of(root):
        name = element.get("id")
        if name:
            by_id.setdefault(name, element)
    reader = _Reader(root, Styles(root), by_id)
    if reader.styles.asks_outside:
        reader.note("a style sheet outside the file")
    box = numbers(root.get("viewBox", ""))
    wide, high = box[2:] if len(box) == 4 and box[2] > 0 and box[3] > 0 else (300.0, 150.0)
    width = length(root.get("width", ""), wide, 16, wide)
    height = length(root.get("height", ""), high, 16, high * width / wide if "width" in root.attrib else high)
    if "width" not in root.attrib and "height" in root.attrib:
        width = wide * height / high
    fitted, size = fit(root, width, height)
    page = -1
    clips: tuple[int, ...] = ()
    if width > 0 and height > 0 and (len(box) == 4 or "width" in root.attrib) and root.get("overflow") != "visible":
        clips = (reader._cut(rectangle(0, 0, width, height), Identity),)
        page = 0
    try:
        reader.walk(root, _Place(fitted, INITIAL, (), clips, size))
    except DrawingError as error:
        raise DrawingError(f"{label}: {error.message}", "drawing") from None
    notes = [text if count == 1 else f"{text} ({count} times)" for text, count in reader.notes.items()]
    told = {"paints": reader.paints, "clips": reader.clips, "gradients": reader.servers.gradients, "page": page}
    told |= {"inlays": reader.inlays.placed, "files": reader.inlays.files}
    return {**told, "groups": reader.groups, "parts": reader.parts, "lines": reader.lines, "notes": notes}
