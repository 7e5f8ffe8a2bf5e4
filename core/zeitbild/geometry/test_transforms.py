"""Placement matrices against an independent library, and the parts that extrusions are made of."""

import math
import unittest

import numpy as np
from scipy.spatial.transform import Rotation

from zeitbild.geometry.contour_normals import OutwardField, edge_normals
from zeitbild.geometry.profile import bevel_profile
from zeitbild.geometry.transforms import placement, rotation


class Rotations(unittest.TestCase):
    def test_axes_agree_with_scipy(self) -> None:
        for axis in "xyz":
            for degrees in (-370, -90, -33.3, 0, 12.5, 90, 180, 270, 359):
                theirs = Rotation.from_euler(axis, degrees, degrees=True).as_matrix()
                np.testing.assert_allclose(rotation(axis, degrees), theirs, atol=1e-12)

    def test_angles_are_applied_about_x_then_y_then_z(self) -> None:
        angles = (20.0, -35.0, 50.0)
        theirs = Rotation.from_euler("xyz", angles, degrees=True).as_matrix()
        np.testing.assert_allclose(placement((0, 0, 0), angles, (1, 1, 1))[:3, :3], theirs, atol=1e-12)

    def test_quarter_turns_are_exact(self) -> None:
        for degrees in (90, 180, 270, 360, -90, 450):
            values = rotation("y", degrees)
            np.testing.assert_array_equal(values, values.round())

    def test_four_quarter_turns_are_none(self) -> None:
        quarter = rotation("z", 90)
        np.testing.assert_array_equal(quarter @ quarter @ quarter @ quarter, np.eye(3))


class Placements(unittest.TestCase):
    def _apply(self, matrix: np.ndarray, point: tuple[float, float, float]) -> np.ndarray:
        return matrix[:3, :3] @ np.array(point) + matrix[:3, 3]

    def test_the_pivot_lands_on_the_position_whatever_turns(self) -> None:
        for turned in (0, 45, 200):
            matrix = placement((10, 20, 30), (5, 6, 7), (2, 3, 4), "y", turned, (1, 2, 3))
            np.testing.assert_allclose(self._apply(matrix, (1, 2, 3)), (10, 20, 30), atol=1e-12)

    def test_a_turn_spins_about_the_elements_own_axis(self) -> None:
        # Leaning by 90 degrees about z lays the element's y axis along -x; its turn must keep that axis in place.
        matrix = placement((0, 0, 0), (0, 0, 90), (1, 1, 1), "y", 77)
        np.testing.assert_allclose(self._apply(matrix, (0, 5, 0)), (-5, 0, 0), atol=1e-12)

    def test_scale_comes_first(self) -> None:
        matrix = placement((0, 0, 0), (0, 0, 90), (2, 1, 1))
        np.testing.assert_allclose(self._apply(matrix, (1, 0, 0)), (0, 2, 0), atol=1e-12)


class Profiles(unittest.TestCase):
    def test_every_profile_leads_from_the_wall_to_the_face_without_gaps(self) -> None:
        for name in ("flat", "round", "hollow", "stepped"):
            for steps in (1, 2, 5):
                strips = bevel_profile(name, steps, 1.0)  # type: ignore[arg-type]
                self.assertEqual((strips[0].inset[0], strips[0].rise[0]), (0, 0))
                self.assertEqual((strips[-1].inset[1], strips[-1].rise[1]), (1, 1))
                for a, b in zip(strips, strips[1:], strict=False):
                    self.assertEqual((a.inset[1], a.rise[1]), (b.inset[0], b.rise[0]))

    def test_normals_stand_across_their_strips(self) -> None:
        # For curved profiles the mean of both ends stands across the chord.
        for name in ("flat", "round", "hollow", "stepped"):
            for slope in (0.5, 1.0, 2.0):
                for strip in bevel_profile(name, 6, slope):  # type: ignore[arg-type]
                    along = np.array([strip.inset[0] - strip.inset[1], (strip.rise[1] - strip.rise[0]) * slope])
                    normal = np.array(strip.normal).mean(axis=0)
                    # Moving up the strip goes inwards (less outward) and up: the normal has no part along it.
                    across = along[0] * normal[0] + along[1] * normal[1]
                    self.assertAlmostEqual(across / np.linalg.norm(along), 0, delta=0.02)

    def test_normals_are_unit(self) -> None:
        for strip in bevel_profile("round", 7, 0.7):
            for outward, up in strip.normal:
                self.assertAlmostEqual(math.hypot(outward, up), 1)

    def test_only_steps_have_walls(self) -> None:
        self.assertEqual([strip.is_wall for strip in bevel_profile("stepped", 2, 1.0)], [True, False, True, False])
        self.assertFalse(any(strip.is_wall for strip in bevel_profile("round", 4, 1.0)))


class Outward(unittest.TestCase):
    def setUp(self) -> None:
        self.square = np.array([[0, 0], [10, 0], [10, 10], [0, 10]], dtype=float)

    def test_corners_split_and_curves_run_on(self) -> None:
        _, normals = edge_normals([self.square])
        np.testing.assert_allclose(normals[0], [[0, -1], [0, -1]])
        turn = np.linspace(0, 2 * np.pi, 60, endpoint=False)
        ring = np.column_stack([np.cos(turn), np.sin(turn)])
        _, smooth = edge_normals([ring])
        np.testing.assert_allclose(smooth[:, 0], ring, atol=1e-9)

    def test_holes_point_into_the_hole(self) -> None:
        hole = self.square[::-1] * 0.5 + 2.5
        _, normals = edge_normals([self.square, hole])
        middles = (hole + np.roll(hole, -1, axis=0)) / 2
        inwards = np.array([5, 5]) - middles
        self.assertTrue(((normals[4:].mean(axis=1) * inwards).sum(axis=1) > 0).all())

    def test_directions_inside_are_those_of_the_nearest_edge(self) -> None:
        field = OutwardField([self.square], 2.0)
        corners = np.array([[[4, 1], [6, 1], [5, 0.5]], [[9, 4], [9, 6], [9.5, 5]]], dtype=float)
        directions = field.at(corners)
        np.testing.assert_allclose(directions[0], [[0, -1]] * 3, atol=1e-12)
        np.testing.assert_allclose(directions[1], [[1, 0]] * 3, atol=1e-12)

    def test_the_fan_at_a_reentrant_corner_points_at_the_corner(self) -> None:
        corner = np.array([[0, 0], [10, 0], [10, 10], [5, 10], [5, 5], [0, 5]], dtype=float)
        field = OutwardField([corner], 3.0)
        # Diagonally inwards from the re-entrant corner (5, 5).
        directions = field.at(np.array([[[6, 4], [6.5, 4], [6, 3.5]]], dtype=float))
        expected = np.array([[5, 5]]) - np.array([[6, 4], [6.5, 4], [6, 3.5]])
        expected /= np.linalg.norm(expected, axis=1, keepdims=True)
        np.testing.assert_allclose(directions[0], expected, atol=1e-9)
