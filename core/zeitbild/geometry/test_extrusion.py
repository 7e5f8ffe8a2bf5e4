"""Extruded lettering against the true distance field: closed, right in volume, every face as it should lean."""

import multiprocessing
import os
import unicodedata
import unittest
from concurrent.futures import ProcessPoolExecutor
from typing import Any

import numpy as np
import shapely
from fontTools.ttLib import TTFont
from numba import njit
from shapely.geometry import Polygon
from shapely.ops import unary_union

from zeitbild.errors import InputError
from zeitbild.fonts import SHIPPED
from zeitbild.geometry.curves import Contour
from zeitbild.geometry.extrusion import BEVEL, FACE, SIDE, Bevel, Plate, extrude, solid_of
from zeitbild.geometry.font import open_face
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.shaping import outlines, shape

SIZE = 200.0
#: Widths in units of a two-hundredth of the em, from a hair to twice the widest stroke.
WIDTHS = (0.2, 1.0, 4.0, 10.0, 25.0, 80.0)
SQUARE = np.array([[0, 0], [100, 0], [100, 100], [0, 100]], dtype=float)
#: Faces smaller than this (of the square of a two-hundredth of the em) cannot be seen.
VISIBLE = 1e-3


def _contours(key: str, word: str) -> list[Contour]:
    font = SHIPPED[key]
    face = open_face(font.path.read_bytes(), font.title)
    return outlines(shape(word, face), face, SIZE)


def _letters(key: str) -> list[str]:
    cmap = TTFont(SHIPPED[key].path).getBestCmap()
    letters = [chr(code) for code in cmap if unicodedata.category(chr(code)).startswith("L")]
    latin = [letter for letter in letters if "LATIN" in unicodedata.name(letter, "")]
    # A font without Latin letters is tried with those of its own script.
    return latin or letters


@njit(cache=True)
def _towards_outline(places: Any, starts: Any, ends: Any) -> Any:
    """Vector from each place to the nearest point of any edge, found by looking at all of them."""
    out = np.empty_like(places)
    for i in range(len(places)):
        best = 1e300
        for k in range(len(starts)):
            dx, dy = ends[k, 0] - starts[k, 0], ends[k, 1] - starts[k, 1]
            t = ((places[i, 0] - starts[k, 0]) * dx + (places[i, 1] - starts[k, 1]) * dy) / (dx * dx + dy * dy)
            t = min(1.0, max(0.0, t))
            gx, gy = starts[k, 0] + t * dx - places[i, 0], starts[k, 1] + t * dy - places[i, 1]
            if gx * gx + gy * gy < best:
                best = gx * gx + gy * gy
                out[i, 0], out[i, 1] = gx, gy
    return out


def leaning(plate: Plate, width: float) -> tuple[Mesh, Any, Any]:
    """A flat bevel of 45 degrees; degrees by which faces and their normals lean from those of the distance field.

    Only faces that can be seen.
    """
    outline = plate.outline
    mesh = solid_of(plate, 4 * width + 1, Bevel("flat", width, 1, "front"), SIZE / 5000)
    points = outline.points * outline.step + outline.origin
    chosen = mesh.parts == BEVEL
    corners = mesh.vertices[mesh.triangles[chosen]]
    flat = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.linalg.norm(flat, axis=1)
    seen = size / 2 > VISIBLE
    middles = np.ascontiguousarray(corners[seen].mean(axis=1)[:, :2])
    away = _towards_outline(middles, points, points[outline.following])
    away /= np.linalg.norm(away, axis=1, keepdims=True)
    true = np.column_stack([away, np.ones(len(away))]) / np.sqrt(2)
    shading = mesh.normals[chosen][seen].mean(axis=1)
    shading /= np.linalg.norm(shading, axis=1, keepdims=True)

    def degrees(normals: Any) -> Any:
        return np.degrees(np.arccos(np.clip((normals * true).sum(axis=1), -1, 1)))

    return mesh, degrees(flat[seen] / size[seen, None]), degrees(shading)


def _widths(letter: str, number: int) -> tuple[float, ...]:
    """Widths at which the letter of that number in its font is tried: plain ones at two, others at one, all widths in turns."""
    if os.environ.get("ZEITBILD_THOROUGH"):
        return WIDTHS
    count = len(WIDTHS)
    return (WIDTHS[number % count], *((WIDTHS[(number + count // 2) % count],) if letter.isascii() else ()))


def wrong_letters(key: str, part: int, parts: int) -> list[str]:
    """Letters of a font that at some bevel do not close, or of which a face leans wrongly."""
    wrong = []
    for number, letter in list(enumerate(_letters(key)))[part::parts]:
        contours = _contours(key, letter)
        plate = Plate.of(contours, True)
        if plate is None:
            continue  # a letter without ink of its own
        for width in _widths(letter, number):
            mesh, faces, _ = leaning(plate, width)
            if mesh.open_edges() or mesh.volume() <= 0:
                wrong.append(f"{letter!r} at {width} is open")
            elif len(faces) and faces.max() > 5:
                wrong.append(f"{letter!r} at {width} leans by {faces.max():.0f} degrees")
    return wrong


class EveryLetter(unittest.TestCase):
    """Every letter of every shipped font, some 4,500 solids made by all cores (24,000 with ``./zeitbild test --thorough``)."""

    def test_every_letter_of_every_font_is_closed_and_leans_as_the_distance_field(self) -> None:
        tasks = [(key, part) for key in SHIPPED for part in range(4)]
        with ProcessPoolExecutor(mp_context=multiprocessing.get_context("spawn")) as pool:
            found = pool.map(wrong_letters, *zip(*tasks, strict=True), [4] * len(tasks))
            for (key, _), wrong in zip(tasks, found, strict=True):
                with self.subTest(font=key):
                    self.assertEqual(wrong, [])


class Shape(unittest.TestCase):
    def test_volume_without_bevel_is_area_times_depth(self) -> None:
        # Cavalieri; the outline's area comes from an independent geometry library.
        for key, word in (("lato-black", "Kap"), ("dancing-script", "Morgen"), ("roboto-slab", "B8")):
            contours = _contours(key, word)
            # Non-zero winding for fonts whose holes run against their outlines.
            rings = [Polygon(contour.points) for contour in contours]
            solid = unary_union([ring.buffer(0) for ring in rings if ring.exterior.is_ccw == rings[0].exterior.is_ccw])
            holes = unary_union([ring.buffer(0) for ring in rings if ring.exterior.is_ccw != rings[0].exterior.is_ccw])
            area = solid.difference(holes).area
            volume = extrude(contours, 37, Bevel(width=0)).volume()
            self.assertLess(abs(volume / (area * 37) - 1), 1e-5)

    def test_volume_of_a_bevelled_square_is_a_frustum(self) -> None:
        # Prism 100 x 100 x 60 between two frustums from 100 to 80, each 10 high: h/3 (A + B + sqrt(A B)).
        mesh = extrude([SQUARE], 80, Bevel("flat", 10, 1, "both"))
        self.assertAlmostEqual(mesh.volume(), 100 * 100 * 60 + 2 * 10 / 3 * (10_000 + 6_400 + 8_000), delta=0.1)

    def test_volume_under_a_flat_bevel_is_the_integral_of_the_offsets_area(self) -> None:
        # Cavalieri again: at each height the solid is the outline moved inwards, by an independent geometry library.
        for key, word, width in (("eb-garamond", "g", 6.0), ("lato-black", "S", 30.0)):
            contours = _contours(key, word)
            rings = [Polygon(contour.points) for contour in contours]
            ink = rings[0]
            for ring in rings[1:]:
                ink = ink.symmetric_difference(ring)
            heights = (np.arange(200) + 0.5) / 200 * width
            bevel = np.mean([shapely.buffer(ink, -height, quad_segs=64).area for height in heights]) * width
            mesh = extrude(contours, 2 * width, Bevel("flat", width, 1, "front"))
            self.assertLess(abs(mesh.volume() / (ink.area * width + bevel) - 1), 2e-4, key)

    def test_all_profiles_on_all_sides_are_closed(self) -> None:
        contours = _contours("eb-garamond", "Rä&")
        for profile in ("flat", "round", "hollow", "stepped"):
            for sides in ("none", "front", "back", "both"):
                for steps in (1, 3, 7):
                    mesh = extrude(contours, 40, Bevel(profile, 6, steps, sides))  # type: ignore[arg-type]
                    self.assertEqual(mesh.open_edges(), 0, (profile, sides, steps))
                    self.assertGreater(mesh.volume(), 0)

    def test_bevels_keep_silhouette_and_depth(self) -> None:
        contours = _contours("lato-black", "Kap")
        plain = extrude(contours, 40, Bevel(width=0)).vertices
        bevelled = extrude(contours, 40, Bevel("round", 6, 4, "both")).vertices
        np.testing.assert_allclose(plain.min(axis=0), bevelled.min(axis=0), atol=1e-6)
        np.testing.assert_allclose(plain.max(axis=0), bevelled.max(axis=0), atol=1e-6)

    def test_the_ink_centre_is_the_origin(self) -> None:
        for word in ("j", "Äg", "."):
            vertices = extrude(_contours("eb-garamond", word), 30, Bevel()).vertices
            np.testing.assert_allclose(vertices.min(axis=0), -vertices.max(axis=0), atol=1e-6)

    def test_a_bevel_wider_than_the_stroke_makes_a_ridge(self) -> None:
        thin = np.array([[0, 0], [100, 0], [100, 10], [0, 10]], dtype=float)
        mesh = extrude([thin], 40, Bevel("flat", 20, 1, "front"))
        self.assertEqual(mesh.open_edges(), 0)
        front = mesh.vertices[mesh.triangles[mesh.parts == BEVEL]]
        # The ridge stands where the two sides meet, 5 in, a quarter of the bevel's height of 20 above its foot.
        self.assertAlmostEqual(front[..., 2].max() - front[..., 2].min(), 5, delta=1e-3)
        # A roof: two long faces, two hips, and nothing flat on top.
        self.assertEqual(len(front), 6)
        self.assertEqual(int(((mesh.parts == FACE) & (mesh.normals[:, 0, 2] > 0.5)).sum()), 0)

    def test_overlapping_letters_of_a_script_hand_become_one(self) -> None:
        contours = _contours("dancing-script", "mn")
        mesh = extrude(contours, 30, Bevel(width=0))
        face = mesh.triangles[(mesh.parts == FACE) & (mesh.patches == 0)]
        corners = mesh.vertices[face][..., :2]
        a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
        area = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() / 2
        union = unary_union([Polygon(contour.points).buffer(0) for contour in contours]).area
        self.assertLess(area, union * 1.0001)

    def test_contours_that_touch_in_a_point_stay_closed(self) -> None:
        diamond = np.array([[0, -20], [20, 0], [0, 20], [-20, 0]], dtype=float)
        for contours in ([diamond, diamond + (40, 0)], [SQUARE, diamond[::-1] * 0.5 + (10, 50)]):
            for width in (1.0, 15.0, 60.0):
                mesh = extrude(contours, 300, Bevel("round", width, 3, "both"))
                self.assertEqual(mesh.open_edges() - _touching(mesh), 0, width)
                self.assertGreater(mesh.volume(), 0)

    def test_random_polygons_are_closed(self) -> None:
        # Filled by the non-zero rule, most of them cross themselves many times.
        generator = np.random.default_rng(5)
        for attempt in range(60):
            points = generator.normal(size=(3 + attempt % 20, 2)) * 50
            if attempt % 3 == 0:
                points = np.round(points / 10) * 10  # many corners coincide, many edges lie on one line
            try:
                mesh = extrude([points], 500, Bevel("round", float(generator.uniform(0.1, 40)), 2, "front"))
            except InputError:
                continue
            self.assertEqual(mesh.open_edges() - _touching(mesh), 0, attempt)

    def test_nothing_but_spaces_has_no_ink(self) -> None:
        with self.assertRaises(InputError):
            extrude([], 10, Bevel())
        self.assertIsNone(Plate.of([Contour.of_polyline(np.zeros((4, 2)))], True))


def _touching(mesh: Mesh) -> int:
    """Edges that upright walls share where contours touch in a point: four walls meet in one line, closed all the same."""
    edges = np.concatenate([mesh.triangles[:, [0, 1]], mesh.triangles[:, [1, 2]], mesh.triangles[:, [2, 0]]])
    size = np.int64(len(mesh.vertices))
    keys, counts = np.unique(edges[:, 0].astype(np.int64) * size + edges[:, 1], return_counts=True)
    there = dict(zip(keys.tolist(), counts.tolist(), strict=True))
    doubled = 0
    for key, count in there.items():
        if count > 1 and there.get(key % size * size + key // size) == count:
            doubled += 1
    return doubled


class Normals(unittest.TestCase):
    def setUp(self) -> None:
        turn = np.linspace(0, 2 * np.pi, 96, endpoint=False)
        self.disc = np.column_stack([np.cos(turn), np.sin(turn)]) * 100

    def test_normals_are_unit_and_lean_with_their_triangles(self) -> None:
        for profile in ("flat", "round", "hollow", "stepped"):
            mesh = extrude(_contours("comfortaa", "aG"), 40, Bevel(profile, 6, 3, "both"))  # type: ignore[arg-type]
            np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=2), 1, atol=1e-5)
            a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
            flat = np.cross(b - a, c - a)
            area = np.linalg.norm(flat, axis=1)
            agree = np.einsum("ij,ikj->ik", flat / np.maximum(area, 1e-12)[:, None], mesh.normals)
            # Slivers may lean oddly; what can be seen may not face away from its normals.
            self.assertGreater(agree[area > 0.1].min(), 0, profile)

    def test_steps_and_walls_are_surfaces_of_their_own(self) -> None:
        """What is shaded as one surface is not at two heights: in between is the inside of the letter, where everything is in shadow."""
        for sides in ("front", "both"):
            mesh = extrude(_contours("eb-garamond", "ag"), 40, Bevel("stepped", 8, 3, sides))  # type: ignore[arg-type]
            for patch in np.unique(mesh.patches):
                chosen = mesh.patches == patch
                heights = np.unique(mesh.vertices[mesh.triangles[chosen]][..., 2].round(6))
                level = np.abs(mesh.normals[chosen][..., 2]) > 0.5
                self.assertTrue(level.all() or not level.any(), patch)
                # A step is at one height, a wall between two.
                self.assertEqual(len(heights), 1 if level.all() else 2, patch)
            self.assertGreater(len(np.unique(mesh.patches)), 6)

    def test_shading_normals_are_those_of_the_distance_field_of_the_curves(self) -> None:
        # On fine polylines those of the polyline are those of the curve; at its corners both sides are meant.
        for key, word in (("lato-black", "O"), ("eb-garamond", "g"), ("dancing-script", "S")):
            face = open_face(SHIPPED[key].path.read_bytes(), key)
            plate = Plate.of(outlines(shape(word, face), face, SIZE, 2e-5), True)
            assert plate is not None
            for width in (1.0, 6.0, 30.0):
                _, _, shading = leaning(plate, width)
                self.assertLess(np.percentile(shading, 99.5), 2.0, (key, width))
                self.assertLess(shading.max(), 5.0, (key, width))

    def test_a_round_bevel_of_a_disc_has_the_normals_of_a_torus(self) -> None:
        mesh = extrude([self.disc], 40, Bevel("round", 10, 8, "front"))
        chosen = mesh.parts == BEVEL
        points = mesh.vertices[mesh.triangles[chosen]]
        radius = np.linalg.norm(points[..., :2], axis=2, keepdims=True)
        ring = points[..., :2] / radius * 90
        outward = points - np.concatenate([ring, np.full_like(radius, 10)], axis=2)
        outward /= np.linalg.norm(outward, axis=2, keepdims=True)
        error = np.degrees(np.arccos(np.clip((outward * mesh.normals[chosen]).sum(axis=2), -1, 1)))
        # 96 corners stand 3.75 degrees apart, and the chords' middles stand inside the disc.
        self.assertLess(np.percentile(error, 99), 1.0)

    def test_walls_are_smooth_along_curves_and_split_at_corners(self) -> None:
        round_wall = extrude([self.disc], 40, Bevel(width=0))
        side = round_wall.parts == SIDE
        points = round_wall.vertices[round_wall.triangles[side]][..., :2]
        np.testing.assert_allclose(round_wall.normals[side][..., :2], points / 100, atol=0.01)
        square = extrude([SQUARE], 40, Bevel(width=0))
        normals = np.unique(np.abs(square.normals[square.parts == SIDE].reshape(-1, 3)).round(5), axis=0)
        np.testing.assert_array_equal(normals, [[0, 1, 0], [1, 0, 0]])

    def test_ridges_are_sharp_and_the_way_round_a_corner_inside_is_smooth(self) -> None:
        # An L: its one corner inside has a wedge of the bevel, its five outside have hips.
        corner = np.array([[0, 0], [90, 0], [90, 30], [30, 30], [30, 90], [0, 90]], dtype=float)
        mesh = extrude([corner], 40, Bevel("flat", 10, 1, "front"))
        bevel = mesh.parts == BEVEL
        patches = {
            tuple(
                np.unique(np.abs(mesh.normals[bevel & (mesh.patches == patch)][..., :2]).round(3) > 0.01, axis=0)
                .any(0)
                .any(0)
            )
            for patch in np.unique(mesh.patches[bevel])
        }
        self.assertIn((True, True), patches)
        # Four single sides and one that runs round the corner inside.
        self.assertEqual(len(np.unique(mesh.patches[bevel])), 5)
