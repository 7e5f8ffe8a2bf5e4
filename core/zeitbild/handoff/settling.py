"""What is found out of the forms of a hand-off before anything is rendered or written."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from zeitbild.document.shot import Shot
from zeitbild.handoff.conforming import Conforming
from zeitbild.handoff.recipes import Recipe
from zeitbild.handoff.writing import check_carried, passes_in
from zeitbild.naming import Wanted, plan_files


def settle(
    shot: Shot,
    recipe: Recipe,
    options: Mapping[str, str],
    layers: Sequence[str],
    passes: Sequence[str],
    frames: Sequence[int],
    version: int = 1,
) -> tuple[dict[str, str], tuple[str, ...]]:
    """All options of a form of some layers (none: all that are on) and passes (none: those of each), and hints about the names of its files;
    InputError or NamingError at the field by which it cannot be written."""
    form = recipe.format
    wanted = Wanted(tuple(layers), tuple(passes), recipe.sharing, form.container)
    settled = recipe.chosen(options)
    conforming, rate = Conforming.of(settled), shot.timing.fraction
    conforming.check(form, shot.raster.width, shot.raster.height, rate)
    own = wanted.layers_of(shot)
    check_carried(form, {layer.name: passes_in(shot, layer.name, wanted.passes_of(layer)) for layer in own})
    numbered = None if form.container else conforming.numbered(frames, rate)
    plan = plan_files(shot, version=version, ext=form.extension, frames=frames, wanted=wanted, numbered=numbered)
    return settled, plan.hints


def folders_of(recipes: Sequence[str]) -> list[str]:
    """The folder of each of several forms in their package, by the names of their recipes: each is whole by itself, so that it can be passed
    on alone. One form alone lies at the top (empty)."""
    if len(recipes) == 1:
        return [""]
    again = [recipes[:number].count(name) for number, name in enumerate(recipes)]
    return [f"{name}-{before + 1}" if before else name for name, before in zip(recipes, again, strict=True)]
