"""GIF (GIF89a): at most 256 colours, a pixel is there or not; delays in hundredths of a second that add up.

Each frame replaces the one before (disposal 2). Runs are packed by Pillow, the blocks around them are written here; read back with
FFmpeg's decoder.
"""

from __future__ import annotations

import struct
from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path

import av
import numba
import numpy as np
from numpy.typing import NDArray
from PIL import GifImagePlugin, Image

from zeitbild.errors import InputError, StorageError
from zeitbild.formats._base import Format, Option, Options, Plane, ReadBack, Sharing, formats
from zeitbild.formats._coding import Coding
from zeitbild.formats._measures import movie_measure
from zeitbild.formats._reading_back import with_loss
from zeitbild.formats._spill import Spill, stays
from zeitbild.formats._whole_numbers import codes
from zeitbild.kernels import PARALLEL, parallel_kernel

#: Players wait much longer where a delay is shorter than two hundredths (common practice).
FASTEST = 50
_HUNDREDTHS = 100
#: Pixels that a palette is found from.
_SAMPLED = 100_000
#: A fixed pattern by which steps between colours are broken up: ordered dither of 8 x 8 (Bayer 1973), from -1/2 to 1/2.
_BAYER = np.array([[0, 2], [3, 1]], float)
for _ in range(2):
    _BAYER = np.block([[4 * _BAYER, 4 * _BAYER + 2], [4 * _BAYER + 3, 4 * _BAYER + 1]])
_BAYER = (_BAYER + 0.5) / 64 - 0.5


def hardened(plane: Plane, options: Options) -> Plane:
    """A plane as a GIF can hold it: from the threshold on a pixel is there with its own straight colour, below it is not."""
    if plane.role == "coverage":
        share = np.repeat(plane.pixels.clip(0, 1)[..., None], 3, axis=2)
        linear = Coding().transfer.decode(share)
        return Plane("colour", np.concatenate([linear, np.ones_like(share[..., :1])], axis=2).astype(np.float32))
    out = np.empty_like(plane.pixels, order="C")
    with PARALLEL:
        _harden(np.ascontiguousarray(plane.pixels), np.float32(float(options.get("threshold", "50")) / 100), out)
    return Plane(plane.role, out)


@parallel_kernel
def _harden(light, threshold, out):  # type: ignore[no-untyped-def]
    """Premultiplied light [H, W, 4] into out: as it is by itself and there where alpha reaches a threshold, nothing elsewhere."""
    zero, one, least = np.float32(0), np.float32(1), np.float32(1e-6)
    for y in numba.prange(light.shape[0]):
        for x in range(light.shape[1]):
            alpha = light[y, x, 3]
            there = alpha >= threshold
            scale = one / max(alpha, least) if there else zero
            for k in range(3):
                out[y, x, k] = light[y, x, k] * scale if there else zero
            out[y, x, 3] = one if there else zero


def _palette(colours: NDArray[np.uint8], count: int) -> NDArray[np.uint8]:
    """At most so many colours [n, 3] that stand for others [m, 3]."""
    whole = colours.astype(np.uint32) @ np.array([1 << 16, 1 << 8, 1], np.uint32)
    different = np.unique(whole)
    if len(different) <= count:
        found = np.stack([different >> 16, different >> 8 & 255, different & 255], axis=1).astype(np.uint8)
        return found if len(found) else np.zeros((1, 3), np.uint8)
    image = Image.fromarray(colours.reshape(1, -1, 3))
    palette = image.quantize(count, method=Image.Quantize.MEDIANCUT, kmeans=3).getpalette() or []
    return np.unique(np.array(palette, np.uint8).reshape(-1, 3)[:count], axis=0)


def _indexed(frame: NDArray[np.uint8], palette: NDArray[np.uint8], clear: int, dither: str) -> NDArray[np.uint8]:
    """Numbers [H, W] in a palette, and ``clear`` where nothing is."""
    colours = frame[..., :3]
    if dither == "ordered":
        height, width = frame.shape[:2]
        pattern = np.tile(_BAYER, (-(-height // 8), -(-width // 8)))[:height, :width, None]
        # As far apart as colours of a palette of that size are, about.
        step = 255 / max(len(palette), 2) ** (1 / 3)
        colours = np.clip(colours + pattern * step * 0.5, 0, 255).astype(np.uint8)
    book = Image.new("P", (1, 1))
    book.putpalette(np.concatenate([palette, np.repeat(palette[:1], 256 - len(palette), axis=0)]).tobytes())
    mode = Image.Dither.FLOYDSTEINBERG if dither == "diffused" else Image.Dither.NONE
    numbers = np.asarray(Image.fromarray(np.ascontiguousarray(colours)).quantize(palette=book, dither=mode)).copy()
    # Entries behind the last are the first once more.
    numbers[numbers >= len(palette)] = 0
    numbers[frame[..., 3] == 0] = clear
    return numbers


def _table(palette: NDArray[np.uint8], bits: int) -> bytes:
    return palette.tobytes() + bytes(3 * ((1 << bits) - len(palette)))


class _Gif:
    """Frames are kept until all colours are known."""

    def __init__(self, path: Path, options: Options) -> None:
        self._path, self._options = path, options
        self._rate = Fraction(24)
        self.spill = Spill()

    def add(self, planes: Sequence[Plane]) -> None:
        (plane,) = planes
        self._rate = plane.rate or self._rate
        if self._rate > FASTEST:
            raise InputError(
                f"a GIF plays at most {FASTEST} frames a second, and this is {float(self._rate):g}; choose a rate for it",
                "options.rate",
            )
        self.spill.add(codes(hardened(plane, self._options), 8))

    def _colours(self, frames: Iterable[NDArray[np.uint8]], count: int) -> NDArray[np.uint8]:
        """The colours of frames, as many as are looked at."""
        share = max(_SAMPLED // max(count, 1), 2000)
        found = [np.zeros((0, 3), np.uint8)]
        for frame in frames:
            there = frame[frame[..., 3] > 0][:, :3]
            found.append(there[:: -(-len(there) // share)] if len(there) else there)
        return np.concatenate(found)

    def close(self) -> None:
        try:
            if self.spill.count:
                self._write()
        finally:
            self.spill.close()

    def _write(self) -> None:
        spill, options = self.spill, self._options
        height, width = spill.shape[:2]
        wanted = int(float(options.get("colours", "255")))
        dither = options.get("steps", "none")
        shared = options.get("palette", "one") == "one"
        every = _palette(self._colours(spill, spill.count), wanted) if shared else np.zeros((0, 3), np.uint8)
        delays = stays(spill.count, float(self._rate), _HUNDREDTHS)
        with self._path.open("wb") as file:
            file.write(b"GIF89a" + struct.pack("<HHBBB", width, height, 0x70, 0, 0))
            if spill.count > 1:
                plays = 0 if options.get("plays", "for ever") == "for ever" else 1
                # Without this block it plays once.
                if not plays:
                    file.write(b"\x21\xff\x0bNETSCAPE2.0\x03\x01\x00\x00\x00")
            for frame, delay in zip(spill, delays, strict=True):
                palette = every if shared else _palette(self._colours([frame], 1), wanted)
                bits = max(len(palette).bit_length(), 2)
                clear = len(palette)
                rows = np.flatnonzero((frame[..., 3] > 0).any(axis=1))
                columns = np.flatnonzero((frame[..., 3] > 0).any(axis=0))
                # Of a frame in which nothing stands one clear pixel.
                top, bottom = (int(rows[0]), int(rows[-1]) + 1) if len(rows) else (0, 1)
                left, right = (int(columns[0]), int(columns[-1]) + 1) if len(columns) else (0, 1)
                numbers = _indexed(frame[top:bottom, left:right], palette, clear, dither)
                file.write(b"\x21\xf9\x04" + struct.pack("<BHBB", 0x09, delay, clear, 0))
                file.write(b"," + struct.pack("<HHHHB", left, top, right - left, bottom - top, 0x80 | (bits - 1)))
                file.write(_table(palette, bits))
                file.write(_packed(numbers))
            file.write(b";")


def _packed(numbers: NDArray[np.uint8]) -> bytes:
    """Numbers [H, W] as the blocks of a GIF hold them: Pillow's packing, without its header."""
    blocks = GifImagePlugin.getdata(Image.fromarray(numbers), (0, 0))
    return b"".join(blocks[1:])


def _read_back(
    path: Path, frames: Iterable[Sequence[Plane]], sharing: Sharing, options: Options
) -> Iterator[list[ReadBack]]:
    # Colours are so far apart about; what is there and what is not is kept.
    apart = 255 / float(options.get("colours", "255")) ** (1 / 3)
    allowed = 4.0 + apart / 2, 8.0 + apart, 0.5
    try:
        with av.open(str(path), format="gif") as file:
            stream = file.streams.video[0]
            found = file.decode(stream)
            rate, number = Fraction(24), -1
            for number, (plane,) in enumerate(frames):
                rate = plane.rate or rate
                frame = next(found, None)
                if frame is None:
                    raise StorageError(f"{path.name} holds {number} frames, fewer than were written")
                at = float((frame.pts or 0) * (stream.time_base or 1))
                if abs(at - number / float(rate)) > 0.5 / _HUNDREDTHS + 1e-6:
                    raise StorageError(f"{path.name} shows its frame {number + 1} at {at:.2f} s, not when it should")
                pixels = frame.reformat(format="rgba").to_ndarray() / np.float32(255)
                yield [with_loss(pixels, 8, hardened(plane, options), Coding(), allowed)]
            if next(found, None) is not None:
                raise StorageError(f"{path.name} holds more frames than were written")
    except (av.FFmpegError, OSError) as error:
        raise StorageError(f"{path.name} cannot be read back: {error}") from error


formats.register(
    Format(
        "gif",
        "GIF",
        "gif",
        "hard",
        "sRGB (IEC 61966-2-1), at most 256 colours",
        {"colour": 8, "light": 8, "coverage": 8},
        lambda path, sharing, options: _Gif(path, options),
        _read_back,
        order=70,
        container=True,
        measure=movie_measure,
        moves=True,
        reader="FFmpeg's decoder",
        options=(
            Option(
                "threshold",
                "A pixel is there from",
                low=1,
                high=100,
                initial="50",
                kind="number",
                unit="% of alpha",
                note="Lay it over a ground below if edges are to stay soft.",
            ),
            Option("palette", "Colours", (("one", "One palette for all frames: calm"), ("each", "One for each frame"))),
            Option("colours", "How many", low=2, high=255, initial="255", kind="number", smaller="lower"),
            Option(
                "steps",
                "Between colours",
                (("none", "Hard steps"), ("ordered", "A fixed pattern, calm"), ("diffused", "Spread errors, finer")),
            ),
            Option("plays", "Plays", (("for ever", "For ever"), ("once", "Once"))),
        ),
        lossy="At most 255 colours, and edges are hard unless it is laid over a ground.",
        largest=65535,
        fastest=FASTEST,
    )
)
