"""A premultiplied linear picture over a ground, as 8-bit sRGB for a screen."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.colour import decode, decode_hex, encode
from zeitbild.colour.highlights import BeyondAlpha, Highlights, as_in_files
from zeitbild.errors import InputError, StorageError
from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.proof.looks import look_named
from zeitbild.render.picture import Picture

GroundKind = Literal["checker", "black", "white", "grey", "colour", "gradient"]
#: linear: as Zeitbild and careful compositors blend. encoded: as web browsers and many editors blend.
Blend = Literal["linear", "encoded"]
#: Side of a checker square in pixels of the shown picture, and its two encoded greys.
CHECKER_SIDE, CHECKER_LIGHT, CHECKER_DARK = 16, 0.62, 0.48
_STEPS = 65535
_ZERO, _HALF, _ONE, _CODES = np.float32(0), np.float32(0.5), np.float32(1), np.float32(255)


@dataclass(frozen=True, slots=True)
class Ground:
    """What stands behind while proofing. colour and colour_to are sRGB ``#rrggbb``; a gradient runs downwards."""

    kind: GroundKind = "checker"
    colour: str = "#00a651"
    colour_to: str = "#101828"

    def rows(self, height: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Encoded colour of the ground for each row [H, 3], for the two kinds of checker square."""
        fixed = {"black": 0.0, "white": 1.0, "grey": 0.5}
        try:
            first, last = encode(decode_hex(self.colour)), encode(decode_hex(self.colour_to))
        except ValueError as error:
            raise InputError(str(error), "ground") from None
        if self.kind == "checker":
            return np.full((height, 3), CHECKER_LIGHT), np.full((height, 3), CHECKER_DARK)
        if self.kind in fixed:
            flat = np.full((height, 3), fixed[self.kind])
        elif self.kind == "gradient":
            share = np.linspace(0, 1, height)[:, None]
            flat = first * (1 - share) + last * share
        else:
            flat = np.tile(first, (height, 1))
        return flat, flat


@dataclass(frozen=True, slots=True)
class View:
    """How a picture is shown: over a ground, ``what`` being the picture or something of ``looks``; the picture's highlights, and its
    light beyond alpha, as files of straight colour have them."""

    ground: Ground = Ground()
    what: str = "picture"
    blend: Blend = "linear"
    highlights: Highlights = "clipped"
    beyond: BeyondAlpha = "alpha raised"


@lru_cache(maxsize=1)
def _encode_table() -> NDArray[np.float32]:
    """Encoded value (0..1) of evenly spaced linear values; between entries the error stays below 1/20 of 1/255."""
    return encode(np.arange(_STEPS + 2) / _STEPS).astype(np.float32)


@lru_cache(maxsize=1)
def _code_table() -> NDArray[np.uint8]:
    """8-bit codes of the same linear values."""
    return (_encode_table() * _CODES + _HALF).astype(np.uint8)


@lru_cache(maxsize=8)
def _ground_rows(ground: Ground, height: int, blend: Blend) -> tuple[NDArray[np.float32], NDArray[np.uint8]]:
    """Rows of a ground [2, H, 3] as they are blended, and their 8-bit codes."""
    rows = np.stack(ground.rows(height))
    codes = (rows * 255 + 0.5).astype(np.uint8)
    return (decode(rows) if blend == "linear" else rows).astype(np.float32), codes


@parallel_kernel
def _over_ground(picture, rows, codes, side, encoded, table, code_table, out):  # type: ignore[no-untyped-def]
    """picture [H, W, 4] over rows [2, H, 3] (linear, or encoded if ``encoded``) of the two kinds of square.

    codes [2, H, 3] are the rows' own 8-bit codes, for where nothing stands in front; out [H, W, 3] blue first.
    """
    steps = np.float32(table.shape[0] - 2)
    for y in numba.prange(picture.shape[0]):
        # Squares change every ``side`` pixels; dividing for each pixel would cost more than all the rest.
        square, left = (y // side) & 1, side
        for x in range(picture.shape[1]):
            if left == 0:
                square, left = 1 - square, side
            left -= 1
            alpha = min(_ONE, max(_ZERO, picture[y, x, 3]))
            if alpha == _ZERO:
                for k in range(3):
                    out[y, x, 2 - k] = codes[square, y, k]
                continue
            rest = _ONE - alpha
            for k in range(3):
                ground = rows[square, y, k]
                colour = picture[y, x, k]
                if encoded:
                    straight = min(_ONE, max(_ZERO, colour / alpha))
                    value = table[int(straight * steps + _HALF)] * alpha + ground * rest
                    out[y, x, 2 - k] = int(value * _CODES + _HALF)
                else:
                    light = min(_ONE, max(_ZERO, colour + ground * rest))
                    out[y, x, 2 - k] = code_table[np.uint32(light * steps + _HALF)]


def show(picture: Picture, view: View) -> NDArray[np.uint8]:
    """8-bit sRGB [H, W, 3], blue first, of a picture as ``view`` asks for it.

    InputError if what is asked for is unknown, or needs planes that the picture does not hold.
    """
    height, width = picture.depth.shape
    if view.what != "picture":
        look = look_named(view.what, picture)
        shown = look.extract(picture)
        if look.encoded:
            codes = (np.clip(shown, 0, 1) * 255 + 0.5).astype(np.uint8)
            return np.ascontiguousarray(codes[..., ::-1])
        picture = Picture(shown, picture.depth)
    rows, codes = _ground_rows(view.ground, height, view.blend)
    out = np.empty((height, width, 3), np.uint8)
    with PARALLEL:
        _over_ground(
            as_in_files(picture.beauty, picture.covered, view.highlights, view.beyond)
            if view.what == "picture"
            else picture.beauty,
            rows,
            codes,
            CHECKER_SIDE,
            view.blend == "encoded",
            _encode_table(),
            _code_table(),
            out,
        )
    return out


def encode_view(pixels: NDArray[np.uint8], kind: Literal["jpeg", "png"]) -> bytes:
    """Bytes of a shown picture: JPEG while something moves, PNG where pixels are judged."""
    options = [cv2.IMWRITE_JPEG_QUALITY, 88] if kind == "jpeg" else [cv2.IMWRITE_PNG_COMPRESSION, 1]
    done, buffer = cv2.imencode(f".{kind}", pixels, options)
    if not done:
        raise StorageError("the picture could not be encoded for the screen")
    return buffer.tobytes()
