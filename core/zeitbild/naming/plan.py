"""The list of files that a shot gives under its rule."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from zeitbild.document.layers import Layer, Sharing
from zeitbild.document.shot import Shot
from zeitbild.errors import NamingError
from zeitbild.naming.rule import NamingRule

#: Frames at both ends and in the middle of each output whose names are compared one by one.
_CHECKED_NAMES = 1000
#: What stands for layer or pass in the name of a file that holds several.
ALL = "all"
#: What cannot stand in the code of a pass.
_ODD = re.compile(r"[^A-Za-z0-9_-]+")


@dataclass(frozen=True, slots=True)
class Wanted:
    """What of a shot is to be written: layers and passes by name (none: all that are on), and how many planes and frames share a file."""

    layers: tuple[str, ...] = ()
    passes: tuple[str, ...] = ()
    sharing: Sharing = "pass"
    #: A file holds all frames of its sequence.
    container: bool = False

    def rule_of(self, shot: Shot) -> NamingRule:
        """How files are named; NamingError says what is wrong with the shot's rule."""
        rule = NamingRule.parse(shot.naming)
        return rule.without_frame() if self.container else rule

    def layers_of(self, shot: Shot) -> tuple[Layer, ...]:
        """The layers, in the shot's order; NamingError if one is not there or off."""
        known = {layer.name: layer for layer in shot.layers_on}
        for name in self.layers:
            if name not in known:
                raise NamingError(
                    f"there is no layer {name[:40]!r} to be written; there are {', '.join(known)}", "layers"
                )
        return tuple(layer for layer in known.values() if not self.layers or layer.name in self.layers)

    def passes_of(self, layer: Layer) -> tuple[str, ...]:
        """The passes of a layer that are wanted."""
        return tuple(name for name in layer.passes if not self.passes or name in self.passes)


@dataclass(frozen=True, slots=True)
class Sequenced:
    """A sequence of files: layer and pass as they are called in names, and the (layer, pass) pairs that its files hold."""

    layer: str
    pass_code: str
    holds: tuple[tuple[str, str], ...]
    frames: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Output:
    """One sequence: a layer's pass, its folder, its first and last file name, its count, and its frames."""

    layer: str
    pass_name: str
    pass_code: str
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


def code_of(shot: Shot, pass_name: str) -> str:
    """What a pass is called in file names: the shot's own code for it, or its name without what cannot stand there."""
    return shot.pass_codes.get(pass_name) or _ODD.sub("-", pass_name).strip("-") or "pass"


def sequences(shot: Shot, wanted: Wanted, frames: Sequence[int]) -> list[Sequenced]:
    """The sequences of files that are written; NamingError if there is nothing to write."""
    every = tuple(frames)
    found: list[Sequenced] = []
    layers = [(layer, wanted.passes_of(layer), layer.frames_of(every)) for layer in wanted.layers_of(shot)]
    layers = [one for one in layers if one[1] and one[2]]
    if wanted.sharing == "pass":
        for layer, passes, own in layers:
            found += [Sequenced(layer.name, code_of(shot, name), ((layer.name, name),), own) for name in passes]
    elif wanted.sharing == "layer":
        found = [
            Sequenced(layer.name, ALL, tuple((layer.name, name) for name in passes), own)
            for layer, passes, own in layers
        ]
    elif layers:
        holds = tuple((layer.name, name) for layer, passes, _ in layers for name in passes)
        found = [Sequenced(ALL, ALL, holds, tuple(sorted({frame for _, _, own in layers for frame in own})))]
    if not found:
        raise NamingError("no layer has any of these passes and frames; there is nothing to write", "layers")
    return found


def file_name(rule: NamingRule, shot: Shot, layer: str, pass_code: str, version: int, frame: int, ext: str) -> str:
    """Relative path of one file of a shot."""
    return rule.name(
        project=shot.project, shot=shot.shot, layer=layer, pass_name=pass_code, version=version, frame=frame, ext=ext
    )


def plan_files(
    shot: Shot,
    *,
    version: int,
    ext: str,
    frames: Sequence[int] | None = None,
    wanted: Wanted | None = None,
    numbered: Sequence[tuple[int, int]] | None = None,
) -> Plan:
    """Folders, first and last names and counts; NamingError if names collide or cannot stand on every system. ``numbered`` are pairs of
    the number in a name and the frame that its file shows, if frames do not go by their own numbers."""
    wanted = wanted or Wanted()
    rule = wanted.rule_of(shot)
    outputs: list[Output] = []
    owners: dict[str, str] = {}
    # By their names in small letters: how the first one wrote it, and what lies in it.
    folders: dict[str, tuple[str, list[str]]] = {}
    hints: list[str] = []
    for one in sequences(shot, wanted, shot.timing.delivered if frames is None else frames):
        # What holds all frames has one name.
        numbers: Sequence[int] = one.frames[:1] if wanted.container else one.frames
        if numbered is not None and not wanted.container:
            own = set(one.frames)
            numbers = [number for number, frame in numbered if frame in own]
            if not numbers:
                hints.append(f"{one.layer} has none of the frames that are shown at this rate; it gets no files")
                continue
        # Names of one output differ by their frames. Of two outputs they can be the same only at the same frame, unless the frame
        # stands between digits of other fields: the ends and a stretch of frames in between show both.
        middle = len(numbers) // 2
        near = numbers[:_CHECKED_NAMES], numbers[middle : middle + _CHECKED_NAMES], numbers[-_CHECKED_NAMES:]
        first, last = (
            file_name(rule, shot, one.layer, one.pass_code, version, frame, ext) for frame in (numbers[0], numbers[-1])
        )
        what = f"{one.layer} / {one.holds[0][1] if len(one.holds) == 1 else ALL}"
        for frame in sorted({frame for stretch in near for frame in stretch}):
            name = file_name(rule, shot, one.layer, one.pass_code, version, frame, ext)
            # Some file systems take capital and small letters for the same.
            owner = owners.setdefault(name.casefold(), what)
            if owner != what:
                raise NamingError(_clash(owner, what, name, shot.naming), "naming")
        folder = first.rpartition("/")[0]
        folders.setdefault(folder.casefold(), (folder, []))[1].append(what)
        name = one.holds[0][1] if len(one.holds) == 1 else ALL
        outputs.append(Output(one.layer, name, one.pass_code, folder, first, last, len(numbers)))
        if not wanted.container and rule.frame_digits == 1 and max(numbers[0], numbers[-1]) > 9:
            hints.append("frame numbers have no fixed length, so 10 sorts before 9; write {frame:04}")
    if not outputs:
        raise NamingError("no frame is shown at this rate; there is nothing to write", "options.rate")
    hints = [
        f"{_some(members)} share the folder {folder or '(top)'}; one folder for each sequence keeps them apart"
        for folder, members in folders.values()
        if len(members) > 1
    ] + list(dict.fromkeys(hints))
    if "{version" not in shot.naming:
        hints.append("names do not tell versions apart; add {version:03}")
    return Plan(tuple(outputs), sum(output.count for output in outputs), tuple(hints))


def _some(members: list[str]) -> str:
    """Two of many, and how many more."""
    if len(members) <= 3:
        return " and ".join(members)
    return f"{', '.join(members[:2])} and {len(members) - 2} more"


def _clash(one: str, other: str, name: str, rule: str) -> str:
    """Two outputs under one name, and what to do."""
    same_layer = one.partition(" / ")[0] == other.partition(" / ")[0]
    field, what = ("{pass}", "passes") if same_layer else ("{layer}", "layers")
    mend = f"give one of the {what} another code" if field in rule else f"add {field}"
    return f"{one} and {other} would both be called {name}; {mend}"
