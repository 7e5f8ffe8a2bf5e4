"""Files that documents name: shipped ones by their key, uploaded ones by their content."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Protocol

from zeitbild.elements.base import AssetSource
from zeitbild.errors import InputError

#: An uploaded file is named by this and its SHA-256.
ASSET = "asset:"
#: What a field that names a file may hold.
NAMED = r"^([a-z0-9-]{1,40}|asset:[0-9a-f]{64})$"


class _Shipped(Protocol):
    @property
    def title(self) -> str: ...

    @property
    def path(self) -> Path: ...


def file_of(
    named: str, what: str, shipped: Mapping[str, _Shipped], assets: AssetSource, error: type[InputError]
) -> tuple[Path, str]:
    """Where the file lies that a field called ``what`` names, and what people call it; ``error`` at that field if there is none."""
    if named.startswith(ASSET):
        return assets.path(named.removeprefix(ASSET), what), f"the uploaded {what}"
    if named not in shipped:
        raise error(f"there is no {what} {named!r}; choose one of {', '.join(shipped)} or upload one", what)
    return shipped[named].path, shipped[named].title
