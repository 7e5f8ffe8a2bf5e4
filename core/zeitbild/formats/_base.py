"""The contract of a format: what it can carry, how it writes planes, how an independent reader reads them back."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from zeitbild.document.layers import Sharing as Sharing
from zeitbild.errors import InputError
from zeitbild.registry import Registry
from zeitbild.render.passes import Role
from zeitbild.snapshot.names import Names


@dataclass(frozen=True, slots=True, eq=False)
class Plane:
    """Pixels of one pass on their way into a file; shapes as in ``passes.Role``, float32, row 0 at the top.

    Colour and light for a format that ends at white have no channel beyond their alpha (``colour.highlights.for_straight``).
    name and layer tell passes in one file apart; channels name its channels. spread is (low, high) of each channel of depth and
    data, for formats of whole numbers; there [H, W] tells where something stands, of data, whose numbers do not. ids are the
    names of the numbers that an identity plane holds, in their order. rate is in frames a second and frame the number of the
    frame, for formats that say when a picture is. margin is how many pixels lie around the raster on each side, for formats that keep
    them.
    """

    role: Role
    pixels: NDArray[np.float32]
    name: str = ""
    layer: str = ""
    channels: tuple[str, ...] = ()
    spread: tuple[tuple[float, float], ...] = ()
    there: NDArray[np.bool_] | None = None
    ids: tuple[str, ...] = ()
    rate: Fraction | None = None
    frame: int = 0
    margin: int = 0


def finish_names(names: Names) -> tuple[str, ...]:
    """Names of all finishes in the order of their numbers."""
    return tuple(title for _, _, finishes in names for _, title in finishes)


@dataclass(frozen=True, slots=True)
class ReadBack:
    """What the independent reader found of a plane: raster, channels, bits, and the largest distance from it.

    worst is in code values for whole-number formats and in absolute values for float formats; ``holds`` tells whether
    it stays within what the format's rounding allows. stray counts pixels with colour under zero alpha.
    """

    width: int
    height: int
    channels: str
    bits: int
    worst: float
    allowed: float
    stray: int

    @property
    def holds(self) -> bool:
        """True if the file says what the plane says."""
        return self.worst <= self.allowed and self.stray == 0


@dataclass(frozen=True, slots=True)
class Option:
    """Something that can be chosen about files of a format: its name, title, and the choices with what they mean; the first is
    what it is without a choice."""

    name: str
    title: str
    choices: tuple[tuple[str, str], ...]


#: What was chosen, by the option's name.
Options = Mapping[str, str]


class Writer(Protocol):
    """A file that is being written."""

    def add(self, planes: Sequence[Plane]) -> None:
        """Write the next frame: the planes that share it, of the same passes and sizes as the frames before."""
        ...

    def close(self) -> None:
        """Write what comes last; the file is whole then."""
        ...


#: Begins a file at a path.
Open = Callable[[Path, Sharing, Options], Writer]
#: What another reader finds of each plane in a file, frame by frame, compared with the planes that it should hold.
ReadFrames = Callable[[Path, Iterable[Sequence[Plane]], Sharing, Options], Iterator[list[ReadBack]]]


@dataclass(frozen=True, slots=True)
class Format:
    """One way to write planes to files.

    bits by role; roles that are missing it cannot carry. alpha: how colour relates to alpha in the file; colour: how light is
    encoded there; ends_at_white: what is brighter than white does not fit in; overscan: it keeps what lies around the raster; container:
    a file holds all frames of a sequence, not one; reader: the library that reads it back. A file is opened, given its frames in their
    order, and closed; read_back tells what was found of each.
    """

    name: str
    title: str
    extension: str
    alpha: Literal["straight", "premultiplied"]
    colour: str
    bits: dict[Role, int]
    open: Open
    read_back: ReadFrames
    order: int = 0
    ends_at_white: bool = True
    overscan: bool = False
    container: bool = False
    reader: str = "OpenImageIO"
    sharing: tuple[Sharing, ...] = ("pass",)
    options: tuple[Option, ...] = field(default=())

    def carries(self, role: Role) -> bool:
        """Whether a pass of that role can be written."""
        return role in self.bits

    def chosen(self, options: Options) -> dict[str, str]:
        """The options with what was chosen; InputError names what does not exist."""
        known = {one.name: one for one in self.options}
        for name, value in options.items():
            if name not in known or value not in dict(known[name].choices):
                raise InputError(
                    f"{self.title} cannot have {name} {value!r}; "
                    + (
                        f"there is {', '.join(dict(known[name].choices))}" if name in known else "it has no such option"
                    ),
                    "options",
                )
        return {one.name: options.get(one.name, one.choices[0][0]) for one in self.options}


class _OneFrame:
    """A file of one frame, whose bytes are made at once."""

    def __init__(self, encode: Callable[[Sequence[Plane]], bytes], path: Path) -> None:
        self._encode, self._path, self._data = encode, path, b""

    def add(self, planes: Sequence[Plane]) -> None:
        if self._data:
            raise ValueError("a file of this kind holds one frame")
        self._data = self._encode(planes)

    def close(self) -> None:
        self._path.write_bytes(self._data)


def by_frame(encode: Callable[[Sequence[Plane], Sharing, Options], bytes]) -> Open:
    """Files of one frame each, from what gives their bytes."""
    return lambda path, sharing, options: _OneFrame(lambda planes: encode(planes, sharing, options), path)


def each_frame(read: Callable[[Path, Sequence[Plane], Sharing, Options], list[ReadBack]]) -> ReadFrames:
    """Reading back files of one frame each."""
    return lambda path, frames, sharing, options: (read(path, planes, sharing, options) for planes in frames)


formats: Registry[Format] = Registry("format", "zeitbild.formats")
