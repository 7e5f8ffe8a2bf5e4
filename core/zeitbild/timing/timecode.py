"""Frame counts to timecode and back, drop-frame where the rate asks for it (SMPTE ST 12-1)."""

from __future__ import annotations

import re
from fractions import Fraction

from zeitbild.errors import InputError
from zeitbild.timing.rate import drops, nominal

_PATTERN = re.compile(r"^(?:(?:(\d+):)?(\d+):)?(\d+)[:;](\d+)$")


def frame_to_timecode(count: int, rate: Fraction) -> str:
    """Timecode of frame ``count`` (0 is 00:00:00:00). Drop-frame codes carry ``;`` before the frames."""
    if count < 0:
        return "-" + frame_to_timecode(-count, rate)
    per_second, dropped = nominal(rate), drops(rate)
    if dropped:
        per_minute = 60 * per_second - dropped
        per_ten = 10 * per_minute + dropped
        tens, rest = divmod(count, per_ten)
        count += 9 * dropped * tens
        if rest >= dropped:
            count += dropped * ((rest - dropped) // per_minute)
    seconds, frames = divmod(count, per_second)
    minutes, seconds = divmod(seconds, 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours:02}:{minutes:02}:{seconds:02}{';' if dropped else ':'}{frames:02}"


def timecode_to_frame(text: str, rate: Fraction) -> int:
    """Frame count of a timecode; shorter forms ``SS:FF`` and ``MM:SS:FF`` are taken.

    InputError if it is none, or names a number that drop-frame counting skips.
    """
    match = _PATTERN.match(text.strip())
    if not match:
        raise InputError(f"{text!r} is not a timecode; write hours:minutes:seconds:frames")
    hours, minutes, seconds, frames = (int(part or 0) for part in match.groups())
    per_second, dropped = nominal(rate), drops(rate)
    if frames >= per_second or seconds > 59 or minutes > 59:
        raise InputError(
            f"timecode {text!r} has a part out of range: minutes and seconds to 59, frames to {per_second - 1}"
        )
    if dropped and frames < dropped and seconds == 0 and minutes % 10:
        raise InputError(f"timecode {text!r} does not exist: this rate skips its number (drop-frame)")
    total_minutes = 60 * hours + minutes
    return (60 * total_minutes + seconds) * per_second + frames - dropped * (total_minutes - total_minutes // 10)
