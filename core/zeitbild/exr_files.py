"""Writing OpenEXR files that are whole: the library says nothing when the disk is full in the middle.

Layout of a file: OpenEXR file layout (openexr.com, *OpenEXR File Layout*): magic number, version, for each part attributes up to an
empty name (behind the last of several an empty header), for each part a table with the place of every chunk, the chunks.
"""

from __future__ import annotations

import struct
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
import OpenEXR
from numpy.typing import NDArray

_MAGIC = b"\x76\x2f\x31\x01"
#: The bit of the version that says that there are several parts.
_PARTS = 0x1000
#: Lossless compressions by name, their number in files, and the rows of a chunk (OpenEXR file layout); files of several parts
#: say themselves how many chunks there are.
COMPRESSIONS: dict[str, tuple[Any, int]] = {
    "none": (OpenEXR.NO_COMPRESSION, 1),
    "rle": (OpenEXR.RLE_COMPRESSION, 1),
    "zips": (OpenEXR.ZIPS_COMPRESSION, 1),
    "zip": (OpenEXR.ZIP_COMPRESSION, 16),
    "piz": (OpenEXR.PIZ_COMPRESSION, 32),
    # Fast and small, but new: only for files that stay here.
    "zstd": (OpenEXR.ZSTD_COMPRESSION, 0),
}
_ROWS = {0: 1, 1: 1, 2: 1, 3: 16, 4: 32}


@dataclass(frozen=True, slots=True, eq=False)
class ExrPart:
    """Channels (contiguous arrays [H, W]) of one part; window is (left, top) of its data and (width, height) of the picture, if
    the data is only some of it (or more)."""

    name: str
    channels: Mapping[str, NDArray[Any]]
    attributes: Mapping[str, Any] = field(default_factory=dict)
    compression: str = "zip"
    window: tuple[tuple[int, int], tuple[int, int]] | None = None

    def header(self) -> dict[str, Any]:
        """Its header for the library."""
        header = {"compression": COMPRESSIONS[self.compression][0], "type": OpenEXR.scanlineimage, **self.attributes}
        if self.window is not None:
            (left, top), (width, height) = self.window
            rows, columns = next(iter(self.channels.values())).shape
            corners = (left, top), (left + columns - 1, top + rows - 1), (0, 0), (width - 1, height - 1)
            data_from, data_to, shown_from, shown_to = (np.array(one, np.int32) for one in corners)
            header |= {"dataWindow": (data_from, data_to), "displayWindow": (shown_from, shown_to)}
        return header


def write_exr(path: Path, planes: Mapping[str, NDArray[Any]], attributes: Mapping[str, Any] | None = None) -> None:
    """Write channels (contiguous arrays [H, W]) to a file and make sure that all of it arrived; OSError if not."""
    write_parts(path, [ExrPart("", planes, attributes or {})])


def write_parts(path: Path, parts: Sequence[ExrPart]) -> None:
    """Write one part, or several in one file, and make sure that all of it arrived; OSError if not."""
    try:
        if len(parts) == 1 and not parts[0].name:
            file = OpenEXR.File(parts[0].header(), dict(parts[0].channels))
        else:
            file = OpenEXR.File([OpenEXR.Part(one.header(), dict(one.channels), one.name) for one in parts])
        with file:
            file.write(str(path))
    except RuntimeError as error:
        raise OSError(str(error)) from error
    if not is_whole(path):
        raise OSError("the file ends before its data does")


def is_whole(path: Path) -> bool:
    """Whether every chunk that a scan-line file promises lies inside it."""
    size = path.stat().st_size
    with path.open("rb") as file:
        if file.read(4) != _MAGIC or len(version := file.read(4)) != 4:
            return False
        several = bool(struct.unpack("<I", version)[0] & _PARTS)
        counts: list[int] = []
        while (header := _header(file)) is None or header:
            if header is None:
                return False
            counts.append(header["chunks"] if "chunks" in header else -(-header["rows"] // header["chunk"]))
            if not several:
                break
        ahead = 4 if several else 0
        tables = []
        for count in counts:
            table = file.read(8 * count)
            if len(table) != 8 * count:
                return False
            tables.append(struct.unpack(f"<{count}Q", table))
        first = file.tell()
        for place in (place for table in tables for place in table):
            if not first <= place <= size - ahead - 8:
                return False
            file.seek(place + ahead + 4)
            (packed,) = struct.unpack("<i", file.read(4))
            if packed < 0 or place + ahead + 8 + packed > size:
                return False
    return bool(counts)


def _header(file: BinaryIO) -> dict[str, int] | None:
    """Chunks, or rows of the data and of a chunk, that a header tells of; nothing if it is the empty one, None if it is broken."""
    found: dict[str, int] = {}
    empty = True
    while name := _text(file):
        empty = False
        _text(file)
        length = file.read(4)
        if len(length) != 4:
            return None
        value = file.read(struct.unpack("<i", length)[0])
        if name == b"dataWindow" and len(value) == 16:
            _, top, _, bottom = struct.unpack("<4i", value)
            found["rows"] = bottom - top + 1
        elif name == b"chunkCount" and len(value) == 4:
            (found["chunks"],) = struct.unpack("<i", value)
        elif name == b"compression" and len(value) == 1 and value[0] in _ROWS:
            found["chunk"] = _ROWS[value[0]]
    if empty:
        return {}
    return found if "chunks" in found or {"rows", "chunk"} <= found.keys() else None


def _text(file: BinaryIO) -> bytes:
    """Bytes up to a zero, or what there is."""
    found = bytearray()
    while (one := file.read(1)) not in (b"\0", b""):
        found += one
    return bytes(found)
