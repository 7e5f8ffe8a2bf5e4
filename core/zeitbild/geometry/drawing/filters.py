"""Filters of a drawing (Filter Effects Module Level 1): what they say, as plain values that ``filtering`` works by."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any
from xml.etree.ElementTree import Element

import numpy as np
import tinycss2
from fontTools.misc.transform import Transform
from numpy.typing import NDArray

from zeitbild.geometry.drawing.blending import BLENDS
from zeitbild.geometry.drawing.masks import rectangle_of
from zeitbild.geometry.drawing.placing import Size
from zeitbild.geometry.drawing.styles import colour_of, length, local, numbers, share

#: Steps of a filter, and filters of a drawing, each use counted, at most.
MOST_STEPS, MOST_FILTERS = 32, 40
#: Pixels of what a filter makes at most; and pixels times steps of all filters of a drawing.
_PIXELS, _WORK = 2.5e6, 4e7
_SIDES = (("x", "-10%"), ("y", "-10%"), ("width", "120%"), ("height", "120%"))
_OPERATORS = ("over", "in", "out", "atop", "xor", "lighter", "arithmetic")
_MATRICES = ("matrix", "saturate", "hueRotate", "luminanceToAlpha")
_FUNCTIONS = ("identity", "table", "discrete", "linear", "gamma")


class UnreadError(Exception):
    """A filter that is not read, with the reason."""


@dataclass(frozen=True, slots=True)
class Lying:
    """Where an element lies that has a filter: what leads from its units to the drawing, from the unit square to its box (None: it has no
    area), the size of what it stands in, and of the font."""

    onto: Transform
    unit: Transform | None
    size: Size
    em: float


def _said(element: Element, name: str, otherwise: str = "") -> str:
    """What a step of a filter says of itself, by its style or its attribute."""
    for one in tinycss2.parse_declaration_list(element.get("style", ""), skip_comments=True, skip_whitespace=True):
        if one.type == "declaration" and one.lower_name == name:
            return str(tinycss2.serialize(one.value)).strip()
    return element.get(name, otherwise)


def _flood(element: Element, current: str) -> list[float]:
    colour = colour_of(_said(element, "flood-color", "black"), current) or (0.0, 0.0, 0.0, 0.0)
    return [*colour[:3], colour[3] * share(_said(element, "flood-opacity", "1"))]


def _pair(text: str, otherwise: float = 0.0) -> tuple[float, float]:
    found = numbers(text) or [otherwise]
    return found[0], found[1] if len(found) > 1 else found[0]


def _number(element: Element, name: str, otherwise: float = 0.0) -> float:
    return (numbers(element.get(name, "")) or [otherwise])[0]


def _functions(element: Element) -> list[dict[str, Any]]:
    """What becomes of red, green, blue and alpha."""
    found: list[dict[str, Any]] = [{"kind": "identity"} for _ in range(4)]
    for child in element:
        name = local(child.tag)
        if name in ("feFuncR", "feFuncG", "feFuncB", "feFuncA"):
            kind = child.get("type", "identity")
            if kind not in _FUNCTIONS:
                raise UnreadError(f"a function {kind[:20]!r}")
            found["RGBA".index(name[-1])] = {
                "kind": kind,
                "table": numbers(child.get("tableValues", "")),
                "slope": _number(child, "slope", 1.0),
                "intercept": _number(child, "intercept"),
                "amplitude": _number(child, "amplitude", 1.0),
                "exponent": _number(child, "exponent", 1.0),
                "offset": _number(child, "offset"),
            }
    return found


def _step(element: Element, name: str, current: str, across: float, down: float) -> dict[str, Any]:
    """What one step does; lengths in units of what has the filter, of which so many are one unit of the filter."""
    if name in ("feGaussianBlur", "feDropShadow"):
        sx, sy = _pair(element.get("stdDeviation", ""), 2.0 if name == "feDropShadow" else 0.0)
        found: dict[str, Any] = {"blur": [max(sx, 0.0) * across, max(sy, 0.0) * down]}
        if name == "feDropShadow":
            found |= {"by": [_number(element, "dx", 2.0) * across, _number(element, "dy", 2.0) * down]}
            found |= {"flood": _flood(element, current)}
        return found
    if name == "feOffset":
        return {"by": [_number(element, "dx") * across, _number(element, "dy") * down]}
    if name == "feFlood":
        return {"flood": _flood(element, current)}
    if name == "feColorMatrix":
        kind = element.get("type", "matrix")
        if kind not in _MATRICES:
            raise UnreadError(f"a matrix {kind[:20]!r}")
        return {"type": kind, "values": numbers(element.get("values", ""))}
    if name == "feComposite":
        operator = element.get("operator", "over")
        if operator not in _OPERATORS:
            raise UnreadError(f"an operator {operator[:20]!r}")
        return {"operator": operator, "k": [_number(element, f"k{at}") for at in (1, 2, 3, 4)]}
    if name == "feBlend":
        mode = element.get("mode", "normal")
        if mode != "normal" and mode not in BLENDS:
            raise UnreadError(f"a mode {mode[:20]!r}")
        return {"mode": "" if mode == "normal" else mode}
    if name == "feMerge":
        return {"of": [child.get("in", "") for child in element if local(child.tag) == "feMergeNode"]}
    if name == "feComponentTransfer":
        return {"functions": _functions(element)}
    if name == "feMorphology":
        rx, ry = _pair(element.get("radius", ""))
        return {"grows": element.get("operator") == "dilate", "radius": [rx * across, ry * down]}
    raise UnreadError(f"<{name[:30]}>")


@dataclass(frozen=True, slots=True, eq=False)
class Filter:
    """What changes a group: steps as ``filtering.filtered`` takes them; onto [2, 2] leads from its lengths to the drawing (y down), corners [4, 2]
    (y up) are those of the region that it reaches there; clips are the numbers of those that cut off what it made; and so many pixels its
    picture has at most."""

    steps: list[dict[str, Any]]
    onto: NDArray[np.float64]
    corners: NDArray[np.float64]
    clips: tuple[int, ...]
    pixels: float

    @property
    def reach(self) -> float:
        """How far what it makes may lie from what it is made of (units of the drawing)."""
        scale = float(np.abs(self.onto).sum(axis=1).max())
        return scale * math.fsum(
            3 * max(step.get("blur", (0.0,))) + max(map(abs, step.get("by", (0.0,)))) + max(step.get("radius", (0.0,)))
            for step in self.steps
        )

    @property
    def fills(self) -> bool:
        """Whether it may fill all of its region, whatever it is made of."""
        return any(step["kind"] == "feFlood" for step in self.steps)

    def below(self, hides: bool) -> Filter | None:
        """What makes what lies below, if what has the filter stands unchanged on top of all else; None if it is changed itself. ``hides`` tells
        whether that lets nothing through: else it mixes with what is below as the filter does, which may be as light."""
        steps = steps_below(self.steps)
        if steps is None or (self.steps[-1]["linear"] and not hides):
            return None
        return replace(self, steps=steps)


def filters_of(told: Sequence[tuple[int, dict[str, Any]]]) -> dict[int, Filter]:
    """Filters by the groups that they change, from what ``read_drawing`` gives. They are worked out in the process that asks: the more steps all
    of them have, the fewer pixels each."""
    steps = sum(len(one["steps"]) for _, one in told)
    pixels = min(_PIXELS, _WORK / max(steps, 1))
    found = {}
    for number, one in told:
        a, b, c, d, _, _ = one["onto"]
        corners = np.array(one["corners"], np.float64) * (1, -1)
        found[number] = Filter(one["steps"], np.array([[a, c], [b, d]]), corners, tuple(one["clips"]), pixels)
    return found


def read_filter(element: Element, current: str, lying: Lying) -> dict[str, Any]:
    """What ``filtering.filtered`` works by; current is ``currentColor``. UnreadError for what is not read."""
    boxed = element.get("filterUnits", "objectBoundingBox") != "userSpaceOnUse"
    in_box = element.get("primitiveUnits") == "objectBoundingBox"
    if lying.unit is None and (boxed or in_box):
        raise UnreadError("in units of what has no area")
    across, down = (lying.unit[0], lying.unit[3]) if in_box and lying.unit is not None else (1.0, 1.0)
    everywhere = element.get("color-interpolation-filters", "linearRGB")
    steps = []
    for child in element:
        name = local(child.tag)
        if not name or name in ("title", "desc", "metadata", "animate", "set"):
            continue
        step = _step(child, name, current, across, down)
        step |= {
            "kind": name,
            "in": child.get("in", ""),
            "in2": child.get("in2", ""),
            "result": child.get("result", ""),
        }
        step["linear"] = _said(child, "color-interpolation-filters", everywhere) != "sRGB"
        for named in (step["in"], step["in2"], *step.get("of", ())):
            if named in ("FillPaint", "StrokePaint"):
                raise UnreadError(f"of {named}")
        steps.append(step)
    if len(steps) > MOST_STEPS:
        raise UnreadError(f"more than {MOST_STEPS} steps")
    x, y, wide, tall = rectangle_of(element, _SIDES, (1.0, 1.0) if boxed else lying.size, lying.em)
    corners = [(x, y), (x + wide, y), (x + wide, y + tall), (x, y + tall)]
    if boxed and lying.unit is not None:
        corners = [lying.unit.transformPoint(one) for one in corners]
    return {
        "steps": steps,
        "corners": [list(lying.onto.transformPoint(one)) for one in corners],
        "onto": list(lying.onto),
    }


def read_functions(text: str, current: str, lying: Lying) -> dict[str, Any]:
    """The same for what ``filter`` says by functions. UnreadError for what is not read."""
    steps: list[dict[str, Any]] = []
    for one in tinycss2.parse_component_value_list(text, skip_comments=True):
        if one.type == "whitespace":
            continue
        if one.type != "function" or one.lower_name not in ("blur", "drop-shadow"):
            raise UnreadError(text[:40])
        words = tinycss2.serialize(one.arguments).split()
        lengths = [found for word in words if (found := length(word, 1.0, lying.em)) == found]
        rest = " ".join(word for word in words if length(word, 1.0, lying.em) != length(word, 1.0, lying.em))
        step: dict[str, Any] = {"in": "", "in2": "", "result": "", "linear": False}
        if one.lower_name == "blur":
            radius = max(lengths[0], 0.0) if lengths else 0.0
            steps.append({**step, "kind": "feGaussianBlur", "blur": [radius, radius]})
            continue
        if len(lengths) < 2:
            raise UnreadError(text[:40])
        radius = max(lengths[2], 0.0) if len(lengths) > 2 else 0.0
        colour = colour_of(rest or current, current) or (0.0, 0.0, 0.0, 0.0)
        more = {"blur": [radius, radius], "by": lengths[:2], "flood": list(colour)}
        steps.append({**step, "kind": "feDropShadow", **more})
    if lying.unit is None or len(steps) > MOST_STEPS:
        raise UnreadError(text[:40])
    # Wherever it reaches.
    reach = sum(3 * max(one["blur"]) + max(map(abs, one.get("by", (0.0,)))) for one in steps)
    a, _, _, d, e, f = lying.unit
    corners = [
        (e - reach, f - reach),
        (e + a + reach, f - reach),
        (e + a + reach, f + d + reach),
        (e - reach, f + d + reach),
    ]
    return {
        "steps": steps,
        "corners": [list(lying.onto.transformPoint(one)) for one in corners],
        "onto": list(lying.onto),
    }


def steps_below(steps: list[dict[str, Any]]) -> list[dict[str, Any]] | None:
    """The steps that make what lies below, if what has the filter stands unchanged on top of all else; None if it is changed itself."""
    if not steps:
        return None
    last, before = steps[-1], steps[:-1]
    previous = "SourceGraphic" if not before else ""
    if last["kind"] == "feDropShadow" and (last["in"] or previous) == "SourceGraphic":
        return [*before, {**last, "alone": True}]
    if last["kind"] == "feMerge" and last["of"] and last["of"][-1] == "SourceGraphic":
        return [*before, {**last, "of": last["of"][:-1]}]
    lies_over = (last["kind"] == "feBlend" and not last["mode"]) or (
        last["kind"] == "feComposite" and last["operator"] == "over"
    )
    if lies_over and last["in"] == "SourceGraphic" and before:
        return [*before, {**last, "kind": "feMerge", "of": [last["in2"]]}]
    return None
