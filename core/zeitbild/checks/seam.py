"""The seam of a loop: a cycle that does not close since something turns in part, or a turn whose last frame repeats the first."""

from collections.abc import Iterator

from zeitbild.checks._alike import SEEN, apart, onwards
from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.document.shot import Shot


def _look(shot: Shot) -> Iterator[Finding]:
    for element in shot.elements:
        turns = element.turn.turns
        if not element.delivered or turns == 0:
            continue
        if not shot.timing.cycle and float(turns).is_integer() and len(shot.timing.frames) > 2:
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


def _look_at_set(view: SetView) -> Iterator[Finding]:
    shot = view.shot
    turning = [
        (number, element)
        for number, element in enumerate(shot.elements)
        if element.delivered and not float(element.turn.turns).is_integer()
    ]
    # What looks the same after a part of a turn, as a wheel of four spokes does after a quarter, closes the cycle all the same.
    if not (shot.timing.cycle and turning) or apart(onwards(view), view.snapshot(shot.timing.first)).worst < SEEN:
        return
    for number, element in turning:
        turns = element.turn.turns
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


checks.register(Check("seam", _look, _look_at_set))
