"""The lettering element."""

import unittest

import numpy as np

from zeitbild.elements.lettering import Lettering, build
from zeitbild.errors import InputError


class Element(unittest.TestCase):
    def test_unknown_fonts_list_the_shipped_ones(self) -> None:
        with self.assertRaisesRegex(InputError, "league-spartan"):
            build(Lettering(id="a", font="no-such-font"), None)  # type: ignore[arg-type]

    def test_several_lines_in_a_script_that_is_not_latin(self) -> None:
        mesh = build(Lettering(id="a", word="კაპი\nდილა", font="noto-serif-georgian"), None)  # type: ignore[arg-type]
        self.assertEqual(mesh.open_edges(), 0)
        self.assertGreater(np.ptp(mesh.vertices[:, 1]), 250)
