"""The list of files that a shot gives under its rule."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from zeitbild.document.shot import Shot
from zeitbild.errors import NamingError
from zeitbild.naming.rule import NamingRule

#: Frames at both ends and in the middle of each output whose names are compared one by one.
_CHECKED_NAMES = 1000


@dataclass(frozen=True, slots=True)
class Output:
    """One sequence: a layer's pass, its folder, its first and last file name, its count."""

    layer: str
    pass_name: str
    folder: str
    first: str
    last: str
    count: int


@dataclass(frozen=True, slots=True)
class Plan:
    """All sequences of a shot; ``hints`` are worth reading but stop nothing."""

    outputs: tuple[Output, ...]
    total: int
    hints: tuple[str, ...]


def file_name(rule: NamingRule, shot: Shot, layer: str, pass_name: str, version: int, frame: int, ext: str) -> str:
    """Relative path of one file of a shot."""
    return rule.name(
        project=shot.project, shot=shot.shot, layer=layer, pass_name=pass_name, version=version, frame=frame, ext=ext
    )


def plan_files(shot: Shot, *, version: int, ext: str, frames: Sequence[int] | None = None) -> Plan:
    """Folders, first and last names and counts; NamingError if names collide or cannot stand on every system."""
    rule = NamingRule.parse(shot.naming)
    numbers = shot.timing.frames if frames is None else frames
    ends = (numbers[0], numbers[-1])
    # Names of one output differ by their frames. Of two outputs they can be the same only at the same frame, unless the frame
    # stands between digits of other fields: the ends and a stretch of frames in between show both.
    middle = len(numbers) // 2
    checked = sorted(
        {*ends, *numbers[:_CHECKED_NAMES], *numbers[middle : middle + _CHECKED_NAMES], *numbers[-_CHECKED_NAMES:]}
    )
    outputs: list[Output] = []
    owners: dict[str, str] = {}
    folders: dict[str, list[str]] = {}
    for layer in shot.layers:
        for pass_name in layer.passes:
            first, last = (file_name(rule, shot, layer.name, pass_name, version, frame, ext) for frame in ends)
            what = f"{layer.name} / {pass_name}"
            for frame in checked:
                name = file_name(rule, shot, layer.name, pass_name, version, frame, ext)
                # Some file systems take capital and small letters for the same.
                owner = owners.setdefault(name.casefold(), what)
                if owner != what:
                    raise NamingError(
                        f"{owner} and {what} would both be called {name}; add {{layer}} or {{pass}}", "naming"
                    )
            folder = first.rpartition("/")[0]
            folders.setdefault(folder.casefold(), []).append(what)
            outputs.append(Output(layer.name, pass_name, folder, first, last, len(numbers)))
    hints = [
        f"{' and '.join(members)} share the folder {folder or '(top)'}; one folder for each sequence keeps them apart"
        for folder, members in folders.items()
        if len(members) > 1
    ]
    if rule.frame_digits == 1 and max(abs(number) for number in ends) > 9:
        hints.append("frame numbers have no fixed length, so 10 sorts before 9; write {frame:04}")
    if "{version" not in shot.naming:
        hints.append("names do not tell versions apart; add {version:03}")
    return Plan(tuple(outputs), sum(output.count for output in outputs), tuple(hints))
