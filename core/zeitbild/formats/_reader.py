"""The independent reader of all picture formats: OpenImageIO, asked to change nothing."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
from numpy.typing import NDArray

from zeitbild.errors import StorageError


@dataclass(frozen=True, slots=True, eq=False)
class RawPicture:
    """Samples as they stand in a file: pixels [H, W, C] in the file's own type, channel names, bits."""

    pixels: NDArray[np.generic]
    channels: tuple[str, ...]
    bits: int


def read_raw(path: Path) -> RawPicture:
    """Read a picture without any conversion of alpha or colour; StorageError if it cannot be read."""
    config = oiio.ImageSpec()
    # Without this the reader would premultiply straight files, and the check would compare other numbers.
    config.attribute("oiio:UnassociatedAlpha", 1)
    source = oiio.ImageInput.open(str(path), config)
    if source is None:
        raise StorageError(f"{path.name} cannot be read back: {oiio.geterror()}")
    try:
        spec = source.spec()
        pixels = source.read_image(spec.format)
        if pixels is None:
            raise StorageError(f"{path.name} cannot be read back: {source.geterror()}")
        return RawPicture(np.asarray(pixels), tuple(spec.channelnames), spec.format.size() * 8)
    finally:
        source.close()
