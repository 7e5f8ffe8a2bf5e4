"""Coverage, projection, shading and determinism of the renderer."""

import math
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np

from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import FontError, LimitError
from zeitbild.geometry.mesh import Mesh
from zeitbild.kernels import PARALLEL, set_threads
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.render.camera import angle_of_focal_length, focal_length_of_angle, look_at
from zeitbild.render.environment import EnvironmentLight, environment_maps, reflectance_table
from zeitbild.render.octahedral import texel_directions, texel_solid_angles
from zeitbild.render.picture import NO_DEPTH
from zeitbild.render.sampling import SAMPLE_COUNTS, sample_offsets
from zeitbild.render.shading import directional_light, ggx_lobe, surface_radiance
from zeitbild.resolve import Snapshot, SnapshotElement, frame_key, resolve

ROOT = Path(__file__).parents[3]
NOWHERE = AssetFolder(ROOT / "no-assets")
DARK = EnvironmentLight(0.0, (1, 1, 1), (1, 1, 1), 0.0, 0.0)
EVEN = EnvironmentLight(1.0, (1, 1, 1), (1, 1, 1), 0.0, 0.0)
IDENTITY = tuple(float(value) for value in np.eye(4).reshape(-1))
MATT_WHITE = (1.0, 1.0, 1.0, 1.0, 0.0)


def sphere(radius: float, bands: int = 128) -> Mesh:
    """A latitude-longitude sphere with exact normals; its silhouette is inside the true one by radius (pi/bands)^2/2."""
    theta = np.linspace(0, math.pi, bands + 1)
    phi = np.arange(2 * bands) * math.pi / bands
    unit = np.stack(
        [
            np.outer(np.sin(theta), np.cos(phi)),
            np.outer(np.cos(theta), np.ones_like(phi)),
            np.outer(np.sin(theta), np.sin(phi)),
        ],
        axis=2,
    ).reshape(-1, 3)
    row, column = np.meshgrid(np.arange(bands), np.arange(2 * bands), indexing="ij")
    a, b = row * 2 * bands + column, row * 2 * bands + (column + 1) % (2 * bands)
    c, d = a + 2 * bands, b + 2 * bands
    triangles = np.concatenate([np.stack([a, b, d], 2).reshape(-1, 3), np.stack([a, d, c], 2).reshape(-1, 3)]).astype(
        np.int32
    )
    zeros = np.zeros(len(triangles), np.int32)
    return Mesh(unit * radius, triangles, unit[triangles].astype(np.float32), zeros, zeros, True)


def quad(half: float, z: float = 0.0) -> Mesh:
    """A square in the plane z, facing +z, seen from both sides."""
    corners = np.array([[-half, -half, z], [half, -half, z], [half, half, z], [-half, half, z]])
    normals = np.broadcast_to(np.array([0, 0, 1], np.float32), (2, 3, 3)).copy()
    zeros = np.zeros(2, np.int32)
    return Mesh(corners, np.array([[0, 1, 2], [0, 2, 3]], np.int32), normals, zeros, zeros, False)


def snapshot(
    *meshes: Mesh,
    size: tuple[int, int] = (256, 256),
    angle: float = 40,
    eye: tuple[float, float, float] = (0, 0, 10),
    **more: object,
) -> Snapshot:
    """A bare snapshot of meshes in the world's own place."""
    elements = tuple(SnapshotElement(str(number), IDENTITY, (MATT_WHITE,)) for number in range(len(meshes)))
    plain = Snapshot(size[0], size[1], eye, (0, 0, 0), angle, (), (0, 0, 0), DARK, None, elements, meshes)
    return replace(plain, **more)  # type: ignore[arg-type]


def disc_coverage(radius: float, width: int, height: int) -> np.ndarray:  # type: ignore[type-arg]
    """Share of each pixel inside a disc about the picture's middle, by 64 x 64 exact tests a pixel."""
    fine = (np.arange(64) + 0.5) / 64
    x = (np.arange(width)[:, None] + fine - width / 2).reshape(-1)
    y = (np.arange(height)[:, None] + fine - height / 2).reshape(-1)
    inside = (x[None] ** 2 + y[:, None] ** 2 <= radius**2).astype(np.float32)
    return inside.reshape(height, 64, width, 64).mean(axis=(1, 3))


class Coverage(unittest.TestCase):
    def test_alpha_of_a_sphere_is_the_disc_of_its_tangent_cone(self) -> None:
        # Pinhole projection of a sphere of radius r at distance d: a disc of angular radius asin(r / d) (geometry).
        shot = snapshot(sphere(2.0))
        radius = math.tan(math.asin(2.0 / 10.0)) * shot.camera.focal
        exact = disc_coverage(radius, 256, 256)
        soft = (exact > 0) & (exact < 1)
        # Points of a (0, m, 2) net: at most about sqrt(samples) of them can be on the wrong side of an edge.
        for name, mean, worst in (("rough", 0.10, 0.50), ("check", 0.04, 0.16), ("final", 0.015, 0.06)):
            error = np.abs(render(shot, QUALITIES[name]).beauty[..., 3] - exact)
            self.assertLess(error[soft].mean(), mean, name)
            self.assertLess(error.max(), worst, name)
            self.assertLess(abs(error[~soft]).max(), 1e-6, name)

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
            snapshot(Mesh(points, triangles, normals, zeros, zeros, True), ambient=(1, 1, 1)), QUALITIES["final"]
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
        picture = render(snapshot(*strips, ambient=(1, 1, 1), size=(64, 64)), QUALITIES["final"])
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


def _radiance(
    normal: tuple[float, float, float],
    view: tuple[float, float, float],
    base: float,
    rough: float,
    metal: float,
    suns: list[list[float]],
    ambient: float = 0.0,
    environment: EnvironmentLight = DARK,
) -> float:
    return float(
        surface_radiance(
            *normal,
            *view,
            base,
            base,
            base,
            rough,
            metal,
            np.array(suns, dtype=float).reshape(-1, 6),
            np.full(3, ambient),
            environment_maps(environment),
            reflectance_table(),
        )[0]
    )


class Shading(unittest.TestCase):
    def test_lambert_part_follows_the_cosine(self) -> None:
        # Johann Heinrich Lambert, Photometria 1760: a matt surface radiates with the cosine of the light's angle.
        for degrees in (0, 30, 60, 80):
            light = [math.sin(math.radians(degrees)), 0, math.cos(math.radians(degrees)), 1, 1, 1]
            matt = _radiance((0, 0, 1), (0, 0, 1), 1, 1, 0, [light])
            n_l, lobe, fifth = directional_light(0.0, 0.0, 1.0, 0.0, 0.0, 1.0, *light[:3], 1.0, 1.0)
            mirrored = (0.04 + 0.96 * fifth) * lobe * n_l
            expected = (1 - 0.04 - 0.96 * fifth) * math.cos(math.radians(degrees))
            self.assertAlmostEqual(matt - mirrored, expected, places=9)

    def test_lobe_equals_the_published_terms(self) -> None:
        # glTF 2.0, appendix B.3: D of Trowbridge-Reitz, V of height-correlated Smith, written again in numpy.
        def gltf(n_l: float, n_v: float, n_h: float, alpha: float) -> float:
            a2 = alpha**2
            d = a2 / (np.pi * ((n_h**2) * (a2 - 1) + 1) ** 2)
            v = 0.5 / (n_l * np.sqrt(n_v**2 * (1 - a2) + a2) + n_v * np.sqrt(n_l**2 * (1 - a2) + a2))
            return float(d * v)

        random = np.random.default_rng(2)
        for n_l, n_v, n_h, alpha in random.uniform(0.02, 1, (200, 4)):
            for function in (ggx_lobe, ggx_lobe.py_func):
                self.assertAlmostEqual(
                    function(n_l, n_v, n_h, alpha),
                    gltf(n_l, n_v, n_h, alpha),
                    delta=1e-9 * gltf(n_l, n_v, n_h, alpha) + 1e-12,
                )

    def test_reflectance_at_normal_incidence_is_four_percent(self) -> None:
        # glTF 2.0, appendix B.3.3: F0 of dielectrics is 0.04. A black, smooth dielectric under even light mirrors that.
        self.assertAlmostEqual(_radiance((0, 0, 1), (0, 0, 1), 0, 0.05, 0, [], environment=EVEN), 0.04, delta=0.002)

    @staticmethod
    def _single_bounce(rough: float, facing: float) -> float:
        """Share of even light that the lobe itself reflects, by summing it over the half sphere (numpy, 1 degree)."""
        theta, phi = np.meshgrid(
            np.radians(np.arange(0.25, 90, 0.5)), np.radians(np.arange(0.5, 360, 1)), indexing="ij"
        )
        light = np.stack([np.sin(theta) * np.cos(phi), np.sin(theta) * np.sin(phi), np.cos(theta)], axis=2)
        view = np.array([math.sqrt(1 - facing**2), 0, facing])
        half = light + view
        n_h = half[..., 2] / np.linalg.norm(half, axis=2)
        n_l, a2 = light[..., 2], rough**4
        d = a2 / (np.pi * (n_h**2 * (a2 - 1) + 1) ** 2)
        v = 0.5 / (n_l * np.sqrt(facing**2 * (1 - a2) + a2) + facing * np.sqrt(n_l**2 * (1 - a2) + a2))
        return float((d * v * n_l * np.sin(theta)).sum() * math.radians(0.5) * math.radians(1))

    def test_white_furnace(self) -> None:
        # Under even light of 1 nothing may radiate more than 1; a white metal radiates what a single bounce of the
        # model keeps, a white dielectric everything.
        for metal in (0.0, 1.0):
            for rough in (0.1, 0.3, 0.6, 1.0):
                for degrees in (0, 45, 75):
                    view = (math.sin(math.radians(degrees)), 0.0, math.cos(math.radians(degrees)))
                    value = _radiance((0, 0, 1), view, 1, rough, metal, [], environment=EVEN)
                    self.assertLess(value, 1.005)
                    kept = self._single_bounce(rough, view[2]) if metal and rough > 0.1 else 1.0
                    # The table has 32 steps of roughness and angle, and 256 samples in each.
                    self.assertAlmostEqual(value, kept, delta=0.02 if metal else 0.01)

    def test_ambient_and_an_even_environment_are_the_same_light(self) -> None:
        for metal in (0.0, 1.0):
            a = _radiance((0, 0, 1), (0, 0, 1), 0.7, 0.4, metal, [], ambient=1)
            b = _radiance((0, 0, 1), (0, 0, 1), 0.7, 0.4, metal, [], environment=EVEN)
            self.assertAlmostEqual(a, b, places=4)

    def test_environment_is_never_in_the_picture(self) -> None:
        alone, lit = (render(snapshot(quad(1), environment=light), QUALITIES["check"]) for light in (DARK, EVEN))
        np.testing.assert_array_equal(alone.beauty[..., 3], lit.beauty[..., 3])
        self.assertEqual(lit.beauty[0, 0].max(), 0)
        self.assertGreater(lit.beauty[128, 128, 0], 0.9)

    def test_octahedral_map_covers_the_sphere_once(self) -> None:
        directions, solid = texel_directions(64)[1:-1, 1:-1], texel_solid_angles(64)
        self.assertAlmostEqual(solid.sum(), 4 * math.pi)
        mean_square = (directions**2 * solid[..., None]).sum(axis=(0, 1)) / (4 * math.pi)
        np.testing.assert_allclose(mean_square, 1 / 3, atol=1e-3)

    def test_backdrop_colour_fills_what_is_not_covered(self) -> None:
        picture = render(snapshot(quad(1), backdrop=(0.1, 0.2, 0.3)), QUALITIES["check"])
        np.testing.assert_allclose(picture.beauty[0, 0], [0.1, 0.2, 0.3, 1], atol=1e-7)
        self.assertEqual(picture.beauty[..., 3].min(), 1)


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
        with mock.patch("zeitbild.resolve.snapshot.MAX_SET_TRIANGLES", 5000), self.assertRaises(LimitError) as caught:
            resolve(self.shot, 1, NOWHERE)
        self.assertEqual(caught.exception.field, "elements.0")

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
