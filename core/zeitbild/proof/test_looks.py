"""What can be looked at alone."""

import unittest

import numpy as np

from zeitbild.colour import decode
from zeitbild.errors import InputError
from zeitbild.lights import LightSource
from zeitbild.proof import Ground, View, show
from zeitbild.proof.looks import LOOKS
from zeitbild.render import QUALITIES, render
from zeitbild.testing import AMBIENT, EVEN, quad, snapshot, sphere

SUN = LightSource("sun", (1.0, 1.0, 1.0), direction=(-0.6, 0, -0.8), shadows=True)


class Looks(unittest.TestCase):
    def setUp(self) -> None:
        shot = snapshot(quad(3), sphere(1, 32), lights=(SUN, AMBIENT), environment=EVEN, occlusion=1.0, size=(64, 64))
        self.picture = render(shot, QUALITIES["check"], planes=True)

    def _shown(self, what: str, ground: str = "black") -> np.ndarray:  # type: ignore[type-arg]
        return show(self.picture, View(Ground(ground), what))  # type: ignore[arg-type]

    def test_every_look_shows_something_and_no_two_the_same(self) -> None:
        shown = {look.name: self._shown(look.name).tobytes() for look in LOOKS if look.name != "emission"}
        self.assertEqual(len(set(shown.values())), len(shown))
        # Nothing glows here.
        self.assertEqual(self._shown("emission").max(), 0)

    def test_parts_of_light_shown_add_up_to_the_picture(self) -> None:
        linear = [decode(self._shown(name) / 255) for name in ("diffuse", "specular", "around", "emission")]
        # Four roundings to 8 bits, each half a step at the steepest part of the curve for such greys.
        whole = np.minimum(decode(self._shown("picture") / 255), 1)
        unclipped = whole < 0.98
        np.testing.assert_allclose(sum(linear)[unclipped], whole[unclipped], atol=0.02)

    def test_alpha_and_depth_need_no_planes_and_the_rest_says_so(self) -> None:
        plain = render(snapshot(quad(1), size=(32, 32)), QUALITIES["rough"])
        for look in LOOKS:
            if look.planes:
                with self.assertRaisesRegex(InputError, "without its parts"):
                    show(plain, View(what=look.name))
            else:
                self.assertEqual(show(plain, View(what=look.name)).shape, (32, 32, 3))

    def test_unknown_looks_are_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "cannot be looked at; known: picture, alpha"):
            self._shown("glamour")

    def test_an_empty_picture_can_be_looked_at(self) -> None:
        empty = render(snapshot(size=(16, 16)), QUALITIES["rough"], planes=True)
        for look in LOOKS:
            self.assertEqual(show(empty, View(Ground("black"), look.name)).max(), 0, look.name)
