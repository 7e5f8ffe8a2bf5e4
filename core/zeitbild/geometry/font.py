"""Font faces: opening them safely and drawing their glyphs as closed contours."""

from __future__ import annotations

import hashlib
import logging
from functools import lru_cache
from io import BytesIO

import numpy as np
import uharfbuzz as hb
from fontTools.pens.basePen import BasePen
from fontTools.ttLib import TTFont, TTLibError

from zeitbild.errors import FontError
from zeitbild.geometry.curves import Contour, CurvedContour

MAX_FONT_BYTES = 30 * 1024 * 1024
#: Glyphs kept as polylines, at all their finenesses.
_MOST_FLAT = 1024
# Oddities of fonts that can be read all the same are nobody's business here.
logging.getLogger("fontTools").setLevel(logging.CRITICAL)

_SIGNATURES = (b"\x00\x01\x00\x00", b"OTTO", b"true", b"ttcf")


class _Curves(BasePen):  # type: ignore[misc]  # fontTools has no types
    """Collects closed contours of cubic curves in font units; lines are curves that are straight."""

    def __init__(self) -> None:
        super().__init__(None)
        self.contours: list[CurvedContour] = []
        self._curves: list[tuple[tuple[float, float], ...]] = []
        self._straight: list[bool] = []
        self._start = self._at = (0.0, 0.0)

    def _moveTo(self, pt: tuple[float, float]) -> None:
        self._start = self._at = pt

    def _lineTo(self, pt: tuple[float, float]) -> None:
        if pt != self._at:
            self._curves.append((self._at, self._at, pt, pt))
            self._straight.append(True)
            self._at = pt

    def _curveToOne(self, c1: tuple[float, float], c2: tuple[float, float], end: tuple[float, float]) -> None:
        if c1 == self._at and c2 == end:
            self._lineTo(end)
        elif not self._at == c1 == c2 == end:
            self._curves.append((self._at, c1, c2, end))
            self._straight.append(False)
            self._at = end

    def _closePath(self) -> None:
        self._lineTo(self._start)
        if len(self._curves) >= 2:
            self.contours.append(CurvedContour(np.array(self._curves, np.float64), np.array(self._straight, bool)))
        self._curves, self._straight = [], []

    _endPath = _closePath


class Face:
    """An opened font. Immutable but for what it keeps of its glyphs."""

    def __init__(self, data: bytes, label: str) -> None:
        self.label = label
        self.sha256 = hashlib.sha256(data).hexdigest()
        face = hb.Face(data)
        self.font = hb.Font(face)
        self.units_per_em = face.upem
        self.glyph_count = face.glyph_count
        extents = self.font.get_font_extents("ltr")
        #: Distance of two baselines in em, as the font asks for it.
        self.line_height = (extents.ascender - extents.descender + extents.line_gap) / self.units_per_em or 1.2
        self._curved: dict[int, tuple[CurvedContour, ...]] = {}
        self._flat: dict[tuple[int, float], tuple[Contour, ...]] = {}

    def curves(self, glyph: int) -> tuple[CurvedContour, ...]:
        """Closed contours of a glyph in font units, filled by the non-zero rule."""
        known = self._curved.get(glyph)
        if known is None:
            pen = _Curves()
            self.font.draw_glyph_with_pen(glyph, pen)
            known = self._curved[glyph] = tuple(pen.contours)
        return known

    def contours(self, glyph: int, tolerance: float) -> tuple[Contour, ...]:
        """The same as polylines that stay within ``tolerance`` (em) of the curves."""
        key = (glyph, tolerance)
        known = self._flat.get(key)
        if known is None:
            known = tuple(curve.flattened(tolerance * self.units_per_em) for curve in self.curves(glyph))
            if len(self._flat) >= _MOST_FLAT:
                self._flat.clear()
            self._flat[key] = known
        return known


def check_font(data: bytes, label: str) -> str:
    """Read every table that Zeitbild needs, as a font from a stranger has to be read; gives its full name.

    FontError if it is no TrueType or OpenType font, is too large, or does not hold.
    """
    if len(data) > MAX_FONT_BYTES:
        raise FontError(f"{label} is {len(data) // 1_000_000} MB; fonts go to {MAX_FONT_BYTES // 1_000_000} MB")
    if data[:4] not in _SIGNATURES:
        raise FontError(f"{label} is not a TrueType or OpenType font (TTF or OTF)")
    try:
        with TTFont(BytesIO(data), fontNumber=0, lazy=False) as font:
            cmap = font.getBestCmap()
            names = font["name"]
            title = names.getBestFullName() or names.getBestFamilyName() or label
            if "glyf" not in font and "CFF " not in font and "CFF2" not in font:
                raise FontError(f"{label} has no outlines to extrude (it may hold bitmaps only)")
            font["head"], font["hhea"], font["hmtx"], font["maxp"]
            if "CFF " in font:
                font["CFF "]
            if "glyf" in font:
                for glyph in font["glyf"].keys():
                    font["glyf"][glyph]
    except FontError:
        raise
    # fontTools lets whatever its parsers meet escape (struct, assertion, key and many others): this is the one place
    # where bytes from a stranger are first read, and all of it means the same to the person.
    except Exception as error:
        kind = "" if isinstance(error, TTLibError) else f" ({type(error).__name__})"
        raise FontError(f"{label} is broken and cannot be read{kind}; try another copy of the font") from error
    if not cmap:
        raise FontError(f"{label} maps no characters to glyphs")
    face = Face(data, label)
    if face.units_per_em < 16 or face.glyph_count < 1:
        raise FontError(f"{label} has an impossible em size or no glyphs")
    return str(title)[:100]


@lru_cache(maxsize=64)
def open_face(data: bytes, label: str) -> Face:
    """A face ready for shaping; cached by content."""
    return Face(data, label)
