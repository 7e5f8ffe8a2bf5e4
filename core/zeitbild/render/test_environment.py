"""Blurred surroundings: weights that add up, the mean over all sources, and look-ups against the direction itself."""

import unittest

import numpy as np

from zeitbild.render.light import environment
from zeitbild.render.light.environment import OFFSETS, SIDES, environment_maps, radiance
from zeitbild.render.light.octahedral import texel_directions
from zeitbild.render.shade.metal_rough import look_up, unfold
from zeitbild.snapshot.lights import Softbox
from zeitbild.snapshot.surroundings import EnvironmentLight

STUDIO = EnvironmentLight(0.8, (0.7, 0.8, 1.0), (0.2, 0.15, 0.1), 1.0, 20.0)


def _directions(count: int = 400) -> np.ndarray:  # type: ignore[type-arg]
    random = np.random.default_rng(3)
    ways = random.normal(size=(count, 3))
    return ways / np.linalg.norm(ways, axis=1, keepdims=True)  # type: ignore[no-any-return]


def _seen(maps: np.ndarray, level: int, way: np.ndarray) -> list[float]:  # type: ignore[type-arg]
    u, v = unfold.py_func(*(np.float32(value) for value in way))
    return [float(value) for value in look_up.py_func(maps.reshape(-1), level, u, v)]


class Maps(unittest.TestCase):
    def test_levels_follow_one_another_without_a_gap(self) -> None:
        for level, side in enumerate(SIDES[:-1]):
            self.assertEqual(OFFSETS[level + 1] - OFFSETS[level], (side + 2) ** 2)
        self.assertEqual(len(environment_maps(STUDIO)), OFFSETS[-1] + (SIDES[-1] + 2) ** 2)

    def test_a_place_on_the_map_is_that_of_its_texel(self) -> None:
        side = 24
        inner = texel_directions(side)[1:-1, 1:-1]
        for row in range(0, side, 5):
            for column in range(0, side, 5):
                u, v = unfold.py_func(*(np.float32(value) for value in inner[row, column]))
                self.assertAlmostEqual(float(u), (column + 0.5) / side * 2 - 1, places=5)
                self.assertAlmostEqual(float(v), (row + 0.5) / side * 2 - 1, places=5)

    def test_the_mirror_shows_what_comes_from_a_direction(self) -> None:
        maps = environment_maps(STUDIO)
        errors = [np.abs(np.array(_seen(maps, 0, way)) - radiance(STUDIO, way)).max() for way in _directions()]
        # Texels are 1.4 degrees wide and boxes go from 0 to 2.6 over seven.
        self.assertLess(float(np.mean(errors)), 0.01)
        self.assertLess(float(np.max(errors)), 0.3)

    def test_blurring_keeps_the_mean_of_all_directions(self) -> None:
        # Each level is a weighted mean, and by symmetry every source has the same weight over all directions.
        maps = environment_maps(STUDIO)
        ways = _directions(3000)
        whole = radiance(STUDIO, ways).mean(axis=0)
        for level in (3, 6, len(SIDES) - 1):
            blurred = np.mean([_seen(maps, level, way) for way in ways], axis=0)
            np.testing.assert_allclose(blurred, whole, rtol=0.04, err_msg=str(level))

    def test_rougher_is_smoother(self) -> None:
        maps = environment_maps(STUDIO)
        ways = _directions()
        spread = [np.std([_seen(maps, level, way)[0] for way in ways]) for level in range(len(SIDES) - 1)]
        self.assertTrue(all(after <= before + 1e-3 for before, after in zip(spread, spread[1:], strict=False)), spread)

    def test_blurred_pictures_are_the_weighted_mean_over_all_sources(self) -> None:
        # The split-sum's first factor, written again in numpy with double precision: GGX's D (glTF 2.0, appendix B.3) times n.l.
        sources, solid = environment._places()
        light = radiance(STUDIO, sources)
        maps = environment_maps(STUDIO)
        for level in range(1, len(SIDES)):
            square = 1.0 if level == len(SIDES) - 1 else environment.LEVELS[level] ** 4
            texels = texel_directions(SIDES[level]).reshape(-1, 3)
            for place in range(7, len(texels), 301):
                cosine = sources @ texels[place]
                half = (1 + cosine) / 2
                weight = np.maximum(cosine, 0) * solid * square / (half * (square - 1) + 1) ** 2
                expected = (weight[:, None] * light).sum(axis=0) / weight.sum()
                np.testing.assert_allclose(maps[OFFSETS[level] + place], expected, rtol=2e-3)

    def test_softboxes_stand_whatever_strength_and_rotation_are(self) -> None:
        box = Softbox(90, 0, 20, 20, 3.0, (1.0, 0.5, 0.25))
        for strength, rotation in ((0.0, 0.0), (0.0, 77.0), (2.0, -30.0)):
            light = EnvironmentLight(strength, (0, 0, 0), (0, 0, 0), 0.0, rotation, (box,))
            np.testing.assert_allclose(radiance(light, np.array([1.0, 0, 0])), (3, 1.5, 0.75), atol=1e-6)
            self.assertEqual(float(radiance(light, np.array([-1.0, 0, 0])).max()), 0)
