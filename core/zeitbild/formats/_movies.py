"""Movies: what their writers and readers share, on FFmpeg's libraries.

Colour goes to luma and two differences by ITU-R BT.709 in its narrow range (``_luma``), and the file says so (primaries 1, matrix 1, transfer as
chosen, ITU-T H.273). Reading back decodes the file and undoes that by the formulas of BT.709 (``_from_luma``), which share nothing with
what wrote it; the decoder is FFmpeg's, too.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal

import av
import numpy as np
from av.audio.fifo import AudioFifo
from av.audio.frame import AudioFrame
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Colorspace
from numpy.typing import NDArray

from zeitbild.errors import StorageError
from zeitbild.formats._base import Option, Options, Plane, ReadBack, Sharing
from zeitbild.formats._coding import Coding
from zeitbild.formats._from_luma import Luma
from zeitbild.formats._luma import frame_of, frame_of_light
from zeitbild.formats._reading_back import compared, with_loss
from zeitbild.formats._whole_numbers import codes
from zeitbild.sound import RATE

#: ITU-T H.273: primaries and matrix of BT.709.
_BT709 = 1
#: How sound inside is written: codec, its kind of samples, and the file's bits per second (0: all of it).
_SOUNDS = {"PCM": ("pcm_s24le", "s32", 0), "AAC": ("aac", "fltp", 256_000), "Opus": ("libopus", "flt", 192_000)}
TRANSFER = Option(
    "transfer", "Light is encoded by", (("srgb", "sRGB, as it is seen here"), ("rec709", "Rec. 709, as cameras do"))
)


@dataclass(frozen=True, slots=True)
class Movie:
    """A kind of movie: its container and codec by FFmpeg's names, pixels as the codec takes them, and its settings by the options.

    lossless ones hold code values; others allow, by the options, mean, worst and alpha in levels of 255 (``Loss``). ``bled`` ones keep alpha beside colour in
    fewer places, so that colour goes on under zero alpha, and black there would be drawn into the edge.
    """

    container: str
    codec: str
    pixels: str
    settings: Callable[[Options], Mapping[str, str]]
    alpha: bool = True
    lossless: Literal[0, 8, 16] = 0
    allowed: Callable[[Options], tuple[float, float, float]] = lambda _: (0.0, 0.0, 0.0)
    bled: bool = False
    bits: int = 8
    sound: str = ""
    muxer: Mapping[str, str] | None = None
    decoder: str = ""
    #: Settings of small pictures: those with a side of fewer pixels than this.
    small: Mapping[str, str] | None = None
    small_below: int = 256

    def coding(self, options: Options) -> Coding:
        """How colour is written."""
        own = Coding.of(options)
        return Coding(own.transfer, own.premultiplied, self.bled or own.bled, own.dithered)


def yuv_of(plane: Plane, pixels: str, coding: Coding) -> VideoFrame:
    """A plane as a frame of luma and differences."""
    if plane.role == "coverage" or coding.bled:
        frame = frame_of(frame_codes(plane, 16, coding, alpha=True), pixels)
    else:
        frame = frame_of_light(plane.pixels, coding.transfer, pixels, times_alpha=coding.premultiplied)
    frame.colorspace, frame.color_range = Colorspace.ITU709, ColorRange.MPEG
    return frame


def frame_codes(plane: Plane, bits: int, coding: Coding, *, alpha: bool) -> NDArray[Any]:
    """Codes [H, W, 3 or 4] of a plane; shares are a grey that is not encoded."""
    numbers = codes(plane, bits, coding)
    top = (1 << bits) - 1
    if numbers.ndim == 2:
        numbers = np.repeat(numbers[..., None], 4, axis=2)
        numbers[..., 3] = top
    return np.ascontiguousarray(numbers if alpha else numbers[..., :3])


class _Writer:
    """Frames go into the file as they come, and their sound beside them."""

    def __init__(self, kind: Movie, path: Path, options: Options) -> None:
        self._kind, self._options, self._coding = kind, options, kind.coding(options)
        muxer = {"fflags": "+bitexact", **(kind.muxer or {})}
        try:
            self._file = av.open(str(path), "w", format=kind.container, options=muxer)
        except (av.FFmpegError, OSError) as error:
            raise StorageError(f"{path.name} cannot be written: {error}") from error
        self._stream: Any = None
        self._sound: Any = None
        self._fifo = AudioFifo()
        self._count = self._heard = 0

    def _begin(self, plane: Plane) -> None:
        rate = plane.rate or Fraction(24)
        kind = self._kind
        stream: Any = self._file.add_stream(kind.codec, rate=rate)
        self._stream = stream
        stream.height, stream.width = plane.pixels.shape[:2]
        stream.pix_fmt = kind.pixels
        small = kind.small if kind.small and min(stream.height, stream.width) < kind.small_below else {}
        stream.options = {"threads": "2", **kind.settings(self._options), **small}
        context = stream.codec_context
        context.flags |= av.codec.context.Flags.bitexact
        context.time_base = 1 / rate
        context.color_primaries = _BT709
        context.color_trc = self._coding.transfer.h273
        if self._is_yuv:
            context.colorspace = _BT709
            context.color_range = int(ColorRange.MPEG)
        else:
            # Red, green and blue as they are (H.273, matrix 0).
            context.colorspace = 0
        if plane.sound is not None and kind.sound:
            codec, samples, bits = _SOUNDS[kind.sound]
            self._sound = self._file.add_stream(codec, rate=RATE)
            self._sound.layout = "stereo"
            self._sound.format = samples
            if bits:
                self._sound.bit_rate = bits

    @property
    def _is_yuv(self) -> bool:
        return self._kind.pixels.startswith("yuv")

    def _frame(self, plane: Plane) -> VideoFrame:
        kind = self._kind
        if self._is_yuv:
            frame = yuv_of(plane, kind.pixels, self._coding)
        else:
            bits = kind.lossless or 16
            numbers = frame_codes(plane, bits, self._coding, alpha=kind.alpha)
            frame = VideoFrame.from_ndarray(numbers, format="rgba" if bits == 8 else "rgba64le")
            if frame.format.name != kind.pixels:
                # Only another order of the same numbers.
                frame = frame.reformat(format=kind.pixels)
        frame.color_primaries, frame.color_trc = _BT709, self._coding.transfer.h273
        return frame

    def add(self, planes: Sequence[Plane]) -> None:
        (plane,) = planes
        if self._stream is None:
            self._begin(plane)
        frame = self._frame(plane)
        frame.pts, frame.time_base = self._count, 1 / (plane.rate or Fraction(24))
        self._file.mux(self._stream.encode(frame))
        if self._sound is not None and plane.sound is not None:
            self._hear(plane.sound)
        self._count += 1

    def _hear(self, samples: NDArray[np.float32]) -> None:
        held = np.clip(samples, -1, 1)
        kind = self._sound.format.name
        if kind == "s32":
            whole = np.clip(np.rint(held.astype(np.float64) * 2**23), -(2**23), 2**23 - 1).astype(np.int32) << 8
            frame = AudioFrame.from_ndarray(whole.reshape(1, -1), format="s32", layout="stereo")
        elif kind == "fltp":
            frame = AudioFrame.from_ndarray(np.ascontiguousarray(held.T, np.float32), format="fltp", layout="stereo")
        else:
            frame = AudioFrame.from_ndarray(
                np.ascontiguousarray(held, np.float32).reshape(1, -1), format="flt", layout="stereo"
            )
        frame.sample_rate, frame.time_base, frame.pts = RATE, Fraction(1, RATE), self._heard
        self._heard += len(samples)
        self._fifo.write(frame)
        self._pour(partial=False)

    def _pour(self, *, partial: bool) -> None:
        """Encode what there is of sound, in pieces as long as the codec wants."""
        size = self._sound.codec_context.frame_size or RATE // 10
        while True:
            piece = self._fifo.read(size, partial)
            if piece is None or piece.samples == 0:
                return
            self._file.mux(self._sound.encode(piece))

    def close(self) -> None:
        try:
            if self._stream is not None:
                self._file.mux(self._stream.encode(None))
            if self._sound is not None:
                self._pour(partial=True)
                self._file.mux(self._sound.encode(None))
        finally:
            self._file.close()


def opener(kind: Movie) -> Callable[[Path, Sharing, Options], _Writer]:
    """What begins movies of a kind."""
    return lambda path, sharing, options: _Writer(kind, path, options)


def _decoded(path: Path, kind: Movie) -> Iterator[tuple[Any, VideoFrame]]:
    with av.open(str(path)) as file:
        stream = file.streams.video[0]
        decoder: Any = stream.codec_context
        if kind.decoder:
            decoder = av.CodecContext.create(kind.decoder, "r")
            decoder.extradata = stream.codec_context.extradata
        for packet in file.demux(stream):
            for frame in decoder.decode(None if packet.size == 0 and kind.decoder else packet):
                yield stream, frame


def reader(kind: Movie) -> Callable[[Path, Iterable[Sequence[Plane]], Sharing, Options], Iterator[list[ReadBack]]]:
    """What reads movies of a kind back, frame by frame, and at the end their sound."""

    def read_back(
        path: Path, frames: Iterable[Sequence[Plane]], sharing: Sharing, options: Options
    ) -> Iterator[list[ReadBack]]:
        coding = kind.coding(options)
        found = _decoded(path, kind)
        rate = Fraction(24)
        heard = Heard()
        try:
            for number, (plane,) in enumerate(frames):
                rate = plane.rate or rate
                if plane.sound is not None and kind.sound:
                    heard.add(plane.sound)
                own = next(found, None)
                if own is None:
                    raise StorageError(f"{path.name} holds {number} frames, fewer than were written")
                stream, frame = own
                at = frame.pts * stream.time_base - (stream.start_time or 0) * stream.time_base
                if abs(at - number / rate) > Fraction(1, 2) / rate:
                    raise StorageError(
                        f"{path.name} shows its frame {number + 1} at {float(at):.3f} s, not when it should"
                    )
                yield [_compared(frame, plane, kind, coding, options)]
            if next(found, None) is not None:
                raise StorageError(f"{path.name} holds more frames than were written")
        except (av.FFmpegError, OSError, ValueError) as error:
            raise StorageError(f"{path.name} cannot be read back: {error}") from error
        check_rate(path, rate)
        heard.check(path)

    return read_back


def _compared(frame: VideoFrame, plane: Plane, kind: Movie, coding: Coding, options: Options) -> ReadBack:
    if kind.lossless:
        parts = frame.format.components
        alpha = any(part.is_alpha for part in parts)
        form = ("rgba" if alpha else "rgb24") if kind.lossless == 8 else ("rgba64le" if alpha else "rgb48le")
        pixels = (frame if frame.format.name == form else frame.reformat(format=form)).to_ndarray()
        if plane.role == "coverage":
            pixels = pixels[..., :1]
        return compared(pixels, max(part.bits for part in parts), plane, kind.lossless, coding)
    allowed = kind.allowed(options)
    return judged(Luma.of(frame), plane, kind, coding, allowed)


def judged(pixels: Luma, plane: Plane, kind: Movie, coding: Coding, allowed: tuple[float, float, float]) -> ReadBack:
    """What is found of a frame that lost something. Colours that pixels have to share may be far from their own, without
    any fault of the codec: as far as that goes is allowed, too."""
    found = with_loss(pixels, kind.bits, plane, coding, allowed)
    if found.holds or found.loss is None:
        return found
    shared = yuv_of(plane, kind.pixels, coding)
    least = with_loss(Luma.of(shared), kind.bits, plane, coding, allowed).loss
    if least is None:
        return found
    more = 1.5 * allowed[0] + least.mean, allowed[1] + least.worst, allowed[2] + least.alpha
    return with_loss(pixels, kind.bits, plane, coding, more)


def check_rate(path: Path, rate: Fraction) -> None:
    """StorageError unless a movie plays at a rate in frames a second."""
    with av.open(str(path)) as file:
        own = file.streams.video[0].average_rate or file.streams.video[0].guessed_rate
    # Some containers count in whole milliseconds.
    if own is None or abs(own / rate - 1) > Fraction(1, 500):
        raise StorageError(f"{path.name} plays at {own} frames a second, not at {rate}")


class Heard:
    """The sound that a movie should have inside: how long it is, and how loud in stretches of a fifth of a second."""

    def __init__(self) -> None:
        self._energy = _Loudness()

    def add(self, samples: NDArray[np.float32]) -> None:
        """More samples [n, 2] at 48000 a second."""
        self._energy.add(np.clip(samples, -1, 1))

    def check(self, path: Path) -> None:
        """StorageError unless the sound inside is as long (what codecs add at the end, a piece of theirs, may be there) and as loud on
        both sides, all along; nothing if there should be none."""
        wanted = self._energy
        if not wanted.count:
            return
        found = _Loudness()
        with av.open(str(path)) as file:
            if not file.streams.audio:
                raise StorageError(f"{path.name} has no sound inside")
            resampler = av.AudioResampler(format="flt", layout="stereo", rate=RATE)
            for frame in (*file.decode(audio=0), None):
                for part in resampler.resample(frame):
                    found.add(np.asarray(part.to_ndarray().reshape(-1, 2), np.float32))
        if not wanted.count <= found.count <= wanted.count + _PIECE:
            raise StorageError(f"{path.name} has {found.count} samples of sound, not {wanted.count}")
        for number, (own, other) in enumerate(zip(wanted.levels, found.levels, strict=False)):
            off = np.abs(own - other)
            if (off > _QUIET + _LEVEL * own).any():
                raise StorageError(
                    f"{path.name} is not as loud as it should be {number * _STRETCH / RATE:.1f} s after its beginning"
                )


#: Samples of a stretch whose loudness is compared, and of a piece that a codec may add.
_STRETCH, _PIECE = RATE // 5, 4096
#: How far loudness may be off: a share of it (a decibel and a half), and what is hardly heard.
_LEVEL, _QUIET = 0.17, 0.004


class _Loudness:
    """Root mean squares of both sides in stretches, of samples that come bit by bit."""

    def __init__(self) -> None:
        self.count = 0
        self._squares: list[NDArray[np.float64]] = []

    def add(self, samples: NDArray[np.float32]) -> None:
        """More samples [n, 2]."""
        while len(samples):
            number, at = divmod(self.count, _STRETCH)
            part, samples = samples[: _STRETCH - at], samples[_STRETCH - at :]
            if number == len(self._squares):
                self._squares.append(np.zeros(2))
            self._squares[number] += (part.astype(np.float64) ** 2).sum(axis=0)
            self.count += len(part)

    @property
    def levels(self) -> list[NDArray[np.float64]]:
        """Loudness [2] of each stretch, a full one being 1."""
        return [np.sqrt(squares / _STRETCH) for squares in self._squares]
