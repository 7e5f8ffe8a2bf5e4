"""Lights: how much arrives, from where, against formulas and numerical integration."""

import math
import unittest

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.light.lighting import (
    ACROSS,
    POSITION,
    UP,
    angle_filled,
    distance_to,
    has_borders,
    light_point,
    light_rows,
    on_disc,
    reach,
    with_borders,
)
from zeitbild.render.rays.patterns import SQUARE, ray_pattern, sobol
from zeitbild.snapshot.lights import LightSource

WHITE = (1.0, 1.0, 1.0)


def _reach(
    light: LightSource,
    at: tuple[float, float, float] = (0, 0, 0),
    normal: tuple[float, float, float] = (0, 0, 1),
) -> tuple[float, ...]:
    single = [np.float32(value) for value in (*at, *normal)]
    return tuple(float(value) for value in reach(light_rows([light])[0], *single))


def _integrated(light: LightSource, at: NDArray[np.float64], normal: NDArray[np.float64]) -> float:
    """Cosine-weighted light of a flat light at a point, by summing 400 x 400 pieces of it in numpy."""
    row = light_rows([light])[0].astype(np.float64)
    steps = (np.arange(400) + 0.5) / 400
    square = np.stack(np.meshgrid(steps, steps), axis=2).reshape(-1, 2)
    places = on_disc(square) if light.shape == "disc" else 2 * square - 1
    across, up = row[ACROSS : ACROSS + 3], row[UP : UP + 3]
    points = row[POSITION : POSITION + 3] + places[:, :1] * across + places[:, 1:] * up
    area = np.linalg.norm(across) * np.linalg.norm(up) * (math.pi if light.shape == "disc" else 4)
    towards = points - at
    square_distance = (towards**2).sum(axis=1)
    towards /= np.sqrt(square_distance)[:, None]
    shining = np.maximum(0, -towards @ np.array(light.direction))
    arriving = np.maximum(0, towards @ normal)
    radiance = math.pi * light.reach**2 / area
    return float((arriving * shining / square_distance).mean() * area * radiance / math.pi)


class Falloff(unittest.TestCase):
    def test_light_falls_with_the_square_of_the_distance(self) -> None:
        # Inverse-square law (Johannes Kepler, Astronomiae pars optica 1604).
        for distance in (50.0, 100.0, 200.0, 1000.0):
            light = LightSource("sphere", WHITE, position=(0, 0, distance), reach=100)
            self.assertAlmostEqual(_reach(light)[0], (100 / distance) ** 2, delta=1e-5 * (100 / distance) ** 2)

    def test_a_light_with_a_size_is_as_strong_as_a_point_far_away(self) -> None:
        for shape in ("rectangle", "disc"):
            light = LightSource(
                shape, WHITE, position=(0, 0, 5000), across=(50, 0, 0), up=(0, 50, 0), direction=(0, 0, -1), reach=5000
            )
            self.assertAlmostEqual(_reach(light)[0], 1, delta=1e-3)

    def test_a_spot_is_full_inside_its_inner_cone_and_nothing_outside_its_outer_one(self) -> None:
        inner, outer = 10.0, 20.0
        light = LightSource(
            "sphere",
            WHITE,
            position=(0, 0, 100),
            direction=(0, 0, -1),
            cone=(math.cos(math.radians(inner)), math.cos(math.radians(outer))),
            reach=100,
        )
        for degrees, low, high in ((0, 1, 1), (9.9, 0.99, 1), (15, 0.2, 0.8), (20.1, 0, 0), (80, 0, 0)):
            x = 100 * math.tan(math.radians(degrees))
            unweakened = 100**2 / (x * x + 100**2) * math.cos(math.radians(degrees))
            share = _reach(light, (x, 0, 0))[0] / unweakened
            self.assertGreaterEqual(share, low - 1e-5, degrees)
            self.assertLessEqual(share, high + 1e-5, degrees)


class FlatLights(unittest.TestCase):
    def test_diffuse_light_equals_numerical_integration(self) -> None:
        random = np.random.default_rng(5)
        for shape, tolerance in (("rectangle", 2e-3), ("disc", 6e-3)):  # the disc is a polygon of 16 corners
            for _ in range(12):
                light = LightSource(
                    shape,  # type: ignore[arg-type]
                    WHITE,
                    position=(float(random.uniform(-80, 80)), 20, 120),
                    across=(60, 0, 0),
                    up=(0, 60, 0) if shape == "disc" else (0, 35, 0),
                    direction=(0, 0, -1),
                    reach=100,
                )
                normal = random.normal(size=3) + np.array([0, 0, 1.5])
                normal /= np.linalg.norm(normal)
                expected = _integrated(light, np.zeros(3), normal)
                got = _reach(light, (0, 0, 0), tuple(normal))[0]
                self.assertAlmostEqual(got, expected, delta=tolerance * max(expected, 0.1))

    def test_what_is_half_below_the_horizon_counts_half(self) -> None:
        light = LightSource(
            "rectangle", WHITE, position=(100, 0, 0), across=(0, 0, 40), up=(0, 40, 0), direction=(-1, 0, 0), reach=100
        )
        expected = _integrated(light, np.zeros(3), np.array([0.0, 0.0, 1.0]))
        self.assertGreater(expected, 0.01)
        self.assertAlmostEqual(_reach(light)[0], expected, delta=3e-3 * expected)

    def test_nothing_shines_backwards(self) -> None:
        light = LightSource(
            "rectangle", WHITE, position=(0, 0, 50), across=(9, 0, 0), up=(0, 9, 0), direction=(0, 0, 1)
        )
        self.assertEqual(_reach(light)[:2], (0.0, 0.0))

    def test_what_of_a_disc_is_above_the_horizon_lights(self) -> None:
        # Against the sum over 40,000 directions, even on the sphere.
        steps = (np.arange(200) + 0.5) / 200
        share, turn = (one.ravel() for one in np.meshgrid(steps, 2 * np.pi * steps))
        for half in (0.25, 6.0, 20.0, 45.0):
            border = math.radians(half)
            cosine = 1 - share * (1 - math.cos(border))
            sine = np.sqrt(1 - cosine**2)
            for degrees in (0, 60, 80, 88, 90, 92, 100, 130):
                slant = math.radians(degrees)
                n_l = cosine * math.cos(slant) + sine * np.cos(turn) * math.sin(slant)
                solid = 2 * math.pi * (1 - math.cos(border))
                expected = float(n_l.clip(0).mean()) * solid / (math.pi * math.sin(border) ** 2)
                sun = LightSource("sun", WHITE, direction=(0, -math.sin(slant), -math.cos(slant)), size=border)
                away = (0, 100 * math.sin(slant), 100 * math.cos(slant))
                ball = LightSource("sphere", WHITE, position=away, size=100 * math.sin(border), reach=100)
                for light in (sun, ball):
                    self.assertAlmostEqual(_reach(light)[0], expected, delta=1e-3, msg=f"{half} {degrees}")
                    self.assertAlmostEqual(4 * _reach(light)[5], math.sin(border) ** 2, places=6)


class Met(unittest.TestCase):
    """Where a ray meets a light, by the places that shadow rays go to."""

    def test_rays_to_places_of_a_light_meet_it_there_and_others_miss_it(self) -> None:
        slant = {"across": (30.0, 0.0, 10.0), "up": (0.0, 20.0, 0.0), "direction": (10 / 31.6, 0.0, -30 / 31.6)}
        lights = (
            LightSource("sun", WHITE, direction=(0.6, 0.0, -0.8), size=0.2),
            LightSource("sphere", WHITE, position=(20.0, 30.0, 400.0), size=60.0),
            LightSource("rectangle", WHITE, position=(-30.0, 10.0, 90.0), **slant),  # type: ignore[arg-type]
            LightSource("disc", WHITE, position=(-30.0, 10.0, 90.0), **slant),  # type: ignore[arg-type]
        )
        random = np.random.default_rng(2)
        for light in lights:
            row = light_rows([light])[0]
            for _ in range(200):
                at = random.normal(0, 5, 3).astype(np.float32)
                place = random.uniform(-1, 1, 2)
                edge = np.abs(place).max() if light.shape == "rectangle" else math.hypot(*place)
                for far, meets in ((0.97, True), (1.06, False)):
                    a, b = (np.float32(one * far / edge) for one in place)
                    x, y, z, distance = light_point(row, *at, a, b)
                    found = distance_to(row, *at, x, y, z)
                    # A ray that passes a ball meets it where it is nearest to the middle.
                    delta = 0.03 if light.shape == "sphere" else 1e-4
                    if meets:
                        self.assertAlmostEqual(found / distance, 1, delta=delta, msg=light.shape)
                    else:
                        self.assertEqual(found, 0, light.shape)
                    if light.shape != "sun":
                        self.assertEqual(distance_to(row, *at, -x, -y, -z), 0, light.shape)

    def test_what_has_no_size_is_never_met(self) -> None:
        for light in (
            LightSource("sun", WHITE, direction=(0, 0, -1)),
            LightSource("sphere", WHITE, position=(0, 0, 9)),
        ):
            zero, one = np.float32(0), np.float32(1)
            self.assertEqual(distance_to(light_rows([light])[0], zero, zero, zero, zero, zero, one), 0)

    def test_which_have_borders_is_told_alike_of_one_and_of_many(self) -> None:
        lights = [
            LightSource(shape, WHITE, position=(0, 0, 9), across=(1, 0, 0), up=(0, 1, 0), size=size, shadows=shadows)
            for shape in ("sun", "sphere", "rectangle", "disc")
            for size in (0.0, 0.2)
            for shadows in (False, True)
        ]
        rows = light_rows(lights)
        told = with_borders(rows)
        self.assertEqual(told.tolist(), [bool(has_borders.py_func(row)) for row in rows])
        # With shadows: a sun and a ball that have a size, and all flat ones.
        self.assertEqual(int(told.sum()), 6)

    def test_about_what_angle_a_light_fills(self) -> None:
        # A cap of the unit sphere; what is far is as large as it is over the square of how far.
        zero = np.float32(0)
        sun = light_rows([LightSource("sun", WHITE, direction=(0, 0, -1), size=0.1)])[0]
        self.assertAlmostEqual(angle_filled(sun, zero, zero, zero), 2 * math.pi * (1 - math.cos(0.1)), delta=2e-4)
        ball = light_rows([LightSource("sphere", WHITE, position=(0, 0, 100), size=5)])[0]
        self.assertAlmostEqual(angle_filled(ball, zero, zero, zero), math.pi * 0.05**2, delta=1e-4)
        for shape, area in (("rectangle", 4 * 3 * 2), ("disc", math.pi * 3 * 3)):
            flat = LightSource(
                shape,
                WHITE,
                position=(0, 0, 100),
                across=(3, 0, 0),
                up=(0, 2 if shape == "rectangle" else 3, 0),
                direction=(0.6, 0, -0.8),
            )
            found = angle_filled(light_rows([flat])[0], zero, zero, zero)
            self.assertAlmostEqual(found, area * 0.8 / 100**2, delta=0.02 * area / 100**2)


class Patterns(unittest.TestCase):
    def test_every_stretch_of_the_sequence_is_a_net(self) -> None:
        # Sobol 1967: an aligned stretch of 2^m points has one in every row and every column of the grid of 2^m.
        points = sobol(64)
        for start in range(0, 64, 4):
            for axis in (0, 1):
                self.assertEqual(len(np.unique(np.floor(points[start : start + 4, axis] * 4))), 4)
        for axis in (0, 1):
            self.assertEqual(len(np.unique(np.floor(points[:, axis] * 64))), 64)

    def test_the_first_rays_of_a_square_reach_all_over_a_light(self) -> None:
        light = LightSource("rectangle", WHITE, position=(0, 0, 9), across=(1, 0, 0), up=(0, 1, 0))
        for rays in (1, 2, 4):
            pattern = ray_pattern(light_rows([light]), rays)[0, :, :2].reshape(SQUARE, rays, 2)
            for first in range(rays):
                for axis in (0, 1):
                    self.assertEqual(len(np.unique(np.floor((pattern[:, first, axis] + 1) * 4))), 8)
            # Each pixel alone: no two rays closer than two fifths of an even spacing.
            for own in pattern:
                places = np.sort((own[:, 0] + 1) / 2)
                gaps = np.diff(np.append(places, places[0] + 1))
                self.assertGreater(gaps.min(), 0.4 / rays)

    def test_the_half_sphere_is_weighted_by_its_cosine(self) -> None:
        directions = ray_pattern(light_rows([]), 64)[0].astype(np.float64)
        np.testing.assert_allclose(np.linalg.norm(directions, axis=1), 1, atol=1e-6)
        # Of cosine-weighted directions the mean of z is 2/3 (Lambert's distribution).
        self.assertAlmostEqual(float(directions[:, 2].mean()), 2 / 3, delta=2e-3)
        np.testing.assert_allclose(directions[:, :2].mean(axis=0), 0, atol=5e-3)
        self.assertEqual(len(directions), SQUARE * 64)

    def test_shadow_rays_of_a_sun_stay_in_its_disc_and_fill_it(self) -> None:
        size = math.radians(6)
        sun = light_rows([LightSource("sun", WHITE, direction=(0.6, 0, -0.8), size=size)])
        pattern = ray_pattern(sun, 4)[0]
        rays = np.array(
            [light_point(sun[0], np.float32(0), np.float32(0), np.float32(0), a, b)[:3] for a, b, *_ in pattern]
        )
        angles = np.arccos(np.clip(rays @ np.array([-0.6, 0, 0.8]), -1, 1))
        self.assertLess(angles.max(), size * 1.001)
        self.assertGreater(angles.max(), size * 0.9)
        # Half of the disc's area lies within its radius divided by the root of two.
        self.assertAlmostEqual(float((angles < size / math.sqrt(2)).mean()), 0.5, delta=0.06)

    def test_a_disc_is_filled_evenly(self) -> None:
        places = on_disc(sobol(1024))
        self.assertLessEqual(np.linalg.norm(places, axis=1).max(), 1)
        self.assertAlmostEqual(float((np.linalg.norm(places, axis=1) < 0.5).mean()), 0.25, delta=0.01)
