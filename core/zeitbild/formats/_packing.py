"""Rectangles beside one another on a sheet, as little of it empty as rows of them allow."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Sheet:
    """How large a sheet is, and where the corner of each rectangle lies on it."""

    width: int
    height: int
    places: tuple[tuple[int, int], ...]


def in_grid(count: int, width: int, height: int, between: int) -> Sheet:
    """Equal rectangles in rows and columns, as near a square as it goes."""
    best: Sheet | None = None
    for columns in range(1, count + 1):
        rows = -(-count // columns)
        if columns > 1 and -(-count // (columns - 1)) == rows:
            # As many rows with fewer columns.
            continue
        wide, high = columns * (width + between) - between, rows * (height + between) - between
        places = tuple((at % columns * (width + between), at // columns * (height + between)) for at in range(count))
        if best is None or max(wide, high) < max(best.width, best.height):
            best = Sheet(wide, high, places)
    assert best is not None
    return best


def packed(sizes: Sequence[tuple[int, int]], between: int) -> Sheet:
    """Rectangles (width, height) in rows, the highest first; of several widths of the sheet the one that gives the least area."""
    order = sorted(range(len(sizes)), key=lambda at: (-sizes[at][1], -sizes[at][0], at))
    area = sum((wide + between) * (high + between) for wide, high in sizes)
    least = max(wide for wide, _ in sizes)
    found: Sheet | None = None
    for tenths in range(8, 21):
        most = max(least, int(area**0.5 * tenths / 10))
        places = [(0, 0)] * len(sizes)
        x = y = row = width = 0
        for at in order:
            wide, high = sizes[at]
            if x and x + wide > most:
                x, y, row = 0, y + row + between, 0
            places[at] = x, y
            row = max(row, high)
            width = max(width, x + wide)
            x += wide + between
        sheet = Sheet(width, y + row, tuple(places))
        if found is None or sheet.width * sheet.height < found.width * found.height:
            found = sheet
    assert found is not None
    return found
