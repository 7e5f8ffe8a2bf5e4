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
#: Number of the texture whose values are how much of a surface is there (0: all of it); how many rays it stops, of one.
ALPHA_MAP, STOPS = MAP_TURN + 2, MAP_TURN + 3
#: The finish that a row stands for.
OWNER = STOPS + 1
FINISH_ROW = OWNER + 1
#: What stands in the column SHADING.
METAL_ROUGH, TONE_BANDS, UNLIT, SHADOW_ONLY = 0, 1, 2, 3

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
    shadow_only: bool = False,
    mirror: float = 0.0,
    opacity: float = 1.0,
    maps: Sequence[int] = (0, 0, 0, 0, 0),
    map_lies: int = FRONT,
    map_width: float = 1.0,
    map_turn: float = 0.0,
    alpha_map: int = 0,
    stops: float | None = None,
) -> tuple[float, ...]:
    """Numbers of one finish, colours linear. tones: (amount of light from which on it holds, colour), rising, 2 to 5.

    maps, map_lies, map_turn in degrees and map_width are what MAPS and the columns after it say.
    alpha_map and stops (None: as opaque as it is) are those of ALPHA_MAP and STOPS. What is shadow_only is black where light is kept from it,
    elsewhere not there, and stops no rays; mirror, its metalness, is how strong it shows the set in alpha.
    Tone bands and unlit surfaces mirror nothing: their roughness is 1.
    """
    if shadow_only:
        base, emission, stops = (0.0, 0.0, 0.0), (0.0, 0.0, 0.0), 0.0
    if tones or unlit or shadow_only:
        roughness, metalness, coat = (
            roughness if shadow_only and mirror > 0 else 1.0,
            mirror if shadow_only else 0.0,
            0.0,
        )
    if not (tones or unlit or shadow_only or coat or alpha_map or any(maps)) and opacity >= 1:
        return (*base, roughness, metalness, *emission)
    starts = [start for start, _ in tones[1:]]
    starts += [0.0] * (MOST_TONES - 1 - len(starts))
    colours = [value for _, colour in tones for value in colour]
    colours += [0.0] * (3 * MOST_TONES - len(colours))
    kind = SHADOW_ONLY if shadow_only else TONE_BANDS if tones else UNLIT if unlit else METAL_ROUGH
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
        float(alpha_map),
        opacity if stops is None else stops,
    )


def opacity_of(row: Sequence[float]) -> float:
    """How much of what is behind a finish it hides, 0 to 1."""
    return row[OPACITY] if len(row) > OPACITY else 1.0


def stops_of(row: Sequence[float]) -> float:
    """How many of the rays that meet a finish it stops, of one."""
    return row[STOPS] if len(row) > STOPS else opacity_of(row)


def lets_through(row: Sequence[float]) -> bool:
    """Whether something behind a finish may be seen through it."""
    return opacity_of(row) < 1 or (len(row) > STOPS and (row[ALPHA_MAP] > 0 or row[SHADING] == SHADOW_ONLY))


def faded(row: Sequence[float], share: float) -> tuple[float, ...]:
    """The same finish of which only a share is left."""
    if share >= 1:
        return tuple(row)
    if len(row) <= STOPS:
        plain = finish_row(row[:3], row[3], row[4], row[5:8], opacity=0.5)  # type: ignore[arg-type]
        row = (*row[:8], *plain[8:OPACITY], 1.0, *plain[OPACITY + 1 : STOPS], 1.0)
    return (*row[:OPACITY], row[OPACITY] * share, *row[OPACITY + 1 : STOPS], row[STOPS] * share, *row[STOPS + 1 :])


def made_opaque(row: Sequence[float]) -> tuple[float, ...]:
    """The same finish, hiding all that is behind it."""
    if len(row) <= STOPS:
        return tuple(row)
    return (*row[:OPACITY], 1.0, *row[OPACITY + 1 : ALPHA_MAP], 0.0, 1.0, *row[STOPS + 1 :])
