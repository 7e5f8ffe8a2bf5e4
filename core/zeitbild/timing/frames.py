"""Frame sets as text: ``1-10,20,30-40x2``."""

from __future__ import annotations

import re
from collections.abc import Sequence

from zeitbild.errors import InputError, LimitError

#: More frames than ten hours at 60 a second are a typing mistake (a "1" meant as a second), not a shot.
MAX_FRAMES = 100_000
MAX_FRAME_NUMBER = 9_999_999

#: Characters of a set's text, and of a number in it.
MAX_TEXT, _DIGITS = 10_000, 12

_PART = re.compile(r"^(-?\d+)(?:-(-?\d+)(?:x(\d+))?)?$")


def parse_frames(text: str) -> tuple[int, ...]:
    """The frames of a set in rising order, each once. ``a-b`` includes both ends, ``xN`` takes every Nth.

    InputError says which part is wrong; LimitError if there are more than ``MAX_FRAMES``.
    """
    frames: set[int] = set()
    if len(text) > MAX_TEXT:
        raise LimitError(f"a frame set is written in up to {MAX_TEXT} characters; use ranges")
    for part in text.replace(" ", "").split(","):
        match = _PART.match(part)
        if not match:
            raise InputError(
                f"frame set {text!r}: {part!r} is neither a frame, a range 1-10, nor a stepped range 1-10x2"
            )
        if any(len(digits or "") > _DIGITS for digits in match.groups()):
            raise LimitError(f"{part[:20]}…: frame numbers go to {MAX_FRAME_NUMBER} so that names keep their digits")
        first = int(match[1])
        last = int(match[2]) if match[2] is not None else first
        step = int(match[3]) if match[3] is not None else 1
        if step < 1 or last < first:
            raise InputError(f"frame set {text!r}: {part!r} must rise and have a step of 1 or more")
        if max(abs(first), abs(last)) > MAX_FRAME_NUMBER:
            raise LimitError(
                f"frame set {text!r}: frame numbers go to {MAX_FRAME_NUMBER} so that names keep their digits"
            )
        if (last - first) // step + 1 + len(frames) > MAX_FRAMES:
            raise LimitError(f"frame set {text!r} has more than {MAX_FRAMES} frames; give a shorter range")
        frames.update(range(first, last + 1, step))
    return tuple(sorted(frames))


def write_frames(frames: Sequence[int]) -> str:
    """The shortest text that ``parse_frames`` reads as these rising frames."""
    parts: list[str] = []
    at = 0
    while at < len(frames):
        step = frames[at + 1] - frames[at] if at + 1 < len(frames) else 1
        end = at
        while end + 1 < len(frames) and frames[end + 1] - frames[end] == step:
            end += 1
        if end - at >= 2 or (end - at == 1 and step == 1):
            parts.append(f"{frames[at]}-{frames[end]}" + (f"x{step}" if step > 1 else ""))
            at = end + 1
        else:
            parts.append(str(frames[at]))
            at += 1
    return ",".join(parts)
