"""The contract of a pass: something of a picture that can be looked at alone and written into files."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import InputError
from zeitbild.registry import Registry
from zeitbild.render.picture import Picture
from zeitbild.snapshot.names import Names
from zeitbild.snapshot.reach import Reach

#: What the numbers of a pass mean, which decides how it is filtered, kept, conformed and shown:
#: colour    [H, W, 4] linear light, premultiplied by its own alpha
#: light     [H, W, 4] a part of beauty: linear light premultiplied by beauty's alpha, which stands beside it
#: coverage  [H, W] a share of the pixel, 0..1
#: depth     [H, W] distance in units, ``NO_DEPTH`` where nothing stands
#: data      [H, W, C] numbers of one surface, never averaged, 0 where nothing stands
#: identity  [H, W, SLOTS, 2] numbers (-1: none) and the coverage of each
Role = Literal["colour", "light", "coverage", "depth", "data", "identity"]
#: Planes of a picture that are rendered and kept together.
Bundle = Literal["beauty", "light", "groups", "data", "identity"]
Pixels = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Pass:
    """A pass: its name in documents, what it is, where it comes from, how to take it from a picture and how to show it.

    note says what a receiver does with it. channels are the names of its channels in files that have names for them (for colour
    and light those beside alpha). shown gives [H, W, 3] numbers in 0..1 that are shown as they are; passes of colour and light are
    shown over the ground. spread gives (low, high) for each channel of data. sums: it is one of the parts that add up to beauty.
    """

    name: str
    title: str
    note: str
    role: Role
    bundle: Bundle
    extract: Callable[[Picture], Pixels]
    channels: tuple[str, ...] = ("R", "G", "B")
    shown: Callable[[Picture], Pixels] | None = None
    spread: Callable[[Reach], Sequence[tuple[float, float]]] | None = None
    sums: bool = False
    order: int = 0

    @property
    def planes(self) -> bool:
        """Whether the picture has to be rendered with its planes."""
        return self.bundle != "beauty"


@dataclass(frozen=True, slots=True)
class Family:
    """Passes of which there is one for each of something in the shot; ``name:of`` is how documents call them.

    members gives them from the names of the light groups and of the elements and their finishes.
    """

    name: str
    title: str
    note: str
    members: Callable[[Sequence[str], Names], Sequence[Pass]]
    order: int = 0


passes: Registry[Pass] = Registry("pass", "zeitbild.render.passes")
families: Registry[Family] = Registry("family of passes", "zeitbild.render.passes")


def offered(groups: Sequence[str], names: Names) -> tuple[Pass, ...]:
    """All passes of a shot with these light groups and elements, in the order in which they are listed."""
    members = [one for family in families for one in family.members(groups, names)]
    return tuple(sorted((*passes, *members), key=lambda one: one.order))


def pass_named(name: str, groups: Sequence[str], names: Names) -> Pass:
    """The pass of a shot with these light groups and elements; InputError lists those there are."""
    if name in passes:
        return passes.get(name)
    for one in offered(groups, names):
        if one.name == name:
            return one
    known = ", ".join(one.name for one in offered(groups, names))
    raise InputError(f"there is no pass {name[:80]!r} in this shot; there are {known}", "what")
