"""What Pillow does not tell of AVIF (AV1 Image File Format 1.1, over ISO/IEC 23008-12): how its colours are meant, and more than 8 bits of them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray

#: Bytes in which a file says what it holds.
_HEAD = 1 << 16


def is_avif(head: bytes) -> bool:
    """Whether a file that starts with some bytes (at least 12) is one, still or moving."""
    return head[4:8] == b"ftyp" and head[8:12] in (b"avif", b"avis")


def codes_in(path: Path) -> tuple[int, int] | None:
    """Code points of its primaries and its transfer (ITU-T H.273), by its colour box; None if it has none."""
    with path.open("rb") as file:
        head = file.read(_HEAD)
    at = head.find(b"colrnclx")
    numbers = head[at + 8 : at + 12]
    if at < 0 or len(numbers) < 4:
        return None
    return int.from_bytes(numbers[:2], "big"), int.from_bytes(numbers[2:], "big")


def fine_pixels(path: Path) -> NDArray[Any] | None:
    """Its pixels [H, W, 3 or 4] as uint16 from 0 to 65535, as they are stored (not turned); None if it has no more than 8 bits, or other ones.

    Whatever the decoder raises for what is broken.
    """
    data = path.read_bytes()
    at = data.find(b"pixi", 0, _HEAD)
    # A version, how many channels, and the bits of each (ISO/IEC 23008-12, 6.5.6).
    bits = data[at + 9] if at >= 0 and len(data) > at + 9 else 8
    if bits not in (10, 12):
        return None
    found = np.asarray(imagecodecs.avif_decode(data))
    if found.ndim != 3 or found.dtype != np.uint16 or found.shape[2] not in (3, 4):
        return None
    most = (1 << bits) - 1
    return ((found.astype(np.uint32) * 65535 + most // 2) // most).astype(np.uint16)
