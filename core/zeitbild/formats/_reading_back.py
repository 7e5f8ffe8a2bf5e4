"""Reading back files of whole numbers, of one frame each: what another library finds, laid beside what should stand there."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.colour.transfer import TRANSFERS
from zeitbild.formats._base import Plane, ReadBack
from zeitbild.formats._coding import Coding
from zeitbild.formats._expected import allowed_by, difference
from zeitbild.formats._from_luma import Luma
from zeitbild.formats._loss import detail, loss
from zeitbild.formats._reader import read_raw

#: Channels that a role takes in a file of its own.
CHANNELS = {"colour": 4, "light": 4, "data": 3}


def compared(
    pixels: NDArray[Any], bits: int, plane: Plane, expected_bits: int, coding: Coding, names: str = ""
) -> ReadBack:
    """What is found in numbers [H, W, C] of a file without loss; opaque files have no alpha, and all of it is seen."""
    found = pixels
    height, width = found.shape[:2]
    worst, stray = float("inf"), 0
    channels = CHANNELS.get(plane.role, 1)
    top = (1 << expected_bits) - 1
    if plane.role in ("colour", "light") and found.shape[2] == 3 and (plane.pixels[..., 3] == 1).all():
        found = np.concatenate([found, np.full((*found.shape[:2], 1), top, found.dtype)], axis=2)
    if found.shape[:2] == plane.pixels.shape[:2] and found.shape[2] == channels and bits == expected_bits:
        worst, stray = difference(found, plane, top, coding)
    return ReadBack(width, height, names or "RGBA"[: found.shape[2]], bits, worst, allowed_by(coding), stray)


def read_laid(path: Path, plane: Plane, bits: int, coding: Coding) -> ReadBack:
    """The same of a file that OpenImageIO reads."""
    raw = read_raw(path)
    return compared(raw.pixels, raw.bits, plane, bits, coding, "".join(raw.channels))


def with_loss(
    found: NDArray[np.floating] | Luma, bits: int, plane: Plane, coding: Coding, allowed: tuple[float, float, float]
) -> ReadBack:
    """What is found in a file that loses something, in numbers [H, W, 3 or 4] (or [H, W], of coverage) in 0..1 or planes of luma; allowed are mean, worst
    and alpha in levels of 255, as in ``loss``."""
    height, width = found.shape[:2]
    if plane.role == "coverage":
        found = found.colours() if isinstance(found, Luma) else found
        grey = found if found.ndim == 2 else found[..., :3].mean(axis=2)
        if grey.shape != plane.pixels.shape:
            return ReadBack(width, height, "Y", bits, float("inf"), 0.0, 0)
        # Shares are numbers, and stand in the file as a grey that is not encoded.
        grey = np.repeat(grey[..., None], 3, axis=2)
        share = np.repeat(plane.pixels.clip(0, 1)[..., None], 3, axis=2)
        plane = Plane("colour", np.concatenate([share, np.ones_like(share[..., :1])], axis=2).astype(np.float32))
        found, coding = grey, Coding(TRANSFERS["linear"])
    if not isinstance(found, Luma) and found.shape[2] == 3:
        found = np.concatenate([found, np.ones_like(found[..., :1])], axis=2)
    if found.shape != plane.pixels.shape:
        return ReadBack(width, height, "RGB", bits, float("inf"), 0.0, 0)
    own = loss(found, plane, coding, allowed)
    if not own.holds:
        # What goes first is fine detail: where a picture is nothing else, as much as there is of it may be gone.
        fine = 1.5 * detail(plane, coding)
        # Alpha that is kept whole is no place for it.
        alpha = own.alpha_allowed + (fine if own.alpha_allowed > 1 else 0)
        own = replace(
            own, mean_allowed=own.mean_allowed + fine, worst_allowed=own.worst_allowed + fine, alpha_allowed=alpha
        )
    return ReadBack(width, height, "RGBA", bits, own.worst, own.worst_allowed, 0, own)
