"""Font faces: opening them safely and drawing their glyphs as closed contours."""

from __future__ import annotations

import logging
import math
from functools import cached_property, lru_cache
from io import BytesIO
from pathlib import Path
from typing import NamedTuple

import numpy as np
import uharfbuzz as hb
from fontTools.pens.basePen import BasePen
from fontTools.ttLib import TTFont, TTLibError
from numpy.typing import NDArray

from zeitbild.errors import FontError, LimitError
from zeitbild.geometry.curves import Contour, CurvedContour
from zeitbild.isolation import apart

MAX_FONT_BYTES = 30 * 1024 * 1024
#: Glyphs kept as polylines, at all their finenesses; and runs of text kept as they were shaped.
_MOST_FLAT, _MOST_SHAPED = 1024, 512
#: Some fonts turn one character into thousands of glyphs, or have glyphs that are drawings.
MAX_GLYPHS, MAX_CURVES = 4000, 6000
#: Styles of one file.
MAX_STYLES = 120
# Oddities of fonts that can be read all the same are nobody's business here.
logging.getLogger("fontTools").setLevel(logging.CRITICAL)

_SIGNATURES = (b"\x00\x01\x00\x00", b"OTTO", b"true", b"ttcf")
#: Of fonts as the web packs them.
_PACKED = (b"wOFF", b"wOF2")


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


class Shaped(NamedTuple):
    """A run of text as a font sets it: of each glyph its number, the place in the line of the character it stands for, its offset
    and advance in font units."""

    glyphs: NDArray[np.int64]
    clusters: NDArray[np.int64]
    offsets: NDArray[np.float64]
    advances: NDArray[np.float64]


class Style(NamedTuple):
    """One of the faces that a font file has: what it is called, its place in a collection, and where it stands on axes that vary."""

    title: str
    face: int
    axes: dict[str, float]


class Face:
    """An opened font. Immutable but for what it keeps of its glyphs."""

    def __init__(self, label: str, units_per_em: int, line_height: float) -> None:
        """line_height is the distance of two baselines in em, as the font asks for it."""
        self.label, self.units_per_em, self.line_height = label, units_per_em, line_height
        self._flat: dict[tuple[int, float], tuple[Contour, ...]] = {}

    def shaped(self, line: str, start: int, end: int, rightwards: bool, ligatures: bool) -> Shaped:
        """The characters from start to end of a line, which the font sees whole."""
        raise NotImplementedError

    def curves(self, glyph: int) -> tuple[CurvedContour, ...]:
        """Closed contours of a glyph in font units, filled by the non-zero rule."""
        raise NotImplementedError

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


class TrustedFace(Face):
    """A font that is read here: one that Zeitbild ships, or, in a reading process, any. FontError for a ``style`` (``styles_in``) that it lacks."""

    def __init__(self, data: bytes, label: str, style: int = 0) -> None:
        own = Style("", 0, {})
        if style:
            styles = styles_in(data)
            if style >= len(styles):
                raise FontError(f"{label} has {len(styles)} styles; there is no number {style + 1}", "font")
            own = styles[style]
        face = hb.Face(data, own.face)
        self.font = hb.Font(face)
        if own.axes:
            self.font.set_variations(own.axes)
        self.glyph_count = face.glyph_count
        extents = self.font.get_font_extents("ltr")
        upem = face.upem
        super().__init__(label, upem, (extents.ascender - extents.descender + extents.line_gap) / upem or 1.2)
        self._curved: dict[int, tuple[CurvedContour, ...]] = {}

    @cached_property
    def lines(self) -> dict[str, float]:
        """How far its usual line lies below others, by their names in CSS Inline 3 (section 4.2.2), and how far letters are raised that
        stand above or below it; em."""
        extents, tags = self.font.get_font_extents("ltr"), hb.OTMetricsTag
        upper, lower = extents.ascender, extents.descender
        small, above, below = (
            self.font.get_metric_position_with_fallback(tag)
            for tag in (tags.X_HEIGHT, tags.SUPERSCRIPT_EM_Y_OFFSET, tags.SUBSCRIPT_EM_Y_OFFSET)
        )
        found = {
            "alphabetic": 0.0,
            "middle": small / 2,
            "central": (upper + lower) / 2,
            # Common practice where a font does not say, as many do not.
            "hanging": 0.8 * upper,
            "mathematical": 0.5 * upper,
            "text-before-edge": upper,
            "text-after-edge": lower,
            "super": above,
            "sub": -below,
        }
        return {name: height / self.units_per_em for name, height in found.items()}

    def shaped(self, line: str, start: int, end: int, rightwards: bool, ligatures: bool) -> Shaped:
        """See ``Face``."""
        buffer = hb.Buffer()
        # The whole line, so that letters know their neighbours in other runs.
        buffer.add_str(line, start, end - start)
        buffer.guess_segment_properties()
        buffer.direction = "ltr" if rightwards else "rtl"
        # Default ignorable marks stay invisible; kerning, ligatures and marks are the font's own.
        hb.shape(self.font, buffer, {"kern": True, "liga": ligatures, "clig": ligatures})
        infos, positions = buffer.glyph_infos or [], buffer.glyph_positions or []
        return Shaped(
            np.array([info.codepoint for info in infos], np.int64),
            np.array([info.cluster for info in infos], np.int64),
            np.array([(one.x_offset, one.y_offset) for one in positions], np.float64).reshape(-1, 2),
            np.array([one.x_advance for one in positions], np.float64),
        )

    def curves(self, glyph: int) -> tuple[CurvedContour, ...]:
        """See ``Face``."""
        known = self._curved.get(glyph)
        if known is None:
            pen = _Curves()
            self.font.draw_glyph_with_pen(glyph, pen)
            known = self._curved[glyph] = tuple(pen.contours)
        return known


class StrangersFace(Face):
    """A font that somebody brought along: reading processes shape with it and draw its glyphs."""

    def __init__(self, path: Path, label: str, style: int) -> None:
        self._path, self._style = str(path), style
        units_per_em, line_height = _facts(self._path, label, style)
        super().__init__(label, units_per_em, line_height)
        self._shaped: dict[tuple[str, int, int, bool, bool], Shaped] = {}
        self._curved: dict[int, tuple[CurvedContour, ...]] = {}

    def shaped(self, line: str, start: int, end: int, rightwards: bool, ligatures: bool) -> Shaped:
        """See ``Face``; FontError for a font that takes too much."""
        key = (line, start, end, rightwards, ligatures)
        known = self._shaped.get(key)
        if known is None:
            if len(self._shaped) >= _MOST_SHAPED:
                self._shaped.clear()
            known = self._shaped[key] = Shaped(*_shaped(self._path, self.label, self._style, *key))
        return known

    def curves(self, glyph: int) -> tuple[CurvedContour, ...]:
        """See ``Face``; FontError for a glyph that takes too much."""
        known = self._curved.get(glyph)
        if known is None:
            drawn = _drawn(self._path, self.label, self._style, glyph)
            known = tuple(CurvedContour(curves, straight) for curves, straight in drawn)
            if len(self._curved) >= _MOST_FLAT:
                self._curved.clear()
            self._curved[glyph] = known
        return known


@lru_cache(maxsize=8)
def _opened(path: str, label: str, style: int) -> TrustedFace:
    return TrustedFace(Path(path).read_bytes(), label, style)


@apart(FontError, "font")
def _facts(path: str, label: str, style: int) -> tuple[int, float]:
    face = _opened(path, label, style)
    return face.units_per_em, face.line_height


@apart(FontError, "font")
def _shaped(
    path: str, label: str, style: int, line: str, start: int, end: int, rightwards: bool, ligatures: bool
) -> Shaped:
    shaped = _opened(path, label, style).shaped(line, start, end, rightwards, ligatures)
    if len(shaped.glyphs) > MAX_GLYPHS:
        raise LimitError(f"{label} makes more than {MAX_GLYPHS} glyphs of this line; use fewer characters", "word")
    return shaped


@apart(FontError, "font")
def _drawn(path: str, label: str, style: int, glyph: int) -> list[tuple[NDArray[np.float64], NDArray[np.bool_]]]:
    contours = _opened(path, label, style).curves(glyph)
    if sum(len(one.curves) for one in contours) > MAX_CURVES:
        raise LimitError(f"a glyph of {label} has more than {MAX_CURVES} curves; choose another font", "font")
    return [(one.curves, one.straight) for one in contours]


def _name(face: hb.Face, *numbers: int) -> str:
    """The first of some names (OpenType's table *name*) that a face has."""
    for number in numbers:
        told = "".join(one for one in face.get_name(number) or "" if one.isprintable()).strip()
        if told:
            return told[:100]
    return ""


def _varied(face: hb.Face) -> list[tuple[str, dict[str, float]]]:
    """What a face that varies calls its styles, and where they stand; of one that names none, its weights."""
    axes = face.axis_infos
    named = [
        (_name(face, one.subfamily_name_id), dict(zip((axis.tag for axis in axes), one.design_coords, strict=False)))
        for one in face.named_instances[:MAX_STYLES]
    ]
    weight = next((axis for axis in axes if axis.tag == "wght"), None)
    if named or weight is None:
        return [one for one in named if one[0]]
    low, high = math.ceil(weight.min_value / 100), math.floor(weight.max_value / 100)
    return [(f"weight {100 * step}", {"wght": 100.0 * step}) for step in range(max(1, low), min(10, high) + 1)]


def styles_in(data: bytes) -> list[Style]:
    """The styles of a font file that was checked: faces of a collection, named ones of a font that varies. The first is what opens by itself."""
    found: list[Style] = []
    for index in range(hb.Face(data).count):
        face = hb.Face(data, index)
        usual = {axis.tag: axis.default_value for axis in face.axis_infos}
        varied = _varied(face) if usual else []
        own = next((title for title, axes in varied if {**usual, **axes} == usual), "")
        family = _name(face, 16, 1)
        # Without a name for all of them the family's has the usual style in it.
        family = family.removesuffix(f" {own}") if own else family
        found.append(Style(f"{family} {own}".strip() if own else _name(face, 4, 16, 1), index, {}))
        found += [
            Style(f"{family} {title}".strip(), index, axes) for title, axes in varied if {**usual, **axes} != usual
        ]
        if len(found) >= MAX_STYLES:
            break
    return found[:MAX_STYLES]


def unpacked(data: bytes, label: str) -> bytes:
    """A font that is packed for the web (WOFF 1.0, W3C 2012, or 2.0, W3C 2018) as a TrueType or OpenType font, always the same bytes of the same; any
    other as it is. FontError if it does not hold, or would be too large."""
    return bytes(_unpacked(data, label)) if data[:4] in _PACKED else data


@apart(FontError, "font")
def _unpacked(data: bytes, label: str) -> bytes:
    # Both kinds tell at this place how large it is unpacked; what is told wrongly is found out below.
    told = int.from_bytes(data[16:20], "big")
    try:
        if told <= MAX_FONT_BYTES:
            with TTFont(BytesIO(data), recalcTimestamp=False, recalcBBoxes=False) as font:
                font.flavor = None
                out = BytesIO()
                font.save(out)
                data = out.getvalue()
    # As in ``check_font``.
    except Exception as error:
        raise FontError(f"{label} is broken and cannot be unpacked; try another copy of the font") from error
    size = max(told, len(data))
    if size > MAX_FONT_BYTES:
        raise FontError(f"{label} unpacks to {size // 1_000_000} MB; fonts go to {MAX_FONT_BYTES // 1_000_000} MB")
    return data


@apart(FontError, "font")
def check_font(data: bytes, label: str) -> list[str]:
    """Read every table that Zeitbild needs, as a font from a stranger has to be read; gives the names of its styles (``styles_in``), of
    most fonts one.

    FontError if it is no TrueType or OpenType font, is too large, or does not hold.
    """
    if len(data) > MAX_FONT_BYTES:
        raise FontError(f"{label} is {len(data) // 1_000_000} MB; fonts go to {MAX_FONT_BYTES // 1_000_000} MB")
    if data[:4] not in _SIGNATURES:
        raise FontError(f"{label} is not a TrueType or OpenType font (TTF, OTF or WOFF)")
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
    face = TrustedFace(data, label)
    if face.units_per_em < 16 or face.glyph_count < 1:
        raise FontError(f"{label} has an impossible em size or no glyphs")
    styles = [one.title or f"{title} {number + 1}" for number, one in enumerate(styles_in(data))]
    return styles if len(styles) > 1 else [str(title)[:100]]


@lru_cache(maxsize=64)
def open_face(data: bytes, label: str, style: int = 0) -> TrustedFace:
    """A face of a font that Zeitbild ships, or, in a reading process, of any; cached by content."""
    return TrustedFace(data, label, style)


@lru_cache(maxsize=64)
def strangers_face(path: Path, label: str, style: int = 0) -> Face:
    """A face of a font that somebody brought along, which lies at a path and never changes; FontError if it is damaged or has no such style."""
    return StrangersFace(path, label, style)
