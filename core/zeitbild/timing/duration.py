"""A length of time written by a person: ``96``, ``96 f``, ``24*4``, ``4 s``, ``1.5 min``, ``2:12``."""

from __future__ import annotations

import ast
import operator
import re
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from zeitbild.errors import InputError
from zeitbild.timing.timecode import frame_to_timecode, timecode_to_frame

_OPERATORS: dict[type[ast.operator], Callable[[Fraction, Fraction], Fraction]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
}
_SECONDS = {"s": 1, "sec": 1, "min": 60, "h": 3600}
_FRAMES = {"", "f", "frame", "frames"}
_WITH_UNIT = re.compile(r"^(.*?)\s*([a-zA-Z]*)$", re.DOTALL)
_MAX_TEXT = 100


@dataclass(frozen=True, slots=True)
class Length:
    """A count of frames shown three ways at a rate."""

    frames: int
    rate: Fraction

    @property
    def seconds(self) -> Fraction:
        """Exact duration in seconds."""
        return self.frames / self.rate

    @property
    def timecode(self) -> str:
        """Duration as timecode."""
        return frame_to_timecode(self.frames, self.rate)


def _evaluate(node: ast.expr) -> Fraction:
    if isinstance(node, ast.Constant) and isinstance(node.value, int | float) and not isinstance(node.value, bool):
        return Fraction(str(node.value))
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub):
        return -_evaluate(node.operand)
    if isinstance(node, ast.BinOp) and type(node.op) in _OPERATORS:
        return _OPERATORS[type(node.op)](_evaluate(node.left), _evaluate(node.right))
    raise InputError("only numbers with + - * / and brackets can be calculated")


def evaluate(text: str) -> Fraction:
    """Exact value of an arithmetic expression with + - * / and brackets; InputError otherwise."""
    if len(text) > _MAX_TEXT:
        raise InputError("that is too long for a number")
    try:
        return _evaluate(ast.parse(text.strip().replace(",", "."), mode="eval").body)
    except (SyntaxError, ValueError, RecursionError, OverflowError, MemoryError):
        raise InputError(f"{text!r} is not a number or a calculation") from None
    except ZeroDivisionError:
        raise InputError(f"{text!r} divides by zero") from None


def parse_length(text: str, rate: Fraction) -> Length:
    """Read a length as frames (default), seconds, minutes, hours or timecode; rounded to whole frames.

    InputError for other units, for less than one frame, or for what is no number.
    """
    text = text.strip()
    if ":" in text or ";" in text:
        return _at_least_one(timecode_to_frame(text, rate), text, rate)
    match = _WITH_UNIT.match(text)
    number, unit = (match[1], match[2].lower()) if match else (text, "")
    if unit in _FRAMES:
        value = evaluate(number)
        if value.denominator != 1:
            raise InputError(f"{text!r} is {float(value):g} frames; a length is a whole number of frames")
        return _at_least_one(int(value), text, rate)
    if unit in _SECONDS:
        return _at_least_one(round(evaluate(number) * _SECONDS[unit] * rate), text, rate)
    raise InputError(f"{unit!r} does not measure time; use f, s, min, h or a timecode")


def _at_least_one(frames: int, text: str, rate: Fraction) -> Length:
    if frames < 1:
        raise InputError(f"{text!r} is {frames} frames; a range has at least one")
    return Length(frames, rate)
