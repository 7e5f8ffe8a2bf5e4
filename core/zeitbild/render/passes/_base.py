"""The contract of a pass."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zeitbild.registry import Registry
from zeitbild.render.picture import Picture

#: What the numbers of a pass mean, which decides how formats conform them:
#: colour  [H, W, 4] linear light, premultiplied; matte  [H, W] coverage 0..1; depth  [H, W] distance in units.
Role = Literal["colour", "matte", "depth"]


@dataclass(frozen=True, slots=True)
class Pass:
    """A pass: its name in documents and file names, what it is for, its role, and how to take it from a picture."""

    name: str
    title: str
    role: Role
    extract: Callable[[Picture], NDArray[np.float32]]
    order: int = 0


passes: Registry[Pass] = Registry("pass", "zeitbild.render.passes")
