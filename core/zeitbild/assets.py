"""Uploaded files in a folder, named by their SHA-256."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable
from pathlib import Path
from uuid import uuid4

from zeitbild.errors import InputError
from zeitbild.storage import blame, write_bytes, write_whole

_DIGEST = re.compile(r"^[0-9a-f]{64}$")


class AssetFolder:
    """Assets below one folder; their content never changes."""

    def __init__(self, root: Path) -> None:
        self.root = root

    def path(self, sha256: str, field: str = "") -> Path:
        """Where an asset lies; InputError for what is no digest, and if it is not there, at ``field``."""
        path = self._place(sha256)
        if not path.exists():
            raise InputError(f"the uploaded file {sha256[:12]}… is not here; upload it again", field)
        return path

    def _place(self, sha256: str) -> Path:
        if not _DIGEST.match(sha256):
            raise InputError(f"{sha256[:20]!r} does not name an uploaded file")
        return self.root / sha256[:2] / sha256

    def read(self, sha256: str) -> bytes:
        """Content of an asset, to be handed on as it is; InputError if it is not there."""
        return self.path(sha256).read_bytes()

    def add(self, data: bytes) -> str:
        """Keep an asset; gives its SHA-256."""
        digest = hashlib.sha256(data).hexdigest()
        if not self._place(digest).exists():
            write_bytes(self._place(digest), data)
        return digest

    def take_in(self, write: Callable[[Path], None]) -> tuple[str, bool]:
        """Keep what ``write`` puts into a new file, which is never in memory as a whole; gives its SHA-256, and whether it was not there
        before. StorageError if the disk refuses."""
        found: list[str] = []

        def written(path: Path) -> None:
            write(path)
            with path.open("rb") as file:
                found.append(hashlib.file_digest(file, "sha256").hexdigest())

        incoming = self.root / f"incoming-{uuid4().hex}"
        write_whole(incoming, written)
        place = self._place(found[0])
        try:
            new = not place.exists()
            if new:
                place.parent.mkdir(parents=True, exist_ok=True)
                incoming.replace(place)
        except OSError as error:
            raise blame(error, place) from error
        finally:
            incoming.unlink(missing_ok=True)
        return found[0], new

    def drop(self, sha256: str) -> None:
        """Let go of an asset that nobody knows."""
        self._place(sha256).unlink(missing_ok=True)
