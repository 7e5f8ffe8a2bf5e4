"""Every format: what is written is read back right by independent readers, and a wrong file is noticed."""

import io
import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import OpenEXR
import OpenImageIO as oiio
import png
from numpy.typing import NDArray
from PIL import Image

from zeitbild.colour import encode
from zeitbild.colour.highlights import for_straight
from zeitbild.errors import StorageError
from zeitbild.formats import Format, Plane, formats
from zeitbild.formats._one import encoded as bytes_of
from zeitbild.formats._one import read_one, write_one
from zeitbild.formats._png import png_of
from zeitbild.render.picture import NO_DEPTH
from zeitbild.storage import write_bytes


def colour_plane() -> Plane:
    """All alphas against many colours, brighter than 1 and clear pixels included; premultiplied."""
    alpha, colour = np.meshgrid(np.linspace(0, 1, 64), np.linspace(0, 1.3, 48))
    straight = np.stack([colour, colour**2, 1.3 - colour, np.ones_like(alpha)], axis=2)
    return Plane("colour", (straight * alpha[..., None]).astype(np.float16).astype(np.float32))


def light_plane() -> Plane:
    """A part of light, beside the alpha of the whole."""
    return replace(colour_plane(), role="light", name="diffuse")


def coverage_plane() -> Plane:
    """A ramp of coverage."""
    return Plane("coverage", np.tile(np.linspace(0, 1, 300, dtype=np.float32), (16, 1)))


def depth_plane() -> Plane:
    """Distances from 50 to 150, and nothing."""
    depth = np.tile(np.linspace(50, 150, 200, dtype=np.float32), (4, 1))
    depth[0] = NO_DEPTH
    return Plane("depth", depth, channels=("Z",), spread=((40.0, 160.0),))


def data_plane() -> Plane:
    """Two numbers that go below zero, and nothing."""
    random = np.random.default_rng(5)
    there = random.random((6, 120)) < 0.7
    numbers = np.where(there[..., None], random.uniform(-30, 30, (6, 120, 2)), 0).astype(np.float32)
    return Plane("data", numbers, "motion", channels=("X", "Y"), spread=((-32.0, 32.0),) * 2, there=there)


def identity_plane() -> Plane:
    """Three names in up to four ranks, coverage that falls and rises from slot to slot."""
    random = np.random.default_rng(6)
    number = np.argsort(random.random((6, 120, 4)), axis=2).astype(np.float32) - 1
    cover = random.random((6, 120, 4)).astype(np.float32) / 4
    cover[0] = 0
    number[cover == 0] = -1
    cover[number < 0] = 0
    return Plane("identity", np.stack([number, cover], axis=3), "identity-element", ids=("Wort", "Käfig", "灯台"))


PLANES = (colour_plane, light_plane, coverage_plane, depth_plane, data_plane, identity_plane)


def encoded(form: Format, *planes: Plane, **options: str) -> bytes:
    """Bytes of a file with one plane, or of one with all of a layer."""
    return bytes_of(form, planes, "pass" if len(planes) == 1 else "layer", options)


def ready(form: Format, plane: Plane) -> Plane:
    """A plane as it comes to a format: for those that end at white, with no channel beyond its alpha; for those without alpha, over
    black; for palettes, with few colours."""
    if plane.role not in ("colour", "light") or not form.ends_at_white:
        return plane
    plane = replace(plane, pixels=for_straight(plane.pixels, None, "clipped", "clipped").pixels)
    if form.alpha == "none":
        return replace(
            plane, pixels=np.concatenate([plane.pixels[..., :3], np.ones_like(plane.pixels[..., 3:])], axis=2)
        )
    if form.name == "png-palette":
        return replace(plane, pixels=np.repeat(np.repeat(plane.pixels[::6, ::8], 6, axis=0), 8, axis=1))
    return plane


class Packing(unittest.TestCase):
    def test_png_of_any_size_and_kind_against_two_readers(self) -> None:
        random = np.random.default_rng(8)
        for kind in (np.uint8, np.uint16):
            for channels in (1, 3, 4):
                for height, width in ((1, 1), (1, 7), (5, 1), (33, 65)):
                    shape = (height, width) if channels == 1 else (height, width, channels)
                    noise = random.integers(0, np.iinfo(kind).max + 1, shape).astype(kind)
                    ramp = np.broadcast_to(
                        np.arange(width, dtype=kind).reshape((1, width) + (1,) * (channels > 1)) * 3, shape
                    )
                    for numbers in (noise, ramp):
                        data = png_of(numbers, srgb=channels > 1)
                        read = png.Reader(bytes=data).read()
                        self.assertEqual(read[:2], (width, height))
                        rows = np.array([list(row) for row in read[2]]).reshape(shape)
                        np.testing.assert_array_equal(rows, numbers)
                        self.assertEqual(read[3]["bitdepth"], 8 * np.dtype(kind).itemsize)
                        again = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
                        if channels > 1:
                            again = again[..., [2, 1, 0, 3][:channels]]
                        np.testing.assert_array_equal(again.reshape(shape), numbers)


class AllFormats(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def _write(self, form: str, plane: Plane, data: bytes | None = None) -> Path:
        kind = formats.get(form)
        path = self.folder / f"{form}-{plane.role}.{kind.extension}"
        if data is None:
            write_one(kind, path, [plane])
        else:
            write_bytes(path, data)
        return path

    def test_what_is_written_holds_when_read_back(self) -> None:
        for form in formats:
            for make in PLANES:
                plane = ready(form, make())
                if not form.carries(plane.role):
                    continue
                (found,) = read_one(form, self._write(form.name, plane), [plane], "pass", {})
                self.assertTrue(found.holds, (form.name, plane.role, found))
                self.assertEqual(found.bits, form.bits[plane.role])
                self.assertEqual((found.height, found.width), plane.pixels.shape[:2])

    def test_equal_planes_give_equal_bytes(self) -> None:
        for form in formats:
            for make in PLANES:
                if form.carries(make().role):
                    plane = ready(form, make())
                    self.assertEqual(encoded(form, plane), encoded(form, plane), form.name)

    def test_a_wrong_pixel_is_noticed(self) -> None:
        for form in formats:
            for make in PLANES:
                plane = ready(form, make())
                if not form.carries(plane.role):
                    continue
                changed = plane.pixels.copy()
                if plane.role == "depth":
                    changed[2, 100] += 3
                elif plane.role == "identity":
                    changed[2, 30, :, 1] = changed[2, 30, ::-1, 1]
                elif plane.role == "data":
                    changed[2, np.flatnonzero(plane.there[2])[0]] = 31  # type: ignore[index]
                else:
                    # What loses something may lose a pixel, but not a place.
                    place = np.s_[:, 24:36] if form.lossy else np.s_[2, 30]
                    value = 0.9 if changed[place].mean() < 0.5 else 0.1
                    changed[place] = value
                    if form.alpha == "none" and plane.role != "coverage":
                        changed[..., 3] = 1
                path = self._write(form.name, replace(plane, pixels=changed))
                (found,) = read_one(form, path, [plane], "pass", {})
                self.assertFalse(found.holds, (form.name, plane.role))

    def test_light_that_a_file_cannot_hold_is_a_difference(self) -> None:
        # The reader knows nothing of what the writer clips.
        for form in formats:
            if form.lossy or form.alpha == "none":
                # These have no number of their own for it.
                continue
            too_much = np.full((4, 4, 4), 0.5, np.float32)
            too_much[1, 2, 0] = 0.7 if form.ends_at_white else 70000
            plane = Plane("colour", too_much)
            (found,) = read_one(form, self._write(form.name, plane), [plane], "pass", {})
            self.assertFalse(found.holds, form.name)

    def test_a_file_of_another_size_is_noticed(self) -> None:
        for form in formats:
            plane = ready(form, colour_plane())
            # Even widths stay even.
            path = self._write(form.name, Plane("colour", np.ascontiguousarray(plane.pixels[:-2])))
            try:
                (found,) = read_one(form, path, [plane], "pass", {})
            except StorageError:
                continue
            self.assertFalse(found.holds)

    def test_broken_files_say_so(self) -> None:
        for form in formats:
            plane = ready(form, colour_plane())
            whole = encoded(form, plane)
            for data in (b"", b"nonsense", whole[: len(whole) // 3]):
                path = self._write(form.name, plane, data)
                try:
                    found = read_one(form, path, [plane], "pass", {})
                except StorageError:
                    continue
                # Some readers fill what is missing with zeros instead of refusing: then it is wrong.
                self.assertFalse(found[0].holds, (form.name, len(data)))


class Png(unittest.TestCase):
    """W3C PNG, ISO/IEC 15948: straight alpha; 16-bit samples big-endian. Read by three libraries."""

    def _pixels(self, bits: int) -> NDArray[np.generic]:
        data = encoded(formats.get(f"png{bits}"), colour_plane())
        width, height, rows, info = png.Reader(bytes=data).asDirect()
        self.assertEqual((info["bitdepth"], info["planes"], info["alpha"]), (bits, 4, True))
        return np.vstack([np.asarray(row) for row in rows]).reshape(height, width, 4)

    def test_alpha_is_straight_and_clear_pixels_are_black(self) -> None:
        plane = colour_plane().pixels.astype(np.float64)
        for bits in (8, 16):
            top = 2**bits - 1
            codes = self._pixels(bits).astype(np.float64)
            np.testing.assert_allclose(codes[..., 3], plane[..., 3] * top, atol=0.501)
            seen = codes[..., 3] > 0
            straight = np.clip(plane[seen][:, :3] / plane[seen][:, 3:], 0, 1)
            np.testing.assert_allclose(codes[seen][:, :3], encode(straight) * top, atol=0.502)
            self.assertEqual(codes[~seen].max(), 0)
            self.assertTrue((~seen).any())

    def test_pillow_reads_the_same(self) -> None:
        data = encoded(formats.get("png8"), colour_plane())
        np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(data))), self._pixels(8))

    def test_encoding_is_declared_for_colour_only(self) -> None:
        self.assertIn(b"sRGB", encoded(formats.get("png8"), colour_plane())[:64])
        self.assertNotIn(b"sRGB", encoded(formats.get("png8"), coverage_plane())[:64])

    def test_depth_is_white_near_and_black_where_nothing_is(self) -> None:
        data = encoded(formats.get("png8"), depth_plane())
        _, _, rows, info = png.Reader(bytes=data).asDirect()
        values = np.vstack([np.asarray(row) for row in rows])
        self.assertEqual(info["bitdepth"], 16)
        self.assertEqual(values[0].max(), 0)
        np.testing.assert_allclose(values[1, [0, -1]] / 65535, [(160 - 50) / 120, (160 - 150) / 120], atol=1e-4)


class Exr(unittest.TestCase):
    def test_says_when_a_frame_is(self) -> None:
        # Time code of SMPTE ST 12-1, read by OpenImageIO: frame 1800 at 30000/1001 is the first code after two that drop.
        for rate, frame, code in (
            (Fraction(24), 25, "00:00:01:01"),
            (Fraction(30000, 1001), 1800, "00:01:00:02"),
            (Fraction(60), 61, "00:00:01:00"),
            (Fraction(25), 25 * 3600 * 25, "01:00:00:00"),
        ):
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "a.exr"
                path.write_bytes(encoded(formats.get("exr"), replace(colour_plane(), rate=rate, frame=frame)))
                spec = oiio.ImageBuf(str(path)).spec()
                # Binary coded decimals in one word: hours, minutes, seconds, frames, and bit 6 for drop-frame.
                word = int(np.atleast_1d(spec.getattribute("smpte:TimeCode"))[0])
                digits = [f"{word >> shift & mask:02x}" for shift, mask in ((24, 63), (16, 127), (8, 127), (0, 63))]
                self.assertEqual(":".join(digits), code)
                self.assertEqual(bool(word >> 6 & 1), rate.denominator == 1001)
                self.assertEqual(tuple(spec.getattribute("FramesPerSecond")), (rate.numerator, rate.denominator))

    def test_alpha_is_premultiplied_and_light_is_linear(self) -> None:
        # OpenEXR technical introduction: colour is premultiplied by alpha. Read by OpenImageIO.
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.exr"
            path.write_bytes(encoded(formats.get("exr"), colour_plane()))
            image = oiio.ImageBuf(str(path))
            np.testing.assert_array_equal(image.get_pixels(), colour_plane().pixels)
            self.assertEqual(image.spec().alpha_channel, 3)
            with OpenEXR.File(str(path)) as file:
                self.assertEqual(file.header()["type"], OpenEXR.scanlineimage)
