"""TIFF, TGA, JPEG, WebP and palettes by what their specifications say, with parsers of this test and other libraries."""

import io
import struct
import tempfile
import unittest
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import png
from numpy.typing import NDArray
from PIL import Image

from zeitbild.colour import encode
from zeitbild.errors import InputError
from zeitbild.formats import Plane, formats
from zeitbild.formats._one import encoded, read_one
from zeitbild.formats.tga import tga_bytes

#: Alphas at which rounding and clearness change.
ALPHAS = (0, 1, 64, 127, 128, 254, 255)


def patches() -> Plane:
    """Every alpha with colours from black to white, premultiplied; odd sizes."""
    alpha = np.repeat(np.array(ALPHAS) / 255, 5)[None, :].repeat(33, axis=0)
    shade = np.linspace(0, 1, 33)[:, None]
    colour = np.stack([shade + 0 * alpha, shade**2 + 0 * alpha, 1 - shade + 0 * alpha], axis=2)
    return Plane("colour", np.concatenate([colour * alpha[..., None], alpha[..., None]], axis=2).astype(np.float32))


def wanted(top: int, premultiplied: bool = False) -> NDArray[np.float64]:
    """Code values by the published formula, black where alpha is zero."""
    pixels = patches().pixels.astype(np.float64)
    alpha = pixels[..., 3:]
    colour = encode(pixels[..., :3] / np.maximum(alpha, 1e-9)) * (alpha if premultiplied else 1)
    return np.concatenate([np.where(alpha > 0.5 / top, colour, 0), alpha], axis=2) * top


class Tiff(unittest.TestCase):
    """TIFF 6.0: tags in their directory, parsed here; pixels by Pillow."""

    def _tags(self, data: bytes) -> dict[int, tuple[int, ...]]:
        self.assertEqual(data[:4], b"II*\0")
        (at,) = struct.unpack_from("<I", data, 4)
        (count,) = struct.unpack_from("<H", data, at)
        found = {}
        for number in range(count):
            tag, kind, many, value = struct.unpack_from("<HHII", data, at + 2 + 12 * number)
            size, letter = {1: (1, "B"), 3: (2, "H"), 4: (4, "I")}.get(kind, (0, ""))
            if size:
                place = at + 2 + 12 * number + 8 if many * size <= 4 else value
                found[tag] = struct.unpack_from(f"<{many}{letter}", data, place)
        return found

    def test_extra_samples_say_how_colour_relates_to_alpha(self) -> None:
        # Tag 338: 1 associated, 2 unassociated (section 18); 258 bits, 339 kinds of samples (3: floats), 262 photometric.
        for name, options, extra, bits, kind in (
            ("tiff8", {}, 2, 8, 1),
            ("tiff8", {"alpha": "premultiplied"}, 1, 8, 1),
            ("tiff16", {}, 2, 16, 1),
            ("tiff16", {"alpha": "premultiplied"}, 1, 16, 1),
            ("tiff-float", {}, 1, 16, 3),
            ("tiff-float", {"numbers": "float"}, 1, 32, 3),
        ):
            tags = self._tags(encoded(formats.get(name), [patches()], "pass", options))
            self.assertEqual(tags[338], (extra,), (name, options))
            self.assertEqual(tags[258], (bits,) * 4)
            self.assertEqual(tags.get(339, (1,) * 4), (kind,) * 4)
            self.assertEqual((tags[256], tags[257], tags[262]), ((35,), (33,), (2,)))

    def test_numbers_of_every_alpha_by_pillow(self) -> None:
        for options in ({}, {"alpha": "premultiplied"}, {"compression": "none"}):
            data = encoded(formats.get("tiff8"), [patches()], "pass", options)
            with Image.open(io.BytesIO(data)) as file:
                # Pillow tells associated alpha apart as a mode of its own.
                pixels = np.asarray(file if file.mode == "RGBA" else file.convert("RGBA"))
                mode = file.mode
            if mode == "RGBA" and "alpha" not in options:
                self.assertLess(np.abs(pixels - wanted(255)).max(), 0.502)

    def test_light_can_be_encoded_otherwise(self) -> None:
        # ITU-R BT.709-6; a power of 1/2.2; light itself.
        pixels = np.ones((4, 4, 4), np.float32)
        pixels[..., :3] = 0.25
        for name, share in (("rec709", 1.099 * 0.25**0.45 - 0.099), ("gamma22", 0.25 ** (1 / 2.2)), ("linear", 0.25)):
            data = encoded(formats.get("tiff16"), [Plane("colour", pixels)], "pass", {"transfer": name})
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "one.tif"
                path.write_bytes(data)
                (found,) = read_one(formats.get("tiff16"), path, [Plane("colour", pixels)], "pass", {"transfer": name})
                self.assertTrue(found.holds)
                value = oiio.ImageBuf(str(path)).get_pixels()[0, 0, 0]
            self.assertAlmostEqual(float(value), share, delta=1 / 65535, msg=name)


class Tga(unittest.TestCase):
    def test_header_and_footer_say_what_alpha_is(self) -> None:
        # TGA 2.0: the last 26 bytes point to the extension area, whose last byte is 3 for straight alpha and 4 for premultiplied.
        for options, kind in (({}, 3), ({"alpha": "premultiplied"}, 4), ({"compression": "none"}, 3)):
            data = encoded(formats.get("tga"), [patches()], "pass", options)
            self.assertEqual(data[-18:], b"TRUEVISION-XFILE.\0")
            extension, _ = struct.unpack("<II", data[-26:-18])
            self.assertEqual(struct.unpack_from("<H", data, extension)[0], 495)
            self.assertEqual(data[extension + 494], kind)
            self.assertEqual(struct.unpack_from("<HHBB", data, 12), (35, 33, 32, 0x28))
            self.assertEqual(data[2], 2 if "compression" in options else 10)
            with Image.open(io.BytesIO(data)) as file:
                pixels = np.asarray(file)
            self.assertLess(np.abs(pixels - wanted(255, kind == 4)).max(), 0.502)

    def test_long_and_short_runs(self) -> None:
        # Rows of more than 128 equal and of more than 128 different pixels.
        random = np.random.default_rng(3)
        pixels = np.ones((5, 700, 4), np.float32)
        pixels[1, :, :3] = random.random((700, 3))
        pixels[2, 100:430, 0] = 0
        pixels[3] = 0
        pixels[4, ::2, 1] = 0.5
        data = encoded(formats.get("tga"), [Plane("colour", pixels)])
        with Image.open(io.BytesIO(data)) as file:
            found = np.asarray(file).astype(float)
        expected = np.concatenate([encode(pixels[..., :3]), pixels[..., 3:]], axis=2) * 255
        self.assertLess(np.abs(found - expected).max(), 0.502)

    def test_runs_of_every_length_come_back(self) -> None:
        """Pillow unpacks what a parser of this test says are packets of at most 128 pixels, none of which goes on in another row."""
        random = np.random.default_rng(2)
        for width in (1, 2, 3, 127, 128, 129, 300):
            for shades in (1, 2, 256):
                for shape in ((5, width), (5, width, 4)):
                    codes = random.integers(0, shades, shape).astype(np.uint8)
                    codes[1:3] = np.repeat(codes[1:3, ::7], 7, axis=1)[:, :width]
                    data = tga_bytes(codes, premultiplied=False, runs=True)
                    channels = 1 if codes.ndim == 2 else 4
                    at = 18
                    for _ in range(5):
                        left = width
                        while left > 0:
                            count = (data[at] & 127) + 1
                            at += 1 + channels * (1 if data[at] & 128 else count)
                            left -= count
                        self.assertEqual(left, 0)
                    with Image.open(io.BytesIO(data)) as found:
                        np.testing.assert_array_equal(np.asarray(found), codes)


class Others(unittest.TestCase):
    def test_webp_without_loss_has_every_number(self) -> None:
        data = encoded(formats.get("webp"), [patches()])
        with Image.open(io.BytesIO(data)) as file:
            self.assertLess(np.abs(np.asarray(file.convert("RGBA")) - wanted(255)).max(), 0.502)

    def test_jpeg_is_opaque_and_near(self) -> None:
        own = patches()
        own.pixels[..., 3] = 1
        data = encoded(formats.get("jpeg"), [own], "pass", {"quality": "95"})
        with Image.open(io.BytesIO(data)) as file:
            self.assertEqual((file.mode, file.size), ("RGB", (35, 33)))
            self.assertIsNotNone(file.info.get("icc_profile"))
            off = np.abs(np.asarray(file) - encode(own.pixels[..., :3].astype(np.float64)) * 255)
        self.assertLess(off.mean(), 4)

    def test_what_is_bled_is_the_nearest_colour_and_alpha_stays(self) -> None:
        pixels = np.zeros((40, 60, 4), np.float32)
        pixels[15:25, 10:20] = (1, 0, 0, 1)
        pixels[15:25, 40:50] = (0, 0, 0.5, 0.5)
        data = encoded(formats.get("png8"), [Plane("colour", pixels)], "pass", {"under": "bled"})
        width, height, rows, _ = png.Reader(bytes=data).asDirect()
        found = np.vstack([np.asarray(row) for row in rows]).reshape(height, width, 4)
        np.testing.assert_array_equal(found[..., 3], (pixels[..., 3] * 255 + 0.5).astype(int))
        self.assertEqual(found[0, 0].tolist(), [255, 0, 0, 0])
        self.assertEqual(found[39, 59].tolist(), [0, 0, 255, 0])
        # Half-way between both.
        self.assertEqual(found[20, 28].tolist(), [255, 0, 0, 0])
        self.assertEqual(found[20, 32].tolist(), [0, 0, 255, 0])

    def test_noise_keeps_the_mean_and_leaves_whole_numbers_alone(self) -> None:
        shade = np.linspace(0.2, 0.21, 256, dtype=np.float32)
        pixels = np.ones((256, 256, 4), np.float32)
        pixels[..., :3] = shade[None, :, None]
        for dither, steps in (("off", 0.2), ("on", 0.12)):
            data = encoded(formats.get("png8"), [Plane("colour", pixels)], "pass", {"dither": dither})
            _, _, rows, _ = png.Reader(bytes=data).asDirect()
            found = np.vstack([np.asarray(row) for row in rows]).reshape(256, 256, 4)[..., 0].mean(axis=0)
            off = np.abs(found - encode(shade.astype(np.float64)) * 255).mean()
            (self.assertLess if dither == "on" else self.assertGreater)(off, steps)
        flat = np.ones((64, 64, 4), np.float32)
        data = encoded(formats.get("png8"), [Plane("colour", flat)], "pass", {"dither": "on"})
        _, _, rows, _ = png.Reader(bytes=data).asDirect()
        self.assertEqual(np.vstack([np.asarray(row) for row in rows]).min(), 255)

    def test_a_palette_keeps_every_colour_or_says_how_many_there_are(self) -> None:
        data = encoded(formats.get("png-palette"), [patches()])
        # W3C PNG: colour type 3, with PLTE and tRNS.
        self.assertEqual(data[25], 3)
        self.assertIn(b"PLTE", data)
        self.assertIn(b"tRNS", data)
        with Image.open(io.BytesIO(data)) as file:
            self.assertLess(np.abs(np.asarray(file.convert("RGBA")) - wanted(255)).max(), 0.502)
        many = np.random.default_rng(1).random((40, 40, 4)).astype(np.float32)
        many[..., :3] *= many[..., 3:]
        with self.assertRaisesRegex(InputError, "colours .* a palette holds 256"):
            encoded(formats.get("png-palette"), [Plane("colour", many)])
