"""Feet of figures that slide over the ground while they stand on it: a walk whose steps do not fit the way that it goes."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.document.evaluate import evaluate, time_of
from zeitbild.elements.model import Built, ModelElement, played, upwards
from zeitbild.resolve.geometry_cache import GEOMETRY, geometry_key

#: What feet are called in rigs (common practice).
_FEET = re.compile(r"foot|feet|toe|heel|ankle|hoof|paw|fuss|fuß|zehe", re.IGNORECASE)
#: Frames that are looked at, one after the other.
_LOOKS = 72
#: A foot stands where it is at most so much (of the figure's size) above its lowest place; it slides from so many pixels a frame on.
_STANDS, _SLIDES = 0.015, 1.5


def _look(view: SetView) -> Iterator[Finding]:
    for number, element in enumerate(view.shot.elements):
        if isinstance(element, ModelElement) and element.delivered and (element.clips or element.clip):
            yield from _of_figure(view, number, element)


def _of_figure(view: SetView, number: int, element: ModelElement) -> Iterator[Finding]:
    shot = view.shot
    built: Built = GEOMETRY.built(geometry_key(element), element, view.assets)
    figure = built.model.figure
    if figure is None:
        return
    feet = [at for at, name in enumerate(figure.names) if _FEET.search(name)]
    if not feet:
        return
    frames = list(shot.timing.frames)[:_LOOKS]
    places, seen = [], []
    for frame in frames:
        snapshot = view.snapshot(frame)
        body = next((one for one in snapshot.bodies if one.element == element.id), None)
        if body is None:
            return
        plain = evaluate(shot, time_of(shot, frame)).elements[number]
        own = built.shapes.placed(
            figure.joints(played(plain, time_of(shot, frame), built.model), upwards(built.model))
        )[feet]
        matrix = np.array(body.matrix).reshape(4, 4)
        world = own @ matrix[:3, :3].T + matrix[:3, 3]
        flat = snapshot.camera.project(world)
        places.append(world)
        seen.append(flat[:, :2] / np.maximum(flat[:, 2:], 1e-9))
    yield from _sliding(np.array(places), np.array(seen), frames, number, element)


def _sliding(
    places: NDArray[np.float64],
    seen: NDArray[np.float64],
    frames: list[int],
    number: int,
    element: ModelElement,
) -> Iterator[Finding]:
    """The worst step of all feet: places [frames, feet, 3] in the set, seen [frames, feet, 2] in pixels."""
    size = element.size * max(abs(one) for one in element.placement.scale)
    heights = places[:, :, 1]
    stands = heights < heights.min(axis=0) + _STANDS * size
    both = stands[1:] & stands[:-1]
    steps = np.linalg.norm(np.diff(seen, axis=0), axis=2) * both
    if not both.any() or steps.max() <= _SLIDES:
        return
    at, _foot = np.unravel_index(int(steps.argmax()), steps.shape)
    typical = float(np.median(steps[both]))
    yield Finding(
        "sliding-feet",
        "hint",
        f"A foot of {element.name} slides by up to {steps.max():.1f} pixels a frame while it stands ({typical:.1f} mostly): "
        "its speed and its way do not fit, or its clip stays on the spot.",
        f"elements.{number}.clips" if element.clips else f"elements.{number}.speed",
        "build",
        frames[int(at)],
    )


checks.register(Check("sliding-feet", look_at_set=_look))
