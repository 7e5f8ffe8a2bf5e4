"""A form made to fit into so many bytes: by its quality, its size or its rate, measured on a few frames as a trial is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from handoffs.actions.try_forms import Prepared, Trial, prepare, tried
from handoffs.models import Form
from runs.models import Run
from zeitbild.document.reading import parse_shot
from zeitbild.errors import InputError
from zeitbild.formats import Option
from zeitbild.handoff import Recipe, recipes

#: Steps of quality that are told apart, and widths as shares of the whole.
_STEPS = 15
_WIDTHS = (1, 0.9, 0.8, 0.7, 0.6, 0.5, 0.42, 0.35, 0.3, 0.25, 0.2, 0.16, 0.13, 0.1)
#: A few frames tell nearly how large all are: so much is left for what they do not tell.
_ROOM = 0.95
#: Bytes in a megabyte, as people who upload count them.
MEGABYTE = 1_000_000
BY = ("quality", "width", "rate")


@dataclass(frozen=True, slots=True)
class Candidate:
    """Options of a form, and what is needed to try it."""

    options: dict[str, str]
    prepared: Prepared


def ways_of(recipe: Recipe) -> list[str]:
    """By what files of a recipe can be made smaller."""
    names = {one.name for one in recipe.options}
    found = ["quality"] if any(one.smaller for one in recipe.options) else []
    return found + [one for one in ("width", "rate") if one in names]


def _qualities(option: Option, now: str) -> list[str]:
    """Values from the one that there is now on to the smallest files."""
    assert option.low is not None and option.high is not None
    ends = option.low if option.smaller == "lower" else option.high
    begins = float(now or option.without)
    values = [begins + (ends - begins) * step / (_STEPS - 1) for step in range(_STEPS)]
    return list(dict.fromkeys(f"{round(value):d}" for value in values))


def _choices(recipe: Recipe, options: dict[str, str], by: str, width: int, rate: float) -> list[dict[str, str]]:
    """Options from the finest to those of the smallest files. InputError for a way that the recipe has not."""
    if by not in ways_of(recipe):
        raise InputError(f"{recipe.title} cannot be made smaller by its {by[:20]}", "by")
    if by == "quality":
        option = next(one for one in recipe.options if one.smaller)
        own = {**options, **option.only}
        return [{**own, option.name: value} for value in _qualities(option, options.get(option.name, ""))]
    if by == "width":
        whole = round(float(options.get("width") or width))
        # Even, which every kind of file takes.
        sizes = list(dict.fromkeys(max(2, round(whole * share / 2) * 2) for share in _WIDTHS))
        # A height beside it would stretch or cut.
        rest = {name: value for name, value in options.items() if name != "height"}
        return [{**rest, "width": str(size)} for size in sizes]
    now = float(options.get("rate") or rate)
    choices = next(one.choices for one in recipe.options if one.name == "rate")
    slower = sorted((name for name, _ in choices if name and float(_number(name)) < now), key=_number, reverse=True)
    return [dict(options), *({**options, "rate": name} for name in slower)]


def _number(rate: str) -> float:
    above, _, below = rate.partition("/")
    return float(above) / float(below or 1)


def candidates(run: Run, form: Form, layers: Sequence[str], frame_set: str, by: str) -> list[Candidate]:
    """Forms of a finished run from the finest to the smallest, ready to be tried. InputError if it cannot be made smaller so."""
    recipe = recipes.get(form.recipe)
    shot = parse_shot(run.document)
    chosen = recipe.chosen(form.options)
    given = {name: value for name, value in chosen.items() if name in form.options}
    choices = _choices(recipe, given, by, shot.raster.width, float(shot.timing.fraction))
    forms = [replace(form, options=options) for options in choices]
    prepared = prepare(run, forms, layers, frame_set)
    # What cannot be written at all (a size that is too small) is no choice.
    found = [Candidate(one.options, ready) for one, ready in zip(forms, prepared, strict=True) if not ready.error]
    if not found:
        raise InputError(prepared[0].error, "forms.0")
    return found


def aim(found: Sequence[Candidate], most: int) -> dict[str, Any]:
    """The finest of candidates that is not larger than so many bytes, found by halving; the smallest if none is."""
    known: dict[int, Trial] = {}

    def trial(at: int) -> Trial:
        if at not in known:
            known[at] = tried(found[at].prepared)
            if known[at].error:
                raise InputError(known[at].error, "forms.0")
        return known[at]

    low, high = 0, len(found) - 1
    while low < high:
        middle = (low + high) // 2
        if trial(middle).bytes <= most * _ROOM:
            high = middle
        else:
            low = middle + 1
    own = trial(low)
    fits = own.bytes <= most * _ROOM
    return {"options": found[low].options, "bytes": own.bytes, "fits": fits, "tries": len(known)}
