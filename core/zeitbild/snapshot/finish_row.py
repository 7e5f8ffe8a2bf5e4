"""A finish as the kernels take it: a row of numbers."""

from __future__ import annotations

import math
from collections.abc import Sequence

#: Columns: base colour 0-2, roughness, metalness, emission 5-7 (linear), then the following.
SHADING, COAT, COAT_ROUGHNESS, TONES, SOFTNESS, STARTS, COLOURS = 8, 9, 10, 11, 12, 13, 17
#: Tones that a row has room for; the first starts at 0, so there is one start less.
MOST_TONES = 5
OPACITY = COLOURS + 3 * MOST_TONES
#: Numbers, from 1 on, of the textures for base colour, roughness, metalness, normal and emission; how they
#: lie (below); the picture's turn (cosine and sine) divided by its width in the element's units.
MAPS, MAP_LIES, MAP_TURN = OPACITY + 1, OPACITY + 6, OPACITY + 7
#: The finish that a row stands for.
OWNER = MAP_TURN + 2
FINISH_ROW = OWNER + 1
#: What stands in the column SHADING.
METAL_ROUGH, TONE_BANDS, UNLIT = 0, 1, 2

#: How textures lie: straight through the front, on each of six sides, once round a ball or a column, or as the mesh is unwrapped.
FRONT, ALL_SIDES, ROUND_BALL, ROUND_COLUMN, UNWRAPPED = 0, 1, 2, 3, 4

Triple = tuple[float, float, float]


def finish_row(
    base: Triple = (1.0, 1.0, 1.0),
    roughness: float = 1.0,
    metalness: float = 0.0,
    emission: Triple = (0.0, 0.0, 0.0),
    *,
    coat: float = 0.0,
    coat_roughness: float = 0.0,
    tones: Sequence[tuple[float, Triple]] = (),
    softness: float = 0.0,
    unlit: bool = False,
    opacity: float = 1.0,
    maps: Sequence[int] = (0, 0, 0, 0, 0),
    map_lies: int = FRONT,
    map_width: float = 1.0,
    map_turn: float = 0.0,
) -> tuple[float, ...]:
    """Numbers of one finish, colours linear. tones: (amount of light from which on it holds, colour), rising, 2 to 5.

    maps, map_lies, map_turn in degrees and map_width are what MAPS and the columns after it say.
    Tone bands and unlit surfaces mirror nothing: their roughness is 1.
    """
    if tones or unlit:
        roughness, metalness, coat = 1.0, 0.0, 0.0
    if not (tones or unlit or coat or any(maps)) and opacity >= 1:
        return (*base, roughness, metalness, *emission)
    starts = [start for start, _ in tones[1:]]
    starts += [0.0] * (MOST_TONES - 1 - len(starts))
    colours = [value for _, colour in tones for value in colour]
    colours += [0.0] * (3 * MOST_TONES - len(colours))
    kind = TONE_BANDS if tones else UNLIT if unlit else METAL_ROUGH
    return (
        *base,
        roughness,
        metalness,
        *emission,
        float(kind),
        coat,
        coat_roughness,
        float(len(tones)),
        softness,
        *starts,
        *colours,
        opacity,
        *(float(number) for number in maps),
        float(map_lies),
        math.cos(math.radians(map_turn)) / map_width,
        math.sin(math.radians(map_turn)) / map_width,
    )


def opacity_of(row: Sequence[float]) -> float:
    """How much of what is behind a finish it hides, 0 to 1."""
    return row[OPACITY] if len(row) > OPACITY else 1.0


def made_opaque(row: Sequence[float]) -> tuple[float, ...]:
    """The same finish, hiding all that is behind it."""
    return (*row[:OPACITY], 1.0, *row[OPACITY + 1 :]) if len(row) > OPACITY else tuple(row)
