"""Paint over paint, or under a mask, where either is more than one colour: a picture by place, known by how it was mixed.

How something is mixed is written as a text (``painting_of`` reads it), so that it means the same wherever it is drawn: two layers with what is
done to them between. A layer is ``c`` with a colour, ``g`` with the number of a gradient, ``f`` with that of one of which only the colours
count, ``i`` with that of a picture, ``r`` with that of a filter and which paints it changed, or another text in brackets (round ones, or
square ones if only its colours count); after each how much of it is there. A layer may stand alone.
Between two stands ``o`` (over), ``v`` (through the alpha of), ``w`` (through the light of) or the name of a blend mode.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import InputError
from zeitbild.geometry.drawing.blending import BLENDS, over
from zeitbild.geometry.drawing.gradient import Gradient, Painting
from zeitbild.geometry.drawing.inlaid import InlaidPicture, Inlay
from zeitbild.geometry.drawing.masks import LIGHT

Floats = NDArray[np.float64]

#: Longer texts are not written: so many layers lie over one another nowhere else.
LONGEST = 900
#: Steps of colours and shares.
_STEPS = 65535
_OVER, _THROUGH, _LIT = "o", "v", "w"
_LAYER = re.compile(
    r"c([0-9a-f]{12})([0-9a-f]{4})|(?:([gfi])([0-9]{1,6})|(r[0-9]{1,6}(?::[0-9]{1,6}-[0-9]{1,6})+))\.([0-9a-f]{4})"
)
_HOW = re.compile("|".join(sorted([*BLENDS, _OVER, _THROUGH, _LIT], key=len, reverse=True)))


def _number(value: float) -> str:
    return f"{round(min(max(value, 0.0), 1.0) * _STEPS):04x}"


def plain_layer(colour: Sequence[float], share: float) -> str:
    """One encoded colour."""
    return "c" + "".join(_number(one) for one in colour[:3]) + _number(share)


def gradient_layer(number: int, share: float, *, fades: bool) -> str:
    """A gradient, of which the alpha counts if it fades."""
    return f"{'g' if fades else 'f'}{number}.{_number(share)}"


def inlay_layer(number: int, share: float) -> str:
    """A picture."""
    return f"i{number}.{_number(share)}"


def changed_layer(number: int, paints: Sequence[int], share: float) -> str:
    """What a filter makes of paints, by their numbers."""
    order, runs = sorted(paints), list[list[int]]()
    for one in order:
        if runs and runs[-1][1] == one - 1:
            runs[-1][1] = one
        else:
            runs.append([one, one])
    return f"r{number}" + "".join(f":{first}-{last}" for first, last in runs) + f".{_number(share)}"


def changed_by(text: str) -> tuple[int, list[tuple[int, int]]]:
    """The number of the filter, and the paints that it changes (first and last of each run), of what ``changed_layer`` wrote but for its share."""
    head, *runs = text.split(":")
    ends = [run.split("-") for run in runs]
    return int(head[1:]), [(int(first), int(last)) for first, last in ends]


def is_filtered(text: str) -> bool:
    """Whether a filter made anything of a text."""
    return any(found[5] for found in _LAYER.finditer(text))


def layers_in(text: str) -> int:
    """How many layers a text has."""
    return sum(1 for _ in _LAYER.finditer(text))


def mixed_layer(text: str, share: float, *, fades: bool) -> str:
    """What is mixed, of which the alpha counts if it fades."""
    first, last = "()" if fades else "[]"
    return f"{first}{text}{last}{_number(share)}"


def laid_over(own: str, below: str, blend: str = "") -> str:
    """One layer over another; blend is a name of ``BLENDS``, or empty."""
    return f"{own}{blend or _OVER}{below}"


def seen_through(own: str, mask: str, *, light: bool) -> str:
    """One layer through the light of another, or through its alpha."""
    return f"{own}{_LIT if light else _THROUGH}{mask}"


@dataclass(frozen=True, slots=True, eq=False)
class Sources:
    """What layers name: gradients and pictures of a drawing, which is ``extent`` large, and what its filters make of some paints, by the
    text of that."""

    gradients: Sequence[Gradient]
    inlays: Sequence[Inlay]
    extent: float
    label: str
    changed: Callable[[str], Painting]


@dataclass(frozen=True, slots=True, eq=False)
class _Layer(Painting):
    """What gives colours (one, if it is no ``Painting``), how much of it is there, and whether its own alpha counts."""

    paint: Painting | Floats
    share: float
    fades: bool
    side: int

    def at(self, points: Floats) -> Floats:
        """See ``Painting.at``."""
        if isinstance(self.paint, Painting):
            found = self.paint.at(points).copy()
            found[..., 3] = found[..., 3] * self.share if self.fades else self.share
            return found
        return np.broadcast_to(np.array([*self.paint, self.share]), (*points.shape[:-1], 4))


@dataclass(frozen=True, slots=True, eq=False)
class Mixture(Painting):
    """Two layers, and what is done to them."""

    top: _Layer
    how: str
    below: _Layer
    side: int

    def at(self, points: Floats) -> Floats:
        """See ``Painting.at``."""
        own, other = self.top.at(points), self.below.at(points)
        if self.how not in (_THROUGH, _LIT):
            return over(own, other, "" if self.how == _OVER else self.how)
        shows = other[..., 3] * (other[..., :3] @ LIGHT if self.how == _LIT else 1.0)
        return np.concatenate([own[..., :3], own[..., 3:] * shows[..., None]], axis=-1)


@dataclass(slots=True, eq=False)
class _Reader:
    """Reads a text from its start."""

    text: str
    sources: Sources
    at: int = 0

    def wrong(self) -> InputError:
        return InputError(f"{self.sources.label} has no paint {self.text[:40]!r}")

    def painting(self) -> Painting:
        """A layer, or two with what is done to them."""
        top = self._layer()
        how = _HOW.match(self.text, self.at)
        if how is None:
            return top
        self.at = how.end()
        below = self._layer()
        return Mixture(top, how[0], below, max(top.side, below.side))

    def _layer(self) -> _Layer:
        first = self.text[self.at : self.at + 1]
        if first in ("(", "["):
            self.at += 1
            inner = self.painting()
            share = self.text[self.at + 1 : self.at + 5]
            if self.text[self.at : self.at + 1] != {"(": ")", "[": "]"}[first] or not re.fullmatch(
                "[0-9a-f]{4}", share
            ):
                raise self.wrong()
            self.at += 5
            return _Layer(inner, int(share, 16) / _STEPS, first == "(", inner.side)
        found = _LAYER.match(self.text, self.at)
        if found is None:
            raise self.wrong()
        self.at = found.end()
        colour, plain, kind, number, changed, share = found.groups()
        if colour:
            three = np.array([int(colour[at : at + 4], 16) for at in (0, 4, 8)]) / _STEPS
            return _Layer(three, int(plain, 16) / _STEPS, False, 1)
        if changed:
            made = self.sources.changed(changed)
            return _Layer(made, int(share, 16) / _STEPS, True, made.side)
        among = self.sources.inlays if kind == "i" else self.sources.gradients
        if int(number) >= len(among):
            raise self.wrong()
        one = among[int(number)]
        if isinstance(one, Inlay):
            picture = InlaidPicture.of(one, self.sources.extent, self.sources.label)
            return _Layer(picture, int(share, 16) / _STEPS, True, picture.side)
        return _Layer(one, int(share, 16) / _STEPS, kind != "f", one.side)


def painting_of(text: str, sources: Sources) -> Painting:
    """What a text says. InputError for what says nothing, or names what is not there."""
    reader = _Reader(text, sources)
    if len(text) > LONGEST:
        raise reader.wrong()
    found = reader.painting()
    if reader.at != len(text):
        raise reader.wrong()
    return found
