"""Kinds of files that people bring along for elements. One module a kind, found by scanning this package."""

from zeitbild.library.base import FileKind, files

__all__ = ["FileKind", "files"]
