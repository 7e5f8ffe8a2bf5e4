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
from zeitbild.formats._measures import Measure, still_measure
from zeitbild.registry import Registry
from zeitbild.render.passes import Role
from zeitbild.snapshot.names import Names


@dataclass(frozen=True, slots=True, eq=False)
class Plane:
    """Pixels of one pass on their way into a file; shapes as in ``passes.Role``, float32, row 0 at the top.

    sound [n, 2] is what is heard while it is seen, float32 at 48000 a second, for formats with sound inside.
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
    sound: NDArray[np.float32] | None = None


def finish_names(names: Names) -> tuple[str, ...]:
    """Names of all finishes in the order of their numbers."""
    return tuple(title for _, _, finishes in names for _, title in finishes)


@dataclass(frozen=True, slots=True)
class Loss:
    """How far a file that loses something is from its plane, in levels of 255: colour as it is laid over black, in the mean and at
    its worst place, and alpha by itself, at its worst pixel; each with what is allowed. closeup [2, n, n, 3] uint8 shows the worst place over
    grey, as it was rendered and as the file has it."""

    mean: float
    worst: float
    alpha: float
    mean_allowed: float
    worst_allowed: float
    alpha_allowed: float
    closeup: NDArray[np.uint8] | None = field(default=None, repr=False, compare=False)

    @property
    def holds(self) -> bool:
        """Whether it is within what is allowed."""
        return self.mean <= self.mean_allowed and self.worst <= self.worst_allowed and self.alpha <= self.alpha_allowed


@dataclass(frozen=True, slots=True)
class ReadBack:
    """What the independent reader found of a plane: raster, channels, bits, and the largest distance from it.

    worst is in code values for whole-number formats and in absolute values for float formats; ``holds`` tells whether
    it stays within what the format's rounding allows. stray counts pixels with colour under zero alpha, where there should be none.
    loss tells more of formats that lose something.
    """

    width: int
    height: int
    channels: str
    bits: int
    worst: float
    allowed: float
    stray: int
    loss: Loss | None = None

    @property
    def holds(self) -> bool:
        """True if the file says what the plane says."""
        return self.worst <= self.allowed and self.stray == 0 and (self.loss is None or self.loss.holds)


@dataclass(frozen=True, slots=True)
class Option:
    """Something that can be chosen about files of a format: its name, title, and the choices with what they mean; the first is
    what it is without a choice.

    smaller tells which way of a number gives smaller files, and only what else has to be chosen for it to mean something.
    Without choices it is a number from low to high or, without these, a text that ``reads`` (a colour); initial is what it is
    without a choice then, unit is that of numbers, and empty means that nothing is wanted.
    """

    name: str
    title: str
    choices: tuple[tuple[str, str], ...] = ()
    low: float | None = None
    high: float | None = None
    initial: str = ""
    unit: str = ""
    kind: Literal["choice", "number", "colour"] = "choice"
    reads: Callable[[str], object] | None = None
    note: str = ""
    smaller: Literal["", "lower", "higher"] = ""
    only: Mapping[str, str] = field(default_factory=dict)

    @property
    def without(self) -> str:
        """What it is without a choice."""
        return self.choices[0][0] if self.choices else self.initial

    def check(self, value: str, of: str) -> str:
        """The value as it is kept; InputError says what is wrong with it for ``of``."""
        field = f"options.{self.name}"
        if self.choices:
            if value not in dict(self.choices):
                raise InputError(
                    f"{of} cannot have {self.name} {value[:40]!r}; there is {', '.join(name for name, _ in self.choices if name)}",
                    field,
                )
            return value
        value = value.strip()
        if not value and not self.initial:
            return value
        if self.kind == "number":
            try:
                number = float(value)
            except ValueError:
                raise InputError(f"{self.title} is a number, not {value[:40]!r}", field) from None
            if self.low is None or self.high is None or not self.low <= number <= self.high:
                raise InputError(f"{self.title} is from {self.low:g} to {self.high:g}, not {value[:40]}", field)
            return f"{number:.12g}"
        if self.reads is not None:
            try:
                self.reads(value)
            except ValueError as error:
                raise InputError(f"{self.title}: {error}", field) from None
        return value


#: What was chosen, by the option's name.
Options = Mapping[str, str]


class Writer(Protocol):
    """A file that is being written."""

    def add(self, planes: Sequence[Plane]) -> None:
        """Write the next frame: the planes that share it, of the same passes and sizes as the frames before."""
        ...

    def close(self) -> None:
        """Write what comes last; the file is whole then. What has to stand beside it under another ending is in ``beside`` then, for
        writers that have such."""
        ...


#: Begins a file at a path.
Open = Callable[[Path, Sharing, Options], Writer]
#: What another reader finds of each plane in a file, frame by frame, compared with the planes that it should hold.
ReadFrames = Callable[[Path, Iterable[Sequence[Plane]], Sharing, Options], Iterator[list[ReadBack]]]


@dataclass(frozen=True, slots=True)
class Format:
    """One way to write planes to files.

    bits by role; roles that are missing it cannot carry. alpha: how colour relates to alpha in the file (hard: there or not; none: it
    has none, and pictures are laid over a ground); colour: how light is encoded there; ends_at_white: what is brighter than white does
    not fit in; overscan: it keeps what lies around the raster; container: a file holds all frames of a sequence, not one; prints: they stand small beside one
    another; moves: its
    frames are played, at the rate of the shot or another; hears: sound that goes inside; even: width and height are even numbers;
    largest, smallest: pixels of a side at most (0: it does not say) and at least;
    fastest: frames a second at most (0: any); lossy: what is lost, in a sentence; reader: the library that reads it back.
    A file is opened, given its frames in their order, and closed; read_back tells what was found of each.
    """

    name: str
    title: str
    extension: str
    alpha: Literal["straight", "premultiplied", "hard", "none"]
    colour: str
    bits: dict[Role, int]
    open: Open
    read_back: ReadFrames
    order: int = 0
    ends_at_white: bool = True
    overscan: bool = False
    container: bool = False
    prints: bool = False
    reader: str = "OpenImageIO"
    sharing: tuple[Sharing, ...] = ("pass",)
    options: tuple[Option, ...] = field(default=())
    hears: Literal["", "PCM", "AAC", "Opus"] = ""
    even: bool = False
    moves: bool = False
    lossy: str = ""
    #: Width, height and frames that a file is found to have; none: it is no picture of them.
    measure: Callable[[Path], Measure] | None = still_measure
    largest: int = 0
    smallest: int = 1
    fastest: int = 0

    @property
    def unit(self) -> str:
        """What the largest difference that reading back finds is counted in."""
        if self.lossy:
            return "of 255"
        return "code values" if self.ends_at_white else "absolute"

    def carries(self, role: Role) -> bool:
        """Whether a pass of that role can be written."""
        return role in self.bits


def chosen(of: str, every: Sequence[Option], options: Options) -> dict[str, str]:
    """Options with what was chosen; InputError names what does not exist."""
    known = {one.name: one for one in every}
    for name in options:
        if name not in known:
            raise InputError(f"{of} cannot have {name[:40]!r}; it has no such option", "options")
    return {one.name: one.check(options.get(one.name, one.without), of) for one in every}


def beside(writer: Writer) -> dict[str, bytes]:
    """What has to stand beside the file of a writer that was closed, by its ending."""
    found: dict[str, bytes] = getattr(writer, "beside", {})
    return found


def while_packing(writer: Writer, told: Callable[[], None]) -> None:
    """Let ``told`` be called before each frame that a writer packs when it is closed (those that keep all until then, in a ``Spill`` called
    ``spill``); it may end that by an error."""
    if (spill := getattr(writer, "spill", None)) is not None:
        spill.told = told


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
