"""What a reader should find in files, worked out by the published formulas, which are written down here once more: nothing is taken from
what writes files but the record of what was chosen. Nothing is clipped: light that a file's numbers cannot hold is a difference.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.formats._base import Loss, Plane
from zeitbild.formats._coding import Coding
from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.render.picture import NO_DEPTH

#: Rounding allows half a code value; float arithmetic in two orders may differ by a little more.
ALLOWED = 0.5 + 2e-3
#: Pixels of a side of what counts as one place where something is lost.
_PLACE = 5
#: Pixels a side of the picture of a worst place.
_CLOSE = 48


def allowed_by(coding: Coding) -> float:
    """The largest distance in code values that a coding allows: noise against steps is up to a whole one."""
    return ALLOWED + (0.5 if coding.dithered else 0)


@parallel_kernel
def _far(found, premultiplied, middles, belows, aboves, top, worst, stray):  # type: ignore[no-untyped-def]
    """How far codes [H, W, 4] of straight colour are from light [H, W, 4], in codes, at worst in each row; and pixels with colour under
    zero alpha. middles are the light that stands in the middle of each code, belows and aboves the codes that a unit of light is below and
    above it."""
    for y in numba.prange(found.shape[0]):
        most, under = worst[y], 0
        for x in range(found.shape[1]):
            alpha = float(premultiplied[y, x, 3])
            code = int(found[y, x, 3])
            most = max(most, abs(code - alpha * top))
            if code == 0:
                under += found[y, x, 0] != 0 or found[y, x, 1] != 0 or found[y, x, 2] != 0
                continue
            for k in range(3):
                value = float(premultiplied[y, x, k])
                if alpha != 1.0:
                    value /= max(alpha, 1e-12)
                own = int(found[y, x, k])
                off = value - middles[own]
                most = max(most, off * aboves[own] if off >= 0.0 else -off * belows[own])
        worst[y], stray[y] = most, under


def encode(name: str, light: NDArray[np.floating]) -> NDArray[np.floating]:
    """Encoded values of light, any shape, by the curve of that name: IEC 61966-2-1, ITU-R BT.709-6 (1.2), a power of 1/2.2, or none."""
    if name == "srgb":
        return np.where(light <= 0.0031308, 12.92 * light, 1.055 * np.maximum(light, 0.0031308) ** (1 / 2.4) - 0.055)
    if name == "rec709":
        return np.where(light < 0.018, 4.5 * light, 1.099 * np.maximum(light, 0.018) ** 0.45 - 0.099)
    return np.maximum(light, 0) ** (1 / 2.2) if name == "gamma22" else light


def decode(name: str, encoded: NDArray[np.float64]) -> NDArray[np.float64]:
    """Light of encoded values, by the same formulas solved for it; below zero straight on."""
    if name == "srgb":
        return np.where(encoded <= 0.04045, encoded / 12.92, ((np.maximum(encoded, 0.04045) + 0.055) / 1.055) ** 2.4)
    if name == "rec709":
        return np.where(encoded < 0.081, encoded / 4.5, ((np.maximum(encoded, 0.081) + 0.099) / 1.099) ** (1 / 0.45))
    return np.maximum(encoded, 0) ** 2.2 if name == "gamma22" else encoded


@lru_cache(maxsize=16)
def _borders(name: str, top: int) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """The light in the middle of each code, by the published formula the other way round, and how many codes a unit of light is below and
    above it, whose borders are half a code away; below zero and above one as the curve goes on."""
    borders, middles = decode(name, (np.arange(-1, top + 1) + 0.5) / top), decode(name, np.arange(top + 1) / top)
    borders[0] = -borders[1]
    return middles, 0.5 / (middles - borders[:-1]), 0.5 / (borders[1:] - middles)


def _straight(found: NDArray[Any], plane: Plane, top: int, coding: Coding) -> tuple[float, int]:
    """``difference`` of straight colour that was rounded (or broken up by noise)."""
    worst, stray = np.zeros(len(found)), np.zeros(len(found), np.int64)
    with PARALLEL:
        _far(found, np.ascontiguousarray(plane.pixels), *_borders(coding.transfer.name, top), float(top), worst, stray)
    return float(worst.max(initial=0)), int(stray.sum())


def difference(found: NDArray[Any], plane: Plane, top: int, coding: Coding | None = None) -> tuple[float, int]:
    """The largest distance in code values of numbers [H, W, C] read, and how many pixels have colour under zero alpha that they
    should not have."""
    coding = coding or Coding()
    if plane.role in ("colour", "light") and found.dtype.kind == "u" and not (coding.premultiplied or coding.bled):
        return _straight(np.ascontiguousarray(found), plane, top, coding)
    found = found.astype(np.float64)
    numbers = plane.pixels.astype(np.float64)
    if plane.role in ("colour", "light"):
        visible = found[..., 3] > 0
        wanted = encoded(numbers[visible], coding) * top
        off = np.abs(found[visible][:, :3] - wanted).max(initial=0)
        worst = max(float(np.abs(found[..., 3] - numbers[..., 3] * top).max(initial=0)), float(off))
        under = found[~visible][:, :3]
        if coding.bled and visible.any():
            return worst, _not_among(under, found[visible][:, :3])
        return worst, int(under.any(axis=1).sum())
    if plane.role == "coverage":
        return float(np.abs(found[..., 0] - numbers.clip(0, 1) * top).max(initial=0)), 0
    if plane.role == "depth":
        near, far = plane.spread[0]
        there = numbers < NO_DEPTH
        expected = np.where(there, top * (1 - (np.clip(numbers, near, far) - near) / (far - near)), 0)
        return float(np.abs(found[..., 0] - expected).max(initial=0)), 0
    there = np.ones(numbers.shape[:2], bool) if plane.there is None else plane.there
    worst = float(found[~there].max(initial=0))
    for k, (low, high) in enumerate(plane.spread):
        back = low + found[..., k][there] / top * (high - low)
        off = np.abs(back - numbers[..., k][there].clip(low, high)) / (high - low) * top
        worst = max(worst, float(off.max(initial=0)))
    return worst, 0


def encoded(premultiplied: NDArray[np.floating], coding: Coding) -> NDArray[np.floating]:
    """Colour [..., 3] in 0..1 as a coding writes it, of premultiplied linear light [..., 4]."""
    alpha = premultiplied[..., 3:]
    colour = encode(coding.transfer.name, premultiplied[..., :3] / np.maximum(alpha, 1e-12))
    return colour * alpha if coding.premultiplied else colour


def _not_among(some: NDArray[np.float64], every: NDArray[np.float64]) -> int:
    """How many colours [n, 3] stand nowhere among others [m, 3]."""
    scale = np.array([1.0, 65536.0, 65536.0**2])
    return int((~np.isin(some @ scale, every @ scale)).sum())


def loss(found: NDArray[np.floating], plane: Plane, coding: Coding, allowed: tuple[float, float, float]) -> Loss:
    """How far straight or premultiplied colour and alpha [H, W, 4] in 0..1, as a file of some loss holds them, are from a plane of
    colour or light; allowed are mean, worst and alpha in levels of 255. The worst is that of a place, not of a pixel: dots of which a
    tone is made, and colours that two pixels share, are no fault."""
    height, width = found.shape[:2]
    off = np.empty((height, width, 3), np.float32)
    total, count, alpha = np.zeros(height), np.zeros(height, np.int64), np.zeros(height)
    pixels = np.ascontiguousarray(plane.pixels), np.ascontiguousarray(found, np.float32)
    with PARALLEL:
        _lost(*pixels, _curve(coding.transfer.name), coding.premultiplied, off, total, count, alpha)
    places = cv2.blur(off, (_PLACE, _PLACE), borderType=cv2.BORDER_REFLECT)
    farthest, column = np.zeros(height, np.float32), np.zeros(height, np.int64)
    with PARALLEL:
        _farthest(places, farthest, column)
    row = int(farthest.argmax())
    worst = float(farthest[row]) * 255
    mean = float(total.sum()) / max(int(count.sum()), 1) * 255
    closeup = _closeup(found, plane.pixels, coding, (row, int(column[row]))) if worst > 0 else None
    return Loss(mean, worst, float(alpha.max(initial=0)) * 255, *allowed, closeup)


def _closeup(
    found: NDArray[np.floating], pixels: NDArray[np.float32], coding: Coding, place: tuple[int, int]
) -> NDArray[np.uint8]:
    """The surroundings of a place (row, column) over grey, as it should be and as it is."""
    corner = [max(0, min(at - _CLOSE // 2, size - _CLOSE)) for at, size in zip(place, pixels.shape[:2], strict=True)]
    own = tuple(slice(at, at + _CLOSE) for at in corner)
    wanted, is_there = encoded(pixels[own].astype(np.float64), coding), np.asarray(found[own], np.float64)
    shown = []
    for colour, alpha in ((wanted, pixels[own][..., 3:]), (is_there[..., :3], is_there[..., 3:])):
        times = colour if coding.premultiplied else colour * alpha
        over = np.clip(times + 0.5 * (1 - alpha), 0, 1)
        whole = np.full((_CLOSE, _CLOSE, 3), 128, np.uint8)
        whole[: over.shape[0], : over.shape[1]] = np.round(over * 255)
        shown.append(whole)
    return np.stack(shown)


@parallel_kernel
def _lost(premultiplied, found, curve, times_alpha, off, total, count_of, alpha):  # type: ignore[no-untyped-def]
    """What found [H, W, 4] differs by from light [H, W, 4] as it is laid over black: off [H, W, 3], of each row the total of the largest
    channels and how many pixels something stands in, and the largest difference of alpha."""
    zero, one, least = np.float32(0), np.float32(1), np.float32(1e-12)
    last = np.float32(curve.shape[0] - 2)
    width = found.shape[1]
    for y in numba.prange(found.shape[0]):
        given, read = premultiplied[y].reshape(-1), found[y].reshape(-1)
        pairs, new = given.view(np.uint64), np.ones(width, np.uint8)
        # What is the same as its left neighbour is worked out once: most of a row often is.
        for x in range(1, width):
            new[x] = (pairs[2 * x] != pairs[2 * x - 2]) | (pairs[2 * x + 1] != pairs[2 * x - 1])
        places, which, count = np.empty(3 * width, np.float32), np.empty(width, np.int32), 0
        for x in range(width):
            if new[x]:
                part = one / max(given[4 * x + 3], least)
                for k in range(3):
                    places[count + k] = given[4 * x + k] * part
                count += 3
            which[x] = count - 3
        # By itself this goes over many numbers at once.
        for i in range(count):
            places[i] = np.sqrt(min(max(places[i], zero), one)) * last
        for i in range(count):
            low = np.int32(places[i])
            places[i] = curve[low] + (curve[low + 1] - curve[low]) * (places[i] - np.float32(low))
        sum_of_row, seen, most_alpha, lost = zero, 0, zero, off[y].reshape(-1)
        for x in range(width):
            own, there, at = given[4 * x + 3], read[4 * x + 3], which[x]
            # As browsers lay it: where little is seen, little is lost.
            scale = one if times_alpha else there
            red = read[4 * x] * scale - places[at] * own
            green = read[4 * x + 1] * scale - places[at + 1] * own
            blue = read[4 * x + 2] * scale - places[at + 2] * own
            lost[3 * x], lost[3 * x + 1], lost[3 * x + 2] = red, green, blue
            sum_of_row += max(abs(red), max(abs(green), abs(blue)))
            most_alpha = max(most_alpha, abs(own - there))
            # Of what is clear the mean would tell nothing.
            seen += (own > zero) | (there > np.float32(0.5 / 255))
        total[y], count_of[y], alpha[y] = sum_of_row, seen, most_alpha


@parallel_kernel
def _farthest(places, farthest, column):  # type: ignore[no-untyped-def]
    """Of each row [H, W, 3] the largest distance from zero and the column in which it is."""
    for y in numba.prange(places.shape[0]):
        most = farthest[y]
        for x in range(places.shape[1]):
            own = max(abs(places[y, x, 0]), abs(places[y, x, 1]), abs(places[y, x, 2]))
            if own > most:
                most = own
                column[y] = x
        farthest[y] = most


@lru_cache(maxsize=8)
def _curve(name: str) -> NDArray[np.float32]:
    """Encoded values of evenly spaced square roots of light, the last one twice; between two of them a line is off by less than 1/200 of
    a level of 255."""
    values = encode(name, np.linspace(0, 1, 8193) ** 2)
    return np.append(values, values[-1]).astype(np.float32)


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
