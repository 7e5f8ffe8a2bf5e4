"""Line a hand-off up for the worker."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Max, Sum

from disk.room import check_room
from handoffs.models import HandOff
from runs.models import FINISHED, Run
from zeitbild.errors import InputError
from zeitbild.handoff.recipes import recipes


def start_handoff(user: User, run: Run, recipe: str) -> HandOff:
    """The shot's next version from a finished run; InputError if frames are missing or the recipe is unknown."""
    recipes.get(recipe)
    missing = run.total - run.cells.filter(state__in=FINISHED).count()
    if missing:
        raise InputError(f"{missing} frames of this run are not rendered; finish the run, then hand off", "run")
    # Files about as large as the masters, and the package.
    masters = run.cells.aggregate(total=Sum("bytes"))["total"] or 0
    check_room(run.shot.project, 2 * masters)
    with transaction.atomic():
        newest = HandOff.objects.filter(shot=run.shot).aggregate(newest=Max("version"))["newest"] or 0
        return HandOff.objects.create(shot=run.shot, run=run, version=newest + 1, recipe=recipe, made_by=user)


def retry_handoff(handoff: HandOff) -> None:
    """Try a failed hand-off again: files that stand already and are right are kept."""
    if handoff.state != HandOff.State.FAILED:
        raise InputError("Only a failed hand-off can be tried again.")
    handoff.state, handoff.error, handoff.written = HandOff.State.WAITING, "", {}
    handoff.save(update_fields=["state", "error", "written"])
