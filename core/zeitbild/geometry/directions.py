"""In which order a line of mixed directions is set: the Unicode bidirectional algorithm (UAX #9), run by run."""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass

from bidi import algorithm

#: Marks that begin and end isolates, which the library does not know: left out, they show nothing anyway.
_ISOLATES = "\u2066\u2067\u2068\u2069"


@dataclass(frozen=True, slots=True)
class Run:
    """Characters start to end of a line that run one way and are of one script."""

    start: int
    end: int
    rightwards: bool


def _levels(line: str) -> list[int]:
    """Embedding level of each character; those that are removed take that of the one before."""
    base = int(algorithm.get_base_level(line))
    storage = algorithm.get_empty_storage()
    storage["base_level"], storage["base_dir"] = base, ("L", "R")[base]
    algorithm.get_embedding_levels(line, storage)
    for number, character in enumerate(storage["chars"]):
        character["index"] = number
    algorithm.explicit_embed_and_overrides(storage)
    algorithm.resolve_weak_types(storage)
    algorithm.resolve_neutral_types(storage, False)
    algorithm.resolve_implicit_levels(storage, False)
    found = {character["index"]: character["level"] for character in storage["chars"]}
    levels: list[int] = []
    for number in range(len(line)):
        levels.append(found.get(number, levels[-1] if levels else base))
    # Rule L1: spaces at the end of a line run with the line.
    for number in range(len(line) - 1, -1, -1):
        if not line[number].isspace():
            break
        levels[number] = base
    return levels


def _script(character: str) -> str:
    """First word of a letter's name, which is that of its script; empty for what all scripts share."""
    if not unicodedata.category(character).startswith("L"):
        return ""
    return unicodedata.name(character, "").partition(" ")[0]


def without_isolates(line: str) -> str:
    """The line without marks that begin and end isolates."""
    return line.translate(dict.fromkeys(map(ord, _ISOLATES)))


def runs_of(line: str) -> list[Run]:
    """The runs of a line from left to right."""
    if not line:
        return []
    levels = _levels(line)
    starts, script = [0], _script(line[0])
    for number in range(1, len(line)):
        own = _script(line[number])
        if levels[number] != levels[number - 1] or (own and script and own != script):
            starts.append(number)
            script = own
        script = own or script
    ends = [*starts[1:], len(line)]
    pieces = [(levels[start], Run(start, end, levels[start] % 2 == 0)) for start, end in zip(starts, ends, strict=True)]
    # Rule L2: from the highest level down to the lowest odd one, whatever stands at it or above is turned round.
    for level in range(max(levels), 0, -1):
        at = 0
        while at < len(pieces):
            end = at
            while end < len(pieces) and pieces[end][0] >= level:
                end += 1
            pieces[at:end] = reversed(pieces[at:end])
            at = end + 1
    return [run for _, run in pieces]
