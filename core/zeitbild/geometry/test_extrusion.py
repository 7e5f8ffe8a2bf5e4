"""Extruded lettering: closed for every letter of every shipped font, right in volume, smooth where it should be."""

import multiprocessing
import unicodedata
import unittest
from concurrent.futures import ProcessPoolExecutor
from typing import Any

import numpy as np
from fontTools.ttLib import TTFont
from shapely.geometry import Polygon
from shapely.ops import unary_union

from zeitbild.errors import InputError
from zeitbild.fonts import SHIPPED
from zeitbild.geometry.extrusion import BEVEL, FACE, SIDE, Bevel, extrude
from zeitbild.geometry.font import open_face
from zeitbild.geometry.shaping import outlines, shape

SIZE = 200.0
WIDTHS = (0.0, 1.0, 4.0, 10.0, 25.0)
SQUARE = np.array([[0, 0], [100, 0], [100, 100], [0, 100]], dtype=float)


def _contours(key: str, word: str) -> list[Any]:
    font = SHIPPED[key]
    face = open_face(font.path.read_bytes(), font.title)
    return outlines(shape(word, face), face, SIZE)


def _letters(key: str) -> list[str]:
    cmap = TTFont(SHIPPED[key].path).getBestCmap()
    letters = [chr(code) for code in cmap if unicodedata.category(chr(code)).startswith("L")]
    latin = [letter for letter in letters if "LATIN" in unicodedata.name(letter, "")]
    # A font without Latin letters is tried with those of its own script.
    return latin or letters


def open_letters(key: str) -> list[str]:
    """Letters of a font that do not give a closed solid with positive volume at every bevel width."""
    wrong = []
    for letter in _letters(key):
        contours = _contours(key, letter)
        if not contours:
            continue  # a letter without ink of its own
        for width in WIDTHS:
            mesh = extrude(contours, 40, Bevel("flat", width, 1, "both"))
            if mesh.open_edges() or mesh.volume() <= 0:
                wrong.append(f"{letter!r} at {width}")
    return wrong


class Closed(unittest.TestCase):
    """Every letter of every shipped font at five bevel widths: some 17,000 solids, made by all cores."""

    def test_every_letter_of_every_font(self) -> None:
        # The fonts with the most letters first, so that no process is left alone at the end.
        keys = sorted(SHIPPED, key=lambda key: -len(_letters(key)))
        with ProcessPoolExecutor(mp_context=multiprocessing.get_context("spawn")) as pool:
            wrong = dict(zip(keys, pool.map(open_letters, keys), strict=True))
        for key in SHIPPED:
            with self.subTest(font=key):
                self.assertEqual(wrong[key], [])


class Shape(unittest.TestCase):
    def test_volume_without_bevel_is_area_times_depth(self) -> None:
        # Cavalieri; the outline's area comes from an independent geometry library.
        for key, word in (("lato-black", "Kap"), ("dancing-script", "Morgen"), ("roboto-slab", "B8")):
            contours = _contours(key, word)
            # Non-zero winding for fonts whose holes run against their outlines.
            rings = [Polygon(contour) for contour in contours]
            solid = unary_union([ring.buffer(0) for ring in rings if ring.exterior.is_ccw == rings[0].exterior.is_ccw])
            holes = unary_union([ring.buffer(0) for ring in rings if ring.exterior.is_ccw != rings[0].exterior.is_ccw])
            area = solid.difference(holes).area
            volume = extrude(contours, 37, Bevel(width=0)).volume()
            self.assertLess(abs(volume / (area * 37) - 1), 1e-5)

    def test_volume_of_a_bevelled_square_is_a_frustum(self) -> None:
        # Prism 100 x 100 x 60 between two frustums from 100 to 80, each 10 high: h/3 (A + B + sqrt(A B)).
        mesh = extrude([SQUARE], 80, Bevel("flat", 10, 1, "both"))
        self.assertAlmostEqual(mesh.volume(), 100 * 100 * 60 + 2 * 10 / 3 * (10_000 + 6_400 + 8_000), delta=1)

    def test_all_profiles_on_all_sides_are_closed(self) -> None:
        contours = _contours("eb-garamond", "Rä&")
        for profile in ("flat", "round", "hollow", "stepped"):
            for sides in ("none", "front", "back", "both"):
                for steps in (1, 3, 7):
                    mesh = extrude(contours, 40, Bevel(profile, 6, steps, sides))  # type: ignore[arg-type]
                    self.assertEqual(mesh.open_edges(), 0, (profile, sides, steps))

    def test_bevels_keep_silhouette_and_depth(self) -> None:
        contours = _contours("lato-black", "Kap")
        plain = extrude(contours, 40, Bevel(width=0)).vertices
        bevelled = extrude(contours, 40, Bevel("round", 6, 4, "both")).vertices
        np.testing.assert_allclose(plain.min(axis=0), bevelled.min(axis=0), atol=1e-6)
        np.testing.assert_allclose(plain.max(axis=0), bevelled.max(axis=0), atol=1e-6)

    def test_the_ink_centre_is_the_origin(self) -> None:
        for word in ("j", "Äg", "."):
            vertices = extrude(_contours("eb-garamond", word), 30, Bevel()).vertices
            np.testing.assert_allclose(vertices.min(axis=0), -vertices.max(axis=0), atol=1e-9)

    def test_a_bevel_wider_than_the_stroke_makes_a_ridge(self) -> None:
        thin = np.array([[0, 0], [100, 0], [100, 10], [0, 10]], dtype=float)
        mesh = extrude([thin], 40, Bevel("flat", 20, 1, "front"))
        self.assertEqual(mesh.open_edges(), 0)
        front = mesh.vertices[mesh.triangles[mesh.parts == BEVEL]]
        # The ridge stands where the two sides meet, 5 in: near a quarter of the bevel's height of 20 above its foot.
        self.assertAlmostEqual(front[..., 2].max() - front[..., 2].min(), 5, delta=1.1)

    def test_overlapping_letters_of_a_script_hand_become_one(self) -> None:
        contours = _contours("dancing-script", "mn")
        mesh = extrude(contours, 30, Bevel(width=0))
        face = mesh.triangles[(mesh.parts == FACE) & (mesh.patches == 0)]
        corners = mesh.vertices[face][..., :2]
        a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
        area = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() / 2
        union = unary_union([Polygon(contour).buffer(0) for contour in contours]).area
        self.assertLess(area, union * 1.0001)

    def test_nothing_but_spaces_has_no_ink(self) -> None:
        with self.assertRaises(InputError):
            extrude([], 10, Bevel())


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
            self.assertGreater(agree[area > 1].min(), 0, profile)

    def test_a_round_bevel_of_a_disc_has_the_normals_of_a_torus(self) -> None:
        mesh = extrude([self.disc], 40, Bevel("round", 10, 8, "front"))
        chosen = mesh.parts == BEVEL
        points = mesh.vertices[mesh.triangles[chosen]]
        radius = np.linalg.norm(points[..., :2], axis=2, keepdims=True)
        ring = points[..., :2] / radius * 90
        outward = points - np.concatenate([ring, np.full_like(radius, 10)], axis=2)
        outward /= np.linalg.norm(outward, axis=2, keepdims=True)
        error = np.degrees(np.arccos(np.clip((outward * mesh.normals[chosen]).sum(axis=2), -1, 1)))
        # 96 corners stand 3.75 degrees apart, so directions along the rim are off by up to half of that.
        self.assertLess(np.percentile(error, 99), 2.5)

    def test_walls_are_smooth_along_curves_and_split_at_corners(self) -> None:
        round_wall = extrude([self.disc], 40, Bevel(width=0))
        side = round_wall.parts == SIDE
        points = round_wall.vertices[round_wall.triangles[side]][..., :2]
        np.testing.assert_allclose(round_wall.normals[side][..., :2], points / 100, atol=0.01)
        square = extrude([SQUARE], 40, Bevel(width=0))
        normals = np.unique(np.abs(square.normals[square.parts == SIDE].reshape(-1, 3)).round(5), axis=0)
        np.testing.assert_array_equal(normals, [[0, 1, 0], [1, 0, 0]])
