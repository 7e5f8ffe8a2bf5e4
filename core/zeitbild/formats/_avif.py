"""What stills and moving pictures in AVIF share (AV1 Image File Format 1.1): what can be chosen, and what is allowed."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import StorageError
from zeitbild.formats._base import Option, Options

#: A side of a picture at most, as AV1 counts them.
LARGEST = 65536
QUALITY = Option("quality", "Quality", low=30, high=100, initial="85", kind="number", smaller="lower")
#: Colour goes on under zero alpha: what is clear has none that could bleed into an edge.
BLED = {"under": "bled"}
LOSSY = "Fine detail is blurred a little, the more the lower the quality; alpha is kept."


def settings(options: Options) -> dict[str, Any]:
    """What the writer is told. Every pixel keeps a colour of its own, and alpha is kept whole; one thread, so that equal
    pictures are equal bytes."""
    return {
        "quality": int(float(options.get("quality", "85"))),
        "subsampling": "4:4:4",
        "speed": 7,
        "max_threads": 1,
        "advanced": {"alpha:lossless": "1", "alpha:end-usage": "q", "alpha:cq-level": "0"},
    }


def allowed(options: Options) -> tuple[float, float, float]:
    """Mean, worst place and alpha in levels of 255 that are let through: twice what soft edges lose at each quality; alpha is kept whole."""
    coarse = (100 - float(options.get("quality", "85"))) / 70
    return 2.0 + 8 * coarse, 10.0 + 50 * coarse, 0.6


def timeless(data: bytes) -> bytes:
    """A file without the moment at which it was made, so that equal pictures are equal bytes (ISO/IEC 14496-12, headers of movies, tracks
    and media)."""
    found = bytearray(data)

    def walk(start: int, end: int) -> None:
        at = start
        while at + 8 <= end:
            size, kind = int.from_bytes(found[at : at + 4], "big"), bytes(found[at + 4 : at + 8])
            if size < 8 or at + size > end:
                return
            if kind in (b"moov", b"trak", b"mdia"):
                walk(at + 8, at + size)
            elif kind in (b"mvhd", b"tkhd", b"mdhd"):
                # Version 1 has 64 bits for each of when it was made and changed.
                long = 16 if found[at + 8] == 1 else 8
                found[at + 12 : at + 12 + long] = bytes(long)
            at += size

    walk(0, len(found))
    return bytes(found)


def frames_in(path: Path) -> Iterator[tuple[NDArray[np.float64], float]]:
    """Every frame of a file in 0..1 [H, W, 4], and the seconds after which it ends, by FFmpeg's libraries: alpha is a picture of its own
    there. StorageError for what cannot be read."""
    try:
        with av.open(str(path)) as light, av.open(str(path)) as share:
            videos = light.streams.video
            if not len(videos):
                raise StorageError(f"{path.name} holds no picture")
            # What moves has tracks beside the pictures that are shown where nothing does.
            most = max(one.frames for one in videos)
            grey = [at for at, one in enumerate(videos) if one.frames == most and one.codec_context.pix_fmt == "gray"]
            colours = [at for at, one in enumerate(videos) if one.frames == most and at not in grey]
            alphas = share.decode(share.streams.video[grey[0]]) if grey else None
            for frame in light.decode(videos[colours[0]]):
                colour = np.asarray(frame.to_ndarray(format="rgb24"), np.float64) / 255
                alpha = np.ones((*colour.shape[:2], 1))
                if alphas is not None:
                    alpha = np.asarray(next(alphas).to_ndarray(format="gray"), np.float64)[..., None] / 255
                ends = float(((frame.pts or 0) + (frame.duration or 0)) * (frame.time_base or 0))
                yield np.concatenate([colour, alpha], axis=2), ends
    except (av.FFmpegError, OSError, ValueError, IndexError, StopIteration) as error:
        raise StorageError(f"{path.name} cannot be read back: {error}") from error
