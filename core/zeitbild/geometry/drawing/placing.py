"""Where things of a drawing lie: transforms, and view boxes in viewports."""

from __future__ import annotations

import math
from xml.etree.ElementTree import Element

from fontTools.misc.transform import Identity, Transform

from zeitbild.geometry.drawing.styles import length, numbers

#: Width and height.
Size = tuple[float, float]
#: Units of angles in degrees; of those that end alike the longer one first.
_ANGLES = {"deg": 1.0, "grad": 0.9, "rad": 180 / math.pi, "turn": 360.0}
#: Sides and the middle of a box as per cents of it.
SIDES = {"left": "0%", "top": "0%", "center": "50%", "right": "100%", "bottom": "100%"}


def transform_of(text: str) -> Transform | None:
    """The transform that a list of functions stands for (SVG 1.1, section 7.6; CSS Transforms 1, section 9); None for what is none."""
    if text.strip() in ("", "none"):
        return Identity
    found, rest = Identity, text.strip()
    while rest:
        name, opened, after = rest.partition("(")
        inside, closed, rest = after.partition(")")
        if not (opened and closed):
            return None
        words = inside.replace(",", " ").split()
        try:
            values = [_value(word) for word in words]
        except ValueError:
            return None
        made = _function(name.strip(" \t\r\n,"), values)
        if made is None or not all(math.isfinite(one) for one in made):
            return None
        found = found.transform(made)
    return found


def angle(word: str) -> float:
    """Degrees that an angle has, with a unit or without; ValueError for what is none."""
    for unit, degrees in _ANGLES.items():
        if word.endswith(unit):
            return float(word.removesuffix(unit)) * degrees
    return float(word)


def _value(word: str) -> float:
    """A number, a length in pixels or an angle in degrees; ValueError for what is none."""
    try:
        return angle(word)
    except ValueError:
        found = length(word, math.nan, math.nan)
        if math.isnan(found):
            raise
        return found


def origin_of(text: str, size: Size) -> tuple[float, float]:
    """The point that a transform is about, in a box of a size (CSS Transforms 1, section 4)."""
    words = [*text.split(), "center", "center"][:2]
    if words[0] in ("top", "bottom") or words[1] in ("left", "right"):
        words.reverse()
    x, y = (length(SIDES.get(word, word), whole, 16.0, 0.0) for word, whole in zip(words, size, strict=True))
    return x, y


def _function(name: str, values: list[float]) -> Transform | None:
    count = len(values)
    if name == "matrix" and count == 6:
        return Transform(*values)
    if name == "translate" and count in (1, 2):
        return Identity.translate(values[0], values[1] if count == 2 else 0)
    if name == "scale" and count in (1, 2):
        return Identity.scale(values[0], values[-1])
    if name in ("translateX", "translateY", "scaleX", "scaleY") and count == 1:
        along, rest = (values[0], 0.0) if name.startswith("t") else (values[0], 1.0)
        both = (along, rest) if name.endswith("X") else (rest, along)
        return Identity.translate(*both) if name.startswith("t") else Identity.scale(*both)
    if name == "skew" and count in (1, 2):
        across, down = (math.tan(math.radians(one)) for one in (values[0], values[1] if count == 2 else 0.0))
        return Transform(1, down, across, 1, 0, 0)
    if name == "rotate" and count in (1, 3):
        x, y = values[1:] if count == 3 else (0.0, 0.0)
        return Identity.translate(x, y).rotate(math.radians(values[0])).translate(-x, -y)
    if name in ("skewX", "skewY") and count == 1:
        lean = math.tan(math.radians(values[0]))
        return Transform(1, 0, lean, 1, 0, 0) if name == "skewX" else Transform(1, lean, 0, 1, 0, 0)
    return None


def fit(element: Element, width: float, height: float) -> tuple[Transform, Size]:
    """How an element's view box lies in a viewport (SVG 2, section 8.6), and the size that per cents in it are of."""
    box = numbers(element.get("viewBox", ""))
    if len(box) != 4 or not (box[2] > 0 and box[3] > 0) or not (width > 0 and height > 0):
        return Identity, (width, height)
    x, y, wide, high = box
    return fit_box((x, y, wide, high), element.get("preserveAspectRatio", ""), width, height), (wide, high)


def fit_box(box: tuple[float, float, float, float], ratio: str, width: float, height: float) -> Transform:
    """How a box (x, y, width, height) lies in a viewport by what preserveAspectRatio says."""
    x, y, wide, high = box
    words = ratio.split() or ["xMidYMid"]
    across, down = width / wide, height / high
    if words[0] == "none":
        return Identity.scale(across, down).translate(-x, -y)
    scale = max(across, down) if words[-1] == "slice" else min(across, down)
    share = {"Min": 0.0, "Mid": 0.5, "Max": 1.0}
    left = share.get(words[0][1:4], 0.5) * (width - wide * scale)
    top = share.get(words[0][5:8], 0.5) * (height - high * scale)
    return Identity.translate(left, top).scale(scale).translate(-x, -y)
