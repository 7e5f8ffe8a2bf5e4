"""Groups: what stands inside is placed, turned, scaled and hidden with them."""

import unittest
from typing import Any

import numpy as np

from zeitbild.document.reading import parse_shot, read_shot, write_shot
from zeitbild.document.shot import Camera, Layer, Motion, Raster, Shot, Timing
from zeitbild.elements.group import Group
from zeitbild.elements.solid import Solid
from zeitbild.errors import DocumentError
from zeitbild.finishes import Finish
from zeitbild.geometry.transforms import placement
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import depth_range, resolve
from zeitbild.testing import NOWHERE, small_shot
from zeitbild.values import Turn


def _box(name: str, x: float, **more: Any) -> Solid:
    return Solid(id=name, width=10, height=10, depth=10, placement={"position": (x, 0, 0)}, **more)


class Groups(unittest.TestCase):
    def _shot(self, *elements: Any, **more: Any) -> Shot:
        return small_shot(elements=elements, timing=Timing(last=8), **more)

    def test_matrices_are_multiplied_from_the_outside_in(self) -> None:
        outer = Group(id="outer", placement={"position": (100, 0, 0), "scale": (2, 2, 2)}, turn=Turn(axis="y", turns=1))
        inner = Group(id="inner", inside="outer", placement={"position": (0, 50, 0), "rotation": (0, 0, 30)})
        shot = self._shot(_box("box", 7, inside="inner"), outer, inner)
        self.assertEqual(parse_shot(write_shot(shot)), shot)
        for frame, angle in ((1, 0.0), (3, 90.0)):
            (body,) = resolve(shot, frame, NOWHERE).bodies
            want = (
                placement((100, 0, 0), (0, 0, 0), (2, 2, 2), "y", angle)
                @ placement((0, 50, 0), (0, 0, 30), (1, 1, 1))
                @ placement((7, 0, 0), (0, 0, 0), (1, 1, 1))
            )
            np.testing.assert_allclose(np.array(body.matrix).reshape(4, 4), want, atol=1e-9)

    def test_it_is_hidden_and_for_reference_with_its_group(self) -> None:
        for more, working, delivered in (({}, 1, 1), ({"shown": False}, 0, 0), ({"reference": True}, 1, 0)):
            group = Group(id="group", **more)
            shot = self._shot(_box("box", 0, inside="group"), group, layers=(Layer(name="a"),))
            self.assertEqual(len(resolve(shot, 1, NOWHERE).bodies), working)
            self.assertEqual(len(resolve(shot, 1, NOWHERE, "a").bodies), delivered)

    def test_a_turning_group_is_blurred_and_stays_within_reach(self) -> None:
        group = Group(id="group", turn=Turn(axis="y", turns=1))
        box = _box("box", 60, inside="group", surface=Finish(shading="unlit"))
        shot = self._shot(
            box,
            group,
            motion=Motion(angle=180),
            raster=Raster(width=160, height=40),
            camera=Camera(position=(0, 0, 1000), projection="orthographic", span=160),
        )
        snapshot = resolve(shot, 3, NOWHERE)
        self.assertTrue(snapshot.stations)
        alpha = render(snapshot, QUALITIES["check"]).beauty[20, :, 3]
        # At frame 3 it passes before the middle, and its edges are soft.
        self.assertGreater(int(((alpha > 0.02) & (alpha < 0.98)).sum()), 6)
        near, far = depth_range(shot, NOWHERE)
        self.assertLess(near, 1000 - 65)
        self.assertGreater(far, 1000 + 65)

    def test_groups_that_are_not_there_or_bite_their_tail(self) -> None:
        for elements, field in (
            ([{"kind": "solid", "id": "a", "inside": "b"}], "elements.0.inside"),
            ([{"kind": "solid", "id": "a"}, {"kind": "solid", "id": "b", "inside": "a"}], "elements.1.inside"),
            ([{"kind": "group", "id": "a", "inside": "a"}], "elements.0.inside"),
            (
                [{"kind": "group", "id": "a", "inside": "b"}, {"kind": "group", "id": "b", "inside": "a"}],
                "elements.0.inside",
            ),
        ):
            with self.assertRaises(DocumentError) as caught:
                read_shot({"version": 3, "elements": elements})
            self.assertEqual(caught.exception.problems[0].field, field)
