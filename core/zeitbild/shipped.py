"""Files that ship with Zeitbild for elements to show."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True, slots=True)
class ShippedFile:
    """One shipped file: key used in documents, name for people, what it is, and where it lies."""

    key: str
    title: str
    character: str
    path: Path
