"""Which of many files make a sequence, and in what order: by the number in their names, not by the names."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from pathlib import PurePosixPath

#: The last number of a name before its ending. A sign counts where nothing stands before it but a separator.
_NUMBERED = re.compile(r"^(?P<before>.*?)(?P<number>(?:(?<![0-9A-Za-z])-)?\d+)(?P<after>\D*)$")
#: A gap is held for so many pictures at most; beyond that files follow one another.
_LONGEST_GAP = 10_000
#: Names that a note tells.
_TOLD = 5


@dataclass(frozen=True, slots=True)
class Order:
    """The file of each picture, in order (a missing one is the one before it), and what people should know."""

    files: tuple[str, ...]
    notes: tuple[str, ...]


def number_of(name: str) -> tuple[str, int, str] | None:
    """What stands before the number in a file's name, the number, and what stands after it; none if it has no number."""
    path = PurePosixPath(name)
    found = _NUMBERED.match(path.stem)
    if found is None:
        return None
    return str(path.parent / found["before"]), int(found["number"]), found["after"] + path.suffix.lower()


def _few(names: Sequence[str]) -> str:
    told = ", ".join(PurePosixPath(one).name for one in names[:_TOLD])
    return told if len(names) <= _TOLD else f"{told} and {len(names) - _TOLD} more"


def _missing(numbers: Sequence[int], step: int) -> list[tuple[int, int]]:
    """First and last of each stretch of numbers that are not there."""
    return [(a + step, b - step) for a, b in pairwise(numbers) if b - a > step]


def in_order(names: Sequence[str]) -> Order:
    """The order of files of which there is at least one. Of several sequences the longest is taken (the first by name among equals)."""
    groups: dict[tuple[str, str], list[tuple[int, str]]] = {}
    rest: list[str] = []
    for name in sorted(names):
        found = number_of(name)
        if found is None:
            rest.append(name)
        else:
            groups.setdefault((found[0], found[2]), []).append((found[1], name))
    if not groups or (len(rest) > 1 and all(len(group) == 1 for group in groups.values())):
        files = sorted(names)
        said = "the names have no numbers: the pictures follow one another as the names do"
        return Order(tuple(files), (said,) if len(files) > 1 else ())
    key = max(groups, key=lambda one: (len(groups[one]), [-ord(letter) for letter in "".join(one)]))
    notes: list[str] = []
    others = sorted([*rest, *(name for one, group in groups.items() if one != key for _, name in group)])
    if others:
        notes.append(f"not of this sequence, left out: {_few(others)}")
    by_number: dict[int, str] = {}
    doubled: list[str] = []
    for number, name in sorted(groups[key]):
        if number in by_number:
            doubled.append(name)
        else:
            by_number[number] = name
    if doubled:
        notes.append(f"numbers that are there twice, the second one left out: {_few(doubled)}")
    numbers = list(by_number)
    steps = [b - a for a, b in pairwise(numbers)]
    # Two alone may as well lack what is between them.
    step = min(steps) if len(steps) > 1 else 1
    if step > 1 and any(one % step for one in steps):
        step = 1
    if step > 1:
        notes.append(f"numbered in steps of {step}: the pictures follow one another")
    gaps = _missing(numbers, step)
    if gaps:
        told = ", ".join(f"{a}" if a == b else f"{a} to {b}" for a, b in gaps[:_TOLD])
        left = len(gaps) - _TOLD
        more = f" and {left} more gap{'s' if left > 1 else ''}" if left > 0 else ""
        held = max((b - a) // step + 1 for a, b in gaps) <= _LONGEST_GAP
        does = "the picture before is held" if held else "the pictures follow one another"
        notes.append(f"missing: {told}{more}; {does}")
        if held:
            held_files = [by_number[numbers[0]]]
            for a, b in pairwise(numbers):
                held_files += [by_number[a]] * ((b - a) // step - 1) + [by_number[b]]
            return Order(tuple(held_files), tuple(notes))
    return Order(tuple(by_number[number] for number in numbers), tuple(notes))
