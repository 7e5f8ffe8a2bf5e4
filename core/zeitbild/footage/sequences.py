"""Sequences: numbered pictures in a ZIP. Runs in a reading process; nothing is unpacked."""

from __future__ import annotations

import zipfile
from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path, PurePosixPath

import cv2

from zeitbild.errors import PictureError
from zeitbild.footage.ordering import in_order
from zeitbild.footage.plain import MAX_FOOTAGE_BYTES, MAX_MEMBERS, MAX_PICTURES
from zeitbild.stills import MAX_PIXELS, Raw, check_size, ending_of, read_data, size_by_head

#: Bytes of one picture at most when it is unpacked: floats of four channels, and some.
_MAX_PICTURE = MAX_PIXELS * 20
#: Names that a note tells.
_TOLD = 5


class SequenceOfPictures:
    """The pictures in a ZIP, opened."""

    def __init__(self, path: Path, label: str) -> None:
        self.label, self.rate, self.notes = label, None, list[str]()
        try:
            self._zip = zipfile.ZipFile(path)
            members = self._zip.infolist()
        except (zipfile.BadZipFile, OSError, ValueError) as error:
            raise PictureError(f"{label} is damaged or cut off: {error}") from error
        files = {
            one.filename: one
            for one in members
            if not one.is_dir()
            and "__MACOSX" not in one.filename
            and not PurePosixPath(one.filename).name.startswith(".")
        }
        if len(files) > MAX_MEMBERS:
            raise PictureError(f"{label} has {len(files):,} files in it; up to {MAX_MEMBERS:,} are read")
        if sum(one.file_size for one in files.values()) > MAX_FOOTAGE_BYTES:
            raise PictureError(f"{label} unpacks to more than {MAX_FOOTAGE_BYTES >> 30} GB")
        for one in files.values():
            if one.file_size > _MAX_PICTURE:
                raise PictureError(
                    f"{one.filename} in {label} unpacks to {one.file_size >> 20} MB, too much for a picture"
                )
            if one.flag_bits & 1:
                raise PictureError(f"{one.filename} in {label} is locked with a password")
        self._files = files
        pictures = [name for name in files if ending_of(self._head(name))]
        others = sorted(set(files) - set(pictures))
        if not pictures:
            raise PictureError(
                f"there are no pictures in {label}: PNG, JPEG, TIFF, TGA, BMP, EXR, HDR, WebP and AVIF are read"
            )
        if others:
            self.notes.append(f"no pictures, left out: {_few(others)}")
        order = in_order(pictures)
        self.files = order.files
        self.notes += order.notes
        self.count = len(self.files)
        if self.count > MAX_PICTURES:
            raise PictureError(f"{label} has more than {MAX_PICTURES:,} pictures")
        sizes = {name: self._size(name) for name in dict.fromkeys(self.files)}
        (self.width, self.height), _ = Counter(sizes.values()).most_common(1)[0]
        check_size(self.width, self.height, label)
        self.shape = self.height / self.width
        odd = [name for name, size in sizes.items() if size != (self.width, self.height)]
        if odd:
            self.notes.append(f"of another size than {self.width} × {self.height}, fitted to it: {_few(odd)}")

    def _named(self, name: str) -> str:
        return f"{PurePosixPath(name).name} in {self.label}"

    def _head(self, name: str) -> bytes:
        try:
            with self._zip.open(self._files[name]) as file:
                return file.read(18)
        # Whatever its parsers meet.
        except Exception as error:
            raise PictureError(f"{self._named(name)} is damaged: {error}") from error

    def _size(self, name: str) -> tuple[int, int]:
        try:
            with self._zip.open(self._files[name]) as file:
                return size_by_head(file, self._named(name))
        except PictureError:
            raise
        # Whatever its parsers meet.
        except Exception as error:
            raise PictureError(f"{self._named(name)} is damaged: {error}") from error

    def _data(self, name: str) -> bytes:
        try:
            with self._zip.open(self._files[name]) as file:
                # Not what the list of contents says: that may lie.
                data = file.read(_MAX_PICTURE + 1)
        # Whatever its parsers meet.
        except Exception as error:
            raise PictureError(f"{self._named(name)} is damaged: {error}") from error
        if len(data) > _MAX_PICTURE:
            raise PictureError(f"{self._named(name)} unpacks to more than it says")
        return data

    def picture(self, number: int) -> Raw:
        """One of its pictures."""
        name = self.files[number]
        raw = read_data(self._data(name), self._named(name))
        if raw.pixels.shape[:2] != (self.height, self.width):
            fitted = cv2.resize(raw.pixels, (self.width, self.height), interpolation=cv2.INTER_AREA)
            return replace(raw, pixels=fitted)
        return raw


def _few(names: Sequence[str]) -> str:
    told = ", ".join(PurePosixPath(one).name for one in names[:_TOLD])
    return told if len(names) <= _TOLD else f"{told} and {len(names) - _TOLD} more"
