"""Measure everything, or parts by their names, print a table, compare with the last saved result; ``--save`` keeps this one."""

from __future__ import annotations

import json
import sys
import traceback
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from inspect import signature
from pathlib import Path

from bench import browsing, handing_off, layers, moving, performing, processes, rendering, standing, studio
from bench.timing import Figure, pace
from zeitbild.document.reading import parse_shot
from zeitbild.errors import InputError

SAVED = Path(__file__).parent / "last.json"


def _line(figure: Figure, before: float | None) -> str:
    spread = f"{figure.low:.1f} .. {figure.high:.1f}" if figure.low != figure.high else ""
    goal = (
        ""
        if figure.goal is None
        else f"{'>=' if figure.at_least else '<='} {figure.goal:g} {'holds' if figure.holds else 'MISSED'}"
    )
    ratio = f"{figure.median / before:.2f} x last" if before else ""
    return f"{figure.name:<52} {figure.median:>9.{2 if figure.unit == 'x' else 1}f} {figure.unit:<4} {spread:<18} {goal:<16} {ratio}"


#: All that is measured, in this order.
_PARTS: tuple[Callable[..., Iterator[Figure]], ...] = (
    processes.runs,
    studio.thousand,
    rendering.limits,
    rendering.pictures,
    rendering.rays,
    rendering.visibility,
    rendering.million,
    rendering.geometry,
    rendering.document,
    rendering.against_oracle,
    rendering.true_shape,
    rendering.blur,
    layers.passes,
    layers.layers,
    layers.see_through,
    standing.standing,
    moving.time_desk,
    performing.performing,
    handing_off.handing_off,
    processes.scaling,
    processes.large,
    processes.start_up,
    browsing.browser,
    browsing.sheet,
    browsing.beside_sound,
    studio.cluster,
    studio.people,
)


def chosen(names: Sequence[str]) -> list[Callable[[], Iterator[Figure]]]:
    """Parts by their names or those of their modules, all if none is given; InputError for a name that there is not."""
    shot = parse_shot(processes.SHOT.read_text(encoding="utf-8"))
    known = [(part.__module__.rpartition(".")[2], part.__name__, part) for part in _PARTS]
    for name in names:
        if not any(name in (module, own) for module, own, _ in known):
            parts = ", ".join(dict.fromkeys(own for _, own, _ in known))
            raise InputError(f"there is nothing to measure by the name of {name}; there are {parts}")
    wanted = [part for module, own, part in known if not names or module in names or own in names]
    return [partial(part, shot) if signature(part).parameters else part for part in wanted]


def main() -> int:
    """Print the table; times are not asserted. 1 if something could not be measured, 2 if something is asked for that there is not."""
    try:
        parts = chosen([one for one in sys.argv[1:] if one != "--save"])
    except InputError as error:
        print(error.message, file=sys.stderr)
        return 2
    processes.prepare()
    before = processes.saved(SAVED)
    medians: dict[str, float] = {}
    print(processes.describe())
    paces = [pace()]
    print(f"a plain loop takes {paces[0]:.0f} ms; figures of hours in which it takes another time cannot be compared")
    print(f"{'figure':<52} {'median':>9} {'':<4} {'spread':<18} {'goal':<16} ratio")
    broken = 0
    for part in parts:
        try:
            for figure in part():
                medians[figure.name] = figure.median
                print(_line(figure, before.get(figure.name)), flush=True)
        # What one part cannot measure is no reason to leave out the others.
        except Exception:
            broken += 1
            traceback.print_exc()
        paces.append(pace())
    print(f"meanwhile the plain loop took {min(paces):.0f} to {max(paces):.0f} ms")
    if "--save" in sys.argv:
        known = {} if len(parts) == len(_PARTS) else before
        machine = f"{processes.describe()}; a plain loop takes {min(paces):.0f} to {max(paces):.0f} ms"
        SAVED.write_text(
            json.dumps({"machine": machine, "medians": known | medians}, indent=1) + "\n", encoding="utf-8"
        )
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main())
