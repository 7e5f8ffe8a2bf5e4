"""Generated surroundings: radiance that holds everywhere, formulas against what they name, and metal that shows them."""

import unittest

import numpy as np

from zeitbild.colour import decode_hex
from zeitbild.document.shot import Environment, Shot
from zeitbild.elements.lettering import Lettering
from zeitbild.finishes import READY_MADE, Finish
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.surroundings import Colours, Surroundings, kinds
from zeitbild.testing import NOWHERE


def _radiance(one: Surroundings, azimuth: object, elevation: object) -> np.ndarray:  # type: ignore[type-arg]
    horizon = decode_hex(one.horizon or one.sky)
    colours = Colours(decode_hex(one.sky), horizon, decode_hex(one.floor), 1.0, one.spread)
    return one.radiance(colours, np.asarray(azimuth, float), np.asarray(elevation, float))


class Formulas(unittest.TestCase):
    def test_there_are_at_least_six(self) -> None:
        self.assertGreaterEqual(len(list(kinds)), 7)

    def test_radiance_holds_in_every_direction_and_closes_behind(self) -> None:
        azimuth, elevation = np.meshgrid(np.linspace(-180, 180, 181), np.linspace(-90, 90, 91))
        for one in kinds:
            light = _radiance(one, azimuth, elevation)
            self.assertEqual(light.shape, (*azimuth.shape, 3), one.name)
            self.assertTrue(np.isfinite(light).all() and light.min() >= 0, one.name)
            self.assertLess(float(light.max()), 12, one.name)
            np.testing.assert_allclose(light[:, 0], light[:, -1], atol=1e-9, err_msg=one.name)

    def test_nothing_is_finer_than_what_rough_surfaces_sample(self) -> None:
        # Between directions a degree apart radiance changes by less than a quarter of its most.
        azimuth, elevation = np.meshgrid(np.arange(-180, 181.0), np.arange(-80, 81.0))
        for one in kinds:
            light = _radiance(one, azimuth, elevation).max(axis=2)
            steps = max(float(np.abs(np.diff(light, axis=axis)).max()) for axis in (0, 1))
            self.assertLess(steps, 0.4 * float(light.max()), one.name)

    def test_overcast_is_three_times_as_bright_above_as_at_the_horizon(self) -> None:
        # Moon and Spencer 1942.
        one = kinds.get("overcast")
        above, low = _radiance(one, [0.0, 0.0], [90.0, 6.0])[:, 0]
        self.assertAlmostEqual(float(above / low), 3 / (1 + 2 * np.sin(np.radians(6))), places=3)

    def test_lamps_that_are_out_give_nothing(self) -> None:
        for one in kinds:
            if one.lamps:
                black = Colours((1, 1, 1), (1, 1, 1), (0, 0, 0), 0.0)
                lit = Colours((1, 1, 1), (1, 1, 1), (0, 0, 0), 1.0)
                azimuth, elevation = np.meshgrid(np.linspace(-180, 180, 91), np.linspace(-90, 90, 46))
                more = one.radiance(lit, azimuth, elevation) - one.radiance(black, azimuth, elevation)
                self.assertGreater(float(more.max()), 0.5, one.name)


class Metal(unittest.TestCase):
    def test_a_flat_face_of_brass_is_not_flat_in_the_default_surroundings(self) -> None:
        brass = Finish(**READY_MADE[0].values.model_dump())
        word = Lettering(id="word", word="HEH", face=brass, bevel=brass, side=brass)
        shot = Shot(elements=(word,), environment=Environment())
        beauty = render(resolve(shot, 1, NOWHERE).at_size(320, 180), QUALITIES["check"]).beauty
        solid = beauty[beauty[..., 3] > 0.99][:, :3].max(axis=1)
        low, high = np.quantile(solid, (0.1, 0.9))
        self.assertGreater(float(high / low), 1.5)
        self.assertLess(float((solid > 1).mean()), 0.2)
