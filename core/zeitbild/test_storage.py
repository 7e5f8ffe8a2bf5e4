"""Whole files, and files that are never overwritten."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import OpenEXR

from zeitbild.assets import AssetFolder
from zeitbild.errors import InputError, StorageError
from zeitbild.exr_files import ExrPart, is_whole, write_exr, write_parts
from zeitbild.masters import MasterStore
from zeitbild.render import Picture
from zeitbild.storage import write_new, write_whole


class Files(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)

    def test_new_files_are_written_and_equal_ones_kept(self) -> None:
        path = self.folder / "a" / "b.png"
        self.assertTrue(write_new(path, b"one"))
        self.assertFalse(write_new(path, b"one"))
        with self.assertRaisesRegex(StorageError, "never overwritten"):
            write_new(path, b"two")
        self.assertEqual(path.read_bytes(), b"one")

    def test_a_writer_that_fails_leaves_the_old_file(self) -> None:
        path = self.folder / "c.txt"
        path.write_bytes(b"old")

        def fail(beside: Path) -> None:
            beside.write_bytes(b"half")
            raise OSError(5, "Input/output error")

        with self.assertRaises(StorageError):
            write_whole(path, fail)
        self.assertEqual([file.name for file in self.folder.iterdir()], ["c.txt"])
        self.assertEqual(path.read_bytes(), b"old")

    def test_a_folder_that_cannot_be_made_is_a_storage_error(self) -> None:
        (self.folder / "file").write_bytes(b"")
        with self.assertRaises(StorageError):
            write_new(self.folder / "file" / "x.png", b"1")

    def test_assets_are_named_by_content(self) -> None:
        assets = AssetFolder(self.folder)
        self.assertEqual(assets.read(assets.add(b"font")), b"font")
        for name in ("0" * 64, "../secret", ""):
            with self.assertRaises(InputError):
                assets.read(name)


class ExrFiles(unittest.TestCase):
    def test_a_file_is_whole_or_said_not_to_be_wherever_it_ends(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "p.exr"
            noise = np.random.default_rng(2).random((70, 33)).astype(np.float32)
            for planes in ({"R": noise}, {"A": noise.astype(np.float16), "depth.Z": noise}):
                write_exr(path, planes, {"note": "x"})
                self.assertTrue(is_whole(path))
                data = path.read_bytes()
                for end in (0, 3, 7, 8, 20, 200, len(data) // 2, len(data) - 1):
                    path.write_bytes(data[:end])
                    self.assertFalse(is_whole(path), end)

    def test_strips_are_whole_or_said_not_to_be_wherever_they_end(self) -> None:
        noise = np.random.default_rng(3).random((70, 33)).astype(np.float32)
        parts = [
            ExrPart("one", {"R": noise, "G": noise * 2}, compression="zstd", strip=16),
            ExrPart("lines", {"Y": noise.astype(np.float16)}, compression="zip"),
            ExrPart("nothing", {"Y": np.zeros_like(noise)}, compression="zstd", strip=16).trimmed(),
        ]
        parts = [replace(one, window=((0, 0), (33, 70))) for one in parts]
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "p.exr"
            for own in (parts, parts[:1], parts[2:]):
                write_parts(path, own)
                self.assertTrue(is_whole(path))
                data = path.read_bytes()
                for end in (*range(0, len(data) - 1, max(1, len(data) // 60)), len(data) - 1):
                    path.write_bytes(data[:end])
                    self.assertFalse(is_whole(path), end)
                path.write_bytes(data)
                with OpenEXR.File(str(path)) as file:
                    for number, part in enumerate(own):
                        found = file.parts[number].channels
                        for channel, values in part.channels.items():
                            read = next(
                                one.pixels if one.pixels.ndim == 2 else one.pixels[..., "RG".index(channel)]
                                for key, one in found.items()
                                if key == channel or channel in key
                            )
                            np.testing.assert_array_equal(read, values)

    def test_places_and_numbers_of_chunks_may_be_anything(self) -> None:
        part = ExrPart("one", {"R": np.ones((40, 9), np.float32)}, compression="zstd", strip=16)
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "p.exr"
            write_parts(path, [part, replace(part, name="two")])
            data = path.read_bytes()
            count = data.index(b"chunkCount\0int\0") + len(b"chunkCount\0int\0") + 4
            for value in (-1, -(2**31), 2**31 - 1):
                path.write_bytes(data[:count] + value.to_bytes(4, "little", signed=True) + data[count + 4 :])
                self.assertFalse(is_whole(path), value)
            # The place of the first chunk is that behind the table: it stands nowhere else.
            parts = 2 * 3
            at = next(
                at for at in range(count, len(data)) if data[at : at + 8] == (at + 8 * parts).to_bytes(8, "little")
            )
            for place in (0, 2**63 - 1, 2**63 + 5, 2**64 - 1, len(data)):
                path.write_bytes(data[:at] + place.to_bytes(8, "little") + data[at + 8 :])
                self.assertFalse(is_whole(path), place)
            path.write_bytes(data)
            self.assertTrue(is_whole(path))

    def test_a_part_of_nothing_takes_one_pixel(self) -> None:
        some = np.zeros((5, 7), np.float32)
        some[4, 6] = -0.0
        self.assertEqual(ExrPart("p", {"A": some, "B": some}).trimmed().channels["A"].shape, (5, 7))
        self.assertEqual(ExrPart("p", {"A": np.abs(some)}).trimmed().channels["A"].shape, (1, 1))

    def test_what_the_library_wrote_in_part_is_an_error(self) -> None:
        def cut(file: OpenEXR.File, target: str) -> None:
            real(file, target)
            data = Path(target).read_bytes()
            Path(target).write_bytes(data[:-10])

        real = OpenEXR.File.write
        with tempfile.TemporaryDirectory() as name, mock.patch.object(OpenEXR.File, "write", cut):
            store, picture = (
                MasterStore(Path(name)),
                Picture(np.ones((8, 8, 4), np.float32), np.ones((8, 8), np.float32)),
            )
            with self.assertRaises(StorageError):
                store.save("ab" * 32, picture)
            self.assertEqual([path for path in Path(name).rglob("*") if path.is_file()], [])
