"""The work on one cell, as plain functions that any process can run."""

from __future__ import annotations

import os
import socket
import time
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import FullError, StorageError, ZeitbildError
from zeitbild.farm.pool import NO_MEMORY
from zeitbild.handoff.recipes import recipes
from zeitbild.handoff.writing import FileRecord, write_frame
from zeitbild.masters import MasterStore
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.resolve import depth_range, frame_key, resolve


@dataclass(frozen=True, slots=True)
class CellResult:
    """A rendered cell: its master's key and size, the seconds it took, and whether it was there already; or why there is none."""

    frame: int
    key: str = ""
    bytes: int = 0
    seconds: float = 0.0
    reused: bool = False
    error: str = ""
    #: There was no room for it: it is rendered again when there is.
    full: bool = False
    #: Machine and process that made it.
    where: str = ""


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
    """Render one frame of a layer (the first, if none is named) of a document (JSON text) into the master store, unless it is
    there."""
    started = time.perf_counter()
    store, shot = MasterStore(masters), _shot(document)
    snapshot = resolve(shot, frame, AssetFolder(assets), layer or shot.layers[0].name)
    key = frame_key(snapshot, quality)
    reused = store.reuse(key)
    size = store.path(key).stat().st_size if reused else store.save(key, render(snapshot, QUALITIES[quality]))
    return CellResult(frame, key, size, time.perf_counter() - started, reused, where=_where())


def _where() -> str:
    return f"{socket.gethostname()[:60]} {os.getpid()}"


def render_layers(
    document: str, frame: int, quality: str, assets: Path, masters: Path, layers: tuple[str, ...]
) -> dict[str, CellResult]:
    """One frame of several layers, one after the other: those that see the same share a master, which is rendered once.

    What one layer lacks does not keep the others from being rendered.
    """
    results = {}
    for layer in layers:
        try:
            results[layer] = render_cell(document, frame, quality, assets, masters, layer)
        except FullError as error:
            results[layer] = CellResult(frame, error=str(error), full=True)
        except ZeitbildError as error:
            results[layer] = CellResult(frame, error=str(error))
        except MemoryError:
            results[layer] = CellResult(frame, error=NO_MEMORY)
    return results


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
