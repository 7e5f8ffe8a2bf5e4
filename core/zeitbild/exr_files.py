"""Writing OpenEXR files that are whole: the library says nothing when the disk is full in the middle.

Layout of a file: OpenEXR file layout (openexr.com, *OpenEXR File Layout*): magic number, version, attributes up to an empty name,
a table with the place of every chunk, the chunks.
"""

from __future__ import annotations

import struct
from pathlib import Path
from typing import Any

import OpenEXR

_MAGIC = b"\x76\x2f\x31\x01"
_HEADER = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
#: Rows of a chunk under that compression.
_ROWS = 16


def write_exr(path: Path, planes: dict[str, Any], attributes: dict[str, Any] | None = None) -> None:
    """Write channels (contiguous arrays [H, W]) to a file and make sure that all of it arrived; OSError if not."""
    try:
        with OpenEXR.File({**_HEADER, **(attributes or {})}, planes) as file:
            file.write(str(path))
    except RuntimeError as error:
        raise OSError(str(error)) from error
    if not is_whole(path):
        raise OSError("the file ends before its data does")


def is_whole(path: Path) -> bool:
    """Whether every chunk that a scan-line file of ``write_exr`` promises lies inside it."""
    size = path.stat().st_size
    with path.open("rb") as file:
        if file.read(4) != _MAGIC or len(file.read(4)) != 4:
            return False
        height = None
        while True:
            name = _text(file)
            if not name:
                break
            _text(file)
            length = file.read(4)
            if len(length) != 4:
                return False
            value = file.read(struct.unpack("<i", length)[0])
            if name == b"dataWindow" and len(value) == 16:
                _, top, _, bottom = struct.unpack("<4i", value)
                height = bottom - top + 1
        if height is None:
            return False
        count = -(-height // _ROWS)
        table = file.read(8 * count)
        if len(table) != 8 * count:
            return False
        first = file.tell()
        for place in struct.unpack(f"<{count}Q", table):
            if not first <= place <= size - 8:
                return False
            file.seek(place + 4)
            (packed,) = struct.unpack("<i", file.read(4))
            if packed < 0 or place + 8 + packed > size:
                return False
    return True


def _text(file: Any) -> bytes:
    """Bytes up to a zero, or what there is."""
    found = bytearray()
    while (one := file.read(1)) not in (b"\0", b""):
        found += one
    return bytes(found)
