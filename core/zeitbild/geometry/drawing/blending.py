"""How colours of a drawing mix where one lies over another (W3C Compositing and Blending Level 1, chapters 9 and 10)."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
#: What a colour becomes over another, both straight, encoded, [..., 3]: below first, as the specification writes B(cb, cs).
Blend = Callable[[Floats, Floats], Floats]

#: Light of encoded red, green and blue, as the specification has it for modes that are not separable.
_LIGHT = np.array([0.3, 0.59, 0.11])


def _screen(below: Floats, own: Floats) -> Floats:
    return below + own - below * own


def _hard_light(below: Floats, own: Floats) -> Floats:
    return np.asarray(np.where(own <= 0.5, below * 2 * own, _screen(below, 2 * own - 1)))


def _dodge(below: Floats, own: Floats) -> Floats:
    brighter = np.minimum(1.0, below / np.maximum(1 - own, 1e-12))
    return np.where(below <= 0, 0.0, np.where(own >= 1, 1.0, brighter))


def _burn(below: Floats, own: Floats) -> Floats:
    darker = 1 - np.minimum(1.0, (1 - below) / np.maximum(own, 1e-12))
    return np.where(below >= 1, 1.0, np.where(own <= 0, 0.0, darker))


def _soft_light(below: Floats, own: Floats) -> Floats:
    root = np.where(below <= 0.25, ((16 * below - 12) * below + 4) * below, np.sqrt(np.maximum(below, 0)))
    return below + np.where(own <= 0.5, (2 * own - 1) * below * (1 - below), (2 * own - 1) * (root - below))


def _with_light(colour: Floats, light: Floats) -> Floats:
    """SetLum and ClipColor."""
    moved = colour + (light - colour @ _LIGHT)[..., None]
    grey = (moved @ _LIGHT)[..., None]
    low, high = moved.min(axis=-1, keepdims=True), moved.max(axis=-1, keepdims=True)
    moved = np.where(low < 0, grey + (moved - grey) * grey / np.maximum(grey - low, 1e-12), moved)
    return np.asarray(np.where(high > 1, grey + (moved - grey) * (1 - grey) / np.maximum(high - grey, 1e-12), moved))


def _saturation(colour: Floats) -> Floats:
    return np.asarray(np.ptp(colour, axis=-1))


def _with_saturation(colour: Floats, saturation: Floats) -> Floats:
    """SetSat: the least becomes 0, the greatest the saturation."""
    low, wide = colour.min(axis=-1, keepdims=True), _saturation(colour)[..., None]
    return np.asarray((colour - low) / np.maximum(wide, 1e-12) * saturation[..., None])


#: Blend modes by their names in style sheets.
BLENDS: dict[str, Blend] = {
    "multiply": lambda below, own: below * own,
    "screen": _screen,
    "overlay": lambda below, own: _hard_light(own, below),
    "darken": np.minimum,
    "lighten": np.maximum,
    "color-dodge": _dodge,
    "color-burn": _burn,
    "hard-light": _hard_light,
    "soft-light": _soft_light,
    "difference": lambda below, own: np.abs(below - own),
    "exclusion": lambda below, own: below + own - 2 * below * own,
    "hue": lambda below, own: _with_light(_with_saturation(own, _saturation(below)), below @ _LIGHT),
    "saturation": lambda below, own: _with_light(_with_saturation(below, _saturation(own)), below @ _LIGHT),
    "color": lambda below, own: _with_light(own, below @ _LIGHT),
    "luminosity": lambda below, own: _with_light(below, own @ _LIGHT),
}


def over(own: Floats, below: Floats, blend: str = "") -> Floats:
    """Straight encoded colours and alpha [..., 4] of one over another; blend is a name of BLENDS, or empty."""
    a, b = own[..., 3:], below[..., 3:]
    colour = own[..., :3]
    if blend:
        colour = (1 - b) * colour + b * BLENDS[blend](below[..., :3], colour)
    total = a + b * (1 - a)
    # Where nothing is it goes on from beside.
    weight = np.maximum(total, 1e-9)
    mixed = (colour * a + below[..., :3] * b * (1 - a)) / weight
    return np.concatenate([np.where(total > 1e-9, mixed, own[..., :3]), total], axis=-1)
