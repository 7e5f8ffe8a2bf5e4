"""Wavefront MTL: materials beside an OBJ."""

from __future__ import annotations

import math
from dataclasses import dataclass

from zeitbild.geometry.model.plain import Material, PlainModel


@dataclass(slots=True)
class Library:
    """Materials by their names, and the pictures that they name, by number."""

    materials: dict[str, Material]
    pictures: list[str]


def read_materials(text: str, model: PlainModel, into: Library) -> None:
    """Take in the materials of a file. Shininess becomes roughness as sqrt(2 / (Ns + 2)) (common practice, without a source); Pr and Pm
    say it outright."""
    own: Material | None = None
    for line in text.splitlines():
        words = line.split()
        if not words or words[0].startswith("#"):
            continue
        what, rest = words[0].lower(), words[1:]
        if what == "newmtl":
            name = " ".join(rest)[:80]
            own = into.materials[name] = Material(name)
            continue
        if own is None:
            continue
        try:
            _property(own, what, rest, model, into)
        except ValueError:
            raise model.damaged(f"its materials: {line.strip()[:60]!r}") from None


def _property(own: Material, what: str, rest: list[str], model: PlainModel, into: Library) -> None:
    def number() -> float:
        value = float(rest[0]) if rest else math.nan
        if not math.isfinite(value):
            raise ValueError
        return value

    def colour() -> tuple[float, float, float]:
        values = [float(word) for word in rest[:3]]
        if not values or not all(math.isfinite(one) for one in values):
            raise ValueError
        red, green, blue = (min(max(one, 0.0), 1.0) for one in (values if len(values) == 3 else values[:1] * 3))
        return red, green, blue

    if what == "kd":
        own.colour = colour()
    elif what == "ke":
        own.vivid = colour()
    elif what == "ns":
        own.roughness = min(1.0, math.sqrt(2 / (max(0.0, number()) + 2)))
    elif what == "pr":
        own.roughness = min(max(number(), 0.0), 1.0)
    elif what == "pm":
        own.metalness = min(max(number(), 0.0), 1.0)
    elif what == "d":
        own.opacity = min(max(number(), 0.0), 1.0)
    elif what == "tr":
        own.opacity = 1 - min(max(number(), 0.0), 1.0)
    elif what in ("map_kd", "map_ke", "norm") and rest:
        place = {"map_kd": 0, "map_ke": 4, "norm": 3}[what]
        name = _name(rest)
        if name not in into.pictures:
            into.pictures.append(name)
        pictures = list(own.pictures)
        pictures[place] = into.pictures.index(name)
        own.pictures = (pictures[0], pictures[1], pictures[2], pictures[3], pictures[4])
    elif what.startswith(("map_", "bump", "disp", "refl")):
        model.note(f"pictures of another kind in its materials ({what})")


#: Options before the name of a picture, and how many words each has at most behind it (numbers, but for these).
_OPTIONS = {"-s": 3, "-o": 3, "-t": 3, "-mm": 2}
_WORDS = ("on", "off")


def _name(words: list[str]) -> str:
    """The name of a picture, which may have spaces, behind its options."""
    at = 0
    while at < len(words) - 1 and words[at].startswith("-") and not _is_number(words[at]):
        option, at = words[at], at + 1
        if option == "-type" or option == "-imfchan":
            at += 1
            continue
        for _ in range(_OPTIONS.get(option, 1)):
            if at < len(words) - 1 and (_is_number(words[at]) or words[at] in _WORDS):
                at += 1
    return " ".join(words[at:])


def _is_number(word: str) -> bool:
    try:
        float(word)
    except ValueError:
        return False
    return True
