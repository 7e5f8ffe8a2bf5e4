"""Keys that lie outside of the range: what they say is never seen to its end."""

from __future__ import annotations

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.evaluate import moving_parts, name_of_part
from zeitbild.document.shot import Shot


def _look(shot: Shot) -> Iterator[Finding]:
    timing = shot.timing
    # One frame after a cycle stands what leads into its beginning.
    last = timing.last + (timing.step if timing.cycle else 0)
    for path, part in moving_parts(shot).items():
        frames = sorted({key.frame for track in part.moves.values() for key in track.keys})
        early, late = [at for at in frames if at < timing.first], [at for at in frames if at > last]
        name = name_of_part(shot, path)
        if late:
            yield Finding(
                "keys-after",
                "hint",
                f"{name} has {_keys(late)} after the last frame ({timing.last}).",
                f"{path}.moves",
                "time",
                timing.last,
                {"timing.last": late[-1]},
                f"End the range at frame {late[-1]}",
            )
        if early:
            mend = {"timing.first": early[0]} if early[0] >= 0 else {}
            yield Finding(
                "keys-before",
                "hint",
                f"{name} has {_keys(early)} before the first frame ({timing.first}).",
                f"{path}.moves",
                "time",
                timing.first,
                mend,
                f"Begin at frame {early[0]}" if mend else "",
            )


def _keys(frames: list[int]) -> str:
    named = ", ".join(map(str, frames[:4])) + (" …" if len(frames) > 4 else "")
    return f"a key at frame {named}" if len(frames) == 1 else f"keys at frames {named}"


checks.register(Check("keys-outside", _look))
