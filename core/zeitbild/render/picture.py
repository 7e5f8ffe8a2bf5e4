"""What a layer of a snapshot renders to."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.snapshot.names import Names

#: Depth where nothing stands (common practice: a distance far beyond any set; finite, so that readers cope).
NO_DEPTH = 1e10


@dataclass(frozen=True, slots=True, eq=False)
class Picture:
    """Named planes of one rendered frame; row 0 at the top.

    beauty  [H, W, 4] float32, linear light, Rec. 709 primaries, premultiplied by its alpha in 0..1
    depth   [H, W] float32, distance along the viewing axis in units of the nearest surface; NO_DEPTH where none is
    planes  [H, W, shading.PLANES] float32, what beauty is made of, each weighted by coverage; None if not asked for
    data    [H, W, data_rows.DATA] float32, of the surface that gives most to a pixel at the frame's own time; not filtered. None if
            not asked for
    groups  [H, W, 3] float32 for each group of lights, their matt and mirrored light; together planes' diffuse and
            specular, but for tone bands, which no single light makes. Empty if not asked for
    identities  [H, W, 2, SLOTS, 2] float32: of elements and of finishes (numbered through all elements) up to SLOTS
            numbers (-1: none) with the coverage of each; at the frame's own time, not filtered. None if not asked for
    covered [H, W] float32, the area in which anything stands, however clear, 0..1; None: that is beauty's alpha
    held    [H, W] float32, what hold-outs hide of each pixel, 0..1; None: there are none
    names   whose numbers identities hold, in their order
    margin  pixels on each side that lie outside of the raster (overscan)
    """

    beauty: NDArray[np.float32]
    depth: NDArray[np.float32]
    planes: NDArray[np.float32] | None = None
    groups: dict[str, NDArray[np.float32]] = field(default_factory=dict)
    identities: NDArray[np.float32] | None = None
    covered: NDArray[np.float32] | None = None
    data: NDArray[np.float32] | None = None
    held: NDArray[np.float32] | None = None
    names: Names = ()
    margin: int = 0

    def map(self, change: Callable[[NDArray[np.float32]], NDArray[np.float32]]) -> Picture:
        """The picture with everything that is light or weighted by coverage changed; depth, data and identities stay."""
        planes = None if self.planes is None else change(self.planes)
        groups = {name: change(values) for name, values in self.groups.items()}
        covered, held = (None if one is None else change(one[..., None])[..., 0] for one in (self.covered, self.held))
        return replace(self, beauty=change(self.beauty), planes=planes, groups=groups, covered=covered, held=held)

    def inside(self) -> Picture:
        """What lies in the raster."""
        if not self.margin:
            return self
        own = np.s_[self.margin : -self.margin, self.margin : -self.margin]
        arrays = ("beauty", "depth", "planes", "identities", "covered", "data", "held")
        cut = {name: values[own] for name in arrays if (values := getattr(self, name)) is not None}
        groups = {name: values[own] for name, values in self.groups.items()}
        return replace(self, margin=0, groups=groups, **cut)

    def taken(self, rows: NDArray[np.int64], columns: NDArray[np.int64]) -> Picture:
        """Copies of some pixels [M], as a picture of M rows of one pixel each."""
        arrays = ("beauty", "depth", "planes", "identities", "covered", "data", "held")
        some: dict[str, Any] = {
            name: np.ascontiguousarray(values[rows, columns][:, None])
            for name in arrays
            if (values := getattr(self, name)) is not None
        }
        groups = {name: np.ascontiguousarray(values[rows, columns][:, None]) for name, values in self.groups.items()}
        return replace(self, groups=groups, **some)

    def size_in_bytes(self) -> int:
        """What all its planes take in memory."""
        single = (self.beauty, self.depth, self.planes, self.identities, self.covered, self.data, self.held)
        return sum(values.nbytes for values in (*single, *self.groups.values()) if values is not None)

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels, with the margin."""
        return self.beauty.shape[1], self.beauty.shape[0]

    @property
    def raster(self) -> tuple[int, int]:
        """Width and height in pixels of the raster."""
        return self.beauty.shape[1] - 2 * self.margin, self.beauty.shape[0] - 2 * self.margin
