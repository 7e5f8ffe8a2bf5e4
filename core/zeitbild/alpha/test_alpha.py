"""Association and over, against the published formulas and an independent imaging library."""

import unittest

import numpy as np
import OpenImageIO as oiio

from zeitbild.alpha import over, over_colour, premultiply, unpremultiply


def _pictures() -> tuple[np.ndarray, np.ndarray]:  # type: ignore[type-arg]
    random = np.random.default_rng(7)
    pair = random.random((2, 9, 11, 4)).astype(np.float32)
    pair[..., :3] *= pair[..., 3:]
    return pair[0], pair[1]


class Over(unittest.TestCase):
    def test_porter_duff_1984(self) -> None:
        # Porter and Duff 1984, Compositing Digital Images; W3C Compositing and Blending Level 1.
        half_red, blue = np.array([0.5, 0, 0, 0.5]), np.array([0, 0, 1.0, 1.0])
        np.testing.assert_allclose(over(half_red, blue), [0.5, 0, 0.5, 1.0])

    def test_agrees_with_openimageio(self) -> None:
        front, back = _pictures()
        a, b = oiio.ImageBuf(front), oiio.ImageBuf(back)
        for image in (a, b):
            image.specmod().alpha_channel = 3
        theirs = oiio.ImageBufAlgo.over(a, b)
        self.assertFalse(theirs.has_error, theirs.geterror())
        np.testing.assert_allclose(theirs.get_pixels(), over(front, back), atol=1e-6)

    def test_clear_in_front_changes_nothing(self) -> None:
        _, back = _pictures()
        np.testing.assert_array_equal(over(np.zeros_like(back), back), back)

    def test_over_a_colour_is_over_an_opaque_picture(self) -> None:
        front, _ = _pictures()
        ground = np.array([0.2, 0.4, 0.6])
        opaque = np.broadcast_to([*ground, 1.0], front.shape)
        np.testing.assert_allclose(over_colour(front, ground), over(front, opaque)[..., :3])


class Association(unittest.TestCase):
    def test_there_and_back(self) -> None:
        front, _ = _pictures()
        np.testing.assert_allclose(premultiply(unpremultiply(front)), front, atol=1e-7)

    def test_nothing_is_black_when_made_straight(self) -> None:
        np.testing.assert_array_equal(unpremultiply(np.array([[0.3, 0.2, 0.1, 0.0]])), [[0, 0, 0, 0]])
