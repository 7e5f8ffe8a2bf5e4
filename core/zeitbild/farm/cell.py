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


def cell_key(document: str, frame: int, quality: str, assets: Path, layer: str = "") -> str:
    """Frame key of a cell without rendering it: of a layer, or of the first."""
    shot = _shot(document)
    return frame_key(resolve(shot, frame, AssetFolder(assets), layer or shot.layers[0].name), quality)


def render_cell(document: str, frame: int, quality: str, assets: Path, masters: Path, layer: str = "") -> CellResult:
    """Render one frame of a document (JSON text) into the master store, unless it is there.

    Without a layer all of them; those that see the same share a master, and the result names the first one's.
    """
    started = time.perf_counter()
    store, shot = MasterStore(masters), _shot(document)
    done: dict[str, tuple[int, bool]] = {}
    for name in [layer] if layer else [one.name for one in shot.layers]:
        snapshot = resolve(shot, frame, AssetFolder(assets), name)
        key = frame_key(snapshot, quality)
        if key in done:
            continue
        if store.has(key):
            done[key] = store.path(key).stat().st_size, True
        else:
            done[key] = store.save(key, render(snapshot, QUALITIES[quality])), False
    return CellResult(
        frame,
        next(iter(done)),
        sum(size for size, _ in done.values()),
        time.perf_counter() - started,
        all(reused for _, reused in done.values()),
    )


def _load_or_render(document: str, frame: int, layer: str, quality: str, assets: Path, masters: Path) -> Picture:
    store = MasterStore(masters)
    result = render_cell(document, frame, quality, assets, masters, layer)
    try:
        return store.load(result.key)
    except StorageError:
        # A damaged master is replaced by a new one instead of stopping a hand-off.
        store.forget(result.key)
        return store.load(render_cell(document, frame, quality, assets, masters, layer).key)


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
    picture = _load_or_render(document, frame, layer, quality, assets, masters)
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
