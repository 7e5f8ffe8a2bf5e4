"""Font faces: opening them safely and drawing their glyphs as closed polylines."""

from __future__ import annotations

import hashlib
import logging
from functools import lru_cache
from io import BytesIO

import numpy as np
import uharfbuzz as hb
from fontTools.pens.basePen import BasePen
from fontTools.ttLib import TTFont, TTLibError
from numpy.typing import NDArray

from zeitbild.errors import FontError

MAX_FONT_BYTES = 30 * 1024 * 1024
#: Largest distance between a curve and the polyline that stands for it, in em.
FLATNESS = 0.0008
_MAX_PIECES = 64
# Oddities of fonts that can be read all the same are nobody's business here.
logging.getLogger("fontTools").setLevel(logging.CRITICAL)

_SIGNATURES = (b"\x00\x01\x00\x00", b"OTTO", b"true", b"ttcf")


class _Polylines(BasePen):  # type: ignore[misc]  # fontTools has no types
    """Collects contours as polylines in font units; curves are cut evenly, finely enough for ``tolerance``."""

    def __init__(self, tolerance: float) -> None:
        super().__init__(None)
        self.contours: list[NDArray[np.float64]] = []
        self._tolerance = tolerance
        self._points: list[tuple[float, float]] = []

    def _moveTo(self, pt: tuple[float, float]) -> None:
        self._points = [pt]

    def _lineTo(self, pt: tuple[float, float]) -> None:
        self._points.append(pt)

    def _curveToOne(self, c1: tuple[float, float], c2: tuple[float, float], end: tuple[float, float]) -> None:
        a, b, c, d = (np.array(point, dtype=np.float64) for point in (self._points[-1], c1, c2, end))
        # A chord over a parameter step h is off by at most h^2 / 8 times the second derivative, which for a cubic is
        # at most 6 times its largest second difference: pieces = sqrt(6/8 bend / tolerance).
        bend = max(np.hypot(*(a - 2 * b + c)), np.hypot(*(b - 2 * c + d)))
        pieces = int(np.clip(np.ceil(np.sqrt(0.75 * bend / self._tolerance)), 1, _MAX_PIECES))
        t = np.arange(1, pieces + 1)[:, None] / pieces
        s = 1 - t
        curve = s**3 * a + 3 * s * s * t * b + 3 * s * t * t * c + t**3 * d
        self._points.extend((float(x), float(y)) for x, y in curve)

    def _closePath(self) -> None:
        points = np.array(self._points, dtype=np.float64).reshape(-1, 2)
        self._points = []
        if len(points) and np.array_equal(points[0], points[-1]):
            points = points[:-1]
        if len(points) >= 3:
            self.contours.append(points)

    _endPath = _closePath


class Face:
    """An opened font. Immutable but for its glyph cache, which only ever gains entries."""

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
        self._glyphs: dict[int, tuple[NDArray[np.float64], ...]] = {}

    def contours(self, glyph: int) -> tuple[NDArray[np.float64], ...]:
        """Closed contours of a glyph, each [n, 2] float64 in font units, filled by the non-zero rule."""
        known = self._glyphs.get(glyph)
        if known is None:
            pen = _Polylines(FLATNESS * self.units_per_em)
            self.font.draw_glyph_with_pen(glyph, pen)
            known = self._glyphs[glyph] = tuple(pen.contours)
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
