"""What a file that loses something lost, of what should stand there.

All of it in one walk over rows, a band of them at a time: each row as it is in the file and as it should be, what they differ by, and the
mean of that over places of five times five. Written down as planes of their own these would be six times as large as the frame.
"""

from __future__ import annotations

from functools import lru_cache

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.colour.stretches import find_stretches, room_for, take_over
from zeitbild.formats._base import Loss, Plane
from zeitbild.formats._coding import Coding
from zeitbild.formats._expected import encode, encoded
from zeitbild.formats._from_luma import Luma, colours_of_row
from zeitbild.kernels import PARALLEL, kernel, parallel_kernel

#: Pixels of a side of what counts as one place where something is lost.
_PLACE = 5
#: Pixels a side of the picture of a worst place.
_CLOSE = 48
#: Rows that are looked through at a time; two more on either side have a say in their places.
_BAND = 48
#: Steps of the square roots of light in whose middles its curve is known: half of one is 1/200 of a level of 255 at most.
_STEPS = 65536
_ZERO, _ONE, _HALF, _LEAST = np.float32(0), np.float32(1), np.float32(0.5), np.float32(1e-12)
_SEEN = np.float32(0.5 / 255)
_ROOTS = np.float32(_STEPS)
_SIDE, _RIM = _PLACE, _PLACE // 2
_AREA = np.float32(_PLACE * _PLACE)
_NO_PIXELS = np.empty((0, 0, 4), np.float32)
_NO_PLANE = np.empty((0, 0), np.uint8)


def loss(found: NDArray[np.floating] | Luma, plane: Plane, coding: Coding, allowed: tuple[float, float, float]) -> Loss:
    """How far straight or premultiplied colour and alpha [H, W, 4] in 0..1, as a file of some loss holds them, are from a plane of
    colour or light; allowed are mean, worst and alpha in levels of 255. The worst is that of a place, not of a pixel: dots of which a
    tone is made, and colours that two pixels share, are no fault."""
    height, width = found.shape[:2]
    bands = -(-height // _BAND)
    farthest, place = np.zeros(bands, np.float32), np.zeros((bands, 2), np.int64)
    sums, room = np.zeros((bands, 3)), np.empty((bands, room_for(width), 2), np.uint64)
    if isinstance(found, Luma):
        planes = found.luma, found.blue, found.red, found.alpha, *found.shared, found.bits
        pixels = _NO_PIXELS
    else:
        planes = _NO_PLANE, _NO_PLANE, _NO_PLANE, _NO_PLANE, 1, 1, 8
        pixels = np.ascontiguousarray(found, np.float32)
    wanted = np.ascontiguousarray(plane.pixels, np.float32)
    with PARALLEL:
        _lost(
            wanted,
            pixels,
            *planes,
            _curve(coding.transfer.name),
            coding.premultiplied,
            room,
            farthest,
            place,
            sums,
        )
    band = int(farthest.argmax())
    worst = float(farthest[band]) * 255
    mean = float(sums[:, 0].sum()) / max(int(sums[:, 1].sum()), 1) * 255
    closeup = _closeup(found, wanted, coding, (int(place[band, 0]), int(place[band, 1]))) if worst > 0 else None
    return Loss(mean, worst, float(sums[:, 2].max(initial=0)) * 255, *allowed, closeup)


def _closeup(
    found: NDArray[np.floating] | Luma, pixels: NDArray[np.float32], coding: Coding, place: tuple[int, int]
) -> NDArray[np.uint8]:
    """The surroundings of a place (row, column) over grey, as it should be and as it is."""
    top, left = (max(0, min(at - _CLOSE // 2, size - _CLOSE)) for at, size in zip(place, pixels.shape[:2], strict=True))
    own = slice(top, top + _CLOSE), slice(left, left + _CLOSE)
    inside = pixels[own]
    is_there = found.cut(top, left, *inside.shape[:2]) if isinstance(found, Luma) else found[own]
    wanted = encoded(inside.astype(np.float64), coding)
    shown = []
    for colour, alpha in ((wanted, inside[..., 3:]), (is_there[..., :3], is_there[..., 3:])):
        times = colour if coding.premultiplied else colour * alpha
        over = np.clip(times + 0.5 * (1 - alpha), 0, 1)
        whole = np.full((_CLOSE, _CLOSE, 3), 128, np.uint8)
        whole[: over.shape[0], : over.shape[1]] = np.round(over * 255)
        shown.append(whole)
    return np.stack(shown)


@kernel
def _wanted_row(given, curve, ends, places, out):  # type: ignore[no-untyped-def]
    """Premultiplied light [W, 4] as encoded straight colour times alpha, and alpha: out [4, W]. places [W] is room."""
    count = find_stretches(given, ends)
    reds, greens, blues, shares = out[0], out[1], out[2], out[3]
    for number in range(count):
        first, end = ends[number, 0], ends[number, 1]
        for x in range(first, end):
            reds[x], greens[x], blues[x], shares[x] = given[x, 0], given[x, 1], given[x, 2], given[x, 3]
        for k in range(3):
            line = out[k]
            for x in range(first, end):
                part = line[x] * (_ONE / max(shares[x], _LEAST))
                # What is no number is nothing.
                part = part if part > _ZERO else _ZERO
                places[x] = np.int32(np.sqrt(part if part < _ONE else _ONE) * _ROOTS + _HALF)
            for x in range(first, end):
                line[x] = curve[np.uint32(places[x])] * shares[x]
        take_over(ends, number, count, out)


@kernel
def _within(at, size):  # type: ignore[no-untyped-def]
    """A place beyond the end of a row is that as far before it."""
    while at < 0 or at >= size:
        at = -at - 1 if at < 0 else 2 * size - 1 - at
    return at


@parallel_kernel
def _lost(  # type: ignore[no-untyped-def]
    premultiplied,
    pixels,
    luma,
    blue,
    red,
    alpha,
    across,
    down,
    bits,
    curve,
    times_alpha,
    room,
    farthest,
    place,
    sums,
):
    """What pixels [H, W, 4], or planes if there are none, differ by from light [H, W, 4], laid over black. Of each band: the largest mean
    of a place and where (row, column) it is; and into sums [B, 3] the total of pixels' largest channels, how many pixels something stands
    in, and the largest difference of alpha. room [B, n, 2] is for ``find_stretches``."""
    height, width = premultiplied.shape[:2]
    for band in numba.prange(farthest.shape[0]):
        first, end = band * _BAND, min(band * _BAND + _BAND, height)
        found, wanted = np.empty((4, width), np.float32), np.empty((4, width), np.float32)
        more, places = np.empty((4, width + 2), np.float32), np.empty(width, np.int32)
        off, largest = np.empty(width + 2 * _RIM, np.float32), np.empty(width, np.float32)
        # Differences of the last rows, each summed over its neighbours in the row.
        ring = np.empty((_SIDE, 3, width), np.float32)
        total, seen, shares = np.zeros(width, np.float32), np.zeros(width, np.int32), np.zeros(width, np.float32)
        most, where = np.zeros(width, np.float32), np.zeros(width, np.int32)
        for step in range(first - _RIM, end + _RIM):
            y = _within(step, height)
            if pixels.shape[0] > 0:
                for x in range(width):
                    for k in range(4):
                        found[k, x] = pixels[y, x, k]
            else:
                colours_of_row(y, luma, blue, red, alpha, across, down, bits, more, found)
            _wanted_row(premultiplied[y], curve, room[band], places, wanted)
            own, there = wanted[3], found[3]
            for x in range(width):
                largest[x] = _ZERO
            for k in range(3):
                line, should, summed = found[k], wanted[k], ring[(step - first + _RIM) % _SIDE, k]
                for x in range(width):
                    # As browsers lay it: where little is seen, little is lost.
                    scale = _ONE if times_alpha else there[x]
                    off[x + _RIM] = line[x] * scale - should[x]
                for x in range(width):
                    largest[x] = max(largest[x], abs(off[x + _RIM]))
                for i in range(_RIM):
                    off[_RIM - 1 - i] = off[_RIM + _within(-1 - i, width)]
                    off[_RIM + width + i] = off[_RIM + _within(width + i, width)]
                for x in range(width):
                    summed[x] = off[x] + off[x + 1] + off[x + 2] + off[x + 3] + off[x + 4]
            if first <= step < end:
                for x in range(width):
                    total[x] += largest[x]
                    shares[x] = max(shares[x], abs(own[x] - there[x]))
                    # Of what is clear the mean would tell nothing.
                    seen[x] += np.int32((own[x] > _ZERO) | (there[x] > _SEEN))
            if step < first + _RIM:
                continue
            for x in range(width):
                largest[x] = _ZERO
            for k in range(3):
                a, b, c, d, e = ring[0, k], ring[1, k], ring[2, k], ring[3, k], ring[4, k]
                for x in range(width):
                    largest[x] = max(largest[x], abs(a[x] + b[x] + c[x] + d[x] + e[x]))
            row = np.int32(step - _RIM)
            for x in range(width):
                is_more = largest[x] > most[x]
                most[x] = largest[x] if is_more else most[x]
                where[x] = row if is_more else where[x]
        column = 0
        for x in range(width):
            sums[band, 0] += total[x]
            sums[band, 1] += seen[x]
            sums[band, 2] = max(sums[band, 2], shares[x])
            if most[x] > most[column]:
                column = x
        farthest[band] = most[column] / _AREA
        place[band, 0], place[band, 1] = where[column], column


@lru_cache(maxsize=8)
def _curve(name: str) -> NDArray[np.float32]:
    """Encoded values of evenly spaced square roots of light."""
    return encode(name, np.linspace(0, 1, _STEPS + 1) ** 2).astype(np.float32)


def detail(plane: Plane, coding: Coding) -> float:
    """How far pixels of colour or light are from the mean of the place around them, in levels of 255, in the mean of what is seen."""
    # Half the precision will do, and half the memory.
    numbers = plane.pixels
    shown = encoded(numbers, coding)
    if not coding.premultiplied:
        shown = shown * numbers[..., 3:]
    off = np.abs(shown - cv2.blur(shown, (_PLACE, _PLACE), borderType=cv2.BORDER_REFLECT)).max(axis=2)
    seen = numbers[..., 3] > 0
    return float(off[seen].mean()) * 255 if seen.any() else 0.0
