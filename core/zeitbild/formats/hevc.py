"""HEVC with alpha in MP4 (ITU-T H.265, annex F: a second layer for alpha): for browsers that do not read WebM with alpha.

FFmpeg's libraries here neither write nor read that layer; a newer build of it as a program does both. Colour is read by the libraries,
too, when a package is verified.
"""

from __future__ import annotations

import contextlib
import os
import queue
import subprocess
import tempfile
import threading
from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import IO, Any

import av
import imageio_ffmpeg
import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import StorageError
from zeitbild.formats import _movies
from zeitbild.formats._base import Format, Option, Options, Plane, ReadBack, Sharing, formats
from zeitbild.formats._from_luma import Luma, planes_of
from zeitbild.formats._measures import movie_measure
from zeitbild.sound import RATE
from zeitbild.storage import own_prefix

_PIXELS = "yuva420p"


def _allowed(options: Options) -> tuple[float, float, float]:
    coarse = float(options.get("quality", "10"))
    return 3.0 + coarse / 4, 24.0 + 1.5 * coarse, 40.0 + 3 * coarse


#: One picture at a time (with several the bytes are others from one time to the next), and as much for each: what is saved on pictures
#: that others follow is lost at the edges of alpha first.
_EVENLY = "log-level=error:frame-threads=1:ipratio=1:pbratio=1:qcomp=1:cutree=0:aq-mode=0:psy-rd=0:psy-rdoq=0:sao=0"
_KIND = _movies.Movie("mp4", "libx265", _PIXELS, lambda _: {}, allowed=_allowed, bled=True, sound="AAC")


class _Sound(threading.Thread):
    """Gives samples to the program through a pipe of its own, while frames go through another."""

    def __init__(self, place: Path) -> None:
        super().__init__(daemon=True)
        self.place = place
        os.mkfifo(place)
        self._waiting: queue.SimpleQueue[bytes | None] = queue.SimpleQueue()

    def run(self) -> None:
        """Hand over what comes until nothing more does."""
        with contextlib.suppress(BrokenPipeError), self.place.open("wb") as pipe:
            while (block := self._waiting.get()) is not None:
                pipe.write(block)

    def add(self, samples: NDArray[np.float32]) -> None:
        """More samples [n, 2]."""
        self._waiting.put(np.ascontiguousarray(np.clip(samples, -1, 1), "<f4").tobytes())

    def close(self) -> None:
        """Nothing more comes."""
        self._waiting.put(None)

    def give_up(self) -> None:
        """End, though the program may never have listened."""
        self.close()
        with contextlib.suppress(OSError):
            os.close(os.open(self.place, os.O_RDONLY | os.O_NONBLOCK))
        self.join(timeout=5)


class _Writer:
    """Frames, and sound beside them, go to the program as they come."""

    def __init__(self, path: Path, options: Options) -> None:
        self._path, self._options = path, options
        self._folder = tempfile.TemporaryDirectory(prefix=own_prefix())
        self._said: IO[bytes] = tempfile.TemporaryFile(prefix=own_prefix())  # noqa: SIM115 (closed by close)
        self._program: subprocess.Popen[bytes] | None = None
        self._sound: _Sound | None = None

    def _begin(self, plane: Plane) -> subprocess.Popen[bytes]:
        height, width = plane.pixels.shape[:2]
        rate = plane.rate or Fraction(24)
        colour = (
            "-color_primaries",
            "bt709",
            "-color_trc",
            "iec61966-2-1",
            "-colorspace",
            "bt709",
            "-color_range",
            "tv",
        )
        source = ("-f", "rawvideo", "-pix_fmt", _PIXELS, "-s", f"{width}x{height}", "-r", str(rate), *colour, "-i", "-")
        coarse = self._options.get("quality", "10")
        codec = (
            "-c:v",
            "libx265",
            "-preset",
            "medium",
            "-crf",
            coarse,
            "-x265-params",
            "log-level=error:frame-threads=1",
        )
        more: tuple[str, ...] = (
            "-pix_fmt",
            _PIXELS,
            "-tag:v",
            "hvc1",
            *colour,
            "-fflags",
            "+bitexact",
            "-flags:v",
            "+bitexact",
        )
        ends = ("-movflags", "+faststart", "-f", "mp4", str(self._path))
        heard: tuple[str, ...] = ()
        if plane.sound is not None:
            # Put beside the pictures afterwards it would cost them their alpha: what copies them does not know the second layer.
            self._sound = _Sound(Path(self._folder.name) / "sound")
            heard = ("-f", "f32le", "-ar", str(RATE), "-ac", "2", "-i", str(self._sound.place))
            more = (*more, "-map", "0:v", "-map", "1:a", "-c:a", "aac", "-b:a", "256k", "-flags:a", "+bitexact")
            self._sound.start()
        words = [imageio_ffmpeg.get_ffmpeg_exe(), "-v", "error", "-y", *source, *heard, *codec, *more, *ends]
        return subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=self._said)

    def add(self, planes: Sequence[Plane]) -> None:
        (plane,) = planes
        if self._program is None:
            self._program = self._begin(plane)
        # Before its frame, so that the program never waits for it.
        if self._sound is not None and plane.sound is not None:
            self._sound.add(plane.sound)
        frame = _movies.yuv_of(plane, _PIXELS, _KIND.coding(self._options))
        assert self._program.stdin is not None
        try:
            for part in planes_of(frame):
                self._program.stdin.write(part.tobytes())
        except BrokenPipeError as error:
            raise StorageError(f"the movie could not be written: {self._why()}") from error

    def _why(self) -> str:
        self._said.seek(0)
        return self._said.read().decode(errors="replace")[-300:] or "the program ended"

    def close(self) -> None:
        try:
            if self._program is None:
                return
            assert self._program.stdin is not None
            with contextlib.suppress(BrokenPipeError):
                self._program.stdin.close()
            if self._sound is not None:
                self._sound.close()
            if self._program.wait():
                raise StorageError(f"the movie could not be written: {self._why()}")
        finally:
            if self._program is not None and self._program.poll() is None:
                self._program.kill()
                self._program.wait()
            if self._sound is not None:
                self._sound.give_up()
            self._said.close()
            self._folder.cleanup()


def _decoded(path: Path, width: int, height: int) -> Iterator[list[NDArray[Any]]]:
    """Planes of every frame, alpha too."""
    shapes = [(height, width), *[(-(-height // 2), -(-width // 2))] * 2, (height, width)]
    sizes = [down * across for down, across in shapes]
    words = [
        imageio_ffmpeg.get_ffmpeg_exe(),
        "-v",
        "error",
        "-i",
        str(path),
        "-f",
        "rawvideo",
        "-pix_fmt",
        _PIXELS,
        "-",
    ]
    program = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    assert program.stdout is not None
    try:
        while len(data := program.stdout.read(sum(sizes))) == sum(sizes):
            parts, at = [], 0
            for shape, size in zip(shapes, sizes, strict=True):
                parts.append(np.frombuffer(data, np.uint8, size, at).reshape(shape))
                at += size
            yield parts
    finally:
        program.stdout.close()
        program.kill()
        program.wait()


def _read_back(
    path: Path, frames: Iterable[Sequence[Plane]], sharing: Sharing, options: Options
) -> Iterator[list[ReadBack]]:
    coding = _KIND.coding(options)
    rate, heard, number = Fraction(24), _movies.Heard(), -1
    found: Iterator[list[NDArray[Any]]] | None = None
    try:
        wide, high, count = movie_measure(path)
        for number, (plane,) in enumerate(frames):
            rate = plane.rate or rate
            if plane.sound is not None:
                heard.add(plane.sound)
            if found is None:
                found = _decoded(path, wide, high)
            parts = next(found, None)
            if parts is None:
                raise StorageError(f"{path.name} holds {number} frames, fewer than were written")
            yield [_movies.judged(Luma.of_planes(parts, 8), plane, _KIND, coding, _allowed(options))]
        if number + 1 != count:
            raise StorageError(f"{path.name} holds {count} frames, not {number + 1}")
    except (av.FFmpegError, OSError, ValueError) as error:
        raise StorageError(f"{path.name} cannot be read back: {error}") from error
    _movies.check_rate(path, rate)
    heard.check(path)


formats.register(
    Format(
        "hevc",
        "HEVC with alpha in MP4",
        "mp4",
        "straight",
        "sRGB (IEC 61966-2-1)",
        {"colour": 8, "light": 8, "coverage": 8},
        lambda path, sharing, options: _Writer(path, options),
        _read_back,
        order=82,
        container=True,
        moves=True,
        hears="AAC",
        even=True,
        measure=movie_measure,
        reader="FFmpeg's decoder",
        options=(
            Option(
                "quality",
                "Coarseness",
                low=0,
                high=36,
                initial="10",
                kind="number",
                note="0 keeps nearly everything, 24 is small, 36 is rough, its alpha too.",
                smaller="higher",
            ),
        ),
        lossy="Colour has a quarter of the places that alpha has, and fine detail is blurred a little.",
        # The encoder writes beyond its memory at 34 to 48 by 16 to 30 pixels.
        smallest=32,
        largest=8192,
    )
)
