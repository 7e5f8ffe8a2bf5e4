"""Copies of all that cannot be made again, taken while Zeitbild runs; and putting them in place again.

A copy holds the database (by SQLite's online backup), uploaded files, hand-offs and the installation's key, with a list of
everything and its SHA-256. Masters are left out: they are rendered again when they are needed.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import sqlite3
import time
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

from zeitbild.errors import StorageError
from zeitbild.storage import write_bytes

DATABASE, LIST = "zeitbild.sqlite3", "backup.json"
#: Folders and files that are copied as they are, if they are there.
_COPIED = ("assets", "handoffs", "secret_key")
_FORMAT = 1


@dataclass(frozen=True, slots=True)
class Copied:
    """What a copy holds."""

    files: int
    bytes: int


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _half_written(path: Path) -> bool:
    return path.name.startswith(".")


def _files(folder: Path) -> list[Path]:
    """Files to be copied, relative to the data folder."""
    found: list[Path] = []
    for name in _COPIED:
        path = folder / name
        if path.is_file():
            found.append(Path(name))
        else:
            found += [
                one.relative_to(folder) for one in sorted(path.rglob("*")) if one.is_file() and not _half_written(one)
            ]
    return found


def back_up(data: Path, database: Path, target: Path) -> Copied:
    """Copy everything into a new folder and read all of it back; StorageError if it is not empty, or a copy is not the same."""
    if target.exists() and any(target.iterdir()):
        raise StorageError(f"{target} is not empty; give a new folder for each copy")
    try:
        target.mkdir(parents=True, exist_ok=True, mode=0o700)
        # First the database: all files that it knows are there already, and never change.
        with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as source:
            with closing(sqlite3.connect(target / DATABASE)) as copy:
                source.backup(copy, pages=1000, sleep=0.01)
                copy.execute("PRAGMA journal_mode=DELETE")
        listed = {DATABASE: _digest(target / DATABASE)}
        for name in _files(data):
            (target / name).parent.mkdir(parents=True, exist_ok=True)
            listed[name.as_posix()] = _digest(data / name)
            shutil.copy2(data / name, target / name)
        made = {"format": _FORMAT, "made": time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime()), "files": listed}
        write_bytes(target / LIST, json.dumps(made, indent=1).encode())
    except (OSError, sqlite3.Error) as error:
        raise StorageError(f"the copy in {target} could not be made: {error}") from error
    return verify(target)


def verify(copy: Path) -> Copied:
    """Read a copy and compare it with its list; StorageError names what is missing or differs."""
    try:
        listed = json.loads((copy / LIST).read_text(encoding="utf-8"))
        files: dict[str, str] = listed["files"]
        if listed["format"] != _FORMAT or DATABASE not in files:
            raise ValueError("it is of another kind")
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise StorageError(f"{copy} is no copy of Zeitbild's data: {error}") from error
    size = 0
    for name, digest in files.items():
        path = copy / name
        if not path.resolve().is_relative_to(copy.resolve()):
            raise StorageError(f"{name} lies outside of the copy")
        if not path.is_file():
            raise StorageError(f"{name} is missing in {copy}")
        if _digest(path) != digest:
            raise StorageError(f"{name} in {copy} is not what was copied")
        size += path.stat().st_size
    try:
        with closing(sqlite3.connect(f"file:{copy / DATABASE}?mode=ro", uri=True)) as opened:
            (said,) = opened.execute("PRAGMA integrity_check").fetchone()
    except sqlite3.Error as error:
        said = str(error)
    if said != "ok":
        raise StorageError(f"the database in {copy} is damaged: {said}")
    return Copied(len(files), size)


def restore(copy: Path, data: Path) -> Path | None:
    """Put a verified copy in place of a data folder; what was there is moved aside, to the folder that is given.

    Whoever calls this makes sure that nothing runs there.
    """
    verify(copy)
    aside: Path | None = None
    beside = data.with_name(f"{data.name}.restoring")
    try:
        shutil.rmtree(beside, ignore_errors=True)
        beside.mkdir(parents=True, mode=0o700)
        for name in json.loads((copy / LIST).read_text(encoding="utf-8"))["files"]:
            (beside / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy2(copy / name, beside / name)
        if data.exists() and any(data.iterdir()):
            aside = data.with_name(f"{data.name}.before-{time.strftime('%Y%m%d-%H%M%S')}")
            data.rename(aside)
            # What can be made again need not be.
            if (aside / "masters").exists():
                (aside / "masters").rename(beside / "masters")
        elif data.exists():
            data.rmdir()
        beside.rename(data)
    except OSError as error:
        raise StorageError(f"the copy could not be put in place: {error}") from error
    return aside
