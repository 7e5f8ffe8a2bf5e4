"""Centre lines, widths and bands against the geometry of circle, bar and cross; order and direction on letters made of bars."""

import math
import unittest

import numpy as np
from numpy.typing import NDArray
from shapely import LineString, Point, Polygon

from zeitbild.geometry.pen.centre import centre_lines
from zeitbild.geometry.pen.ink import band, flat_of
from zeitbild.geometry.pen.order import directed, in_order
from zeitbild.geometry.pen.strokes import Plan, Stroke

Floats = NDArray[np.float64]


def _box(left: float, bottom: float, right: float, top: float) -> Floats:
    return np.array([[left, bottom], [right, bottom], [right, top], [left, top]], float)


def _circle(radius: float, x: float = 0, y: float = 0, *, hole: bool = False) -> Floats:
    turn = 2 * math.pi * np.arange(400) / 400 * (-1 if hole else 1)
    return np.column_stack([x + radius * np.cos(turn), y + radius * np.sin(turn)])


class CentreLines(unittest.TestCase):
    def test_a_ring_is_one_round_stroke_half_way_between_its_edges(self) -> None:
        (stroke,) = centre_lines([_circle(100), _circle(70, hole=True)])
        self.assertTrue(stroke.closed)
        np.testing.assert_allclose(np.hypot(*stroke.points.T), 85, atol=0.6)
        np.testing.assert_allclose(stroke.radii, 15, atol=0.6)
        self.assertAlmostEqual(stroke.length, 2 * math.pi * 85, delta=4)

    def test_a_bar_is_one_straight_stroke_along_its_middle(self) -> None:
        for turn in (0, 33, 90):
            c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
            bar = _box(-100, -12, 100, 12) @ np.array([[c, s], [-s, c]])
            (stroke,) = centre_lines([bar])
            along, across = stroke.points @ (c, s), stroke.points @ (-s, c)
            self.assertLess(float(np.abs(across).max()), 1.5)
            self.assertLess(float(np.abs(across[5:-5]).max()), 0.6)
            self.assertAlmostEqual(float(np.median(stroke.radii)), 12, delta=0.3)
            # Its ends come near the bar's.
            self.assertGreater(float(along.max()), 88)
            self.assertLessEqual(float(along.max()), 101)

    def test_a_cross_is_two_strokes_that_go_through_each_other(self) -> None:
        cross = [_box(-100, -10, 100, 10), _box(-10, -100, 10, 100)]
        strokes = centre_lines(cross)
        self.assertEqual(len(strokes), 2)
        level, upright = sorted(strokes, key=lambda one: float(np.ptp(one.points[:, 1])))
        self.assertLess(float(np.abs(level.points[:, 1]).max()), 4)
        self.assertLess(float(np.abs(upright.points[:, 0]).max()), 4)
        self.assertGreater(level.length, 170)
        self.assertGreater(upright.length, 170)

    def test_a_dot_a_speck_and_nothing(self) -> None:
        (dot,) = centre_lines([_circle(10, 5, 7)])
        np.testing.assert_allclose(dot.points.mean(axis=0), (5, 7), atol=1)
        self.assertAlmostEqual(float(dot.radii.max()), 10, delta=1)
        self.assertEqual(centre_lines([]), [])
        self.assertEqual(centre_lines([np.zeros((3, 2))]), [])
        self.assertEqual(len(centre_lines([_box(0, 0, 1e-6, 1e-6)])), 1)

    def test_short_arms_are_not_forgotten(self) -> None:
        # A thick upright with arms that are hardly longer than wide.
        strokes = centre_lines([_box(0, 0, 30, 200), _box(-28, 130, 58, 158)])
        for side in (-20, 50):
            away = min(float(np.hypot(*(one.points - (side, 144)).T).min() - one.radii.max()) for one in strokes)
            self.assertLess(away, 6)

    def test_letters_apart_are_strokes_apart_and_an_arch_is_one(self) -> None:
        self.assertEqual(len(centre_lines([_box(0, 0, 100, 10), _box(0, 50, 100, 60)])), 2)
        turn = np.linspace(0, math.pi, 100)
        outer = np.column_stack([60 * np.cos(turn), 60 * np.sin(turn)])
        inner = np.column_stack([44 * np.cos(turn[::-1]), 44 * np.sin(turn[::-1])])
        (arch,) = centre_lines([np.concatenate([outer, inner])])
        far = np.hypot(*arch.points[10:-10].T)
        np.testing.assert_allclose(far, 52, atol=0.8)


class Order(unittest.TestCase):
    def _written(self, *letters: list[Floats], last: bool = True, words: list[int] | None = None) -> list[Stroke]:
        found = []
        for number, bars in enumerate(letters):
            found.append([Stroke(one.points, one.radii, number) for one in centre_lines(bars)])
        return in_order(found, last_of_word=last, words=words or [0] * len(letters))

    def test_uprights_go_down_and_levels_to_the_right(self) -> None:
        for bar, way in ((_box(0, 0, 10, 100), (0, -1)), (_box(0, 0, 100, 10), (1, 0))):
            (stroke,) = centre_lines([bar])
            for one in (stroke, stroke.turned_round()):
                own = directed(one).points
                self.assertGreater(float((own[-1] - own[0]) @ way), 50)

    def test_what_is_round_goes_from_its_upper_right_against_the_clock(self) -> None:
        (ring,) = centre_lines([_circle(100), _circle(70, hole=True)])
        for one in (ring, ring.turned_round()):
            points = directed(one).points
            self.assertGreater(points[0][0], 0)
            self.assertGreater(points[0][1], 60)
            after = np.roll(points, -1, axis=0)
            self.assertGreater(float((points[:, 0] * after[:, 1] - after[:, 0] * points[:, 1]).sum()), 0)

    def test_crossings_and_dots_come_last(self) -> None:
        # A t: an upright and a bar through it; an i: an upright with a dot.
        t = [_box(40, 0, 52, 120), _box(10, 80, 82, 92)]
        i = [_box(140, 0, 152, 80), _circle(8, 146, 110)]
        own = self._written(t, i)
        kinds = [
            (one.piece, "bar" if np.ptp(one.points[:, 0]) > 40 else "dot" if one.length < 30 else "stem") for one in own
        ]
        self.assertEqual(kinds, [(0, "stem"), (1, "stem"), (0, "bar"), (1, "dot")])
        own = self._written(t, i, last=False)
        self.assertEqual([one.piece for one in own], [0, 0, 1, 1])
        own = self._written(t, i, words=[0, 1])
        self.assertEqual([one.piece for one in own], [0, 0, 1, 1])

    def test_serifs_are_no_crossings(self) -> None:
        stem = [_box(40, 0, 52, 120), _box(25, 0, 67, 8), _box(25, 112, 67, 120)]
        own = self._written(stem, [_box(140, 0, 152, 80)])
        self.assertEqual([one.piece for one in own], sorted(one.piece for one in own))

    def test_generated_alphabets_are_written_from_left_to_right(self) -> None:
        rng = np.random.default_rng(8)
        for _ in range(6):
            lefts = np.cumsum(rng.uniform(60, 120, 5))
            letters = [[_box(x, 0, x + 9, rng.uniform(60, 120)), _box(x, 0, x + 45, 9)] for x in lefts]
            own = self._written(*letters)
            self.assertEqual([one.piece for one in own], sorted(one.piece for one in own))


class Bands(unittest.TestCase):
    def _area(self, stroke: Stroke, tolerance: float = 0.01) -> float:
        return float(band(stroke, tolerance).area())

    def test_a_straight_band_is_a_bar_with_round_ends(self) -> None:
        stroke = Stroke(np.array([[0.0, 0], [50, 20], [100, 40]]), np.full(3, 6.0))
        want = 12 * math.hypot(100, 40) + math.pi * 36
        self.assertAlmostEqual(self._area(stroke) / want, 1, delta=1e-3)

    def test_a_band_is_what_an_independent_library_makes_of_it(self) -> None:
        rng = np.random.default_rng(3)
        for _ in range(5):
            points = np.cumsum(rng.normal(size=(40, 2)) * 8, axis=0)
            want = LineString(points).buffer(5, quad_segs=64)
            ink = band(Stroke(points, np.full(40, 5.0)), 0.002)
            self.assertAlmostEqual(float(ink.area()) / want.area, 1, delta=2e-3)
            triangles, faces = flat_of(ink)
            total = sum(Polygon(triangles[one]).area for one in faces)
            self.assertAlmostEqual(total / want.area, 1, delta=2e-3)

    def test_a_band_that_swells_lies_between_those_of_its_least_and_greatest_width(self) -> None:
        points = np.column_stack([np.linspace(0, 100, 30), np.zeros(30)])
        swells = self._area(Stroke(points, np.linspace(2, 8, 30)))
        self.assertAlmostEqual(swells / (10 * 100 + math.pi * (4 + 64) / 2), 1, delta=0.01)


class Thinned(unittest.TestCase):
    def test_a_stroke_keeps_what_it_needs(self) -> None:
        turn = np.linspace(0, math.pi, 2000)
        arc = Stroke(100 * np.column_stack([np.cos(turn), np.sin(turn)]), np.linspace(2, 5, 2000))
        for tolerance in (0.01, 0.1, 1.0):
            few = arc.thinned(tolerance)
            self.assertLess(len(few.points), 60 / math.sqrt(tolerance))
            away = LineString(few.points)
            self.assertLess(max(away.distance(Point(one)) for one in arc.points[::20]), tolerance * 1.001)
            np.testing.assert_array_equal(few.points[[0, -1]], arc.points[[0, -1]])

    def test_few_points_are_timed_too(self) -> None:
        for count in (2, 3, 4, 5, 6, 9):
            stroke = Stroke(np.random.default_rng(count).normal(size=(count, 2)), np.ones(count))
            self.assertEqual(len(stroke.times(True)), count)
            self.assertTrue((np.diff(stroke.times(True)) > 0).all())


class Time(unittest.TestCase):
    def test_speed_by_hand_goes_with_the_cubic_root_of_the_radius(self) -> None:
        turn = np.linspace(0, 2 * math.pi, 400)
        small = Stroke(10 * np.column_stack([np.cos(turn), np.sin(turn)]), np.ones(400))
        line = Stroke(np.column_stack([np.linspace(0, small.length, 400), np.zeros(400)]), np.ones(400))
        self.assertAlmostEqual(float(line.times(True)[-1]), line.length, 6)
        self.assertAlmostEqual(float(small.times(False)[-1]), small.length, 6)
        # Of a circle 20 wide the curve is 20 / 4 / 10 of what slows down.
        self.assertAlmostEqual(float(small.times(True)[-1]) / small.length, 1.5 ** (1 / 3), delta=0.01)

    def test_parts_are_parts_and_plans_add_up(self) -> None:
        line = Stroke(np.column_stack([np.linspace(0, 100, 11), np.zeros(11)]), np.linspace(1, 3, 11))
        part = line.part(0.25, 0.6, False)
        assert part is not None
        np.testing.assert_allclose(part.points[[0, -1], 0], (25, 60))
        np.testing.assert_allclose(part.radii[[0, -1]], (1.5, 2.2))
        self.assertIsNone(line.part(0.5, 0.5, False))
        plan = Plan.of([line, line, line], False, 0.5)
        np.testing.assert_allclose(plan.spans, [(0, 0.25), (0.375, 0.625), (0.75, 1)])
        np.testing.assert_allclose(plan.shares(0.5), (1, 0.5, 0))
        np.testing.assert_allclose(plan.shares(1), 1)
