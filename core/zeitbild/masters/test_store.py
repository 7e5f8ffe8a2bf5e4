"""The master store: whole or not there, found by content, broken files noticed."""

import errno
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
import OpenImageIO as oiio

from zeitbild.errors import StorageError
from zeitbild.masters import MasterStore
from zeitbild.render import Picture

KEY = "ab" * 32


def _picture() -> Picture:
    random = np.random.default_rng(4)
    beauty = random.random((20, 30, 4)).astype(np.float16).astype(np.float32)
    return Picture(beauty, random.uniform(1, 900, (20, 30)).astype(np.float32))


class Store(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.store = MasterStore(Path(holder.name))

    def test_kept_pictures_come_back(self) -> None:
        self.assertFalse(self.store.has(KEY))
        self.store.save(KEY, _picture())
        self.assertTrue(self.store.has(KEY))
        back = self.store.load(KEY)
        np.testing.assert_array_equal(back.beauty, _picture().beauty)
        np.testing.assert_array_equal(back.depth, _picture().depth)

    def test_an_independent_reader_finds_half_colour_and_float_depth(self) -> None:
        self.store.save(KEY, _picture())
        source = oiio.ImageInput.open(str(self.store.path(KEY)))
        found = {}
        while source.seek_subimage(len(found), 0):
            spec = source.spec()
            found[spec.get_string_attribute("name")] = (spec.channelnames, str(spec.format))
        source.close()
        self.assertEqual(found, {"beauty": (("R", "G", "B", "A"), "half"), "depth": (("Z",), "float")})

    def test_values_beyond_half_float_are_held_not_infinite(self) -> None:
        picture = _picture()
        picture.beauty[0, 0, 0] = 1e9
        self.store.save(KEY, picture)
        self.assertEqual(self.store.load(KEY).beauty[0, 0, 0], 65504)

    def test_missing_and_broken_masters_say_what_to_do(self) -> None:
        with self.assertRaisesRegex(StorageError, "render the frame again"):
            self.store.load(KEY)
        self.store.path(KEY).parent.mkdir(parents=True)
        self.store.path(KEY).write_bytes(b"\x76\x2f\x31\x01 broken")
        with self.assertRaisesRegex(StorageError, "render the frame again"):
            self.store.load(KEY)

    def test_a_full_disk_leaves_nothing_behind(self) -> None:
        with mock.patch("zeitbild.storage.os.fsync", side_effect=OSError(errno.ENOSPC, "No space left on device")):
            with self.assertRaisesRegex(StorageError, "No space left"):
                self.store.save(KEY, _picture())
        self.assertFalse(self.store.has(KEY))
        self.assertEqual(list(self.store.path(KEY).parent.iterdir()), [])

    def test_only_keys_are_paths(self) -> None:
        for key in ("", "../../etc/passwd", "AB" * 32, KEY + "0"):
            with self.assertRaises(ValueError):
                self.store.path(key)
