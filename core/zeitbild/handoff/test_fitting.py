"""What can be chosen so that files get smaller."""

from __future__ import annotations

import unittest
from fractions import Fraction

from zeitbild.errors import InputError
from zeitbild.handoff import recipes
from zeitbild.handoff.fitting import choices, finest


class ChoicesTest(unittest.TestCase):
    """From what there is to the smallest files."""

    def test_each_begins_with_what_there_is_and_can_be_chosen(self) -> None:
        shot = (641, 359), Fraction(24000, 1001)
        for recipe in recipes:
            for by in recipe.smaller_by:
                with self.subTest(recipe=recipe.name, by=by):
                    found = choices(recipe, {}, by, shot[0][0], shot[1])
                    self.assertGreater(len(found), 1)
                    for one in found:
                        recipe.chosen(one)

    def test_only_slower_rates_are_offered_slowest_last(self) -> None:
        found = choices(recipes.get("gif"), {"rate": "15"}, "rate", 64, Fraction(24))
        rates = [Fraction(one["rate"]) for one in found]
        self.assertEqual(rates, sorted(set(rates), reverse=True))
        self.assertEqual(rates[0], 15)

    def test_widths_are_even_and_take_the_height_away(self) -> None:
        found = choices(recipes.get("png8"), {"height": "90", "width": "301"}, "width", 640, Fraction(24))
        widths = [int(one["width"]) for one in found]
        self.assertTrue(all(width % 2 == 0 for width in widths))
        self.assertEqual(widths, sorted(set(widths), reverse=True))
        self.assertFalse(any("height" in one for one in found))
        # The smallest rasters have nothing below two pixels.
        self.assertEqual([one["width"] for one in choices(recipes.get("png8"), {}, "width", 2, Fraction(24))], ["2"])

    def test_a_way_that_there_is_not_is_refused(self) -> None:
        for name, by in (("apng", "quality"), ("contact", "rate"), ("png8", "")):
            with self.subTest(recipe=name, by=by), self.assertRaises(InputError) as caught:
                choices(recipes.get(name), {}, by, 64, Fraction(24))
            self.assertEqual(caught.exception.field, "by")


class FinestTest(unittest.TestCase):
    """Found by halving, against looking at all."""

    def test_it_is_that_which_looking_at_all_finds(self) -> None:
        for count in range(1, 16):
            for first in range(count + 1):
                tried: list[int] = []

                def fits(at: int, first: int = first, tried: list[int] = tried) -> bool:
                    tried.append(at)
                    return at >= first

                at = finest(count, fits)
                self.assertEqual(at, next((one for one in range(count) if one >= first), count - 1))
                self.assertEqual(len(tried), len(set(tried)))
                self.assertLessEqual(len(tried), 4)
