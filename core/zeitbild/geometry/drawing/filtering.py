"""What a filter makes of a picture (Filter Effects Module Level 1, chapter 9): steps on pixels, as ``filters`` reads them."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.colour import decode, encode
from zeitbild.geometry.drawing.blending import over

#: Premultiplied colours and alpha [H, W, 4], 0 to 1.
Pixels = NDArray[np.float32]

#: Light of linear red, green and blue, as the specification has it for saturation and hues.
_LIGHT = (0.2126, 0.7152, 0.0722)
#: Pixels of a blur's deviation that are none, from how many on it is blurred in fewer pixels, and how many of those count at most.
_SHARP, _FAR, _MOST_BLUR = 0.05, 10.0, 64.0
#: Pixels that things grow by from which on they do so in fewer pixels.
_FAR_GROWN = 48.0


def _straight(pixels: Pixels) -> NDArray[np.float64]:
    found = pixels.astype(np.float64)
    found[..., :3] /= np.maximum(found[..., 3:], 1e-6)
    return found


def _premultiplied(straight: NDArray[np.float64]) -> Pixels:
    clipped = np.clip(straight, 0, 1)
    clipped[..., :3] *= clipped[..., 3:]
    return clipped.astype(np.float32)


def _in_space(pixels: Pixels, linear: bool, wanted: bool) -> Pixels:
    """Encoded colours as light, or light as encoded colours."""
    if linear == wanted:
        return pixels
    straight = _straight(pixels)
    straight[..., :3] = (decode if wanted else encode)(np.clip(straight[..., :3], 0, 1))
    return _premultiplied(straight)


@dataclass(frozen=True, slots=True)
class _Lying:
    """What takes lengths of the filter to pixels: the linear part [2, 2] of where it lies."""

    onto: NDArray[np.float64]

    def deviations(self, blur: Sequence[float]) -> tuple[float, float]:
        """Across and down; turned or sheared it is blurred as an even one of that area would be."""
        a, b = abs(self.onto[0, 0] * blur[0]), abs(self.onto[1, 1] * blur[1])
        c, d = abs(self.onto[0, 1] * blur[1]), abs(self.onto[1, 0] * blur[0])
        return math.hypot(a, c), math.hypot(b, d)

    def away(self, by: Sequence[float]) -> tuple[float, float]:
        x, y = self.onto @ np.asarray(by)
        return float(x), float(y)


def _blurred(pixels: Pixels, deviations: tuple[float, float]) -> Pixels:
    import cv2  # a quarter of a second at the start, which few drawings need

    if max(deviations) < _SHARP:
        return pixels
    # What is blurred far is blurred as well in fewer pixels.
    height, width = pixels.shape[:2]
    fewer = [max(1, int(one / _FAR)) for one in deviations]
    size = max(1, round(width / fewer[0])), max(1, round(height / fewer[1]))
    small = pixels if max(fewer) == 1 else cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    across, down = (
        max(min(one * now / whole, _MOST_BLUR), 0.01)
        for one, now, whole in zip(deviations, size, (width, height), strict=True)
    )
    found = cv2.GaussianBlur(small, (0, 0), sigmaX=across, sigmaY=down, borderType=cv2.BORDER_CONSTANT)
    if max(fewer) > 1:
        found = np.clip(cv2.resize(found, (width, height), interpolation=cv2.INTER_CUBIC), 0, 1)
    return np.asarray(found, np.float32)


def _moved(pixels: Pixels, by: tuple[float, float]) -> Pixels:
    import cv2

    matrix = np.array([[1, 0, by[0]], [0, 1, by[1]]], np.float64)
    size = pixels.shape[1], pixels.shape[0]
    return np.asarray(cv2.warpAffine(pixels, matrix, size, flags=cv2.INTER_LINEAR), np.float32)


def _grown(pixels: Pixels, radius: tuple[float, float], grows: bool) -> Pixels:
    import cv2

    if max(radius) < 0.5:
        return pixels
    # What grows far grows as well in fewer pixels.
    height, width = pixels.shape[:2]
    size = tuple(
        max(1, round(whole / max(1.0, one / _FAR_GROWN))) for one, whole in zip(radius, (width, height), strict=True)
    )
    small = pixels if size == (width, height) else cv2.resize(pixels, size, interpolation=cv2.INTER_AREA)
    across, down = (
        min(round(one * now / whole), 2 * now) for one, now, whole in zip(radius, size, (width, height), strict=True)
    )
    kernel = np.ones((2 * down + 1, 2 * across + 1), np.uint8)
    apply = cv2.dilate if grows else cv2.erode
    found = apply(small, kernel, borderType=cv2.BORDER_CONSTANT, borderValue=(0, 0, 0, 0))
    if size != (width, height):
        found = cv2.resize(found, (width, height), interpolation=cv2.INTER_LINEAR)
    return np.asarray(found, np.float32)


def _flood(shape: tuple[int, ...], flood: Sequence[float], linear: bool) -> Pixels:
    colour = np.asarray(flood, np.float64)
    if linear:
        colour[:3] = decode(colour[:3])
    return np.broadcast_to(_premultiplied(colour), shape).copy()


def _matrix(kind: str, values: Sequence[float]) -> NDArray[np.float64]:
    """A matrix [4, 5] of straight colours and alpha (section 9.6)."""
    found = np.eye(4, 5)
    red, green, blue = _LIGHT
    if kind == "matrix":
        return np.asarray(values).reshape(4, 5) if len(values) == 20 else found
    if kind == "luminanceToAlpha":
        found[:] = 0
        found[3, :3] = 0.2125, 0.7154, 0.0721
        return found
    light = np.tile([red, green, blue], (3, 1))
    if kind == "saturate":
        found[:3, :3] = light + (values[0] if values else 1.0) * (np.eye(3) - light)
        return found
    turn = math.radians(values[0] if values else 0.0)
    along = np.eye(3) - light
    across = np.array([[-red, -green, 1 - blue], [0.143, 0.140, -0.283], [-(1 - red), green, blue]])
    found[:3, :3] = light + math.cos(turn) * along + math.sin(turn) * across
    return found


def _function(kind: dict[str, Any], values: NDArray[np.float64]) -> NDArray[np.float64]:
    """One channel by a transfer function (section 9.7)."""
    table = kind.get("table", [])
    if kind["kind"] == "linear":
        return np.asarray(kind["slope"] * values + kind["intercept"])
    if kind["kind"] == "gamma":
        return np.asarray(kind["amplitude"] * np.maximum(values, 0) ** kind["exponent"] + kind["offset"])
    if kind["kind"] == "table" and table:
        return np.asarray(
            np.interp(values, np.linspace(0, 1, max(len(table), 2)), table if len(table) > 1 else table * 2)
        )
    if kind["kind"] == "discrete" and table:
        return np.asarray(np.take(table, np.minimum((values * len(table)).astype(int), len(table) - 1)), np.float64)
    return values


#: How much of what lies over and of what lies below there is, by the alphas of both (Porter and Duff 1984).
_SHARES: dict[str, Callable[[Pixels, Pixels], tuple[Any, Any]]] = {
    "over": lambda a, b: (1, 1 - a),
    "in": lambda a, b: (b, 0),
    "out": lambda a, b: (1 - b, 0),
    "atop": lambda a, b: (b, 1 - a),
    "xor": lambda a, b: (1 - b, 1 - a),
    "lighter": lambda a, b: (1, 1),
}


def _composed(own: Pixels, below: Pixels, operator: str, k: Sequence[float]) -> Pixels:
    """Section 9.8."""
    if operator == "arithmetic":
        mixed = k[0] * own * below + k[1] * own + k[2] * below + k[3]
        alpha = np.clip(mixed[..., 3:], 0, 1)
        return np.concatenate([np.clip(mixed[..., :3], 0, alpha), alpha], axis=-1).astype(np.float32)
    mine, other = _SHARES[operator](own[..., 3:], below[..., 3:])
    return np.asarray(np.minimum(own * mine + below * other, 1), np.float32)


def filtered(
    source: Pixels, steps: Sequence[dict[str, Any]], onto: NDArray[np.float64], inside: NDArray[np.float32] | None
) -> Pixels:
    """What the steps of a filter make of a picture of encoded colours; onto [2, 2] takes lengths of the filter to pixels. inside [H, W] is how
    much of each pixel lies in the region that the filter reaches (None: all of each)."""
    lying = _Lying(onto)
    alpha = np.zeros_like(source)
    alpha[..., 3] = source[..., 3]
    clear = np.zeros_like(source)
    # Each with whether it is light.
    results: dict[str, tuple[Pixels, bool]] = {"SourceGraphic": (source, False), "SourceAlpha": (alpha, False)}
    last = results["SourceGraphic"] if steps else (clear, False)

    def named(name: str, linear: bool) -> Pixels:
        """By its name; what none has is what came last, and what lies behind everything is clear."""
        if name in ("BackgroundImage", "BackgroundAlpha") and name not in results:
            return clear
        pixels, space = results.get(name, last)
        return _in_space(pixels, space, linear)

    for step in steps:
        linear = bool(step["linear"])
        own = named(step.get("in", ""), linear)
        kind = step["kind"]
        if kind == "feGaussianBlur":
            made = _blurred(own, lying.deviations(step["blur"]))
        elif kind == "feOffset":
            made = _moved(own, lying.away(step["by"]))
        elif kind == "feFlood":
            made = _flood(source.shape, step["flood"], linear)
        elif kind == "feDropShadow":
            above = own
            cast = _moved(_blurred(above, lying.deviations(step["blur"])), lying.away(step["by"]))
            made = _flood(source.shape, step["flood"], linear) * cast[..., 3:]
            if not step.get("alone"):
                made = _composed(above, made, "over", ())
        elif kind == "feColorMatrix":
            straight = _straight(own)
            matrix = _matrix(step["type"], step["values"])
            made = _premultiplied(straight @ matrix[:, :4].T + matrix[:, 4])
        elif kind == "feComponentTransfer":
            straight = _straight(own)
            channels = [_function(one, straight[..., at]) for at, one in enumerate(step["functions"])]
            made = _premultiplied(np.stack(channels, axis=-1))
        elif kind == "feComposite":
            made = _composed(own, named(step["in2"], linear), step["operator"], step["k"])
        elif kind == "feBlend":
            made = _premultiplied(over(_straight(own), _straight(named(step["in2"], linear)), step["mode"]))
        elif kind == "feMerge":
            made = clear
            for name in step["of"]:
                made = _composed(named(name, linear), made, "over", ())
        else:
            made = _grown(own, lying.deviations(step["radius"]), step["grows"])
        if inside is not None:
            made = made * inside[..., None]
        last = made, linear
        if step["result"]:
            results[step["result"]] = last
    return _in_space(*last, False)
