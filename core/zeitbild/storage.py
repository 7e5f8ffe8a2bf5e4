"""Files that are whole or not there: written beside their place, flushed, and renamed."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from uuid import uuid4

from zeitbild.errors import StorageError


def _reason(error: OSError, path: Path) -> StorageError:
    return StorageError(f"{path} could not be written: {error.strerror or error}; nothing was left half written")


def write_whole(path: Path, write: Callable[[Path], None]) -> None:
    """Let ``write`` fill a new file beside ``path`` and put it there in one step; StorageError if the disk refuses."""
    # The suffix stays the same: some writers choose the format by it.
    beside = path.with_name(f".{uuid4().hex}.part{path.suffix}")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise _reason(error, path) from error
    try:
        write(beside)
        with open(beside, "rb") as handle:
            os.fsync(handle.fileno())
        os.replace(beside, path)
    except OSError as error:
        raise _reason(error, path) from error
    finally:
        beside.unlink(missing_ok=True)


def write_bytes(path: Path, data: bytes) -> None:
    """Put ``data`` at ``path``, whole."""
    write_whole(path, lambda beside: _fill(beside, data))


def _fill(path: Path, data: bytes) -> None:
    path.write_bytes(data)


def write_new(path: Path, data: bytes) -> bool:
    """Put ``data`` at ``path`` unless a file is there: True if written, False if the same bytes already stood there.

    StorageError if another content stands there: what has been handed off is never overwritten.
    """
    if path.exists():
        if path.read_bytes() == data:
            return False
        raise StorageError(f"{path} exists with other content and is never overwritten; choose a new version or folder")
    write_bytes(path, data)
    return True
