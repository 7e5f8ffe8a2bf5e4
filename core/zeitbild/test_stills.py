"""Single pictures of all kinds, against what Pillow makes of the same files."""

import io
import unittest

import numpy as np
from PIL import Image, ImageOps

from zeitbild.colour import decode
from zeitbild.pictures import read_picture
from zeitbild.stills import read_data, size_by_head

_TIMES = np.random.default_rng(4).integers(0, 256, (6, 9, 4), np.uint8).repeat(8, axis=0).repeat(8, axis=1)


def _file(kind: str, image: Image.Image, **more: object) -> bytes:
    out = io.BytesIO()
    image.save(out, kind, **more)
    return out.getvalue()


class Stills(unittest.TestCase):
    def test_photographs_stand_as_they_were_held(self) -> None:
        image = Image.fromarray(_TIMES[..., :3])
        for held in range(1, 9):
            exif = Image.Exif()
            exif[0x0112] = held
            for kind, more in (("JPEG", {"quality": 95, "subsampling": 0}), ("AVIF", {"subsampling": "4:4:4"})):
                data = _file(kind, image, exif=exif, **more)
                with self.subTest(kind, held=held):
                    upright = ImageOps.exif_transpose(Image.open(io.BytesIO(data)))
                    found = read_data(data, "photograph").pixels[..., :3]
                    np.testing.assert_allclose(found.astype(int), np.asarray(upright, int), atol=2)
                    self.assertEqual(size_by_head(io.BytesIO(data), "photograph"), upright.size)
                    self.assertEqual(read_picture(data, "photograph").shape[1::-1], upright.size)

    def test_an_exif_that_says_nonsense_turns_nothing(self) -> None:
        for held in (0, 9, 65_535):
            exif = Image.Exif()
            exif[0x0112] = held
            self.assertEqual(read_data(_file("PNG", Image.new("RGB", (4, 2)), exif=exif), "x").pixels.shape, (2, 4, 3))
        exif = Image.Exif()
        exif[0x0112] = 9
        self.assertEqual(read_data(_file("JPEG", Image.new("RGB", (4, 2)), exif=exif), "x").pixels.shape, (2, 4, 3))

    def test_surfaces_take_every_kind_over_black(self) -> None:
        image = Image.fromarray(_TIMES)
        light = decode(_TIMES[..., :3] / 255.0)
        for kind, more, wanted in (
            ("PNG", {}, light * (_TIMES[..., 3:] / 255)),
            ("TIFF", {"compression": "tiff_lzw"}, light * (_TIMES[..., 3:] / 255)),
            ("TGA", {}, light * (_TIMES[..., 3:] / 255)),
            ("WEBP", {"lossless": True, "exact": True}, light * (_TIMES[..., 3:] / 255)),
        ):
            with self.subTest(kind):
                np.testing.assert_allclose(read_picture(_file(kind, image, **more), "x"), wanted, atol=1e-5)
        # What is numbers and no colours stays as it is.
        np.testing.assert_allclose(read_picture(_file("PNG", image), "x", plain=True), _TIMES[..., :3] / 255, atol=1e-6)
