"""Coverage, projection, shading and determinism of the renderer."""

import math
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import FontError, LimitError
from zeitbild.geometry.mesh import Mesh
from zeitbild.kernels import PARALLEL, set_threads
from zeitbild.masters import frame_key
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.render.picture import NO_DEPTH
from zeitbild.render.visible.sampling import SAMPLE_COUNTS, sample_offsets
from zeitbild.resolve import resolve
from zeitbild.snapshot.camera import angle_of_focal_length, focal_length_of_angle, look_at
from zeitbild.testing import AMBIENT, quad, snapshot, sphere

ROOT = Path(__file__).parents[2]
NOWHERE = AssetFolder(ROOT / "no-assets")


def disc_coverage(radius: float, width: int, height: int) -> np.ndarray:  # type: ignore[type-arg]
    """Share of each pixel inside a disc about the picture's middle: exact across, in 1024 rows a pixel downwards."""
    rows = 1024
    y = (np.arange(height)[:, None] + (np.arange(rows) + 0.5) / rows - height / 2).reshape(-1)
    half = np.sqrt(np.maximum(radius**2 - y**2, 0))[:, None]
    left = np.arange(width)[None] - width / 2
    inside = np.clip(np.minimum(left + 1, half) - np.maximum(left, -half), 0, 1)
    covered: np.ndarray = inside.reshape(height, rows, width).mean(axis=1)  # type: ignore[type-arg]
    return covered


class Coverage(unittest.TestCase):
    def test_alpha_of_a_sphere_is_the_disc_of_its_tangent_cone(self) -> None:
        # Pinhole projection of a sphere of radius r at distance d: a disc of angular radius asin(r / d) (geometry).
        # Its silhouette is a polygon of 800 corners: the disc of the same area stands for it, 0.0005 pixels smaller.
        shot = snapshot(sphere(2.0, 400))
        step = 2 * math.pi / 800
        radius = math.tan(math.asin(2.0 / 10.0)) * shot.camera.focal * math.sqrt(math.sin(step) / step)
        exact = disc_coverage(radius, 256, 256)
        soft = (exact > 0) & (exact < 1)
        # Points of a (0, m, 2) net: at most about sqrt(samples) of them can be on the wrong side of an edge. At final the
        # mean is below half an 8-bit step; a corner that none of the first 64 meets is taken for empty.
        for name, mean, worst in (("rough", 0.10, 0.50), ("check", 0.04, 0.16), ("final", 0.5 / 255, 0.03)):
            error = np.abs(render(shot, QUALITIES[name]).beauty[..., 3] - exact)
            self.assertLess(error[soft].mean(), mean, name)
            self.assertLess(error.max(), worst, name)
            self.assertLess(abs(error[~soft]).max(), 1e-6, name)

    def test_edges_near_an_axis_are_right_to_half_a_step(self) -> None:
        # A half-plane whose edge climbs one pixel in forty: exact coverage by integrating the straight line (geometry).
        slope = 1 / 40
        points = np.array([[-50, -50 * slope, 0], [50, 50 * slope, 0], [50, -60, 0], [-50, -60, 0]], float)
        edge = Mesh(
            points,
            np.array([[0, 2, 1], [0, 3, 2]], np.int32),
            np.broadcast_to(np.array([0, 0, 1], np.float32), (2, 3, 3)).copy(),
            np.zeros(2, np.int32),
            np.zeros(2, np.int32),
            False,
        )
        alpha = render(snapshot(edge), QUALITIES["final"]).beauty[..., 3]
        x = np.arange(256)[:, None] + (np.arange(64) + 0.5) / 64 - 128
        line = 128 - x * slope
        exact = np.stack([np.clip(row + 1 - line, 0, 1).mean(axis=1) for row in range(256)])
        soft = (exact > 0) & (exact < 1)
        self.assertGreater(soft.sum(), 200)
        self.assertLess(float(np.abs(alpha - exact)[soft].mean()) * 255, 0.5)

    def test_total_area_is_right_to_a_hundredth_of_a_percent(self) -> None:
        radius = math.tan(math.asin(0.2)) * snapshot(sphere(2.0)).camera.focal
        area = render(snapshot(sphere(2.0, 400)), QUALITIES["final"]).beauty[..., 3].sum()
        self.assertLess(abs(area / (math.pi * radius**2) - 1), 1e-4)

    def test_triangles_that_share_an_edge_leave_no_crack_and_no_double(self) -> None:
        random = np.random.default_rng(1)
        side = 24
        grid = np.stack(np.meshgrid(np.linspace(-6, 6, side), np.linspace(-6, 6, side)), axis=2)
        grid[1:-1, 1:-1] += random.uniform(-0.2, 0.2, (side - 2, side - 2, 2))
        points = np.column_stack([grid.reshape(-1, 2), np.zeros(side * side)])
        at = np.arange(side * side).reshape(side, side)
        a, b, c, d = at[:-1, :-1].ravel(), at[:-1, 1:].ravel(), at[1:, :-1].ravel(), at[1:, 1:].ravel()
        triangles = np.concatenate([np.column_stack([a, b, d]), np.column_stack([a, d, c])]).astype(np.int32)
        normals = np.broadcast_to(np.array([0, 0, 1], np.float32), (len(triangles), 3, 3)).copy()
        zeros = np.zeros(len(triangles), np.int32)
        picture = render(
            snapshot(Mesh(points, triangles, normals, zeros, zeros, True), lights=(AMBIENT,)), QUALITIES["final"]
        )
        np.testing.assert_array_equal(picture.beauty[..., 3], 1)

    def test_what_reaches_behind_the_camera_is_cut_not_lost(self) -> None:
        floor = Mesh(
            np.array([[-50, -1, 50], [50, -1, 50], [50, -1, -50], [-50, -1, -50]], float),
            np.array([[0, 1, 2], [0, 2, 3]], np.int32),
            np.broadcast_to(np.array([0, 1, 0], np.float32), (2, 3, 3)).copy(),
            np.zeros(2, np.int32),
            np.zeros(2, np.int32),
            False,
        )
        alpha = render(snapshot(floor), QUALITIES["check"]).beauty[..., 3]
        self.assertEqual(alpha[:120].max(), 0)
        self.assertEqual(alpha[160:, 100:156].min(), 1)

    def test_nearer_surfaces_hide_farther_ones_and_depth_is_along_the_axis(self) -> None:
        picture = render(snapshot(quad(1, 2), quad(3, -1)), QUALITIES["check"])
        self.assertAlmostEqual(float(picture.depth[128, 128]), 8, places=5)
        self.assertAlmostEqual(float(picture.depth[128, 128 + 70]), 11, places=4)
        self.assertEqual(float(picture.depth[0, 0]), np.float32(NO_DEPTH))

    def test_closed_surfaces_are_not_seen_from_inside(self) -> None:
        self.assertEqual(render(snapshot(sphere(20)), QUALITIES["rough"]).beauty[..., 3].max(), 0)

    def test_samples_form_a_net(self) -> None:
        for count in SAMPLE_COUNTS:
            points = sample_offsets(count)
            np.testing.assert_allclose(points.mean(axis=0), 0.5)
            for axis in (0, 1):
                self.assertEqual(len(np.unique(np.floor(points[:, axis] * count))), count)

    def test_hundreds_of_surfaces_in_one_pixel_are_all_kept(self) -> None:
        # More fragments than a tile has room for at first.
        strips = [
            Mesh(
                np.array([[x, -9, 0], [x + 0.006, -9, 0], [x + 0.006, 9, 0], [x, 9, 0]]),
                np.array([[0, 1, 2], [0, 2, 3]], np.int32),
                np.broadcast_to(np.array([0, 0, 1], np.float32), (2, 3, 3)).copy(),
                np.zeros(2, np.int32),
                np.zeros(2, np.int32),
                False,
            )
            for x in np.arange(-3, 3, 0.006)
        ]
        picture = render(snapshot(*strips, lights=(AMBIENT,), size=(64, 64)), QUALITIES["final"])
        inside = picture.beauty[20:44, 20:44]
        np.testing.assert_array_equal(inside[..., 3], 1)
        np.testing.assert_allclose(inside[..., 0], inside[0, 0, 0], rtol=1e-5)


class Projection(unittest.TestCase):
    def test_angle_of_view_of_focal_lengths(self) -> None:
        # 2 atan(w / 2f) on a 36 mm wide gate, optics handbook.
        for focal, angle in ((18, 90.00), (24, 73.74), (35, 54.43), (50, 39.60), (85, 23.91)):
            self.assertAlmostEqual(angle_of_focal_length(focal), angle, places=2)
        self.assertAlmostEqual(focal_length_of_angle(50), 38.60, places=2)

    def test_known_points_land_where_they_should(self) -> None:
        camera = look_at((0, 0, 10), (0, 0, 0), 90, 200, 100)
        projected = camera.project(np.array([[0, 0, 0], [10, 0, 0], [0, 5, 0], [0, 0, -10.0]]))
        np.testing.assert_allclose(
            projected[:, :2] / projected[:, 2:], [[100, 50], [200, 50], [100, 0], [100, 50]], atol=1e-9
        )
        np.testing.assert_allclose(projected[:, 2], [10, 10, 10, 20])

    def test_a_camera_that_looks_straight_down_stands(self) -> None:
        camera = look_at((0, 10, 0), (0, 0, 0), 40, 100, 100)
        np.testing.assert_allclose(camera.axes @ camera.axes.T, np.eye(3), atol=1e-12)


class Determinism(unittest.TestCase):
    def setUp(self) -> None:
        self.shot = parse_shot((ROOT / "demo" / "KM010.json").read_text(encoding="utf-8"))

    def _bytes(self, frame: int, shot: Shot | None = None) -> bytes:
        picture: Picture = render(resolve(shot or self.shot, frame, NOWHERE).at_size(320, 180), QUALITIES["check"])
        return picture.beauty.tobytes() + picture.depth.tobytes()

    def test_the_frame_after_a_cycle_equals_the_first_to_the_byte_and_the_last_does_not(self) -> None:
        timing = self.shot.timing
        first, last, after = (self._bytes(frame) for frame in (timing.first, timing.last, timing.last + 1))
        self.assertEqual(first, after)
        self.assertNotEqual(first, last)

    def test_one_thread_and_two_give_the_same_bytes(self) -> None:
        with PARALLEL:
            set_threads(1)
            one = self._bytes(17)
            set_threads(64)
            many = self._bytes(17)
        self.assertEqual(one, many)

    def test_frame_keys_change_with_what_is_seen_and_with_nothing_else(self) -> None:
        def key(shot: Shot, frame: int = 5, quality: str = "final") -> str:
            return frame_key(resolve(shot, frame, NOWHERE), quality)

        same = self.shot.model_copy(
            update={"title": "Other", "naming": "{shot}/{pass}.{frame:05}.{ext}", "quality": "check"}
        )
        self.assertEqual(key(self.shot), key(same))
        self.assertEqual(key(self.shot, self.shot.timing.first), key(self.shot, self.shot.timing.last + 1))
        camera = self.shot.camera.model_copy(update={"angle": 41.0})
        different = {
            key(self.shot),
            key(self.shot, 6),
            key(self.shot, 5, "check"),
            key(self.shot.model_copy(update={"camera": camera})),
            key(self.shot.model_copy(update={"elements": ()})),
        }
        self.assertEqual(len(different), 5)

    def test_sets_with_too_many_triangles_are_refused(self) -> None:
        with mock.patch("zeitbild.snapshot.snapshot.MAX_SET_TRIANGLES", 100), self.assertRaises(LimitError) as caught:
            render(resolve(self.shot, 1, NOWHERE), QUALITIES["rough"])
        self.assertEqual(caught.exception.field, "elements")

    def test_sets_with_many_triangles_are_made_coarser_first(self) -> None:
        snapshot = resolve(self.shot, 1, NOWHERE)
        fine = sum(len(mesh.triangles) for mesh in snapshot.built(QUALITIES["final"]).built_meshes)
        with mock.patch("zeitbild.snapshot.snapshot.MAX_SET_TRIANGLES", fine - 1):
            coarse = sum(len(mesh.triangles) for mesh in snapshot.built(QUALITIES["final"]).built_meshes)
        self.assertLess(coarse, fine)

    def test_errors_name_the_element_and_its_field(self) -> None:
        broken = self.shot.elements[0].model_copy(update={"font": "asset:" + "0" * 64})
        with self.assertRaises(Exception) as caught:
            resolve(self.shot.model_copy(update={"elements": (broken,)}), 1, NOWHERE)
        self.assertEqual(getattr(caught.exception, "field", None), "elements.0.font")
        missing = self.shot.elements[0].model_copy(update={"word": "ღ"})
        with self.assertRaises(FontError) as font:
            resolve(self.shot.model_copy(update={"elements": (missing,)}), 1, NOWHERE)
        self.assertEqual(font.exception.field, "elements.0.font")

    def test_a_spinning_word_stays_about_its_pivot(self) -> None:
        # The ink's two ends stand at the same distance from the middle at 0 and at 180 degrees.
        timing = self.shot.timing
        front, back = (
            render(resolve(self.shot, frame, NOWHERE).at_size(320, 180), QUALITIES["final"]).beauty[..., 3]
            for frame in (timing.first, timing.first + 60)
        )
        columns = [np.flatnonzero(alpha.max(axis=0) > 0.5) for alpha in (front, back)]
        # One pixel: the two ends are different letters, whose bevels round off differently at half coverage.
        self.assertLessEqual(abs(int(columns[0][0] + columns[0][-1] - columns[1][0] - columns[1][-1])) / 2, 1)
