"""sRGB against IEC 61966-2-1 and an independent imaging library."""

import unittest

import numpy as np
import OpenImageIO as oiio

from zeitbild.colour import decode, decode_hex, encode


class Srgb(unittest.TestCase):
    def test_published_values(self) -> None:
        # IEC 61966-2-1, evaluated to five places.
        for code, linear in ((128, 0.21586), (188, 0.50289), (0, 0.0), (255, 1.0)):
            self.assertAlmostEqual(float(decode(code / 255)), linear, places=5)
        self.assertAlmostEqual(float(encode(0.18)), 0.46136, places=5)
        self.assertAlmostEqual(float(encode(0.5)), 0.73536, places=5)

    def test_agrees_with_openimageio(self) -> None:
        values = np.linspace(0, 1, 1001, dtype=np.float32).reshape(1, 1001, 1)
        image = oiio.ImageBuf(np.repeat(values, 3, axis=2))
        config = oiio.ImageBufAlgo.colorconvert(image, "lin_rec709_scene", "srgb_rec709_scene")
        if config.has_error:
            config = oiio.ImageBufAlgo.colorconvert(image, "lin_rec709", "sRGB")
        self.assertFalse(config.has_error, config.geterror())
        # The library evaluates its curve in 32-bit floats.
        np.testing.assert_allclose(config.get_pixels()[0, :, 0], encode(values[0, :, 0]), atol=2e-4)

    def test_encode_undoes_decode(self) -> None:
        values = np.linspace(0, 1, 4097)
        np.testing.assert_allclose(encode(decode(values)), values, atol=1e-7)

    def test_hex_colours(self) -> None:
        self.assertEqual(decode_hex("#ff0000"), (1.0, 0.0, 0.0))
        for bad in ("red", "#fff", "#12345g", "123456", "#1234567"):
            with self.assertRaises(ValueError):
                decode_hex(bad)
