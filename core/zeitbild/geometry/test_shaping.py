"""Shaping against the shaping library, fonts from strangers, and what is said about missing glyphs."""

import random
import unittest

import numpy as np
import uharfbuzz as hb
from bidi import get_display

from zeitbild.errors import FontError, InputError, LimitError
from zeitbild.fonts import SHIPPED
from zeitbild.geometry.directions import runs_of
from zeitbild.geometry.font import check_font, open_face
from zeitbild.geometry.shaping import outlines, shape


def _face(key: str):  # type: ignore[no-untyped-def]
    font = SHIPPED[key]
    return open_face(font.path.read_bytes(), font.title)


class Shaping(unittest.TestCase):
    def test_advances_and_kerning_are_the_shaping_librarys(self) -> None:
        for key in ("lato-black", "eb-garamond", "dancing-script", "bebas-neue"):
            font = hb.Font(hb.Face(SHIPPED[key].path.read_bytes()))
            buffer = hb.Buffer()
            buffer.add_str("AVATAR To Wave")
            buffer.guess_segment_properties()
            hb.shape(font, buffer)
            assert buffer.glyph_positions is not None
            advances = [position.x_advance for position in buffer.glyph_positions]
            placed = shape("AVATAR To Wave", _face(key), alignment="left")
            np.testing.assert_allclose([glyph.x for glyph in placed], np.cumsum([0, *advances[:-1]]))

    def test_kerning_is_really_there(self) -> None:
        pair = shape("AV", _face("lato-black"), alignment="left")
        face = _face("lato-black")
        self.assertLess(pair[1].x, face.font.get_glyph_h_advance(pair[0].glyph))

    def test_right_to_left_scripts_join_and_run_backwards(self) -> None:
        # The first letter of an Arabic word stands at its right, and joined letters are other glyphs than lone ones.
        word, lone = shape("سلام", _face("amiri"), alignment="left"), shape("م", _face("amiri"))
        self.assertLess(word[0].x, word[-1].x)
        self.assertNotIn(lone[0].glyph, [glyph.glyph for glyph in word[1:]])

    def test_lines_of_mixed_directions_are_ordered_as_the_standard_says(self) -> None:
        # UAX #9, section 6.3 and its examples (capital letters stand for a script that runs to the left): the visual order of
        # levels is checked against the same package's compiled implementation, which shares no code with the one in Python.
        for line in (
            "car means CAR.",
            "he said ABC 123 DEF",
            "ABC 123 DEF",
            "abc ABC 1,234.5 def",
            "(ABC) def",
            "A1B2 - 3%",
            "12 ABC 34",
        ):
            hebrew = line.translate({ord(c): chr(0x5D0 + ord(c) - 65) for c in "ABCDEF"} | {ord("R"): 0x5E8})
            order = [
                at
                for run in runs_of(hebrew)
                for at in (range(run.start, run.end) if run.rightwards else range(run.end - 1, run.start - 1, -1))
            ]
            # Brackets that run to the left are drawn the other way round by the shaping library.
            bracket = str.maketrans("()", "||")
            shown = "".join(hebrew[at] for at in order)
            self.assertEqual(shown.translate(bracket), get_display(hebrew).translate(bracket))

    def test_numbers_in_right_to_left_lines_read_from_left_to_right(self) -> None:
        face = _face("amiri")
        placed = shape("سلام 123", face, alignment="left")
        digits = [face.font.get_nominal_glyph(ord(digit)) for digit in "123"]
        at = {glyph.glyph: glyph.x for glyph in placed}
        self.assertLess(at[digits[0]], at[digits[1]])
        self.assertLess(at[digits[1]], at[digits[2]])
        # And stand to the left of the word that comes first.
        letters = [glyph.x for glyph in placed if glyph.glyph not in digits]
        self.assertLess(at[digits[2]], max(letters))

    def test_letter_spacing_adds_the_same_between_all_letters(self) -> None:
        face = _face("lato-black")
        tight, wide = shape("abc", face, alignment="left"), shape("abc", face, alignment="left", letter_spacing=0.1)
        gaps = [b.x - a.x for a, b in zip(tight, wide, strict=True)]
        np.testing.assert_allclose(gaps, np.array([0, 0.1, 0.2]) * face.units_per_em)

    def test_alignment_moves_the_shorter_line(self) -> None:
        face = _face("lato-black")
        starts = {}
        for alignment in ("left", "centre", "right"):
            placed = shape("i\nwide line", face, alignment=alignment)
            starts[alignment] = placed[0].x
        self.assertEqual(starts["left"], 0)
        self.assertAlmostEqual(starts["centre"] * 2, starts["right"])

    def test_missing_glyphs_are_named(self) -> None:
        with self.assertRaises(FontError) as caught:
            shape("Kap ღ", _face("lato-black"))
        self.assertIn("georgian letter ghan", str(caught.exception))
        self.assertEqual(caught.exception.field, "font")

    def test_empty_and_endless_words(self) -> None:
        for word in ("", "  ", "\n\n"):
            with self.assertRaises(InputError):
                shape(word, _face("lato-black"))
        with self.assertRaises(LimitError):
            shape("a" * 401, _face("lato-black"))
        with self.assertRaises(LimitError):
            shape("a\n" * 21, _face("lato-black"))

    def test_outlines_scale_with_the_size(self) -> None:
        face = _face("lato-black")
        small, large = (outlines(shape("R", face), face, size) for size in (10, 20))
        for a, b in zip(small, large, strict=True):
            np.testing.assert_allclose(2 * a.points, b.points)


class FontsFromStrangers(unittest.TestCase):
    def test_every_shipped_font_holds_and_has_its_licence(self) -> None:
        for font in SHIPPED.values():
            self.assertTrue(check_font(font.path.read_bytes(), font.title))
            self.assertIn("icense", font.licence_path.read_text(encoding="utf-8"))

    def test_what_is_no_font_is_refused(self) -> None:
        for data in (b"", b"GIF89a", b"\x00\x01\x00\x00", b"OTTO" + b"\xff" * 200, b"wOF2" + b"0" * 100):
            with self.assertRaises(FontError):
                check_font(data, "x.ttf")

    def test_damaged_fonts_are_refused_or_harmless(self) -> None:
        # Cut short or with bytes overturned: either a FontError, or a font that still shapes and extrudes.
        generator = random.Random(3)
        for key in ("lobster-two", "noto-serif-georgian"):
            whole = SHIPPED[key].path.read_bytes()
            for attempt in range(40):
                data = bytearray(whole)
                if attempt % 4 == 0:
                    del data[generator.randrange(12, len(data)) :]
                else:
                    for _ in range(30):
                        data[generator.randrange(len(data))] ^= generator.randrange(1, 256)
                try:
                    check_font(bytes(data), "damaged.otf")
                    face = open_face(bytes(data), "damaged.otf")
                    outlines(shape("ი" if "georgian" in key else "Rg", face), face, 100)
                except InputError:
                    continue
