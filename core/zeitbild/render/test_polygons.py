"""Convex polygons that are cut by lines, against shapely."""

import unittest

import numpy as np
import shapely

from zeitbild.render.visible.polygons import clipped_area, cut, measure


class Polygons(unittest.TestCase):
    def test_both_parts_are_those_of_half_planes(self) -> None:
        chance = np.random.default_rng(3)
        for _ in range(300):
            angles = np.sort(chance.uniform(0, 2 * np.pi, int(chance.integers(3, 12))))
            corners = np.column_stack([np.cos(angles), np.sin(angles)])
            own = shapely.Polygon(corners)
            v, f, g = chance.uniform(-1, 1, 3)
            room = np.zeros((6, 16))
            room[0, : len(corners)], room[1, : len(corners)] = corners.T
            inside, outside = cut(room[0], room[1], len(corners), v, f, g, room[2], room[3], room[4], room[5])
            # The half plane where it is more, as far as it matters.
            normal, along = np.array([f, g]) / np.hypot(f, g), np.array([-g, f]) / np.hypot(f, g)
            start = -v / np.hypot(f, g) * normal
            far = [start - 9 * along, start + 9 * along, start + 9 * along + 9 * normal, start - 9 * along + 9 * normal]
            for found, row, true in (
                (inside, 2, own.intersection(shapely.Polygon(far))),
                (outside, 4, own.difference(shapely.Polygon(far))),
            ):
                area, across, down = measure(room[row], room[row + 1], found) if found > 2 else (0.0, 0.0, 0.0)
                self.assertAlmostEqual(area, true.area, places=9)
                if true.area > 1e-6:
                    np.testing.assert_allclose((across / area, down / area), true.centroid.coords[0], atol=1e-6)

    def test_a_square_cut_by_three_lines_is_one_cut_by_one_after_the_other(self) -> None:
        chance = np.random.default_rng(5)
        for _ in range(300):
            lines = chance.uniform(-1, 1, (3, 3))
            ring, other, room = np.empty((8, 2)), np.empty((8, 2)), np.zeros((6, 16))
            area = clipped_area(*lines.ravel(), ring, other)[0]
            room[0, :4], room[1, :4], count = (0, 1, 1, 0), (0, 0, 1, 1), 4
            for v, f, g in lines:
                count, _ = cut(room[0], room[1], count, v, f, g, room[2], room[3], room[4], room[5])
                room[:2] = room[2:4]
            self.assertAlmostEqual(area, measure(room[0], room[1], count)[0] if count > 2 else 0.0, places=9)


if __name__ == "__main__":
    unittest.main()
