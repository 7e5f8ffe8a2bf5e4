"""Shapes and titles: areas of a handbook of geometry, and letters against the extruded ones."""

import math
import unittest
from typing import Any

import numpy as np

from zeitbild.elements.lettering import Lettering
from zeitbild.elements.lettering import build as build_lettering
from zeitbild.elements.shape import Shape
from zeitbild.elements.shape import build as build_shape
from zeitbild.elements.title import TitleElement
from zeitbild.elements.title import build as build_title
from zeitbild.errors import InputError
from zeitbild.geometry.mesh import Mesh
from zeitbild.testing import NOWHERE


def area(mesh: Mesh, part: int) -> float:
    a, b, c = (mesh.vertices[mesh.triangles[mesh.parts == part][:, k]] for k in range(3))
    return float(np.cross(b - a, c - a)[:, 2].sum() / 2)


def figure(**more: Any) -> Mesh:
    return build_shape(Shape(id="a", **more), NOWHERE).form.at(0.01)


class Shapes(unittest.TestCase):
    def test_areas_of_fill_and_line(self) -> None:
        for more, fill, line in (
            ({"figure": "rectangle", "width": 200, "height": 100}, 20_000, 0),
            ({"figure": "rectangle", "width": 200, "height": 100, "corner": 30}, 20_000 - (4 - math.pi) * 900, 0),
            ({"figure": "ellipse", "width": 200, "height": 100}, math.pi * 5000, 0),
            ({"figure": "polygon", "points": 6, "width": 200, "height": 200}, 1.5 * math.sqrt(3) * 1e4, 0),
            (
                {"figure": "star", "points": 5, "inner": 0.5, "width": 200, "height": 200},
                10 * 0.5 * 100 * 50 * math.sin(math.pi / 5),
                0,
            ),
            # Half of the line lies inside: it hides as much of the fill.
            ({"figure": "rectangle", "width": 200, "height": 100, "line": 10}, 190 * 90, 210 * 110 - 190 * 90),
            (
                {"figure": "ellipse", "width": 100, "height": 100, "line": 10, "filled": False},
                0,
                math.pi * (55**2 - 45**2),
            ),
            ({"figure": "line", "width": 100, "line": 10, "cap": "round"}, 0, 1000 + math.pi * 25),
            ({"figure": "line", "width": 100, "line": 10, "cap": "butt", "dash": 10, "gap": 15}, 0, 400),
        ):
            with self.subTest(**more):
                mesh = figure(**more)
                self.assertAlmostEqual(area(mesh, 0), fill, delta=max(fill, 1) * 2e-4)
                self.assertAlmostEqual(area(mesh, 1), line, delta=max(line, 1) * 5e-4)

    def test_it_stands_about_its_middle_and_may_be_raised(self) -> None:
        mesh = figure(figure="star", points=5)
        np.testing.assert_allclose(mesh.bounds[0, 2], mesh.bounds[1, 2])
        raised = figure(figure="ellipse", width=100, height=50, depth=20, line=4)
        self.assertTrue(raised.closed)
        self.assertEqual(raised.open_edges(), 0)
        np.testing.assert_allclose(raised.bounds, [[-52, -27, -10], [52, 27, 10]], atol=0.02)

    def test_nothing_to_see_is_told(self) -> None:
        for more in ({"filled": False}, {"figure": "line"}):
            with self.assertRaisesRegex(InputError, "line") as caught:
                figure(**more)
            self.assertEqual(caught.exception.field, "line")
        with self.assertRaises(InputError) as caught:
            figure(width=100_000, height=100_000, line=1, dash=0.1, gap=0.1)
        self.assertEqual(caught.exception.field, "dash")


class Titles(unittest.TestCase):
    def test_its_letters_are_those_of_extruded_lettering(self) -> None:
        for font, words in (("lato-black", "Kap Morgen\nÄß&8"), ("dancing-script", "Leuchtturm"), ("amiri", "منارة")):
            title = build_title(TitleElement(id="a", word=words, font=font, size=100), NOWHERE).form.at(0.01)
            solid = build_lettering(
                Lettering(id="a", word=words, font=font, size=100, depth=1, bevel_width=0), NOWHERE
            ).at(0.01)
            self.assertAlmostEqual(area(title, 0) / solid.volume(), 1, delta=1e-4)
            np.testing.assert_allclose(title.bounds[:, :2], solid.bounds[:, :2], atol=0.02)

    def test_an_outline_reaches_as_far_as_it_says(self) -> None:
        plain = build_title(TitleElement(id="a", word="O", size=100), NOWHERE).form.at(0.01)
        edged = build_title(TitleElement(id="a", word="O", size=100, outline=5), NOWHERE).form.at(0.01)
        np.testing.assert_allclose(edged.bounds[1, :2] - plain.bounds[1, :2], 5, atol=0.02)
        self.assertAlmostEqual(area(edged, 0) / area(plain, 0), 1, delta=1e-4)
        hollow = build_title(TitleElement(id="a", word="O", size=100, outline=5, filled=False), NOWHERE).form.at(0.01)
        self.assertEqual(set(hollow.parts), {1})
        self.assertGreater(area(hollow, 1), area(edged, 1))

    def test_nothing_to_see_is_told(self) -> None:
        for more, field in (({"filled": False}, "outline"), ({"word": " \n "}, "word")):
            with self.assertRaises(InputError) as caught:
                build_title(TitleElement(id="a", **more), NOWHERE)
            self.assertEqual(caught.exception.field, field)
