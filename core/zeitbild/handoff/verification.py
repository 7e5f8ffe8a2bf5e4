"""Checking a package again, anywhere: a ZIP or the folder it was unpacked into. Nothing but it is needed."""

from __future__ import annotations

import hashlib
import json
import shutil
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from zeitbild.errors import InputError, StorageError
from zeitbild.handoff.package import SUMS
from zeitbild.handoff.recipes import recipes
from zeitbild.storage import own_prefix
from zeitbild.timing import parse_frames


@dataclass(frozen=True, slots=True)
class Checked:
    """A file of a package: its path, its bytes, and what is wrong with it (empty: nothing)."""

    path: str
    bytes: int
    wrong: str = ""


class _Package:
    """Files of a ZIP or a folder, by path."""

    def __init__(self, place: Path) -> None:
        if place.is_dir():
            self._folder: Path | None = place
            self._archive = None
            self.names = {str(one.relative_to(place).as_posix()) for one in place.rglob("*") if one.is_file()}
        elif zipfile.is_zipfile(place):
            self._folder = None
            self._archive = zipfile.ZipFile(place)
            self.names = {one for one in self._archive.namelist() if not one.endswith("/")}
        else:
            raise InputError(f"{place} is no folder and no ZIP; give a package or the folder it was unpacked into")

    def digest(self, name: str) -> tuple[str, int]:
        """Checksum and bytes of a file."""
        total, size = hashlib.sha256(), 0
        opened: Any = (
            self._archive.open(name)
            if self._archive is not None
            else (self._folder or Path()).joinpath(name).open("rb")
        )
        with opened as file:
            while part := file.read(1 << 20):
                total.update(part)
                size += len(part)
        return total.hexdigest(), size

    def read(self, name: str) -> bytes:
        """A small file."""
        if self._archive is not None:
            return self._archive.read(name)
        return (self._folder or Path()).joinpath(name).read_bytes()

    def looked_at(self, name: str, look: Callable[[Path], tuple[int, int, int]]) -> tuple[int, int, int]:
        """What ``look`` finds of a file, which lies on the disk for that."""
        if self._archive is None:
            return look((self._folder or Path()).joinpath(name))
        with tempfile.TemporaryDirectory(prefix=own_prefix()) as folder:
            path = Path(folder) / Path(name).name
            with self._archive.open(name) as source, path.open("wb") as target:
                shutil.copyfileobj(source, target, 1 << 20)
            return look(path)


def _manifests(package: _Package) -> Iterator[tuple[str, dict[str, Any]]]:
    """Manifests of forms, with the folder that each stands in."""
    for name in sorted(package.names):
        folder, _, last = name.rpartition("/")
        if last == "manifest.json":
            try:
                read = json.loads(package.read(name))
            except (ValueError, OSError, zipfile.BadZipFile, zlib.error) as error:
                raise InputError(f"{name} cannot be read: {error}") from None
            if isinstance(read, dict) and "files" in read:
                yield f"{folder}/" if folder else "", read


def _expected(entry: dict[str, Any], manifest: dict[str, Any]) -> tuple[int, int, int]:
    """Width, height and frames that a file should have."""
    raster, rate = manifest["raster"], manifest["rate"]
    count = len(parse_frames(entry["frames"])) if "frames" in entry else 1
    own = manifest.get("conformed", {}).get("from", {}).get("rate")
    if own and manifest["frames"]["in_a_file"] == "all":
        top, _, bottom = own.partition("/")
        count = max(1, round(count * rate["frames"] * int(bottom or 1) / (rate["seconds"] * int(top))))
    return raster["width"], raster["height"], count


def verify(place: Path) -> Iterator[Checked]:
    """Every file of a package: its checksum, and, of pictures, that they open, are as large and as many as the manifest says.

    InputError if the place is no package.
    """
    package = _Package(place)
    if SUMS not in package.names:
        raise InputError(f"{place} has no {SUMS}; it is no package of a hand-off, or not all of it")
    lines = package.read(SUMS).decode(errors="replace").splitlines()
    listed = {path: digest for digest, _, path in (line.partition("  ") for line in lines if line.strip())}
    pictures: dict[str, tuple[str, tuple[int, int, int], str]] = {}
    for folder, manifest in _manifests(package):
        try:
            for entry in manifest["files"]:
                found = entry["sha256"], _expected(entry, manifest), manifest["recipe"]
                pictures[f"{folder}{entry['path']}"] = found
        except (KeyError, TypeError, ValueError, ZeroDivisionError) as error:
            raise InputError(f"{folder}manifest.json is not one of a hand-off: {error!r}") from None
    for name in sorted({*listed, *pictures}):
        if name not in package.names:
            yield Checked(name, 0, "it is not there")
            continue
        try:
            digest, size = package.digest(name)
        except (OSError, zipfile.BadZipFile, EOFError, zlib.error) as error:
            yield Checked(name, 0, f"it cannot be read: {error}")
            continue
        if digest != listed.get(name, digest):
            yield Checked(name, size, "it is not what was handed off: its checksum is another one")
        elif name in pictures and pictures[name][0] != digest:
            yield Checked(name, size, "the manifest and the list of checksums do not agree")
        elif name in pictures:
            yield Checked(name, size, _wrong(package, name, *pictures[name][1:]))
        else:
            yield Checked(name, size)


def _wrong(package: _Package, name: str, expected: tuple[int, int, int], recipe: str) -> str:
    """What is wrong with a picture, or nothing."""
    known = {one.name: one for one in recipes}.get(recipe)
    if known is None:
        return f"nothing here reads files of {recipe}"
    look = known.format.measure
    if look is None:
        return ""
    try:
        found = package.looked_at(name, look)
    except StorageError as error:
        return str(error)
    if found != expected:
        return f"it has {found[2]} frames of {found[0]} x {found[1]}, and the manifest says {expected[2]} of {expected[0]} x {expected[1]}"
    return ""
