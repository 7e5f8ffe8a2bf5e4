"""Dots: round things without a surface, many at once, as a spray has them."""

from __future__ import annotations

import hashlib
import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.mesh import NOTHING, Mesh

#: What a dot looks like: soft towards its edge, even up to it, or drawn out along the way that it goes.
DotLook = Literal["soft", "disc", "streak"]


@dataclass(frozen=True, slots=True, eq=False)
class Begun:
    """Where dots begin on another element, in its own units: places, ways in a frame and tails [n, 3], as ``Dots`` has them, and the numbers [n]
    of its triangles that they come from."""

    places: NDArray[np.float64]
    ways: NDArray[np.float64]
    tails: NDArray[np.float64]
    triangles: NDArray[np.int64]


#: Where what each of n dots comes from stood at one of some times, by their numbers [n]: matrices [n, 4, 4].
StoodAt = Callable[[NDArray[np.int64]], NDArray[np.float64]]


@dataclass(frozen=True, slots=True, eq=False)
class Dots:
    """Dots of a body, in its own units, at a frame.

    places [n, 3] and radii [n] float64; ways [n, 3] how far each goes in a frame; tails [n, 3] from it to the end of its
    streak; colours [n, 3] linear light and opacities [n] (0 to 1) float32. plus: they add their light and cover nothing. lit: their colours are what
    white light makes of them. ages [n]: for how many frames each has been there, if it stays where it came out. begun: what of places, ways
    and tails is told in the space of another element, where they begin; what stands here is then what is added.
    """

    places: NDArray[np.float64]
    radii: NDArray[np.float64]
    ways: NDArray[np.float64]
    tails: NDArray[np.float64]
    colours: NDArray[np.float32]
    opacities: NDArray[np.float32]
    look: DotLook = "soft"
    plus: bool = False
    lit: bool = False
    ages: NDArray[np.float64] | None = None
    begun: Begun | None = None

    @property
    def digest(self) -> str:
        """What tells their places from any others."""
        whole = hashlib.sha256()
        for one in (self.places, self.ways, self.tails, self.radii):
            whole.update(np.ascontiguousarray(one).data)
        return whole.hexdigest()[:32]

    def off_surface(
        self, frames: Sequence[int], stood: StoodAt, after: NDArray[np.float64], own: NDArray[np.float64]
    ) -> Dots:
        """The same in the set: what comes from another element begins where that stood when it came out, or stands: stood as in
        ``left_behind``, after [n, 4, 4] a frame after the last of them; own [4, 4] is where these dots' body stands, which turns and sizes
        the rest of their ways."""
        assert self.begun is not None
        own_space = self.begun
        begun = replace(self, places=own_space.places, ways=own_space.ways, tails=own_space.tails).left_behind(
            frames, stood
        )
        linear = own[:3, :3]
        ways = begun.ways + self.ways @ linear.T
        if self.ages is None:
            # What goes along is taken along.
            ways = ways + np.einsum("nij,nj->ni", after[:, :3, :3], own_space.places) + after[:, :3, 3] - begun.places
        return replace(
            self,
            places=begun.places + self.places @ linear.T,
            ways=ways,
            tails=begun.tails + self.tails @ linear.T,
            radii=self.radii * float(np.cbrt(abs(np.linalg.det(linear)))),
            ages=None,
            begun=None,
        )

    def left_behind(self, frames: Sequence[int], stood: StoodAt) -> Dots:
        """The same in the set, each where its body stood when it came out, at frames before this one, in rising order; between two it stood
        between. What has no age stays with the last."""
        if self.ages is None or not len(self.radii):
            ages = np.zeros(len(self.radii))
        else:
            ages = self.ages
        at = np.clip(frames[-1] - ages - frames[0], 0, len(frames) - 1)
        before = np.minimum(np.floor(at).astype(int), max(len(frames) - 2, 0))
        after = np.minimum(before + 1, len(frames) - 1)
        share = (at - before)[:, None, None]
        own = stood(before) * (1 - share) + stood(after) * share
        linear = own[:, :3, :3]
        size = np.cbrt(np.abs(np.linalg.det(linear))) if len(own) else np.zeros(0)

        def turned(ways: NDArray[np.float64]) -> NDArray[np.float64]:
            return np.asarray(np.einsum("nij,nj->ni", linear, ways), np.float64)

        return replace(
            self,
            places=turned(self.places) + own[:, :3, 3],
            ways=turned(self.ways),
            tails=turned(self.tails),
            radii=self.radii * size,
        )

    def cloud(self) -> Mesh:
        """The corners of the box around them, without any surface: what tells where they are."""
        there = np.flatnonzero(self.opacities > 0)
        corners = np.zeros((0, 3))
        if len(there):
            radii = self.radii[there]
            # One axis after the other: numpy takes ten times as long for all at once.
            along = [axis[there] for axis in self.places.T]
            ends = [(float((axis - radii).min()), float((axis + radii).max())) for axis in along]
            corners = np.array(list(itertools.product(*ends)))
        return replace(NOTHING, vertices=corners)
