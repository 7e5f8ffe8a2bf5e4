"""How large the pictures of a file are and how many it holds, by opening it: for packages that are checked where nothing is known but they."""

from __future__ import annotations

from pathlib import Path

import av
import OpenImageIO as oiio
from PIL import Image

from zeitbild.errors import StorageError

#: Width, height, and frames.
Measure = tuple[int, int, int]


def still_measure(path: Path) -> Measure:
    """A file of one frame: all of it is read."""
    source = oiio.ImageInput.open(str(path))
    if source is None:
        raise StorageError(f"{path.name} cannot be opened: {oiio.geterror()}")
    try:
        spec = source.spec()
        if source.read_image("float") is None:
            raise StorageError(f"{path.name} cannot be read: {source.geterror()}")
        return spec.full_width or spec.width, spec.full_height or spec.height, 1
    finally:
        source.close()


def movie_measure(path: Path) -> Measure:
    """A movie: every frame is decoded."""
    try:
        with av.open(str(path)) as file:
            stream = file.streams.video[0]
            stream.thread_type = "AUTO"
            count = sum(1 for _ in file.decode(stream))
            return stream.codec_context.width, stream.codec_context.height, count
    except (av.FFmpegError, OSError, IndexError) as error:
        raise StorageError(f"{path.name} cannot be read: {error}") from error


def moving_measure(path: Path) -> Measure:
    """A picture that moves: every frame is decoded."""
    try:
        with Image.open(path) as file:
            count = getattr(file, "n_frames", 1)
            for number in range(count):
                file.seek(number)
                file.load()
            return file.width, file.height, count
    except (OSError, SyntaxError, ValueError) as error:
        raise StorageError(f"{path.name} cannot be read: {error}") from error
