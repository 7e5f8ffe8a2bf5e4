"""Whole files, and files that are never overwritten."""

import tempfile
import unittest
from pathlib import Path

from zeitbild.assets import AssetFolder
from zeitbild.errors import InputError, StorageError
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
