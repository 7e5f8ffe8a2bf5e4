"""A form made to fit into so many bytes: the finest that does, measured on a few frames as a trial is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from handoffs.actions.try_forms import Prepared, Trial, prepare, tried
from handoffs.models import Form
from runs.models import Run
from zeitbild.document.reading import parse_shot
from zeitbild.errors import InputError
from zeitbild.handoff import recipes
from zeitbild.handoff.fitting import choices, finest

#: A few frames tell nearly how large all are: so much is left for what they do not tell.
_ROOM = 0.95
#: Bytes in a megabyte, as people who upload count them.
MEGABYTE = 1_000_000


@dataclass(frozen=True, slots=True)
class Candidate:
    """Options of a form, and what is needed to try it."""

    options: dict[str, str]
    prepared: Prepared


def candidates(run: Run, form: Form, layers: Sequence[str], frame_set: str, by: str) -> list[Candidate]:
    """Forms of a finished run from the finest to the smallest, ready to be tried. InputError if it cannot be made smaller so."""
    recipe = recipes.get(form.recipe)
    shot = parse_shot(run.document)
    chosen = recipe.chosen(form.options)
    given = {name: value for name, value in chosen.items() if name in form.options}
    options = choices(recipe, given, by, shot.raster.width, shot.timing.fraction)
    prepared = prepare(run, [replace(form, options=one) for one in options], layers, frame_set)
    # What cannot be written at all (a size that is too small) is no choice.
    found = [Candidate(one, ready) for one, ready in zip(options, prepared, strict=True) if not ready.error]
    if not found:
        raise InputError(prepared[0].error, "forms.0")
    return found


def aim(found: Sequence[Candidate], most: int) -> dict[str, Any]:
    """The finest of candidates that is not larger than so many bytes; the smallest if none is, of which fits is False then."""
    known: dict[int, Trial] = {}

    def trial(at: int) -> Trial:
        if at not in known:
            known[at] = tried(found[at].prepared)
            if known[at].error:
                raise InputError(known[at].error, "forms.0")
        return known[at]

    def fits(at: int) -> bool:
        return trial(at).bytes <= most * _ROOM

    at = finest(len(found), fits)
    return {"options": found[at].options, "bytes": trial(at).bytes, "fits": fits(at), "tries": len(known)}
