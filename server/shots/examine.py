"""What there is to say about a document while it is being edited: file names, length, findings, cost of a run."""

from __future__ import annotations

import json
import time
from collections.abc import Sequence
from dataclasses import asdict
from fractions import Fraction
from functools import lru_cache
from typing import Any

from zeitbild.assets import AssetFolder
from zeitbild.checks import SetView, find
from zeitbild.document.reading import read_shot, write_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import NamingError
from zeitbild.farm.cell import cell_key
from zeitbild.formats import Plane, formats
from zeitbild.handoff.recipes import recipes
from zeitbild.kernels import PARALLEL
from zeitbild.masters import MasterStore
from zeitbild.naming import NamingRule, plan_files
from zeitbild.naming.plan import file_name
from zeitbild.paths import assets_folder, masters_folder
from zeitbild.render import QUALITIES, render
from zeitbild.render.passes import passes
from zeitbild.resolve import depth_range, resolve
from zeitbild.resolve.framing import framed
from zeitbild.timing import Length, parse_frames, parse_length, parse_rate, phase_of, turned_degrees

#: Frames up to which every name and angle is listed for the sheet, and up to which all are looked up for an estimate.
MAX_LISTED, MAX_LOOKED = 1500, 240


def length_of(shot: Shot) -> dict[str, Any]:
    """A range's length three ways."""
    length = Length(shot.timing.last - shot.timing.first + 1, shot.timing.fraction)
    return {"frames": length.frames, "seconds": round(float(length.seconds), 3), "timecode": length.timecode}


def read_length(text: str, rate: str) -> dict[str, Any]:
    """A typed length three ways; InputError if it is none."""
    length = parse_length(text, parse_rate(rate))
    return {"frames": length.frames, "seconds": round(float(length.seconds), 3), "timecode": length.timecode}


def examine(document: Any, version: int, recipe: str, raster: tuple[int, int] | None = None) -> dict[str, Any]:
    """Length, file plan (or what is wrong with it) and findings; DocumentError if the document does not hold.

    raster is the width and height that the project works at.
    """
    shot = read_shot(document)
    view = SetView(shot, AssetFolder(assets_folder()), raster)
    plan: dict[str, Any] | None = None
    naming_error = None
    frames = shot.timing.frames
    listed = frames if len(frames) <= MAX_LISTED else range(0)
    extension = recipes.get(recipe).format.extension
    try:
        plan = asdict(plan_files(shot, version=version, ext=extension))
        rule = NamingRule.parse(shot.naming)
        for output in plan["outputs"]:
            names = (
                file_name(rule, shot, output["layer"], output["pass_name"], version, frame, extension)
                for frame in listed
            )
            output["names"] = [name.rpartition("/")[2] for name in names]
    except NamingError as error:
        naming_error = str(error)
    return {
        "length": length_of(shot),
        "frame_count": len(shot.timing.frames),
        "plan": plan,
        "naming_error": naming_error,
        "findings": [asdict(finding) for finding in find(shot, view)],
        "motion": _motion(shot, listed),
    }


def _motion(shot: Shot, frames: range) -> list[dict[str, Any]]:
    """Degrees turned at each frame, for every element that turns."""
    timing = shot.timing
    phases = [phase_of(frame, timing.first, timing.last, timing.cycle) for frame in frames]
    return [
        {
            "element": element.id,
            "name": element.name,
            "axis": element.turn.axis,
            "degrees": [round(turned_degrees(Fraction(str(element.turn.turns)), phase), 2) for phase in phases],
        }
        for element in shot.elements
        if element.turn.turns
    ]


@lru_cache(maxsize=64)
def _measure(key: str, document: str, frame: int, quality: str) -> tuple[float, int, int]:
    """Seconds on this machine's threads, bytes of the master, bytes of its files, for one real frame."""
    shot = read_shot(json.loads(document))
    assets = AssetFolder(assets_folder())
    started = time.perf_counter()
    picture = render(resolve(shot, frame, assets, shot.layers[0].name), QUALITIES[quality])
    size = MasterStore(masters_folder()).save(key, picture)
    seconds = time.perf_counter() - started
    png = formats.get("png8")
    near_far = depth_range(shot, assets)
    files = sum(
        len(png.encode(Plane(passes.get(name).role, passes.get(name).extract(picture), near_far)))
        for layer in shot.layers
        for name in layer.passes
    )
    return seconds, size, files


def estimate(document: Any, quality: str, frame_set: str, processes: int) -> dict[str, Any]:
    """Expected seconds and bytes of a run, from one frame of it that is rendered now (and kept as a master).

    How many cells are there already is looked up for up to ``MAX_LOOKED`` frames, evenly spread; of longer runs it is a guess.
    """
    shot = read_shot(document)
    text = write_shot(shot)
    frames = parse_frames(frame_set) if frame_set.strip() else tuple(shot.timing.frames)
    middle = frames[len(frames) // 2]
    fresh = _fresh(text, frames, quality, [layer.name for layer in shot.layers])
    key = cell_key(text, middle, quality, assets_folder())
    seconds, master_bytes, file_bytes = _measure(key, text, middle, quality)
    cells = len(frames) * len(shot.layers)
    # One frame used all threads; several processes with one thread each fare about alike, start-up aside.
    start_up = 3.0 if fresh else 0.0
    return {
        "frames": len(frames),
        "layers": len(shot.layers),
        "cells": cells,
        "files": len(frames) * sum(len(layer.passes) for layer in shot.layers),
        "reused": cells - fresh,
        "seconds": round(start_up + fresh * seconds * 2 / max(1, min(processes, 2)), 1),
        "bytes": fresh * master_bytes,
        "file_bytes": len(frames) * file_bytes,
    }


def _fresh(document: str, frames: Sequence[int], quality: str, layers: list[str]) -> int:
    """Masters that a run would have to render: those that are not there, each once."""
    folder, store = assets_folder(), MasterStore(masters_folder())
    looked = frames if len(frames) <= MAX_LOOKED else frames[:: -(-len(frames) // MAX_LOOKED)]
    keys: set[str] = set()
    for frame in looked:
        # Nobody may want to know any more.
        PARALLEL.breathe()
        keys.update(cell_key(document, frame, quality, folder, layer) for layer in layers)
    fresh = sum(not store.has(key) for key in keys)
    # Where frames repeat among those that were looked at, the others repeat them too.
    repeats = len(keys) < len(looked)
    return fresh if repeats else round(fresh * len(frames) / len(looked))


def frame_camera(document: Any, frame: int, elements: tuple[str, ...]) -> dict[str, Any]:
    """The camera of an unsaved document moved so that the named elements (none: all) fill the picture."""
    camera = framed(read_shot(document), (frame,), AssetFolder(assets_folder()), elements)
    return camera.model_dump(mode="json")
