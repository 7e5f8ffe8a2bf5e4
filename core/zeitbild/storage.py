"""Files that are whole or not there: written beside their place, flushed, and renamed."""

from __future__ import annotations

import errno
import filecmp
import hashlib
import os
import re
import shutil
import socket
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from uuid import uuid4

from zeitbild.errors import FullError, StorageError

_PART = ".part"
#: Bytes free below which a write that failed did so for want of room.
_NOTHING = 8 << 20
#: This machine as the names of half-written files say it.
_HOST = hashlib.sha256(socket.gethostname().encode()).hexdigest()[:8]
#: Seconds after which a file that another machine began counts as left over.
_ABANDONED = 3600.0
_HALF_WRITTEN = re.compile(r"^\.[0-9a-f]{32}-(?P<host>[0-9a-f]{8})-(?P<pid>\d+)\.part(\.\w+)?$")


def blame(error: OSError, path: Path) -> StorageError:
    """What to say of a write that failed: FullError if it is for want of room."""
    said = f"{path} could not be written: {error.strerror or error}; nothing was left half written"
    return FullError(said) if _is_full(error, path) else StorageError(said)


def _is_full(error: OSError, path: Path) -> bool:
    """Whether a write failed for want of room. Some writers hide the reason, so that the disk itself is looked at."""
    if error.errno is not None:
        return error.errno in (errno.ENOSPC, errno.EDQUOT)
    try:
        return shutil.disk_usage(path.parent).free < _NOTHING
    except OSError:
        return False


def write_whole(path: Path, write: Callable[[Path], None]) -> None:
    """Let ``write`` fill a new file beside ``path`` and put it there in one step; StorageError if the disk refuses."""
    # The suffix stays the same: some writers choose the format by it.
    beside = path.with_name(f".{uuid4().hex}-{_HOST}-{os.getpid()}{_PART}{path.suffix}")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise blame(error, path) from error
    try:
        write(beside)
        with open(beside, "rb") as handle:
            os.fsync(handle.fileno())
        os.replace(beside, path)
    except OSError as error:
        raise blame(error, path) from error
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


def write_new_with(path: Path, write: Callable[[Path], None]) -> bool:
    """The same for a file that ``write`` fills at the path that it is given."""
    if not path.exists():
        write_whole(path, write)
        return True
    with tempfile.TemporaryDirectory(prefix=own_prefix()) as folder:
        other = Path(folder) / path.name
        write(other)
        if filecmp.cmp(path, other, shallow=False):
            return False
    raise StorageError(f"{path} exists with other content and is never overwritten; choose a new version or folder")


def own_prefix() -> str:
    """What names of temporary folders of this process begin with, so that they are cleared away if it dies."""
    return f"zeitbild-{_HOST}-{os.getpid()}-"


_OWN_FOLDER = re.compile(r"^zeitbild-(?P<host>[0-9a-f]{8})-(?P<pid>\d+)-")


def lives(process: int) -> bool:
    """Whether a process of this machine runs; one that ended and that nobody waited for does not."""
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    try:
        # One that ended and that nobody waited for still answers to its number.
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except (OSError, IndexError):
        return True


def clear_left_over(folder: Path) -> int:
    """Remove what processes that died left half written below a folder; gives how many files and folders.

    Temporary folders of theirs (``own_prefix``) go too. Files of other machines go by their age.
    """
    count = 0
    for path in Path(tempfile.gettempdir()).glob(f"zeitbild-{_HOST}-*"):
        named = _OWN_FOLDER.match(path.name)
        if named is not None and not lives(int(named["pid"])):
            shutil.rmtree(path, ignore_errors=True)
            count += 1
    for path in folder.rglob(f".*{_PART}*"):
        named = _HALF_WRITTEN.match(path.name)
        if named is None:
            continue
        try:
            if named["host"] == _HOST:
                left = not lives(int(named["pid"]))
            else:
                left = time.time() - path.stat().st_mtime > _ABANDONED
            if left:
                path.unlink()
                count += 1
        except OSError:
            # Somebody else was faster, or may not be disturbed.
            continue
    return count
