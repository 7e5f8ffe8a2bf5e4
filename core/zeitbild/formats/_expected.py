"""What a reader should find in files, worked out by the published formulas, which are written down here once more: nothing is taken from
what writes files but the record of what was chosen. Nothing is clipped: light that a file's numbers cannot hold is a difference.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.formats._base import Plane
from zeitbild.formats._coding import Coding
from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.render.picture import NO_DEPTH

#: Rounding allows half a code value; float arithmetic in two orders may differ by a little more.
ALLOWED = 0.5 + 2e-3


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
