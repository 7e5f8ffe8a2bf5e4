"""Dots in mirrors, against the dots themselves behind the mirror: where a flat mirror shows something is where that would be as far behind it."""

import unittest
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np

from zeitbild.elements.base import IN_PLACE
from zeitbild.render import QUALITIES, render
from zeitbild.render.visible.dots import drawn_dots
from zeitbild.snapshot import Body, Snapshot
from zeitbild.snapshot.dots import DotLook, Dots
from zeitbild.testing import EVEN, MATT_WHITE, dressed, quad, snapshot, sphere
from zeitbild.turns import working

_MIRROR = (1.0, 1.0, 1.0, 0.0, 1.0)


def _some(look: DotLook, *, plus: bool = False, count: int = 60, radius: float = 0.25) -> Dots:
    """Dots above the middle of a picture, before a mirror in z = 0."""
    chance = np.random.default_rng(7)
    places = chance.uniform((-1.5, 0.9, 0.8), (1.5, 1.7, 2.2), (count, 3))
    still = np.zeros_like(places)
    tails = chance.uniform(-0.5, 0.5, (count, 3)) if look == "streak" else still
    colours = chance.uniform(0.1, 1, (count, 3)).astype(np.float32)
    opacities = chance.uniform(0.2, 1, count).astype(np.float32)
    return Dots(places, chance.uniform(0.5, 1, count) * radius, still, tails, colours, opacities, look, plus)


def _with(shot: Snapshot, dots: Dots, **more: object) -> Snapshot:
    body = Body("dots", "dots", dots.cloud(), IN_PLACE, (MATT_WHITE,), "shown", dots=dots, **more)  # type: ignore[arg-type]
    return replace(shot, bodies=(*shot.bodies, body))


def _drawn(shot: Snapshot, dots: Dots) -> np.ndarray:  # type: ignore[type-arg]
    """Dots alone in a picture, premultiplied."""
    nothing, size = np.empty((0, 0), np.float32), (shot.height, shot.width)
    drawn = drawn_dots(dots, np.eye(4), shot.camera, (0, 0), (0, 0), 1.0, np.zeros(size, np.float32), nothing)
    return drawn[0].everywhere().light.copy() if drawn else np.zeros((*size, 4), np.float32)


def _behind(dots: Dots) -> Dots:
    """The same behind the mirror."""
    turned = np.array([1, 1, -1.0])
    return replace(dots, places=dots.places * turned, tails=dots.tails * turned)


class Mirrored(unittest.TestCase):
    def _off(self, dots: Dots, quality: str = "final") -> tuple[float, float]:
        """How far the mirror image is from that, in the mean of where it is, and the light there (of 255)."""
        shot = dressed(snapshot(quad(6), bounces=1), _MIRROR)
        found = render(_with(shot, dots), QUALITIES[quality]).beauty
        direct, expected = _drawn(shot, dots), _drawn(shot, _behind(dots))
        seen = (expected[..., :3].max(axis=2) > 0) & (direct[..., :3].max(axis=2) == 0)
        self.assertGreater(int(seen.sum()), 400)
        off = np.abs(found[seen][:, :3] - expected[seen][:, :3])
        return float(off.mean()) * 255, float(expected[seen][:, :3].mean()) * 255

    def test_a_flat_mirror_shows_them_as_far_behind(self) -> None:
        for look, allowed in (("soft", 1.0), ("disc", 3.0)):
            for plus in (False, True):
                off, light = self._off(_some(look, plus=plus))  # type: ignore[arg-type]
                self.assertLess(off, allowed, (look, plus))
                self.assertGreater(light, 20)

    def test_streaks_are_as_bright_and_where_they_should_be(self) -> None:
        """Discs in a row stand for them."""
        for plus in (False, True):
            dots = _some("streak", radius=0.12, count=20, plus=plus)
            shot = dressed(snapshot(quad(6), bounces=1), _MIRROR)
            found = render(_with(shot, dots), QUALITIES["final"]).beauty
            clear, expected = _drawn(shot, dots)[..., :3].max(axis=2) == 0, _drawn(shot, _behind(dots))
            self.assertAlmostEqual(float(found[clear, :3].sum() / expected[clear, :3].sum()), 1, delta=0.1)
            off = np.abs(found[clear, :3] - expected[clear, :3]).sum()
            self.assertLess(float(off), 0.35 * float(expected[clear, :3].sum()))

    def test_they_cover_what_is_mirrored_behind_them_and_nothing_before(self) -> None:
        """White dots in white surroundings change no mirror, once or twice mirrored; dots behind a black wall are in none."""
        dots = replace(_some("soft", count=200, radius=0.4), colours=np.ones((200, 3), np.float32))
        for meshes in ((quad(6),), (quad(6), sphere(0.7, 32))):
            for bounces in (1, 2, 3):
                shot = dressed(snapshot(*meshes, bounces=bounces, environment=EVEN), *(_MIRROR for _ in meshes))
                without = render(shot, QUALITIES["check"]).beauty
                direct = _drawn(shot, dots)[..., 3] > 0
                found = render(_with(shot, dots), QUALITIES["check"]).beauty
                np.testing.assert_allclose(found[~direct], without[~direct], atol=0.03)
        # Between them and the mirror stands what hides them from it.
        wall = replace(quad(6), vertices=quad(6).vertices * (1, 1, 0) + (0, 0, 0.4))
        black = (0.0, 0.0, 0.0, 1.0, 0.0)
        shot = dressed(snapshot(quad(6), wall, bounces=1, eye=(0, 0, 10)), _MIRROR, black)
        self.assertLess(float(render(_with(shot, dots), QUALITIES["check"]).beauty[~direct, :3].max()), 0.01)

    def test_those_that_are_lost_in_the_distance_are_as_bright_in_the_mean(self) -> None:
        """Dots far smaller than a pixel."""
        dots = _some("soft", count=4000, radius=0.01)
        off, light = self._off(dots)
        self.assertLess(off, 0.5 * light)
        shot = dressed(snapshot(quad(6), bounces=1), _MIRROR)
        found, direct, expected = (
            render(_with(shot, dots), QUALITIES["final"]).beauty,
            _drawn(shot, dots),
            _drawn(shot, _behind(dots)),
        )
        clear = direct[..., 3] == 0
        self.assertAlmostEqual(float(found[clear, :3].sum() / expected[clear, :3].sum()), 1, delta=0.05)

    def test_a_set_that_moves_on_mirrors_its_own_dots(self) -> None:
        shot = dressed(snapshot(quad(6), bounces=1), _MIRROR)
        first, second = _some("disc"), replace(_some("disc"), colours=np.zeros((60, 3), np.float32))
        one = render(_with(shot, first), QUALITIES["rough"]).beauty
        other = render(_with(shot, second), QUALITIES["rough"]).beauty
        again = render(_with(shot, first), QUALITIES["rough"]).beauty
        np.testing.assert_array_equal(one, again)
        self.assertGreater(float(np.abs(one - other)[..., :3].max()), 0.2)
        np.testing.assert_array_equal(render(shot, QUALITIES["rough"]).beauty[..., :3].max(), 0)

    def test_several_sets_are_drawn_at_once(self) -> None:
        """As a server does: each picture is what it is alone, whoever draws between its parts."""

        def drawn(one: Snapshot) -> np.ndarray:  # type: ignore[type-arg]
            with working(1):
                return render(one, QUALITIES["check"]).beauty

        sets = []
        for number in range(3):
            dots = _some("soft", count=3000, radius=0.1)
            dots = replace(dots, places=dots.places + (0, 0, 0.1 * number))
            shot = dressed(snapshot(quad(6), bounces=2, environment=EVEN, size=(512, 512)), _MIRROR)
            sets.append(_with(shot, dots))
        alone = [render(one, QUALITIES["check"]).beauty for one in sets]
        with ThreadPoolExecutor(3) as pool:
            for _ in range(6):
                found = list(pool.map(drawn, sets))
                for one, other in zip(found, alone, strict=True):
                    np.testing.assert_array_equal(one, other)
