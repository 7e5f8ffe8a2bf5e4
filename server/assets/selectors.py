"""Which uploaded files a document may use."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from assets.models import Font, LibraryFile, Picture
from projects.models import Project
from zeitbild.errors import DocumentError, Problem

_NAMED = re.compile(r"^asset:([0-9a-f]{64})(#\d{1,4})?$")


def _walk(value: Any, path: str) -> Iterator[tuple[str, str]]:
    """Dotted path and SHA-256 of every uploaded file that a raw value names."""
    if isinstance(value, str):
        named = _NAMED.match(value)
        if named:
            yield path, named[1]
    elif isinstance(value, dict):
        for name, inner in value.items():
            yield from _walk(inner, f"{path}.{name}" if path else str(name))
    elif isinstance(value, list | tuple):
        for number, inner in enumerate(value):
            yield from _walk(inner, f"{path}.{number}")


def named_assets(document: Any) -> dict[str, str]:
    """SHA-256 of each uploaded file that a raw document names, by the field that names it."""
    return dict(_walk(document, ""))


def check_assets(project: Project, document: Any) -> None:
    """Refuse a raw document that names an uploaded file of another project; DocumentError names the field.

    Content is shared by hash, so without this anyone who knows a hash could use another's file.
    """
    named = named_assets(document)
    if not named:
        return
    own = {
        sha256
        for kind in (Font, Picture, LibraryFile)
        for sha256 in kind.every.filter(project=project, sha256__in=named.values()).values_list("sha256", flat=True)
    }
    problems = [
        Problem(field, "this file is not in the project; upload it here")
        for field, sha256 in named.items()
        if sha256 not in own
    ]
    if problems:
        raise DocumentError(problems)
