"""Pictures and fonts that are cut off, lie, explode or take for ever; and whole ones, which give what they always gave."""

import io
import shutil
import struct
import tempfile
import unittest
import zlib
from pathlib import Path
from typing import Any

import numpy as np
from fontTools.feaLib.builder import addOpenTypeFeaturesFromString
from fontTools.ttLib import TTFont
from PIL import Image

from zeitbild.assets import AssetFolder
from zeitbild.elements.lettering import Lettering, build
from zeitbild.errors import FontError, InputError, LimitError, PictureError
from zeitbild.fonts import SHIPPED
from zeitbild.geometry.font import check_font, open_face, strangers_face
from zeitbild.geometry.shaping import shape
from zeitbild.pictures import levels_of, measure_picture, sizes_of


def _png(width: int, height: int, rows: int) -> bytes:
    """A PNG whose header promises height rows and that holds so many."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    pixels = zlib.compress((b"\0" + b"\x80" * 3 * width) * rows)
    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", pixels) + chunk(b"IEND", b"")


def _saved(kind: str, **more: Any) -> bytes:
    out = io.BytesIO()
    noise = np.random.default_rng(1).integers(0, 255, (120, 240, 3), np.uint8)
    Image.fromarray(noise).save(out, kind, **more)
    return out.getvalue()


def _many_scans(scans: int) -> bytes:
    """A progressive JPEG whose last scan is repeated: a few bytes each, and the whole picture to decode again."""
    out = io.BytesIO()
    Image.new("RGB", (8000, 4000), (90, 120, 150)).save(out, "JPEG", progressive=True, quality=30)
    data = out.getvalue()
    last = data.rindex(b"\xff\xda")
    return data[:-2] + data[last:-2] * scans + b"\xff\xd9"


def _light_files() -> list[bytes]:
    """An OpenEXR and a Radiance file."""
    import OpenImageIO as oiio

    found = []
    with tempfile.TemporaryDirectory() as folder:
        for ending in (".exr", ".hdr"):
            path = Path(folder) / f"p{ending}"
            oiio.ImageBuf(np.random.default_rng(1).random((120, 240, 3)).astype(np.float32)).write(str(path))
            found.append(path.read_bytes())
    return found


class StrangersPictures(unittest.TestCase):
    def test_whole_pictures_are_measured(self) -> None:
        for kind in ("PNG", "JPEG"):
            self.assertEqual(measure_picture(_saved(kind), "whole"), [120, 240])
        self.assertEqual(measure_picture(_saved("JPEG", progressive=True), "whole"), [120, 240])
        self.assertEqual(measure_picture(_png(200, 100, 100), "whole"), [100, 200])

    def test_cut_off_pictures_are_named_wherever_they_are_cut(self) -> None:
        exr, hdr = _light_files()
        whole = {"PNG": _saved("PNG"), "JPEG": _saved("JPEG"), "EXR": exr, "HDR": hdr}
        for kind, data in whole.items():
            self.assertEqual(measure_picture(data, kind), [120, 240])
            for share in (0.02, 0.3, 0.5, 0.9, 0.99):
                with self.subTest(kind=kind, share=share), self.assertRaises(PictureError) as caught:
                    measure_picture(data[: int(share * len(data))], "cut.file")
                self.assertIn("cut.file", str(caught.exception))

    def test_a_header_that_promises_more_than_there_is(self) -> None:
        with self.assertRaises(PictureError):
            measure_picture(_png(8000, 4000, 100), "liar.png")
        jpeg = bytearray(_saved("JPEG"))
        at = jpeg.index(b"\xff\xc0")
        jpeg[at + 5 : at + 9] = struct.pack(">HH", 4000, 8000)
        with self.assertRaises(PictureError):
            measure_picture(bytes(jpeg), "liar.jpg")

    def test_a_picture_that_takes_for_ever_is_given_up(self) -> None:
        with self.assertRaisesRegex(PictureError, "scans.jpg cannot be used: reading it took more than 10 seconds"):
            measure_picture(_many_scans(400), "scans.jpg")

    def test_mutated_pictures_are_refused_or_harmless(self) -> None:
        # Two hundred files, each wrong in some way that chance made.
        generator = np.random.default_rng(5)
        for data in (_saved("PNG"), _saved("JPEG"), _saved("JPEG", progressive=True), *_light_files()):
            for _ in range(40):
                changed = bytearray(data)
                for at in generator.integers(2, len(data), 20):
                    changed[at] = generator.integers(0, 256)
                try:
                    self.assertEqual(len(measure_picture(bytes(changed), "mutated")), 2)
                except InputError as error:
                    self.assertIn("mutated", str(error))

    def test_levels_and_sizes_halve_the_picture(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "picture"
            path.write_bytes(_png(64, 32, 32))
            levels = levels_of(str(path), "it", False, 32, 12)
            self.assertEqual(
                [level.shape for level in levels], [(16, 32, 3), (8, 16, 3), (4, 8, 3), (2, 4, 3), (1, 2, 3), (1, 1, 3)]
            )
            sizes = sizes_of(str(path), "it", [16, 8, 4])
            self.assertEqual([size.shape for size in sizes], [(8, 16, 3), (4, 8, 3), (2, 4, 3)])
            for pixels in (*levels, *sizes):
                np.testing.assert_allclose(pixels, pixels.flat[0], rtol=1e-6)
            path.write_bytes(_png(64, 64, 64))
            with self.assertRaisesRegex(PictureError, "twice as wide"):
                sizes_of(str(path), "it", [16, 8, 4])


def _exploding_font(path: Path, times: int, rounds: int) -> None:
    """The book serif whose letter A becomes ``times`` letters, ``rounds`` times over."""
    font = TTFont(SHIPPED["eb-garamond"].path)
    many = " ".join(["A"] * times)
    lookups = "".join(f"lookup more{n} {{ sub A by {many}; }} more{n};\n" for n in range(rounds))
    uses = "".join(f"lookup more{n};\n" for n in range(rounds))
    addOpenTypeFeaturesFromString(font, f"{lookups} feature ccmp {{ {uses} }} ccmp;")
    font.save(path)


class StrangersFonts(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def test_a_brought_font_sets_and_draws_as_the_same_font_shipped(self) -> None:
        for key, word in (("eb-garamond", "Affiné\nToVA"), ("amiri", "سلام 12"), ("dancing-script", "Ostwind")):
            path = self.folder / key
            shutil.copy(SHIPPED[key].path, path)
            shipped, brought = open_face(path.read_bytes(), "it"), strangers_face(path, "it")
            placed = shape(word, brought)
            self.assertEqual(placed, shape(word, shipped))
            for glyph in {one.glyph for one in placed}:
                for mine, theirs in zip(brought.curves(glyph), shipped.curves(glyph), strict=True):
                    np.testing.assert_array_equal(mine.curves, theirs.curves)
                    np.testing.assert_array_equal(mine.straight, theirs.straight)

    def test_a_font_that_explodes_is_one_sentence(self) -> None:
        assets = AssetFolder(self.folder)
        for times, rounds in ((60, 2), (400, 3), (2000, 5)):
            path = self.folder / f"{times}.otf"
            _exploding_font(path, times, rounds)
            data = path.read_bytes()
            check_font(data, "bomb.otf")
            word = Lettering(id="w", word="AAAA", font="asset:" + assets.add(data))
            with self.assertRaises(InputError) as caught:
                build(word, assets)
            self.assertIsInstance(caught.exception, FontError | LimitError)
            self.assertIn("the uploaded font", str(caught.exception))
