"""Freeze a shot and line it up for the worker."""

from __future__ import annotations

from django.contrib.auth.models import User

from disk.room import check_room, master_bytes
from runs.models import Run
from shots.models import Shot
from zeitbild.document.reading import write_shot
from zeitbild.errors import InputError, LimitError
from zeitbild.naming import plan_files
from zeitbild.render import QUALITIES
from zeitbild.timing import parse_frames, write_frames

MAX_CELLS = 200_000


def start_run(user: User, shot: Shot, *, base: int, frame_set: str = "", quality: str = "") -> Run:
    """Line up the shot's current document; ``frame_set`` defaults to its range, ``quality`` to its own.

    InputError if the document changed since ``base``; NamingError if its files could not be named; LimitError beyond
    ``MAX_CELLS``.
    """
    if shot.current_id != base:
        raise InputError("The shot was changed meanwhile; look at it once more before you start.", "base")
    document = shot.current_document()
    chosen = quality or document.quality
    if chosen not in QUALITIES:
        raise InputError(f"quality {chosen!r} is not one of {', '.join(QUALITIES)}", "quality")
    frames = parse_frames(frame_set) if frame_set.strip() else tuple(document.timing.frames)
    plan_files(document, version=1, ext="png", frames=frames)
    if len(frames) * len(document.layers) > MAX_CELLS:
        raise LimitError(
            f"{len(frames) * len(document.layers)} cells are more than {MAX_CELLS} in one run; shorten the range"
        )
    cells = len(frames) * len(document.layers)
    check_room(shot.project, cells * master_bytes(shot, document.raster.width * document.raster.height, chosen))
    return Run.objects.create(
        shot=shot,
        revision_id=base,
        document=write_shot(document),
        quality=chosen,
        frame_set=write_frames(frames),
        layers=[layer.name for layer in document.layers],
        total=cells,
        started_by=user,
    )
