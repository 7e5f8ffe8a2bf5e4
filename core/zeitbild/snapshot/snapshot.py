"""The snapshot: what the camera sees at one frame, in plain numbers."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Literal, cast

import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import LimitError
from zeitbild.geometry.mesh import Mesh
from zeitbild.snapshot.body import Body, Matrix
from zeitbild.snapshot.camera import Camera, look_at
from zeitbild.snapshot.lights import LightSource
from zeitbild.snapshot.look import Gradient, PixelLook
from zeitbild.snapshot.names import Names
from zeitbild.snapshot.pixel_filter import ONE_PIXEL, PixelFilter
from zeitbild.snapshot.quality import QUALITIES, Quality
from zeitbild.snapshot.surroundings import EnvironmentLight
from zeitbild.snapshot.texture import Texture
from zeitbild.snapshot.view import Moment, View, placed_by, wearing

Triple = tuple[float, float, float]
#: Triangles of all bodies in one picture; about 250 bytes each while it is rendered.
MAX_SET_TRIANGLES = 3_000_000
#: So much coarser is a set made that has more, and so often.
_COARSER, _TRIES = 4.0, 4
#: A body that reaches to the camera is as fine as if it were this share of its size away.
_CLOSEST = 0.05


@dataclass(frozen=True, slots=True)
class Snapshot:
    """What the camera sees at one frame, in plain numbers; linear light, units and degrees of the set.

    lights name bodies by their ids; what they are made of are forms, and meshes once they are ``built``.
    occlusion 0..1 darkens corners narrower than occlusion_radius; bounces is how often mirrors mirror. camera_roll in
    degrees; camera_span the width of an orthographic picture, 0 in perspective. error is the difference (of 255) beyond
    which pixels get more places at final. rays a pixel at final, to each light and over the half sphere; samples a pixel
    at rough, check and final. stations are the bodies' matrices while the shutter is open, evenly in time from its
    opening to its closing, so close that what stands between two lies between them; empty if nothing moves. views are from where they
    are seen then, one for each station, and moments how they are lit, evenly in time; empty if that stays. overscan
    is how many pixels are rendered around the raster on each side. names are the elements' own and
    their finishes', which only identities tell; shutter is from when to when it is open, in frames from this one on, if there are dots
    whose ways are seen (else empty); part is, of a stretch, that of the open shutter which it is of; groups are those of the shot's
    lights, also of such as do not shine here.
    """

    width: int
    height: int
    camera_position: Triple
    camera_target: Triple
    camera_angle: float
    lights: tuple[LightSource, ...]
    environment: EnvironmentLight
    backdrop: Triple | Gradient | Literal["surroundings"] | None
    bodies: tuple[Body, ...]
    occlusion: float = 0.0
    occlusion_radius: float = 1.0
    bounces: int = 0
    camera_roll: float = 0.0
    camera_span: float = 0.0
    rays: int = 4
    samples: tuple[int, int, int] = (4, 16, 64)
    filter: PixelFilter = ONE_PIXEL
    pixels: PixelLook | None = None
    stations: tuple[tuple[Matrix, ...], ...] = ()
    views: tuple[View, ...] = ()
    moments: tuple[Moment, ...] = ()
    textures: tuple[Texture, ...] = ()
    error: float = 6.0
    overscan: int = 0
    shutter: tuple[float, ...] = ()
    part: tuple[float, float] = field(default=(0.0, 1.0), compare=False)
    names: Names = field(default=(), compare=False)
    groups: tuple[str, ...] = field(default=(), compare=False)

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

    def pixels_a_unit(self) -> NDArray[np.float64]:
        """Of each body how many pixels a unit of it takes where it may come nearest to the camera as it turns [n]."""
        camera = self.camera
        matrices = np.array([body.matrix for body in self.bodies]).reshape(-1, 4, 4)
        scales = np.linalg.norm(matrices[:, :3, :3], ord=2, axis=(1, 2))
        seen: NDArray[np.float64] = camera.focal * scales
        if not camera.parallel:
            reaches = np.array([body.form.radius for body in self.bodies]) * scales
            away = np.linalg.norm(matrices[:, :3, 3] - camera.eye, axis=1) - reaches
            seen = seen / np.maximum(np.maximum(away, _CLOSEST * reaches), 1e-9)
        return seen

    def built(self, quality: Quality) -> Snapshot:
        """The same with meshes as fine as its raster and a quality need them.

        Fineness goes in steps of two, so that a moving camera does not build everything anew. LimitError if the set has
        too many triangles even when it is made coarser.
        """
        if all(isinstance(body.form, Mesh) for body in self.bodies):
            return self
        finest = [
            quality.curve_error / 2.0 ** math.ceil(math.log2(max(pixels, 1e-9)))
            for pixels in self.pixels_a_unit().tolist()
        ]
        refused: LimitError | None = None
        for attempt in range(_TRIES):
            meshes: list[Mesh] = []
            try:
                for body, tolerance in zip(self.bodies, finest, strict=True):
                    meshes.append(body.form.at(tolerance * _COARSER**attempt))
            except LimitError as error:
                refused = error
                continue
            if sum(len(mesh.triangles) for mesh in meshes) <= MAX_SET_TRIANGLES:
                made = zip(self.bodies, meshes, finest, strict=True)
                bodies = tuple(body.built(mesh, tolerance * _COARSER**attempt) for body, mesh, tolerance in made)
                return replace(self, bodies=bodies)
            refused = None
        raise refused or LimitError(
            f"the set has more than {MAX_SET_TRIANGLES / 1e6:g} million triangles, which a worker's memory does not "
            "hold; use fewer bevel steps or fewer elements",
            "elements",
        )

    def parted(self) -> tuple[Snapshot, tuple[int, ...]]:
        """The same of a snapshot that was ``built``, with what is opaque of a body and what is not as bodies of their own; and the places in
        this one of what they are of."""
        kinds = [(place, kind) for place, body in enumerate(self.bodies) for kind in body.kinds_of_finishes()]
        places = tuple(place for place, _ in kinds)
        if all(len(kind) == len(self.bodies[place].finishes) for place, kind in kinds):
            return self, places
        part = self.only(places)
        bodies = tuple(body.of_finishes(kind) for body, (_, kind) in zip(part.bodies, kinds, strict=True))
        moments = tuple(
            replace(one, faces=tuple(wearing(face, kind) for face, (_, kind) in zip(one.faces, kinds, strict=True)))
            for one in part.moments
        )
        return replace(part, bodies=bodies, moments=moments), places

    @property
    def built_meshes(self) -> tuple[Mesh, ...]:
        """The meshes of a snapshot that was ``built``."""
        return cast(tuple[Mesh, ...], tuple(body.form for body in self.bodies))

    def at_raster(self, width: int, height: int) -> Snapshot:
        """The same view on another raster, without overscan; the horizontal angle of view is kept."""
        return replace(self, width=width, height=height, overscan=0)

    @property
    def margin(self) -> int:
        """Pixels rendered around the raster: the pixel look, whose pixels are wider than one, has none."""
        return 0 if self.pixels is not None else self.overscan

    def widened(self) -> Snapshot:
        """The raster with its margin as a raster of its own: the same pixels, and more of them around."""
        if not self.margin:
            return replace(self, overscan=0)
        width, height = self.width + 2 * self.margin, self.height + 2 * self.margin
        more = width / self.width

        def wider(view: View) -> View:
            angle = math.degrees(2 * math.atan(math.tan(math.radians(view.angle) / 2) * more))
            return replace(view, angle=angle, span=view.span * more)

        views = tuple(wider(view) for view in self.views)
        return replace(self, width=width, height=height, overscan=0, views=views).through(wider(self.view))

    def at_size(self, width: int, height: int) -> Snapshot:
        """The same view for a screen. In the pixel look it has the very pixels of the output, as large as fits."""
        if self.pixels is None:
            return self.at_raster(width, height)
        across, down = self.width // self.pixels.enlarge, self.height // self.pixels.enlarge
        by = max(1, min(width // across, height // down))
        return replace(self, width=across * by, height=down * by, overscan=0, pixels=replace(self.pixels, enlarge=by))

    def only(self, places: tuple[int, ...]) -> Snapshot:
        """The same with the bodies at some places alone."""
        return replace(
            self,
            bodies=tuple(self.bodies[place] for place in places),
            stations=tuple(tuple(station[place] for place in places) for station in self.stations),
            moments=tuple(replace(one, faces=tuple(one.faces[place] for place in places)) for one in self.moments),
        )

    def at_time(self, time: float) -> tuple[Matrix, ...]:
        """The bodies' matrices at a time of the open shutter, 0 (opening) to 1 (closing)."""
        at = min(max(time, 0.0), 1.0) * (len(self.stations) - 1)
        before = min(int(at), len(self.stations) - 2)
        share = at - before
        if share == 0:
            return self.stations[before]
        return tuple(
            start if start == end else tuple(a + (b - a) * share for a, b in zip(start, end, strict=True))
            for start, end in zip(self.stations[before], self.stations[before + 1], strict=True)
        )

    @property
    def view(self) -> View:
        """From where it is seen."""
        return View(self.camera_position, self.camera_target, self.camera_angle, self.camera_roll, self.camera_span)

    def view_at(self, time: float) -> View:
        """From where it is seen at a time of the open shutter, 0 (opening) to 1 (closing)."""
        if not self.views:
            return self.view
        at = min(max(time, 0.0), 1.0) * (len(self.views) - 1)
        before = min(int(at), len(self.views) - 2)
        return self.views[before].towards(self.views[before + 1], at - before)

    def through(self, view: View) -> Snapshot:
        """The same from somewhere else."""
        return replace(
            self,
            camera_position=view.position,
            camera_target=view.target,
            camera_angle=view.angle,
            camera_roll=view.roll,
            camera_span=view.span,
        )

    def as_seen(self, times: Sequence[float]) -> tuple[tuple[Matrix, ...], ...]:
        """Where bodies must stand to look, through its own camera, as they do at times of the open shutter, its camera's motion and all."""
        found = []
        for time in times:
            way = self.view.seen_from(self.view_at(time), self.width, self.height)
            found.append(tuple(placed_by(way, matrix) for matrix in self.at_time(time)))
        return tuple(found)

    def stretch(self, times: Sequence[float]) -> Snapshot:
        """The set between the first and the last of some times of the open shutter, seen and lit as at the middle one."""
        middle = times[len(times) // 2]
        held = self.through(self.view_at(middle))
        if self.moments:
            moment = self.moments[round(min(max(middle, 0.0), 1.0) * (len(self.moments) - 1))]
            clad = (
                replace(body, finishes=finishes, fades=fades, whole=whole)
                for body, (finishes, fades, whole) in zip(self.bodies, moment.faces, strict=True)
            )
            held = replace(held, lights=moment.lights, environment=moment.environment, bodies=tuple(clad))
        part = times[0], times[-1]
        return replace(held.in_stretch(held.as_seen(times), part), views=(), moments=())

    def in_stretch(self, stations: tuple[tuple[Matrix, ...], ...], part: tuple[float, float] = (0.0, 1.0)) -> Snapshot:
        """The set in a stretch of the open shutter, from and to those times of it, as at its middle; until the next frame bodies go as far as
        before."""
        middle, at = stations[len(stations) // 2], (part[0] + part[1]) / 2
        bodies = tuple(body.in_stretch(moment, at) for body, moment in zip(self.bodies, middle, strict=True))
        return replace(self, bodies=bodies, stations=stations, part=part)

    def points_at(self, station: int) -> tuple[NDArray[np.float64], ...]:
        """The vertices of each body of a snapshot that was ``built``, bent as at a station."""
        share = station / max(len(self.stations) - 1, 1)
        time = self.part[0] + (self.part[1] - self.part[0]) * share
        return tuple(body.points_at(time) for body in self.bodies)

    def samples_at(self, quality: Quality) -> int:
        """Samples a pixel at a quality."""
        return self.samples[tuple(QUALITIES).index(quality.name)]

    def rays_at(self, quality: Quality) -> int:
        """Rays a pixel at a quality, of which ``Quality.rays`` is what four at final come down to."""
        return max(1, self.rays * quality.rays // QUALITIES["final"].rays)
