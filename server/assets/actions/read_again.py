"""Files that were brought when less was known of them."""

from __future__ import annotations

from typing import Any

from assets.models import LibraryFile
from zeitbild.assets import AssetFolder
from zeitbild.errors import ZeitbildError
from zeitbild.library import FileKind, files
from zeitbild.paths import assets_folder

#: What facts are said to be of (``FileKind.version``).
_VERSION = "version"


def marked(kind: FileKind, facts: dict[str, Any]) -> dict[str, Any]:
    """Facts with the version of what read them."""
    return {**facts, _VERSION: kind.version}


def read_again(file: LibraryFile) -> LibraryFile:
    """The file with what is known of it today; with what was, if it cannot be read any more."""
    kind = files.get(file.kind)
    if file.facts.get(_VERSION, 1) >= kind.version:
        return file
    try:
        found = kind.facts(AssetFolder(assets_folder()).path(file.sha256), file.file_name, f"asset:{file.sha256}")
    except ZeitbildError:
        # It is as it was; once is enough to find that out.
        found = file.facts
    file.facts = marked(kind, found)
    file.save(update_fields=["facts"])
    return file
