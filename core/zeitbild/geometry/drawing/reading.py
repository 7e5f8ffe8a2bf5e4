"""An SVG document to what it paints, in order: outlines with one colour each. Read in a process of its own (``isolation``).

Shapes, transforms, style sheets, strokes, clip paths, ``use`` and ``symbol`` are those of SVG 1.1 and 2. What cannot become an
outline with a colour is left out and told.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Any
from xml.etree.ElementTree import Element, TreeBuilder
from xml.parsers import expat

import numpy as np
from fontTools.misc.transform import Identity, Transform

from zeitbild.errors import DrawingError, LimitError
from zeitbild.geometry.drawing.styles import UNREAD, Styles, colour_of, length, link, local, numbers
from zeitbild.geometry.drawing.tracks import (
    MAX_DASHES,
    Stroke,
    Track,
    closed,
    ellipse,
    path,
    polygon,
    rectangle,
    stroked,
)
from zeitbild.isolation import Limits, apart

MAX_DRAWING_BYTES = 16 * 1024 * 1024
#: Elements, those of every ``use`` counted again; how deep they may stand in one another; curves in all.
MAX_ELEMENTS, MAX_DEPTH, MAX_CURVES = 50_000, 64, 200_000
#: Things that were left out and are told one by one.
MAX_NOTES = 20
#: Stops of a gradient that are read, and gradients that shapes have.
_MOST_STOPS, _MOST_GRADIENTS = 256, 64
#: Less than this (of 1) is nothing.
_CLEAR = 1 / 512
_HREF = "{http://www.w3.org/1999/xlink}href"
#: Properties before anything is said (SVG 2, property index).
_INITIAL = {
    "fill": "black",
    "fill-rule": "nonzero",
    "stroke": "none",
    "stroke-width": "1",
    "clip-rule": "nonzero",
    "color": "black",
    "font-size": "16",
}
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
_Box = tuple[float, float]


@dataclass(frozen=True, slots=True)
class _Place:
    """Where and how an element is drawn: its transform, values handed down, the groups that are painted as one before they let something
    through, clips, the viewport's size, and what it stands in."""

    transform: Transform
    handed: dict[str, str]
    groups: tuple[int, ...]
    clips: tuple[int, ...]
    size: _Box
    depth: int = 0
    within: tuple[int, ...] = ()


@dataclass(slots=True, eq=False)
class _Reader:
    """Walks through a document."""

    root: Element
    styles: Styles
    by_id: dict[str, Element]
    paints: list[dict[str, Any]] = field(default_factory=list)
    clips: list[list[dict[str, Any]]] = field(default_factory=list)
    gradients: list[dict[str, Any]] = field(default_factory=list)
    #: Opacity of each group.
    groups: list[float] = field(default_factory=list)
    notes: dict[str, int] = field(default_factory=dict)
    elements: int = 0
    curves: int = 0

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
            return
        if _share(values.get("opacity", "")) < _CLEAR:
            return
        place = self._placed(element, name, values, place)
        if name in ("g", "a", "svg", "switch"):
            if name == "svg" and element is not self.root:
                place = self._viewport(element, place)
            for child in self._children(element, name):
                self.walk(child, place)
        elif name == "use":
            self._use(element, place)
        elif name in ("image", "foreignObject", "video", "iframe", "canvas"):
            self.note(f"a {'picture' if name == 'image' else name} inside the drawing")
        elif name in ("text", "tspan", "textPath"):
            words = " ".join("".join(element.itertext()).split())
            self.note(f"the text “{words[:40]}”: turn it into outlines")
        else:
            tracks = self._shape(element, name, place)
            if tracks is None:
                self.note(f"<{name[:30]}>, which is not known")
            elif tracks and values.get("visibility", "visible") == "visible":
                self._paint(element, tracks, values, place)

    def _placed(self, element: Element, name: str, values: dict[str, str], place: _Place) -> _Place:
        """The place within an element, by what it says itself."""
        own = transform_of(values["transform"]) if "transform" in values else Identity
        if own is None:
            self.note(f"a transform that cannot be read ({values['transform'][:40]})")
            own = Identity
        inner = replace(place, transform=place.transform.transform(own), handed=values, depth=place.depth + 1)
        opacity = _share(values.get("opacity", ""))
        if opacity < 1:
            # All that the element paints, fill and line too, is one thing that lets something through.
            self.groups.append(opacity)
            inner = replace(inner, groups=(*place.groups, len(self.groups) - 1))
        for what in ("mask", "filter"):
            if values.get(what, "none") != "none":
                self.note(f"a {what}")
        if values.get("mix-blend-mode", "normal") != "normal":
            self.note(f"the blend mode {values['mix-blend-mode'][:20]}")
        cut = link(values.get("clip-path", ""))
        if cut is not None:
            number = self._clip(cut[0], inner)
            if number is not None:
                inner = replace(inner, clips=(*inner.clips, number))
        return inner

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
        address = element.get("href") or element.get(_HREF) or ""
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

    def _paint(self, element: Element, tracks: list[Track], values: dict[str, str], place: _Place) -> None:
        """Fill and stroke, in the order that is asked for."""
        order = values.get("paint-order", "normal").split()
        first = next((one for one in order if one in ("fill", "stroke")), "fill")
        for what in ("fill", "stroke") if first == "fill" else ("stroke", "fill"):
            if local(element.tag) == "line" and what == "fill":
                continue
            colour, gradient = self._colour(values.get(what, "none"), values, tracks, place)
            if colour is None:
                continue
            alpha = colour[3] * _share(values.get(f"{what}-opacity", ""))
            if alpha < _CLEAR:
                continue
            if what == "fill":
                drawn, even_odd = tracks, values.get("fill-rule") == "evenodd"
                drawn = [one.moved(place.transform) for one in drawn]
            else:
                drawn, even_odd = self._stroke(tracks, values, place), False
            if drawn:
                packed = self._packed(drawn, even_odd, place.clips)
                shade = {"colour": list(colour[:3]), "alpha": min(alpha, 1.0), "gradient": gradient}
                self.paints.append({**packed, **shade, "groups": list(place.groups)})

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
        """Tracks as plain arrays, all closed; what is no finite number is left out."""
        shut = closed(tracks)
        curves, straight = [track.curves for track in shut], [track.straight for track in shut]
        ends = np.cumsum([0, *(len(one) for one in curves)])
        starts, at = ends[:-1], int(ends[-1])
        self.curves += at
        if self.curves > MAX_CURVES:
            raise LimitError(f"the drawing has more than {MAX_CURVES} curves; simplify it", "drawing")
        return {
            "curves": np.concatenate(curves) if curves else np.empty((0, 4, 2)),
            "straight": np.concatenate(straight) if straight else np.empty(0, bool),
            "starts": starts.astype(np.int64),
            "even_odd": even_odd,
            "clips": list(clips),
        }

    # -- clips and colours

    def _cut(self, tracks: list[Track], transform: Transform) -> int:
        self.clips.append([self._packed([one.moved(transform) for one in tracks], False)])
        return len(self.clips) - 1

    def _clip(self, address: str, place: _Place) -> int | None:
        """The number of a clip path's region; None for one that is not there, which clips nothing."""
        element = self._named(address)
        if element is None or local(element.tag) != "clipPath":
            self.note(f"a clip path {address[:40]}, which is not there")
            return None
        if id(element) in place.within:
            raise DrawingError(f"the clip path {address[:40]} clips itself", "drawing")
        if element.get("clipPathUnits") == "objectBoundingBox":
            self.note("a clip path in units of what it clips")
            return None
        values = self.styles.of(element, _INITIAL)
        own = transform_of(values.get("transform", "")) or Identity
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
            further = self._clip(outer[0], inner)
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
        place = self._placed(element, name, values, place)
        if name == "use":
            address = element.get("href") or element.get(_HREF) or ""
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
        tracks = self._shape(element, name, place)
        if tracks:
            own = [one.moved(place.transform) for one in tracks]
            shapes.append(self._packed(own, values.get("clip-rule") == "evenodd", place.clips))
        elif tracks is None:
            self.note(f"<{name[:30]}> in a clip path")

    def _colour(
        self, text: str, values: dict[str, str], tracks: list[Track], place: _Place
    ) -> tuple[tuple[float, float, float, float] | None, int]:
        """The colour that a paint stands for (of a gradient its middle one), and the number of its gradient (-1: none)."""
        current = values.get("color", "black")
        named = link(text)
        if named is None:
            colour = colour_of(text, current)
            if colour is UNREAD:
                self.note(f"the colour {text[:40]}, which is not known: black stands for it")
            return colour, -1
        address, otherwise = named
        server = self._named(address)
        kind = local(server.tag) if server is not None else ""
        if server is not None and kind in ("linearGradient", "radialGradient"):
            stops = self._stops(server)
            middle = _middle(stops)
            if middle is None:
                return None, -1
            if float(np.ptp(stops[:, 4])) > 0.01:
                self.note("a gradient that fades out: it lets through as much everywhere")
            return middle, self._gradient(server, stops, tracks, place)
        self.note("a pattern" if kind == "pattern" else f"the colour {address[:40]}, which is not there")
        return (colour_of(otherwise, current) if otherwise else None), -1

    def _chain(self, gradient: Element) -> list[Element]:
        """A gradient and those that it takes from what it does not say itself."""
        found: list[Element] = []
        at: Element | None = gradient
        while at is not None and at not in found:
            found.append(at)
            address = at.get("href") or at.get(_HREF) or ""
            at = self._named(address) if address else None
        return found

    def _stops(self, gradient: Element) -> np.ndarray[Any, Any]:
        """Offset and straight encoded colour with alpha of each stop [k, 5], rising."""
        chain = self._chain(gradient)
        stops = next((own for one in chain if (own := [child for child in one if local(child.tag) == "stop"])), [])
        found, least = [], 0.0
        for stop in stops[:_MOST_STOPS]:
            values = self.styles.of(stop, _INITIAL)
            least = max(least, min(_share(stop.get("offset", "0")), 1.0))
            colour = colour_of(values.get("stop-color", "black"), values.get("color", "black")) or (0.0, 0.0, 0.0, 0.0)
            found.append((least, *colour[:3], colour[3] * _share(values.get("stop-opacity", ""))))
        return np.array(found, np.float64).reshape(-1, 5)

    def _gradient(self, gradient: Element, stops: np.ndarray[Any, Any], tracks: list[Track], place: _Place) -> int:
        """Number of a gradient as it lies on a shape; -1 where it is one colour everywhere."""
        chain = self._chain(gradient)

        def of(name: str, otherwise: str) -> str:
            return next((one.get(name, "") for one in chain if one.get(name)), otherwise)

        boxed = of("gradientUnits", "objectBoundingBox") != "userSpaceOnUse"
        own = transform_of(of("gradientTransform", "")) or Identity
        matrix = place.transform
        size = (1.0, 1.0) if boxed else place.size
        if boxed:
            points = np.concatenate([_sampled(track) for track in tracks])
            low, high = points.min(axis=0), points.max(axis=0)
            if not (high > low).all():
                return -1
            wide, tall = (high - low).tolist()
            matrix = matrix.transform(Transform(wide, 0, 0, tall, float(low[0]), float(low[1])))
        matrix = matrix.transform(own)
        if abs(matrix[0] * matrix[3] - matrix[1] * matrix[2]) < 1e-18 or len(stops) < 2:
            return -1
        em, across = self._em(place), math.sqrt((size[0] ** 2 + size[1] ** 2) / 2)
        radial = local(gradient.tag) == "radialGradient"
        ends: tuple[float, ...]
        if radial:
            cx, cy = length(of("cx", "50%"), size[0], em, 0.5), length(of("cy", "50%"), size[1], em, 0.5)
            radius = length(of("r", "50%"), across, em, 0.5)
            ends = (cx, cy, radius, length(of("fx", ""), size[0], em, cx), length(of("fy", ""), size[1], em, cy))
        else:
            ends = (
                length(of("x1", "0%"), size[0], em, 0.0),
                length(of("y1", "0%"), size[1], em, 0.0),
                length(of("x2", "100%"), size[0], em, 1.0),
                length(of("y2", "0%"), size[1], em, 0.0),
            )
        a, b, c, d, e, f = matrix.inverse()
        self.gradients.append(
            {
                "radial": radial,
                "ends": list(ends),
                "into": np.array([[a, c, e], [b, d, f]], np.float64),
                "stops": stops,
                "spread": of("spreadMethod", "pad"),
            }
        )
        if len(self.gradients) > _MOST_GRADIENTS:
            raise LimitError(f"the drawing has more than {_MOST_GRADIENTS} shapes with gradients", "drawing")
        return len(self.gradients) - 1


def _sampled(track: Track) -> np.ndarray[Any, Any]:
    """Points along a track, close enough for the box around it."""
    t = np.linspace(0, 1, 17)[:, None, None]
    a, b, c, d = (track.curves[:, k] for k in range(4))
    points = (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t * t * c + t**3 * d
    return points.reshape(-1, 2)


def _middle(stops: np.ndarray[Any, Any]) -> tuple[float, float, float, float] | None:
    """The mean colour of a gradient over its way from start to end, by alpha; None for one that is nowhere seen."""
    if not len(stops):
        return None
    colours = np.column_stack([stops[:, 1:4] * stops[:, 4:], stops[:, 4]])
    places = np.concatenate([[0.0], stops[:, 0], [1.0]])
    colours = np.concatenate([colours[:1], colours, colours[-1:]])
    mean = (np.diff(places)[:, None] * (colours[1:] + colours[:-1]) / 2).sum(axis=0)
    alpha = float(mean[3])
    if alpha < _CLEAR:
        return None
    red, green, blue = (min(float(mean[k]) / alpha, 1.0) for k in range(3))
    return red, green, blue, min(alpha, 1.0)


def _share(text: str) -> float:
    """A number or per cents as a share from 0 to 1; 1 for what is none."""
    value = length(text, 1.0, 1.0, 1.0)
    return min(max(value, 0.0), 1.0)


def transform_of(text: str) -> Transform | None:
    """The transform that a list of functions stands for (SVG 1.1, section 7.6); None for what is none."""
    if text.strip() in ("", "none"):
        return Identity
    found, rest = Identity, text.strip()
    while rest:
        name, opened, after = rest.partition("(")
        inside, closed, rest = after.partition(")")
        if not (opened and closed):
            return None
        words = inside.replace(",", " ").split()
        try:
            values = [float(word.removesuffix("deg").removesuffix("px")) for word in words]
        except ValueError:
            return None
        made = _function(name.strip(" \t\r\n,"), values)
        if made is None or not all(math.isfinite(one) for one in made):
            return None
        found = found.transform(made)
    return found


def _function(name: str, values: list[float]) -> Transform | None:
    count = len(values)
    if name == "matrix" and count == 6:
        return Transform(*values)
    if name == "translate" and count in (1, 2):
        return Identity.translate(values[0], values[1] if count == 2 else 0)
    if name == "scale" and count in (1, 2):
        return Identity.scale(values[0], values[-1])
    if name == "rotate" and count in (1, 3):
        x, y = values[1:] if count == 3 else (0.0, 0.0)
        return Identity.translate(x, y).rotate(math.radians(values[0])).translate(-x, -y)
    if name in ("skewX", "skewY") and count == 1:
        lean = math.tan(math.radians(values[0]))
        return Transform(1, 0, lean, 1, 0, 0) if name == "skewX" else Transform(1, lean, 0, 1, 0, 0)
    return None


def fit(element: Element, width: float, height: float) -> tuple[Transform, _Box]:
    """How an element's view box lies in a viewport (SVG 2, section 8.6), and the size that per cents in it are of."""
    box = numbers(element.get("viewBox", ""))
    if len(box) != 4 or not (box[2] > 0 and box[3] > 0) or not (width > 0 and height > 0):
        return Identity, (width, height)
    x, y, wide, high = box
    words = element.get("preserveAspectRatio", "xMidYMid meet").split() or ["xMidYMid"]
    across, down = width / wide, height / high
    if words[0] == "none":
        return Identity.scale(across, down).translate(-x, -y), (wide, high)
    scale = max(across, down) if words[-1] == "slice" else min(across, down)
    share = {"Min": 0.0, "Mid": 0.5, "Max": 1.0}
    left = share.get(words[0][1:4], 0.5) * (width - wide * scale)
    top = share.get(words[0][5:8], 0.5) * (height - high * scale)
    return Identity.translate(left, top).scale(scale).translate(-x, -y), (wide, high)


def _parsed(data: bytes, label: str) -> Element:
    """The document's root. DrawingError for what is no SVG, and for what would fetch something or grow without end."""
    builder, parser = TreeBuilder(), expat.ParserCreate(None, "}")
    # Names come as expat joins them: of the namespace, "}" and the name.
    parser.ordered_attributes, parser.buffer_text = False, True

    def full(name: str) -> str:
        return f"{{{name}" if "}" in name else name

    def entity(name: str, _parameter: int, value: str | None, _base: Any, system: str | None, *_: Any) -> None:
        if system is not None:
            raise DrawingError(
                f"{label} asks for {system[:60]!r} (entity {name[:30]}); nothing outside a file is read", "drawing"
            )
        if value is not None and ("&" in value or len(value) > 10_000):
            raise DrawingError(f"{label} has the entity {name[:30]!r}, which would grow when it is read", "drawing")

    parser.EntityDeclHandler = entity
    parser.StartElementHandler = lambda name, found: builder.start(
        full(name), {full(one): value for one, value in found.items()}
    )
    parser.EndElementHandler = lambda name: builder.end(full(name))
    parser.CharacterDataHandler = builder.data
    try:
        parser.Parse(data, True)
        root: Element = builder.close()
    except expat.ExpatError as error:
        raise DrawingError(
            f"{label} cannot be read as a drawing: line {error.lineno}, column {error.offset + 1}: "
            f"{expat.ErrorString(error.code)}",
            "drawing",
        ) from None
    if local(root.tag) != "svg":
        raise DrawingError(f"{label} is no SVG: it begins with <{str(root.tag).rpartition('}')[2][:30]}>", "drawing")
    return root


def _depth(root: Element) -> Iterator[Element]:
    """All elements, or LimitError for more than may be, before anything recursive looks at them."""
    level, count = [root], 0
    for _ in range(MAX_DEPTH + 1):
        count += len(level)
        if count > MAX_ELEMENTS:
            raise LimitError(f"the drawing has more than {MAX_ELEMENTS} elements", "drawing")
        yield from level
        level = [child for one in level for child in one]
        if not level:
            return
    raise LimitError(f"the drawing's elements stand in one another more than {MAX_DEPTH} deep", "drawing")


@apart(DrawingError, "drawing", Limits(seconds=20.0))
def read_drawing(data: bytes, label: str) -> dict[str, Any]:
    """What an SVG document paints, as plain values.

    paints, from the lowest to the highest: curves [n, 4, 2] float64 in pixels of CSS, y down, straight [n], starts [k] of the closed
    contours, even_odd, colour (three shares from 0 to 1, as CSS has them) and alpha, gradient
    (its number, or -1), clips and groups (numbers, groups from the outmost to the inmost); opacity of each of the groups, which are
    painted as one before they are laid over what is below; gradients as ``Gradient.of`` takes them; clips: what each lets through, as lists of the
    same without colour; notes: what was left out, with how often. DrawingError for what cannot be read, LimitError for what is
    too large.
    """
    if len(data) > MAX_DRAWING_BYTES:
        raise LimitError(
            f"{label} is {len(data) / 1e6:.0f} MB; drawings go to {MAX_DRAWING_BYTES // 1_000_000} MB", "drawing"
        )
    if data[:2] == b"\x1f\x8b":
        raise DrawingError(f"{label} is compressed (SVGZ); unpack it first", "drawing")
    root = _parsed(data, label)
    by_id: dict[str, Element] = {}
    for element in _depth(root):
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
    clips: tuple[int, ...] = ()
    if width > 0 and height > 0 and (len(box) == 4 or "width" in root.attrib) and root.get("overflow") != "visible":
        clips = (reader._cut(rectangle(0, 0, width, height), Identity),)
    try:
        reader.walk(root, _Place(fitted, _INITIAL, (), clips, size))
    except DrawingError as error:
        raise DrawingError(f"{label}: {error.message}", "drawing") from None
    notes = [text if count == 1 else f"{text} ({count} times)" for text, count in reader.notes.items()]
    told = {"paints": reader.paints, "clips": reader.clips, "gradients": reader.gradients}
    return {**told, "groups": reader.groups, "notes": notes}
