"""Fonts with several styles: collections (ISO/IEC 14496-22, 4.6.3) and fonts that vary (its table *fvar*), made here."""

import io
import tempfile
import unittest
from pathlib import Path

import numpy as np
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.ttGlyphPen import TTGlyphPen
from fontTools.ttLib import TTCollection, TTFont
from fontTools.ttLib.tables.TupleVariation import TupleVariation

from zeitbild.errors import FontError
from zeitbild.fonts import SHIPPED
from zeitbild.geometry.font import TrustedFace, check_font, strangers_face


def varying(named: bool = True) -> bytes:
    """A font whose letter A is a bar 700 high, 400 wide at weight 400, 50 at 100, 800 at 900."""
    pen = TTGlyphPen(None)
    pen.moveTo((0, 0))
    pen.lineTo((0, 700))
    pen.lineTo((400, 700))
    pen.lineTo((400, 0))
    pen.closePath()
    bar = pen.glyph()
    builder = FontBuilder(1000, isTTF=True)
    builder.setupGlyphOrder([".notdef", "A"])
    builder.setupCharacterMap({ord("A"): "A"})
    builder.setupGlyf({".notdef": TTGlyphPen(None).glyph(), "A": bar})
    builder.setupHorizontalMetrics({".notdef": (500, 0), "A": (500, 0)})
    builder.setupHorizontalHeader(ascent=800, descent=-200)
    builder.setupNameTable({"familyName": "Bar", "styleName": "Regular"})
    builder.setupOS2()
    builder.setupPost()
    places = [("Thin", 100), ("Regular", 400), ("Bold", 700), ("Black", 900)] if named else []
    builder.setupFvar(
        [("wght", 100, 400, 900, "Weight")], [{"location": {"wght": at}, "stylename": name} for name, at in places]
    )

    def wider(by: int) -> list[tuple[int, int]]:
        # Four corners, and four places that stand for how far the letter goes.
        return [(0, 0), (0, 0), (by, 0), (by, 0), (0, 0), (by, 0), (0, 0), (0, 0)]

    deltas = [TupleVariation({"wght": (0, 1, 1)}, wider(400)), TupleVariation({"wght": (-1, -1, 0)}, wider(-350))]
    builder.setupGvar({".notdef": [], "A": deltas})
    out = io.BytesIO()
    builder.save(out)
    return out.getvalue()


def collection(*keys: str) -> bytes:
    """Shipped fonts in one file."""
    together = TTCollection()
    together.fonts = [TTFont(SHIPPED[key].path) for key in keys]
    out = io.BytesIO()
    together.save(out)
    return out.getvalue()


def _width(face: TrustedFace) -> float:
    (curve,) = face.curves(1)
    return float(np.ptp(curve.curves[..., 0]))


class Styles(unittest.TestCase):
    def test_named_styles_of_a_font_that_varies(self) -> None:
        data = varying()
        self.assertEqual(check_font(data, "Bar.ttf"), ["Bar Regular", "Bar Thin", "Bar Bold", "Bar Black"])
        # By the interpolation of the table *gvar*: 400 + 400 (700 - 400) / (900 - 400) in the bold one.
        for style, (width, advance) in enumerate(((400, 500), (50, 150), (640, 740), (800, 900))):
            face = TrustedFace(data, "Bar.ttf", style)
            self.assertAlmostEqual(_width(face), width, delta=1)
            self.assertAlmostEqual(float(face.shaped("A", 0, 1, True, True).advances[0]), advance, delta=1)

    def test_weights_where_no_style_is_named(self) -> None:
        data = varying(named=False)
        titles = check_font(data, "Bar.ttf")
        self.assertEqual(titles[:2], ["Bar weight 400", "Bar weight 100"])
        self.assertEqual(len(titles), 9)
        self.assertAlmostEqual(_width(TrustedFace(data, "Bar.ttf", titles.index("Bar weight 900"))), 800, delta=1)

    def test_faces_of_a_collection(self) -> None:
        keys = ("lato-black", "comfortaa", "amiri")
        data = collection(*keys)
        titles = check_font(data, "All.ttc")
        self.assertEqual(len(titles), 3)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "all"
            path.write_bytes(data)
            for style, key in enumerate(keys):
                alone = TrustedFace(SHIPPED[key].path.read_bytes(), key)
                face = strangers_face(path, "All.ttc", style)
                self.assertEqual(face.units_per_em, alone.units_per_em)
                one, other = (each.shaped("Kap", 0, 3, True, True) for each in (face, alone))
                np.testing.assert_array_equal(one.glyphs, other.glyphs)
                np.testing.assert_array_equal(one.advances, other.advances)
                for own, its in zip(face.curves(int(one.glyphs[0])), alone.curves(int(one.glyphs[0])), strict=True):
                    np.testing.assert_array_equal(own.curves, its.curves)
            with self.assertRaisesRegex(FontError, "3 styles; there is no number 10"):
                strangers_face(path, "All.ttc", 9)

    def test_most_fonts_have_one(self) -> None:
        for font in SHIPPED.values():
            self.assertEqual(len(check_font(font.path.read_bytes(), font.title)), 1)
