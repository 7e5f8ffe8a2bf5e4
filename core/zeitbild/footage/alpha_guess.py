"""How the alpha of a picture is meant, guessed from its pixels: colours beside it, multiplied by it, or over a known colour.

Where a thing is partly there its colour should be that of the nearest place where it is wholly there. Each reading is undone, and the one
that comes nearest to that is taken. Common practice, without a source; ``test_alpha_guess`` counts its errors on generated pictures.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from zeitbild.footage.plain import Reading

_Floats = NDArray[np.float32]
#: Alpha that counts as all and as nothing.
_ALL, _NONE = 1 - 1 / 512, 1 / 512
#: Alpha from and up to which a pixel tells something, how many of those it takes, and how many are looked at.
_LEAST, _MOST, _ENOUGH, _LOOKED = 0.08, 0.92, 12, 40_000
#: How far away (pixels) the nearest place that is wholly there may be.
_NEAR = 12.0
#: Where nothing is wholly there: alpha from which on colours are compared, and how many pixels apart, so that rounding does not count.
_VEILED, _STEP = 0.15, 4
#: Rounding of files with 8 bits.
_ROUNDING = 2.5 / 255
#: A reading that needs colours outside of what there is at more of the pixels than this is out of the question.
_IMPOSSIBLE = 0.01
#: So much worse another reading that is possible may be than that colours stand beside alpha, and is still taken.
_FOR_OTHERS = 1.3


def guess_alpha(pictures: Sequence[_Floats]) -> tuple[Reading, str, str]:
    """Reading, colour (``#rrggbb``, for the last reading) and the reason in words, of some pictures [H, W, 4] of one piece, 0 to 1 as the
    file has them."""
    alphas = [one[..., 3] for one in pictures]
    if min(float(alpha.min()) for alpha in alphas) >= _ALL:
        return "ignored", "", "its alpha is 1 everywhere"
    parts = [_partly(one) for one in pictures]
    own, share, beside = (np.concatenate([part[at] for part in parts]) for at in range(3))
    if len(own) < _ENOUGH:
        return "straight", "", "its edges are hard: it makes no difference"
    ground = _ground(pictures)
    found: dict[Reading, _Floats] = {"straight": own, "premultiplied": own / share[:, None]}
    if ground is not None and float(ground.max()) > _ROUNDING:
        found["over a colour"] = (own - (1 - share[:, None]) * ground) / share[:, None]
    # An error of the file grows as it is undone.
    slack: dict[str, NDArray[Any]] = {
        "straight": np.zeros_like(share),
        **dict.fromkeys(("premultiplied", "over a colour"), _ROUNDING / share),
    }
    known = np.isfinite(beside[:, 0])
    scores: dict[Reading, float] = {}
    for reading, colours in found.items():
        outside = np.maximum(colours - 1, -colours).max(axis=1) > slack[reading] + _ROUNDING
        if float(outside.mean()) > _IMPOSSIBLE:
            continue
        if int(known.sum()) >= _ENOUGH:
            # What errs by rounding alone is weighed by how much of it is there.
            off = np.abs(colours[known] - beside[known]).mean(axis=1) * share[known]
            scores[reading] = float(off.mean())
        else:
            scores[reading] = _unrest(pictures, reading, ground)
    straight = scores.pop("straight", None)
    best: Reading = min(scores, key=lambda one: scores[one], default="straight")
    # That another reading is possible at every pixel speaks for it: of colours that stand beside their alpha some are brighter.
    if best != "straight" and straight is not None and scores[best] > _FOR_OTHERS * straight:
        best = "straight"
    if best == "premultiplied":
        return best, "", "its colours fade with its alpha: they are over black"
    if best == "over a colour" and ground is not None:
        colour = "#" + "".join(f"{round(float(value) * 255):02x}" for value in ground)
        return best, colour, f"what is clear shows {colour}, and edges go towards it"
    if "premultiplied" not in scores:
        return "straight", "", "some colours are brighter than their alpha: they stand beside it"
    return "straight", "", "its colours do not fade with its alpha: they stand beside it"


def _partly(picture: _Floats) -> tuple[_Floats, _Floats, _Floats]:
    """Of pixels that are partly there: colour [n, 3], alpha [n], and the colour of the nearest place that is wholly there [n, 3], NaN where
    none is near."""
    alpha = picture[..., 3]
    rows, columns = np.nonzero((alpha > _LEAST) & (alpha < _MOST))
    if len(rows) > _LOOKED:
        step = -(-len(rows) // _LOOKED)
        rows, columns = rows[::step], columns[::step]
    beside = np.full((len(rows), 3), np.nan, np.float32)
    whole = alpha >= _ALL
    if whole.any() and len(rows):
        away, nearest = ndimage.distance_transform_edt(~whole, return_indices=True)
        near = away[rows, columns] <= _NEAR
        at = nearest[:, rows[near], columns[near]]
        beside[near] = picture[at[0], at[1], :3]
    return picture[rows, columns, :3], alpha[rows, columns], beside


def _ground(pictures: Sequence[_Floats]) -> _Floats | None:
    """The one colour [3] of what is not there; none if there is no such."""
    clear = np.concatenate([one[one[..., 3] <= _NONE][:, :3] for one in pictures])
    if len(clear) < _ENOUGH:
        return None
    middle = np.median(clear, axis=0).astype(np.float32)
    return middle if float((np.abs(clear - middle).max(axis=1) <= _ROUNDING).mean()) > 0.98 else None


def _unrest(pictures: Sequence[_Floats], reading: Reading, ground: _Floats | None) -> float:
    """How much colours change from pixel to pixel under a reading, where something is partly there and nothing wholly."""
    total, count = 0.0, 0
    for picture in pictures:
        alpha = picture[..., 3]
        share = np.maximum(alpha, _LEAST)[..., None]
        colours: NDArray[Any] = picture[..., :3]
        if reading == "premultiplied":
            colours = colours / share
        elif reading == "over a colour" and ground is not None:
            colours = (colours - (1 - share) * ground) / share
        partly = alpha > _VEILED
        for axis in (0, 1):
            both = np.logical_and(*_pair(partly, axis))
            change = np.abs(np.subtract(*_pair(colours, axis))).mean(axis=2)
            total += float((change * both * np.minimum(*_pair(alpha, axis))).sum())
            count += int(both.sum())
    return total / max(count, 1)


def _pair(values: NDArray[Any], axis: int) -> tuple[NDArray[Any], NDArray[Any]]:
    if axis == 0:
        return values[_STEP:], values[:-_STEP]
    return values[:, _STEP:], values[:, :-_STEP]
