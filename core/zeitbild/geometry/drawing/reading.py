"""An SVG document to what it paints, in order: outlines with one colour each. Read in a process of its own (``isolation``).

Shapes, transforms, style sheets, strokes, clip paths, ``use`` and ``symbol`` are those of SVG 1.1 and 2. What cannot become an
outline with a colour is left out and told.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Any
from xml.etree.ElementTree import Element

from fontTools.misc.transform import Identity, Transform

from zeitbild.errors import DrawingError, FontError, LimitError
from zeitbild.geometry.drawing.blending import BLENDS
from zeitbild.geometry.drawing.covering import Covering
from zeitbild.geometry.drawing.document import MAX_DEPTH, MAX_DRAWING_BYTES, elements_of, parsed
from zeitbild.geometry.drawing.filters import MOST_FILTERS, Lying, UnreadError, read_filter, read_functions
from zeitbild.geometry.drawing.markers import Marker, corners
from zeitbild.geometry.drawing.patterns import MOST_TILES, Tiling, lies_in, repeated, tiling
from zeitbild.geometry.drawing.placing import fit, origin_of, transform_of
from zeitbild.geometry.drawing.servers import Lies
from zeitbild.geometry.drawing.styles import CLEAR, HREF, INITIAL, MARKERS, Styles, length, link, local, numbers, share
from zeitbild.geometry.drawing.tracks import Track, rectangle
from zeitbild.geometry.drawing.walking import MAX_CLIPS, MAX_MARKERS, MAX_PARTS, Place
from zeitbild.geometry.font import open_face
from zeitbild.isolation import Limits, apart

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


def _name_of(element: Element) -> tuple[str, bool]:
    """The name of an element, and whether somebody gave it (a label; ids are given by programs, too)."""
    for key, value in element.attrib.items():
        if key.rpartition("}")[2] in ("label", "data-name") and value.strip():
            return " ".join(value.split())[:60], True
    return " ".join((element.get("id") or "").split())[:60], False


class Reader(Covering):
    """Walks through a document."""

    def walk(self, element: Element, place: Place) -> None:
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
                if name in ("path", "line", "polyline", "polygon"):
                    self._mark(element, name, values, place)

    def _hidden(self, element: Element, values: dict[str, str], place: Place) -> None:
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

    def _placed(self, element: Element, name: str, values: dict[str, str], place: Place) -> Place:
        """The place within an element, by what it says itself."""
        own = transform_of(values["transform"]) if "transform" in values else Identity
        if own is None:
            self.note(f"a transform that cannot be read ({values['transform'][:40]})")
            own = Identity
        if values.get("transform-origin") and own != Identity:
            x, y = self._about(element, name, values, place)
            own = Identity.translate(x, y).transform(own).translate(-x, -y)
        inner = replace(place, transform=place.transform.transform(own), handed=values, depth=place.depth + 1)
        opacity, blend = share(values.get("opacity", "")), self._blend(values)
        if opacity < 1 or blend or values.get("isolation") == "isolate":
            # All that the element paints, fill and line too, is one thing that lets something through, or blends.
            self.groups.append(opacity)
            inner = replace(inner, groups=(*place.groups, len(self.groups) - 1))
            if blend:
                self.blends.append((len(self.groups) - 1, blend))
        cut = link(values.get("clip-path", ""))
        if cut is not None:
            number = self._clip(cut[0], inner, lambda: self._box(element, name, values, inner))
            if number is not None:
                inner = replace(inner, clips=(*inner.clips, number))
        unmasked = inner
        if values.get("mask", "none") != "none":
            inner = self._masked(values["mask"], inner, lambda: self._box(element, name, values, unmasked))
        if values.get("filter", "none") != "none":
            inner = self._filtered(values, inner, lambda: self._box(element, name, values, unmasked))
        return inner

    def _filtered(self, values: dict[str, str], place: Place, box: Callable[[], Transform | None]) -> Place:
        """The place of what a filter changes: a group of its own, which is cut off when it was changed."""
        text = values["filter"]
        try:
            named = link(text)
            element = self._named(named[0]) if named is not None else None
            if named is not None and (element is None or local(element.tag) != "filter"):
                raise UnreadError(f"{text[:40]}, which is not there")
            if len(self.filters) >= MOST_FILTERS:
                raise UnreadError(f"of more than {MOST_FILTERS}")
            lying, current = Lying(place.transform, box(), place.size, self._em(place)), values.get("color", "black")
            found = read_functions(text, current, lying) if element is None else read_filter(element, current, lying)
        except UnreadError as error:
            self.note(f"a filter ({error})")
            return place
        self.groups.append(1.0)
        number = len(self.groups) - 1
        self.filters.append((number, {**found, "clips": list(place.clips)}))
        return replace(place, groups=(*place.groups, number), clips=())

    def _blend(self, values: dict[str, str]) -> str:
        """The blend mode of an element; empty: it lies over what is below."""
        blend = values.get("mix-blend-mode", "normal")
        if blend in ("normal", ""):
            return ""
        if blend not in BLENDS:
            self.note(f"the blend mode {blend[:20]}")
            return ""
        return blend

    def _about(self, element: Element, name: str, values: dict[str, str], place: Place) -> tuple[float, float]:
        """The point that an element's transform is about, in the units of what it stands in."""
        text = values["transform-origin"]
        if values.get("transform-box", "view-box") in ("view-box", "border-box"):
            return origin_of(text, place.size)
        box = self._box(element, name, values, replace(place, handed=values, depth=place.depth + 1))
        if box is None:
            return origin_of(text, (0.0, 0.0))
        x, y = origin_of(text, (box[0], box[3]))
        return box[4] + x, box[5] + y

    def _named_part(self, element: Element, place: Place) -> Place:
        """The place within an element that has a name: a label, which drawing programs give in spaces of their own, or its id."""
        name, given = _name_of(element)
        if not name or element is self.root or place.tiled or len(self.parts) >= MAX_PARTS:
            return place
        self.parts.append({"name": name, "given": given, "inside": place.part, "hidden": place.hidden})
        return replace(place, part=len(self.parts) - 1)

    def _use(self, element: Element, place: Place) -> None:
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

    def _viewport(self, element: Element, place: Place, asks: Element | None = None) -> Place:
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

    # -- paint

    def _paint(self, element: Element, tracks: list[Track], values: dict[str, str], place: Place) -> None:
        """Fill and stroke, in the order that is asked for."""
        self._keep_line(tracks, values, place)
        lent = dict(zip(("context-fill", "context-stroke"), place.context, strict=True))
        values = {name: lent.get(value, value) for name, value in values.items()}
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

    def _pattern(
        self, what: str, element: Element, tracks: list[Track], values: dict[str, str], place: Place, lies: Lies
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
        if self._repeated(laid, replace(inner, clips=clips)):
            return True
        for onto, box in laid.tiles:
            if len(self.clips) >= MAX_CLIPS:
                raise LimitError(f"the drawing's patterns have more than {MAX_CLIPS} tiles", "drawing")
            own = clips if whole else (*clips, self._cut(rectangle(*laid.box), box))
            for child in laid.content:
                self.walk(child, replace(inner, transform=onto, clips=own))
        return True

    def _repeated(self, laid: Tiling, place: Place) -> bool:
        """Paint the content of a tile once, and in all of them together, if it lies within its box: cut off tile by tile, what goes on from one
        to the next would have hairs between them. Whether that could be done."""
        if self.trying:
            # Of patterns in one another only one is tried at a time: each twice would be twice as often for each.
            return False
        reached, notes, self.trying = self._reached(), dict(self.notes), True
        onto, box = laid.tiles[0]
        try:
            for child in laid.content:
                self.walk(child, replace(place, transform=onto))
        finally:
            self.trying = False
        own = self.paints[reached[0] :]
        plain = all(one["gradient"] < 0 and "inlay" not in one and tuple(one["clips"]) == place.clips for one in own)
        if not plain or not all(lies_in(one["curves"], laid.box, box) for one in own):
            self._forget(reached)
            self.notes = notes
            return False
        for one in own:
            one |= repeated(one, laid.moves)
            self._add_curves(len(one["curves"]) - len(one["curves"]) // len(laid.tiles))
        return True

    def _mark(self, element: Element, name: str, values: dict[str, str], place: Place) -> None:
        """Markers at the corners of a line."""
        named = {one: link(values[one]) for one in MARKERS if values.get(one, "none") != "none"}
        if not named:
            return
        ends = self._ends(element, place) if name == "line" else []
        em = self._em(place)
        width = self._stroke_of(values, place).width
        for corner in corners(element, name, ends or numbers(element.get("points", ""))):
            told = named.get(corner.which)
            if told is None:
                continue
            marker = self._named(told[0])
            if marker is None or local(marker.tag) != "marker":
                self.note(f"a marker {told[0][:40]}, which is not there")
                continue
            if id(marker) in place.within:
                raise DrawingError(f"the marker {told[0][:40]} marks itself", "drawing")
            handed = self.styles.of(marker, INITIAL)
            lies = Marker.of(marker, handed.get("overflow", "hidden"), width, em)
            if lies is None:
                continue
            self.markers += 1
            if self.markers > MAX_MARKERS:
                raise LimitError(f"the drawing's lines have more than {MAX_MARKERS} markers", "drawing")
            there = place.transform.translate(*corner.place).rotate(Marker.turn(marker, corner))
            cuts = () if lies.box is None else (self._cut(rectangle(*lies.box), there),)
            inner = replace(
                place,
                transform=there.transform(lies.onto),
                handed=handed,
                clips=(*place.clips, *cuts),
                size=lies.size,
                within=(*place.within, id(marker)),
                tiled=True,
                context=(values.get("fill", "black"), values.get("stroke", "none")),
            )
            for child in marker:
                self.walk(child, inner)

    def _picture(self, element: Element, place: Place) -> None:
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


@apart(DrawingError, "drawing", Limits(seconds=20.0))
def read_drawing(data: bytes, label: str, font: bytes = b"", style: int = 0) -> dict[str, Any]:
    """What an SVG document paints, as plain values; font is the file of one for texts that ask for a font that does not ship, style which of
    its styles.

    paints, from the lowest to the highest: curves [n, 4, 2] float64 in pixels of CSS, y down, straight [n], starts [k] of the closed
    contours, even_odd, colour (three shares from 0 to 1, as CSS has them) and alpha, gradient (its number, or -1), inlay and cut where a
    picture fills it (its number, and whether its alpha counts), clips and groups (numbers, groups from the outmost to the inmost);
    opacity of each of the groups, which are painted as one before they are laid over what is below; masks (paints, and whether they go by
    their light), and which group is seen through which (masked); which blends how (blends) and is changed by which filter (filters:
    steps as ``filtering.filtered`` takes them, what leads onto the drawing, the corners of what it reaches there, and clips);
    gradients as ``Gradient.of`` and inlays as ``Inlay.of`` take them, of files that hold the pictures;
    clips: what each lets through, as lists of the same without colour, of which page is that of the whole (-1: there is none);
    parts: name, whether it was given by a person, number of the part that each stands in (-1: none) and whether it is hidden (then its
    paints are, too, which nobody sees); each paint names its innermost;
    lines: what shapes are drawn along (curves [n, 4, 2] y down, straight [n], closes, width of the stroke, part);
    texts: how many characters of text there are; notes: what was left out, with how often.
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
    try:
        own = open_face(font, "the font of its text", style) if font else None
    except FontError as error:
        raise DrawingError(error.message, "text_font") from None
    reader = Reader(root, Styles(root), by_id, font=own)
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
        reader.walk(root, Place(fitted, INITIAL, (), clips, size))
    except DrawingError as error:
        raise DrawingError(f"{label}: {error.message}", "drawing") from None
    notes = [text if count == 1 else f"{text} ({count} times)" for text, count in reader.notes.items()]
    told = {"paints": reader.paints, "clips": reader.clips, "gradients": reader.servers.gradients, "page": page}
    told |= {"inlays": reader.inlays.placed, "files": reader.inlays.files}
    told |= {"texts": reader.texts.count, "masks": reader.masks, "masked": [list(one) for one in reader.masked]}
    told |= {"blends": [list(one) for one in reader.blends], "filters": [list(one) for one in reader.filters]}
    # By these parts of a drawing say what of the whole they are.
    masked = [paint for mask in reader.masks for paint in mask["paints"]]
    for at, paint in enumerate([*reader.paints, *masked]):
        paint["at"] = at
    return {**told, "groups": reader.groups, "parts": reader.parts, "lines": reader.lines, "notes": notes}
