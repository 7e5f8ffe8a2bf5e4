"""Values that move, for those who edit them: what they are at frames, and what is done to their time."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

from shots.schemas import RetimeIn, SpeakIn
from zeitbild.assets import AssetFolder
from zeitbild.document import retiming
from zeitbild.document.evaluate import moving_parts, name_of_part, parts_at, time_of
from zeitbild.document.reading import read_shot
from zeitbild.document.retiming import Changes
from zeitbild.document.shot import Shot
from zeitbild.errors import InputError
from zeitbild.keys.measure import measure_of
from zeitbild.paths import assets_folder
from zeitbild.resolve import speaking

#: Values that are given in one answer.
_MOST_VALUES = 200_000


def values(document: Any, frames: list[int], tracks: list[str]) -> list[dict[str, Any]]:
    """All tracks of an unsaved document, or some, with their values at frames; InputError beyond 200,000 values."""
    shot = read_shot(document)
    found: list[dict[str, Any]] = []
    for path, part in moving_parts(shot).items():
        for inner in part.moves:
            if tracks and f"{path}.{inner}" not in tracks:
                continue
            measure = measure_of(type(part), inner)
            found.append(
                {
                    "of": (path, inner),
                    "path": f"{path}.{inner}",
                    "thing": name_of_part(shot, path),
                    "title": measure.title,
                    "kind": measure.kind,
                    "unit": measure.unit,
                    "low": measure.low if math.isfinite(measure.low) else None,
                    "high": measure.high if math.isfinite(measure.high) else None,
                    "values": [],
                }
            )
    if len(found) * len(frames) > _MOST_VALUES:
        raise InputError(f"{len(found)} values at {len(frames)} frames are too many at once; ask for fewer", "frames")
    own = dict.fromkeys(track["of"][0] for track in found)
    for parts in parts_at(shot, own, (time_of(shot, frame) for frame in frames)):
        for track in found:
            part, inner = track["of"]
            track["values"].append(retiming.plain_colour(retiming.value_below(parts[part], inner)))
    return found


#: What can be done, by its name; each takes what it needs of ``RetimeIn``.
RETIMINGS: dict[str, Callable[[Shot, RetimeIn], Changes]] = {
    "key": lambda shot, given: _put(shot, given),
    "move": lambda shot, given: retiming.move_keys(shot, given.tracks, given.first, given.last, given.by),
    "stretch": lambda shot, given: retiming.stretch_keys(shot, given.tracks, given.first, given.last, given.frames),
    "reverse": lambda shot, given: retiming.reverse_keys(shot, given.tracks, given.first, given.last),
    "delete": lambda shot, given: retiming.delete_keys(shot, given.tracks, given.first, given.last),
    "every": lambda shot, given: retiming.step_keys(shot, given.tracks, given.frames),
    "loop": lambda shot, given: retiming.loop_keys(shot, given.tracks, given.first, given.last),
    "fade-in": lambda shot, given: retiming.fade(shot, given.elements, given.first, given.frames, out=False),
    "fade-out": lambda shot, given: retiming.fade(shot, given.elements, given.first, given.frames, out=True),
    "flash": lambda shot, given: retiming.flash(shot, given.elements, given.first, given.frames),
    "hold": lambda shot, given: retiming.hold_at_end(shot, given.frames),
    "shift-all": lambda shot, given: retiming.shift_all(shot, given.by),
    "stretch-all": lambda shot, given: retiming.stretch_all(shot, given.frames),
    "take-out": lambda shot, given: retiming.take_out(shot, given.first, given.last),
    "reverse-all": lambda shot, given: retiming.reverse_all(shot),
    "rate": lambda shot, given: retiming.change_rate(shot, given.rate, keep_seconds=given.keep_seconds),
}


def _put(shot: Shot, given: RetimeIn) -> Changes:
    """A key for each of the tracks, with the value that is given or the one that is there."""
    changes: dict[str, Any] = {}
    for path in given.tracks:
        found = retiming.put_key(shot, path, given.first, given.value).values
        for moves, tracks in found.items():
            own = path.removeprefix(moves.removesuffix("moves"))
            changes[moves] = {**changes.get(moves, tracks), own: tracks[own]}
    return Changes(changes)


def speak(given: SpeakIn) -> dict[str, Any]:
    """Keys that make something speak with a sound of an unsaved document."""
    values = given.model_dump(exclude={"document"})
    changes = speaking.speak(read_shot(given.document), speaking.Speaking(**values), AssetFolder(assets_folder()))
    return {"values": changes.values, "note": changes.note}


def retime(given: RetimeIn) -> dict[str, Any]:
    """What changes in an unsaved document; InputError or DocumentError says what cannot be."""
    shot = read_shot(given.document)
    way = RETIMINGS.get(given.what)
    if way is None:
        raise InputError(f"{given.what[:40]!r} is none of {', '.join(RETIMINGS)}", "what")
    changes = way(shot, given)
    return {"values": changes.values, "note": changes.note}
