"""Laying pictures over one another, with all that they are made of."""

import unittest
from dataclasses import replace

import numpy as np

from zeitbild.render import QUALITIES, render
from zeitbild.render.finish_row import finish_row
from zeitbild.render.identity import SLOTS, moves_of, numbers_of
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.see_through import Areas, lay_over, see_through_places
from zeitbild.render.shading import PLANES
from zeitbild.resolve import Snapshot, SnapshotElement
from zeitbild.testing import IDENTITY, MATT_WHITE, quad, snapshot, sphere


def _picture(colour: float, alpha: float, depth: float, numbers: list[tuple[int, float]]) -> Picture:
    """One pixel, its colour premultiplied."""
    identities = np.full((1, 1, 2, SLOTS, 2), (-1, 0), np.float32)
    for slot, held in enumerate(numbers):
        identities[0, 0, :, slot] = held
    return Picture(
        np.array([[[colour * alpha] * 3 + [alpha]]], np.float32),
        np.array([[depth]], np.float32),
        np.full((1, 1, PLANES), colour * alpha, np.float32),
        {"Key": np.full((1, 1, 3), colour * alpha, np.float32)},
        identities,
    )


def _everywhere(front: Picture) -> Areas:
    """The element covers the whole picture, and nothing opaque stands beside it."""
    return Areas(np.ones_like(front.depth), np.zeros_like(front.depth))


def _over(front: Picture, behind: Picture) -> Picture:
    below = replace(behind, covered=behind.beauty[..., 3].copy())
    lay_over(front, below, _everywhere(front), behind.beauty[..., 3].copy())
    return below


class Over(unittest.TestCase):
    def test_light_coverage_and_every_part_follow_porter_and_duff(self) -> None:
        # Porter and Duff 1984: premultiplied a over b is a + (1 - alpha of a) b.
        behind = _picture(0.8, 0.5, 9, [(0, 0.5)])
        _over(_picture(0.2, 0.25, 4, [(1, 0.25)]), behind)
        expected = 0.2 * 0.25 + 0.75 * 0.8 * 0.5
        np.testing.assert_allclose(behind.beauty[0, 0], [expected] * 3 + [0.25 + 0.75 * 0.5], atol=1e-6)
        assert behind.planes is not None
        np.testing.assert_allclose(behind.planes, expected, atol=1e-6)
        np.testing.assert_allclose(behind.groups["Key"], expected, atol=1e-6)

    def test_depth_is_that_of_the_nearest_surface_that_is_seen(self) -> None:
        for alpha, depth in ((0.25, 4), (0.0, 9)):
            behind = _picture(0.8, 1, 9, [])
            front, below = _picture(0.2, alpha, 4, []), replace(behind, covered=np.ones((1, 1), np.float32))
            seen = np.full((1, 1), float(alpha > 0), np.float32)
            lay_over(front, below, Areas(seen, 1 - seen), np.ones((1, 1), np.float32))
            self.assertEqual(float(behind.depth[0, 0]), depth)
        empty = _picture(0, 0, NO_DEPTH, [])
        _over(_picture(0.2, 0.1, 4, []), empty)
        self.assertEqual(float(empty.depth[0, 0]), 4)

    def test_identities_share_the_pixel_and_the_least_are_left_out(self) -> None:
        behind = _picture(1, 1, 9, [(0, 0.5), (1, 0.3), (2, 0.2)])
        _over(_picture(1, 0.5, 4, [(3, 0.5)]), behind)
        assert behind.identities is not None
        held = behind.identities[0, 0, 0]
        self.assertEqual([int(number) for number in held[:, 0]], [3, 0, 1])
        np.testing.assert_allclose(held[:, 1], (0.5, 0.25, 0.15), atol=1e-6)

    def test_what_is_hidden_wholly_has_no_number_left(self) -> None:
        behind = _picture(1, 1, 9, [(0, 1.0)])
        _over(_picture(1, 1, 4, [(3, 1.0)]), behind)
        assert behind.identities is not None
        self.assertEqual([int(number) for number in behind.identities[0, 0, 1, :, 0]], [3, -1, -1])

    def test_pictures_without_parts_are_laid_over_too(self) -> None:
        bare = Picture(np.ones((2, 2, 4), np.float32), np.ones((2, 2), np.float32))
        front = Picture(np.zeros((2, 2, 4), np.float32), np.full((2, 2), NO_DEPTH, np.float32))
        _over(front, bare)
        self.assertTrue((bare.beauty == 1).all())


class Edges(unittest.TestCase):
    """Areas within a pixel: the alpha of what stands there is a sum of areas times opacities, by hand."""

    def _alpha(self, *parts: tuple[float, float, float, float]) -> np.ndarray:  # type: ignore[type-arg]
        """Alpha of quads, each (left and right end, distance, opacity); all are as high as the picture and more."""
        shot = snapshot(*(quad(1, -depth) for _, _, depth, _ in parts), camera_span=8.0)
        elements = []
        for (left, right, _, opacity), element in zip(parts, shot.elements, strict=True):
            matrix = np.diag([(right - left) / 2, 50.0, 1, 1])
            matrix[0, 3] = (left + right) / 2
            row = finish_row(opacity=opacity)
            elements.append(
                replace(element, matrix=tuple(float(value) for value in matrix.reshape(-1)), finishes=(row,))
            )
        picture = render(replace(shot, elements=tuple(elements)), QUALITIES["final"])
        middle: np.ndarray = picture.beauty[picture.size[1] // 2]  # type: ignore[type-arg]
        return middle

    def setUp(self) -> None:
        # A pixel's width, and a place in the middle of one.
        self.pixel = 8.0 / snapshot(quad(1), camera_span=8.0).width
        self.column = snapshot(quad(1)).width // 2
        self.half = 0.5 * self.pixel

    def test_an_opaque_edge_before_a_clear_plate_is_not_weakened(self) -> None:
        # Half the pixel is opaque, the plate of opacity 0.4 fills it: 0.5 + 0.5 * 0.4.
        row = self._alpha((-3, self.half, 0, 1.0), (-4, 4, 2, 0.4))
        self.assertAlmostEqual(float(row[self.column, 3]), 0.5 + 0.5 * 0.4, delta=2e-3)

    def test_an_opaque_edge_behind_a_clear_plate_is_covered_by_it(self) -> None:
        row = self._alpha((-3, self.half, 2, 1.0), (-4, 4, 0, 0.4))
        self.assertAlmostEqual(float(row[self.column, 3]), 0.5 + 0.5 * 0.4, delta=2e-3)

    def test_a_clear_edge_over_an_opaque_wall(self) -> None:
        row = self._alpha((-4, 4, 2, 1.0), (-3, self.half, 0, 0.4))
        self.assertAlmostEqual(float(row[self.column, 3]), 1, delta=1e-5)

    def test_two_clear_plates_before_each_other(self) -> None:
        row = self._alpha((-4, 4, 2, 0.5), (-4, 4, 0, 0.4))
        self.assertAlmostEqual(float(row[self.column, 3]), 1 - 0.5 * 0.6, delta=1e-4)


class Order(unittest.TestCase):
    def _shot(self, *opacities: float) -> Snapshot:
        shot = snapshot(*(quad(1, -float(number)) for number in range(len(opacities))))
        rows = [finish_row(opacity=opacity) for opacity in opacities]
        return replace(
            shot, elements=tuple(replace(one, finishes=(row,)) for one, row in zip(shot.elements, rows, strict=True))
        )

    def test_far_ones_come_first_and_opaque_ones_not_at_all(self) -> None:
        self.assertEqual(see_through_places(self._shot(0.5, 1.0, 0.5, 0.9)), (3, 2, 0))
        self.assertEqual(see_through_places(self._shot(1.0, 1.0)), ())

    def test_elements_at_one_distance_keep_their_order(self) -> None:
        shot = snapshot(sphere(1, 8), sphere(1, 8))
        veil = tuple(replace(one, finishes=(finish_row(opacity=0.5),)) for one in shot.elements)
        self.assertEqual(see_through_places(replace(shot, elements=veil)), (0, 1))

    def test_where_an_element_stands_decides_not_where_its_mesh_lies(self) -> None:
        shot = self._shot(0.5, 0.5)
        nearer = np.eye(4)
        nearer[2, 3] = 5
        moved = replace(shot.elements[1], matrix=tuple(float(value) for value in nearer.reshape(-1)))
        self.assertEqual(see_through_places(replace(shot, elements=(shot.elements[0], moved))), (0, 1))


class Numbers(unittest.TestCase):
    def test_finishes_are_numbered_through_all_elements(self) -> None:
        shot = snapshot(quad(1), quad(1))
        two = SnapshotElement("a", IDENTITY, (MATT_WHITE, MATT_WHITE))
        self.assertEqual(numbers_of(replace(shot, elements=(two, shot.elements[1]))), [(0, 0), (0, 1), (1, 2)])

    def test_what_stands_has_moves_that_project_it_where_it_is(self) -> None:
        for span in (0.0, 6.0):
            shot = snapshot(quad(1), camera_span=span)
            (move,) = moves_of(shot)
            points = np.random.default_rng(2).uniform(-1, 1, (20, 3))
            found = points @ move[:, :3].T + move[:, 3]
            np.testing.assert_allclose(found, shot.camera.project(points), atol=1e-9)

    def test_flattened_elements_count_as_standing(self) -> None:
        flat = np.diag([1.0, 0, 1, 1])
        shot = snapshot(quad(1), after=(IDENTITY,))
        element = replace(shot.elements[0], matrix=tuple(float(value) for value in flat.reshape(-1)))
        moves = moves_of(replace(shot, elements=(element,)))
        self.assertTrue(np.isfinite(moves).all())

    def test_parts_of_a_set_keep_their_lights_and_ways(self) -> None:
        shot = snapshot(quad(1), quad(2), quad(3), after=(IDENTITY, IDENTITY, tuple(range(16))))
        part = shot.only((2, 0))
        self.assertEqual([mesh.vertices.max() for mesh in part.meshes], [3, 1])
        self.assertEqual(part.after, (tuple(range(16)), IDENTITY))
        self.assertEqual(shot.only(()).elements, ())
