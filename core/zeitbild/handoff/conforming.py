"""Pictures and sequences as a form wants them: another size, a ground, another rate. All of it happens here, for every form.

Sizes are changed in linear light and on premultiplied colour, so that no edge gets a fringe; data is never mixed, its nearest pixel is
taken. Frames are dropped or repeated, never blended.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, Literal

import cv2
import numba
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from zeitbild.colour.srgb import decode_hex
from zeitbild.errors import InputError
from zeitbild.formats import Format, Option, Plane
from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.render.picture import NO_DEPTH
from zeitbild.timing.rate import RATES

#: Alpha below which colour is divided by this instead.
_LEAST = np.float32(1e-9)
Fit = Literal["contain", "cover", "stretch"]
#: A side of a file at most, if its kind does not say less.
_LARGEST = 16384
#: Shares of what is left over that lie before the picture (across, down), by where it is put.
_PLACES = {"middle": (0.5, 0.5), "top": (0.5, 0.0), "bottom": (0.5, 1.0), "left": (0.0, 0.5), "right": (1.0, 0.5)}

WIDTH = Option("width", "Width", low=1, high=_LARGEST, kind="number", unit="px", note="Empty: as rendered.")
HEIGHT = Option("height", "Height", low=1, high=_LARGEST, kind="number", unit="px", note="Empty: in proportion.")
FIT = Option(
    "fit",
    "If both are given",
    (
        ("contain", "All of it is seen, the rest stays clear"),
        ("cover", "All is filled, the rest is cut off"),
        ("stretch", "Stretched to it"),
    ),
)
PLACE = Option(
    "place", "It stands", tuple((name, f"In the {name}" if name == "middle" else f"At the {name}") for name in _PLACES)
)
ENLARGED = Option(
    "enlarged", "Where it gets larger", (("smooth", "Smooth"), ("hard", "In whole squares, for pixel looks"))
)
GROUND = Option(
    "ground", "Over", initial="#000000", kind="colour", reads=decode_hex, note="Where nothing opaque stands."
)
PERHAPS_GROUND = Option(
    "ground",
    "Over",
    kind="colour",
    reads=decode_hex,
    note="Without one it is clear, with hard edges. On a colour edges stay soft, on that colour alone.",
)
#: Rates at which files can be played: those of shots, and slower ones, as of what is drawn on twos and threes.
PLAYED = {**{name: Fraction(name) for name in ("8", "10", "12", "15")}, **RATES}
RATE = Option("rate", "Rate", (("", "As the shot"), *((name, f"{name} frames a second") for name in PLAYED)))
#: Of files that each hold one frame.
RATE_OF_STILLS = replace(
    RATE, note="At another rate frames are dropped or repeated, and files numbered one by one from the first frame."
)


def options_for(form: Format) -> tuple[Option, ...]:
    """What can be chosen of the pictures of a format, beside its own options."""
    grounds = {"none": (GROUND,), "hard": (PERHAPS_GROUND,)}.get(form.alpha, ())
    if form.overscan:
        # Its data window and its identities say where pixels of the raster are.
        return (RATE_OF_STILLS,)
    if form.prints:
        return (*grounds, replace(WIDTH, title="Each is wide", initial="320", note=""), ENLARGED)
    rates = (RATE,) if form.moves else () if form.container else (RATE_OF_STILLS,)
    return (*grounds, WIDTH, HEIGHT, FIT, PLACE, ENLARGED, *rates)


@parallel_kernel
def _lay(light, ground, out):  # type: ignore[no-untyped-def]
    """Premultiplied light [H, W, 4] over a colour [3], opaque, into out [H, W, 4]."""
    for y in numba.prange(light.shape[0]):
        for x in range(light.shape[1]):
            rest = np.float32(1) - light[y, x, 3]
            for k in range(3):
                out[y, x, k] = light[y, x, k] + rest * ground[k]
            out[y, x, 3] = np.float32(1)


@dataclass(frozen=True, slots=True)
class Conforming:
    """What becomes of pictures [H, W]: their size in pixels (0: as it follows), how they fit into it, the ground below them (linear
    light, or none), and the rate at which they are played (or none)."""

    width: int = 0
    height: int = 0
    fit: Fit = "contain"
    place: str = "middle"
    hard: bool = False
    ground: tuple[float, float, float] | None = None
    rate: Fraction | None = None

    @classmethod
    def of(cls, options: Mapping[str, str]) -> Conforming:
        """That of chosen options."""
        ground, rate = options.get("ground", ""), options.get("rate", "")
        return cls(
            round(float(options.get("width") or 0)),
            round(float(options.get("height") or 0)),
            options.get("fit", "contain"),  # type: ignore[arg-type]
            options.get("place", "middle"),
            options.get("enlarged") == "hard",
            decode_hex(ground) if ground else None,
            PLAYED[rate] if rate else None,
        )

    def raster(self, width: int, height: int) -> tuple[int, int]:
        """Width and height that pictures of a raster get."""
        if not self.width and not self.height:
            return width, height
        if self.width and self.height:
            return self.width, self.height
        if self.width:
            return self.width, max(1, (2 * height * self.width + width) // (2 * width))
        return max(1, (2 * width * self.height + height) // (2 * height)), self.height

    def check(self, form: Format, width: int, height: int, rate: Fraction) -> None:
        """InputError at the option by which a format can hold pictures of a raster and rate, if it cannot."""
        wide, high = self.raster(width, height)
        largest = form.largest or _LARGEST
        if max(wide, high) > largest:
            raise InputError(
                f"{form.title} has at most {largest} pixels a side, and this is {wide} x {high}; give it a smaller width",
                "options.width",
            )
        if min(wide, high) < form.smallest:
            raise InputError(
                f"{form.title} has at least {form.smallest} pixels a side, and this is {wide} x {high}; give it a larger size",
                "options.width" if wide < form.smallest else "options.height",
            )
        if form.even and (wide % 2 or high % 2):
            # Each of these is one more or less at most.
            near = wide - wide % 2 or 2, high - high % 2 or 2
            raise InputError(
                f"{form.title} has even widths and heights only, and this is {wide} x {high}; give it the width {near[0]} and the height {near[1]}, "
                "all filled",
                "options.width" if wide % 2 else "options.height",
            )
        if self.hard and (self.width or self.height) and (wide < width or high < height):
            raise InputError(
                f"{wide} x {high} is smaller than the raster of {width} x {height}, and whole squares only get larger; "
                "choose smooth, or a larger size",
                "options.enlarged",
            )
        if form.fastest and (self.rate or rate) > form.fastest:
            raise InputError(
                f"{form.title} plays at most {form.fastest} frames a second, and this is {float(self.rate or rate):g}; choose a rate for it",
                "options.rate",
            )

    def changes_rate(self, rate: Fraction) -> bool:
        """Whether what has a rate is played at another one."""
        return self.rate is not None and self.rate != rate

    def frames(self, frames: Sequence[int], rate: Fraction) -> list[int]:
        """Those of some frames, one after another at a rate, that are shown at the wanted rate: the one that is seen at the
        beginning of each."""
        if self.rate is None or not self.changes_rate(rate):
            return list(frames)
        count = max(1, round(len(frames) * self.rate / rate))
        return [frames[min(int(number * rate / self.rate), len(frames) - 1)] for number in range(count)]

    def numbered(self, frames: Sequence[int], rate: Fraction) -> list[tuple[int, int]]:
        """For files of one frame each: the number that each has in its name, rising, and the frame that it shows. At the rate that
        frames have their own; at another one they are numbered one by one from the first frame, all layers alike."""
        if not frames or not self.changes_rate(rate):
            return [(frame, frame) for frame in frames]
        return list(enumerate(self.frames(frames, rate), frames[0]))

    def apply(self, plane: Plane) -> Plane:
        """A plane of a picture as it goes into the file; the very one if nothing is to be done."""
        height, width = plane.pixels.shape[:2]
        size = self.raster(width, height)
        if size != (width, height):
            empty = NO_DEPTH if plane.role == "depth" else 0.0
            mixed = plane.role in ("colour", "light", "coverage")
            pixels = self._fitted(plane.pixels, size, mixed, empty)
            there = plane.there
            if there is not None:
                there = self._fitted(there.astype(np.float32), size, False, 0.0) > 0
            if plane.role == "identity":
                # Nothing stands there: no number, and no coverage.
                pixels[..., 0][pixels[..., 1] == 0] = -1
            plane = replace(plane, pixels=pixels, there=there)
        return plane

    def laid(self, plane: Plane) -> Plane:
        """A plane of colour or light over the ground, opaque. Parts of light are laid over black: they add up."""
        if self.ground is None or plane.role not in ("colour", "light"):
            return plane
        ground = np.zeros(3, np.float32) if plane.role == "light" else np.array(self.ground, np.float32)
        pixels = np.empty_like(plane.pixels)
        with PARALLEL:
            _lay(np.ascontiguousarray(plane.pixels), ground, pixels)
        return replace(plane, pixels=pixels)

    def _fitted(
        self, pixels: NDArray[np.float32], size: tuple[int, int], mixed: bool, empty: float
    ) -> NDArray[np.float32]:
        """Pixels [H, W, ...] in a picture of a size (width, height)."""
        height, width = pixels.shape[:2]
        scales = size[0] / width, size[1] / height
        if self.hard:
            scales = (float(max(1, int(min(scales)))),) * 2
        elif self.width and self.height and self.fit != "stretch":
            scales = ((min if self.fit == "contain" else max)(scales),) * 2
        own = tuple(max(1, round(side * scale)) for side, scale in zip((width, height), scales, strict=True))
        changed = resized(pixels, own[0], own[1], mixed=mixed and not self.hard)
        if own == size:
            return changed
        out = np.full((size[1], size[0], *pixels.shape[2:]), empty, np.float32)
        shares = _PLACES[self.place]
        # Where it begins in the file, or how much of it is cut off before that.
        left, top = (round((whole - one) * share) for whole, one, share in zip(size, own, shares, strict=True))
        across = slice(max(left, 0), min(left + own[0], size[0]))
        down = slice(max(top, 0), min(top + own[1], size[1]))
        out[down, across] = changed[down.start - top : down.stop - top, across.start - left : across.stop - left]
        return out


def resized(pixels: NDArray[np.float32], width: int, height: int, *, mixed: bool) -> NDArray[np.float32]:
    """Pixels [H, W, ...] in another size: areas are averaged where it gets smaller, cubic where it gets larger (cut off at what is
    possible), one direction after the other; of what is not to be ``mixed`` the pixel in the middle of each new one."""
    if not mixed:
        rows = ((np.arange(height) + 0.5) * pixels.shape[0] / height).astype(np.int64)
        columns = ((np.arange(width) + 0.5) * pixels.shape[1] / width).astype(np.int64)
        return np.ascontiguousarray(pixels[rows][:, columns])
    for axis, wanted in ((0, height), (1, width)):
        own = pixels.shape[axis]
        if own == wanted:
            continue
        target = (pixels.shape[1], wanted) if axis == 0 else (wanted, pixels.shape[0])
        if wanted < own:
            changed = cv2.resize(np.ascontiguousarray(pixels), target, interpolation=cv2.INTER_AREA)
            pixels = np.asarray(changed, np.float32)
        else:
            pixels = _larger(pixels, *target)
    return pixels


def _larger(pixels: NDArray[np.float32], width: int, height: int) -> NDArray[np.float32]:
    """Pixels [H, W] or [H, W, 4], larger in one direction, by a cubic whose even ramps stay even (OpenCV's swings further and turns them
    into steps).

    A cubic swings past edges. Shares stay within 0..1, and colour stays within the brightest that stands near it, as far as alpha
    goes: else it would be brighter than white where there is hardly any alpha, and no file of straight colour could hold it.
    """
    size = width, height

    def cubic(values: NDArray[np.float32]) -> NDArray[np.float32]:
        image = Image.fromarray(np.ascontiguousarray(values))
        return np.maximum(np.asarray(image.resize(size, Image.Resampling.BICUBIC), np.float32), np.float32(0))

    if pixels.ndim == 2:
        return np.minimum(cubic(pixels), 1)
    alpha = np.minimum(cubic(pixels[..., 3]), 1)
    straight = np.where(pixels[..., 3:] > 0, pixels[..., :3] / np.maximum(pixels[..., 3:], _LEAST), 0)
    # Four pixels have a say in each new one.
    near = cv2.dilate(np.ascontiguousarray(straight, np.float32), np.ones((5, 5), np.uint8))
    brightest = resized(near, width, height, mixed=False)
    colour = [np.minimum(cubic(pixels[..., k]), alpha * brightest[..., k]) for k in range(3)]
    return np.stack([*colour, alpha], axis=2)


def changes_made(conforming: Conforming, options: Mapping[str, str]) -> dict[str, Any]:
    """What the manifest says of it: only what was changed."""
    found: dict[str, Any] = {}
    if conforming.width or conforming.height:
        found["resized"] = {
            "fit": conforming.fit if conforming.width and conforming.height else "in proportion",
            "how": "whole squares" if conforming.hard else "linear light, premultiplied",
        }
    if conforming.ground is not None:
        found["ground"] = options["ground"]
    if conforming.rate is not None:
        found["rate"] = "frames dropped or repeated, none blended"
    return found
