"""Diagrams that end where a narrow bevel does, beside whole ones; triangles of areas, beside what they should cover."""

import unittest
from unittest import mock

import numpy as np
import shapely

from zeitbild.geometry import shallow
from zeitbild.geometry.bevelling import Bands, cut
from zeitbild.geometry.curves import Contour
from zeitbild.geometry.diagram import diagram_of
from zeitbild.geometry.extrusion import Bevel, Plate, solid_of
from zeitbild.geometry.filling import filled
from zeitbild.geometry.outline import Outline, outline_of

TURN = np.linspace(0, 2 * np.pi, 60, endpoint=False)
ROUND = np.column_stack([np.cos(TURN), np.sin(TURN)])


def _outline(*rings: np.ndarray) -> Outline:
    outline = outline_of([Contour.of_polyline(ring) for ring in rings])
    assert outline is not None
    return outline


def _star(random: np.random.Generator, middle: tuple[float, float], size: float) -> np.ndarray:
    """A contour with as many corners as chance wants, turned in and out."""
    count = int(random.integers(3, 40))
    turn = np.sort(random.uniform(0, 2 * np.pi, count))
    far = size * random.uniform(0.4, 1, count)
    return np.column_stack([far * np.cos(turn), far * np.sin(turn)]) + middle


def _plates(seed: int) -> Outline:
    """Some islands with holes and islands in these."""
    random = np.random.default_rng(seed)
    rings = []
    for x in range(3):
        for y in range(2):
            rings.append(_star(random, (100 * x, 100 * y), 48))
            if random.random() < 0.7:
                rings.append(_star(random, (100 * x, 100 * y), 18)[::-1])
                rings.append(_star(random, (100 * x, 100 * y), 5))
    return _outline(*rings)


def _sizes(bands: Bands) -> np.ndarray:
    """What each band covers."""
    a, b, c = (bands.points[bands.triangles[:, corner]] for corner in range(3))
    area = ((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]) / 2
    return np.bincount(bands.bands, area)


class Shallow(unittest.TestCase):
    def _same(self, outline: Outline, reach: float) -> None:
        levels = np.array([0.0, 0.3, 0.7, 1.0]) * reach
        diagram, _ = shallow.diagram_to(outline, reach)
        own = cut(outline, diagram, levels, reach / 1000)
        whole = cut(outline, diagram_of(outline), levels, reach / 1000)
        np.testing.assert_allclose(_sizes(own), _sizes(whole), rtol=1e-4)
        # The rim lies where the whole one does, and every edge of a face is that of another, of the outline, or of the rim.
        for one in (own, whole):
            np.testing.assert_allclose(one.distances[one.rim], reach, rtol=1e-9)
        length = [np.hypot(*(one.points[one.rim[:, 0]] - one.points[one.rim[:, 1]]).T).sum() for one in (own, whole)]
        np.testing.assert_allclose(length[0], length[1], rtol=1e-4)

    def test_bands_are_those_of_the_whole_diagram(self) -> None:
        for seed in range(12):
            outline = _plates(seed)
            for width in (0.05, 0.4, 1.5, 4.0):
                with self.subTest(seed=seed, width=width):
                    self._same(outline, width / outline.step)

    def test_contours_that_come_near_each_other_alone_get_the_whole(self) -> None:
        # Four holes in a plate: two of them 3 apart.
        places = ((20, 20), (43, 20), (80, 20), (50, 70))
        rings = [
            np.array([(0.0, 0.0), (100.0, 0.0), (100.0, 100.0), (0.0, 100.0)]),
            *(10 * ROUND[::-1] + at for at in places),
        ]
        outline = _outline(*rings)
        points = len(outline.points)
        for width, wanted in ((1.0, []), (2.0, [4 + 2 * 60]), (4.9, [4 + 2 * 60]), (5.1, [4 + 3 * 60])):
            with mock.patch.object(shallow, "diagram_of", wraps=diagram_of) as made:
                self._same(outline, width / outline.step)
            asked = [len(call.args[0].points) for call in made.call_args_list]
            self.assertEqual(asked, wanted, width)
            self.assertTrue(all(count < points for count in asked))

    def test_contours_that_touch_get_the_whole(self) -> None:
        touching = _outline(
            np.array([(0.0, 0.0), (10.0, 0.0), (10.0, 10.0), (0.0, 10.0)]),
            np.array([(10.0, 10.0), (20.0, 10.0), (20.0, 20.0), (10.0, 20.0)]),
        )
        if len(np.unique(touching.points, axis=0)) == len(touching.points):
            self.skipTest("cleaning took them apart")
        with mock.patch.object(shallow, "diagram_of", wraps=diagram_of) as made:
            shallow.diagram_to(touching, 1 / touching.step)
        made.assert_called_once()

    def test_what_is_not_narrow_is_made_once_and_for_all(self) -> None:
        turn = np.linspace(0, 2 * np.pi, 6000, endpoint=False)
        ring = np.column_stack([np.cos(turn), np.sin(turn)])
        plate = Plate.of([Contour.of_polyline(80 * ring), Contour.of_polyline(30 * ring[::-1])], True)
        assert plate is not None
        with mock.patch.object(shallow, "diagram_of", wraps=diagram_of) as made:
            for width, count in ((0.2, 0), (15.0, 1), (20.0, 1), (24.0, 1)):
                plate.cut_to(width)
                self.assertEqual(made.call_count, count, width)

    def test_a_bevel_that_gets_wider_is_cut_from_a_wider_diagram(self) -> None:
        plate = Plate.of([Contour.of_polyline(40 * ROUND), Contour.of_polyline(15 * ROUND[::-1])], True)
        assert plate is not None
        for width in (1.0, 0.5, 4.0, 12.0, 20.0, 3.0):
            mesh = solid_of(plate.scaled(2.0), 50, Bevel("round", width, 3, "both"), 0.01)
            self.assertEqual(mesh.open_edges(), 0, width)
            fresh = Plate.of([Contour.of_polyline(80 * ROUND), Contour.of_polyline(30 * ROUND[::-1])], True)
            assert fresh is not None
            again = solid_of(fresh, 50, Bevel("round", width, 3, "both"), 0.01)
            self.assertAlmostEqual(mesh.volume() / again.volume(), 1, delta=1e-4)


class Filling(unittest.TestCase):
    def _check(self, contours: list[np.ndarray]) -> None:
        triangles = filled(contours)
        points = np.concatenate(contours)
        a, b, c = (points[triangles[:, corner]] for corner in range(3))
        area = ((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]) / 2
        self.assertGreaterEqual(area.min(), 0)
        rings = [shapely.LinearRing(one) for one in contours]
        wanted = sum(shapely.Polygon(ring).area * (1 if ring.is_ccw else -1) for ring in rings)
        self.assertAlmostEqual(area.sum() / wanted, 1, places=9)
        # Each edge of a contour is one triangle's, and each other one that of two.
        edges = {(int(p), int(q)) for t in triangles for p, q in zip(t, np.roll(t, -1), strict=True)}
        self.assertEqual(len(edges), 3 * len(triangles))
        rim = {(p, q) for p, q in edges if (q, p) not in edges}
        first, wanted = 0, set()
        for one in contours:
            wanted |= {(first + k, first + (k + 1) % len(one)) for k in range(len(one))}
            first += len(one)
        self.assertEqual(rim, wanted)

    def test_every_point_is_a_corner_whatever_lies_in_what(self) -> None:
        for seed in range(20):
            self._check(_plates(seed).loops())

    def test_points_on_straight_lines_are_corners_too(self) -> None:
        line = np.linspace(0, 1, 9)[:-1, None]
        corners = np.array([(0.0, 0.0), (8.0, 0.0), (8.0, 8.0), (0.0, 8.0)])
        square = np.concatenate([corners[k] + line * (corners[(k + 1) % 4] - corners[k]) for k in range(4)])
        self._check([square])
        self._check([square, (square[::-1] - 4) / 2 + 4, (square - 4) / 5 + 4])

    def test_contours_far_from_the_middle(self) -> None:
        self._check([1e-3 * ROUND + 40, 4e-4 * ROUND[::-1] + 40])
        self._check([ROUND, 1e-3 * ROUND + 4000, 4e-4 * ROUND[::-1] + 4000])
