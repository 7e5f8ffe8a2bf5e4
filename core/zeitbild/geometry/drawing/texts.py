"""Text in a drawing, set in the fonts that ship: characters are placed as SVG 2 (chapter 11) has it, and become outlines.

A drawing is read in a process of its own, which knows no other fonts than these; which one stands for another is told.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from xml.etree.ElementTree import Element

from fontTools.misc.transform import Transform

from zeitbild.errors import LimitError
from zeitbild.fonts import SHIPPED
from zeitbild.geometry.directions import runs_of, without_isolates
from zeitbild.geometry.drawing.placing import Size
from zeitbild.geometry.drawing.styles import Styles, length, local
from zeitbild.geometry.drawing.tracks import Track
from zeitbild.geometry.font import Face, open_face

#: Characters of all texts of a drawing.
MAX_CHARACTERS = 5000
_SPACE = "{http://www.w3.org/XML/1998/namespace}space"
#: What each of the generic families is here (CSS Fonts 4, section 2.1.3).
_GENERIC = {
    "serif": "eb-garamond",
    "sans-serif": "lato-black",
    "cursive": "dancing-script",
    "fantasy": "lobster-two",
    "monospace": "roboto-slab",
    "system-ui": "lato-black",
}
_USUAL = "lato-black"
#: Words of a font's title that tell its weight (CSS Fonts 4, section 2.4.1) or that it leans.
_WEIGHTS = {"Regular": 400, "Bold": 700, "Black": 900}
_LEANS = "Italic"
#: Properties that place text in ways that are not read, and what they are if nobody says anything.
_NOT_READ = {
    "writing-mode": ("", "lr-tb", "lr", "horizontal-tb"),
    "dominant-baseline": ("", "auto", "alphabetic"),
    "baseline-shift": ("", "baseline", "0", "0px", "0%"),
}


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]", "", name.lower())


def _families() -> dict[str, str]:
    """Keys of the shipped fonts by the names of their families, and by their whole titles."""
    found: dict[str, str] = {}
    for key, font in SHIPPED.items():
        family = " ".join(word for word in font.title.split() if word not in (*_WEIGHTS, _LEANS))
        found |= {_plain(family): key, _plain(font.title): key}
    return found


_FAMILIES = _families()


@dataclass(slots=True)
class _Character:
    """A character, the element that it stands in with its values and the size of its font, and where it is told to be."""

    text: str
    element: Element
    values: dict[str, str]
    em: float
    x: float | None = None
    y: float | None = None
    dx: float = 0.0
    dy: float = 0.0


@dataclass(frozen=True, slots=True)
class Set:
    """Characters of one style as they are set: closed outlines in the units of the text, the element that they stand in, and its values."""

    tracks: list[Track]
    element: Element
    values: dict[str, str]


class Texts:
    """Sets the texts of a drawing. ``note`` tells what another font stands for, and what is not read."""

    def __init__(self, styles: Styles, note: Callable[[str], None]) -> None:
        self._styles, self._note = styles, note
        self._count = 0
        #: Beginning of the text that is set now, as it is told.
        self._words = ""

    def set(self, element: Element, values: dict[str, str], em: float, size: Size) -> list[Set]:
        """The outlines of a text element; em is the size of its font, size that of its viewport."""
        characters: list[_Character] = []
        self._gather(element, values, em, size, characters, self._keeps(element, False))
        while characters and characters[-1].text == " " and not self._keeps(characters[-1].element, False):
            characters.pop()
        self._count += len(characters)
        if self._count > MAX_CHARACTERS:
            raise LimitError(f"the drawing's texts have more than {MAX_CHARACTERS} characters", "drawing")
        self._words = "".join(one.text for one in characters).strip()[:40]
        found: list[Set] = []
        pen = (0.0, 0.0)
        for chunk in _chunks(characters):
            pen = self._chunk(chunk, pen, found)
        return found

    @staticmethod
    def _keeps(element: Element, keeps: bool) -> bool:
        """Whether all spaces of an element are kept."""
        told = element.get(_SPACE)
        return keeps if told is None else told == "preserve"

    def _gather(
        self,
        element: Element,
        values: dict[str, str],
        em: float,
        size: Size,
        characters: list[_Character],
        keeps: bool,
    ) -> None:
        """All characters of an element, with the values that they have there."""
        first = len(characters)
        self._add(element.text, element, values, em, characters, keeps)
        for child in element:
            name = local(child.tag)
            if name == "textPath":
                words = " ".join("".join(child.itertext()).split())
                self._note(f"the text “{words[:40]}”, which runs along a path: turn it into outlines")
            elif name in ("tspan", "a"):
                own = self._styles.of(child, values)
                if own.get("display") != "none":
                    inner = em if own.get("font-size") == values.get("font-size") else em_of(own, em)
                    self._gather(child, own, inner, size, characters, self._keeps(child, keeps))
            self._add(child.tail, element, values, em, characters, keeps)
        for side, whole in (("x", size[0]), ("y", size[1]), ("dx", size[0]), ("dy", size[1])):
            told = (element.get(side) or "").replace(",", " ").split()
            for one, character in zip(told, characters[first:], strict=False):
                value = length(one, whole, em, math.nan)
                if math.isfinite(value) and getattr(character, side) in (None, 0.0):
                    setattr(character, side, value)
        for name in ("rotate", "textLength"):
            if element.get(name, "") not in ("", "0"):
                self._note(f"{name} of a text: its letters stand as they are")

    def _add(
        self,
        text: str | None,
        element: Element,
        values: dict[str, str],
        em: float,
        characters: list[_Character],
        keeps: bool,
    ) -> None:
        for one in without_isolates(re.sub(r"[\t\n\r]", " ", text or "")):
            # Of several spaces one is left, and none before the first word.
            if one == " " and not keeps and (not characters or characters[-1].text == " "):
                continue
            characters.append(_Character(one, element, values, em))

    def _chunk(self, chunk: Sequence[_Character], pen: tuple[float, float], found: list[Set]) -> tuple[float, float]:
        """Set characters that are placed together; gives where the next would stand."""
        begin = chunk[0]
        x, y = pen[0] if begin.x is None else begin.x, pen[1] if begin.y is None else begin.y
        start, line = x, "".join(one.text for one in chunk)
        starts = _starts(chunk)
        faces = {first: self._face(line[first:end], chunk[first].values) for first, end in starts}
        pieces = []
        for first, end, whole, rightwards in _in_sight(line, starts):
            one = chunk[whole]
            if first == whole:
                x, y = x + one.dx, y + one.dy
            tracks, across = self._piece(line, first, end, rightwards, faces[whole], one, (x, y))
            pieces.append((first, tracks, one))
            x += across
        # Where a line runs to the left it starts on the right.
        anchor, leftwards = begin.values.get("text-anchor", "start"), begin.values.get("direction") == "rtl"
        share = 0.5 if anchor == "middle" else float((anchor == "end") != leftwards)
        back = -share * (x - start)
        # Painted as they are written, however they are seen.
        for _, tracks, one in sorted(pieces, key=lambda piece: piece[0]):
            moved = [track.moved(Transform(1, 0, 0, 1, back, 0)) for track in tracks]
            if moved and one.values.get("visibility", "visible") == "visible":
                # Whatever rule other things are filled by, letters are filled as fonts are.
                own = {"fill-rule": "nonzero", "clip-rule": "nonzero", "font-size": f"{one.em}"}
                found.append(Set(moved, one.element, {**one.values, **own}))
        return x + back, y

    def _piece(
        self,
        line: str,
        first: int,
        end: int,
        rightwards: bool,
        face: Face,
        style: _Character,
        place: tuple[float, float],
    ) -> tuple[list[Track], float]:
        """The outlines of characters of a line that are of one style and run one way, from a place on, and how far they reach (user units)."""
        values, em, (x, y) = style.values, style.em, place
        for name, usual in _NOT_READ.items():
            if values.get(name, "") not in usual:
                self._note(f"{name} of a text: its letters stand on their usual line")
        scale = em / face.units_per_em
        spaced, wide = (
            0.0 if values.get(name, "normal") == "normal" else length(values[name], em, em, 0.0)
            for name in ("letter-spacing", "word-spacing")
        )
        tracks: list[Track] = []
        at, before, lacking = 0.0, None, False
        shaped = face.shaped(line, first, end, rightwards, spaced == 0)
        for glyph, cluster, (right, up), advance in zip(*(one.tolist() for one in shaped), strict=True):
            if before is not None and cluster != before:
                at += spaced
            before = cluster
            lacking = lacking or glyph == 0
            onto = Transform(scale, 0, 0, -scale, x + at + right * scale, y - up * scale)
            for contour in face.curves(glyph) if glyph else ():
                tracks.append(Track(contour.curves, contour.straight, True).moved(onto))
            at += advance * scale + (wide if line[cluster] == " " else 0.0)
        if lacking:
            self._note(f"letters of the text “{self._words}” that no font here has")
        return tracks, at + (spaced if before is not None else 0.0)

    def _face(self, line: str, values: dict[str, str]) -> Face:
        """The font of a text: the first of its families that is here, or whichever has all of its letters."""
        asked = [name for one in values.get("font-family", "").split(",") if (name := one.strip(" \t\n\"'"))]
        words = self._words if line.strip() else ""
        key = next((found for one in asked if (found := _FAMILIES.get(_plain(one)) or _GENERIC.get(one.lower()))), "")
        exact = bool(asked) and bool(key) and _FAMILIES.get(_plain(asked[0])) == key
        key = key or _USUAL
        if not self._has(key, line):
            key = next((one for one in SHIPPED if self._has(one, line)), key)
            exact = False
        title = SHIPPED[key].title
        if words and not exact:
            wanted = f"asks for {asked[0][:40]}" if asked else "names no font"
            self._note(f"the text “{words}” {wanted}: it is set in {title}")
        elif words and (abs(_weight_of(values) - _weight_in(title)) > 150 or _leans(values) != (_LEANS in title)):
            self._note(f"the text “{words}” asks for another weight or slant of {asked[0][:40]}: it is set in {title}")
        return _face(key)

    @staticmethod
    def _has(key: str, line: str) -> bool:
        shown = line.strip()
        return not shown or bool((_face(key).shaped(shown, 0, len(shown), True, True).glyphs != 0).all())


def _face(key: str) -> Face:
    font = SHIPPED[key]
    return open_face(font.path.read_bytes(), font.title)


def em_of(values: dict[str, str], outer: float) -> float:
    """The size of the font of an element in user units, where it is ``outer`` outside of it; 0 for one that is none."""
    found = length(values.get("font-size", ""), outer, outer, outer)
    return found if found > 0 else 0.0


def _weight_of(values: dict[str, str]) -> int:
    told = values.get("font-weight", "normal")
    return int(told) if told.isdecimal() else {"bold": 700, "bolder": 700, "lighter": 300}.get(told, 400)


def _weight_in(title: str) -> int:
    return next((weight for word, weight in _WEIGHTS.items() if word in title.split()), 400)


def _leans(values: dict[str, str]) -> bool:
    return values.get("font-style", "normal").split(" ")[0] in ("italic", "oblique")


def _chunks(characters: Sequence[_Character]) -> Iterator[list[_Character]]:
    """Characters that follow one another, from one that is told where it stands to the next."""
    chunk: list[_Character] = []
    for one in characters:
        if chunk and (one.x is not None or one.y is not None):
            yield chunk
            chunk = []
        chunk.append(one)
    if chunk:
        yield chunk


def _starts(chunk: Sequence[_Character]) -> list[tuple[int, int]]:
    """First and end of those of them that are of one style, and follow one another without being moved."""
    first = [at for at, one in enumerate(chunk) if not at or one.values is not chunk[at - 1].values or one.dx or one.dy]
    return list(zip(first, [*first[1:], len(chunk)], strict=True))


def _in_sight(line: str, pieces: Sequence[tuple[int, int]]) -> Iterator[tuple[int, int, int, bool]]:
    """Pieces of a line (first and end) as they are seen from left to right, cut where the direction changes: first, end, the first of the piece
    that each is of, and whether it runs to the right."""
    for run in runs_of(line):
        inner = [(max(first, run.start), min(end, run.end), first) for first, end in pieces]
        inner = [one for one in inner if one[0] < one[1]]
        for first, end, whole in inner if run.rightwards else inner[::-1]:
            yield first, end, whole, run.rightwards
