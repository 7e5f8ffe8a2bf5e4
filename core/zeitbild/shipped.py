"""Files that documents name: those that ship with Zeitbild, by their keys, and those that people brought, by their content."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from zeitbild.errors import InputError


@dataclass(frozen=True, slots=True)
class ShippedFile:
    """One shipped file: key used in documents, name for people, what it is, and where it lies."""

    key: str
    title: str
    character: str
    path: Path


class AssetSource(Protocol):
    """Where uploaded files come from: by SHA-256. Their content is a stranger's: it is read ``apart``, by those who get its path."""

    def path(self, sha256: str, field: str = "") -> Path:
        """Where an asset lies; InputError at ``field`` if it is not there."""
        ...


class _Titled(Protocol):
    @property
    def title(self) -> str: ...

    @property
    def path(self) -> Path: ...


#: An uploaded file is named by this and its SHA-256.
ASSET = "asset:"
#: What a field that names a file may hold.
NAMED = r"^([a-z0-9-]{1,40}|asset:[0-9a-f]{64})$"
#: The same where files have several styles, which are told by their numbers.
NAMED_STYLE = r"^([a-z0-9-]{1,40}|asset:[0-9a-f]{64}(#[1-9][0-9]{0,2})?)$"


def style_of(named: str) -> tuple[str, int]:
    """The file that ``NAMED_STYLE`` names, and the number of its style."""
    file, _, style = named.partition("#")
    return file, int(style or 0)


def file_of(
    named: str, what: str, shipped: Mapping[str, _Titled], assets: AssetSource, error: type[InputError]
) -> tuple[Path, str]:
    """Where the file lies that a field called ``what`` names, and what people call it; ``error`` at that field if there is none."""
    if named.startswith(ASSET):
        return assets.path(named.removeprefix(ASSET), what), f"the uploaded {what}"
    if named not in shipped:
        raise error(f"there is no {what} {named!r}; choose one of {', '.join(shipped)} or upload one", what)
    return shipped[named].path, shipped[named].title
