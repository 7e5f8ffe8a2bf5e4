"""Files of sound through FFmpeg's libraries. Runs in a reading process."""

from __future__ import annotations

from collections.abc import Iterator

import av
import numpy as np
from av.audio.frame import AudioFrame
from av.audio.resampler import AudioResampler
from numpy.typing import NDArray

from zeitbild.errors import SoundError
from zeitbild.sound.marks import levels_of, loud_points, pauses
from zeitbild.sound.plain import CHANNELS, MOST_SECONDS, PIECES, RATE

#: Samples that are looked at together.
_TOGETHER = 10 * RATE
#: Pieces that come out of a file that are joined.
_PIECES = 128
#: What is not packed at all comes in pieces as large as one asks for, and most of the time goes by pieces.
_LARGE_PACKETS = {"wav": {"max_size": str(64 * 1024), "probesize": str(4 * 1024)}}
_KINDS = {
    b"RIFF": "wav",
    b"RF64": "wav",
    b"fLaC": "flac",
    b"OggS": "ogg",
    b"ID3": "mp3",
    b"caff": "caf",
}


def _container(data: bytes) -> str:
    """What kind of file begins with these bytes: its name in the library, or empty. Lists that name other files are none."""
    for begins, name in _KINDS.items():
        if data.startswith(begins):
            return name
    if data[:4] == b"FORM" and data[8:12] in (b"AIFF", b"AIFC"):
        return "aiff"
    if data[4:8] == b"ftyp":
        return "mov"
    if data.startswith(b"\x1aE\xdf\xa3"):
        return "matroska"
    if len(data) > 1 and data[0] == 0xFF and data[1] & 0xE0 == 0xE0:
        # Layer bits are 0 in the stream of bare AAC frames only (ISO/IEC 13818-7).
        return "aac" if data[1] & 0x06 == 0 else "mp3"
    return ""


class Opened:
    """A file of sound, opened; SoundError if it is none."""

    def __init__(self, path: str, label: str) -> None:
        self.label = label
        with open(path, "rb") as file:
            kind = _container(file.read(16))
        if not kind:
            raise SoundError(
                f"{label} is no sound that is read here: WAV, AIFF, CAF, FLAC, MP3, OGG, M4A, AAC or a movie's sound"
            )
        try:
            options = {"protocol_whitelist": "file", **_LARGE_PACKETS.get(kind, {})}
            self._container = av.open(path, format=kind, options=options)
        except (av.FFmpegError, OSError, ValueError) as error:
            raise SoundError(f"{label} is damaged or cut off: {error}") from error
        if not self._container.streams.audio:
            raise SoundError(f"{label} has no sound in it")
        self._stream = self._container.streams.audio[0]
        context = self._stream.codec_context
        self.rate, self.channels, self.coded = int(context.sample_rate or 0), int(context.channels), str(context.name)
        if not self.rate or not self.channels:
            raise SoundError(f"{label} does not say how many samples a second it has")

    def blocks(self) -> Iterator[NDArray[np.float32]]:
        """All of it, block by block [n, 2], at ``RATE``."""
        for planes in self.planes():
            yield np.ascontiguousarray(np.broadcast_to(planes, (CHANNELS, planes.shape[1])).T, np.float32)

    def planes(self) -> Iterator[NDArray[np.float32]]:
        """The same, channel by channel [1 or 2, n]."""
        # One channel is heard as loud on both sides as it is; to make it two would take three decibels off.
        sampler = AudioResampler(format="fltp", layout="mono" if self.channels == 1 else "stereo", rate=RATE)
        count, done, decoded = 0, 0, False
        # What comes out of a file comes in small pieces.
        waiting: list[AudioFrame] = []
        try:
            for frame in self._container.decode(self._stream):
                decoded = True
                for one in sampler.resample(frame):
                    waiting.append(one)
                    count += one.samples
                if count > MOST_SECONDS * RATE:
                    raise SoundError(f"{self.label} is longer than {MOST_SECONDS // 60} minutes")
                if len(waiting) >= _PIECES or count >= done + _TOGETHER:
                    yield _joined(waiting)
                    waiting, done = [], count
        except av.FFmpegError as error:
            if not decoded:
                raise SoundError(f"{self.label} is damaged or cut off: {error}") from error
            # What is there up to where it was cut off is heard.
        if not decoded:
            raise SoundError(f"{self.label} is empty: there is no sound in it")
        waiting += sampler.resample(None)
        if waiting:
            yield _joined(waiting)


def _joined(pieces: list[AudioFrame]) -> NDArray[np.float32]:
    """Pieces one after the other [1 or 2, n]; a number that is none would make all of the mix none."""
    joined = np.empty((len(pieces[0].planes), sum(one.samples for one in pieces)), np.float32)
    at = 0
    for one in pieces:
        for plane, into in zip(one.planes, joined, strict=True):
            # A plane may be longer than what is in it.
            into[at : at + one.samples] = np.frombuffer(memoryview(plane), np.float32, one.samples)
        at += one.samples
    # What is no number anywhere makes the sum of squares none: looking at each would take as long as all else here.
    if not np.isfinite(np.vdot(joined, joined)):
        joined = np.nan_to_num(joined, nan=0.0, posinf=1.0, neginf=-1.0)
    return joined


def looked_at(path: str, label: str) -> dict[str, object]:
    """See ``plain.Heard``, in plain values."""
    opened, size = Opened(path, label), RATE // PIECES
    lows: list[NDArray[np.float32]] = []
    highs: list[NDArray[np.float32]] = []
    waiting: list[NDArray[np.float32]] = []
    count = ready = 0

    def gather(samples: NDArray[np.float32]) -> None:
        pieces = samples.reshape(len(samples), -1, size)
        lows.append(pieces.min(axis=(0, 2)))
        highs.append(pieces.max(axis=(0, 2)))

    for block in opened.planes():
        count += block.shape[1]
        ready += block.shape[1]
        waiting.append(block)
        # Blocks may be small: some seconds of them are looked at together.
        if ready > _TOGETHER:
            held = np.concatenate(waiting, axis=1)
            whole = ready // size * size
            gather(np.ascontiguousarray(held[:, :whole]))
            waiting, ready = [held[:, whole:]], ready - whole
    if ready:
        held = np.concatenate(waiting, axis=1)
        gather(np.concatenate([held, np.zeros((len(held), -ready % size), np.float32)], axis=1))
    low, high = (np.concatenate(parts) if parts else np.empty(0, np.float32) for parts in (lows, highs))
    levels = levels_of(low, high)
    return {
        "seconds": count / RATE,
        "rate": opened.rate,
        "channels": opened.channels,
        "coded": opened.coded,
        "lows": low,
        "highs": high,
        "loud": list(loud_points(levels)),
        "pauses": [list(one) for one in pauses(levels)],
    }


def samples(path: str, label: str, first: int, count: int) -> NDArray[np.float32]:
    """Samples [n, 2] of a file from one on, at ``RATE``; fewer if it ends before."""
    found, at = [], 0
    for block in Opened(path, label).blocks():
        begin, end = max(first - at, 0), min(first + count - at, len(block))
        if begin < end:
            found.append(block[begin:end])
        at += len(block)
        if at >= first + count:
            break
    return np.concatenate(found) if found else np.empty((0, CHANNELS), np.float32)
