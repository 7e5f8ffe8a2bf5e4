"""Content-addressed store of rendered pictures: OpenEXR, one file for each frame key and bundle of planes (``bundles``).

A file that is there is whole (written beside and renamed), so presence is all a lookup needs.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
from collections.abc import Collection, Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio

from zeitbild.differences import Difference
from zeitbild.errors import StorageError
from zeitbild.exr_files import write_parts
from zeitbild.masters.bundles import KEPT, Read, file_end, window_of
from zeitbild.render.passes import Bundle
from zeitbild.render.picture import Picture
from zeitbild.snapshot import Snapshot
from zeitbild.storage import write_whole

_KEY = re.compile(r"^[0-9a-f]{64}$")
_END = re.compile(r"^(\.[a-z]+-[0-9a-f]{12})?$")
_BEAUTY: dict[Bundle, str] = {"beauty": ""}
#: Rows that are packed together.
_STRIP = 16
#: Bundles that are written side by side.
_AT_ONCE = 2
#: The attribute that tells how many pixels were rendered around the raster.
_MARGIN = "overscan"


def ends_of(snapshot: Snapshot, bundles: Iterable[Bundle]) -> dict[Bundle, str]:
    """Bundles by name, each with the end of its file's name; beauty is always among them."""
    return _BEAUTY | {bundle: file_end(bundle, snapshot) for bundle in sorted(bundles)}


class MasterStore:
    """Masters below one folder; safe to share between processes.

    ends are those of ``ends_of``; without them beauty alone is meant.
    """

    def __init__(self, root: Path) -> None:
        self.root = root

    def path(self, key: str, end: str = "") -> Path:
        """Where a bundle of a frame key lies; ValueError for what is no key."""
        if not _KEY.match(key) or not _END.match(end):
            raise ValueError(f"{key + end!r} is not a frame key")
        return self.root / key[:2] / f"{key}{end}.exr"

    def has(self, key: str, ends: Mapping[Bundle, str] = _BEAUTY) -> bool:
        """True if those bundles of that frame have been rendered."""
        return all(self.path(key, end).exists() for end in ends.values())

    def reuse(self, key: str, ends: Mapping[Bundle, str] = _BEAUTY) -> bool:
        """The same as ``has``, and that they were used just now, so that they are not cleaned up."""
        for end in ends.values():
            try:
                os.utime(self.path(key, end))
            except FileNotFoundError:
                return False
            except OSError:
                # There, but another user's.
                continue
        return True

    def note(self, key: str, about: str) -> Path:
        """Where something is written down that was found out about a frame key and what ``about`` says."""
        self.path(key)
        return self.root / key[:2] / f"{key}.note-{hashlib.sha256(about.encode()).hexdigest()[:12]}.json"

    def sums(self, key: str, ends: Mapping[Bundle, str]) -> Difference | None:
        """How far the passes of light of a frame are from its beauty, as was found out when they were kept; None without them."""
        if "light" not in ends:
            return None
        source = oiio.ImageInput.open(str(self.path(key, ends["light"])))
        if source is None:
            return None
        try:
            said = source.spec().get_string_attribute("sums")
        finally:
            source.close()
        return Difference(**json.loads(said)) if said else None

    def save(self, key: str, picture: Picture, ends: Mapping[Bundle, str] = _BEAUTY) -> int:
        """Keep a picture under its key, those bundles that are not there yet; gives the size of all in bytes.

        StorageError if one cannot be written.
        """
        window = window_of(picture)
        # The display window is the raster; what lies around it stands in the data window alone.
        margin = picture.margin
        corner = window[1].start - margin, window[0].start - margin
        outside = {_MARGIN: str(margin)} if margin else {}

        def write(bundle: Bundle) -> None:
            parts = [
                replace(
                    part,
                    attributes={**part.attributes, **outside},
                    compression="zstd",
                    strip=_STRIP,
                    window=(corner, picture.raster),
                )
                for part in KEPT[bundle].parts(picture, window)
            ]
            write_whole(self.path(key, ends[bundle]), lambda beside: write_parts(beside, parts))

        # Beauty is written anew, as ever: who saves has rendered it.
        missing = [one for one in ends if one == "beauty" or not self.path(key, ends[one]).exists()]
        missing.sort(key=list(KEPT).index)
        if len(missing) == 1:
            write(missing[0])
        elif missing:
            # The library computes outside of the interpreter; no more at once, since each holds its planes once more.
            with ThreadPoolExecutor(_AT_ONCE) as pool:
                list(pool.map(write, missing))
        return self.size(key, ends)

    def size(self, key: str, ends: Mapping[Bundle, str] = _BEAUTY) -> int:
        """Bytes of those bundles; StorageError if one is missing."""
        try:
            return sum(self.path(key, end).stat().st_size for end in ends.values())
        except FileNotFoundError as error:
            raise StorageError(f"the master {key[:12]}… is gone; render the frame again") from error

    def load(self, key: str, ends: Mapping[Bundle, str] = _BEAUTY, *, depth: bool = True) -> Picture:
        """The picture of a frame key with those bundles, float32; without ``depth`` it has none, as if nothing stood there. StorageError
        if one is missing or broken."""
        found: dict[str, Any] = {}
        for bundle, end in ends.items():
            try:
                parts = _read(self.path(key, end), () if depth else ("depth",))
                found |= KEPT[bundle].read(parts)
                found["margin"] = max(part.margin for part in parts.values())
            except (RuntimeError, ValueError, OSError, KeyError) as error:
                raise StorageError(
                    f"the master {key[:12]}… cannot be read ({error}); render the frame again"
                ) from error
        return Picture(**found)

    def forget(self, key: str) -> None:
        """Remove a master that turned out to be broken, with all its bundles, so that it is rendered anew."""
        self.path(key)
        for path in (self.root / key[:2]).glob(f"{key}.*"):
            path.unlink(missing_ok=True)


def _read(path: Path, but: Collection[str] = ()) -> dict[str, Read]:
    """The parts of a file by their names, but for some."""
    source = oiio.ImageInput.open(str(path))
    if source is None:
        raise OSError(oiio.geterror())
    parts: dict[str, Read] = {}
    try:
        number = 0
        while source.seek_subimage(number, 0):
            spec = source.spec()
            name = spec.get_string_attribute("name")
            if name not in but:
                parts[name] = _part(source, number, spec)
            number += 1
    finally:
        source.close()
    if not parts:
        raise OSError("it holds no picture")
    return parts


def _part(source: oiio.ImageInput, number: int, spec: oiio.ImageSpec) -> Read:
    """One part, as half floats if it holds no other numbers."""
    kinds = {spec.channelformat(at).basetype for at in range(spec.nchannels)}
    pixels = source.read_image(number, 0, 0, spec.nchannels, "half" if kinds == {oiio.HALF} else "float")
    if pixels is None:
        raise OSError(source.geterror())
    pixels = np.asarray(pixels).reshape(spec.height, spec.width, spec.nchannels)
    texts = {one.name: str(one.value) for one in spec.extra_attribs if one.type == oiio.TypeString}
    margin = int(texts.get(_MARGIN, "0"))
    left, top = spec.x + margin, spec.y + margin
    window = slice(top, top + spec.height), slice(left, left + spec.width)
    size = spec.full_width + 2 * margin, spec.full_height + 2 * margin
    return Read(pixels, tuple(spec.channelnames), texts, window, size, margin)


__all__ = ["MasterStore", "ends_of"]
