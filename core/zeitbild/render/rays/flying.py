"""Dots as mirror rays meet them: one after the other along a ray, each a disc across it, until nothing behind them is seen.

They are those of the picture (``visible.dots``): as large and as strong, no smaller than they are drawn there; what a streak draws out is discs in a
row.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import kernel
from zeitbild.render.light.dots import lit_dots
from zeitbild.render.visible.dots import SMALLEST
from zeitbild.render.world.ray_scene import BUFFER, INTERSECT16, PACKET, DotScene, cast_packet
from zeitbild.snapshot import Body, Snapshot

Floats = NDArray[np.float64]

_PACKET, _BUFFER = PACKET, BUFFER
_ZERO, _ONE = np.float32(0), np.float32(1)
_FAR, _EVERYTHING = np.float32(1e30), np.int32(-1)
#: Dots that a ray meets at most, and how little is left behind them that nobody sees.
_MOST, _NOTHING_LEFT = 64, np.float32(1 / 512)
#: How far behind a dot the next one is looked for, as a share of its distance.
_PAST = np.float32(1e-6)
#: Moments of the open shutter in which dots stand in mirrors at most: of many it takes long to make them ready.
_MOMENTS, _FEW_MOMENTS, _MANY = 64, 8, 20_000
#: Less than this of a ray is nothing.
_LEAST = 1e-4
#: Discs in a row that stand for a streak at most, and how much thinner its end is.
_DISCS, _THINNER = 24, 0.7
#: Columns of a dot's row: its middle, radius, strength, colour, whether it is soft, and whether it covers.
_X, _Y, _Z, _RADIUS, _STRENGTH, _RED, _GREEN, _BLUE, _SOFT, _COVERS, _COLUMNS = range(11)


class Flying(NamedTuple):
    """Dots as kernels take them: the address of the library's function, the handle of their scene, and their rows [n, 10] float32."""

    intersect: int
    scene: int
    rows: NDArray[np.float32]


@dataclass(frozen=True, slots=True, eq=False)
class FlyingScene:
    """Dots ready for rays, by all that decides them. It keeps that, and their scene, from being freed: hold it as long as kernels work with
    ``casting``, between whose parts others may draw."""

    key: tuple[Any, ...]
    held: tuple[Any, ...]
    casting: Flying


_last: list[FlyingScene] = []


def flying(snapshot: Snapshot) -> FlyingScene:
    """The dots of a set, in the middle of what of the shutter it is of; those of the last call, if nothing changed. Call it under
    ``kernels.PARALLEL``."""
    bodies = [body for body in snapshot.bodies if body.dots is not None and len(body.dots.radii)]
    if not bodies:
        return FlyingScene((), (), Flying(0, 0, np.empty((0, _COLUMNS), np.float32)))
    shines = snapshot.lights, snapshot.environment
    seen = snapshot.camera_position, snapshot.camera_target, snapshot.camera_angle, snapshot.camera_span, snapshot.width
    own = tuple((id(body.dots), body.matrix, body.fades) for body in bodies)
    count = sum(len(body.dots.radii) for body in bodies if body.dots is not None)
    moment = _middle(snapshot, _FEW_MOMENTS if count > _MANY else _MOMENTS)
    key = own, seen, snapshot.height, moment, shines
    if not _last or _last[0].key != key:
        rows = np.concatenate([_rows(body, snapshot, moment) for body in bodies])
        scene = DotScene(rows[:, : _RADIUS + 1]) if len(rows) else None
        casting = Flying(INTERSECT16, scene.handle if scene is not None else 0, rows)
        _last[:] = [FlyingScene(key, (scene, *(body.dots for body in bodies)), casting)]
    return _last[0]


def _middle(snapshot: Snapshot, moments: int) -> float:
    """When a picture is of, in frames from its own on: the middle of one of so many stretches of the open shutter."""
    opens, closes = snapshot.shutter or (0.0, 0.0)
    first, last = snapshot.part
    if first == 0 and last == 1:
        return (opens + closes) / 2
    number = min(int((first + last) / 2 * moments), moments - 1)
    return opens + (closes - opens) * (number + 0.5) / moments


def _rows(body: Body, snapshot: Snapshot, moment: float) -> NDArray[np.float32]:
    dots, camera = body.dots, snapshot.camera
    assert dots is not None
    matrix = np.array(body.matrix).reshape(4, 4)
    linear = matrix[:3, :3]
    opens, closes = snapshot.shutter or (0.0, 0.0)
    if dots.lit:
        dots = lit_dots(dots, matrix, snapshot)
    places = (dots.places + moment * dots.ways) @ linear.T + matrix[:3, 3]
    radii = dots.radii * abs(float(np.linalg.det(linear))) ** (1 / 3)
    strengths = dots.opacities * math.prod(one for _, one in body.fades)
    away = 1.0 if camera.parallel else np.linalg.norm(places - camera.eye, axis=1)
    held = np.maximum(radii, SMALLEST[dots.look] * away / camera.focal)
    # As much light as before: of a streak its width alone is too small.
    strengths = strengths * (radii / held) ** (1 if dots.look == "streak" else 2)
    colours = dots.colours.astype(np.float64)
    if dots.look == "streak":
        ends = (dots.tails - (closes - opens) * dots.ways) @ linear.T
        places, held, strengths, colours = _in_rows(places, ends, held, strengths, colours, plus=dots.plus)
    found = np.empty((len(places), _COLUMNS), np.float32)
    found[:, _X : _Z + 1], found[:, _RADIUS], found[:, _STRENGTH] = places, held, strengths
    found[:, _RED : _BLUE + 1], found[:, _SOFT], found[:, _COVERS] = colours, dots.look == "soft", not dots.plus
    there = (found[:, _STRENGTH] > _LEAST) & (found[:, _RADIUS] > 0) & np.isfinite(found).all(axis=1)
    return found[there]


def _in_rows(
    places: Floats, ends: Floats, radii: Floats, strengths: Floats, colours: Floats, *, plus: bool
) -> tuple[Floats, Floats, Floats, Floats]:
    """Streaks as discs from their heads on, thinner and fainter towards their ends: places, radii, strengths and colours."""
    lengths = np.linalg.norm(ends, axis=1)
    counts = np.clip(np.ceil(np.nan_to_num(lengths / np.maximum(radii, 1e-12))), 1, _DISCS).astype(int)
    which = np.repeat(np.arange(len(places)), counts)
    at = (np.arange(len(which)) - np.repeat(np.cumsum(counts) - counts, counts)) / counts[which]
    thin = radii[which] * (1 - _THINNER * at)
    # So many of them lie over one another about: together they are as strong as the streak is there.
    over = np.maximum(math.pi / 2 * thin * counts[which] / np.maximum(lengths[which], 1e-12), 1)
    strong = np.minimum(strengths[which] * (1 - at), 1)
    strong = strong / over if plus else 1 - (1 - strong) ** (1 / over)
    return places[which] + at[:, None] * ends[which], thin, strong, colours[which]


@kernel
def meet_dots(  # type: ignore[no-untyped-def]
    flying, valid, ray, lanes, flow, taken, left, mirrored, rayed, near, start, first
):
    """Add the light of the dots that rays of a packet meet on their ways (to where they hit something, if they do) to rayed, and take what they
    cover from flow and left; arguments as ``mirroring.mirror`` has them, where lanes rays of the packet belong to the fragments from ``start``
    on."""
    rows = flying.rows
    words = np.empty(_BUFFER, np.int32)
    own_lane = words[((64 - (words.ctypes.data & 63)) // 4) % _PACKET :]
    own = own_lane.view(np.float32)
    flags = np.empty(2 * _PACKET, np.int32)
    looks = flags[((64 - (flags.ctypes.data & 63)) // 4) % _PACKET :]
    light, through = np.zeros((_PACKET, 3), np.float32), np.ones(_PACKET, np.float32)
    far = np.empty(_PACKET, np.float32)
    for k in range(_PACKET):
        looks[k] = valid[k] if k < lanes else np.int32(0)
        for row in range(3):
            own[row * _PACKET + k], own[(4 + row) * _PACKET + k] = ray[row * _PACKET + k], ray[(4 + row) * _PACKET + k]
        own[3 * _PACKET + k], own[7 * _PACKET + k] = _ZERO, _ZERO
        far[k] = ray[8 * _PACKET + k]
        own_lane[9 * _PACKET + k], own_lane[10 * _PACKET + k] = _EVERYTHING, np.int32(k)
        own_lane[11 * _PACKET + k] = np.int32(0)
    for _ in range(_MOST):
        waiting = 0
        for k in range(_PACKET):
            own[8 * _PACKET + k] = far[k]
            own_lane[18 * _PACKET + k], own_lane[19 * _PACKET + k] = np.int32(-1), np.int32(-1)
            waiting += looks[k] != 0
        if waiting == 0:
            break
        cast_packet(flying.intersect, looks.ctypes.data, flying.scene, own.ctypes.data)
        for k in range(lanes):
            if looks[k] == 0:
                continue
            if own_lane[18 * _PACKET + k] < 0:
                looks[k] = np.int32(0)
                continue
            dot, away = rows[own_lane[17 * _PACKET + k]], own[8 * _PACKET + k]
            if mirrored[k] == 0:
                near[start + k] = max(near[start + k], _ONE / max(away, np.float32(1e-6)))
            square = _ZERO
            for c in range(3):
                off = own[c * _PACKET + k] + away * own[(4 + c) * _PACKET + k] - dot[c]
                square += off * off
            inside = max(_ONE - square / (dot[_RADIUS] * dot[_RADIUS]), _ZERO)
            part = dot[_STRENGTH] * (inside * inside if dot[_SOFT] > _ZERO else _ONE)
            for c in range(3):
                light[k, c] += through[k] * part * dot[_RED + c]
            through[k] *= _ONE - part * dot[_COVERS]
            if through[k] < _NOTHING_LEFT:
                looks[k] = np.int32(0)
            own[3 * _PACKET + k] = away + max(away * _PAST, np.float32(1e-12))
    for k in range(lanes):
        if valid[k] == 0:
            continue
        f, hidden = start + k, _ONE - through[k]
        if mirrored[k] == 0:
            rayed[f, first + 3] += left[k] * hidden
            left[k] *= through[k]
        for c in range(3):
            # What the surface before took from the environment here, dots hide as anything does.
            gone = hidden * taken[k, c] if mirrored[k] > 0 else _ZERO
            rayed[f, first + c] += flow[k, c] * (light[k, c] - gone)
            flow[k, c] *= through[k]
