"""What there is to say about a document while it is being edited: file names, length, findings, cost of a run."""

from __future__ import annotations

import json
import tempfile
import time
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from zeitbild.assets import AssetFolder
from zeitbild.checks import SetView, find
from zeitbild.document.evaluate import evaluate, time_of
from zeitbild.document.reading import read_shot, write_shot
from zeitbild.document.shot import Shot
from zeitbild.elements.penwork import Penwork, found_strokes
from zeitbild.errors import InputError, NamingError
from zeitbild.farm import cell_is_there, cell_key
from zeitbild.formats import Format, Plane
from zeitbild.handoff import Order, passes_in, recipes
from zeitbild.handoff.writing import plane_of
from zeitbild.kernels import PARALLEL
from zeitbild.masters import MasterStore, ends_of
from zeitbild.naming import Wanted, code_of, plan_files
from zeitbild.naming.plan import file_name
from zeitbild.paths import assets_folder, masters_folder
from zeitbild.proof.adding_up import groups_of
from zeitbild.render import QUALITIES, render
from zeitbild.render.passes import offered
from zeitbild.resolve import reach_of, resolve
from zeitbild.resolve.framing import framed
from zeitbild.resolve.hands import lie_on, marks_of, picked, way_of
from zeitbild.storage import own_prefix
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
    frames = shot.timing.delivered
    listed = frames if len(frames) <= MAX_LISTED else range(0)
    chosen = recipes.get(recipe)
    extension, wanted = chosen.format.extension, Wanted(sharing=chosen.sharing, container=chosen.format.container)
    try:
        plan = asdict(plan_files(shot, version=version, ext=extension, wanted=wanted))
        rule = wanted.rule_of(shot)
        named: set[str] = set()
        for output in plan["outputs"]:
            # The sheet shows one sequence of each layer.
            own = listed if output["layer"] not in named else ()
            named.add(output["layer"])
            layer = next((one for one in shot.layers if one.name == output["layer"]), None)
            there = set(own if layer is None else layer.frames_of(tuple(own)))
            names = (
                file_name(rule, shot, output["layer"], output["pass_code"], version, frame, extension)
                if frame in there
                else ""
                for frame in own
            )
            output["names"] = [name.rpartition("/")[2] for name in names]
    except NamingError as error:
        naming_error = str(error)
    return {
        "length": length_of(shot),
        "frame_count": len(shot.timing.delivered),
        "plan": plan,
        "naming_error": naming_error,
        "passes": [
            {
                "name": one.name,
                "title": one.title,
                "note": one.note,
                "role": one.role,
                "code": code_of(shot, one.name),
                "sums": one.sums,
            }
            for one in offered(shot.light_groups, shot.names)
        ],
        "findings": [asdict(finding) for finding in find(shot, view)],
        "motion": _motion(shot, shot.timing.frames if len(frames) <= MAX_LISTED else range(0)),
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
            "degrees": [
                round(turned_degrees(Fraction(str(element.turn.turns)), phase, Fraction(str(element.turn.start))), 2)
                for phase in phases
            ],
        }
        for element in shot.elements
        if element.turn.turns
    ]


@dataclass(frozen=True, slots=True)
class _Measured:
    """Seconds on this machine's threads, bytes of the master, and of its files, for one real frame."""

    seconds: float
    bytes: int
    file_bytes: int


@lru_cache(maxsize=64)
def _measure(key: str, document: str, frame: int, quality: str, layer: str) -> _Measured:
    """One cell rendered and kept; ``key`` tells what it depends on, so that it is measured once."""
    shot = read_shot(json.loads(document))
    assets = AssetFolder(assets_folder())
    own = shot.layer(layer)
    passes = passes_in(shot, layer, own.passes)
    started = time.perf_counter()
    snapshot = resolve(shot, frame, assets, layer)
    ends = ends_of(snapshot, {one.bundle for one in passes})
    picture = render(snapshot, QUALITIES[quality], planes=any(one.planes for one in passes))
    size = MasterStore(masters_folder()).save(key, picture, ends)
    seconds = time.perf_counter() - started
    order = Order(recipes.get("png8"), 1, reach_of(shot, assets), {})
    carried = [one for one in passes if order.recipe.format.carries(one.role)]
    planes = (plane_of(shot, layer, one, picture.inside(), order, frame)[0] for one in carried)
    return _Measured(seconds, size, sum(_size_of(order.recipe.format, plane) for plane in planes))


def _size_of(form: Format, plane: Plane) -> int:
    """Bytes of a file with one frame of a plane."""
    with tempfile.TemporaryDirectory(prefix=own_prefix()) as folder:
        path = Path(folder) / "file"
        writer = form.open(path, "pass", {})
        writer.add([plane])
        writer.close()
        return path.stat().st_size


def estimate(document: Any, quality: str, frame_set: str, processes: int, layers: Sequence[str] = ()) -> dict[str, Any]:
    """Expected seconds and bytes of a run, from one frame of each layer that is rendered now (and kept as a master).

    How many cells are there already is looked up for up to ``MAX_LOOKED`` frames, evenly spread; of longer runs it is a guess.
    """
    shot = read_shot(document)
    text = write_shot(shot)
    frames = parse_frames(frame_set) if frame_set.strip() else tuple(shot.timing.delivered)
    wanted = Wanted(tuple(layers)).layers_of(shot)
    # Several processes with one thread each fare about as one frame that has all threads.
    at_once = 2 / max(1, min(processes, 2))
    rows: list[dict[str, Any]] = []
    files = file_bytes = fresh_cells = 0
    measured: dict[str, _Measured] = {}
    for layer in wanted:
        own = layer.frames_of(frames)
        files += len(own) * len(layer.passes)
        if not own:
            rows.append(
                {"layer": layer.name, "frames": 0, "reused": 0, "each_seconds": 0.0, "seconds": 0.0, "bytes": 0}
            )
            continue
        fresh = _fresh(text, own, quality, layer.name)
        middle = own[len(own) // 2]
        key = cell_key(text, middle, quality, assets_folder(), layer.name)
        each = measured.setdefault(f"{key} {layer.passes}", _measure(key, text, middle, quality, layer.name))
        file_bytes += len(own) * each.file_bytes
        fresh_cells += fresh
        rows.append(
            {
                "layer": layer.name,
                "frames": len(own),
                "reused": len(own) - fresh,
                "each_seconds": round(each.seconds * at_once, 3),
                "seconds": round(fresh * each.seconds * at_once, 1),
                "bytes": fresh * each.bytes,
            }
        )
    # The picture of the whole set that layers are compared with takes about as long as the dearest of them.
    groups = groups_of(shot, wanted, frames[len(frames) // 2])
    dearest = max((row["seconds"] for row in rows), default=0.0)
    proof = round(len(groups) * dearest, 1)
    start_up = 3.0 if fresh_cells else 0.0
    return {
        "frames": len(frames),
        "layers": rows,
        "cells": sum(row["frames"] for row in rows),
        "files": files,
        "reused": sum(row["reused"] for row in rows),
        "proof_seconds": proof,
        "seconds": round(start_up + proof + sum(row["seconds"] for row in rows), 1),
        "bytes": sum(row["bytes"] for row in rows),
        "file_bytes": file_bytes,
    }


def _fresh(document: str, frames: Sequence[int], quality: str, layer: str) -> int:
    """Masters of a layer that a run would have to render: those that are not there, each once."""
    looked = frames if len(frames) <= MAX_LOOKED else frames[:: -(-len(frames) // MAX_LOOKED)]
    places = assets_folder(), masters_folder()
    there: dict[str, bool] = {}
    for frame in looked:
        # Nobody may want to know any more.
        PARALLEL.breathe()
        key, rendered = cell_is_there(document, frame, quality, *places, layer)
        there[key] = rendered
    fresh = sum(not rendered for rendered in there.values())
    # Where frames repeat among those that were looked at, the others repeat them too.
    repeats = len(there) < len(looked)
    return fresh if repeats else round(fresh * len(frames) / len(looked))


def where_elements_lie(document: Any, frame: int) -> list[dict[str, Any]]:
    """Where the elements of an unsaved document lie on the picture, and how a drag moves them."""
    return [asdict(one) for one in lie_on(read_shot(document), frame, AssetFolder(assets_folder()))]


def marks_on_picture(document: Any, element: str, frame: int) -> list[dict[str, Any]]:
    """What hands take hold of in an element of an unsaved document."""
    return [asdict(one) for one in marks_of(read_shot(document), element, frame, AssetFolder(assets_folder()))]


#: Points that are given of a stroke at most.
_STROKE_POINTS = 48


def strokes_of(document: Any, element: str, frame: int) -> list[dict[str, Any]]:
    """The strokes that a penwork of an unsaved document has, as they were found; InputError if there is none, or none of that name."""
    shot = read_shot(document)
    plain = evaluate(shot, time_of(shot, frame))
    at = next(
        (number for number, one in enumerate(plain.elements) if one.id == element and isinstance(one, Penwork)), -1
    )
    if at < 0:
        raise InputError("choose a penwork of this shot", "element")
    try:
        found, _ = found_strokes(plain.elements[at], AssetFolder(assets_folder()))
    except InputError as error:
        error.field = f"elements.{at}.{error.field}"
        raise
    if not found:
        return []
    every = np.concatenate([one.points for one in found])
    low, high = every.min(axis=0), every.max(axis=0)
    size = max(float((high - low).max()), 1e-9)
    told = []
    for number, one in enumerate(found, 1):
        some = one.points[np.unique(np.linspace(0, len(one.points) - 1, _STROKE_POINTS).astype(int))]
        shares = np.column_stack([(some[:, 0] - low[0]) / size, (high[1] - some[:, 1]) / size])
        points = [(round(float(x), 4), round(float(y), 4)) for x, y in shares]
        told.append({"number": number, "points": points, "closes": one.closed})
    return told


def where_it_goes(document: Any, element: str, frames: list[int]) -> list[tuple[float, float] | None]:
    """Where an element of an unsaved document is seen at frames."""
    return way_of(read_shot(document), element, frames, AssetFolder(assets_folder()))


def elements_at(document: Any, frame: int, x: float, y: float) -> list[str]:
    """The elements of an unsaved document that are seen at a place (pixels of the raster), the nearest first."""
    return list(picked(read_shot(document), frame, AssetFolder(assets_folder()), x, y))


def frame_camera(document: Any, frame: int, elements: tuple[str, ...]) -> dict[str, Any]:
    """The camera of an unsaved document moved so that the named elements (none: all) fill the picture."""
    camera = framed(read_shot(document), (frame,), AssetFolder(assets_folder()), elements)
    return camera.model_dump(mode="json")
