"""What forms would be like, before they are written: a few frames are, from the very masters, into a folder that goes away."""

from __future__ import annotations

import base64
import tempfile
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np

from handoffs.actions.start_handoff import frames_of, settled
from handoffs.actions.work_handoff import places_of, tasks_of
from handoffs.models import Form
from runs.models import Run
from zeitbild.document.reading import parse_shot
from zeitbild.errors import GoneError, InputError, StorageError
from zeitbild.farm import write_files, write_sequence
from zeitbild.handoff import Conforming, FileRecord, recipes
from zeitbild.paths import assets_folder, masters_folder
from zeitbild.proof.display import encode_view
from zeitbild.storage import own_prefix

#: Frames of a sequence that are looked at, and of a file that holds all: those follow one another, since most say what changed.
_STILLS, _MOVING = 3, 8
#: Pixels of the screen for each of a worst place.
_TIMES = 3


@dataclass(frozen=True, slots=True)
class Trial:
    """What a form would be like: bytes of all its files, and how far it is from what was rendered in those that were tried (mean and alpha
    only of what loses something); or why it cannot be written."""

    bytes: int = 0
    frames: int = 0
    worst: float = 0.0
    mean: float | None = None
    alpha: float | None = None
    unit: str = ""
    error: str = ""
    #: The worst place, as it was rendered and as the file has it, as the address of a picture.
    closeup: str = ""


def _closeup(records: Sequence[FileRecord]) -> str:
    """Of all passes that lose something the one that loses most."""
    planes = [plane for record in records for plane in record.planes if plane.closeup is not None]
    if not planes:
        return ""
    worst = max(planes, key=lambda plane: plane.worst).closeup
    assert worst is not None
    both = np.repeat(np.repeat(np.concatenate(list(worst), axis=1), _TIMES, axis=0), _TIMES, axis=1)
    return (
        f"data:image/png;base64,{base64.b64encode(encode_view(np.ascontiguousarray(both[..., ::-1]), 'png')).decode()}"
    )


def _some(frames: Sequence[int], container: bool) -> set[int]:
    """Those of frames that are tried."""
    if not container:
        return {frames[at * (len(frames) - 1) // max(_STILLS - 1, 1)] for at in range(_STILLS)}
    begin = max(0, len(frames) // 2 - _MOVING // 2)
    return set(frames[begin : begin + _MOVING])


@dataclass(frozen=True, slots=True)
class Prepared:
    """A form with all that is needed to try it away from the database."""

    recipe: str
    tasks: list[tuple[Any, tuple[Any, ...]]]
    #: How many times as much all of it is.
    scale: float
    error: str = ""


def prepare(run: Run, forms: Sequence[Form], layers: Sequence[str], frame_set: str = "") -> list[Prepared]:
    """Forms of a finished run, each with the frames that are tried."""
    shot = parse_shot(run.document)
    found = []
    of_it = frames_of(run, frame_set)
    for number, form in enumerate(forms):
        try:
            options, own = settled(run, shot, form, layers, of_it)
            recipe = recipes.get(form.recipe)
            names = [layer.name for layer in own]
            places = places_of(run, names, recipe, of_it)
        except InputError as error:
            found.append(Prepared(form.recipe, [], 0, error.message))
            continue
        # How often each frame is written: at another rate some are dropped or repeated.
        times = Counter(of_it)
        if not recipe.format.container:
            times = Counter(shown for _, shown in Conforming.of(options).numbered(of_it, shot.timing.fraction))
        frames = _some(sorted({frame for _, frame in places if times[frame]}), recipe.format.container)
        tried = {place: masters for place, masters in places.items() if place[1] in frames}
        chosen = tuple(sorted(options.items())), tuple(names), tuple(form.passes)
        common = (recipe.name, *chosen, 1, assets_folder(), masters_folder())
        tasks = tasks_of(number, run.document, recipe, tried, common, of_it)
        every, few = (sum(times[frame] for _, frame in some) for some in (places, tried))
        found.append(Prepared(form.recipe, tasks, every / max(few, 1)))
    return found


def tried(one: Prepared) -> Trial:
    """What a form would be like: its few frames are written into a folder that goes away."""
    recipe = recipes.get(one.recipe)
    function: Callable[..., list[FileRecord]] = write_sequence if recipe.format.container else write_files
    try:
        with tempfile.TemporaryDirectory(prefix=own_prefix()) as folder:
            records = [record for _, arguments in one.tasks for record in function(*arguments, Path(folder))]
    except GoneError:
        return Trial(error="what was proofed is not there any more; it is rendered again when you hand off")
    except (InputError, StorageError) as error:
        return Trial(error=str(error))
    planes = [plane for record in records for plane in record.planes]
    means = [plane.mean for plane in planes if plane.mean is not None]
    alphas = [plane.alpha for plane in planes if plane.alpha is not None]
    return Trial(
        round(sum(record.bytes for record in records) * one.scale),
        len({frame for record in records for frame in record.frames}),
        max((plane.worst for plane in planes), default=0.0),
        max(means, default=None),
        max(alphas, default=None),
        recipe.format.unit,
        closeup=_closeup(records),
    )


def try_forms(prepared: Sequence[Prepared]) -> list[dict[str, Any]]:
    """What each of the forms would be like."""
    return [asdict(Trial(error=one.error) if one.error else tried(one)) for one in prepared]
