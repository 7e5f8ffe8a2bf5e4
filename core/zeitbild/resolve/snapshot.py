"""The snapshot: what the camera sees at one frame, in plain numbers."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Literal, cast

import numpy as np

from zeitbild.errors import LimitError
from zeitbild.geometry.form import Form
from zeitbild.geometry.mesh import Mesh
from zeitbild.lights import LightSource
from zeitbild.render.camera import Camera, look_at
from zeitbild.render.environment import EnvironmentLight
from zeitbild.render.pixel_filter import ONE_PIXEL, PixelFilter
from zeitbild.render.pixel_look import PixelLook
from zeitbild.render.quality import QUALITIES, Quality
from zeitbild.render.texels import Texture

Triple = tuple[float, float, float]
#: Triangles of all elements in one picture; about 250 bytes each while it is rendered.
MAX_SET_TRIANGLES = 3_000_000
#: So much coarser is a set made that has more, and so often.
_COARSER, _TRIES = 4.0, 4
#: An element that reaches to the camera is as fine as if it were this share of its size away.
_CLOSEST = 0.05


@dataclass(frozen=True, slots=True)
class SnapshotElement:
    """An element at a frame: its mesh by key, where it stands (4 x 4, row by row), and its finishes, linear."""

    geometry: str
    matrix: tuple[float, ...]
    finishes: tuple[tuple[float, ...], ...]


@dataclass(frozen=True, slots=True)
class Snapshot:
    """What the camera sees at one frame, in plain numbers; linear light, units and degrees of the set.

    lights name elements by their place in ``elements``; meshes belong to elements by place, and are forms until ``built``.
    occlusion 0..1 darkens corners narrower than occlusion_radius; bounces is how often mirrors mirror. camera_roll in
    degrees; camera_span the width of an orthographic picture, 0 in perspective. error is the difference (of 255) beyond
    which pixels get more places at final. rays a pixel at final, to each light and over the half sphere; samples a pixel
    at rough, check and final. stations are the elements' matrices while the shutter is open, evenly in time from its
    opening to its closing, so close that what stands between two lies between them; empty if nothing moves. after are the
    elements' matrices one frame later, which change no picture but its motion.
    """

    width: int
    height: int
    camera_position: Triple
    camera_target: Triple
    camera_angle: float
    lights: tuple[LightSource, ...]
    environment: EnvironmentLight
    backdrop: Triple | Literal["surroundings"] | None
    elements: tuple[SnapshotElement, ...]
    meshes: tuple[Form, ...]
    occlusion: float = 0.0
    occlusion_radius: float = 1.0
    bounces: int = 0
    camera_roll: float = 0.0
    camera_span: float = 0.0
    rays: int = 4
    samples: tuple[int, int, int] = (4, 16, 64)
    filter: PixelFilter = ONE_PIXEL
    pixels: PixelLook | None = None
    stations: tuple[tuple[tuple[float, ...], ...], ...] = ()
    textures: tuple[Texture, ...] = ()
    error: float = 6.0
    after: tuple[tuple[float, ...], ...] = field(default=(), compare=False)

    @property
    def camera(self) -> Camera:
        """The camera set up for the raster."""
        return look_at(
            self.camera_position,
            self.camera_target,
            self.camera_angle,
            self.width,
            self.height,
            roll=self.camera_roll,
            span=self.camera_span,
        )

    def pixels_a_unit(self, place: int) -> float:
        """How many pixels a unit of the element at a place takes where it may come nearest to the camera as it turns."""
        camera = self.camera
        matrix = np.array(self.elements[place].matrix).reshape(4, 4)
        scale = float(np.linalg.norm(matrix[:3, :3], ord=2))
        if camera.parallel:
            return float(camera.focal) * scale
        reach = self.meshes[place].radius * scale
        away = float(np.linalg.norm(matrix[:3, 3] - camera.eye)) - reach
        return float(camera.focal) * scale / max(away, _CLOSEST * reach, 1e-9)

    def built(self, quality: Quality) -> Snapshot:
        """The same with meshes as fine as its raster and a quality need them.

        Fineness goes in steps of two, so that a moving camera does not build everything anew. LimitError if the set has
        too many triangles even when it is made coarser.
        """
        if all(isinstance(mesh, Mesh) for mesh in self.meshes):
            return self
        finest = [
            quality.curve_error / 2.0 ** math.ceil(math.log2(max(self.pixels_a_unit(place), 1e-9)))
            for place in range(len(self.meshes))
        ]
        refused: LimitError | None = None
        for attempt in range(_TRIES):
            meshes: list[Mesh] = []
            try:
                for form, tolerance in zip(self.meshes, finest, strict=True):
                    meshes.append(form.at(tolerance * _COARSER**attempt))
            except LimitError as error:
                refused = error
                continue
            if sum(len(mesh.triangles) for mesh in meshes) <= MAX_SET_TRIANGLES:
                return replace(self, meshes=tuple(meshes))
            refused = None
        raise refused or LimitError(
            f"the set has more than {MAX_SET_TRIANGLES / 1e6:g} million triangles, which a worker's memory does not "
            "hold; use fewer bevel steps or fewer elements",
            "elements",
        )

    @property
    def built_meshes(self) -> tuple[Mesh, ...]:
        """The meshes of a snapshot that was ``built``."""
        return cast(tuple[Mesh, ...], self.meshes)

    def at_raster(self, width: int, height: int) -> Snapshot:
        """The same view on another raster; the horizontal angle of view is kept."""
        return replace(self, width=width, height=height)

    def at_size(self, width: int, height: int) -> Snapshot:
        """The same view for a screen. In the pixel look it has the very pixels of the output, as large as fits."""
        if self.pixels is None:
            return self.at_raster(width, height)
        across, down = self.width // self.pixels.enlarge, self.height // self.pixels.enlarge
        by = max(1, min(width // across, height // down))
        return replace(self, width=across * by, height=down * by, pixels=replace(self.pixels, enlarge=by))

    def only(self, places: tuple[int, ...]) -> Snapshot:
        """The same with the elements at some places alone."""
        at = {place: number for number, place in enumerate(places)}
        lights = tuple(
            light
            if light.touches is None
            else replace(light, touches=tuple(at[place] for place in light.touches if place in at))
            for light in self.lights
        )
        return replace(
            self,
            lights=lights,
            elements=tuple(self.elements[place] for place in places),
            meshes=tuple(self.meshes[place] for place in places),
            after=tuple(self.after[place] for place in places) if self.after else (),
            stations=tuple(tuple(station[place] for place in places) for station in self.stations),
        )

    def at_time(self, time: float) -> tuple[tuple[float, ...], ...]:
        """The elements' matrices at a time of the open shutter, 0 (opening) to 1 (closing)."""
        at = min(max(time, 0.0), 1.0) * (len(self.stations) - 1)
        before = min(int(at), len(self.stations) - 2)
        share = at - before
        if share == 0:
            return self.stations[before]
        return tuple(
            start if start == end else tuple(a + (b - a) * share for a, b in zip(start, end, strict=True))
            for start, end in zip(self.stations[before], self.stations[before + 1], strict=True)
        )

    def in_stretch(self, stations: tuple[tuple[tuple[float, ...], ...], ...]) -> Snapshot:
        """The set in a stretch of the open shutter, as at its middle; until the next frame elements go as far as before."""
        middle, after = stations[len(stations) // 2], []
        for now, moment, then in zip(self.elements, middle, self.after, strict=True) if self.after else ():
            start, at, end = (np.array(matrix).reshape(4, 4) for matrix in (now.matrix, moment, then))
            still = abs(np.linalg.det(start)) < 1e-12
            step = np.eye(4) if still else end @ np.linalg.inv(start)
            after.append(tuple(float(value) for value in (step @ at).reshape(-1)))
        elements = tuple(replace(element, matrix=matrix) for element, matrix in zip(self.elements, middle, strict=True))
        return replace(self, elements=elements, stations=stations, after=tuple(after))

    def samples_at(self, quality: Quality) -> int:
        """Samples a pixel at a quality."""
        return self.samples[tuple(QUALITIES).index(quality.name)]

    def rays_at(self, quality: Quality) -> int:
        """Rays a pixel at a quality, of which ``Quality.rays`` is what four at final come down to."""
        return max(1, self.rays * quality.rays // QUALITIES["final"].rays)
