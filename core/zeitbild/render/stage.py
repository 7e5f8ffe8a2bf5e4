"""The scene of the last picture kept for the next: while a camera or a light moves, what stands in the set does not."""

from __future__ import annotations

import copy
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.light.environment import FINE_SIDE, SOFT_SIDE, environment_maps
from zeitbild.render.light.lighting import Shining, light_rows
from zeitbild.render.light.reflectance import reflectance_table
from zeitbild.render.shade.lying import spaces_of
from zeitbild.render.shade.texturing import Textures
from zeitbild.render.world.corners import Surfaces, bends_of, corners_of, flats_of
from zeitbild.render.world.paint_order import paint_order, towards_eye
from zeitbild.render.world.ray_scene import RayScene
from zeitbild.render.world.scene import Scene, gather
from zeitbild.render.world.texels import Texels, texels_of
from zeitbild.render.world.ways import Ways, ways_of
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.camera import Camera
from zeitbild.snapshot.finish_row import (
    ALPHA_MAP,
    COAT,
    COAT_ROUGHNESS,
    FINISH_ROW,
    MAPS,
    OPACITY,
    OWNER,
    SHADING,
    SHADOW_ONLY,
    STOPS,
    opacity_of,
    stops_of,
)

#: Roughness below which more is seen in a mirror than surroundings by formula hold.
_GLOSSY = np.float32(0.15)


class Stage:
    """A scene with its vertices and its triangles' corners [T, 3, 3] in single precision, and its rays once needed."""

    def __init__(
        self,
        scene: Scene,
        held: tuple[Any, ...],
        opacity: tuple[float, ...],
        stops: tuple[float, ...],
        ways: tuple[NDArray[np.float64], ...] = (),
    ) -> None:
        self.scene = scene
        #: Of every finish.
        self.opacity = opacity
        #: Of rays that meet it, how many each stops.
        self.stops = stops
        self._whole = self
        #: Where vertices stand at the beginning and at the end of a stretch of open shutter, if they move.
        self._ways = ways
        self.vertices = scene.vertices.astype(np.float32)
        self.places = corners_of(self.vertices, scene.triangles)
        #: Keeps the meshes, whose identities are part of the key, from being freed and their numbers given away.
        self._held = held
        #: Numbers of the triangles that are drawn, rising; None: all.
        self.drawn: NDArray[np.int32] | None = None
        #: Triangles [T] (not 0) before which so many of their surfaces are taken away; None: of none is anything asked.
        self.own: NDArray[np.uint8] | None = None
        self.passed = 0
        #: Which triangles of the scene are drawn and how (``drawing``), as a key; empty: all of them, as they are.
        self.part_key: tuple[Any, ...] = ()
        self._moves: Ways | None = None
        self._rays: RayScene | None = None
        self._flats: NDArray[np.float32] | None = None
        self._bends: NDArray[np.float32] | None = None

    def moves(self, snapshot: Snapshot) -> Ways:
        """How far everything is from its place in the stretch that this is of; worked out at the first call, once for all parts."""
        if self._whole is not self:
            return self._whole.moves(snapshot)
        if self._moves is None:
            self._moves = ways_of(snapshot, self.scene)
        return self._moves

    @property
    def surfaces(self) -> Surfaces:
        """Its triangles, as kernels take them."""
        return Surfaces(self.places, self.scene.normals, self.scene.finish_of)

    @property
    def flats(self) -> NDArray[np.float32]:
        """Unit normals [T, 3] of the flat triangles, 0 for slivers; worked out at the first call, once for all parts."""
        if self._whole is not self:
            return self._whole.flats
        if self._flats is None:
            self._flats = flats_of(self.places)
        return self._flats

    @property
    def bends(self) -> NDArray[np.float32]:
        """How much normals turn on the way over each triangle [T], radians a unit; worked out at the first call, once for all
        parts."""
        if self._whole is not self:
            return self._whole.bends
        if self._bends is None:
            self._bends = bends_of(self.places, self.scene.normals)
        return self._bends

    @property
    def rays(self) -> RayScene:
        """The scene ready for rays; built at the first call."""
        if self._whole is not self:
            return self._whole.rays
        if self._rays is None:
            steps = self.vertices
            if self._ways:
                before, after = self._ways
                steps = np.stack([before.astype(np.float32), self.vertices, after.astype(np.float32)])
            opacity = np.array(self.stops)
            veiled = (opacity < 1)[self.scene.finish_of]
            veils = [
                (float(opacity[finish]), np.flatnonzero(self.scene.finish_of == finish))
                for finish in np.flatnonzero(opacity < 1)
            ]
            self._rays = RayScene(steps, without(self.scene.triangles, veiled), veils, self.scene.triangles)
        return self._rays

    def of_other_finishes(self, opacity: tuple[float, ...], stops: tuple[float, ...]) -> Stage:
        """The same bodies in the same places, of finishes that let other shares through."""
        other = copy.copy(self)
        other.opacity, other.stops, other._whole, other._rays = opacity, stops, other, None
        return other

    def drawing(
        self,
        drawn: NDArray[np.bool_],
        away: NDArray[np.bool_] | None = None,
        own: NDArray[np.bool_] | None = None,
        passed: int = 0,
        *,
        every_side: bool = False,
    ) -> Stage:
        """The same of which only some triangles [T] are drawn (of a stage that moves the others are shrunk to points); away tells of which
        of those that are left out when they face away the others are left out instead. Of own triangles so many surfaces are taken away,
        passed; every_side: none of them is left out however it faces."""
        if drawn.all() and away is None and own is None:
            return self
        cull = self.scene.cull if away is None else np.where(away, -self.scene.cull, self.scene.cull)
        if every_side and own is not None:
            cull = np.where(own, np.int8(0), cull)
        part = copy.copy(self)
        if self._ways:
            part.scene = replace(self.scene, triangles=without(self.scene.triangles, ~drawn), cull=cull)
        else:
            part.drawn = np.flatnonzero(drawn).astype(np.int32)
            part.scene = self.scene if cull is self.scene.cull else replace(self.scene, cull=cull)
        part._whole = self._whole
        part.own, part.passed = None if own is None else own.astype(np.uint8), passed
        part.part_key = (
            *(None if one is None else np.packbits(one).tobytes() for one in (drawn, away, own)),
            passed,
            every_side,
        )
        return part


def without(triangles: NDArray[np.int32], left_out: NDArray[np.bool_]) -> NDArray[np.int32]:
    """Triangles [T, 3] with some of them shrunk to a point, which nothing draws or meets, so that all keep their numbers."""
    if not left_out.any():
        return triangles
    fewer, kept = np.repeat(triangles[:, :1], 3, axis=1), np.flatnonzero(~left_out)
    fewer[kept] = triangles[kept]
    return fewer


#: Stages kept, and the triangles up to which more than one is: sets with see-through elements are drawn in parts.
_MOST, _SMALL = 6, 100_000
_last: dict[Any, Stage] = {}


def stage_of(snapshot: Snapshot) -> Stage:
    """The stage of a snapshot's bodies: one of the last calls', if nothing moved and nothing changed its shape."""
    with PARALLEL:
        return _stage_of(snapshot)


def _stage_of(snapshot: Snapshot) -> Stage:
    key = tuple(
        (id(mesh), body.matrix, tuple((opacity_of(row), stops_of(row)) for row in body.finishes))
        for body, mesh in zip(snapshot.bodies, snapshot.built_meshes, strict=True)
    )
    ranks = paint_order(snapshot).ranks
    # What lies over what in one plane depends on where it is seen from.
    eye = tuple(viewpoint(snapshot.camera).tolist()) if ranks else ()
    found = _last.pop((key, eye), None)
    if found is None:
        opacity = tuple(one for _, _, own in key for one, _ in own)
        stops = tuple(one for _, _, own in key for _, one in own)
        there = next((one for other, one in _last.items() if _standing(*other) == _standing(key, eye)), None)
        # Before the new one is made, so that memory never holds two large ones.
        small = sum(len(mesh.triangles) for mesh in snapshot.built_meshes) < _SMALL
        while len(_last) >= (_MOST if small else 1):
            del _last[next(iter(_last))]
        if not small:
            _last.clear()
        if there is not None:
            found = there.of_other_finishes(opacity, stops)
        else:
            scene = gather(snapshot)
            towards_eye(scene.vertices, snapshot.built_meshes, ranks, snapshot.camera)
            found = Stage(scene, snapshot.built_meshes, opacity, stops)
    _last[key, eye] = found
    return found


def _standing(key: Sequence[tuple[Any, ...]], eye: tuple[float, ...]) -> tuple[Any, ...]:
    """What of a stage's key tells where everything stands."""
    return tuple(mesh_and_matrix for *mesh_and_matrix, _ in key), eye


def viewpoint(camera: Camera) -> NDArray[np.float32]:
    """Where views come from, as the kernels take it [4]: the eye and 1, or the direction towards the camera and 0."""
    if camera.parallel:
        return np.array([*-camera.axes[2], 0], np.float32)
    return np.array([*camera.eye, 1], np.float32)


@dataclass(frozen=True, slots=True, eq=False)
class Lighting:
    """What surfaces are made of and what shines on them.

    finishes [F, FINISH_ROW], those of all bodies one after the other; spaces of ``texturing.spaces_of`` and texels for textures.
    """

    finishes: NDArray[np.float32]
    shining: Shining
    spaces: NDArray[np.float32]
    texels: Texels

    @property
    def cuts(self) -> bool:
        """Whether pictures say how much of any surface is there."""
        return bool((self.finishes[:, ALPHA_MAP] > 0).any())

    @property
    def catches(self) -> bool:
        """Whether anything is there only where light is kept from it."""
        return bool((self.finishes[:, SHADING] == SHADOW_ONLY).any())

    def textures(self, stage: Stage, *, finely: bool = False, at_rest: bool = False) -> Textures:
        """Those on the surfaces of a stage, as kernels take them; finely as ``Quality.pictures_finely``, at_rest as in ``texturing.Textures``."""
        return Textures(self.spaces, stage.scene.unwrapped, self.texels.values, self.texels.table, finely, at_rest)

    def with_room(self, tiles: int, *, always: bool = False) -> NDArray[np.float32]:
        """The finishes, and a row for each tile to work out what textures make of them, if there are any (or always)."""
        if not always and not (self.finishes[:, MAPS : MAPS + 5] > 0).any():
            return self.finishes
        return np.concatenate([self.finishes, np.zeros((tiles, FINISH_ROW), np.float32)])


def _mirror_side(snapshot: Snapshot, finishes: NDArray[np.float32], most: int) -> int:
    """Cells a side of what mirrors show of surroundings: more only where those are a picture, and something is glossy."""
    coated = (finishes[:, COAT] > 0) & (finishes[:, COAT_ROUGHNESS] < _GLOSSY)
    glossy = (finishes[:, 3] < _GLOSSY) | (finishes[:, MAPS + 1] > 0) | coated
    fine = snapshot.environment.picture is not None and bool(glossy.any())
    return most if fine else min(most, SOFT_SIDE)


def lighting_of(snapshot: Snapshot, most: int = FINE_SIDE) -> Lighting:
    """Finishes and lights of a snapshot; most as ``Quality.mirror_side``."""
    owned = [(body.id, finish) for body in snapshot.bodies for finish in body.finishes]
    finishes = np.zeros((len(owned), FINISH_ROW), np.float32)
    for number, (row, (_, finish)) in enumerate(zip(finishes, owned, strict=True)):
        row[OPACITY], row[STOPS], row[OWNER] = 1, 1, number
        row[: len(finish)] = finish
    ambients = np.zeros((len(owned), 3), np.float32)
    touched = []
    for light in snapshot.lights:
        lit = np.array([light.touches is None or body in light.touches for body, _ in owned], bool)
        if light.shape == "ambient":
            ambients[lit] += np.asarray(light.colour, np.float32)
        else:
            touched.append(lit)
    shining = Shining(
        light_rows(snapshot.lights),
        np.array(touched, np.uint8).reshape(-1, len(owned)),
        ambients,
        environment_maps(snapshot.environment, _mirror_side(snapshot, finishes, most)).reshape(-1),
        reflectance_table().reshape(-1),
    )
    return Lighting(finishes, shining, spaces_of(snapshot), texels_of(snapshot.textures))
