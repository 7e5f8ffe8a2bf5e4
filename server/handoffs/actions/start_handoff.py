"""Line a hand-off up for the worker."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from django.contrib.auth.models import User
from django.db.models import Max, Sum

from disk.room import check_room
from handoffs.models import MOST_FORMS, Form, HandOff
from runs.models import FINISHED, Run
from zeitbild.document.layers import Layer
from zeitbild.document.reading import parse_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import InputError
from zeitbild.handoff import folders_of, recipes, settle
from zeitbild.naming import Wanted
from zeitbild.timing import parse_frames, write_frames
from zeitbild_server.writing import writing


def start_handoff(
    user: User, run: Run, forms: Sequence[Form], *, layers: Sequence[str] = (), frame_set: str = ""
) -> HandOff:
    """The shot's next version, in some forms, from all layers and frames of a run or from some; of a run that is under way, once that is
    done.

    InputError if frames are missing, a recipe is unknown or cannot hold a pass; NamingError if files would have one name, or
    there is nothing to write. Of several forms it names the form.
    """
    if not 1 <= len(forms) <= MOST_FORMS:
        raise InputError(f"a hand-off has from 1 to {MOST_FORMS} forms, not {len(forms)}", "forms")
    finished = run.cells.filter(state__in=FINISHED).count()
    missing = run.total - finished
    if missing and not run.is_under_way:
        raise InputError(f"{missing} frames of this run are not rendered; finish the run, then hand off", "run")
    shot = parse_shot(run.document)
    frames = frames_of(run, frame_set)
    parts = []
    for number, form in enumerate(forms):
        try:
            options, own = settled(run, shot, form, layers, frames)
        except InputError as error:
            ahead = f"{form.recipe[:40]}: " if len(forms) > 1 else ""
            field = f"forms.{number}.{error.field}" if error.field else f"forms.{number}"
            raise type(error)(f"{ahead}{error.message}", field) from None
        parts.append(Form(form.recipe, options, list(form.passes)))
    for part, folder in zip(parts, folders_of([one.recipe for one in parts]), strict=True):
        part.folder = folder
    names = [layer.name for layer in own]
    # Files about as large as the masters each, and the package.
    masters = run.cells.filter(layer__in=names).aggregate(total=Sum("bytes"))["total"] or 0
    masters = masters * len(frames) // max(len(run.frames), 1)
    masters = masters * run.total // max(finished, 1)
    check_room(run.shot.project, 2 * len(parts) * masters)
    with writing():
        newest = HandOff.objects.filter(shot=run.shot).aggregate(newest=Max("version"))["newest"] or 0
        handoff = HandOff(shot=run.shot, run=run, version=newest + 1, layers=names, made_by=user)
        handoff.frame_set = "" if frames == run.frames else write_frames(frames)
        handoff.keep(parts)
        handoff.save()
    return handoff


def frames_of(run: Run, frame_set: str) -> tuple[int, ...]:
    """Frames of a run that a set names, or all; InputError if some are not in the run."""
    if not frame_set.strip():
        return run.frames
    try:
        frames = parse_frames(frame_set)
    except InputError as error:
        raise InputError(error.message, "frame_set") from None
    strange = sorted(set(frames) - set(run.frames))
    if strange:
        raise InputError(
            f"frames {write_frames(strange)} are not in this run, which has {write_frames(run.frames)}", "frame_set"
        )
    return frames


def settled(
    run: Run, shot: Shot, form: Form, layers: Sequence[str], frames: Sequence[int]
) -> tuple[dict[str, str], tuple[Layer, ...]]:
    """All options of a form, and the layers that it is of; InputError if it cannot be written."""
    names = tuple(layers or run.layers)
    own = Wanted(names).layers_of(shot)
    if not {layer.name for layer in own} <= set(run.layers):
        raise InputError(f"this run has only the layers {', '.join(run.layers)}", "layers")
    options, _ = settle(shot, recipes.get(form.recipe), form.options, names, form.passes, frames)
    return options, own


def retry_handoff(handoff: HandOff) -> None:
    """Try a failed hand-off again: files that stand already and are right are kept."""
    with writing():
        handoff.refresh_from_db()
        if handoff.state != HandOff.State.FAILED:
            raise InputError("Only a failed hand-off can be tried again.")
        handoff.state, handoff.error, handoff.stop_asked = HandOff.State.WAITING, "", False
        handoff.keep([replace(one, written={}, begun=0.0) for one in handoff.parts])
        handoff.save(update_fields=["state", "error", "stop_asked", "forms"])
