"""Layers of one set: hold-outs, what only rays see, and that layers laid over one another give the whole picture."""

import unittest
from dataclasses import replace

import numpy as np

from zeitbild.render import QUALITIES, Picture, render, render_together
from zeitbild.snapshot import Role, Snapshot
from zeitbild.snapshot.finish_row import finish_row
from zeitbild.snapshot.lights import LightSource
from zeitbild.snapshot.pixel_filter import PixelFilter
from zeitbild.testing import AMBIENT, EVEN, IDENTITY, quad, snapshot, sphere

SUN = LightSource("sun", (1.0, 0.9, 0.8), direction=(-0.6, -0.1, -0.8), shadows=True, group="Key")
FOG = finish_row((0.8, 0.9, 1.0), 0.6, 0.0, (0.0, 0.0, 0.0), opacity=0.4)


def _in(shot: Snapshot, *roles: Role) -> Snapshot:
    """The same with its bodies in these roles; unseen ones stand last."""
    return replace(shot, bodies=tuple(replace(one, role=role) for one, role in zip(shot.bodies, roles, strict=True)))


def _turned(matrix: tuple[float, ...], degrees: float) -> tuple[float, ...]:
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turn = np.array([[c, -s, 0, 0], [s, c, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1]])
    return tuple(float(one) for one in (turn @ np.array(matrix).reshape(4, 4)).reshape(-1))


def _plus(*layers: Picture) -> np.ndarray:  # type: ignore[type-arg]
    """Plus of Porter and Duff 1984."""
    return np.sum([one.beauty for one in layers], axis=0)  # type: ignore[no-any-return]


class Rejoin(unittest.TestCase):
    """Two layers, each held out by the other, give the whole by plus, within 1/255 at every pixel."""

    def _check(self, shot: Snapshot, quality: str = "final", most: float = 1 / 255) -> float:
        hidden = len(shot.bodies)
        whole = render(shot, QUALITIES[quality])
        parts = [_in(shot, *("shown" if at == own else "hold-out" for at in range(hidden))) for own in range(hidden)]
        layers = [render(part, QUALITIES[quality]) for part in parts]
        # Together they are the very same, and so is the whole.
        wanted = [*(number % 2 == 0 for number in range(hidden)), False]
        for alone, one in zip(
            [*layers, whole], render_together([*parts, shot], QUALITIES[quality], wanted), strict=True
        ):
            np.testing.assert_array_equal(one.beauty, alone.beauty)
            np.testing.assert_array_equal(one.depth, alone.depth)
        worst = float(np.abs(_plus(*layers) - whole.beauty).max())
        self.assertLess(worst, most)
        return worst

    def _pair(self, **more: object) -> Snapshot:
        return snapshot(quad(1.2, 0.4), sphere(1.2, 48), lights=(SUN, AMBIENT), size=(160, 120), **more)

    def test_solid_elements_that_pass_through_one_another(self) -> None:
        for quality in ("rough", "check", "final"):
            with self.subTest(quality):
                self._check(self._pair(), quality)

    def test_with_shadows_occlusion_and_mirrors_between_them(self) -> None:
        self._check(self._pair(occlusion=0.8, environment=EVEN))
        mirror = finish_row((0.9, 0.8, 0.6), 0.25, 1.0, (0.0, 0.0, 0.0))
        shot = self._pair(bounces=1, environment=EVEN)
        self._check(replace(shot, bodies=(replace(shot.bodies[0], finishes=(mirror,)), shot.bodies[1])))

    def test_with_a_wide_filter(self) -> None:
        self._check(self._pair(filter=PixelFilter("Gaussian", 2.5)))

    def test_with_what_moves(self) -> None:
        for quality in ("check", "final"):
            stations = tuple((IDENTITY, _turned(IDENTITY, 12 * at / 8)) for at in range(9))
            shot = self._pair(stations=stations)
            square = replace(shot.bodies[0], matrix=_turned(IDENTITY, 45))
            self._check(replace(shot, bodies=(square, shot.bodies[1])), quality)

    def test_with_what_is_see_through(self) -> None:
        shot = snapshot(
            sphere(0.8, 48), quad(1.0, 1.2), quad(0.7, -1.5), lights=(SUN, AMBIENT), size=(160, 120), environment=EVEN
        )
        one, two, three = shot.bodies
        self._check(replace(shot, bodies=(one, replace(two, finishes=(FOG,)), three)))

    def test_coverage_of_a_square_held_out_by_a_disc_is_that_of_both_less_the_disc(self) -> None:
        # Areas: a square of side 2 turned by 20 degrees before a disc (a ball of 0.8 from the front, orthographic).
        shot = snapshot(quad(1.0, -2), sphere(0.6, 200), size=(128, 128), camera_span=4.0)
        square = replace(shot.bodies[0], matrix=_turned(IDENTITY, 20))
        both = replace(shot, bodies=(square, shot.bodies[1]))
        held = render(_in(both, "shown", "hold-out"), QUALITIES["final"]).beauty[..., 3]
        a_unit = (128 / 4.0) ** 2
        # Within half an 8-bit level in the mean over the pixels that it touches.
        self.assertAlmostEqual(float(held.sum()), (4 - np.pi * 0.36) * a_unit, delta=held[held > 0].size * 0.5 / 255)
        self.assertEqual(float(held[64, 64]), 0)


class Unseen(unittest.TestCase):
    def test_what_only_rays_see_throws_its_shadow_and_is_not_there(self) -> None:
        light = LightSource("sun", (1.0, 1.0, 1.0), direction=(0, -0.7, -0.7), shadows=True)
        shot = snapshot(quad(3), quad(0.4, 1.0), lights=(light,), size=(128, 128))
        seen = render(_in(shot, "shown", "unseen"), QUALITIES["check"])
        alone = render(_in(snapshot(quad(3), lights=(light,), size=(128, 128)), "shown"), QUALITIES["check"])
        np.testing.assert_allclose(seen.beauty[..., 3], alone.beauty[..., 3], atol=1e-6)
        dark = (alone.beauty[..., 0] - seen.beauty[..., 0]) > 0.3
        self.assertGreater(int(dark.sum()), 50)
        # Below the place where it stands, since the light comes from above.
        self.assertGreater(float(np.nonzero(dark)[0].mean()), 64)

    def test_alone_it_gives_an_empty_picture(self) -> None:
        shot = snapshot(quad(1), size=(32, 32))
        picture = render(_in(shot, "unseen"), QUALITIES["check"], planes=True)
        self.assertEqual(float(picture.beauty.max()), 0)

    def test_with_an_open_shutter(self) -> None:
        stations = tuple((_turned(IDENTITY, 30 * at / 8), IDENTITY) for at in range(9))
        shot = snapshot(quad(1.2, 0.4), sphere(1.2, 48), lights=(SUN, AMBIENT), size=(96, 96), stations=stations)
        picture = render(_in(shot, "shown", "unseen"), QUALITIES["check"])
        self.assertGreater(float(picture.beauty[..., 3].sum()), 100)


class Behind(unittest.TestCase):
    def test_the_backdrop_is_not_seen_through_a_hold_out(self) -> None:
        shot = snapshot(quad(0.5, 1), quad(2), size=(64, 64), backdrop=(0.2, 0.4, 0.6), lights=(AMBIENT,))
        picture = render(_in(shot, "hold-out", "shown"), QUALITIES["final"], planes=True)
        self.assertEqual(picture.beauty[32, 32].tolist(), [0, 0, 0, 0])
        np.testing.assert_allclose(picture.beauty[2, 2], (0.2, 0.4, 0.6, 1), atol=1e-6)

    def test_parts_and_groups_add_up_in_a_layer_too(self) -> None:
        shot = snapshot(
            quad(1.2, 0.4), sphere(1.2, 48), lights=(SUN, AMBIENT), size=(96, 96), environment=EVEN, occlusion=0.6
        )
        for quality in ("check", "final"):
            picture = render(_in(shot, "hold-out", "shown"), QUALITIES[quality], planes=True)
            plain = render(_in(shot, "hold-out", "shown"), QUALITIES[quality])
            # Asking for parts changes nothing of the picture.
            np.testing.assert_array_equal(picture.beauty, plain.beauty)
            assert picture.planes is not None
            total = sum(picture.planes[..., first : first + 3] for first in (0, 3, 6, 9))
            np.testing.assert_allclose(total, picture.beauty[..., :3], atol=2e-4)
            direct = picture.planes[..., 0:3] + picture.planes[..., 3:6]
            np.testing.assert_allclose(sum(picture.groups.values()), direct, atol=2e-4)
