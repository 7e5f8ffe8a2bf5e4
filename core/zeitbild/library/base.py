"""What a kind of file declares."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from zeitbild.registry import Registry
from zeitbild.shipped import ShippedFile


@dataclass(frozen=True, slots=True)
class FileKind:
    """A kind of file.

    name is its place in addresses; suffixes are those that its files have, with their dots; most_bytes is how large one may be.
    ``facts`` reads a file (where it lies, what it is called, and what documents call it) and tells what forms want to know of it, as
    plain values of JSON, among them a ``summary`` and ``notes`` of what is left out; an InputError says what is wrong with it.
    shipped are those that need not be brought. ``together``: what several files are that come together and become one, packed into a ZIP; empty
    if they do not. ``gathers`` are suffixes of files, one or several or a ZIP of them, of which ``gather`` makes one of this kind (the ZIP's place, what it
    is called). version is raised when facts tell more, or something else, of the same file: those that were read before are read again.
    """

    name: str
    title: str
    suffixes: tuple[str, ...]
    most_bytes: int
    facts: Callable[[Path, str, str], dict[str, Any]]
    shipped: Sequence[ShippedFile] = ()
    order: int = 0
    together: str = ""
    gathers: tuple[str, ...] = ()
    gather: Callable[[Path, str], bytes] | None = None
    version: int = 1


files: Registry[FileKind] = Registry("file", "zeitbild.library")
