"""Measure everything, print a table, compare with the last saved result; ``--save`` keeps this one."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

from bench import handing_off, layers, moving, performing, processes, standing, studio
from bench.timing import Figure
from zeitbild.document.reading import parse_shot

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


def _all() -> Iterator[Callable[[], Iterator[Figure]]]:
    yield processes.runs
    yield studio.thousand
    shot = parse_shot(processes.SHOT.read_text(encoding="utf-8"))
    from bench import rendering

    parts = (
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
    )
    for part in parts:
        yield lambda part=part: part(shot)
    yield layers.passes
    yield layers.layers
    yield layers.see_through
    yield standing.standing
    yield moving.time_desk
    yield performing.performing
    yield handing_off.handing_off
    yield processes.scaling
    yield processes.large
    yield processes.start_up
    yield processes.browser
    yield studio.cluster
    yield studio.people


def main() -> int:
    """Print the table; 0 always, since times are not asserted."""
    before = processes.saved(SAVED)
    medians: dict[str, float] = {}
    print(processes.describe())
    print(f"{'figure':<52} {'median':>9} {'':<4} {'spread':<18} {'goal':<16} ratio")
    for part in _all():
        for figure in part():
            medians[figure.name] = figure.median
            print(_line(figure, before.get(figure.name)), flush=True)
    if "--save" in sys.argv:
        SAVED.write_text(
            json.dumps({"machine": processes.describe(), "medians": medians}, indent=1) + "\n", encoding="utf-8"
        )
    return 0


if __name__ == "__main__":
    sys.exit(main())
