"""Freeze a shot and line it up for the worker."""

from __future__ import annotations

from collections.abc import Sequence

from django.contrib.auth.models import User

from disk.room import cells_there, check_room, master_bytes
from runs.models import Run
from shots.models import Shot
from zeitbild.document.reading import write_shot
from zeitbild.errors import InputError, LimitError
from zeitbild.farm import frames_with
from zeitbild.naming import Wanted, plan_files
from zeitbild.render import QUALITIES
from zeitbild.timing import parse_frames, write_frames

MAX_CELLS = 200_000


def start_run(
    user: User, shot: Shot, *, base: int, frame_set: str = "", quality: str = "", layers: Sequence[str] = ()
) -> Run:
    """Line up the shot's current document; ``frame_set`` defaults to its range, ``quality`` to its own, ``layers`` to those that are on.

    InputError if the document changed since ``base``; NamingError if its files could not be named, or a layer is not there;
    LimitError beyond ``MAX_CELLS``.
    """
    if shot.current_id != base:
        raise InputError("The shot was changed meanwhile; look at it once more before you start.", "base")
    document = shot.current_document()
    chosen = quality or document.quality
    if chosen not in QUALITIES:
        raise InputError(f"quality {chosen!r} is not one of {', '.join(QUALITIES)}", "quality")
    frames = parse_frames(frame_set) if frame_set.strip() else tuple(document.timing.delivered)
    wanted = Wanted(tuple(layers))
    plan_files(document, version=1, ext="png", frames=frames, wanted=wanted)
    names = [layer.name for layer in wanted.layers_of(document)]
    text = write_shot(document)
    by_frame = frames_with(text, names, frames)
    cells = sum(map(len, by_frame.values()))
    if cells > MAX_CELLS:
        raise LimitError(f"{cells} cells are more than {MAX_CELLS} in one run; shorten the range")
    missing = cells - cells_there(shot, text, chosen, frozenset(frames))
    check_room(shot.project, missing * master_bytes(shot, document.raster.width * document.raster.height, chosen))
    return Run.objects.create(
        shot=shot,
        revision_id=base,
        document=text,
        quality=chosen,
        frame_set=write_frames(tuple(by_frame)),
        layers=names,
        total=cells,
        started_by=user,
    )
