"""Movies: MOV, MP4, WebM, Matroska, through FFmpeg's libraries. Runs in a reading process."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from itertools import chain
from pathlib import Path

import av
import numpy as np
from av.video.frame import VideoFrame
from av.video.reformatter import ColorRange, Colorspace

from zeitbild.avif_files import is_avif
from zeitbild.errors import PictureError
from zeitbild.footage.fields import Fields
from zeitbild.footage.plain import MAX_PICTURES
from zeitbild.stills import Raw, check_size, in_srgb, said_by_codes

#: Pictures that are decoded on the way to one that is asked for, before the file is searched for a nearer beginning.
_NEAR = 48
#: From this height on movies that do not say how their colours are coded are taken as ITU-R BT.709, below as BT.601 (common practice).
_HIGH = 720
#: Threads that decode: each holds pictures of its own.
_THREADS = 2
#: Steps from picture to picture that differ by more of one are uneven.
_EVEN = 0.6
#: How a colour space is called that a file does not say; primaries of ITU-R BT.2020, and its ways from colours to luma (H.273, tables 2 and 4).
_UNSAID, _BT2020, _OF_BT2020 = 2, 9, (9, 10)


def container_of(data: bytes) -> str:
    """What kind of container starts with some bytes (at least 12): its name in the library, or empty. Nothing else is opened: lists that
    name other files are none."""
    if is_avif(data):
        return ""
    if data[4:8] in (b"ftyp", b"moov", b"mdat", b"wide", b"free", b"skip"):
        return "mov"
    return "matroska" if data.startswith(b"\x1aE\xdf\xa3") else ""


class Movie:
    """A movie, opened. Picture n is what is shown at n by its rate."""

    def __init__(self, path: Path, label: str) -> None:
        self.label, self.notes = label, list[str]()
        with path.open("rb") as file:
            kind = container_of(file.read(16))
        try:
            self._container = av.open(str(path), format=kind, options={"protocol_whitelist": "file"})
        except (av.FFmpegError, OSError, ValueError) as error:
            raise PictureError(f"{label} is damaged or cut off: {error}") from error
        videos = self._container.streams.video
        if not videos:
            raise PictureError(f"{label} has no pictures in it")
        self._stream = videos[0]
        context = self._stream.codec_context
        check_size(context.width, context.height, label)
        self.width, self.height = context.width, context.height
        aspect = self._stream.sample_aspect_ratio or Fraction(1)
        self.shape = self.height / (self.width * float(aspect or 1))
        if aspect and aspect != 1:
            self.notes.append(
                f"its pixels are {float(aspect):.3f} times as wide as high: it is shown as wide as it is meant"
            )
        rate = self._stream.average_rate or self._stream.guessed_rate
        if not rate:
            raise PictureError(f"{label} does not say how many pictures a second it has")
        self.rate = Fraction(rate)
        # The usual decoder of this one leaves its alpha out without a word.
        self._veiled = context.name.startswith("vp9") and self._stream.metadata.get("alpha_mode") == "1"
        self._decoder = context
        if self._veiled:
            own = av.CodecContext.create("libvpx-vp9", "r")
            own.extradata = context.extradata
            self._decoder = own  # type: ignore[assignment]
        else:
            context.thread_type, context.thread_count = "AUTO", _THREADS
        self._base = self._stream.time_base or Fraction(1, 1000)
        self._begin = self._stream.start_time or 0
        self.count = self._counted()
        self._frames: Iterator[tuple[int, VideoFrame]] = iter(())
        self._held: tuple[int, VideoFrame] | None = None
        self._ahead: tuple[int, VideoFrame] | None = None
        self._in_fields = False
        self._from_start()
        if self._ahead is not None and self._ahead[1].interlaced_frame:
            self._in_fields = True
            self.notes.append(
                "its pictures are two fields each (interlaced): each is made whole, as at its first field"
            )
            self._from_start()
        # Telephones hold them as they were held.
        self._turns = round(self._ahead[1].rotation / 90) % 4 if self._ahead is not None else 0
        if self._turns % 2:
            self.width, self.height, self.shape = self.height, self.width, 1 / self.shape

    def _counted(self) -> int:
        entries = self._stream.index_entries
        if self._stream.frames and len(entries) == self._stream.frames:
            # What the file says of itself, so that a large one need not be read through. Its order is that of decoding: steps are as even.
            steps = np.diff(np.array([one.timestamp for one in entries], np.float64))
            if len(steps) == 0 or float(np.abs(steps * float(self._base * self.rate) - 1).max()) <= _EVEN:
                return len(entries)
        times = set[int]()
        last = 0
        for packet in self._container.demux(self._stream):
            if packet.pts is None or packet.size == 0:
                continue
            times.add(packet.pts)
            last = max(last, packet.pts + (packet.duration or 0))
            if len(times) > MAX_PICTURES:
                raise PictureError(f"{self.label} has more than {MAX_PICTURES:,} pictures")
        if not times:
            raise PictureError(f"{self.label} is damaged or cut off: there is no picture in it")
        self._begin = min(times)
        steps = np.diff(np.array(sorted(times), np.float64)) * float(self._base * self.rate)
        if len(steps) and float(np.abs(steps - 1).max()) > _EVEN:
            self.notes.append(f"its pictures last unequally: it is looked at {float(self.rate):g} times a second")
            return max(1, round((last - self._begin) * self._base * self.rate))
        return len(times)

    def _from_start(self) -> None:
        self._seek(self._begin)

    def _seek(self, to: int) -> None:
        self._container.seek(to, stream=self._stream, backward=True)
        self._decoder.flush_buffers()
        self._frames, self._held = self._decoded(), None
        self._ahead = next(self._frames, None)

    def _decoded(self) -> Iterator[tuple[int, VideoFrame]]:
        """Frames from here on, with the number of the picture that they begin."""
        if not self._in_fields:
            yield from ((self._number(frame, self._base), frame) for frame in self._frames_from_here())
            return
        fields = Fields(self._stream)
        for frame in chain(self._frames_from_here(), (None,)):
            for whole in fields.whole(frame):
                yield self._number(whole, whole.time_base or self._base), whole

    def _number(self, frame: VideoFrame, base: Fraction) -> int:
        return round(((frame.pts or 0) * base - self._begin * self._base) * self.rate)

    def _frames_from_here(self) -> Iterator[VideoFrame]:
        for packet in self._container.demux(self._stream):
            if self._veiled and packet.size == 0:
                packets = self._decoder.decode(None)
            else:
                packets = self._decoder.decode(packet)
            for frame in packets:
                assert isinstance(frame, VideoFrame)
                if frame.pts is not None:
                    yield frame

    def picture(self, number: int) -> Raw:
        """One of its pictures; PictureError where the file is damaged."""
        try:
            at = self._held[0] if self._held is not None else -1
            if number < at or number > at + _NEAR:
                # Fields need the picture before them, or they would depend on where somebody looked last.
                self._seek(self._begin + int(max(number - self._in_fields, 0) / self.rate / self._base))
                if self._ahead is not None and self._ahead[0] > number:
                    self._from_start()
            while self._ahead is not None and (self._ahead[0] <= number or self._held is None):
                self._held, self._ahead = self._ahead, next(self._frames, None)
            if self._held is None:
                raise PictureError(f"picture {number + 1} of {self.label} is missing: the file may be cut off")
            return self._raw(self._held[1])
        except (av.FFmpegError, OSError) as error:
            raise PictureError(f"picture {number + 1} of {self.label} is damaged: {error}") from error

    def _raw(self, frame: VideoFrame) -> Raw:
        parts = frame.format.components
        alpha = any(part.is_alpha for part in parts)
        fine = max(part.bits for part in parts) > 8
        wanted = ("rgba64le" if fine else "rgba") if alpha else ("rgb48le" if fine else "rgb24")
        if frame.format.is_rgb:
            other = frame.reformat(format=wanted)
        else:
            space = int(frame.colorspace)
            if space == _UNSAID:
                space = int(Colorspace.ITU709 if self.height >= _HIGH else Colorspace.ITU601)
            whole = int(frame.color_range) == int(ColorRange.JPEG) or frame.format.name.startswith("yuvj")
            other = frame.reformat(
                format=wanted,
                src_colorspace=space,
                dst_colorspace=Colorspace.ITU709,
                src_color_range=ColorRange.JPEG if whole else ColorRange.MPEG,
                dst_color_range=ColorRange.JPEG,
            )
        pixels = other.to_ndarray()
        kind = np.uint16 if fine else np.uint8
        high, wide = (self.width, self.height) if self._turns % 2 else (self.height, self.width)
        raw = Raw(np.ascontiguousarray(np.rot90(pixels[:high, :wide], self._turns), kind), True)
        primaries = int(frame.color_primaries)
        if primaries == _UNSAID and int(frame.colorspace) in _OF_BT2020:
            primaries = _BT2020
        return in_srgb(raw, said_by_codes(primaries, int(frame.color_trc)))
