"""Dots against what their definition says of every pixel, one after the other (over: Porter and Duff 1984)."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.picture import NO_DEPTH
from zeitbild.render.visible.dots import drawn_dots
from zeitbild.snapshot.camera import Camera
from zeitbild.snapshot.dots import DotLook, Dots

_AXES = np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, -1]])


def _camera(width: int, height: int, *, parallel: bool = False) -> Camera:
    return Camera(np.array([0.0, 0, 100]), _AXES, 1.0 if parallel else 100.0, width, height, 1.0, parallel)


def _some(count: int, seed: int, size: tuple[int, int], look: DotLook = "soft", *, plus: bool = False) -> Dots:
    """Dots all over a picture and beyond its edges, some of them smaller than a pixel, two of them at one place."""
    chance = np.random.default_rng(seed)
    places = chance.uniform(-0.6, 0.6, (count, 3)) * (*size, 60)
    places[1] = places[0]
    still = np.zeros_like(places)
    return Dots(
        places,
        chance.uniform(0.2, 9, count),
        still,
        still,
        chance.uniform(0, 2, (count, 3)).astype(np.float32),
        chance.choice([0, 0.3, 0.9, 1], count).astype(np.float32),
        look,
        plus,
    )


def _expected(
    dots: Dots, camera: Camera, solid: NDArray[np.float32], depth: NDArray[np.float32]
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Light before and behind what is opaque [H, W, 4] and the distance of the first dot [H, W]."""
    rows, columns = np.indices(solid.shape) + 0.5
    away = camera.distance(dots.places)
    seen = camera.project(dots.places)
    front, behind = np.zeros((*solid.shape, 4)), np.zeros((*solid.shape, 4))
    left, beyond = np.ones(solid.shape), np.ones(solid.shape)
    nearest = np.full(solid.shape, NO_DEPTH)
    covers = 0.0 if dots.plus else 1.0
    for one in np.argsort(away, kind="stable"):
        x, y = seen[one, :2] / seen[one, 2]
        radius = dots.radii[one] * (camera.focal if camera.parallel else camera.focal / away[one])
        held = max(radius, 1.5 if dots.look == "soft" else 0.75)
        distance = np.hypot(columns - x, rows - y)
        if dots.look == "soft":
            profile = np.maximum(1 - (distance / held) ** 2, 0) ** 2
        else:
            profile = np.clip(held + 0.5 - distance, 0, 1)
        part = profile * dots.opacities[one] * (radius / held) ** 2
        part[part < 1e-4] = 0
        before = np.clip(0.5 + 0.5 * (depth - away[one]) / dots.radii[one], 0, 1)
        before = np.where(solid > 0, before, 1)
        for light, rest, share in (
            (front, left, np.where(left > 1e-3, part * before, 0)),
            (behind, beyond, np.where(solid < 1, part * (1 - before), 0)),
        ):
            light += (rest * share)[..., None] * [*dots.colours[one], covers]
            rest *= 1 - share * covers
            nearest = np.where(share > 0, np.minimum(nearest, away[one]), nearest)
    return front, behind * (1 - solid)[..., None], nearest


class Drawing(TestCase):
    def _compare(self, dots: Dots, camera: Camera, solid: Any, depth: Any) -> None:
        drawn = [one.everywhere() for one in drawn_dots(dots, np.eye(4), camera, (0, 0), (0, 0), 1.0, solid, depth)]
        whole = depth if len(depth) else np.full_like(solid, NO_DEPTH)
        front, behind, nearest = _expected(dots, camera, solid, whole)
        # Light of up to twice white, in single precision.
        np.testing.assert_allclose(drawn[-1].light, front, atol=2e-4)
        np.testing.assert_allclose(drawn[-1].depth, nearest, rtol=1e-5)
        if len(depth):
            np.testing.assert_allclose(drawn[0].light, behind, atol=2e-4)

    def test_every_pixel_is_what_the_definition_says(self) -> None:
        nothing = np.empty((0, 0), np.float32)
        for seed, size in enumerate(((16, 16), (33, 47), (70, 31), (129, 64))):
            for look in ("soft", "disc"):
                for parallel, plus in ((False, False), (True, False), (False, True)):
                    with self.subTest(size=size, look=look, parallel=parallel, plus=plus):
                        dots = _some(60, seed, size, look, plus=plus)  # type: ignore[arg-type]
                        solid = np.zeros((size[1], size[0]), np.float32)
                        self._compare(dots, _camera(*size, parallel=parallel), solid, nothing)

    def test_before_behind_and_in_what_is_opaque(self) -> None:
        for seed, size in enumerate(((40, 40), (67, 50))):
            for look in ("soft", "disc"):
                with self.subTest(size=size, look=look):
                    # An opaque thing with an edge of half covered pixels, leaning backwards, among the dots.
                    solid = np.zeros((size[1], size[0]), np.float32)
                    solid[:, 8:-9] = 1
                    solid[:, 8] = 0.5
                    depth = np.full_like(solid, NO_DEPTH)
                    depth[:, 8:-9] = np.linspace(80, 120, size[0] - 17)
                    self._compare(_some(80, seed, size, look), _camera(*size), solid, depth)  # type: ignore[arg-type]

    def test_before_and_behind_a_wall(self) -> None:
        solid = np.ones((50, 67), np.float32)
        for slope in (0, 15):
            with self.subTest(slope=slope):
                depth = np.broadcast_to(np.linspace(95 - slope, 95 + slope, 67, dtype=np.float32), solid.shape).copy()
                self._compare(_some(200, 8, (67, 50)), _camera(67, 50), solid, depth)

    def test_what_lies_behind_a_full_tile_changes_nothing(self) -> None:
        nothing = np.empty((0, 0), np.float32)
        for look in ("soft", "disc"):
            for plus in (False, True):
                with self.subTest(look=look, plus=plus):
                    dots = _some(400, 3, (45, 40), look, plus=plus)  # type: ignore[arg-type]
                    dots = replace(dots, radii=dots.radii + 6, opacities=np.ones(400, np.float32))
                    solid = np.zeros((40, 45), np.float32)
                    (drawn,) = drawn_dots(dots, np.eye(4), _camera(45, 40), (0, 0), (0, 0), 1.0, solid, nothing)
                    front, _, nearest = _expected(dots, _camera(45, 40), solid, np.full_like(solid, NO_DEPTH))
                    np.testing.assert_allclose(drawn.everywhere().light, front, rtol=2e-5, atol=2e-4)
                    np.testing.assert_allclose(drawn.everywhere().depth, nearest, rtol=1e-5)
                    if not plus:
                        self.assertGreater(float(front[8:-8, 8:-8, 3].min()), 0.99)

    def test_what_is_nowhere_in_the_picture_draws_nothing(self) -> None:
        nothing, solid = np.empty((0, 0), np.float32), np.zeros((20, 20), np.float32)
        dots = _some(5, 1, (20, 20))
        for places in (dots.places + (500, 0, 0), dots.places + (0, 0, 500), dots.places * np.nan):
            gone = Dots(places, dots.radii, dots.ways, dots.tails, dots.colours, dots.opacities)
            self.assertEqual([], drawn_dots(gone, np.eye(4), _camera(20, 20), (0, 0), (0, 0), 1.0, solid, nothing))

    def test_small_ones_drawn_finely_are_what_pixels_see_of_them(self) -> None:
        """Against the mean of 16 x 16 places of each pixel, of dots from a quarter of a pixel on that lie far apart."""
        nothing, size = np.empty((0, 0), np.float32), (96, 64)
        camera, solid = _camera(*size, parallel=True), np.zeros((64, 96), np.float32)
        chance = np.random.default_rng(11)
        middles = np.stack(np.meshgrid(np.arange(-40, 41, 16), np.arange(-24, 25, 16)), axis=-1).reshape(-1, 2)
        places = np.concatenate([middles + chance.uniform(-1, 1, middles.shape), np.zeros((len(middles), 1))], axis=1)
        radii = np.geomspace(0.4, 6, len(places))
        rows, columns = (np.indices((24 * 16, 24 * 16)) + 0.5) / 16
        for look, moves in (("soft", 0.0), ("disc", 0.0), ("soft", 5.0), ("disc", 5.0)):
            with self.subTest(look=look, moves=moves):
                ways = np.zeros_like(places) + (moves, moves / 2, 0)
                still, one = np.zeros_like(places), np.ones(len(places), np.float32)
                dots = Dots(places, radii, ways, still, np.ones((len(places), 3), np.float32), one, look)  # type: ignore[arg-type]
                true = np.zeros((64 + 48, 96 + 48))
                moments = (np.arange(24) + 0.5) / 24 if moves else [0.0]
                for moment in moments:
                    seen = camera.project(places + moment * ways)
                    for (x, y, w, *_), radius in zip(seen, radii, strict=True):
                        left, top = math.floor(x / w) - 12, math.floor(y / w) - 12
                        near = np.maximum(
                            1 - ((left + columns - x / w) ** 2 + (top + rows - y / w) ** 2) / radius**2, 0
                        )
                        profile = near**2 if look == "soft" else near > 0
                        own = slice(top + 24, top + 48), slice(left + 24, left + 48)
                        true[own] += profile.reshape(24, 16, 24, 16).mean(axis=(1, 3)) / len(moments)
                true = true[24:-24, 24:-24]
                off = {}
                for finely in (False, True):
                    (drawn,) = drawn_dots(dots, np.eye(4), camera, (0, 0), (0, 1), 1.0, solid, nothing, finely=finely)
                    found = drawn.everywhere().light[..., 3]
                    self.assertAlmostEqual(float(found.sum() / true.sum()), 1, delta=0.02)
                    off[finely] = float(np.abs(found - true).max())
                self.assertLess(off[True], 0.06)
                # Without it small ones are spread over their neighbours.
                self.assertGreater(off[False], 2.5 * off[True])
