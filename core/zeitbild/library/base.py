"""What a kind of file declares."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from zeitbild.registry import Registry


@dataclass(frozen=True, slots=True)
class FileKind:
    """A kind of file.

    name is its place in addresses; suffixes are those that its files have, with their dots; most_bytes is how large one may be.
    ``facts`` reads a file (its bytes, and what it is called) and tells
    what forms want to know of it, as plain values of JSON; an InputError says what is wrong with it.
    """

    name: str
    title: str
    suffixes: tuple[str, ...]
    most_bytes: int
    facts: Callable[[bytes, str], dict[str, Any]]
    order: int = 0


files: Registry[FileKind] = Registry("file", "zeitbild.library")
