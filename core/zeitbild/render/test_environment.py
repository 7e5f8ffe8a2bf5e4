"""Blurred surroundings: weights that add up, the mean over all sources, and look-ups against the direction itself."""

import unittest

import numpy as np

from zeitbild.render.light.environment import (
    CONTENTS,
    LEVEL_COUNT,
    LEVELS,
    environment_maps,
    level_place,
    level_value,
    radiance,
    side_of,
    sides_of,
    start_of,
    starts_of,
)
from zeitbild.render.light.octahedral import cell_directions, corner_directions, unfold
from zeitbild.snapshot.lights import Softbox
from zeitbild.snapshot.surroundings import EnvironmentLight, SkyPicture

STUDIO = EnvironmentLight(0.8, (0.7, 0.8, 1.0), (0.2, 0.15, 0.1), 1.0, 20.0)


def _directions(count: int = 400) -> np.ndarray:  # type: ignore[type-arg]
    random = np.random.default_rng(3)
    ways = random.normal(size=(count, 3))
    return ways / np.linalg.norm(ways, axis=1, keepdims=True)  # type: ignore[no-any-return]


def _seen(maps: np.ndarray, level: int, way: np.ndarray) -> list[float]:  # type: ignore[type-arg]
    u, v = unfold.py_func(*(np.float32(value) for value in way))
    return [float(value) for value in level_value.py_func(maps.reshape(-1), level, u, v)]


class Maps(unittest.TestCase):
    def test_levels_follow_one_another_without_a_gap(self) -> None:
        for side in (128, 256, 1024):
            sides, starts = sides_of(side), starts_of(side)
            self.assertEqual(starts[0], CONTENTS)
            for level in range(LEVEL_COUNT):
                self.assertEqual(starts[level + 1] - starts[level], (sides[level] + 1) ** 2)
        maps = environment_maps(STUDIO, 128)
        self.assertEqual(len(maps), starts_of(128)[-1] + (sides_of(128)[-1] + 1) ** 2)
        for level in range(LEVEL_COUNT + 1):
            found = side_of.py_func(maps.reshape(-1), level), start_of.py_func(maps.reshape(-1), level)
            self.assertEqual(found, (sides_of(128)[level], starts_of(128)[level]))

    def test_roughness_finds_its_level(self) -> None:
        for level, rough in enumerate(LEVELS):
            self.assertAlmostEqual(float(level_place.py_func(np.float32(rough))), level, places=3)
        self.assertEqual(float(level_place.py_func(np.float32(0))), 0)

    def test_a_place_on_the_map_is_that_of_its_cell(self) -> None:
        side = 24
        inner = cell_directions(side)
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
        for level in (3, 6, LEVEL_COUNT):
            blurred = np.mean([_seen(maps, level, way) for way in ways], axis=0)
            np.testing.assert_allclose(blurred, whole, rtol=0.04, err_msg=str(level))

    def test_rougher_is_smoother(self) -> None:
        maps = environment_maps(STUDIO)
        ways = _directions()
        spread = [np.std([_seen(maps, level, way)[0] for way in ways]) for level in range(LEVEL_COUNT)]
        self.assertTrue(all(after <= before + 1e-3 for before, after in zip(spread, spread[1:], strict=False)), spread)

    def _blurred(self, light: EnvironmentLight, way: np.ndarray, level: int, rows: int = 500) -> np.ndarray:  # type: ignore[type-arg]
        """The split-sum's first factor, written again in numpy with double precision, from every direction: GGX's D (glTF 2.0, appendix B.3)
        times n.l."""
        up, flat = np.meshgrid((np.arange(rows) + 0.5) / rows - 0.5, (np.arange(2 * rows) + 0.5) / rows, indexing="ij")
        up, flat = up * np.pi, flat * np.pi
        sources = np.stack([np.cos(up) * np.sin(flat), np.sin(up), np.cos(up) * np.cos(flat)], axis=-1)
        square = 1.0 if level == LEVEL_COUNT else LEVELS[level] ** 4
        cosine = sources @ way
        half = (1 + cosine) / 2
        weight = np.maximum(cosine, 0) * np.cos(up) * square / (half * (square - 1) + 1) ** 2
        whole: np.ndarray = (weight[..., None] * radiance(light, sources)).sum(axis=(0, 1)) / weight.sum()  # type: ignore[type-arg]
        return whole

    def test_blurred_pictures_are_the_weighted_mean_over_all_directions(self) -> None:
        maps = environment_maps(STUDIO)
        for level in range(2, LEVEL_COUNT + 1):
            texels = corner_directions(sides_of(256)[level]).reshape(-1, 3)
            for place in np.linspace(7, len(texels) - 8, 3).astype(int):
                expected = self._blurred(STUDIO, texels[place], level)
                found = maps[starts_of(256)[level] + place]
                np.testing.assert_allclose(
                    found, expected, rtol=0.05 if level < 4 else 0.01, atol=0.02 if level < 4 else 1e-3
                )

    def test_a_narrow_box_gives_the_same_light_wherever_it_stands(self) -> None:
        # Four degrees wide: at most steps it fell through a coarse net, or was caught twice (0.79 to 1.23 of its light, before).
        for side in (128, 256):
            for azimuth in (0.0, 4.0, 7.0):
                light = EnvironmentLight(0, (0, 0, 0), (0, 0, 0), 0, 0, (Softbox(azimuth, 20, 2, 12, 8.0, (1, 1, 1)),))
                maps = environment_maps(light, side)
                flat, up = np.radians(azimuth), np.radians(20)
                way = np.array([np.cos(up) * np.sin(flat), np.sin(up), np.cos(up) * np.cos(flat)])
                for level in (3, 5, LEVEL_COUNT):
                    texels = corner_directions(sides_of(side)[level]).reshape(-1, 3)
                    nearest = int((texels @ way).argmax())
                    expected = self._blurred(light, texels[nearest], level)
                    found = maps[starts_of(side)[level] + nearest]
                    np.testing.assert_allclose(found, expected, rtol=0.03, err_msg=f"{azimuth} {level}")

    def test_a_small_sun_is_as_bright_in_glossy_metal_wherever_it_stands(self) -> None:
        # Two pixels of 2048 x 1024, a fifth of a degree each; the lobe's weight there over that of all directions.
        height, width, sun = 1024, 2048, 20_000.0
        for column in (700, 1003, 1200, 1301):
            fine = np.zeros((height, width, 3), np.float32)
            fine[400, column : column + 2] = sun
            sizes = [fine]
            for part in (2, 2, 4):
                last = sizes[-1]
                shape = last.shape[0] // part, part, last.shape[1] // part, part, 3
                sizes.append(np.ascontiguousarray(last.reshape(shape).mean(axis=(1, 3))))
            light = EnvironmentLight(1.0, (0, 0, 0), (0, 0, 0), 0, 0, picture=SkyPicture(f"sun {column}", tuple(sizes)))
            up, flat = np.pi * (0.5 - 400.5 / height), 2 * np.pi * (0.5 - (column + 1) / width)
            way = np.array([np.cos(up) * np.sin(flat), np.sin(up), np.cos(up) * np.cos(flat)])
            energy = sun * 2 * (2 * np.pi / width) * (np.pi / height) * np.cos(up)
            polar = (np.arange(200_000) + 0.5) / 200_000 * np.pi / 2
            for side in (256, 512, 1024):
                maps = environment_maps(light, side)
                for level in range(2, LEVEL_COUNT):
                    square = LEVELS[level] ** 4
                    weight = np.cos(polar) / ((1 + np.cos(polar)) / 2 * (square - 1) + 1) ** 2
                    whole = 2 * np.pi * float((weight * np.sin(polar)).mean()) * np.pi / 2
                    texels = corner_directions(sides_of(side)[level]).reshape(-1, 3)
                    nearest = int((texels @ way).argmax())
                    cosine = float(texels[nearest] @ way)
                    expected = energy * cosine / ((1 + cosine) / 2 * (square - 1) + 1) ** 2 / whole
                    found = float(maps[starts_of(side)[level] + nearest][0])
                    self.assertAlmostEqual(
                        found / expected, 1, delta=0.15 if level < 3 else 0.03, msg=f"{column} {side} {level}"
                    )

    def test_pictures_of_any_size(self) -> None:
        random = np.random.default_rng(1)
        for height, width in ((1, 2), (3, 5), (33, 67), (5, 2000), (700, 3)):
            for name, pixels in (
                ("even", np.full((height, width, 3), 0.5)),
                ("any", random.uniform(0, 1, (height, width, 3))),
            ):
                picture = SkyPicture(f"{name} {height} {width}", (pixels.astype(np.float32),))
                light = EnvironmentLight(1.0, (0, 0, 0), (0, 0, 0), 0, 0, picture=picture)
                maps = environment_maps(light, 128)[CONTENTS:]
                self.assertGreaterEqual(float(maps.min()), float(pixels.min()) - 1e-5)
                self.assertLessEqual(float(maps.max()), float(pixels.max()) + 1e-5)

    def test_mirrors_show_a_picture_as_finely_as_it_is(self) -> None:
        # Stripes of 1.4 degrees, which texels of 2.4 could not hold.
        height, width = 512, 1024
        pixels = np.repeat(np.tile(np.repeat([1.0, 0.0], 4), width // 8)[None, :, None], height, axis=0).repeat(
            3, axis=2
        )
        fine = pixels.astype(np.float32)
        coarse = fine.reshape(height // 8, 8, width // 8, 8, 3).mean(axis=(1, 3))
        light = EnvironmentLight(1.0, (0, 0, 0), (0, 0, 0), 0, 0, picture=SkyPicture("stripes", (fine, coarse)))
        maps = environment_maps(light, 1024)
        azimuth = np.radians(np.linspace(-60, 60, 2001))
        ways = np.stack([np.sin(azimuth), np.zeros_like(azimuth), np.cos(azimuth)], axis=1)
        found = np.array([_seen(maps, 0, way)[0] for way in ways])
        expected = radiance(light, ways)[:, 0]
        self.assertLess(float(np.abs(found - expected).mean()), 0.08)
        self.assertGreater(float(found.std()), 0.42)

    def test_softboxes_stand_whatever_strength_and_rotation_are(self) -> None:
        box = Softbox(90, 0, 20, 20, 3.0, (1.0, 0.5, 0.25))
        for strength, rotation in ((0.0, 0.0), (0.0, 77.0), (2.0, -30.0)):
            light = EnvironmentLight(strength, (0, 0, 0), (0, 0, 0), 0.0, rotation, (box,))
            np.testing.assert_allclose(radiance(light, np.array([1.0, 0, 0])), (3, 1.5, 0.75), atol=1e-6)
            self.assertEqual(float(radiance(light, np.array([-1.0, 0, 0])).max()), 0)
