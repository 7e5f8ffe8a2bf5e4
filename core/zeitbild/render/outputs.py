"""What a set is looked at by, and the pictures that a drawing of it fills."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.data_rows import DATA
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.shade.shading import PLANES
from zeitbild.render.shade.texturing import Textures
from zeitbild.render.stage import Lighting, Stage, lighting_of, stage_of
from zeitbild.render.visible.identity import SLOTS
from zeitbild.render.visible.pieces import Pieces
from zeitbild.render.world.buffers import lent
from zeitbild.render.world.ways import stands
from zeitbild.snapshot import Role, Snapshot
from zeitbild.snapshot.finish_row import SHADING, SHADOW_ONLY
from zeitbild.snapshot.quality import Quality


@dataclass(frozen=True, slots=True, eq=False)
class View:
    """What the parts of a picture share: the set with its rays and lights, and how it is looked at.

    owners [F] and triangle_owners [T] are the places of the bodies that finishes and triangles belong to, or the pieces.
    """

    snapshot: Snapshot
    quality: Quality
    samples: int
    shift: tuple[float, float]
    hard: bool
    numbers: NDArray[np.int32]
    stage: Stage
    light: Lighting
    owners: NDArray[np.int64]
    triangle_owners: NDArray[np.int64]
    pieces: Pieces
    #: What was worked out before.
    _known: dict[str, tuple[NDArray[np.float64], NDArray[np.float64]]] = field(default_factory=dict)

    def corners(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Homogeneous corners [V, 3] of a set in which nothing moves and their distances [V]."""
        found = self._known.get("corners")
        if found is None:
            vertices, camera = self.stage.scene.vertices, self.snapshot.camera
            projected = camera.project(vertices)
            found = projected, camera.distance(vertices) if camera.parallel else projected[:, 2]
            self._known["corners"] = found
        return found

    def textures(self, stage: Stage) -> Textures:
        """Pictures on the surfaces of a stage, as finely as they are looked at."""
        return self.light.textures(stage, finely=self.quality.pictures_finely, at_rest=not self.snapshot.stations)

    def triangles_of(self, places: Sequence[int]) -> NDArray[np.bool_]:
        """Which triangles [T] are those of bodies at some places."""
        there = np.zeros(int(self.triangle_owners.max(initial=0)) + 1, bool)
        there[[place for place in places if place < len(there)]] = True
        return there[self.triangle_owners]

    def catches_shadows(self, places: Sequence[int]) -> bool:
        """Whether any body at some places, or of some pieces, is there only where light is kept from it."""
        if not self.light.catches:
            return False
        mine = np.isin(self.owners, [self.pieces.body(place) for place in places])
        return bool((self.light.finishes[mine, SHADING] == SHADOW_ONLY).any())

    def flat_triangles(self) -> NDArray[np.uint8]:
        """Which triangles [T] are of what is flat."""
        owners = int(self.triangle_owners.max(initial=-1)) + 1
        return np.array([self.pieces.is_flat(one) for one in range(owners)], np.uint8)[self.triangle_owners]

    def of_finishes(self, values: Mapping[int, float]) -> NDArray[np.float32]:
        """A value of each finish [F] by its body's place; -1 where none is given."""
        return np.array([values.get(int(place), -1) for place in self.owners], np.float32)


def view_of(
    snapshot: Snapshot,
    quality: Quality,
    samples: int,
    shift: tuple[float, float],
    hard: bool,
    numbers: list[tuple[int, int]],
) -> View:
    """How a set is looked at: samples a pixel, shift in pixels to the right and down, hard edges or exact ones, and the numbers of
    element and finish of each finish (``identity.numbers_of``)."""
    stage = stage_of(snapshot)
    if snapshot.stations:
        ends = tuple(stands(snapshot, station) for station in (0, len(snapshot.stations) - 1))
        stage = Stage(stage.scene, (), stage.opacity, stage.stops, ends)
    places = np.arange(len(snapshot.bodies))
    return View(
        snapshot,
        quality,
        samples,
        shift,
        hard,
        np.array(numbers, np.int32).reshape(-1, 2),
        stage,
        lighting_of(snapshot, quality.mirror_side),
        np.repeat(places, [len(body.finishes) for body in snapshot.bodies]),
        np.repeat(places, [len(mesh.triangles) for mesh in snapshot.built_meshes]),
        Pieces(snapshot),
    )


@dataclass(frozen=True, slots=True)
class Layer:
    """What a layer is of a set: what each body is to it, and whether it wants to know what beauty is made of."""

    roles: tuple[Role, ...]
    planes: bool


def groups_of(snapshot: Snapshot) -> tuple[str, ...]:
    """Groups of lights that get a picture of their own: those that are asked for, or all that shine on surfaces."""
    return snapshot.groups or tuple(dict.fromkeys(one.group for one in snapshot.lights if one.shape != "ambient"))


def empty_picture(snapshot: Snapshot, planes: bool) -> Picture:
    """A picture of nothing."""
    size = snapshot.height, snapshot.width
    return Picture(
        np.zeros((*size, 4), np.float32),
        np.full(size, NO_DEPTH, np.float32),
        np.zeros((*size, PLANES), np.float32) if planes else None,
        {name: np.zeros((*size, 3), np.float32) for name in groups_of(snapshot)} if planes else {},
        np.full((*size, 2, SLOTS, 2), (-1, 0), np.float32) if planes else None,
        data=np.zeros((*size, DATA), np.float32) if planes else None,
    )


@dataclass(frozen=True, slots=True, eq=False)
class Output:
    """A picture to be filled by a drawing.

    weights [F] say of each finish how much its light counts, or less than 0 for what only hides; of no length: everything is
    shown. Not ``lit``: it is only found out where things are.
    """

    picture: Picture
    weights: NDArray[np.float32]
    lit: bool

    @property
    def some(self) -> bool:
        """Whether something only hides."""
        return len(self.weights) > 0


def output_for(view: View, planes: bool, weights: NDArray[np.float32] | None, lit: bool, name: str = "") -> Output:
    """Room for a picture; ``name`` tells it from others that are held at the same time."""
    if not lit:
        picture = empty_picture(view.snapshot, planes)
    else:
        size = view.snapshot.height, view.snapshot.width
        picture = Picture(
            lent(name + "beauty", (*size, 4), np.float32),
            lent(name + "depth", size, np.float32),
            lent(name + "planes", (*size, PLANES), np.float32) if planes else None,
            {name: np.zeros((*size, 3), np.float32) for name in groups_of(view.snapshot)} if planes else {},
            lent(name + "identities", (*size, 2, SLOTS, 2), np.float32) if planes else None,
            data=lent(name + "data", (*size, DATA), np.float32) if planes else None,
        )
    return Output(picture, np.empty(0, np.float32) if weights is None else weights, lit)
