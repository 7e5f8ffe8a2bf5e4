"""Writing OpenEXR files that are whole: the library says nothing when the disk is full in the middle.

Layout of a file: OpenEXR file layout (openexr.com, *OpenEXR File Layout*): magic number, version, for each part attributes up to an
empty name (behind the last of several an empty header), for each part a table with the place of every chunk, the chunks.
"""

from __future__ import annotations

import contextlib
import ctypes
import struct
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
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
#: How much zstd tries, of 5 that the library would: less than half the time, for files that are a twentieth larger.
_EFFORT = 1
# Python's part of the library does not offer it. Where it is not to be found nothing but time is lost.
with contextlib.suppress(OSError, AttributeError):
    ctypes.CDLL(OpenEXR.__file__).exr_set_default_zstd_compression_level(ctypes.c_int(_EFFORT))


@dataclass(frozen=True, slots=True, eq=False)
class ExrPart:
    """Channels (contiguous arrays [H, W]) of one part; window is (left, top) of its data and (width, height) of the picture, if
    the data is only some of it (or more). strip is how many rows are packed together where they are not scan lines but tiles as wide as the
    data (0: scan lines): zstd packs lines one by one, which takes half as long again, for files that are a quarter larger."""

    name: str
    channels: Mapping[str, NDArray[Any]]
    attributes: Mapping[str, Any] = field(default_factory=dict)
    compression: str = "zip"
    window: tuple[tuple[int, int], tuple[int, int]] | None = None
    strip: int = 0

    def trimmed(self) -> ExrPart:
        """The same but for a part that is zero everywhere, of which one pixel is left: what is outside of a data window is nothing."""
        if any(one.view(f"u{one.itemsize}").any() for one in self.channels.values()):
            return self
        return replace(self, channels={name: one[:1, :1].copy() for name, one in self.channels.items()})

    def header(self) -> dict[str, Any]:
        """Its header for the library."""
        header = {"compression": COMPRESSIONS[self.compression][0], "type": OpenEXR.scanlineimage, **self.attributes}
        if self.strip:
            tiles = OpenEXR.TileDescription()
            tiles.xSize, tiles.ySize = next(iter(self.channels.values())).shape[1], self.strip
            tiles.mode, tiles.roundingMode = OpenEXR.ONE_LEVEL, OpenEXR.ROUND_DOWN
            header |= {"type": OpenEXR.tiledimage, "tiles": tiles}
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
    """Whether every chunk that a file of scan lines or of tiles promises lies inside it."""
    size = path.stat().st_size
    with path.open("rb") as file:
        if file.read(4) != _MAGIC or len(version := file.read(4)) != 4:
            return False
        several = bool(struct.unpack("<I", version)[0] & _PARTS)
        counts, leads = [], []
        while (header := _header(file)) is None or header:
            if header is None or not 0 <= header["chunks"] <= size:
                return False
            counts.append(header["chunks"])
            # Behind the number of its part a chunk says where it is: its row, or the place of its tile and its two levels.
            leads.append((4 if several else 0) + (16 if header["tiled"] else 4))
            if not several:
                break
        tables = file.read(8 * sum(counts))
        first = file.tell()
    places = np.frombuffer(tables[: len(tables) // 8 * 8], "<u8")
    # Before anything is added to them: they may be any number.
    if not counts or len(places) < sum(counts) or ((places < first) | (places > size)).any():
        return False
    starts = places.astype(np.int64) + np.repeat(leads, counts)
    if (starts + 4 > size).any():
        return False
    # What each chunk says of its own length.
    packed = np.memmap(path, np.uint8, "r")[starts[:, None] + np.arange(4)].view("<i4")[:, 0]
    return bool(((packed >= 0) & (starts + 4 + packed <= size)).all())


def _header(file: BinaryIO) -> dict[str, int] | None:
    """Chunks that a header tells of, and whether they are tiles; nothing if it is the empty one, None if it is broken."""
    found: dict[str, int] = {"tiled": 0}
    empty = True
    while name := _text(file):
        empty = False
        _text(file)
        length = file.read(4)
        if len(length) != 4:
            return None
        value = file.read(struct.unpack("<i", length)[0])
        if name == b"dataWindow" and len(value) == 16:
            left, top, right, bottom = struct.unpack("<4i", value)
            found["columns"], found["rows"] = right - left + 1, bottom - top + 1
        elif name == b"chunkCount" and len(value) == 4:
            (found["chunks"],) = struct.unpack("<i", value)
        elif name == b"compression" and len(value) == 1 and value[0] in _ROWS:
            found["chunk"] = _ROWS[value[0]]
        elif name == b"tiles" and len(value) == 9:
            found["tiled"] = 1
            found["across"], found["down"] = struct.unpack("<2I", value[:8])
    if empty:
        return {}
    if "chunks" not in found:
        # Files of one part do not say it.
        if "rows" in found and found.get("across") and found.get("down"):
            found["chunks"] = -(-found["rows"] // found["down"]) * -(-found["columns"] // found["across"])
        elif {"rows", "chunk"} <= found.keys() and not found["tiled"]:
            found["chunks"] = -(-found["rows"] // found["chunk"])
    return found if "chunks" in found else None


def _text(file: BinaryIO) -> bytes:
    """Bytes up to a zero, or what there is."""
    found = bytearray()
    while (one := file.read(1)) not in (b"\0", b""):
        found += one
    return bytes(found)
