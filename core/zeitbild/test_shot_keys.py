"""Keys on their way to the picture: what moves is drawn where it is, and blurs as a mean of moments does."""

import unittest
from fractions import Fraction
from typing import Any

import numpy as np

from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot
from zeitbild.masters import frame_key
from zeitbild.render import QUALITIES, render
from zeitbild.render.data_rows import MOTION
from zeitbild.resolve import reach_of, resolve
from zeitbild.testing import NOWHERE


def _keys(*pairs: tuple[int, Any], way: str = "straight") -> dict[str, Any]:
    return {"keys": [{"frame": frame, "value": value, "way": way} for frame, value in pairs]}


def _shot(angle: float = 0, **more: Any) -> Shot:
    return read_shot(
        {
            "version": 3,
            "raster": {"width": 240, "height": 160},
            "timing": {"first": 1, "last": 20, "cycle": False},
            "motion": {"angle": angle, "phase": 0},
            "camera": {"position": [0, 0, 1000], "look_at": [0, 0, 0]},
            "elements": [
                {"kind": "solid", "id": "box", "width": 160, "height": 120, "depth": 60},
                {
                    "kind": "solid",
                    "id": "ball",
                    "shape": "ball",
                    "width": 90,
                    "placement": {"position": [180, 40, 80]},
                    "surface": {"metalness": 1, "roughness": 0.5},
                },
            ],
            **more,
        }
    )


def _beauty(shot: Shot, frame: int | Fraction = 5, quality: str = "final") -> np.ndarray:  # type: ignore[type-arg]
    return render(resolve(shot, frame, NOWHERE), QUALITIES[quality]).beauty


class Blurs(unittest.TestCase):
    """Against the mean of stills, each resolved at its own moment with a closed shutter."""

    def _differs(self, count: int = 96, **more: Any) -> dict[str, float]:
        total = np.zeros((160, 240, 4))
        for number in range(count):
            total += _beauty(_shot(**more), 5 + Fraction(2 * number + 1, 4 * count))
        truth = total / count
        found = _beauty(_shot(angle=180, **more))
        still = _beauty(_shot(**more))
        covered = truth[..., 3] > 0
        return {
            "off": float(np.abs(np.minimum(found, 1) - np.minimum(truth, 1))[covered].mean() * 255),
            "without": float(np.abs(np.minimum(still, 1) - np.minimum(truth, 1))[covered].mean() * 255),
        }

    def test_a_camera_that_goes_by(self) -> None:
        track = {
            "position": _keys((1, [-600, 0, 1000]), (20, [900, 100, 900])),
            "look_at": _keys((1, [-500, 0, 0]), (20, [600, 0, 0])),
        }
        found = self._differs(camera={"position": [0, 0, 1000], "moves": track})
        self.assertGreater(found["without"], 4)
        # What is left is the noise of samples at the edges of what is small.
        self.assertLess(found["off"], 1.7)

    def test_a_lens_that_zooms_and_a_camera_that_rolls(self) -> None:
        track = {"angle": _keys((1, 80), (20, 12)), "roll": _keys((1, 0), (20, 150))}
        found = self._differs(camera={"position": [0, 0, 1000], "moves": track})
        self.assertGreater(found["without"], 4)
        # What is left is the noise of samples at the edges of what is small.
        self.assertLess(found["off"], 1.7)

    def test_an_orthographic_camera(self) -> None:
        track = {"span": _keys((1, 1400), (20, 300)), "position.0": _keys((1, 0), (20, 700))}
        found = self._differs(camera={"position": [0, 0, 1000], "projection": "orthographic", "moves": track})
        self.assertGreater(found["without"], 4)
        # What is left is the noise of samples at the edges of what is small.
        self.assertLess(found["off"], 1.7)

    def test_a_light_that_goes_round_and_fades(self) -> None:
        lights = [
            {
                "kind": "sun",
                "name": "Sun",
                "moves": {"azimuth": _keys((1, -160), (20, 180)), "strength": _keys((4, 0), (7, 3))},
            }
        ]
        found = self._differs(count=48, lights=lights)
        self.assertGreater(found["without"], 2)
        self.assertLess(found["off"], 0.8)

    def test_surroundings_behind_a_camera_that_pans(self) -> None:
        track = {"look_at": _keys((1, [-900, 0, 0]), (20, [1900, 0, 0]))}
        more: dict[str, Any] = {
            "camera": {"position": [0, 0, 1000], "moves": track},
            "backdrop": {"kind": "surroundings"},
            "environment": {"source": "window"},
        }
        found = self._differs(count=48, **more)
        self.assertLess(found["off"], 1.0)


class Moves(unittest.TestCase):
    def test_an_element_is_where_its_keys_put_it(self) -> None:
        element = {"kind": "solid", "id": "box", "width": 60, "height": 60, "depth": 60}
        placed = [{**element, "placement": {"position": [50, 0, 0], "rotation": [0, 30, 0]}}]
        moves = {"placement.position": _keys((1, [0, 0, 0]), (9, [100, 0, 0])), "placement.rotation.1": _keys((5, 30))}
        moved = [{**element, "moves": moves}]
        self.assertEqual(
            _beauty(_shot(elements=placed), quality="check").tobytes(),
            _beauty(_shot(elements=moved), quality="check").tobytes(),
        )

    def test_a_shape_grows(self) -> None:
        element = {
            "kind": "lettering",
            "id": "word",
            "word": "Nebel",
            "moves": {"depth": _keys((1, 20), (9, 60)), "size": _keys((1, 60), (9, 100))},
        }
        still = {"kind": "lettering", "id": "word", "word": "Nebel", "depth": 40, "size": 80}
        self.assertEqual(
            _beauty(_shot(elements=[element]), quality="check").tobytes(),
            _beauty(_shot(elements=[still]), quality="check").tobytes(),
        )

    def test_only_frames_between_the_keys_beside_a_changed_one_change(self) -> None:
        def keys(value: float) -> list[str]:
            moves = {"width": _keys((1, 10), (6, 20), (11, value), (16, 20))}
            shot = _shot(elements=[{"kind": "solid", "id": "a", "moves": moves}])
            return [frame_key(resolve(shot, at, NOWHERE), "final") for at in range(1, 21)]

        before, after = keys(30), keys(31)
        self.assertEqual([at + 1 for at in range(20) if before[at] != after[at]], list(range(7, 16)))

    def test_what_fades_is_one_and_is_gone_at_nothing(self) -> None:
        element = {"kind": "solid", "id": "a", "shape": "ring", "moves": {"opacity": _keys((1, 1), (11, 0))}}
        shot = _shot(elements=[element])
        full, half = _beauty(shot, 1), _beauty(shot, 6)
        # Of one that fades nothing shows through itself: all of it is half as much.
        np.testing.assert_allclose(half, full * 0.5, atol=2 / 255)
        self.assertEqual(len(resolve(shot, 11, NOWHERE).bodies), 0)
        self.assertEqual(float(np.abs(_beauty(shot, 15)).max()), 0)

    def test_motion_tells_of_the_camera_too(self) -> None:
        camera = {
            "position": [0, 0, 1000],
            "moves": {"position.0": _keys((1, 0), (11, 200)), "look_at.0": _keys((1, 0), (11, 200))},
        }
        picture = render(resolve(_shot(camera=camera), 5, NOWHERE), QUALITIES["check"], planes=True)
        assert picture.data is not None
        # Seen from 970 units away through 40 degrees, 20 units are so many pixels.
        face = picture.data[76:84, 80:90, MOTION : MOTION + 2]
        expected = -20 / 970 * 120 / np.tan(np.radians(20))
        np.testing.assert_allclose(face[..., 0], expected, rtol=0.01)
        np.testing.assert_allclose(face[..., 1], 0, atol=0.02)

    def test_depth_is_told_between_ends_that_hold_for_all_frames(self) -> None:
        moves = {"placement.position": _keys((1, [0, 0, 0]), (20, [0, 0, -4000]))}
        shot = _shot(elements=[{"kind": "solid", "id": "a", "moves": moves}])
        near, far = reach_of(shot, NOWHERE).depth
        for at in range(1, 21):
            depth = render(resolve(shot, at, NOWHERE).at_size(64, 48), QUALITIES["rough"]).depth
            there = depth[depth < 1e9]
            self.assertTrue((there >= near).all() and (there <= far).all(), at)
