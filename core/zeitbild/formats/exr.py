"""OpenEXR: premultiplied linear light, data as 32-bit floats (OpenEXR technical introduction).

A pass alone, the passes of a layer as channels ``pass.R``, or all layers of a frame as parts ``layer.pass``. Written with the
OpenEXR library, read back with OpenImageIO.
"""

from __future__ import annotations

import json
import re
import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numba
import numpy as np
import OpenEXR
import OpenImageIO as oiio
from numpy.typing import NDArray

from zeitbild.errors import StorageError
from zeitbild.exr_files import ExrPart, write_parts
from zeitbild.formats._base import Format, Option, Options, Plane, ReadBack, Sharing, by_frame, each_frame, formats
from zeitbild.formats._identities import identity_attributes, identity_channels
from zeitbild.halves import columns_of
from zeitbild.kernels import PARALLEL, parallel_kernel
from zeitbild.render.picture import NO_DEPTH
from zeitbild.storage import blame, own_prefix
from zeitbild.timing.rate import nominal
from zeitbild.timing.timecode import frame_to_timecode

#: Roles whose numbers are light or shares, which a half float holds as well as an eye sees.
_EITHER = ("colour", "light", "coverage")
#: Chromaticities of red, green, blue and white (ITU-R BT.709).
_BT709 = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)


def _is_half(plane: Plane, options: Options) -> bool:
    """Whether a plane is kept as half floats."""
    return plane.role in _EITHER and options.get("numbers", "half") == "half"


def _channels(plane: Plane, options: Options, *, alone: bool) -> dict[str, NDArray[Any]]:
    """The channels of a plane; of light beside the layer's beauty alpha is left out."""
    if plane.role == "identity":
        return dict(identity_channels(plane))
    half = _is_half(plane, options)
    pixels = plane.pixels if plane.pixels.ndim == 3 else plane.pixels[..., None]
    letters = "RGBA" if plane.role in ("colour", "light") else (plane.channels or ("Y",))
    if plane.role == "light" and not alone:
        letters = "RGB"
    ahead = "" if alone or plane.name == "beauty" else f"{plane.name}."

    every = range(len(letters))
    own = columns_of(pixels, every) if half else columns_of(pixels, (), every)
    return {f"{ahead}{name}": own[k] for k, name in enumerate(letters)}


def _when(plane: Plane) -> dict[str, Any]:
    """Rate and time code of a frame, as the attributes that OpenEXR names for them (SMPTE ST 12-1)."""
    if plane.rate is None:
        return {}
    code = frame_to_timecode(max(plane.frame, 0), plane.rate)
    hours, minutes, seconds, frames = (int(part) for part in re.split("[:;]", code))
    # Codes count frames to 39: at higher rates two or more share one.
    frames //= -(-nominal(plane.rate) // 40)
    flags = (int(";" in code), 0, 0, 0, 0, 0)
    return {
        "framesPerSecond": plane.rate,
        "timeCode": OpenEXR.TimeCode(hours % 24, minutes, seconds, frames, *flags, *(0,) * 8),
    }


def _stands(plane: Plane) -> NDArray[np.bool_]:
    """Where a plane says anything [H, W]."""
    if plane.role == "depth":
        return np.asarray(plane.pixels < NO_DEPTH)
    if plane.role == "identity":
        return np.asarray((plane.pixels[..., 1] > 0).any(axis=2))
    return np.asarray(plane.pixels != 0 if plane.pixels.ndim == 2 else plane.pixels.any(axis=2))


def _box(planes: Sequence[Plane]) -> tuple[int, int, int, int]:
    """Left, top, right and bottom (behind the last) of what stands in any of the planes; one pixel if nothing does."""
    anything = np.logical_or.reduce([_stands(plane) for plane in planes])
    rows, columns = np.flatnonzero(anything.any(axis=1)), np.flatnonzero(anything.any(axis=0))
    if not len(rows):
        return 0, 0, 1, 1
    return int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1


def _part(name: str, planes: Sequence[Plane], options: Options, *, alone: bool) -> ExrPart:
    channels: dict[str, NDArray[Any]] = {}
    attributes = _when(planes[0])
    for plane in planes:
        channels |= _channels(plane, options, alone=alone)
        if plane.role == "identity":
            attributes |= identity_attributes(plane)
        if plane.role in ("colour", "light"):
            attributes["chromaticities"] = _BT709
    window, margin = None, planes[0].margin
    height, width = (side - 2 * margin for side in planes[0].pixels.shape[:2])
    if options.get("window", "whole") == "cut":
        left, top, right, bottom = _box(planes)
        channels = {one: np.ascontiguousarray(values[top:bottom, left:right]) for one, values in channels.items()}
        window = (left - margin, top - margin), (width, height)
    elif margin:
        window = (-margin, -margin), (width, height)
    return ExrPart(name, channels, attributes, options.get("compression", "zip"), window)


def _encode(planes: Sequence[Plane], sharing: Sharing, options: Options) -> bytes:
    if sharing == "frame":
        parts = [_part(f"{plane.layer}.{plane.name}", [plane], options, alone=True) for plane in planes]
    else:
        parts = [_part("", planes, options, alone=sharing == "pass")]
    # The library writes only to named files; no attribute may hold a time, so that equal planes give equal bytes.
    with tempfile.TemporaryDirectory(prefix=own_prefix()) as folder:
        path = Path(folder) / "planes.exr"
        try:
            write_parts(path, parts)
        except OSError as error:
            raise blame(error, path) from error
        return path.read_bytes()


@dataclass(frozen=True, slots=True, eq=False)
class _Found:
    """A part as OpenImageIO reads it, laid out over the whole picture: pixels [H, W, n], names and bits of its channels, the texts of its
    header, and its data window."""

    pixels: NDArray[np.float32]
    names: tuple[str, ...]
    bits: Mapping[str, int]
    texts: Mapping[str, str]
    window: tuple[slice, slice]

    @property
    def size(self) -> tuple[int, int]:
        """Its width and height."""
        return self.pixels.shape[1], self.pixels.shape[0]

    def channel(self, name: str) -> NDArray[np.float32]:
        """One channel [H, W]."""
        return np.ascontiguousarray(self.pixels[..., self.names.index(name)])

    def together(self, names: Sequence[str]) -> NDArray[np.float32]:
        """Some channels [H, W, n] in their order."""
        places = [self.names.index(name) for name in names]
        return self.pixels if places == list(range(self.pixels.shape[2])) else self.pixels[..., places]


def _parts_in(path: Path, margin: int) -> dict[str, _Found]:
    """The parts of a file, laid out over its display window and a margin around that."""
    source = oiio.ImageInput.open(str(path))
    if source is None:
        raise StorageError(f"{path.name} cannot be read back: {oiio.geterror()}")
    found: dict[str, _Found] = {}
    try:
        number = 0
        while source.seek_subimage(number, 0):
            spec = source.spec()
            width, height = spec.full_width + 2 * margin, spec.full_height + 2 * margin
            left, top = spec.x - spec.full_x + margin, spec.y - spec.full_y + margin
            if min(left, top) < 0 or left + spec.width > width or top + spec.height > height:
                raise StorageError(f"{path.name} reaches further than its overscan")
            window = slice(top, top + spec.height), slice(left, left + spec.width)
            pixels = source.read_image(number, 0, 0, spec.nchannels, "float")
            if pixels is None:
                raise StorageError(f"{path.name} cannot be read back: {source.geterror()}")
            pixels = pixels.reshape(spec.height, spec.width, spec.nchannels)
            if pixels.shape[:2] != (height, width):
                laid = np.zeros((height, width, spec.nchannels), np.float32)
                laid[window] = pixels
                pixels = laid
            names = tuple(spec.channelnames)
            bits = {name: spec.channelformat(at).size() * 8 for at, name in enumerate(names)}
            texts = {one.name: str(one.value) for one in spec.extra_attribs if one.type == oiio.TypeString}
            found[spec.get_string_attribute("name")] = _Found(pixels, names, bits, texts, window)
            number += 1
    finally:
        source.close()
    return found


@parallel_kernel
def _look_through(found, wanted, differs, stray):  # type: ignore[no-untyped-def]
    """Of each row how many numbers found [H, W, n] are others than those wanted [H, W, n], and, of four, how many pixels have colour under
    zero alpha."""
    nothing = np.float32(0)
    for y in numba.prange(found.shape[0]):
        own, other = found[y].reshape(-1), wanted[y].reshape(-1)
        count = np.int32(0)
        # By itself this goes over many numbers at once.
        for i in range(own.shape[0]):
            count += np.int32(own[i] != other[i])
        differs[y] = count
        if found.shape[2] == 4:
            for i in range(0, own.shape[0], 4):
                if own[i + 3] == nothing and (own[i] != nothing or own[i + 1] != nothing or own[i + 2] != nothing):
                    stray[y] += 1


def _compare(part: _Found, plane: Plane, names: Sequence[str], options: Options) -> tuple[float, int]:
    """The largest distance of channels read from a plane (rounded as IEEE 754 says and not clipped), and pixels with colour
    under zero alpha."""
    half = {part.bits[name] for name in names} == {16}
    if half != _is_half(plane, options):
        return float("inf"), 0
    pixels = plane.pixels if plane.pixels.ndim == 3 else plane.pixels[..., None]
    if len(names) > pixels.shape[2] or part.pixels.shape[:2] != pixels.shape[:2]:
        return float("inf"), 0
    read, wanted = np.ascontiguousarray(part.together(names)), np.ascontiguousarray(pixels[..., : len(names)])
    differs, stray = np.zeros(len(read), np.int64), np.zeros(len(read), np.int64)
    with PARALLEL:
        _look_through(read, wanted, differs, stray)
    # What was never rounded is the same; the rest is rounded by numpy, row by row.
    worst = 0.0
    for y in np.flatnonzero(differs):
        own, row = read[y], wanted[y]
        with np.errstate(over="ignore"):
            expected = row.astype(np.float16).astype(np.float32) if half else row
        if plane.role == "depth":
            # Outside of the data window nothing stands, whatever a reader fills in there.
            outside = np.ones(len(own), bool)
            if part.window[0].start <= y < part.window[0].stop:
                outside[part.window[1]] = False
            if (expected[outside] < NO_DEPTH).any():
                return float("inf"), 0
            own = np.where(outside[:, None], expected, own)
        if not np.array_equal(own, expected):
            off = np.abs(own.astype(np.float64) - expected).max(initial=0)
            worst = max(worst, float(off) if np.isfinite(off) else float("inf"))
    under = int(stray.sum()) if len(names) == 4 and plane.name == "beauty" else 0
    return worst, under


def _identities_off(part: _Found, plane: Plane) -> float:
    """How far identities read are from a plane's, by the header that says how to read them: 1 if a name is wrong."""
    keys = [
        one.rpartition("/")[0] for one, value in part.texts.items() if one.endswith("/name") and value == plane.name
    ]
    if len(keys) != 1 or part.texts.get(f"{keys[0]}/conversion") != "uint32_to_float32":
        return float("inf")
    by_id = {code: name for name, code in json.loads(part.texts[f"{keys[0]}/manifest"]).items()}
    read: dict[str, NDArray[np.float64]] = {}
    ranks = sorted(name[: -len(".R")] for name in part.names if name.startswith(plane.name) and name.endswith(".R"))
    for rank in ranks:
        for one, two in ("RG", "BA"):
            ids = part.channel(f"{rank}.{one}").view(np.uint32)
            cover = part.channel(f"{rank}.{two}")
            for bits in np.unique(ids[cover > 0]):
                name = by_id.get(f"{bits:08x}", "")
                read.setdefault(name, np.zeros(cover.shape))
                read[name] += np.where(ids == bits, cover, 0)
    worst = 0.0
    for name in {*read, *plane.ids}:
        numbers = [at for at, one in enumerate(plane.ids) if one == name]
        expected = np.where(np.isin(plane.pixels[..., 0], numbers), plane.pixels[..., 1], 0).sum(axis=2)
        worst = max(worst, float(np.abs(read.get(name, np.zeros(expected.shape)) - expected).max(initial=0)))
    return worst


def _read_back(path: Path, planes: Sequence[Plane], sharing: Sharing, options: Options) -> list[ReadBack]:
    parts = _parts_in(path, planes[0].margin)
    results = []
    for plane in planes:
        part = parts.get(f"{plane.layer}.{plane.name}" if sharing == "frame" else "")
        names: tuple[str, ...] = ()
        worst, stray = float("inf"), 0
        if part is not None:
            if plane.role == "identity":
                names = tuple(sorted(name for name in part.names if name.startswith(plane.name)))
                worst = _identities_off(part, plane)
            else:
                letters = tuple("RGBA") if plane.role in ("colour", "light") else (plane.channels or ("Y",))
                letters = letters[:3] if plane.role == "light" and sharing == "layer" else letters
                ahead = "" if sharing != "layer" or plane.name == "beauty" else f"{plane.name}."
                names = tuple(f"{ahead}{letter}" for letter in letters)
                same = part.size[::-1] == plane.pixels.shape[:2]
                if same and set(names) <= set(part.names) and (sharing == "layer" or len(names) == len(part.names)):
                    worst, stray = _compare(part, plane, names, options)
        width, height = part.size if part is not None else (0, 0)
        bits = max((part.bits[name] for name in names if name in part.bits), default=0) if part is not None else 0
        allowed = 1e-6 if plane.role == "identity" else 0.0
        results.append(ReadBack(width, height, ",".join(names), bits, worst, allowed, stray))
    return results


formats.register(
    Format(
        "exr",
        "OpenEXR",
        "exr",
        "premultiplied",
        "linear light, Rec. 709 primaries",
        {"colour": 16, "light": 16, "coverage": 16, "depth": 32, "data": 32, "identity": 32},
        by_frame(_encode),
        each_frame(_read_back),
        order=2,
        ends_at_white=False,
        overscan=True,
        sharing=("pass", "layer", "frame"),
        options=(
            Option("numbers", "Light and coverage", (("half", "Half floats"), ("float", "32-bit floats"))),
            Option(
                "compression",
                "Compression, without loss",
                (
                    ("zip", "ZIP, 16 rows at a time"),
                    ("zips", "ZIP, row by row"),
                    ("piz", "Wavelet, for grain"),
                    ("rle", "Run lengths"),
                    ("none", "None"),
                ),
            ),
            Option("window", "Data window", (("whole", "The whole picture"), ("cut", "Cut to what is there"))),
        ),
    )
)
