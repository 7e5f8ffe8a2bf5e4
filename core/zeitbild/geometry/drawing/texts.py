"""Text in a drawing, set in the fonts that ship: characters are placed as SVG 2 (chapter 11) has it, and become outlines.

A drawing is read in a process of its own, which knows no other fonts than these; which one stands for another is told.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from xml.etree.ElementTree import Element

from fontTools.misc.transform import Transform

from zeitbild.errors import LimitError
from zeitbild.fonts import SHIPPED
from zeitbild.geometry.directions import runs_of, without_isolates
from zeitbild.geometry.drawing.along import Along
from zeitbild.geometry.drawing.placing import Size
from zeitbild.geometry.drawing.styles import Styles, length, local, numbers
from zeitbild.geometry.drawing.tracks import Track
from zeitbild.geometry.font import TrustedFace, open_face

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
#: Directions of writing that are read.
_LEVEL = ("", "lr-tb", "lr", "horizontal-tb")
#: Names of lines of letters that mean the same (CSS Inline 3, section 4.2.2, and before it SVG 1.1).
_LINES = {
    "": "alphabetic",
    "auto": "alphabetic",
    "text-top": "text-before-edge",
    "text-bottom": "text-after-edge",
    "ideographic": "text-after-edge",
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
    #: Degrees, clockwise.
    turned: float | None = None
    #: The way that it stands along.
    along: Along | None = None


@dataclass(slots=True)
class _Letter:
    """What becomes one of characters of a line, of which ``cluster`` is the first: how far from the beginning of its piece it begins, how wide
    it is, and its outlines from there."""

    cluster: int
    at: float
    wide: float = 0.0
    tracks: list[Track] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Set:
    """Characters of one style as they are set: closed outlines in the units of the text, the element that they stand in, and its values."""

    tracks: list[Track]
    element: Element
    values: dict[str, str]


class Texts:
    """Sets the texts of a drawing. ``note`` tells what another font stands for, and what is not read; ``way`` gives what a textPath follows in
    a viewport, if it is there. own is a font for what asks for one that does not ship."""

    def __init__(
        self,
        styles: Styles,
        note: Callable[[str], None],
        way: Callable[[Element, Size], list[Track] | None],
        own: TrustedFace | None,
    ) -> None:
        self._styles, self._note, self._way, self._own = styles, note, way, own
        #: Characters that were set.
        self.count = 0
        #: Beginning of the text that is set now, as it is told.
        self._words = ""

    def set(self, element: Element, values: dict[str, str], em: float, size: Size) -> list[Set]:
        """The outlines of a text element; em is the size of its font, size that of its viewport."""
        characters: list[_Character] = []
        self._gather(element, values, em, size, characters, self._keeps(element, False))
        while characters and characters[-1].text == " " and not self._keeps(characters[-1].element, False):
            characters.pop()
        self.count += len(characters)
        if self.count > MAX_CHARACTERS:
            raise LimitError(f"the drawing's texts have more than {MAX_CHARACTERS} characters", "drawing")
        self._words = "".join(one.text for one in characters).strip()[:40]
        found: list[Set] = []
        pen = (0.0, 0.0)
        chunks = list(_chunks(characters))
        told = length(element.get("textLength", ""), size[0], em, 0.0)
        if told > 0 and len(chunks) > 1:
            self._note("textLength of a text in several places: its letters stand as they are")
            told = 0.0
        for chunk in chunks:
            pen = self._chunk(chunk, pen, found, told, element.get("lengthAdjust") == "spacingAndGlyphs")
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
            if name in ("tspan", "a", "textPath"):
                own = self._styles.of(child, values)
                inner = em if own.get("font-size") == values.get("font-size") else em_of(own, em)
                way = self._along(child, inner, size) if name == "textPath" else None
                if own.get("display") != "none" and (name != "textPath" or way is not None):
                    start = len(characters)
                    self._gather(child, own, inner, size, characters, self._keeps(child, keeps))
                    for one in characters[start:] if way is not None else ():
                        one.along = way
            self._add(child.tail, element, values, em, characters, keeps)
        for side, whole in (("x", size[0]), ("y", size[1]), ("dx", size[0]), ("dy", size[1])):
            told = (element.get(side) or "").replace(",", " ").split()
            for word, character in zip(told, characters[first:], strict=False):
                value = length(word, whole, em, math.nan)
                if math.isfinite(value) and getattr(character, side) in (None, 0.0):
                    setattr(character, side, value)
        turned = numbers(element.get("rotate", ""))
        if turned:
            # The last turns all that follow; what an inner element says goes before.
            for at, character in enumerate(characters[first:]):
                if character.turned is None:
                    character.turned = turned[min(at, len(turned) - 1)]
        if local(element.tag) != "text" and element.get("textLength"):
            self._note("textLength within a text: its letters stand as they are")

    def _along(self, element: Element, em: float, size: Size) -> Along | None:
        """The way of a textPath; None for one that is not there, which is told."""
        tracks = self._way(element, size)
        way = Along.of(tracks, element, em) if tracks else None
        if way is None:
            words = " ".join("".join(element.itertext()).split())
            self._note(f"the text “{words[:40]}”, whose path is not there")
        return way

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

    def _chunk(
        self,
        chunk: Sequence[_Character],
        pen: tuple[float, float],
        found: list[Set],
        told: float,
        wider: bool,
    ) -> tuple[float, float]:
        """Set characters that are placed together; gives where the next would stand. They are as long as it is ``told`` if that is above 0, by the
        room between letters, or ``wider`` themselves."""
        begin, way = chunk[0], chunk[0].along
        if way is not None:
            # On a way places are told along it and aside.
            pen = (0.0, 0.0)
        x, y = pen[0] if begin.x is None else begin.x, pen[1] if begin.y is None or way is not None else begin.y
        # Where the first is moved, all of it is.
        start, line = x + begin.dx, "".join(one.text for one in chunk)
        starts = _starts(chunk)
        faces = {first: self._face(line[first:end], chunk[first].values) for first, end in starts}
        pieces: list[_Piece] = []
        for first, end, whole, rightwards in _in_sight(line, starts):
            one = chunk[whole]
            if first == whole:
                x, y = x + one.dx, y + one.dy
            letters, across = self._piece(line, first, end, rightwards, faces[whole], one)
            pieces.append((first, letters, one, (x, y)))
            x += across
        if told > 0 and x > start:
            pieces = _fitted(pieces, start, x, told, wider)
            x = start + told
        # Where a line runs to the left it starts on the right.
        anchor, leftwards = begin.values.get("text-anchor", "start"), begin.values.get("direction") == "rtl"
        share = 0.5 if anchor == "middle" else float((anchor == "end") != leftwards)
        back = -share * (x - start)
        # Painted as they are written, however they are seen.
        for _, letters, one, (right, down) in sorted(pieces, key=lambda piece: piece[0]):
            moved = [
                track.moved(onto)
                for letter in letters
                if (onto := _placed(letter, right + back, down, way, chunk[letter.cluster].turned or 0.0)) is not None
                for track in letter.tracks
            ]
            if moved and one.values.get("visibility", "visible") == "visible":
                # Whatever rule other things are filled by, letters are filled as fonts are.
                own = {"fill-rule": "nonzero", "clip-rule": "nonzero", "font-size": f"{one.em}"}
                found.append(Set(moved, one.element, {**one.values, **own}))
        return (x + back, y) if way is None else way.end

    def _piece(
        self, line: str, first: int, end: int, rightwards: bool, face: TrustedFace, style: _Character
    ) -> tuple[list[_Letter], float]:
        """The letters of characters of a line that are of one style and run one way, and how far they reach (user units)."""
        values, em = style.values, style.em
        if values.get("writing-mode", "") not in _LEVEL:
            self._note("writing-mode of a text: it runs level")
        scale = em / face.units_per_em
        lower = self._lower(values, face, em)
        spaced, wide = (
            0.0 if values.get(name, "normal") == "normal" else length(values[name], em, em, 0.0)
            for name in ("letter-spacing", "word-spacing")
        )
        letters: list[_Letter] = []
        at, lacking = 0.0, False
        shaped = face.shaped(line, first, end, rightwards, spaced == 0)
        for glyph, cluster, (right, up), advance in zip(*(one.tolist() for one in shaped), strict=True):
            if not letters or cluster != letters[-1].cluster:
                at = letters[-1].at + letters[-1].wide if letters else 0.0
                letters.append(_Letter(cluster, at, spaced))
            own = letters[-1]
            lacking = lacking or glyph == 0
            onto = Transform(scale, 0, 0, -scale, at - own.at + right * scale, lower - up * scale)
            for contour in face.curves(glyph) if glyph else ():
                own.tracks.append(Track(contour.curves, contour.straight, True).moved(onto))
            # Spaces belong to the letter before them.
            own.wide += advance * scale + (wide if line[cluster] == " " else 0.0)
            at += advance * scale
        if lacking:
            self._note(f"letters of the text “{self._words}” that no font here has")
        return letters, letters[-1].at + letters[-1].wide if letters else 0.0

    def _lower(self, values: dict[str, str], face: TrustedFace, em: float) -> float:
        """How far below their usual line letters stand (user units)."""
        told = values.get("dominant-baseline", "")
        lines, name = face.lines, _LINES.get(told, told)
        if name not in lines:
            self._note(f"dominant-baseline {told[:30]} of a text: its letters stand on their usual line")
        found = lines.get(name, 0.0)
        shift = values.get("baseline-shift", "baseline")
        raised = lines[shift] * em if shift in ("super", "sub") else length(shift, em, em, 0.0)
        return found * em - raised

    def _face(self, line: str, values: dict[str, str]) -> TrustedFace:
        """The font of a text: the first of its families that is here, or whichever has all of its letters."""
        asked = [name for one in values.get("font-family", "").split(",") if (name := one.strip(" \t\n\"'"))]
        words = self._words if line.strip() else ""
        key = next((found for one in asked if (found := _FAMILIES.get(_plain(one)) or _GENERIC.get(one.lower()))), "")
        exact = bool(asked) and bool(key) and _FAMILIES.get(_plain(asked[0])) == key
        if not exact and self._own is not None and _shows(self._own, line):
            return self._own
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
        return _shows(_face(key), line)


def _placed(letter: _Letter, right: float, down: float, way: Along | None, turned: float) -> Transform | None:
    """What puts a letter where it stands, of a piece that begins in a place; None for one that stands beyond its way."""
    if way is None:
        return Transform(1, 0, 0, 1, right + letter.at, down).rotate(math.radians(turned))
    # The middle of a letter stands on its way.
    half = letter.wide / 2
    onto = way.at(way.start + right + letter.at + half)
    return None if onto is None else onto.translate(-half, down).rotate(math.radians(turned))


def _shows(face: TrustedFace, line: str) -> bool:
    """Whether a font has all letters of a line."""
    shown = line.strip()
    return not shown or bool((face.shaped(shown, 0, len(shown), True, True).glyphs != 0).all())


def _face(key: str) -> TrustedFace:
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


#: Letters of one style that run one way: the first of their characters, they themselves, their style, and where they begin.
_Piece = tuple[int, list[_Letter], _Character, tuple[float, float]]


def _fitted(pieces: Sequence[_Piece], start: float, end: float, told: float, wider: bool) -> list[_Piece]:
    """Pieces from start to end made as long as it is told (SVG 2, section 11.5)."""
    more = told / (end - start)
    count = sum(len(letters) for _, letters, _, _ in pieces)
    if not wider and count < 2:
        return list(pieces)
    room = 0.0 if wider else (told - (end - start)) / (count - 1)
    found, number = [], 0
    for first, letters, style, (x, y) in pieces:
        for letter in letters:
            if wider:
                letter.at, letter.wide = letter.at * more, letter.wide * more
                letter.tracks = [track.moved(Transform(more, 0, 0, 1, 0, 0)) for track in letter.tracks]
            letter.at += room * number
            number += 1
        found.append((first, letters, style, (start + (x - start) * more if wider else x, y)))
    return found


def _chunks(characters: Sequence[_Character]) -> Iterator[list[_Character]]:
    """Characters that follow one another, from one that is told where it stands to the next, or from one way to the next."""
    chunk: list[_Character] = []
    for one in characters:
        placed = one.x is not None or (one.y is not None and one.along is None)
        if chunk and (placed or one.along is not chunk[-1].along):
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
