"""Line a hand-off up for the worker."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.contrib.auth.models import User
from django.db.models import Max, Sum

from disk.room import check_room
from handoffs.models import HandOff
from runs.models import FINISHED, Run
from zeitbild.document.reading import parse_shot
from zeitbild.errors import InputError
from zeitbild.handoff import check_carried, passes_in, recipes
from zeitbild.naming import Wanted, plan_files
from zeitbild_server.writing import writing


def start_handoff(
    user: User,
    run: Run,
    recipe: str,
    *,
    options: Mapping[str, str] | None = None,
    layers: Sequence[str] = (),
    passes: Sequence[str] = (),
) -> HandOff:
    """The shot's next version from a finished run, of all its layers and passes or of some.

    InputError if frames are missing, the recipe is unknown or cannot hold a pass; NamingError if files would have one name, or
    there is nothing to write.
    """
    chosen = recipes.get(recipe)
    form = chosen.format
    options = form.chosen(options or {})
    missing = run.total - run.cells.filter(state__in=FINISHED).count()
    if missing:
        raise InputError(f"{missing} frames of this run are not rendered; finish the run, then hand off", "run")
    shot = parse_shot(run.document)
    wanted = Wanted(tuple(layers or run.layers), tuple(passes), chosen.sharing, form.container)
    own = wanted.layers_of(shot)
    if not {layer.name for layer in own} <= set(run.layers):
        raise InputError(f"this run has only the layers {', '.join(run.layers)}", "layers")
    check_carried(form, {layer.name: passes_in(shot, layer.name, wanted.passes_of(layer)) for layer in own})
    plan_files(shot, version=1, ext=form.extension, frames=run.frames, wanted=wanted)
    # Files about as large as the masters, and the package.
    masters = run.cells.filter(layer__in=[layer.name for layer in own]).aggregate(total=Sum("bytes"))["total"] or 0
    check_room(run.shot.project, 2 * masters)
    with writing():
        newest = HandOff.objects.filter(shot=run.shot).aggregate(newest=Max("version"))["newest"] or 0
        return HandOff.objects.create(
            shot=run.shot,
            run=run,
            version=newest + 1,
            recipe=recipe,
            options=options,
            layers=[layer.name for layer in own],
            passes=list(passes),
            made_by=user,
        )


def retry_handoff(handoff: HandOff) -> None:
    """Try a failed hand-off again: files that stand already and are right are kept."""
    if handoff.state != HandOff.State.FAILED:
        raise InputError("Only a failed hand-off can be tried again.")
    handoff.state, handoff.error, handoff.written = HandOff.State.WAITING, "", {}
    handoff.save(update_fields=["state", "error", "written"])
