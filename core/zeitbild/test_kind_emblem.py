"""The emblem element."""

import unittest
from fractions import Fraction
from unittest import mock

import numpy as np
from pydantic import ValidationError

from zeitbild.drawings import SHIPPED
from zeitbild.elements.emblem import Emblem, EmblemColour, build, wear
from zeitbild.errors import InputError
from zeitbild.finishes import Finish
from zeitbild.geometry import emblem_form
from zeitbild.resolve.geometry_cache import geometry_key
from zeitbild.testing import NOWHERE
from zeitbild.timing import Time


class Element(unittest.TestCase):
    def test_shipped_drawings_become_closed_solids_of_their_size(self) -> None:
        for key in SHIPPED:
            form = build(Emblem(id="a", drawing=key, size=300, depth=40), NOWHERE)
            mesh = form.at(0.2)
            self.assertEqual((mesh.open_edges(), mesh.closed), (0, True), key)
            low, high = mesh.bounds
            self.assertAlmostEqual(float((high - low)[:2].max()), 300, delta=0.1)
            np.testing.assert_allclose(mesh.bounds, form.bounds, atol=0.2)
            self.assertLessEqual(mesh.radius, form.radius + 0.2)

    def test_volume_is_area_times_depth_without_a_bevel(self) -> None:
        form = build(Emblem(id="a", drawing="badge", size=300, depth=40, bevel_width=0), NOWHERE)
        # A ring 8 wide about 43, in a drawing 94 wide, and a star of ten triangles.
        scale = 300 / 94
        ring = np.pi * (47**2 - 39**2) * scale**2
        star = 10 * 0.5 * 30 * 13 * np.sin(np.pi / 5) * scale**2
        self.assertAlmostEqual(form.at(0.05).volume() / ((ring + star) * 40), 1, places=4)

    def test_depth_zero_is_flat_and_open(self) -> None:
        mesh = build(Emblem(id="a", drawing="shield", depth=0), NOWHERE).at(0.2)
        self.assertFalse(mesh.closed)
        self.assertEqual(float(np.ptp(mesh.vertices[:, 2])), 0)
        np.testing.assert_array_equal(mesh.normals, np.broadcast_to([0, 0, 1], mesh.normals.shape))

    def test_a_colour_stands_by_itself_with_its_back_where_all_backs_are(self) -> None:
        own = EmblemColour(drawn="#d9a441", stands="by itself", depth=90, bevel_width=0)
        element = Emblem(id="a", drawing="badge", depth=40, bevel_width=0, colours=(own,))
        form = build(element, NOWHERE)
        mesh = form.at(0.2)
        star = [shade.colour for shade in form.drawing.shades].index("#d9a441")
        for part, depth in ((star, 90), (1 - star, 40)):
            z = mesh.vertices[mesh.triangles[mesh.parts == part].reshape(-1), 2]
            self.assertEqual((float(z.min()), float(z.max())), (-20, depth - 20))
        # What is not listed as standing by itself keeps to all others.
        alike = own.model_copy(update={"stands": "like all"})
        self.assertEqual(float(build(element.model_copy(update={"colours": (alike,)}), NOWHERE).bounds[1, 2]), 20)

    def test_what_each_part_wears(self) -> None:
        own = EmblemColour(drawn="#D9A441", finish=Finish(base_colour="#112233"))
        element = Emblem(id="a", drawing="badge", colours=(own,), sides_wear="a finish of their own")
        form = build(element, NOWHERE)
        worn = wear(element, Time(Fraction(1), Fraction(0), Fraction(0), Fraction(25)), form)
        self.assertEqual(
            [(one.number, dict(one.changes)) for one in worn], [(0, {"base_colour": "#2f4858"}), (2, {}), (1, {})]
        )
        self.assertEqual([one.code for one in element.surfaces()], ["surface", "side", "colour-d9a441"])
        # Ring, star, sides.
        self.assertEqual(set(form.at(0.2).parts), {0, 1, 2})

    def test_finishes_build_nothing_anew_and_depth_keeps_diagrams(self) -> None:
        element = Emblem(id="a", drawing="waves")
        other = element.model_copy(update={"surface": Finish(roughness=0.1), "side": Finish(), "colours": ()})
        self.assertEqual(geometry_key(element), geometry_key(other))
        listed = element.model_copy(update={"colours": (EmblemColour(drawn="#33658a"),)})
        recoloured = element.model_copy(
            update={"colours": (EmblemColour(drawn="#33658a", finish=Finish(base_colour="#000000")),)}
        )
        self.assertEqual(geometry_key(listed), geometry_key(recoloured))
        self.assertNotEqual(geometry_key(listed), geometry_key(element))
        build(element, NOWHERE).at(0.2)
        with mock.patch.object(emblem_form.Plate, "on", side_effect=AssertionError):
            build(element.model_copy(update={"depth": 55}), NOWHERE).at(0.2)

    def test_what_is_wrong_is_named(self) -> None:
        with self.assertRaisesRegex(InputError, "badge"):
            build(Emblem(id="a", drawing="no-such"), NOWHERE)
        with self.assertRaises(InputError) as caught:
            build(Emblem(id="a", drawing="asset:" + "0" * 64), NOWHERE)
        self.assertEqual(caught.exception.field, "drawing")
        with self.assertRaisesRegex(ValidationError, "twice"):
            Emblem(id="a", colours=(EmblemColour(drawn="#000000"), EmblemColour(drawn="#000000")))
