"""The solid element: every shape keeps to what its form says, and to the volumes of a handbook of geometry."""

import math
import unittest
from typing import Any

import numpy as np

from zeitbild.elements.solid import Solid, build
from zeitbild.geometry.form import Form
from zeitbild.testing import NOWHERE

_SHAPES = ("box", "ball", "column", "capsule", "ring", "plate", "plane", "disc")


def _form(shape: str, **more: Any) -> Form:
    return build(Solid(id="a", shape=shape, **more), NOWHERE)


class Shapes(unittest.TestCase):
    def test_all_keep_to_their_bounds_and_all_but_flat_ones_are_closed(self) -> None:
        for shape in _SHAPES:
            for more in (
                {},
                {"rounding": 0, "corner": 0},
                {"rounding": 999, "corner": 999},
                {"depth": 3, "height": 700},
            ):
                with self.subTest(shape=shape, **more):
                    form = _form(shape, width=200, **more)
                    mesh = form.at(0.05)
                    self.assertEqual(mesh.closed, shape not in ("plane", "disc"))
                    if mesh.closed:
                        self.assertEqual(mesh.open_edges(), 0)
                    np.testing.assert_allclose(mesh.bounds, form.bounds, atol=0.4)
                    self.assertLessEqual(mesh.radius, form.radius + 0.4)
                    np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=2), 1, atol=1e-5)

    def test_volumes(self) -> None:
        capsule = _form("capsule", width=100, height=300, depth=100).at(0.01).volume()
        self.assertAlmostEqual(capsule / (4 / 3 * math.pi * 50**3 + math.pi * 50**2 * 200), 1, delta=2e-3)
        sharp = _form("plate", width=200, height=100, depth=30, corner=20, rounding=0).at(0.01).volume()
        area = 200 * 100 - (4 - math.pi) * 20**2
        self.assertAlmostEqual(sharp / (area * 30), 1, delta=1e-5)
        # An edge rounded by r along a rim loses (1 - pi/4) r^2 a unit of it, at its centre of area (Pappus), on both sides.
        r = 4.0
        rim = 2 * (160 + 60) + 2 * math.pi * (20 - r * (10 - 3 * math.pi) / (3 * (4 - math.pi)))
        rounded = _form("plate", width=200, height=100, depth=30, corner=20, rounding=r).at(0.002).volume()
        self.assertAlmostEqual((sharp - rounded) / (2 * (1 - math.pi / 4) * r * r * rim), 1, delta=0.02)

    def test_areas_of_flat_ones(self) -> None:
        for shape, area in (("plane", 200 * 120), ("disc", math.pi * 100 * 60)):
            mesh = _form(shape, width=200, height=120).at(0.01)
            a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
            self.assertAlmostEqual(float(np.cross(b - a, c - a)[:, 2].sum() / 2) / area, 1, delta=1e-4)

    def test_a_mesh_is_kept_for_its_fineness(self) -> None:
        for shape in _SHAPES:
            form = _form(shape)
            self.assertIs(form.at(0.05), form.at(0.05))
