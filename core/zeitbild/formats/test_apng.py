"""Moving PNG: frames, stays and plays as the standard says, and what is wrong is noticed."""

import struct
import tempfile
import unittest
import zlib
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
from PIL import Image

from zeitbild.errors import StorageError
from zeitbild.formats import Plane, formats
from zeitbild.formats._png import encode_png
from zeitbild.formats.apng import stay_of
from zeitbild.timing.rate import RATES, parse_rate

APNG = formats.get("apng")


def _frames(count: int, rate: str = "30000/1001", size: tuple[int, int] = (9, 14)) -> list[Plane]:
    random = np.random.default_rng(4)
    found = []
    for number in range(count):
        alpha = random.random((*size, 1), np.float32) * (random.random((*size, 1)) > 0.3)
        pixels = np.concatenate([random.random((*size, 3), np.float32) * alpha, alpha], axis=2).astype(np.float32)
        found.append(Plane("colour", pixels, "beauty", rate=parse_rate(rate), frame=number + 1))
    return found


class Moving(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.path = Path(holder.name) / "moving.png"

    def _write(self, planes: Sequence[Plane], **options: str) -> bytes:
        writer = APNG.open(self.path, "pass", options)
        for plane in planes:
            writer.add([plane])
        writer.close()
        return self.path.read_bytes()

    def _read(self, planes: Sequence[Plane], **options: str) -> list[bool]:
        return [one.holds for (one,) in APNG.read_back(self.path, ([plane] for plane in planes), "pass", options)]

    def _chunks(self, data: bytes) -> list[tuple[bytes, bytes]]:
        """Chunks with their checksums looked at (W3C PNG, third edition, 5.3)."""
        self.assertEqual(data[:8], b"\x89PNG\r\n\x1a\n")
        at, found = 8, []
        while at < len(data):
            (length,) = struct.unpack_from(">I", data, at)
            kind, body = data[at + 4 : at + 8], data[at + 8 : at + 8 + length]
            (checksum,) = struct.unpack_from(">I", data, at + 8 + length)
            self.assertEqual(checksum, zlib.crc32(kind + body), kind)
            found.append((kind, body))
            at += length + 12
        return found

    def test_every_frame_is_there_and_holds(self) -> None:
        planes = _frames(5)
        self._write(planes)
        self.assertEqual(self._read(planes), [True] * 5)
        with Image.open(self.path) as file:
            self.assertEqual((file.n_frames, file.size, file.mode), (5, (14, 9), "RGBA"))

    def test_chunks_stand_in_the_order_of_the_standard(self) -> None:
        # W3C PNG, third edition, 11.3.6: one order of numbers through all fcTL and fdAT, acTL before the first picture.
        chunks = self._chunks(self._write(_frames(3), plays="once"))
        kinds = [kind for kind, _ in chunks]
        self.assertEqual(kinds[:2], [b"IHDR", b"sRGB"])
        self.assertLess(kinds.index(b"acTL"), kinds.index(b"IDAT"))
        self.assertEqual(kinds[-1], b"IEND")
        self.assertEqual(struct.unpack(">II", dict(chunks)[b"acTL"]), (3, 1))
        numbers = [struct.unpack_from(">I", body)[0] for kind, body in chunks if kind in (b"fcTL", b"fdAT")]
        self.assertEqual(numbers, list(range(len(numbers))))
        stays = [struct.unpack_from(">HH", body, 20) for kind, body in chunks if kind == b"fcTL"]
        self.assertEqual(stays, [(1001, 30000)] * 3)
        # Whole frames that replace what was there.
        self.assertEqual(
            {struct.unpack_from(">IIIIHHBB", body, 4)[:4] for k, body in chunks if k == b"fcTL"}, {(14, 9, 0, 0)}
        )

    def test_a_program_that_knows_no_moving_ones_sees_the_first_frame(self) -> None:
        planes = _frames(3)
        chunks = self._chunks(self._write(planes))
        plain = b"".join(body for kind, body in chunks if kind == b"IDAT")
        alone = self._chunks(encode_png([planes[0]], "pass", {}, 8))
        self.assertEqual(plain, b"".join(body for kind, body in alone if kind == b"IDAT"))

    def test_stays_are_exact_at_every_usual_rate(self) -> None:
        for name in RATES:
            self.assertEqual(stay_of(parse_rate(name)), 1 / parse_rate(name), name)
        # 16 bits do not hold this one; the nearest is off by less than a frame in a day.
        odd = Fraction(120000, 1001)
        self.assertLess(abs(stay_of(odd) * odd - 1) * 60 * 60 * 24 * odd, 1)

    def test_one_frame_and_other_kinds(self) -> None:
        (alone,) = _frames(1)
        self._write([alone], plays="once")
        self.assertEqual(self._read([alone], plays="once"), [True])
        grey = [Plane("coverage", one.pixels[..., 3], "matte", rate=one.rate) for one in _frames(4)]
        self._write(grey)
        self.assertEqual(self._read(grey), [True] * 4)
        self.assertFalse(any(APNG.carries(role) for role in ("depth", "data", "identity")))

    def test_what_is_wrong_is_noticed(self) -> None:
        planes = _frames(4)
        data = self._write(planes)
        other = replace(planes[2], pixels=planes[2].pixels[:, ::-1].copy())
        self.assertEqual(self._read([*planes[:2], other, planes[3]]), [True, True, False, True])
        slower = [replace(one, rate=Fraction(25)) for one in planes]
        self.assertEqual(self._read(slower), [False] * 4)
        for less in (planes[:3], [*planes, planes[0]]):
            with self.assertRaisesRegex(StorageError, "frames"):
                self._read(less)
        with self.assertRaisesRegex(StorageError, "played"):
            self._read(planes, plays="once")
        for cut in (len(data) // 2, 20, 0):
            self.path.write_bytes(data[:cut])
            with self.subTest(cut=cut):
                try:
                    self.assertFalse(all(self._read(planes)))
                except StorageError:
                    pass

    def test_frames_of_several_sizes_are_refused(self) -> None:
        writer = APNG.open(self.path, "pass", {})
        writer.add(_frames(1))
        with self.assertRaises(ValueError):
            writer.add(_frames(1, size=(8, 14)))
        writer.close()

    def test_equal_frames_give_equal_bytes(self) -> None:
        self.assertEqual(self._write(_frames(3)), self._write(_frames(3)))
