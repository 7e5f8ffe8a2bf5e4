"""Frame rates as exact fractions. NTSC-family rates: SMPTE ST 12-1."""

from __future__ import annotations

from fractions import Fraction

from zeitbild.errors import InputError

Rate = Fraction

#: The rates that the Time desk offers, by the text that stands for them in a document.
RATES: dict[str, Fraction] = {
    "24000/1001": Fraction(24000, 1001),
    "24": Fraction(24),
    "25": Fraction(25),
    "30000/1001": Fraction(30000, 1001),
    "30": Fraction(30),
    "50": Fraction(50),
    "60000/1001": Fraction(60000, 1001),
    "60": Fraction(60),
}


def parse_rate(text: str) -> Fraction:
    """The exact rate in frames a second for one of the texts in ``RATES``; InputError otherwise."""
    try:
        return RATES[text.strip()]
    except KeyError:
        raise InputError(f"rate {text[:40]!r} is not one of {', '.join(RATES)}", "timing.rate") from None


def nominal(rate: Fraction) -> int:
    """Frames that timecode counts in one of its seconds: 30 for 30000/1001 (SMPTE ST 12-1)."""
    return -(-rate.numerator // rate.denominator)


def drops(rate: Fraction) -> int:
    """Frame numbers skipped each minute but every tenth, 0 for rates that drop none.

    2 for 30000/1001 and 4 for 60000/1001 (SMPTE ST 12-1); 24000/1001 is counted without dropping.
    """
    if rate.denominator != 1001 or nominal(rate) % 30:
        return 0
    return nominal(rate) // 15
