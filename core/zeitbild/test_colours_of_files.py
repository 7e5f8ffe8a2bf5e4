"""Colours of files that are not sRGB, against formulas that share nothing with what reads them.

Matrices are those of CSS Color Module Level 4 (W3C), section 18, sample code, and functions those of its section 10; PQ and HLG of ITU-R BT.2100-2,
whose levels of white are in Report ITU-R BT.2408, table 1; all from memory. Profiles are written here by ICC.1:2022.
"""

import io
import struct
import tempfile
import unittest
import zlib
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import imagecodecs
import numpy as np
import OpenImageIO as oiio
import tifffile
from numpy.typing import NDArray
from PIL import Image

from zeitbild.colour import decode, encode
from zeitbild.colour.primaries import BY_CODE, SRGB, Chromaticities, into_srgb, is_sound
from zeitbild.colour.said import Said
from zeitbild.footage.pictures import cutout, footage_at
from zeitbild.footage.pieces import footage_in
from zeitbild.pictures import read_cutout, read_picture
from zeitbild.stills import Raw, read_data, said_by_codes

_Floats = NDArray[np.float64]
_XYZ_TO_SRGB = np.array(
    [
        [12831 / 3959, -329 / 214, -1974 / 3959],
        [-851781 / 878810, 1648619 / 878810, 36519 / 878810],
        [705 / 12673, -2585 / 12673, 705 / 667],
    ]
)
_TO_XYZ = {
    "display-p3": [
        [608311 / 1250200, 189793 / 714400, 198249 / 1000160],
        [35783 / 156275, 247089 / 357200, 198249 / 2500400],
        [0, 32229 / 714400, 5220557 / 5000800],
    ],
    "a98-rgb": [
        [573536 / 994567, 263643 / 1420810, 187206 / 994567],
        [591459 / 1989134, 6239551 / 9945670, 374412 / 4972835],
        [53769 / 1989134, 351524 / 4972835, 4929758 / 4972835],
    ],
    "rec2020": [
        [63426534 / 99577255, 20160776 / 139408157, 47086771 / 278816314],
        [26158966 / 99577255, 472592308 / 697040785, 8267143 / 139408157],
        [0, 19567812 / 697040785, 295819943 / 278816314],
    ],
}
#: D65 to D50, by the same.
_D65_TO_D50 = np.array(
    [
        [1.0479297925449969, 0.022946870601609652, -0.05019226628920524],
        [0.02962780877005599, 0.9904344267538799, -0.017073799063418826],
        [-0.009243040646204504, 0.015055191490298152, 0.7518742814281371],
    ]
)
_P3 = Chromaticities((0.3127, 0.3290), (0.680, 0.320), (0.265, 0.690), (0.150, 0.060))


def _light(space: str, values: _Floats) -> _Floats:
    """Light in sRGB's primaries, cut off at 0 and 1, of values 0..1 of a space."""
    own = decode(values) if space == "display-p3" else values ** (563 / 256)
    light: _Floats = np.clip(own @ np.array(_TO_XYZ[space]).T @ _XYZ_TO_SRGB.T, 0, 1)
    return light


def _profile(space: str) -> bytes:
    """A matrix profile (ICC.1:2022, 8.3), version 2."""

    def number(value: float) -> bytes:
        return struct.pack(">i", round(value * 65536))

    def xyz(values: Sequence[float]) -> bytes:
        return b"XYZ \0\0\0\0" + b"".join(map(number, values))

    columns = (_D65_TO_D50 @ np.array(_TO_XYZ[space])).T
    if space == "display-p3":
        steps = np.round(decode(np.linspace(0, 1, 4096)) * 65535).astype(">u2")
        curve = b"curv\0\0\0\0" + struct.pack(">I", 4096) + steps.tobytes()
    else:
        curve = b"curv\0\0\0\0" + struct.pack(">IH", 1, 563) + b"\0\0"
    title = space.encode() + b"\0"
    named = b"desc\0\0\0\0" + struct.pack(">I", len(title)) + title + bytes(78)
    tags = {b"desc": named, b"wtpt": xyz((0.9642, 1.0, 0.8249)), b"cprt": b"text\0\0\0\0none\0"}
    tags |= {name: xyz(column) for name, column in zip((b"rXYZ", b"gXYZ", b"bXYZ"), columns, strict=True)}
    tags |= dict.fromkeys((b"rTRC", b"gTRC", b"bTRC"), curve)
    table, body = struct.pack(">I", len(tags)), b""
    start = 128 + 4 + 12 * len(tags)
    for name, data in tags.items():
        table += struct.pack(">4sII", name, start + len(body), len(data))
        body += data + bytes(-len(data) % 4)
    head = bytearray(128)
    head[0:4], head[8:12] = struct.pack(">I", start + len(body)), b"\x02\x10\0\0"
    head[12:24], head[36:40] = b"mntrRGB XYZ ", b"acsp"
    head[68:80] = b"".join(map(number, (0.9642, 1.0, 0.8249)))
    return bytes(head) + table + body


def _chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def _png(pixels: NDArray[Any], *chunks: bytes) -> bytes:
    """A PNG of 8 or 16 bits with chunks after its head."""
    high, wide, parts = pixels.shape
    kind = {1: 0, 3: 2, 4: 6}[parts]
    head = struct.pack(">IIBBBBB", wide, high, 8 * pixels.itemsize, kind, 0, 0, 0)
    rows = pixels.astype(pixels.dtype.newbyteorder(">"))
    data = zlib.compress(b"".join(b"\0" + row.tobytes() for row in rows))
    return b"\x89PNG\r\n\x1a\n" + b"".join(
        [_chunk(b"IHDR", head), *chunks, _chunk(b"IDAT", data), _chunk(b"IEND", b"")]
    )


def _file(kind: str, pixels: NDArray[Any], **more: Any) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, kind, **more)
    return out.getvalue()


_PIXELS = np.random.default_rng(5).integers(0, 256, (24, 32, 3), np.uint8)
_FINE = np.random.default_rng(6).integers(0, 65536, (24, 32, 3), np.uint16)


class Profiles(unittest.TestCase):
    def _near(self, raw: Raw, wanted: _Floats, steps: float) -> None:
        """sRGB's values are within so many steps of 255 of light."""
        top = np.iinfo(raw.pixels.dtype).max
        self.assertTrue(raw.encoded)
        off = 255 * np.abs(raw.pixels[..., :3] / top - encode(wanted))
        self.assertLess(float(off.max()), steps)

    def test_every_kind_of_file_by_its_profile(self) -> None:
        for space in ("display-p3", "a98-rgb"):
            profile = _profile(space)
            wanted = _light(space, _PIXELS / 255)
            for kind, more in (("PNG", {}), ("TIFF", {}), ("WEBP", {"lossless": True})):
                with self.subTest(space, kind=kind):
                    raw = read_data(_file(kind, _PIXELS, icc_profile=profile, **more), "x")
                    self._near(raw, wanted, 1.6)
                    self.assertEqual((raw.pixels.dtype, raw.came_from), (np.uint8, space))
            even = np.broadcast_to(np.array([[[40, 200, 90]]], np.uint8), (16, 16, 3))
            raw = read_data(_file("JPEG", even, quality=100, subsampling=0, icc_profile=profile), "x")
            self._near(raw, np.broadcast_to(_light(space, even / 255), even.shape), 4)

    def test_sixteen_bits_keep_theirs(self) -> None:
        profile = zlib.compress(_profile("a98-rgb"))
        raw = read_data(_png(_FINE, _chunk(b"iCCP", b"x\0\0" + profile)), "x")
        self.assertEqual(raw.pixels.dtype, np.uint16)
        self._near(raw, _light("a98-rgb", _FINE / 65535), 0.3)

    def test_alpha_stays(self) -> None:
        pixels = np.dstack([_PIXELS, np.arange(768, dtype=np.uint8).reshape(24, 32)])
        raw = read_data(_file("PNG", pixels, icc_profile=_profile("display-p3")), "x")
        np.testing.assert_array_equal(raw.pixels[..., 3], pixels[..., 3])
        self._near(raw, _light("display-p3", _PIXELS / 255), 1.6)

    def test_srgb_itself_and_what_is_damaged_change_nothing(self) -> None:
        from PIL import ImageCms

        own = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        for profile in (own, _profile("a98-rgb")[:300], b"x" * 400):
            raw = read_data(_file("PNG", _PIXELS, icc_profile=profile), "x")
            np.testing.assert_array_equal(raw.pixels, _PIXELS)
            self.assertEqual(raw.came_from, "")

    def test_a_photograph_of_the_wide_kind_says_so_in_its_exif(self) -> None:
        even = np.broadcast_to(np.array([[[200, 60, 90]]], np.uint8), (16, 16, 3))
        exif = Image.Exif()
        exif.get_ifd(0x8769)[0xA005] = {1: "R03"}
        data = _file("JPEG", even, quality=100, subsampling=0, exif=exif)
        self._near(read_data(data, "x"), np.broadcast_to(_light("a98-rgb", even / 255), even.shape), 4)

    def test_numbers_that_are_no_colours_and_pictures_of_models_stay(self) -> None:
        data = _file("PNG", _PIXELS, icc_profile=_profile("display-p3"))
        np.testing.assert_allclose(read_picture(data, "x", plain=True), _PIXELS / 255, atol=1e-6)
        np.testing.assert_allclose(read_cutout(data, "x")[0], decode(_PIXELS / 255), atol=1e-6)
        self.assertGreater(float(np.abs(read_picture(data, "x") - decode(_PIXELS / 255)).max()), 0.05)


class Chunks(unittest.TestCase):
    """PNG (third edition), 4.3 and 11.3.2."""

    _WIDE = _chunk(b"cHRM", struct.pack(">8I", 31270, 32900, 68000, 32000, 26500, 69000, 15000, 6000))

    def test_exponents_and_primaries(self) -> None:
        linear = read_picture(_png(_FINE, _chunk(b"gAMA", struct.pack(">I", 100_000))), "x")
        np.testing.assert_allclose(linear, _FINE / 65535, atol=2e-4)
        old = read_picture(_png(_FINE, _chunk(b"gAMA", struct.pack(">I", 55_556))), "x")
        np.testing.assert_allclose(old, (_FINE / 65535) ** 1.8, atol=1e-3)
        wide = read_picture(_png(_FINE, self._WIDE), "x")
        np.testing.assert_allclose(wide, _light("display-p3", _FINE / 65535), atol=1e-3)

    def test_what_is_said_by_one_goes_before_the_other(self) -> None:
        usual = _chunk(b"gAMA", struct.pack(">I", 45_455))
        srgb, codes = _chunk(b"sRGB", b"\0"), _chunk(b"cICP", bytes([12, 13, 0, 1]))
        for chunks in ((usual,), (srgb, self._WIDE), (self._WIDE, _chunk(b"cICP", bytes([1, 13, 0, 1])))):
            np.testing.assert_array_equal(read_data(_png(_FINE, *chunks), "x").pixels, _FINE)
        np.testing.assert_allclose(
            read_picture(_png(_FINE, codes, srgb), "x"), _light("display-p3", _FINE / 65535), atol=1e-3
        )

    def test_nonsense_changes_nothing(self) -> None:
        flat = struct.pack(">8I", 31270, 32900, 68000, 32000, 68000, 32000, 15000, 6000)
        for chunk in (_chunk(b"gAMA", struct.pack(">I", 1)), _chunk(b"cHRM", flat), _chunk(b"cHRM", bytes(32))):
            np.testing.assert_array_equal(read_data(_png(_FINE, chunk), "x").pixels, _FINE)


class Light(unittest.TestCase):
    def test_primaries_of_openexr(self) -> None:
        values = np.random.default_rng(7).uniform(0, 3, (6, 8, 3)).astype(np.float32)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.exr"
            spec = oiio.ImageSpec(8, 6, 3, oiio.FLOAT)
            spec.attribute("chromaticities", "float[8]", (0.708, 0.292, 0.170, 0.797, 0.131, 0.046, 0.3127, 0.3290))
            file = oiio.ImageOutput.create(str(path))
            assert file is not None
            file.open(str(path), spec)
            file.write_image(values)
            file.close()
            raw = read_data(path.read_bytes(), "x")
        wanted = np.maximum(values @ np.array(_TO_XYZ["rec2020"]).T @ _XYZ_TO_SRGB.T, 0)
        np.testing.assert_allclose(raw.pixels, wanted, atol=2e-3)
        self.assertFalse(raw.encoded)

    def test_floats_by_their_profile(self) -> None:
        from PIL import ImageCms

        values = np.random.default_rng(9).uniform(0, 1, (8, 8, 3)).astype(np.float32)
        srgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        for profile, wanted in ((None, values), (srgb, decode(values)), (_profile("display-p3"), None)):
            out = io.BytesIO()
            tifffile.imwrite(out, values, photometric="rgb", iccprofile=profile)
            raw = read_data(out.getvalue(), "x")
            self.assertFalse(raw.encoded)
            light = _light("display-p3", values.astype(np.float64)) if wanted is None else wanted
            np.testing.assert_allclose(np.minimum(raw.pixels, 1), light, atol=2e-3)

    def test_pictures_of_ten_bits(self) -> None:
        """AVIF of a high range, and of Display P3: its own 10 bits, by its colour box; nothing in its file but that says which."""
        grey = np.full((16, 16, 3), round(1023 * 0.5807), np.uint16)
        data = imagecodecs.avif_encode(
            grey, level=100, bitspersample=10, pixelformat="444", primaries=9, transfer=16, matrix=0
        )
        raw = read_data(bytes(data), "x")
        self.assertFalse(raw.encoded)
        np.testing.assert_allclose(raw.pixels, 1, atol=0.005)
        fine = (_FINE >> 6).astype(np.uint16)
        data = imagecodecs.avif_encode(
            fine, level=100, bitspersample=10, pixelformat="444", primaries=12, transfer=13, matrix=0
        )
        np.testing.assert_allclose(read_picture(bytes(data), "x"), _light("display-p3", fine / 1023), atol=1e-3)
        data = imagecodecs.avif_encode(
            fine, level=100, bitspersample=10, pixelformat="444", primaries=1, transfer=13, matrix=0
        )
        raw = read_data(bytes(data), "x")
        self.assertEqual((raw.came_from, raw.bits), ("", "16 bits"))
        np.testing.assert_array_equal(raw.pixels, np.round(fine / 1023 * 65535).astype(np.uint16))

    def test_tiffs_of_floats_are_footage(self) -> None:
        values = np.random.default_rng(9).uniform(0, 3, (6, 9, 4)).astype(np.float32)
        values[..., 3] = np.clip(values[..., 3], 0, 1)
        with tempfile.TemporaryDirectory() as folder:
            for kind in (np.float16, np.float32, np.float64):
                for parts in (1, 3, 4):
                    path = Path(folder) / f"{np.dtype(kind).name}-{parts}.tif"
                    own = values[..., :parts].astype(kind)
                    kept = own[..., 0] if parts == 1 else own
                    extra = ["unassalpha"] if parts == 4 else None
                    meant = "minisblack" if parts == 1 else "rgb"
                    tifffile.imwrite(path, kept, photometric=meant, extrasamples=extra, bigtiff=kind == np.float64)
                    found = footage_in(str(path), "x", thorough=True)
                    self.assertEqual((found.width, found.height, found.bits.split(",")[0]), (9, 6, "float"), path)
                    light, _ = cutout(path, "x", 0, "ignored", "")
                    np.testing.assert_allclose(light, np.broadcast_to(own[..., :3], light.shape), rtol=2e-3, atol=1e-3)

    def test_television_is_told_of_no_more_than_matters(self) -> None:
        names = {code: said_by_codes(code, 1).name for code in (1, 2, 5, 6, 9, 12)}
        self.assertEqual(names, {1: "", 2: "", 5: "", 6: "", 9: "BT.2020", 12: "Display P3"})
        self.assertEqual(Said(primaries=_P3._replace(white=(0.35, 0.36))).name, "primaries of its own")
        self.assertEqual(said_by_codes(1, 8).name, "gamma 1")

    def test_whites_become_white(self) -> None:
        for code, one in BY_CODE.items():
            np.testing.assert_allclose(into_srgb(one) @ np.ones(3), np.ones(3), atol=1e-9, err_msg=str(code))
            self.assertTrue(is_sound(one))
        np.testing.assert_allclose(into_srgb(SRGB), np.eye(3), atol=1e-9)
        wanted = _XYZ_TO_SRGB @ np.array(_TO_XYZ["display-p3"])
        np.testing.assert_allclose(into_srgb(_P3), wanted, atol=2e-3)


class Movies(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "movie.mkv"

    def _written(self, pixels: NDArray[Any], primaries: int, transfer: int) -> None:
        """A movie of 16 bits without loss that says what its colours are."""
        with av.open(str(self.path), "w") as file:
            stream = file.add_stream("ffv1", rate=Fraction(25))
            stream.width, stream.height, stream.pix_fmt = pixels.shape[1], pixels.shape[0], "gbrp16le"
            context = stream.codec_context
            context.color_primaries, context.color_trc = primaries, transfer
            for _ in range(2):
                frame = av.VideoFrame.from_ndarray(pixels, "rgb48le").reformat(format="gbrp16le")
                frame.color_primaries, frame.color_trc = primaries, transfer
                file.mux(stream.encode(frame))
            file.mux(stream.encode(None))

    def _light(self) -> NDArray[np.float32]:
        return cutout(self.path, "movie", 0, "ignored", "")[0]

    def test_white_of_high_ranges_is_white(self) -> None:
        # BT.2408: 203 candela are 58 % of PQ and 75 % of HLG; a grey stays grey.
        for transfer, white in ((16, 0.5807), (18, 0.75)):
            self.path = self.path.with_name(f"{transfer}.mkv")
            self._written(np.full((16, 16, 3), round(65535 * white), np.uint16), 9, transfer)
            np.testing.assert_allclose(self._light(), 1, atol=0.005)
            self.assertIn("high range", " ".join(footage_at(self.path, "movie").notes))

    def test_each_value_of_pq_by_its_inverse(self) -> None:
        def encoded(nits: _Floats) -> _Floats:
            power = (nits / 10000) ** (2610 / 16384)
            found: _Floats = ((3424 / 4096 + 2413 / 128 * power) / (1 + 2392 / 128 * power)) ** (2523 / 32)
            return found

        light = np.random.default_rng(8).uniform(0, 9, (16, 16, 3))
        other = light @ np.linalg.inv(_XYZ_TO_SRGB @ np.array(_TO_XYZ["rec2020"])).T
        self._written(np.round(65535 * encoded(203 * other)).astype(np.uint16), 9, 16)
        np.testing.assert_allclose(self._light(), light, rtol=5e-3, atol=5e-3)

    def test_wide_primaries(self) -> None:
        self._written(_FINE, 12, 13)
        np.testing.assert_allclose(self._light(), _light("display-p3", _FINE / 65535), atol=1e-3)
        self.assertIn("sRGB", " ".join(footage_in(str(self.path), "movie", thorough=False).notes))

    def test_usual_ones_stay_as_they_are(self) -> None:
        for primaries, transfer in ((1, 1), (2, 2), (1, 13)):
            self.path = self.path.with_name(f"{primaries}-{transfer}.mkv")
            self._written(_FINE, primaries, transfer)
            np.testing.assert_allclose(self._light(), decode(_FINE / 65535), atol=2e-5)
            self.assertEqual(footage_at(self.path, "movie").notes, ())
