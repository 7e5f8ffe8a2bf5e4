"""Places on triangles under the picture, against rays through planes and against search."""

import unittest

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.stage import viewpoint
from zeitbild.render.visible.surface import bend_at, edges_at, onto_triangle, shares_at, surface_at
from zeitbild.render.visible.triangle_setup import set_up
from zeitbild.snapshot.camera import Camera, look_at

SIZE = 256


def _edges(camera: Camera, corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """Edge functions of one triangle [3, 3], seen from both sides."""
    edges, scaled, boxes = np.zeros((1, 9)), np.zeros((1, 12)), np.zeros((1, 4), np.int32)
    with PARALLEL:
        set_up(
            np.zeros(1, np.int32),
            camera.project(corners),
            np.ones(3),
            np.array([[0, 1, 2]], np.int32),
            np.array([False]),
            camera.near,
            SIZE,
            SIZE,
            edges,
            scaled,
            boxes,
        )
    return edges


def _through(camera: Camera, corners: NDArray[np.float64], x: float, y: float) -> NDArray[np.float64]:
    """Where the ray of a picture place meets the triangle's plane."""
    right, up, forward = camera.axes
    aside = (x - SIZE / 2) / camera.focal * right - (y - SIZE / 2) / camera.focal * up
    start, way = (camera.eye + aside, forward) if camera.parallel else (camera.eye, forward + aside)
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    return start + way * ((corners[0] - start) @ normal / (way @ normal))


def _surface(camera: Camera, corners: NDArray[np.float64], x: float, y: float) -> NDArray[np.float64]:
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    normals = np.broadcast_to(normal / np.linalg.norm(normal), (1, 3, 3)).astype(np.float32)
    found = surface_at.py_func(
        _edges(camera, corners),
        corners.astype(np.float32)[None],
        normals,
        0,
        x,
        y,
        viewpoint(camera),
    )
    return np.array(found, np.float64)


class Surfaces(unittest.TestCase):
    def setUp(self) -> None:
        random = np.random.default_rng(7)
        self.triangles = random.uniform(-2, 2, (40, 3, 3))
        self.cameras = (
            look_at((1, 2, 9), (0, 0, 0), 50, SIZE, SIZE),
            look_at((-3, 1, 8), (0, 0, 0), 50, SIZE, SIZE, roll=30, span=6.0),
        )

    def test_inside_it_is_where_the_ray_meets_the_plane(self) -> None:
        seen = 0
        for camera in self.cameras:
            for corners in self.triangles:
                flat = camera.project(corners)
                middle = (flat[:, :2] / flat[:, 2:]).mean(axis=0)
                found = _surface(camera, corners, *middle)
                np.testing.assert_allclose(found[:3], _through(camera, corners, *middle), atol=2e-4)
                seen += 1
        self.assertEqual(seen, 80)

    def test_views_point_to_the_eye_and_normals_have_unit_length(self) -> None:
        for camera in self.cameras:
            corners = self.triangles[0]
            flat = camera.project(corners)
            found = _surface(camera, corners, *(flat[:, :2] / flat[:, 2:]).mean(axis=0))
            towards = -camera.axes[2] if camera.parallel else (camera.eye - found[:3])
            np.testing.assert_allclose(found[6:9], towards / np.linalg.norm(towards), atol=1e-5)
            self.assertAlmostEqual(float(np.linalg.norm(found[3:6])), 1, places=5)

    def test_no_edge_function_is_negative_inside_whichever_way_the_triangle_turns(self) -> None:
        camera = self.cameras[0]
        for corners in self.triangles:
            for order in ((0, 1, 2), (0, 2, 1)):
                turned = corners[list(order)]
                flat = camera.project(turned)
                x, y = (flat[:, :2] / flat[:, 2:]).mean(axis=0)
                self.assertTrue(all(value >= 0 for value in edges_at.py_func(_edges(camera, turned), 0, x, y)))

    def test_outside_it_is_the_nearest_place_of_the_triangle(self) -> None:
        random = np.random.default_rng(11)
        camera = self.cameras[0]
        shares = random.dirichlet((1, 1, 1), 20_000)
        shares[:6000, 2] = 0
        shares[:6000] /= shares[:6000].sum(axis=1)[:, None]
        for corners in self.triangles[:12]:
            flat = camera.project(corners)
            corners_2d = flat[:, :2] / flat[:, 2:]
            edges = _edges(camera, corners)
            places = np.concatenate(
                [(shares @ corners_2d), shares @ corners_2d[[1, 2, 0]], shares @ corners_2d[[2, 0, 1]]]
            )
            for _ in range(6):
                # As samples of neighbours lie: a pixel or so beside an edge.
                x, y = places[random.integers(len(places))] + random.normal(0, 1.2, 2)
                values = edges_at.py_func(edges, 0, x, y)
                if min(values) >= 0:
                    continue
                best = float(np.linalg.norm(places - (x, y), axis=1).min())
                found = onto_triangle.py_func(edges, 0, x, y, *values)
                # Two steps reach an edge, or come near an acute corner.
                self.assertLess(abs(float(np.linalg.norm(np.subtract(found, (x, y)))) - best), best + 0.5)

    def test_seen_edge_on_it_does_not_run_along_the_triangle(self) -> None:
        # A wall almost along the line of sight, 0.02 pixels wide: a place beside its middle stays at that height.
        camera = look_at((0, 0, 10), (0, 0, 0), 40, SIZE, SIZE)
        corners = np.array([[0.0, -3, 1], [0.0005, -3, -1], [0.0, 3, 1]])
        flat = camera.project(corners)
        corners_2d = flat[:, :2] / flat[:, 2:]
        for share in (0.2, 0.5, 0.8):
            x, y = corners_2d[0] * (1 - share) + corners_2d[2] * share
            found = _surface(camera, corners, x - 0.4, y)
            self.assertAlmostEqual(float(found[1]), -3 + 6 * share, delta=0.08)


class Bends(unittest.TestCase):
    """How far normals turn within a pixel: of a column of radius r a pixel covers an angle of its width over r."""

    def _bend(self, camera: Camera, corners: NDArray[np.float64], normals: NDArray[np.float64], share: float) -> float:
        edges = _edges(camera, corners)
        shares = shares_at.py_func(edges, 0, 128.5, 128.5)
        mixed = normals.T @ np.array(shares)
        found = bend_at.py_func(
            edges,
            normals.astype(np.float32)[None],
            0,
            128.5,
            128.5,
            *shares,
            *mixed.astype(np.float32),
            np.float32(share),
        )
        self.assertLess(abs(float(np.dot(found, mixed))), 1e-5)
        return float(np.linalg.norm(found))

    def test_a_column_turns_by_its_curvature_whatever_way_it_stands(self) -> None:
        camera = look_at((0, 0, 10), (0, 0, 0), 40, SIZE, SIZE, span=8.0)
        pixel, radius = 8.0 / SIZE, 3.0
        for turn in np.radians((0, 20, 45, 90, 130)):
            axis = np.array([np.cos(turn), np.sin(turn)])
            across = np.array([-axis[1], axis[0]])
            flat = np.array([[-1.0, -1], [1.2, -0.8], [0, 1.1]])
            corners = np.concatenate([flat, np.zeros((3, 1))], axis=1)
            angle = flat @ across / radius
            normals = np.concatenate([np.sin(angle)[:, None] * across, np.cos(angle)[:, None]], axis=1)
            self.assertAlmostEqual(
                self._bend(camera, corners, normals, 1.0), pixel / radius, delta=0.1 * pixel / radius
            )
            self.assertAlmostEqual(
                self._bend(camera, corners, normals, 0.25), 0.5 * pixel / radius, delta=0.1 * pixel / radius
            )

    def test_a_plane_does_not_turn_and_an_edge_on_triangle_tells_nothing(self) -> None:
        camera = look_at((0, 0, 10), (0, 0, 0), 40, SIZE, SIZE)
        corners = np.array([[-1.0, -1, 0], [1, -1, 0], [0, 1, 0]])
        self.assertLess(self._bend(camera, corners, np.tile([0.0, 0, 1], (3, 1)), 1.0), 1e-6)
        edges = np.array([[1e-12, 0, 0, 0, 1e-12, 0, 0, 0, 1e-28]])
        bent = np.array([[[0, 0, 1], [0.9, 0, 0.4], [0, 0.9, 0.4]]], np.float32)
        found = bend_at.py_func(
            edges, bent, 0, 0.0, 0.0, *np.full(3, 1 / 3, np.float32), *bent[0].mean(axis=0), np.float32(1)
        )
        self.assertTrue(np.isfinite(found).all())
