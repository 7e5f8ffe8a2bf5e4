"""See-through bodies put over others by lists of their fragments, against a ray tracer in numpy that sorts what every sample meets."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from zeitbild.kernels import own_threads
from zeitbild.render import QUALITIES, render, render_together, veils
from zeitbild.render.picture import NO_DEPTH
from zeitbild.render.shade.shading import AROUND, DIFFUSE, EMISSION, SPECULAR
from zeitbild.render.visible.sampling import sample_offsets
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import finish_row, opacity_of
from zeitbild.snapshot.lights import LightSource
from zeitbild.snapshot.texture import Texture
from zeitbild.testing import quad, snapshot

WIDTH, HEIGHT = 48, 32


def _cards(seed: int, clear: int, opaque: int, *, span: float = 0.0, flat: bool = False) -> Snapshot:
    """Unlit cards that lean every way, in front of a camera on the z axis; flat ones all lie in one plane."""
    random = np.random.default_rng(seed)
    halves = random.uniform(0.6, 2.2, clear + opaque)
    shot = snapshot(*(quad(float(half)) for half in halves), size=(WIDTH, HEIGHT), camera_span=span)
    bodies = []
    tilt = random.uniform(-0.8, 0.8, 3)
    for number, body in enumerate(shot.bodies):
        lean = tilt if flat else random.uniform(-1.2, 1.2, 3)
        matrix = np.eye(4)
        for axis, angle in enumerate(lean):
            turn, (a, b) = np.eye(4), ((1, 2), (2, 0), (0, 1))[axis]
            turn[a, a] = turn[b, b] = np.cos(angle)
            turn[a, b], turn[b, a] = -np.sin(angle), np.sin(angle)
            matrix = matrix @ turn
        middle = random.uniform(-1.5, 1.5, 3)
        matrix[:3, 3] = matrix[:3, :3] @ [middle[0], middle[1], 0] if flat else middle
        colour = tuple(random.uniform(0, 1, 3).tolist())
        opacity = float(random.choice([0.15, 0.5, 0.9])) if number < clear else 1.0
        finish = finish_row(colour, unlit=True, opacity=opacity)
        bodies.append(replace(body, matrix=tuple(matrix.reshape(-1).tolist()), finishes=(finish,)))
    return replace(shot, bodies=tuple(bodies))


def _truth(shot: Snapshot, count: int, *, by_place: bool = False) -> dict[str, np.ndarray]:  # type: ignore[type-arg]
    """Over of Porter and Duff 1984 for each sample of each pixel; by_place: what comes later lies over what comes before."""
    camera = shot.camera
    offsets = sample_offsets(count)
    rows, columns, number = np.meshgrid(np.arange(HEIGHT), np.arange(WIDTH), np.arange(count), indexing="ij")
    x = (columns + offsets[number, 0] - WIDTH / 2) / camera.focal
    y = -(rows + offsets[number, 1] - HEIGHT / 2) / camera.focal
    right, up, forward = camera.axes
    across = x[..., None] * right + y[..., None] * up
    origins = camera.eye + across if camera.parallel else np.broadcast_to(camera.eye, across.shape)
    ways = np.broadcast_to(forward, across.shape) if camera.parallel else forward + across
    away, colours = [], []
    for place, (body, mesh) in enumerate(zip(shot.bodies, shot.built_meshes, strict=True)):
        matrix = np.array(body.matrix).reshape(4, 4)
        inverse, half = np.linalg.inv(matrix), float(mesh.vertices.max())
        start = origins @ inverse[:3, :3].T + inverse[:3, 3]
        way = ways @ inverse[:3, :3].T
        distance = -start[..., 2] / way[..., 2]
        at = start + way * distance[..., None]
        inside = (np.abs(at[..., :2]) <= half).all(axis=-1) & (distance > 0)
        away.append(np.where(inside, -place if by_place else distance, np.inf))
        finish = body.finishes[0]
        colours.append([*finish[:3], opacity_of(finish)])
    depths, rows_of = np.stack(away), np.array(colours)
    order = np.argsort(-depths, axis=0)
    light = np.zeros((*x.shape, 4))
    for which in order:
        there = np.isfinite(np.take_along_axis(depths, which[None], axis=0)[0])
        alpha = np.where(there, rows_of[which, 3], 0)[..., None]
        light = np.concatenate([rows_of[which, :3], np.ones((*x.shape, 1))], axis=-1) * alpha + light * (1 - alpha)
    return {
        "beauty": light.mean(axis=2),
        "covered": np.isfinite(depths).any(axis=0).mean(axis=2),
        "depth": depths.min(axis=(0, 3)),
    }


class Lists(unittest.TestCase):
    def _compare(self, shot: Snapshot, worst: float = 5e-4, *, by_place: bool = False) -> None:
        for name in ("rough", "check"):
            quality = QUALITIES[name]
            truth = _truth(shot, quality.samples, by_place=by_place)
            picture = render(shot, quality)
            off = np.abs(picture.beauty - truth["beauty"])
            self.assertLess(float(off.max()), worst, name)
            assert picture.covered is not None
            self.assertLess(float(np.abs(picture.covered - truth["covered"]).max()), 1e-6, name)
            self.assertTrue(((picture.depth < NO_DEPTH) == np.isfinite(truth["depth"])).all(), name)

    def test_every_sample_of_cards_through_one_another(self) -> None:
        for seed in range(8):
            for span in (0.0, 6.0):
                with self.subTest(seed=seed, span=span):
                    self._compare(_cards(seed, 9, 0, span=span))

    def test_before_behind_and_through_something_opaque(self) -> None:
        for seed in range(8):
            for span in (0.0, 6.0):
                with self.subTest(seed=seed, span=span):
                    self._compare(_cards(seed, 7, 1, span=span))

    def test_several_opaque_ones_in_a_pixel_before_between_and_behind(self) -> None:
        for seed in range(8):
            for opaque in (2, 3):
                with self.subTest(seed=seed, opaque=opaque):
                    self._compare(_cards(seed, 6, opaque))

    def test_what_is_flat_lies_in_the_order_of_the_set_however_it_leans(self) -> None:
        for seed in range(8):
            for span in (0.0, 6.0):
                with self.subTest(seed=seed, span=span):
                    self._compare(_cards(seed, 12, 0, span=span, flat=True), by_place=True)

    def test_a_long_list_is_sorted_as_a_short_one(self) -> None:
        self._compare(_cards(11, 60, 1))

    def test_the_order_of_the_set_does_not_matter_to_what_is_not_flat(self) -> None:
        shot = _cards(3, 12, 1)
        other = replace(shot, bodies=shot.bodies[::-1])
        for name in ("rough", "check"):
            one, two = (render(each, QUALITIES[name]).beauty for each in (shot, other))
            np.testing.assert_allclose(one, two, atol=2e-6)

    def test_layers_that_hold_each_other_out_rejoin(self) -> None:
        for seed in range(4):
            shot = _cards(seed, 8, 1)
            whole = render(shot, QUALITIES["check"]).beauty
            layers = [
                replace(
                    shot,
                    bodies=tuple(
                        replace(body, role="shown" if (at % 2 == 0) == even else "hold-out")
                        for at, body in enumerate(shot.bodies)
                    ),
                )
                for even in (True, False)
            ]
            together = render_together(layers, QUALITIES["check"], [False, False])
            np.testing.assert_allclose(together[0].beauty + together[1].beauty, whole, atol=2e-6)
            for one, alone in zip(together, layers, strict=True):
                own = render(alone, QUALITIES["check"])
                self.assertEqual(one.beauty.tobytes(), own.beauty.tobytes())
                self.assertEqual(one.depth.tobytes(), own.depth.tobytes())

    def test_parts_of_light_add_up_and_identities_are_shares(self) -> None:
        sun = LightSource("sun", (1.2, 1.1, 1.0), direction=(0.3, -0.8, -0.5), shadows=True)
        shot = replace(_cards(5, 8, 1), lights=(sun,), occlusion=0.5)
        lit = tuple(
            replace(body, finishes=(finish_row((0.8, 0.4, 0.3), 0.4, 0.0, opacity=opacity_of(body.finishes[0])),))
            for body in shot.bodies
        )
        picture = render(replace(shot, bodies=lit), QUALITIES["check"], planes=True)
        assert picture.planes is not None and picture.identities is not None
        parts = sum(picture.planes[..., first : first + 3] for first in (DIFFUSE, SPECULAR, AROUND, EMISSION))
        np.testing.assert_allclose(parts, picture.beauty[..., :3], atol=2e-5)
        shares = picture.identities[..., 0, :, 1].sum(axis=-1)
        # Four of them are told.
        self.assertLess(float((shares - picture.beauty[..., 3]).max()), 1e-5)
        self.assertGreater(float(shares.max()), 0.9)

    def test_the_bytes_are_the_same_on_one_thread_in_parts_and_the_second_time(self) -> None:
        shot = _cards(2, 20, 1)
        for name in ("rough", "check"):
            first = render(shot, QUALITIES[name]).beauty.tobytes()
            with own_threads(1):
                self.assertEqual(render(shot, QUALITIES[name]).beauty.tobytes(), first)
            for room, most in ((1, 10**6), (64, 4000), (4096, 1)):
                veils._rooms.clear()
                with mock.patch.object(veils, "_FIRST_ROOM", room), mock.patch.object(veils, "_MOST_FRAGMENTS", most):
                    for _ in range(2):
                        self.assertEqual(render(shot, QUALITIES[name]).beauty.tobytes(), first, (room, most))


class ByPictures(unittest.TestCase):
    """How much is there of surfaces is said by pictures."""

    def test_a_card_that_is_there_in_part_before_others(self) -> None:
        for part in (1.0, 0.4, 0.0):
            levels = tuple(np.full((side, side, 3), part, np.float32) for side in (4, 2, 1))
            front = replace(quad(2.0), unwrapped=np.full((2, 3, 2), 0.5, np.float32))
            plain = snapshot(front, quad(2.0, -1.0), quad(2.0, -2.0), size=(64, 64), camera_span=4.0)
            rows = (
                finish_row((0.8, 0.1, 0.1), unlit=True, opacity=0.5, alpha_map=1),
                finish_row((0.1, 0.1, 0.9), unlit=True, opacity=0.5),
                finish_row((0.2, 0.9, 0.2), unlit=True),
            )
            bodies = tuple(replace(body, finishes=(row,)) for body, row in zip(plain.bodies, rows, strict=True))
            shot = replace(plain, bodies=bodies, textures=(Texture(f"there {part}", True, levels),))
            red, blue, green = (np.array([*row[:3], 1]) for row in rows)
            behind = 0.5 * blue + 0.5 * green
            expected = red * 0.5 * part + behind * (1 - 0.5 * part)
            for name in ("rough", "check"):
                picture = render(shot, QUALITIES[name]).beauty[8:56, 8:56]
                np.testing.assert_allclose(picture, np.broadcast_to(expected, picture.shape), atol=1e-5)

    def test_a_card_that_no_picture_lies_on_is_all_there(self) -> None:
        # As a model may be whose material has a picture and whose surface does not say where it lies.
        levels = (np.full((4, 4, 3), 0.25, np.float32),)
        row = finish_row((0.8, 0.1, 0.1), unlit=True, alpha_map=1, opacity=0.5)
        shot = snapshot(quad(2.0), size=(32, 32), camera_span=4.0, textures=(Texture("bare", True, levels),))
        shot = replace(shot, bodies=(replace(shot.bodies[0], finishes=(row,)),))
        for quality in QUALITIES.values():
            for _ in range(2):
                beauty = render(shot, quality).beauty
                np.testing.assert_allclose(beauty[2:30, 2:30, 3], 0.5, atol=1e-6)


if __name__ == "__main__":
    unittest.main()
