"""Laying pictures over one another, with all that they are made of."""

import unittest
from dataclasses import replace
from typing import Any

import numpy as np

from zeitbild.render import QUALITIES, render, stage
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.rays.patterns import veil_bits
from zeitbild.render.shade.shading import EMISSION, PLANES
from zeitbild.render.visible.areas import Areas
from zeitbild.render.visible.identity import SLOTS, moves_of, numbers_of
from zeitbild.render.visible.pieces import groups_apart, see_through_places
from zeitbild.render.visible.see_through import lay_over
from zeitbild.render.world.ray_scene import TWICE, bits_of
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import finish_row
from zeitbild.snapshot.lights import LightSource
from zeitbild.testing import EVEN, IDENTITY, MATT_WHITE, dressed, going, quad, snapshot, sphere


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
        self.assertEqual([int(number) for number in held[:, 0]], [3, 0, 1, 2])
        np.testing.assert_allclose(held[:, 1], (0.5, 0.25, 0.15, 0.1), atol=1e-6)

    def test_what_is_hidden_wholly_has_no_number_left(self) -> None:
        behind = _picture(1, 1, 9, [(0, 1.0)])
        _over(_picture(1, 1, 4, [(3, 1.0)]), behind)
        assert behind.identities is not None
        self.assertEqual([int(number) for number in behind.identities[0, 0, 1, :, 0]], [3, -1, -1, -1])

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
        for (left, right, _, opacity), element in zip(parts, shot.bodies, strict=True):
            matrix = np.diag([(right - left) / 2, 50.0, 1, 1])
            matrix[0, 3] = (left + right) / 2
            row = finish_row(opacity=opacity)
            elements.append(
                replace(element, matrix=tuple(float(value) for value in matrix.reshape(-1)), finishes=(row,))
            )
        picture = render(replace(shot, bodies=tuple(elements)), QUALITIES["final"])
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
            shot, bodies=tuple(replace(one, finishes=(row,)) for one, row in zip(shot.bodies, rows, strict=True))
        )

    def test_far_ones_come_first_and_opaque_ones_not_at_all(self) -> None:
        self.assertEqual(see_through_places(self._shot(0.5, 1.0, 0.5, 0.9)), (3, 2, 0))
        self.assertEqual(see_through_places(self._shot(1.0, 1.0)), ())

    def test_elements_at_one_distance_keep_their_order(self) -> None:
        shot = snapshot(sphere(1, 8), sphere(1, 8))
        veil = tuple(replace(one, finishes=(finish_row(opacity=0.5),)) for one in shot.bodies)
        self.assertEqual(see_through_places(replace(shot, bodies=veil)), (0, 1))

    def test_where_an_element_stands_decides_not_where_its_mesh_lies(self) -> None:
        shot = self._shot(0.5, 0.5)
        nearer = np.eye(4)
        nearer[2, 3] = 5
        moved = replace(shot.bodies[1], matrix=tuple(float(value) for value in nearer.reshape(-1)))
        self.assertEqual(see_through_places(replace(shot, bodies=(shot.bodies[0], moved))), (0, 1))


class Numbers(unittest.TestCase):
    def test_finishes_are_numbered_through_all_elements(self) -> None:
        shot = snapshot(quad(1), quad(1))
        two = replace(shot.bodies[0], finishes=(MATT_WHITE, MATT_WHITE))
        self.assertEqual(numbers_of(replace(shot, bodies=(two, shot.bodies[1]))), [(0, 0), (0, 1), (1, 2)])
        # Bodies of one element have its numbers, also where names tell of one that has no body now.
        parts = tuple(replace(two, id=f"lamp/{part}") for part in ("foot", "arm"))
        shot = replace(shot, bodies=(*parts, shot.bodies[1]))
        self.assertEqual(numbers_of(shot), [(0, 0), (0, 1), (0, 0), (0, 1), (1, 2)])
        named = tuple(
            (name, name, (("surface", name),) * count) for name, count in (("gone", 3), ("lamp", 2), ("1", 1))
        )
        self.assertEqual(numbers_of(replace(shot, names=named)), [(1, 3), (1, 4), (1, 3), (1, 4), (2, 5)])

    def test_a_pixel_that_two_bodies_of_one_element_share_is_that_elements(self) -> None:
        # Two squares that meet in the middle of a pixel.
        shot = snapshot(*(quad(1.0) for _ in range(2)), size=(65, 65), camera_span=6.5)
        sides = []
        for body, side in zip(shot.bodies, (-1.0, 1.0), strict=True):
            matrix = np.eye(4)
            matrix[0, 3] = side
            sides.append(replace(body, id=f"lamp/{side:g}", matrix=tuple(matrix.reshape(-1).tolist())))
        picture = render(replace(shot, bodies=tuple(sides)), QUALITIES["final"], planes=True)
        assert picture.identities is not None
        held = picture.identities[32, 32]
        np.testing.assert_allclose(held[:, 0], [[0, 1], [0, 1]], atol=1e-4)
        self.assertEqual(float(held[:, 1:, 1].max()), 0)

    def test_what_stands_has_moves_that_project_it_where_it_is(self) -> None:
        for span in (0.0, 6.0):
            shot = snapshot(quad(1), camera_span=span)
            (move,) = moves_of(shot)
            points = np.random.default_rng(2).uniform(-1, 1, (20, 3))
            found = points @ move[:, :3].T + move[:, 3]
            np.testing.assert_allclose(found, shot.camera.project(points), atol=1e-9)

    def test_flattened_elements_count_as_standing(self) -> None:
        flat = np.diag([1.0, 0, 1, 1])
        shot = going(snapshot(quad(1)), IDENTITY)
        element = replace(shot.bodies[0], matrix=tuple(float(value) for value in flat.reshape(-1)))
        moves = moves_of(replace(shot, bodies=(element,)))
        self.assertTrue(np.isfinite(moves).all())

    def test_parts_of_a_set_keep_their_lights_and_ways(self) -> None:
        far = tuple(float(one) for one in range(16))
        shot = going(snapshot(quad(1), quad(2), quad(3)), IDENTITY, IDENTITY, far)
        part = shot.only((2, 0))
        self.assertEqual([mesh.vertices.max() for mesh in part.built_meshes], [3, 1])
        self.assertEqual([body.after for body in part.bodies], [far, IDENTITY])
        self.assertEqual(shot.only(()).bodies, ())


FRONT = LightSource("sun", (1.0, 1.0, 1.0), direction=(0, 0, -1))
ASIDE = LightSource("sun", (1.0, 1.0, 1.0), direction=(-0.5, 0, -1), shadows=True)


class Stages(unittest.TestCase):
    """Sets that stand the same and let other shares through have one scene, and rays of their own."""

    def _shot(self, opacity: float) -> Snapshot:
        shot = snapshot(quad(3, 0), quad(1, 1), lights=(ASIDE,), size=(96, 96))
        veil = finish_row((0.9, 0.4, 0.2), 0.6, 0.0, opacity=opacity)
        return replace(shot, bodies=(shot.bodies[0], replace(shot.bodies[1], form=_SQUARE, finishes=(veil,))))

    def test_a_picture_is_the_same_whatever_was_drawn_before_it(self) -> None:
        stage._last.clear()
        clear, dense = self._shot(0.25), self._shot(0.75)
        clear = replace(clear, bodies=(dense.bodies[0], clear.bodies[1]))
        first, second = stage.stage_of(clear), stage.stage_of(dense)
        self.assertIs(first.scene, second.scene)
        self.assertIsNot(first.rays, second.rays)
        both = [render(one, QUALITIES["check"]).beauty for one in (clear, dense)]
        # The shadow behind it is as deep as it is opaque.
        self.assertGreater(float(np.abs(both[0] - both[1]).max()), 0.3)
        for one, together in zip((clear, dense), both, strict=True):
            stage._last.clear()
            np.testing.assert_array_equal(render(one, QUALITIES["check"]).beauty, together)


_SQUARE = quad(1, 1)


class Groups(unittest.TestCase):
    """See-through elements that lie apart in the picture are drawn together."""

    def _cards(self, *places: tuple[float, float, float], size: float = 0.4) -> Snapshot:
        meshes = [quad(size) for _ in places]
        shot = snapshot(*meshes, lights=(FRONT,), size=(160, 160))
        veil = finish_row((0.9, 0.4, 0.2), 0.6, 0.0, opacity=0.5)
        elements = []
        for one, (x, y, z) in zip(shot.bodies, places, strict=True):
            matrix = np.eye(4)
            matrix[:3, 3] = x, y, z
            elements.append(replace(one, matrix=tuple(matrix.reshape(-1).tolist()), finishes=(veil,)))
        return replace(shot, bodies=tuple(elements))

    def test_those_apart_share_a_group_and_those_that_meet_keep_their_order(self) -> None:
        shot = self._cards((-2, 0, -1), (2, 0, 0), (-2, 0, 1), (0, 2, 2))
        order = see_through_places(shot)
        self.assertEqual(order, (0, 1, 2, 3))
        same = dict.fromkeys(order, "shown")
        alone = [(place,) for place in order]
        self.assertEqual(groups_apart(shot, alone, same), [[(0,), (1,), (3,)], [(2,)]])
        roles = {**same, 1: "hold-out"}
        for group in groups_apart(shot, alone, roles):
            self.assertEqual(len({roles[place] for (place,) in group}), 1)
        # What reaches behind the eye may be anywhere.
        self.assertEqual(len(groups_apart(self._cards((-2, 0, -1), (2, 0, 10)), [(0,), (1,)], same)), 2)

    def test_together_they_look_as_each_alone(self) -> None:
        places = [(x, y, 0.3 * (x + y)) for x in (-2.0, -0.5, 1.0) for y in (-1.5, 0.2, 1.7)]
        for quality in ("check", "final"):
            together = render(self._cards(*places), QUALITIES[quality])
            alone = [render(self._cards(place), QUALITIES[quality]).beauty for place in places]
            np.testing.assert_allclose(together.beauty, np.sum(alone, axis=0), atol=2e-6)

    def test_many_are_over_one_another_as_porter_and_duff_say(self) -> None:
        # Ten cards of opacity 1/2 one behind the other: alpha is 1 - 2^-10.
        shot = self._cards(*((0.0, 0.0, 0.2 * number) for number in range(10)))
        picture = render(shot, QUALITIES["check"])
        self.assertAlmostEqual(float(picture.beauty[80, 80, 3]), 1 - 2**-10, delta=1e-5)


class Mirrored(unittest.TestCase):
    """Mirrors show see-through surfaces over what is behind them (Porter and Duff 1984), against what is worked out by hand."""

    RED, BLUE = (0.9, 0.1, 0.05), (0.05, 0.2, 0.8)

    def _seen(self, *cards: tuple[float, tuple[float, float, float], float]) -> np.ndarray:  # type: ignore[type-arg]
        """What a mirror wall shows of unlit cards before it (distance, colour, opacity), which the camera looks past."""
        shot = snapshot(quad(6), *(quad(2.5, z) for z, _, _ in cards), size=(96, 96), eye=(11, 0, 9), angle=60)
        rows = [finish_row(colour, unlit=True, opacity=opacity) for _, colour, opacity in cards]
        shot = dressed(shot, finish_row((1.0, 1.0, 1.0), 0.0, 1.0), *rows)
        return render(replace(shot, bounces=1, environment=EVEN), QUALITIES["final"]).beauty

    def _middle(self, beauty: np.ndarray, z: float) -> np.ndarray:  # type: ignore[type-arg]
        # The mirror image of a card's middle in the plane z = 0.
        camera = snapshot(quad(1), size=(96, 96), eye=(11, 0, 9), angle=60).camera
        x, y, w = camera.project(np.array([[0, 0, -z]]))[0]
        return beauty[int(y / w), int(x / w), :3]  # type: ignore[no-any-return]

    def test_a_card_before_even_surroundings(self) -> None:
        # A perfect mirror of an even white room is white, but for the hundredth that the table of its lobe loses.
        white = self._middle(self._seen((4.0, self.RED, 0.0)), 4.0)
        np.testing.assert_allclose(white, 1, atol=0.03)
        for opacity in (0.25, 0.5, 0.8, 1.0):
            found = self._middle(self._seen((4.0, self.RED, opacity)), 4.0)
            expected = opacity * np.array(self.RED) * white + (1 - opacity) * white
            np.testing.assert_allclose(found, expected, atol=0.02)

    def test_a_card_before_another(self) -> None:
        for near, far in ((0.4, 1.0), (0.4, 0.7)):
            found = self._middle(self._seen((3.0, self.RED, near), (3.2, self.BLUE, far)), 3.0)
            behind = far * np.array(self.BLUE) + (1 - far)
            np.testing.assert_allclose(found, near * np.array(self.RED) + (1 - near) * behind, atol=0.03)

    def test_of_a_mirror_in_a_mirror(self) -> None:
        # Two mirrors that face each other with a veil between them: finite, and no brighter than the room.
        shot = snapshot(quad(6), quad(6, 8), quad(2, 3), size=(64, 64), eye=(4, 1, 6), angle=50)
        mirror = finish_row((1.0, 1.0, 1.0), 0.0, 1.0)
        shot = dressed(shot, mirror, mirror, finish_row(self.RED, unlit=True, opacity=0.5))
        beauty = render(replace(shot, bounces=3, environment=EVEN), QUALITIES["check"]).beauty
        self.assertTrue(np.isfinite(beauty).all())
        self.assertLess(float(beauty[..., :3].max()), 1.05)
        self.assertGreater(float(beauty[beauty[..., 3] == 1][:, :3].min()), 0)


class Veils(unittest.TestCase):
    """Rays meet see-through surfaces as often as these are opaque."""

    def test_bits_are_as_many_as_a_surface_is_opaque(self) -> None:
        def stopped(bits: int) -> int:
            return bits.bit_count() + (bits >> TWICE & 1)

        for number in range(6):
            for opacity, count in ((0.0, 0), (0.03, 1), (0.5, 16), (0.97, 31), (1.0, 32), (0.34, 11)):
                if 0 < count < 2 or count == 31:
                    self.assertAlmostEqual(stopped(bits_of(opacity, number)), count, delta=1)
                else:
                    self.assertEqual(stopped(bits_of(opacity, number)), count, (opacity, number))
        # Two of one opacity do not stop the same rays: a quarter passes both, about.
        passing = [32 - stopped(bits_of(0.5, number) | bits_of(0.5, number + 1)) for number in range(20)]
        self.assertAlmostEqual(sum(passing) / 20, 8, delta=1.5)
        self.assertTrue(all(3 <= one <= 14 for one in passing), passing)

    def test_rays_of_a_pixel_and_of_a_square_carry_bits_of_all_kinds(self) -> None:
        for rays in (1, 2, 4, 8, 16, 32):
            bits = veil_bits(rays).reshape(16, rays)
            if rays > 1:
                counts = [int((bits == 1 << bit).sum()) * 32 // bits.size for bit in range(31)]
                self.assertEqual(counts, [2 if bit == TWICE else 1 for bit in range(31)], rays)
            self.assertGreaterEqual(len(set(bits[:, 0].tolist())), 15, rays)
            for opacity in (0.25, 0.5):
                # Of each pixel's rays a surface stops its share, to the next whole ray.
                stopped = (bits & bits_of(opacity, 5) != 0).sum(axis=1)
                self.assertLessEqual(int(np.abs(stopped - opacity * rays).max()), 1 if rays < 8 else 2, rays)

    def test_a_shadow_is_as_deep_as_what_throws_it_is_opaque(self) -> None:
        light = LightSource("sun", (1.0, 1.0, 1.0), direction=(0, -0.7071, -0.7071), shadows=True)
        for opacity in (0.25, 0.5, 0.8):
            shot = snapshot(quad(4), quad(0.8, 1.5), lights=(light,), size=(160, 160))
            veil = finish_row((1.0, 1.0, 1.0), 1.0, 0.0, opacity=opacity)
            shot = replace(shot, bodies=(shot.bodies[0], replace(shot.bodies[1], finishes=(veil,))))
            lit = render(shot, QUALITIES["final"], planes=True)
            bare = render(replace(shot, bodies=shot.bodies[:1]), QUALITIES["final"])
            assert lit.planes is not None
            # Below the card, where its shadow falls on the wall: 1.5 lower than it stands.
            row, column = 80 + int(1.5 * 160 / (2 * 10 * np.tan(np.radians(20)))), 80
            around = (slice(row - 6, row + 6), slice(column - 6, column + 6))
            share = float(lit.beauty[around][..., 0].mean() / bare.beauty[around][..., 0].mean())
            self.assertAlmostEqual(share, 1 - opacity, delta=0.03)

    def test_the_shadow_of_several_is_even_and_that_of_something_opaque_in_it_sharp(self) -> None:
        light = LightSource("sun", (1.0, 1.0, 1.0), direction=(0, -0.7071, -0.7071), shadows=True)
        heights, opacities = (1.3, 1.5, 1.7), (0.4, 0.5, 0.3)
        shot = snapshot(quad(4), *(quad(0.8, z) for z in heights), quad(0.2, 2.0), lights=(light,), size=(160, 160))
        rows = [finish_row((1.0, 1.0, 1.0), 1.0, 0.0, opacity=one) for one in opacities]
        bodies = [replace(body, finishes=(row,)) for body, row in zip(shot.bodies[1:4], rows, strict=True)]
        pixels = 160 / (2 * 10 * np.tan(np.radians(20)))
        row, column = 80 + int(1.5 * pixels), 80
        for name in ("check", "final"):
            quality = QUALITIES[name]
            bare = render(replace(shot, bodies=shot.bodies[:1]), quality).beauty[..., 0]
            lit = render(replace(shot, bodies=(shot.bodies[0], *bodies)), quality).beauty[..., 0]
            share = (lit / bare)[row - 5 : row + 5, column - 8 : column + 8]
            self.assertAlmostEqual(float(share.mean()), float(np.prod(1 - np.array(opacities))), delta=0.05)
            self.assertLess(float(share.std()), 0.015, name)
            both = render(replace(shot, bodies=(shot.bodies[0], *bodies, shot.bodies[4])), quality).beauty[..., 0]
            across = (both / bare)[80 + int(2.0 * pixels)]
            dark = np.flatnonzero(across < 0.02)
            self.assertAlmostEqual(len(dark), 0.4 * pixels, delta=4)

    def test_it_is_not_in_the_shadow_of_its_own_clear_side(self) -> None:
        # A clear ball lit from behind: light reaches its near side through it.
        light = LightSource("sun", (1.0, 1.0, 1.0), direction=(0, 0, -1), shadows=True)
        shot = snapshot(sphere(1.5), lights=(light,), size=(96, 96))
        clear = finish_row((1.0, 1.0, 1.0), 1.0, 0.0, opacity=0.2)
        picture = render(replace(shot, bodies=(replace(shot.bodies[0], finishes=(clear,)),)), QUALITIES["check"])
        self.assertGreater(float(picture.beauty[48, 48, 0]), 0.15)

    def test_through_the_near_side_the_far_one_is_seen(self) -> None:
        # Light that glows red on one half: seen through the other half of a ball of opacity 1/2.
        glow = finish_row((0.0, 0.0, 0.0), 1.0, 0.0, (1.0, 0.0, 0.0), opacity=0.5)
        shot = snapshot(sphere(1.5), size=(96, 96))
        picture = render(replace(shot, bodies=(replace(shot.bodies[0], finishes=(glow,)),)), QUALITIES["check"])
        np.testing.assert_allclose(picture.beauty[48, 48], (0.75, 0, 0, 0.75), atol=1e-4)


class Rims(unittest.TestCase):
    """An opaque edge within a pixel, and two see-through walls behind it: what is before stays, what is behind is laid over one another."""

    def _pixel(self, *walls: tuple[float, float, tuple[float, float, float]], bar: float, edge: float = 0.35) -> Any:
        """The pixel in which the bar ends; walls are depth, opacity and colour from far to near, the bar stands at a depth."""
        bodies = [quad(40.0, z) for z, _, _ in walls]
        shot = snapshot(*bodies, quad(40.0, bar), size=(64, 64), camera_span=64.0)
        rows = [finish_row(colour, unlit=True, opacity=opacity) for _, opacity, colour in walls]
        rows.append(finish_row((0.0, 0.0, 1.0), unlit=True))
        moved = np.eye(4)
        moved[0, 3] = edge - 40
        placed = [
            replace(body, finishes=(row,), matrix=tuple(moved.reshape(-1)) if at == len(walls) else body.matrix)
            for at, (body, row) in enumerate(zip(shot.bodies, rows, strict=True))
        ]
        return render(replace(shot, bodies=tuple(placed)), QUALITIES["final"]).beauty[32, 32]

    def test_what_stands_before_is_not_weakened_and_what_is_behind_is(self) -> None:
        # Over of Porter and Duff 1984, in the part of the pixel that the bar leaves.
        for far, near in ((0.9, 0.9), (0.5, 0.3), (0.2, 0.6)):
            left = 0.65
            pixel = self._pixel((-2, far, (1, 0, 0)), (0, near, (0, 1, 0)), bar=5)
            want = (left * far * (1 - near), left * near, 0.35, 0.35 + left * (1 - (1 - far) * (1 - near)))
            np.testing.assert_allclose(pixel, want, atol=0.012)
            self.assertLessEqual(float(pixel[3]), 1.0)

    def test_between_and_behind(self) -> None:
        between = self._pixel((-2, 0.5, (1, 0, 0)), (4, 0.5, (0, 1, 0)), bar=1)
        np.testing.assert_allclose(between, (0.65 * 0.25, 0.5, 0.35 * 0.5, 0.35 + 0.65 * 0.75 + 0.35 * 0.0), atol=0.012)
        behind = self._pixel((-2, 0.5, (1, 0, 0)), (0, 0.5, (0, 1, 0)), bar=-5)
        np.testing.assert_allclose(behind, (0.25, 0.5, 0.35 * 0.25, 0.35 * 0.25 + 0.75), atol=0.012)

    def test_what_stands_before_a_plate_and_what_behind_it_in_one_pixel(self) -> None:
        # Over of Porter and Duff 1984, apart for the part of the pixel that the bar takes.
        for opacity in (0.3, 0.9):
            for moving in (False, True):
                with self.subTest(opacity=opacity, moving=moving):
                    shot = snapshot(quad(40.0, -5), quad(40.0, 0), quad(40.0, 5), size=(64, 64), camera_span=64.0)
                    rows = [
                        finish_row((1.0, 0.0, 0.0), unlit=True),
                        finish_row((0.0, 1.0, 0.0), unlit=True, opacity=opacity),
                        finish_row((0.0, 0.0, 1.0), unlit=True),
                    ]
                    bodies = zip(shot.bodies, rows, strict=True)
                    moved = np.eye(4)
                    moved[0, 3] = 0.375 - 40
                    placed = [replace(body, finishes=(row,)) for body, row in bodies]
                    placed[2] = replace(placed[2], matrix=tuple(moved.reshape(-1)))
                    shot = replace(shot, bodies=tuple(placed))
                    if moving:
                        # Sideways along its own edges, so that nothing changes.
                        ends = [[body.matrix for body in shot.bodies] for _ in range(2)]
                        along = moved.copy()
                        along[1, 3] = 0.5
                        ends[1][2] = tuple(along.reshape(-1))
                        shot = replace(shot, stations=tuple(tuple(one) for one in ends))
                    picture = render(shot, QUALITIES["final"], planes=True)
                    left = 0.625
                    want = (left * (1 - opacity), left * opacity, 0.375, 1)
                    np.testing.assert_allclose(picture.beauty[32, 32], want, atol=0.02)
                    assert picture.planes is not None
                    glows = picture.planes[32, 32, EMISSION : EMISSION + 3]
                    np.testing.assert_allclose(glows, picture.beauty[32, 32, :3], atol=1e-5)
