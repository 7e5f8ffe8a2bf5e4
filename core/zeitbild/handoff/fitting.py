"""A form made to fit: what can be chosen so that its files get smaller, from the finest on."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from fractions import Fraction

from zeitbild.errors import InputError
from zeitbild.formats import Option
from zeitbild.handoff.conforming import PLAYED
from zeitbild.handoff.recipes import Recipe

#: Steps of quality that are told apart, and widths as shares of the whole.
_STEPS = 15
_WIDTHS = (1, 0.9, 0.8, 0.7, 0.6, 0.5, 0.42, 0.35, 0.3, 0.25, 0.2, 0.16, 0.13, 0.1)


def _qualities(option: Option, now: str) -> list[str]:
    """Values from the one that there is now on to the smallest files."""
    assert option.low is not None and option.high is not None
    ends = option.low if option.smaller == "lower" else option.high
    begins = float(now or option.without)
    values = [begins + (ends - begins) * step / (_STEPS - 1) for step in range(_STEPS)]
    return list(dict.fromkeys(f"{round(value):d}" for value in values))


def _by_quality(recipe: Recipe, options: Mapping[str, str]) -> list[dict[str, str]]:
    option = next(one for one in recipe.options if one.smaller)
    own = {**options, **option.only}
    return [{**own, option.name: value} for value in _qualities(option, options.get(option.name, ""))]


def _by_width(options: Mapping[str, str], width: int) -> list[dict[str, str]]:
    whole = round(float(options.get("width") or width))
    # Even, which every kind of file takes.
    sizes = list(dict.fromkeys(max(2, round(whole * share / 2) * 2) for share in _WIDTHS))
    # A height beside it would stretch or cut.
    rest = {name: value for name, value in options.items() if name != "height"}
    return [{**rest, "width": str(size)} for size in sizes]


def _by_rate(options: Mapping[str, str], rate: Fraction) -> list[dict[str, str]]:
    now = PLAYED.get(options.get("rate", ""), rate)
    slower = sorted((name for name, one in PLAYED.items() if one < now), key=PLAYED.__getitem__, reverse=True)
    return [dict(options), *({**options, "rate": name} for name in slower)]


def choices(recipe: Recipe, options: Mapping[str, str], by: str, width: int, rate: Fraction) -> list[dict[str, str]]:
    """Options of a form from those that it has now to those of the smallest files, by one of the recipe's ``smaller_by``.

    ``width`` in pixels and ``rate`` in frames a second are those of the shot. InputError (at ``by``) for a way that there is not.
    """
    if by not in recipe.smaller_by:
        raise InputError(f"{recipe.title} cannot be made smaller by its {by[:20]}", "by")
    if by == "quality":
        return _by_quality(recipe, options)
    return _by_width(options, width) if by == "width" else _by_rate(options, rate)


def finest(count: int, fits: Callable[[int], bool]) -> int:
    """The first of some choices, each of smaller files than the one before it, that fits; the last if none does.

    Found by halving: about log2(count) are tried, none twice, and the one that is returned need not have been."""
    low, high = 0, count - 1
    while low < high:
        middle = (low + high) // 2
        if fits(middle):
            high = middle
        else:
            low = middle + 1
    return low
