"""The seam of a loop: a cycle that does not close, or a turn whose last frame repeats the first."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.shot import Shot


def _look(shot: Shot) -> Iterator[Finding]:
    for number, element in enumerate(shot.elements):
        turns = element.turn.turns
        if not element.delivered or turns == 0:
            continue
        whole = float(turns).is_integer()
        if shot.timing.cycle and not whole:
            near = max(1, round(abs(turns))) * (1 if turns > 0 else -1)
            yield Finding(
                "open-cycle",
                "warning",
                f"{element.name} turns {turns:g} times, so the cycle jumps where it starts again.",
                f"elements.{number}.turn.turns",
                "time",
                shot.timing.last,
                {f"elements.{number}.turn.turns": near},
                f"Turn {near} times",
            )
        if not shot.timing.cycle and whole and len(shot.timing.frames) > 2:
            yield Finding(
                "doubled-frame",
                "hint",
                f"{element.name} ends where it began: played as a loop, frame {shot.timing.last} repeats frame "
                f"{shot.timing.first} and hitches.",
                "timing.cycle",
                "time",
                shot.timing.last,
                {"timing.cycle": True},
                "Make it a cycle",
            )


checks.register(Check("seam", _look))
