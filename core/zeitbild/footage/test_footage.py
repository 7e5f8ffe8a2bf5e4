"""Footage of every kind, written by libraries that are not what reads it here (but for movies, which FFmpeg's both write and read, with known
pixels), pixel by pixel; and files that are broken or mean harm."""

import io
import tempfile
import unittest
import zipfile
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import cv2
import imagecodecs
import numpy as np
import OpenEXR
import tifffile
from numpy.typing import NDArray
from PIL import Image

from zeitbild.errors import InputError
from zeitbild.footage.plain import Footage
from zeitbild.footage.reading import look_at, picture_of
from zeitbild.plates import SHIPPED, make

_WIDE, _HIGH = 48, 32


def _pixels(number: int = 0, depth: type = np.uint8) -> NDArray[Any]:
    """A picture that no other is like: a slope, and alpha with soft and hard edges."""
    y, x = np.mgrid[:_HIGH, :_WIDE]
    most = np.iinfo(depth).max
    red, green = x / (_WIDE - 1), y / (_HIGH - 1)
    blue = np.full_like(red, (number % 16) / 15)
    alpha = np.clip((x - 4) / 12, 0, 1)
    return np.round(np.stack([red, green, blue, alpha], axis=2) * most).astype(depth)


def _pillow(kind: str, frames: list[Image.Image], **more: Any) -> bytes:
    out = io.BytesIO()
    if len(frames) > 1:
        more |= {"save_all": True, "append_images": frames[1:]}
    frames[0].save(out, kind, **more)
    return out.getvalue()


def _image(number: int = 0, mode: str = "RGBA") -> Image.Image:
    return Image.fromarray(_pixels(number)).convert(mode)


def _exr(values: NDArray[np.float32], window: tuple[int, int, int, int], display: tuple[int, int, int, int]) -> bytes:
    header: dict[str, Any] = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "dataWindow": ((window[0], window[1]), (window[2], window[3])),
        "displayWindow": ((display[0], display[1]), (display[2], display[3])),
    }
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.exr"
        channels = {name: np.ascontiguousarray(values[..., at]) for at, name in enumerate("RGBA")}
        with OpenEXR.File(header, channels) as file:
            file.write(str(path))
        return path.read_bytes()


def _zip(members: dict[str, bytes], compressed: bool = False) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED if compressed else zipfile.ZIP_STORED) as packed:
        for name, data in members.items():
            packed.writestr(name, data)
    return out.getvalue()


def _movie(suffix: str, codec: str, form: str, count: int = 30, rate: Fraction = Fraction(25), **options: str) -> bytes:
    """A movie of pictures whose blue tells their number."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"a{suffix}"
        with av.open(str(path), "w") as out:
            stream = out.add_stream(codec, rate=rate, options=options)
            stream.width, stream.height, stream.pix_fmt = _WIDE, _HIGH, form
            stream.codec_context.time_base = 1 / rate
            for number in range(count):
                frame = av.VideoFrame.from_ndarray(_pixels(number), format="rgba").reformat(format=form)
                frame.pts, frame.time_base = number, 1 / rate
                out.mux(stream.encode(frame))
            out.mux(stream.encode())
        return path.read_bytes()


def _tiff(values: NDArray[Any], packed: str, **more: Any) -> bytes:
    out = io.BytesIO()
    if more.get("planarconfig"):
        values = np.ascontiguousarray(np.moveaxis(values, -1, 0))
    tifffile.imwrite(out, values, compression=packed, **more)
    return out.getvalue()


def _lossless_avif(values: NDArray[np.uint8]) -> bytes:
    return bytes(imagecodecs.avif_encode(values, level=100, pixelformat="444", matrix=0))


class _Files(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder, self.number = Path(folder.name), 0

    def path(self, data: bytes) -> str:
        self.number += 1
        place = self.folder / f"asset{self.number}"
        place.write_bytes(data)
        return str(place)

    def look(self, data: bytes) -> tuple[str, Footage]:
        place = self.path(data)
        return place, Footage.of(look_at(place, "own file", True))

    def seen(self, place: str, number: int = 0) -> NDArray[Any]:
        found: NDArray[Any] = picture_of(place, "own file", number)["pixels"]
        return found


class Stills(_Files):
    def test_pixels_of_every_kind(self) -> None:
        eight, sixteen = _pixels(), _pixels(0, np.uint16)
        bgra = [2, 1, 0, 3]
        light = (eight.astype(np.float32) / 255) * [1, 1, 1, 1]
        kinds: dict[str, tuple[bytes, NDArray[Any]]] = {
            "PNG": (_pillow("PNG", [_image()]), eight),
            "PNG 16": (cv2.imencode(".png", sixteen[..., bgra])[1].tobytes(), sixteen),
            "TIFF": (_pillow("TIFF", [_image()]), eight),
            "TIFF 16": (cv2.imencode(".tiff", sixteen[..., bgra])[1].tobytes(), sixteen),
            "TGA": (_pillow("TGA", [_image()]), eight),
            "TGA packed": (_pillow("TGA", [_image()], compression="tga_rle"), eight),
            "WebP": (_pillow("WEBP", [_image()], lossless=True, exact=True), eight),
            "EXR": (_exr(light.astype(np.float32), (0, 0, _WIDE - 1, _HIGH - 1), (0, 0, _WIDE - 1, _HIGH - 1)), light),
            "grey": (_pillow("PNG", [_image(0, "L")]), np.repeat(np.asarray(_image(0, "L"))[..., None], 3, axis=2)),
            "colours in a table": (
                _pillow("PNG", [_image(0, "RGB").quantize(16)]),
                np.asarray(_image(0, "RGB").quantize(16).convert("RGB")),
            ),
            "without alpha": (_pillow("PNG", [_image(0, "RGB")]), eight[..., :3]),
            "BMP": (_pillow("BMP", [_image(0, "RGB")]), np.dstack([eight[..., :3], np.full_like(eight[..., 3], 255)])),
            "BMP with alpha": (cv2.imencode(".bmp", eight[..., bgra])[1].tobytes(), eight),
            "AVIF": (_lossless_avif(eight), eight),
        }
        colours = {"photometric": "rgb", "extrasamples": ["unassalpha"]}
        for name, values, more in (
            ("zstd", eight, colours),
            ("zstd", sixteen, {**colours, "tile": (16, 16), "predictor": True}),
            ("zstd", eight[..., :3], {"photometric": "rgb", "planarconfig": "separate"}),
            ("lzma", light.astype(np.float16), {"photometric": "rgb", "extrasamples": ["assocalpha"]}),
            ("jpegxl", eight, colours),
        ):
            kinds[f"TIFF {name} {values.dtype} {more.get('planarconfig', '')}"] = _tiff(values, name, **more), values
        for name, (data, wanted) in kinds.items():
            with self.subTest(name):
                place, found = self.look(data)
                self.assertEqual((found.kind, found.count, found.width, found.height), ("still", 1, _WIDE, _HIGH))
                pixels = self.seen(place)
                self.assertEqual(pixels.shape, wanted.shape)
                np.testing.assert_allclose(pixels, wanted, atol=1e-6)

    def test_a_jpeg_is_near_and_has_no_alpha(self) -> None:
        place, found = self.look(_pillow("JPEG", [_image(0, "RGB")], quality=95, subsampling=0))
        self.assertEqual((found.reading, found.why), ("ignored", "it has no alpha"))
        off = self.seen(place).astype(int) - _pixels()[..., :3]
        self.assertLess(float(np.abs(off).mean()), 2)

    def test_a_jpeg_is_shown_as_it_was_held_and_inks_are_colours(self) -> None:
        image = _image(0, "RGB")
        exif = Image.Exif()
        exif[0x0112] = 6
        place, found = self.look(_pillow("JPEG", [image], quality=95, subsampling=0, exif=exif))
        self.assertEqual((found.width, found.height), (_HIGH, _WIDE))
        # Its first row was held to the right.
        off = self.seen(place).astype(int) - np.rot90(_pixels()[..., :3], -1)
        self.assertLess(float(np.abs(off).mean()), 2)
        place, _ = self.look(_pillow("JPEG", [image.convert("CMYK")], quality=95, subsampling=0))
        self.assertLess(float(np.abs(self.seen(place).astype(int) - _pixels()[..., :3]).mean()), 3)
        place, _ = self.look(_pillow("TIFF", [image.convert("CMYK")]))
        self.assertLess(float(np.abs(self.seen(place).astype(int) - _pixels()[..., :3]).mean()), 3)

    def test_windows_of_openexr(self) -> None:
        """Data where it stands in the display window, what lies outside of that left out (OpenEXR technical introduction)."""
        values = np.arange(6 * 8 * 4, dtype=np.float32).reshape(6, 8, 4) / 200
        place, found = self.look(_exr(values, (3, -2, 10, 3), (0, 0, 19, 11)))
        self.assertEqual((found.width, found.height, found.reading), (20, 12, "premultiplied"))
        pixels, wanted = self.seen(place), np.zeros((12, 20, 4), np.float32)
        wanted[:4, 3:11] = values[2:]
        np.testing.assert_allclose(pixels, wanted)

    def test_not_a_number_and_beyond_all_are_numbers(self) -> None:
        values = np.full((8, 8, 4), np.nan, np.float32)
        values[..., 3] = np.inf
        window = (0, 0, 7, 7)
        pixels = self.seen(self.path(_exr(values, window, window)))
        self.assertEqual((float(pixels[..., :3].max()), float(pixels[..., 3].max())), (0, 1))


class Moving(_Files):
    def test_animations_frame_by_frame(self) -> None:
        frames = [_image(number) for number in range(7)]
        for kind, more in (("PNG", {"blend": 0}), ("WEBP", {"lossless": True, "exact": True})):
            with self.subTest(kind):
                place, found = self.look(_pillow(kind, frames, duration=40, **more))
                self.assertEqual((found.kind, found.count, found.rate), ("animation", 7, Fraction(25)))
                # There and back: none depends on what was read before.
                for number in (0, 6, 2, 3):
                    pixels, wanted = self.seen(place, number), _pixels(number)
                    np.testing.assert_array_equal(pixels[..., 3], wanted[..., 3])
                    # Colours of what is not there are lost by the writer of one of them.
                    np.testing.assert_array_equal(pixels[:, 5:], wanted[:, 5:])
        # AVIF: nearly, since Pillow's are not without loss.
        place, found = self.look(_pillow("AVIF", frames, duration=40, quality=100, subsampling="4:4:4"))
        self.assertEqual((found.kind, found.count, found.rate), ("animation", 7, Fraction(25)))
        for number in (5, 1):
            off = np.abs(self.seen(place, number)[:, 5:].astype(int) - _pixels(number)[:, 5:])
            self.assertLess(int(np.percentile(off, 99)), 4)
        place, found = self.look(
            _pillow("GIF", [one.convert("RGB") for one in frames], duration=[40, 40, 40, 40, 40, 50, 40])
        )
        self.assertEqual((found.count, found.rate), (7, Fraction(700, 29)))
        place, found = self.look(_pillow("GIF", [one.convert("RGB") for one in frames[:3]], duration=[100, 300, 200]))
        self.assertEqual((found.count, found.rate), (6, Fraction(10)))
        blue = [int(self.seen(place, number)[16, 24, 2]) for number in range(6)]
        self.assertEqual([round(one / 17) for one in blue], [0, 1, 1, 1, 2, 2])

    def test_sequences_in_a_zip(self) -> None:
        members = {f"sea/sea_{one}.png": _pillow("PNG", [_image(one)]) for one in (8, 9, 10, 12)}
        members |= {"sea/notes.txt": b"by hand", "__MACOSX/sea/._sea_8.png": b"x", "sea/.hidden.png": b"x"}
        for compressed in (False, True):
            place, found = self.look(_zip(members, compressed))
            self.assertEqual((found.kind, found.count, found.rate), ("sequence", 5, None))
            for at, number in enumerate((8, 9, 10, 10, 12)):
                np.testing.assert_array_equal(self.seen(place, at), _pixels(number))
            told = " ".join(found.notes)
            self.assertIn("missing: 11", told)
            self.assertIn("notes.txt", told)
            self.assertNotIn("hidden", told)

    def test_odd_sizes_and_depths_are_told_by_name(self) -> None:
        members = {f"a{one}.png": _pillow("PNG", [_image(one)]) for one in range(1, 5)}
        members["a5.png"] = _pillow("PNG", [_image().resize((24, 16))])
        members["a6.png"] = _pillow("PNG", [_image(0, "RGB")])
        place, found = self.look(_zip(members))
        told = " ".join(found.notes)
        self.assertIn("a5.png", told)
        self.assertIn("1 with 8 bits", told)
        self.assertEqual(self.seen(place, 4).shape, (_HIGH, _WIDE, 4))

    def test_movies_by_picture(self) -> None:
        # Without loss: exact. With loss and other colours: the number is still told by blue.
        exact = {"run length": (".mov", "qtrle", "argb", {}), "PNG in MOV": (".mov", "png", "rgba", {})}
        for name, (suffix, codec, form, options) in exact.items():
            with self.subTest(name):
                place, found = self.look(_movie(suffix, codec, form, **options))
                self.assertEqual((found.kind, found.count, found.rate), ("movie", 30, Fraction(25)))
                for number in (0, 29, 14, 15, 3):
                    np.testing.assert_array_equal(self.seen(place, number), _pixels(number))
        lossy = {
            "4444": (".mov", "prores_ks", "yuva444p10le", {"profile": "4444", "alpha_bits": "16"}, True),
            "VP9": (".webm", "libvpx-vp9", "yuva420p", {"crf": "8", "b:v": "0", "g": "8"}, True),
            "H.264": (".mp4", "libx264", "yuv444p", {"crf": "8", "g": "12", "bf": "3"}, False),
        }
        for name, (suffix, codec, form, options, alpha) in lossy.items():
            with self.subTest(name):
                place, found = self.look(_movie(suffix, codec, form, **options))
                self.assertEqual((found.count, found.rate, found.reading == "ignored"), (30, Fraction(25), not alpha))
                for number in (29, 7, 8, 0, 16):
                    pixels = self.seen(place, number)
                    whole = 255 if pixels.dtype == np.uint8 else 65535
                    off = np.abs(pixels[4:-4, 20:40] / whole - _pixels(number)[4:-4, 20:40, : pixels.shape[2]] / 255)
                    self.assertLess(float(off.mean()), 0.03)
                    if alpha:
                        edge = np.abs(pixels[4:-4, 4:16, 3] / whole - _pixels()[4:-4, 4:16, 3] / 255)
                        self.assertLess(float(edge.mean()), 0.01)

    def test_pictures_of_two_fields_are_whole(self) -> None:
        """A bar goes so far from field to field that both show it apart; what stands still keeps each of its lines."""
        high, wide, count = 64, 96, 12
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.mov"
            with av.open(str(path), "w") as out:
                stream = out.add_stream("prores_ks", rate=25, options={"flags": "+ilme+ildct"})
                stream.width, stream.height, stream.pix_fmt = wide, high, "yuv422p10le"
                stream.codec_context.time_base = Fraction(1, 25)
                graph = av.filter.Graph()
                source = graph.add_buffer(width=wide, height=high, format="yuv422p10le", time_base=Fraction(1, 25))
                graph.link_nodes(source, graph.add("setfield", "tff"), graph.add("buffersink")).configure()
                for number in range(count):
                    woven = self._bar(2 * number, high, wide)
                    woven[1::2] = self._bar(2 * number + 1, high, wide)[1::2]
                    frame = av.VideoFrame.from_ndarray(woven, format="rgb24").reformat(format="yuv422p10le")
                    frame.pts, frame.time_base = number, Fraction(1, 25)
                    graph.vpush(frame)
                    out.mux(stream.encode(graph.vpull()))
                out.mux(stream.encode())
            data = path.read_bytes()
        place, found = self.look(data)
        self.assertEqual((found.count, found.rate), (count, Fraction(25)))
        self.assertTrue(any("interlaced" in note for note in found.notes))
        in_order = [self.seen(place, number) for number in range(count)]
        for number in (5, 11, 2, 8, 3, 0, 7):
            # Alone it is what it is in its order.
            np.testing.assert_array_equal(self.seen(self.path(data), number), in_order[number])
            np.testing.assert_array_equal(self.seen(place, number), in_order[number])
        for number in (5, 2, 8, 3):
            seen = in_order[number] / 65535
            expected = self._bar(2 * number, high, wide) / 255
            # Compression takes a little; lines of the other field would show the bar two pixels on.
            self.assertLess(float(np.abs(seen - expected)[:, 8:-8].mean()), 0.02, number)
            self.assertLess(float(np.abs(seen[::2] - seen[1::2])[8:24, : wide - 12].mean()), 0.02)
            # Lines that were only drawn between those of one field would be a quarter off.
            self.assertLess(float(np.abs(seen - expected)[:, wide - 8 :].mean()), 0.05)

    @staticmethod
    def _bar(number: int, high: int, wide: int) -> NDArray[np.uint8]:
        """A white bar that goes two pixels each time, and lines of two that stand still at the right."""
        pixels = np.zeros((high, wide, 3), np.uint8)
        at = 2 + 2 * number
        pixels[:, at : at + 14] = 255
        pixels[np.arange(high) % 4 < 2, wide - 10 :] = 255
        return pixels

    def test_a_movie_is_shown_as_it_was_held(self) -> None:
        """The matrix of its track (ISO/IEC 14496-12, section 8.3.2) turned by a quarter clockwise."""
        data = _movie(".mov", "png", "rgba", 5)
        one, none = (1 << 16).to_bytes(4, "big"), bytes(4)
        at = data.index(b"tkhd")
        start = data.index(one + 3 * none + one, at)
        turned = none + one + none + (-1 << 16).to_bytes(4, "big", signed=True) + none
        place, found = self.look(data[:start] + turned + data[start + 20 :])
        self.assertEqual((found.width, found.height, found.shape), (_HIGH, _WIDE, _WIDE / _HIGH))
        np.testing.assert_array_equal(self.seen(place, 3), np.rot90(_pixels(3), -1))

    def test_rates_of_film_and_television_are_exact(self) -> None:
        for rate in (Fraction(24000, 1001), Fraction(30000, 1001)):
            for suffix, codec, form in ((".mov", "png", "rgba"), (".mkv", "ffv1", "bgra")):
                _, found = self.look(_movie(suffix, codec, form, 12, rate))
                self.assertEqual((found.rate, found.count), (rate, 12))


class Broken(_Files):
    def _each(self) -> dict[str, bytes]:
        png = _pillow("PNG", [_image()])
        return {
            "PNG": png,
            "TIFF": _pillow("TIFF", [_image()]),
            "TGA": _pillow("TGA", [_image()], compression="tga_rle"),
            "WebP": _pillow("WEBP", [_image()]),
            "BMP": _pillow("BMP", [_image(0, "RGB")]),
            "AVIF": _lossless_avif(_pixels()),
            "AVIF, moving": _pillow("AVIF", [_image(one) for one in range(4)], duration=40),
            "TIFF, zstd": _tiff(_pixels(), "zstd", photometric="rgb", extrasamples=["unassalpha"]),
            "EXR": _exr(np.ones((8, 8, 4), np.float32), (0, 0, 7, 7), (0, 0, 7, 7)),
            "GIF": _pillow("GIF", [_image(one, "RGB") for one in range(4)], duration=40),
            "ZIP": _zip({f"a{one}.png": png for one in range(3)}),
            "MOV": _movie(".mov", "qtrle", "argb", 6),
            "WebM": _movie(".webm", "libvpx-vp9", "yuva420p", 6),
        }

    def test_cut_off_at_ten_places_nothing_hangs_or_is_taken_silently(self) -> None:
        def refused(call: Callable[[], Any]) -> str:
            try:
                call()
            except InputError as error:
                return error.message
            return ""

        for name, data in self._each().items():
            taken = 0
            for part in range(10):
                place = self.path(data[: len(data) * part // 10])
                message = refused(lambda place=place: look_at(place, "own file", True))  # type: ignore[misc]
                self.assertTrue(not message or "own file" in message, message)
                taken += not message
            # Movies and animations may end early: what is there is shown.
            self.assertLessEqual(taken, {"GIF": 9, "WebM": 9, "TIFF": 2, "TGA": 2}.get(name, 0), name)

    def test_what_means_harm_is_refused_with_a_sentence(self) -> None:
        png = _pillow("PNG", [_image()])
        list_of_files = b"ffconcat version 1.0\nfile /etc/passwd\n"
        playlist = b"#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\nhttp://127.0.0.1/a.ts\n"
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
            for number in range(3):
                packed.writestr(f"a{number}.png", png[:16] + bytes(1_000_000_000))
        for name, data, words in (
            ("nothing", b"", "no picture or movie"),
            ("text", b"not a picture at all, but words", "no picture or movie"),
            ("list", list_of_files, "no picture or movie"),
            ("playlist", playlist, "no picture or movie"),
            ("drawing", b"<svg xmlns='http://www.w3.org/2000/svg'/>", "no picture or movie"),
            ("empty ZIP", _zip({"readme.txt": b"x"}), "no pictures in"),
            ("bomb", out.getvalue(), "too much for a picture"),
            ("huge", b"\x00\x00\x02" + bytes(9) + b"\xff\xff\xff\xff\x20\x00", "pixels"),
        ):
            with self.subTest(name), self.assertRaisesRegex(InputError, words):
                look_at(self.path(data), "own file", False)

    def test_names_in_a_zip_lead_nowhere(self) -> None:
        png = _pillow("PNG", [_image(3)])
        place, found = self.look(_zip({"../../../tmp/evil1.png": png, "/etc/evil2.png": png}))
        self.assertGreaterEqual(found.count, 1)
        np.testing.assert_array_equal(self.seen(place), _pixels(3))
        self.assertFalse(Path("/tmp/evil1.png").exists())

    def test_a_picture_that_is_not_there(self) -> None:
        place = self.path(_pillow("PNG", [_image()]))
        for number in (-1, 1, 10**9):
            with self.assertRaisesRegex(InputError, "has 1 pictures"):
                picture_of(place, "own file", number)


class Shipped(_Files):
    def test_the_sea_closes_and_is_what_the_script_makes(self) -> None:
        place = str(SHIPPED["sea"].path)
        found = Footage.of(look_at(place, "sea", False))
        self.assertEqual((found.kind, found.count, found.reading), ("sequence", make.PICTURES, "straight"))
        for number in (0, 11):
            np.testing.assert_array_equal(self.seen(place, number), make.sea(number))
        np.testing.assert_array_equal(make.sea(make.PICTURES), make.sea(0))
        np.testing.assert_array_equal(np.asarray(Image.open(SHIPPED["lamp"].path)), make.lamp())
