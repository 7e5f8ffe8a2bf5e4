"""Uploaded files in a folder, named by their SHA-256."""

from __future__ import annotations

import hashlib
import re
from functools import lru_cache
from pathlib import Path

from zeitbild.errors import InputError
from zeitbild.storage import write_bytes

_DIGEST = re.compile(r"^[0-9a-f]{64}$")


#: Bytes up to which a file's content is kept in memory.
_SMALL = 8 * 1024 * 1024


@lru_cache(maxsize=32)
def _content(path: Path) -> bytes:
    return path.read_bytes()


class AssetFolder:
    """Assets below one folder; their content never changes, so reads are cached."""

    def __init__(self, root: Path) -> None:
        self.root = root

    def path(self, sha256: str) -> Path:
        """Where an asset lies; InputError for what is no digest."""
        if not _DIGEST.match(sha256):
            raise InputError(f"{sha256[:20]!r} does not name an uploaded file")
        return self.root / sha256[:2] / sha256

    def read(self, sha256: str) -> bytes:
        """Content of an asset; InputError if it is not there."""
        path = self.path(sha256)
        try:
            # Fonts are asked for at every picture; what is larger is kept by those who made something of it.
            return _content(path) if path.stat().st_size <= _SMALL else path.read_bytes()
        except FileNotFoundError:
            raise InputError(f"the uploaded file {sha256[:12]}… is not here; upload it again", "font") from None

    def add(self, data: bytes) -> str:
        """Keep an asset; gives its SHA-256."""
        digest = hashlib.sha256(data).hexdigest()
        if not self.path(digest).exists():
            write_bytes(self.path(digest), data)
        return digest
