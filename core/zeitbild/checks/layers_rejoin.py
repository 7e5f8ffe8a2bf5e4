"""Layers of one camera that cannot give the picture of the whole set when they are laid over one another, and why."""

from collections.abc import Iterator, Sequence
from itertools import combinations
from typing import Any

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.layers import Layer
from zeitbild.document.shot import Shot


def each_held_out(shot: Shot, layers: Sequence[Layer]) -> dict[str, Any]:
    """Values that make every element that a layer shows a hold-out in the others, by document path.

    An element that several show stays in that which shows fewest: it was made for a part of the set. Of equals in the first.
    """
    values: dict[str, Any] = {}
    shown = {
        layer.name: [element.id for element in shot.elements if layer.membership(element.id) == "shown"]
        for layer in layers
    }
    owner: dict[str, str] = {}
    for name in sorted(shown, key=lambda one: len(shown[one])):
        for element in shown[name]:
            owner.setdefault(element, name)
    for number, layer in enumerate(shot.layers):
        if layer.name in {one.name for one in layers}:
            roles = {one: "shown" if name == layer.name else "hold-out" for one, name in owner.items()}
            values[f"layers.{number}.members"] = {**layer.members, **roles}
    return values


def _names(shot: Shot, identities: Sequence[str]) -> str:
    names = [element.name for element in shot.elements if element.id in identities]
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


def _pair(shot: Shot, one: Layer, other: Layer) -> Iterator[tuple[str, bool]]:
    """Why two layers do not rejoin, and whether holding each out in the other mends it."""
    present = [element.id for element in shot.elements if element.delivered]
    both = [name for name in present if one.membership(name) == other.membership(name) == "shown"]
    if both:
        yield f"both show {_names(shot, both)}", True
    for layer, without in ((one, other), (other, one)):
        left_out = [
            name for name in present if layer.membership(name) == "shown" and without.membership(name) == "absent"
        ]
        if left_out and (
            shot.rays.occlusion or shot.rays.bounces or any(getattr(light, "shadows", False) for light in shot.lights)
        ):
            yield (
                (
                    f"{_names(shot, left_out)} of {layer.name} {'is' if len(left_out) == 1 else 'are'} absent in {without.name}: "
                    "shadow, occlusion and mirror image are missing there"
                ),
                True,
            )
    if set(one.lights_off) != set(other.lights_off):
        yield "they are lit by different lights", False
    if ((one.backdrop or shot.backdrop).kind == "key") != ((other.backdrop or shot.backdrop).kind == "key"):
        yield "one stands before a key colour, where nothing throws a shadow, the other does not", False
    if (one.samples, one.rays, one.filter, one.filter_width if one.filter else 0) != (
        other.samples,
        other.rays,
        other.filter,
        other.filter_width if other.filter else 0,
    ):
        yield "their samples, rays or filter differ", False


def _look(shot: Shot) -> Iterator[Finding]:
    groups: dict[str, list[Layer]] = {}
    for layer in shot.layers_on:
        if any(element.delivered and layer.membership(element.id) == "shown" for element in shot.elements):
            groups.setdefault(layer.camera or shot.view, []).append(layer)
    for layers in groups.values():
        if len(layers) < 2:
            continue
        reasons: dict[str, bool] = {}
        for one, other in combinations(layers, 2):
            for why, mends in _pair(shot, one, other):
                reasons.setdefault(f"{one.name} and {other.name}: {why}", mends)
        filled = [layer.name for layer in layers if (layer.backdrop or shot.backdrop).kind not in ("clear",)]
        if len(filled) > 1 or (filled and filled[0] != layers[0].name):
            reasons[
                f"{', '.join(filled)} {'has' if len(filled) == 1 else 'have'} a backdrop that hides the layers below"
            ] = False
        if shot.pixels.on and (shot.pixels.outline or shot.pixels.palette):
            reasons["the pixel look gives each layer outlines and colours of its own"] = False
        if not reasons:
            continue
        first = list(reasons)[:3]
        mend = each_held_out(shot, layers) if any(reasons.values()) else {}
        number = [layer.name for layer in shot.layers].index(layers[0].name)
        yield Finding(
            "layers-rejoin",
            "hint",
            "Laid over one another, the layers may not give the picture of the whole set. "
            + "; ".join(first)
            + (f"; and {len(reasons) - 3} more" if len(reasons) > 3 else "")
            + ".",
            f"layers.{number}.members",
            "split",
            None,
            mend,
            "Hold each out in the others" if mend else "",
        )


checks.register(Check("layers-rejoin", _look))
