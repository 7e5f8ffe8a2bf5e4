"""What tests ask of a frame: its masters, or its files in one form."""

from __future__ import annotations

from pathlib import Path

from zeitbild.farm.cell import make_frame
from zeitbild.handoff.writing import FileRecord
from zeitbild.sources import Masters


def make_cells(
    document: str, frame: int, layers: tuple[str, ...], quality: str, assets: Path, masters: Path
) -> Masters:
    """The masters of a frame of some layers, rendered as far as they are not."""
    return make_frame(document, frame, str(frame), layers, quality, False, (), assets, masters).cells


def make_files(
    document: str,
    frame: int,
    layers: tuple[str, ...],
    quality: str,
    recipe: str,
    options: tuple[tuple[str, str], ...],
    passes: tuple[str, ...],
    version: int,
    assets: Path,
    masters: Path,
    folder: Path,
) -> list[FileRecord]:
    """The files of a frame in one form."""
    form = (recipe, options, layers, passes, version, assets, masters, folder)
    return make_frame(document, frame, str(frame), layers, quality, False, (form,), assets, masters).records[0]
