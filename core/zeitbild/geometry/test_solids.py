"""Solid bodies: closed, facing outwards, and of the volume that handbooks give."""

import math
import unittest

import numpy as np

from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.solids import ball, column, ring, rounded_box, steps_for


def _bodies() -> dict[str, Mesh]:
    return {
        "sharp box": rounded_box(3, 4, 5, 0, 4),
        "round box": rounded_box(3, 4, 5, 0.7, 6),
        "box that is a ball": rounded_box(2, 2, 2, 9, 12),
        "ball": ball(3, 4, 5, 16),
        "column": column(3, 1, 4, 3, 0, 12, 12),
        "squeezed column": column(3, 0.5, 4, 1.5, 0.4, 12, 12),
        "widening column": column(2, 2.5, 3, 2, 0.3, 12, 12),
        "cone": column(3, 0, 4, 3, 0, 12, 12),
        "round cone": column(3, 0, 4, 3, 0.3, 12, 12),
        "column all rounding": column(2, 1, 3, 2, 99, 12, 12),
        "ring": ring(10, 2, 10, 12, 12),
        "fat ring": ring(4, 9, 4, 12, 12),
    }


class Bodies(unittest.TestCase):
    def test_all_are_closed_and_face_outwards(self) -> None:
        for name, mesh in _bodies().items():
            self.assertEqual(mesh.open_edges(), 0, name)
            self.assertGreater(mesh.volume(), 0, name)

    def test_normals_are_unit_vectors_on_the_outer_side(self) -> None:
        for name, mesh in _bodies().items():
            corners = mesh.vertices[mesh.triangles]
            flat = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
            size = np.linalg.norm(flat, axis=1)
            flat = flat[size > 1e-9] / size[size > 1e-9, None]
            np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=2), 1, atol=1e-6, err_msg=name)
            leaning = np.einsum("tck,tk->tc", mesh.normals[size > 1e-9], flat)
            # A facet of a quarter turn in 4 steps and more leans from its corners' normals by less than 23 degrees; only
            # the tip of a cone is sharper.
            self.assertGreater(float(leaning.min()), 0.0 if "cone" in name else 0.9, name)

    def test_volumes(self) -> None:
        # Handbook of geometry. Curved bodies lose or gain up to (pi / 2n)^2 of the volume by their facets.
        bodies = _bodies()
        a, b, c, r = 3 - 1.4, 4 - 1.4, 5 - 1.4, 0.7
        rounded = a * b * c + 2 * r * (a * b + b * c + c * a) + math.pi * r * r * (a + b + c) + 4 / 3 * math.pi * r**3
        for name, exact, loss in (
            ("sharp box", 60, 1e-12),
            ("round box", rounded, 5e-3),
            ("box that is a ball", 4 / 3 * math.pi, 0.012),
            ("ball", 4 / 3 * math.pi * 1.5 * 2 * 2.5, 0.012),
            ("column", math.pi * 1.5**2 * 4, 4e-3),
            ("cone", math.pi * 1.5**2 * 4 / 3, 4e-3),
            ("ring", 2 * math.pi**2 * 4 * 1, 0.012),
        ):
            self.assertLess(abs(bodies[name].volume() / exact - 1), loss, name)

    def test_sizes_are_what_was_asked_for(self) -> None:
        for name, sides in (
            ("round box", (3, 4, 5)),
            ("ball", (3, 4, 5)),
            ("column", (3, 4, 3)),
            ("sharp box", (3, 4, 5)),
            ("ring", (10, 2, 10)),
        ):
            np.testing.assert_allclose(np.ptp(_bodies()[name].vertices, axis=0), sides, rtol=0.02, err_msg=name)

    def test_rounding_without_steps_to_spare_ends_where_nothing_straight_is_left(self) -> None:
        mesh = rounded_box(2, 2, 2, 9, 12)
        np.testing.assert_allclose(np.linalg.norm(mesh.vertices, axis=1), 1, atol=1e-9)

    def test_steps_keep_the_tolerance(self) -> None:
        for radius in (0.1, 3.0, 50.0, 1000.0):
            steps = steps_for(radius, 0.03)
            self.assertLessEqual(radius * (1 - math.cos(math.pi / 4 / steps)), 0.03)
            if steps > 4:
                # And no more than it takes.
                self.assertGreater(radius * (1 - math.cos(math.pi / 4 / (steps - 1))), 0.03 * 0.99)
