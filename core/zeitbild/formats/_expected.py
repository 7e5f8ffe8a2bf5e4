"""What a reader should find in files of whole numbers, worked out by the published formulas in numpy and from nothing that writes
them. Nothing is clipped here: light that the file's numbers cannot hold is a difference.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from zeitbild.formats._base import Loss, Plane
from zeitbild.formats._coding import Coding
from zeitbild.render.picture import NO_DEPTH

#: Rounding allows half a code value; float arithmetic in two orders may differ by a little more.
ALLOWED = 0.5 + 2e-3
#: Pixels of a side of what counts as one place where something is lost.
_PLACE = 5


def allowed_by(coding: Coding) -> float:
    """The largest distance in code values that a coding allows: noise against steps is up to a whole one."""
    return ALLOWED + (0.5 if coding.dithered else 0)


def difference(found: NDArray[np.float64], plane: Plane, top: int, coding: Coding | None = None) -> tuple[float, int]:
    """The largest distance in code values of numbers [H, W, C] read, and how many pixels have colour under zero alpha that they
    should not have."""
    coding = coding or Coding()
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


def encoded(premultiplied: NDArray[np.float64], coding: Coding) -> NDArray[np.float64]:
    """Colour [..., 3] in 0..1 as a coding writes it, of premultiplied linear light [..., 4]."""
    alpha = premultiplied[..., 3:]
    colour = coding.transfer.encode(premultiplied[..., :3] / np.maximum(alpha, 1e-12))
    return colour * alpha if coding.premultiplied else colour


def _not_among(some: NDArray[np.float64], every: NDArray[np.float64]) -> int:
    """How many colours [n, 3] stand nowhere among others [m, 3]."""
    scale = np.array([1.0, 65536.0, 65536.0**2])
    return int((~np.isin(some @ scale, every @ scale)).sum())


def loss(found: NDArray[np.float64], plane: Plane, coding: Coding, allowed: tuple[float, float, float]) -> Loss:
    """How far straight or premultiplied colour and alpha [H, W, 4] in 0..1, as a file of some loss holds them, are from a plane of
    colour or light; allowed are mean, worst and alpha in levels of 255. The worst is that of a place, not of a pixel: dots of which a
    tone is made, and colours that two pixels share, are no fault."""
    numbers = plane.pixels.astype(np.float64)
    own, wanted = found[..., :3], encoded(numbers, coding)
    if not coding.premultiplied:
        # As it is laid over black, as browsers do it: where little is seen, little is lost.
        own, wanted = own * found[..., 3:], wanted * numbers[..., 3:]
    off = np.abs(own - wanted).max(axis=2) * 255
    places = np.abs(cv2.blur(own - wanted, (_PLACE, _PLACE), borderType=cv2.BORDER_REFLECT)) * 255
    alpha = float(np.abs(found[..., 3] - numbers[..., 3]).max(initial=0)) * 255
    # Of what is clear the mean would tell nothing.
    there = (numbers[..., 3] > 0) | (found[..., 3] > 0.5 / 255)
    mean = float(off[there].mean()) if there.any() else 0.0
    return Loss(mean, float(places.max(initial=0)), alpha, *allowed)
