"""Lines of text to placed glyph outlines. Advances and kerning are the shaping library's (OpenType)."""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass, replace

from zeitbild.errors import FontError, InputError, LimitError
from zeitbild.geometry.curves import Contour
from zeitbild.geometry.directions import runs_of, without_isolates
from zeitbild.geometry.font import MAX_GLYPHS, Face, Shaped

MAX_CHARACTERS = 400
MAX_LINES = 20


@dataclass(frozen=True, slots=True)
class PlacedGlyph:
    """A glyph and the place of its origin, in font units, line by line as seen from the left. place is that of its first character in its line, word
    the number of the word that it belongs to, both as they are read; rightwards tells which way that goes."""

    glyph: int
    x: float
    y: float
    line: int
    place: int
    word: int
    rightwards: bool


def _missing(line: str, shaped: Shaped, face: Face) -> str:
    characters = sorted({line[cluster] for cluster in shaped.clusters[shaped.glyphs == 0].tolist()})
    named = ", ".join(
        f"“{character}” ({unicodedata.name(character, 'no name').lower()})" for character in characters[:6]
    )
    return f"{face.label} has no glyph for {named}; choose another font or other characters"


def shape(
    text: str, face: Face, *, letter_spacing: float = 0, line_spacing: float = 1, alignment: str = "centre"
) -> tuple[PlacedGlyph, ...]:
    """Shape ``text`` line by line and set the lines below each other.

    letter_spacing is added after every cluster in em; line_spacing multiplies the font's own line height; alignment
    is ``left``, ``centre`` or ``right``. Lines of mixed directions are ordered by the Unicode bidirectional algorithm. Raises InputError for an empty
    word, LimitError for too long a one, FontError for characters that the font lacks.
    """
    lines = text.replace("\r\n", "\n").split("\n")
    if not text.strip():
        raise InputError("the word is empty; type at least one visible character", "word")
    if len(text) > MAX_CHARACTERS or len(lines) > MAX_LINES:
        raise LimitError(f"lettering takes up to {MAX_CHARACTERS} characters in {MAX_LINES} lines", "word")
    spacing = letter_spacing * face.units_per_em
    placed: list[PlacedGlyph] = []
    widths: list[float] = []
    words = 0
    for number, raw_line in enumerate(lines):
        line = without_isolates(raw_line.replace("\t", " "))
        pen_x = 0.0
        before: int | None = None
        for run in runs_of(line):
            shaped = face.shaped(line, run.start, run.end, run.rightwards, spacing == 0)
            if (shaped.glyphs == 0).any():
                raise FontError(_missing(line, shaped, face), "font")
            if len(placed) + len(shaped.glyphs) > MAX_GLYPHS:
                raise LimitError(
                    f"this font sets more than {MAX_GLYPHS} glyphs for this word; use fewer characters", "word"
                )
            for glyph, cluster, (right, up), advance in zip(*(one.tolist() for one in shaped), strict=True):
                if before is not None and cluster != before:
                    pen_x += spacing
                before = cluster
                placed.append(
                    PlacedGlyph(
                        glyph,
                        pen_x + right,
                        -number * face.line_height * line_spacing * face.units_per_em + up,
                        number,
                        cluster,
                        words + len(line[: cluster + 1].split()),
                        run.rightwards,
                    )
                )
                pen_x += advance
        widths.append(pen_x)
        words += len(line.split())
    widest = max(widths)
    share = {"left": 0.0, "centre": 0.5, "right": 1.0}[alignment]
    return tuple(replace(glyph, x=glyph.x + share * (widest - widths[glyph.line])) for glyph in placed)


def outlines(placed: tuple[PlacedGlyph, ...], face: Face, size: float, tolerance: float = 0.0005) -> list[Contour]:
    """Closed contours of all placed glyphs in units, the em ``size`` units large, y up; tolerance in em."""
    scale = size / face.units_per_em
    return [
        contour.moved(glyph.x, glyph.y, scale) for glyph in placed for contour in face.contours(glyph.glyph, tolerance)
    ]
