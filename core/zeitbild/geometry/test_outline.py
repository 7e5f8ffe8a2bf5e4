"""Polylines against their true curves, and outlines that stay clean whatever they are made of."""

import math
import unittest
from unittest import mock

import numpy as np
from shapely.geometry import LineString, Point, Polygon

from zeitbild.geometry import outline
from zeitbild.geometry.bevelling import cut
from zeitbild.geometry.curves import Contour, CurvedContour
from zeitbild.geometry.diagram import diagram_of
from zeitbild.geometry.outline import crossing, outline_of

#: A quarter of a circle by one cubic: off by 2.7e-4 of the radius (common practice).
_K = 4 / 3 * (math.sqrt(2) - 1)
SQUARE = np.array([[0, 0], [100, 0], [100, 100], [0, 100]], dtype=float)


def _circle(radius: float) -> CurvedContour:
    quarter = np.array([[1, 0], [1, _K], [_K, 1], [0, 1]]) * radius
    turned = [quarter]
    for _ in range(3):
        turned.append(np.column_stack([-turned[-1][:, 1], turned[-1][:, 0]]))
    return CurvedContour(np.array(turned), np.zeros(4, bool))


class Flattening(unittest.TestCase):
    def test_polylines_stay_within_their_tolerance_and_keep_the_area(self) -> None:
        fine = Polygon(_circle(100).flattened(1e-6).points)
        for tolerance in (1.0, 0.1, 0.01):
            polyline = _circle(100).flattened(tolerance)
            ring = LineString([*polyline.points, polyline.points[0]])
            away = max(ring.distance(Point(point)) for point in np.asarray(fine.exterior.coords)[::37])
            self.assertLessEqual(away, tolerance)
            # Inscribed it would lose two thirds of its sagitta all round; what is left is lost beside the curves' ends.
            lost = abs(Polygon(polyline.points).area - fine.area) / fine.length
            self.assertLess(lost, 0.15 * tolerance)

    def test_directions_are_those_of_the_curve(self) -> None:
        polyline = _circle(50).flattened(0.05)
        np.testing.assert_allclose(polyline.normals[:, 0], polyline.points / 50, atol=2e-3)

    def test_curves_whose_control_points_coincide_have_directions(self) -> None:
        curve = CurvedContour(
            np.array([[[0, 0], [0, 0], [50, 80], [100, 0]], [[100, 0], [100, 0], [0, 0], [0, 0]]], float),
            np.array([False, True]),
        )
        normals = curve.flattened(0.5).normals
        np.testing.assert_allclose(np.linalg.norm(normals, axis=2), 1, atol=1e-9)


class Outlines(unittest.TestCase):
    def test_area_is_kept_and_nothing_crosses(self) -> None:
        generator = np.random.default_rng(9)
        for attempt in range(40):
            contours = [generator.normal(size=(4 + attempt % 9, 2)) * 40 for _ in range(1 + attempt % 3)]
            outline = outline_of([Contour.of_polyline(points) for points in contours])
            assert outline is not None
            self.assertFalse(crossing(outline.points, outline.following), attempt)
            self.assertGreater(sum(Polygon(loop).exterior.is_ccw for loop in outline.loops()), 0)

    def test_crossings_and_touches_are_noticed(self) -> None:
        def meets(*rings: list[tuple[float, float]]) -> bool:
            following = []
            for ring in rings:
                first = len(following)
                following += [first + (k + 1) % len(ring) for k in range(len(ring))]
            return bool(crossing(np.array([p for ring in rings for p in ring], float), np.array(following)))

        square = [(0.0, 0.0), (10.0, 0.0), (10.0, 10.0), (0.0, 10.0)]
        self.assertFalse(meets(square))
        self.assertFalse(meets(square, [(10.0, 10.0), (20.0, 10.0), (20.0, 20.0)]))
        self.assertTrue(meets([(0, 0), (10, 10), (10, 0), (0, 10)]))
        self.assertTrue(meets(square, [(10.0, 5.0), (20.0, 0.0), (20.0, 10.0)]))

    def test_corners_and_curves_are_told_apart(self) -> None:
        outline = outline_of([Contour.of_polyline(SQUARE)])
        assert outline is not None
        self.assertFalse(outline.smooth.any())
        round_one = outline_of([_circle(30).flattened(0.1)])
        assert round_one is not None
        self.assertTrue(round_one.smooth.all())

    def test_directions_are_found_nearby_as_they_are_among_all(self) -> None:
        # Many rings over one another: thousands of edges are pieces of others.
        chance = np.random.default_rng(4)
        ring, rings = _circle(30).flattened(0.01), []
        for at in chance.uniform(0, 300, (60, 2)):
            rings.append(Contour(ring.points * chance.uniform(0.3, 1) + at, ring.normals))
        found = []
        for few in (0, 10**12):
            with mock.patch.object(outline, "_FEW_PAIRS", few):
                own = outline_of(rings)
            assert own is not None
            found.append(own.normals)
        np.testing.assert_array_equal(*found)
        # Of circles: outward from a middle, everywhere but at corners.
        self.assertGreater(len(found[0]), 2000)

    def test_what_encloses_nothing_has_no_outline(self) -> None:
        for points in (np.zeros((5, 2)), np.array([[0, 0], [9, 0], [4, 0]], float)):
            self.assertIsNone(outline_of([Contour.of_polyline(points)]))


class Bands(unittest.TestCase):
    def test_bands_cover_what_lies_between_two_distances(self) -> None:
        for contour in (Contour.of_polyline(SQUARE), _circle(50).flattened(0.02)):
            outline = outline_of([contour])
            assert outline is not None
            levels = np.array([0.0, 5.0, 12.0, 20.0]) / outline.step
            bands = cut(outline, diagram_of(outline), levels, 0.01 / outline.step)
            corners = bands.points[bands.triangles] * outline.step
            a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
            areas = (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2
            self.assertGreaterEqual(areas.min(), -1e-9)
            ink = Polygon(contour.points)
            for band, (low, high) in enumerate(((0, 5), (5, 12), (12, 20))):
                expected = ink.buffer(-low, quad_segs=64).area - ink.buffer(-high, quad_segs=64).area
                self.assertLess(abs(areas[bands.bands == band].sum() / expected - 1), 1e-3)
