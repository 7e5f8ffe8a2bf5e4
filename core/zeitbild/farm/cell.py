"""The work on one cell, as plain functions that any process can run."""

from __future__ import annotations

import time
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import StorageError
from zeitbild.handoff.recipes import recipes
from zeitbild.handoff.writing import FileRecord, write_frame
from zeitbild.masters import MasterStore
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.resolve import depth_range, frame_key, resolve


@dataclass(frozen=True, slots=True)
class CellResult:
    """A rendered cell: its master's key, the master's size, the seconds it took, and whether it was there already."""

    frame: int
    key: str
    bytes: int
    seconds: float
    reused: bool


@lru_cache(maxsize=8)
def _shot(document: str) -> Shot:
    return parse_shot(document)


@lru_cache(maxsize=8)
def _range(document: str, assets: Path) -> tuple[float, float]:
    return depth_range(_shot(document), AssetFolder(assets))


def cell_key(document: str, frame: int, quality: str, assets: Path) -> str:
    """Frame key of a cell without rendering it."""
    return frame_key(resolve(_shot(document), frame, AssetFolder(assets)), quality)


def render_cell(document: str, frame: int, quality: str, assets: Path, masters: Path) -> CellResult:
    """Render one frame of a document (JSON text) into the master store, unless it is there."""
    started = time.perf_counter()
    store = MasterStore(masters)
    snapshot = resolve(_shot(document), frame, AssetFolder(assets))
    key = frame_key(snapshot, quality)
    if store.has(key):
        return CellResult(frame, key, store.path(key).stat().st_size, time.perf_counter() - started, True)
    size = store.save(key, render(snapshot, QUALITIES[quality]))
    return CellResult(frame, key, size, time.perf_counter() - started, False)


def _load_or_render(document: str, frame: int, quality: str, assets: Path, masters: Path) -> Picture:
    store = MasterStore(masters)
    result = render_cell(document, frame, quality, assets, masters)
    try:
        return store.load(result.key)
    except StorageError:
        # A damaged master is replaced by a new one instead of stopping a hand-off.
        store.forget(result.key)
        return store.load(render_cell(document, frame, quality, assets, masters).key)


def write_cell(
    document: str,
    frame: int,
    layer: str,
    quality: str,
    recipe: str,
    version: int,
    assets: Path,
    masters: Path,
    folder: Path,
) -> list[FileRecord]:
    """Files of one cell from its master (rendered if it is missing), each read back; see ``write_frame``."""
    picture = _load_or_render(document, frame, quality, assets, masters)
    return write_frame(
        _shot(document),
        layer,
        frame,
        picture,
        recipes.get(recipe),
        version=version,
        folder=folder,
        depth_range=_range(document, assets),
    )
