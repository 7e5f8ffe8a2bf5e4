"""The lettering element."""

import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from zeitbild.assets import AssetFolder
from zeitbild.elements.lettering import Lettering, build
from zeitbild.errors import FontError, InputError
from zeitbild.geometry import lettering_form


class Element(unittest.TestCase):
    def test_unknown_fonts_list_the_shipped_ones(self) -> None:
        with self.assertRaisesRegex(InputError, "league-spartan"):
            build(Lettering(id="a", font="no-such-font"), None)  # type: ignore[arg-type]

    def test_several_lines_in_a_script_that_is_not_latin(self) -> None:
        form = build(Lettering(id="a", word="კაპი\nდილა", font="noto-serif-georgian"), None)  # type: ignore[arg-type]
        mesh = form.at(0.1)
        self.assertEqual(mesh.open_edges(), 0)
        self.assertGreater(np.ptp(mesh.vertices[:, 1]), 250)
        # What the form says of itself before it is built holds.
        np.testing.assert_allclose(mesh.bounds, form.bounds, atol=0.3)
        self.assertLessEqual(mesh.radius, form.radius + 0.3)

    def test_each_kind_of_glyph_is_built_once(self) -> None:
        with mock.patch.object(lettering_form, "solid_of", wraps=lettering_form.solid_of) as built:
            mesh = build(Lettering(id="a", word="lala la\nalal", font="lato-black"), None).at(0.2)  # type: ignore[arg-type]
        self.assertEqual(built.call_count, 2)
        self.assertEqual(mesh.open_edges(), 0)

    def test_only_glyphs_that_meet_are_united(self) -> None:
        with mock.patch.object(lettering_form, "solid_of", wraps=lettering_form.solid_of) as built:
            # A script hand joins its letters; capitals set apart stand alone.
            build(Lettering(id="a", word="mm", font="dancing-script"), None).at(0.2)  # type: ignore[arg-type]
            self.assertEqual(built.call_count, 1)
            build(Lettering(id="a", word="mm", font="dancing-script", letter_spacing=1), None).at(0.2)  # type: ignore[arg-type]
            self.assertEqual(built.call_count, 2)


class OtherFonts(unittest.TestCase):
    def test_a_font_that_has_what_is_missing_is_named(self) -> None:
        for word, named in (("قلعة", "Amiri Bold"), ("ბათუმი", "Noto Serif Georgian Bold"), ("灯台", ""), ("قლ", "")):
            with self.subTest(word=word):
                with self.assertRaises(FontError) as caught:
                    Lettering(id="a", word=word, font="league-spartan").shaped(AssetFolder(Path("nowhere")))
                self.assertEqual(caught.exception.field, "font")
                self.assertEqual(bool(named), "has all of them" in caught.exception.message)
                self.assertIn(named, caught.exception.message)
