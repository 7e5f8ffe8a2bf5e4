"""What can be looked at alone."""

import unittest

import numpy as np

from zeitbild.colour import decode
from zeitbild.errors import InputError
from zeitbild.proof import Ground, View, show
from zeitbild.proof.looks import looks
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.snapshot.lights import LightSource
from zeitbild.testing import AMBIENT, EVEN, quad, snapshot, sphere

SUN = LightSource("sun", (1.0, 1.0, 1.0), direction=(-0.6, 0, -0.8), shadows=True, group="Key")


class Looks(unittest.TestCase):
    def setUp(self) -> None:
        shot = snapshot(quad(3), sphere(1, 32), lights=(SUN, AMBIENT), environment=EVEN, occlusion=1.0, size=(64, 64))
        self.picture = render(shot, QUALITIES["check"], planes=True)

    def _shown(self, what: str, ground: str = "black") -> np.ndarray:  # type: ignore[type-arg]
        return show(self.picture, View(Ground(ground), what))  # type: ignore[arg-type]

    def test_every_look_shows_something_and_no_two_the_same(self) -> None:
        # Nothing glows and nothing moves here, and every element has one surface.
        shown = {
            look.name: self._shown(look.name).tobytes()
            for look in looks()
            if look.name not in ("emission", "motion", "identity-finish", "normal-camera", "backdrop")
        }
        self.assertEqual(len(set(shown.values())), len(shown))
        np.testing.assert_array_equal(self._shown("identity-finish"), self._shown("identity-element"))
        self.assertEqual(self._shown("emission").max(), 0)

    def test_parts_of_light_shown_add_up_to_the_picture(self) -> None:
        linear = [decode(self._shown(name) / 255) for name in ("diffuse", "specular", "environment", "emission")]
        # Four roundings to 8 bits, each half a step at the steepest part of the curve for such greys.
        whole = np.minimum(decode(self._shown("picture") / 255), 1)
        unclipped = whole < 0.98
        np.testing.assert_allclose(sum(linear)[unclipped], whole[unclipped], atol=0.02)

    def test_alpha_and_depth_need_no_planes_and_the_rest_says_so(self) -> None:
        plain = render(snapshot(quad(1), size=(32, 32)), QUALITIES["rough"])
        for look in looks():
            if look.planes:
                with self.assertRaisesRegex(InputError, "without its parts"):
                    show(plain, View(what=look.name))
            else:
                self.assertEqual(show(plain, View(what=look.name)).shape, (32, 32, 3))

    def test_a_group_of_lights_can_be_looked_at(self) -> None:
        self.assertGreater(self._shown("light:Key").max(), 100)
        with self.assertRaisesRegex(InputError, "no pass 'light:Rim' in this shot; there are .*light:Key"):
            self._shown("light:Rim")

    def test_clipping_marks_what_is_too_bright_and_what_is_black(self) -> None:
        beauty = np.zeros((1, 4, 4), np.float32)
        beauty[0] = ((2, 2, 2, 1), (2, 0.1, 0.1, 1), (0, 0, 0, 1), (0.2, 0.2, 0.2, 1))
        picture = Picture(beauty, np.zeros((1, 4), np.float32))
        blue, green, red = np.moveaxis(show(picture, View(Ground("black"), "clipping"))[0].astype(int), 1, 0)
        # All channels, one channel, black, and grey for the rest.
        self.assertGreater(red[0], green[0] + 100)
        self.assertTrue(red[1] > 200 and green[1] > 150 and blue[1] < 120)
        self.assertGreater(blue[2], red[2] + 80)
        self.assertEqual(red[3], blue[3])

    def test_unknown_looks_are_refused(self) -> None:
        with self.assertRaisesRegex(InputError, "cannot be looked at: there is no pass .* there are beauty, matte"):
            self._shown("glamour")

    def test_an_empty_picture_can_be_looked_at(self) -> None:
        empty = render(snapshot(size=(16, 16)), QUALITIES["rough"], planes=True)
        for look in looks():
            self.assertEqual(show(empty, View(Ground("black"), look.name)).max(), 0, look.name)
