"""Orthographic pictures: where the camera stands on its axis changes nothing but depths, whatever stands behind it."""

import unittest
from typing import Any

import numpy as np

from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.render.picture import NO_DEPTH
from zeitbild.resolve import resolve
from zeitbild.resolve.extent import depth_range
from zeitbild.testing import NOWHERE

#: How far a camera steps back from where most of the set is behind it.
_BACK = 3000.0
_MATT = {"base_colour": "#c8b478", "roughness": 0.9}
_FLOOR = {"kind": "floor", "id": "floor", "placement": {"position": [0, -60, 0]}, "surface": _MATT}
_WORD = {"kind": "lettering", "id": "word", "word": "Kap", "size": 150, "placement": {"position": [0, 0, -40]}}
_PLATE = {"kind": "solid", "id": "plate", "shape": "plate", "width": 90, "placement": {"position": [60, 0, 160]}}
_SPRAY = {"kind": "spray", "id": "sparks", "rate": 60, "dot": 12, "placement": {"position": [-90, -40, 120]}}
_TITLE = {"kind": "title", "id": "title", "word": "Licht", "size": 30, "lies": "on the picture", "shadow": 0.6}
_GLASS = {"opacity": 0.5, "base_colour": "#40a0ff"}


def _shot(*elements: dict[str, Any], back: float, **more: Any) -> Shot:
    """Seen from 30 degrees above; without stepping back the camera stands in the middle of the set."""
    way = np.array([0.0, 0.5, 0.75**0.5])
    at = way * (20 + back)
    return read_shot(
        {
            "version": 3,
            "raster": {"width": 120, "height": 80},
            "camera": {"projection": "orthographic", "span": 360, "position": at.tolist(), "look_at": [0, 0, 0]},
            "elements": list(elements),
            "lights": [{"kind": "sun", "azimuth": 30, "elevation": 40}, {"kind": "ambient", "strength": 0.3}],
            "rays": {"bounces": 1},
            **more,
        }
    )


class Orthographic(unittest.TestCase):
    def _both(self, *elements: dict[str, Any], quality: str = "final", layer: str = "", **more: Any) -> list[Picture]:
        """From near and from far back."""
        shots = [_shot(*elements, back=back, **more) for back in (0, _BACK)]
        return [render(resolve(shot, 12, NOWHERE, layer or None), QUALITIES[quality]) for shot in shots]

    def _alike(self, near: Picture, far: Picture, *, worst: float = 2e-3) -> None:
        off = np.abs(near.beauty - far.beauty).max(axis=-1)
        self.assertLess(float((off > worst).mean()), 0.004)
        self.assertLess(float(off.mean()), 2e-4)

    def test_what_stands_behind_the_camera_is_seen(self) -> None:
        for quality in QUALITIES:
            near, far = self._both(_FLOOR, _WORD, _PLATE, quality=quality)
            self._alike(near, far)
            self.assertEqual(float(near.beauty[..., 3].min()), 1)
            # Behind the camera depths are below 0.
            self.assertLess(float(near.depth.min()), -100)
            there = np.abs(far.depth - near.depth - _BACK)
            self.assertLess(float(np.median(there)), 0.01)
            self.assertLess(float((there > 1).mean()), 0.01)

    def test_see_through_things_blur_and_sparks(self) -> None:
        glass = {**_PLATE, "surface": _GLASS}
        for more in ({}, {"motion": {"angle": 180}}):
            turns = {**_WORD, "turn": {"turns": 2}}
            near, far = self._both(_FLOOR, turns, glass, _SPRAY, **more)
            self._alike(near, far, worst=0.02)

    def test_layers_with_something_that_only_hides(self) -> None:
        layers = [{"name": "word", "members": {"plate": "hold-out", "floor": "absent"}}]
        near, far = self._both(_FLOOR, _WORD, _PLATE, layer="word", layers=layers)
        self._alike(near, far)
        # The plate takes a part of the word away.
        whole, _ = self._both(_WORD)
        self.assertLess(float(near.beauty[..., 3].sum()), float(whole.beauty[..., 3].sum()) - 20)
        known = near.depth < NO_DEPTH / 2
        self.assertTrue(known.any())
        np.testing.assert_allclose(far.depth[known] - near.depth[known], _BACK, atol=0.5)

    def test_what_lies_on_the_picture_is_before_all(self) -> None:
        for quality in QUALITIES:
            (near, far), (alone, _) = (
                self._both(_FLOOR, _PLATE, _TITLE, quality=quality),
                self._both(_TITLE, quality=quality),
            )
            self._alike(near, far)
            covered = alone.beauty[..., 3] == 1
            self.assertGreater(int(covered.sum()), 40)
            np.testing.assert_allclose(near.beauty[covered], alone.beauty[covered], atol=1e-5)

    def test_whole_numbers_of_depth_reach_behind_the_camera(self) -> None:
        nearest, farthest = depth_range(_shot(_WORD, _PLATE, back=0), NOWHERE)
        self.assertLess(nearest, -100)
        again = depth_range(_shot(_WORD, _PLATE, back=_BACK), NOWHERE)
        np.testing.assert_allclose(again, (nearest + _BACK, farthest + _BACK), atol=1e-6)
