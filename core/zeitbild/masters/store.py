"""Content-addressed store of rendered pictures: multi-layer OpenEXR, one file for each frame key.

Channels ``R G B A`` half float (premultiplied, linear, Rec. 709: OpenEXR technical introduction), ``depth.Z`` float, and
``covered.A`` half float if something see-through stands there. A file that is there is whole (written beside and renamed), so
presence is all a lookup needs.
"""

from __future__ import annotations

import os
import re
from pathlib import Path

import numpy as np
import OpenEXR

from zeitbild.errors import StorageError
from zeitbild.exr_files import write_exr
from zeitbild.render.picture import Picture
from zeitbild.storage import write_whole

_KEY = re.compile(r"^[0-9a-f]{64}$")


class MasterStore:
    """Masters below one folder; safe to share between processes."""

    def __init__(self, root: Path) -> None:
        self.root = root

    def path(self, key: str) -> Path:
        """Where the master of a frame key lies; ValueError for what is no key."""
        if not _KEY.match(key):
            raise ValueError(f"{key!r} is not a frame key")
        return self.root / key[:2] / f"{key}.exr"

    def has(self, key: str) -> bool:
        """True if that frame has been rendered."""
        return self.path(key).exists()

    def reuse(self, key: str) -> bool:
        """The same as ``has``, and that it was used just now, so that it is not cleaned up."""
        try:
            os.utime(self.path(key))
        except FileNotFoundError:
            return False
        except OSError:
            # There, but another user's.
            return True
        return True

    def save(self, key: str, picture: Picture) -> int:
        """Keep a picture under its key; gives the file's size in bytes. StorageError if it cannot be written."""
        path = self.path(key)
        beauty = picture.beauty
        # Beyond the largest half float (65504) a value would turn infinite.
        planes = {
            name: np.ascontiguousarray(np.clip(beauty[..., k], 0, 65504), dtype=np.float16)
            for k, name in enumerate("RGBA")
        }
        planes["depth.Z"] = np.ascontiguousarray(picture.depth, dtype=np.float32)
        if picture.covered is not None:
            planes["covered.A"] = np.ascontiguousarray(np.clip(picture.covered, 0, 1), dtype=np.float16)
        write_whole(path, lambda beside: write_exr(beside, planes))
        return path.stat().st_size

    def load(self, key: str) -> Picture:
        """The picture of a frame key, float32; StorageError if it is missing or broken."""
        path = self.path(key)
        try:
            with OpenEXR.File(str(path), separate_channels=True) as file:
                channels = file.channels()
                height, width = channels["A"].pixels.shape
                beauty = np.empty((height, width, 4), np.float32)
                for k, name in enumerate("RGBA"):
                    beauty[..., k] = channels[name].pixels
                covered = channels.get("covered.A")
                return Picture(
                    beauty,
                    np.array(channels["depth.Z"].pixels, dtype=np.float32),
                    covered=None if covered is None else np.array(covered.pixels, dtype=np.float32),
                )
        except (RuntimeError, ValueError, OSError, KeyError) as error:
            raise StorageError(f"the master {key[:12]}… cannot be read ({error}); render the frame again") from error

    def forget(self, key: str) -> None:
        """Remove a master that turned out to be broken, so that it is rendered anew."""
        self.path(key).unlink(missing_ok=True)
