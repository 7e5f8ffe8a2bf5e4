"""Frames that are needed again when all are known: kept on the disk, one after the other."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from typing import IO

import numpy as np
from numpy.typing import NDArray

from zeitbild.storage import own_prefix


class Spill:
    """Codes of frames, all of one size, uint8; they are gone when it is closed.

    told, if there is one, is called before each frame that is looked at again, and may end that by an error.
    """

    def __init__(self) -> None:
        self.told: Callable[[], None] | None = None
        self._file: IO[bytes] = tempfile.TemporaryFile(prefix=own_prefix())  # noqa: SIM115 (closed by close)
        self._shape: tuple[int, ...] = ()
        self.count = 0

    def add(self, numbers: NDArray[np.uint8]) -> None:
        """Keep a frame."""
        if self.count and numbers.shape != self._shape:
            raise ValueError("all frames of a moving picture have one size and one kind of numbers")
        self._shape = numbers.shape
        self._file.write(np.ascontiguousarray(numbers).data)
        self.count += 1

    def frame(self, number: int) -> NDArray[np.uint8]:
        """A frame that was kept."""
        if self.told is not None:
            self.told()
        size = int(np.prod(self._shape))
        self._file.seek(number * size)
        return np.frombuffer(self._file.read(size), np.uint8).reshape(self._shape)

    def __iter__(self) -> Iterator[NDArray[np.uint8]]:
        return (self.frame(number) for number in range(self.count))

    @property
    def shape(self) -> tuple[int, ...]:
        """The shape of every frame."""
        return self._shape

    def close(self) -> None:
        """Give the room back."""
        self._file.close()


def stays(count: int, rate: float, parts: int) -> list[int]:
    """How long frames stay, in whole parts of a second, so that every one begins within half a part of its time and all together are
    as long as they should be."""
    ends = [int(np.floor(parts * number / rate + 0.5)) for number in range(count + 1)]
    return [b - a for a, b in zip(ends, ends[1:], strict=False)]
