"""What was put away is back when it is brought again."""

from __future__ import annotations

from typing import TypeVar

from assets.models import Font, LibraryFile, Picture

F = TypeVar("F", Font, Picture, LibraryFile)


def present(file: F) -> F:
    """The file, in its project's lists."""
    if file.deleted_at is not None:
        file.deleted_at = None
        file.save(update_fields=["deleted_at"])
    return file
