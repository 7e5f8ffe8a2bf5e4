"""Letters on the pages of a PDF."""

from __future__ import annotations

from functools import cache

from fontTools.ttLib import TTFont
from fpdf import FPDF

from zeitbild.fonts import SHIPPED

#: Where the font of a page lacks a letter, these are looked through: shots are named in the scripts that are shipped for lettering.
_OTHERS = ("amiri", "noto-serif-georgian")


def add_fonts(pdf: FPDF, *keys: str) -> None:
    """Make shipped fonts known to a PDF under their keys; what they lack comes from those for other scripts. Text goes through
    ``legible`` before it is drawn."""
    for key in (*keys, *_OTHERS):
        pdf.add_font(key, fname=str(SHIPPED[key].path))
    pdf.set_fallback_fonts(list(_OTHERS), exact_match=False)
    # Letters that join, and lines from the right.
    pdf.set_text_shaping(True)


def legible(text: str, key: str) -> str:
    """Text with a question mark for each letter that neither a shipped font nor those for other scripts have."""
    known = _letters(key).union(*map(_letters, _OTHERS))
    return "".join(one if ord(one) in known else "?" for one in text)


@cache
def _letters(key: str) -> frozenset[int]:
    with TTFont(SHIPPED[key].path, lazy=True) as font:
        return frozenset(font.getBestCmap())
