"""Resolve: shot document x frame -> evaluated at its time -> snapshot."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal, TypeVar

from zeitbild.colour import decode_hex
from zeitbild.document.evaluate import evaluate, moves_at_all, time_of
from zeitbild.document.layers import Layer, Membership
from zeitbild.document.picture import Backdrop
from zeitbild.document.shot import Environment, Shot
from zeitbild.lights import kinds as light_kinds
from zeitbild.resolve.sky import sky_picture
from zeitbild.resolve.standing import Standing, Stood
from zeitbild.resolve.surfaces import Textures
from zeitbild.shipped import AssetSource
from zeitbild.snapshot import Bent, Body, Matrix, Role, Snapshot
from zeitbild.snapshot.lights import LightSource, Softbox
from zeitbild.snapshot.look import Gradient, PixelLook
from zeitbild.snapshot.pixel_filter import PixelFilter
from zeitbild.snapshot.surroundings import EnvironmentLight
from zeitbild.snapshot.view import Moment, View, placed_by
from zeitbild.timing import Time

Triple = tuple[float, float, float]
T = TypeVar("T")


def _lights(
    shot: Shot, bodies: Sequence[Body], left_out: tuple[str, ...], shadows: bool
) -> tuple[tuple[LightSource, ...], tuple[Softbox, ...]]:
    """Lights that are on, and the softboxes among them."""
    standing: list[LightSource] = []
    boxes: list[Softbox] = []
    for light in shot.lights:
        if not light.on or light.name in left_out:
            continue
        source = light_kinds.get(light.kind).source(light)
        if isinstance(source, Softbox):
            boxes.append(source)
            continue
        source = replace(source, group=light.group_name(), shadows=source.shadows and shadows)
        if light.touches:
            source = replace(source, touches=tuple(body.id for body in bodies if body.element in light.touches))
        standing.append(source)
    return tuple(standing), tuple(boxes)


def _environment(around: Environment, softboxes: tuple[Softbox, ...], assets: AssetSource) -> EnvironmentLight:
    picture = None
    if around.source == "picture" and around.picture:
        picture = sky_picture(around.picture.removeprefix("asset:"), assets)
    return EnvironmentLight(
        # A picture that was not chosen yet lights nothing.
        strength=0.0 if around.source == "picture" and picture is None else around.strength,
        sky=decode_hex(around.sky),
        floor=decode_hex(around.floor),
        lamps=around.boxes,
        rotation=around.rotation,
        softboxes=softboxes,
        horizon=decode_hex(around.horizon),
        spread=around.spread,
        picture=picture,
        formula=around.source if around.source != "picture" else "studio",
    )


def _backdrop(backdrop: Backdrop) -> Triple | Gradient | Literal["surroundings"] | None:
    if backdrop.kind in ("colour", "key"):
        return decode_hex(backdrop.colour)
    if backdrop.kind == "gradient":
        return Gradient(decode_hex(backdrop.colour), decode_hex(backdrop.colour_to))
    return "surroundings" if backdrop.kind == "surroundings" else None


def _pixels(shot: Shot) -> PixelLook | None:
    pixels = shot.pixels
    if not pixels.on:
        return None
    outline = decode_hex(pixels.outline_colour) if pixels.outline else None
    return PixelLook(pixels.enlarge, tuple(decode_hex(colour) for colour in pixels.palette), outline)


def _in_view(shot: Shot, layer: Layer | None) -> list[tuple[int, Role]]:
    """Numbers of the elements that are there, and what they are to the camera."""
    found: list[tuple[int, Role]] = []
    for number, element in enumerate(shot.elements):
        role = "shown" if layer is None else layer.membership(element.id)
        # What is for reference is seen by who works on the whole set, and in nothing that is delivered.
        whole = (element, *shot.groups_of(element))
        there = all((one.shown if layer is None else one.delivered) and one.opacity > 0 for one in whole)
        if there and role != "absent":
            found.append((number, role))
    return found


def resolve(shot: Shot, frame: int, assets: AssetSource, layer: str = "", *, motion: bool = True) -> Snapshot:
    """Everything that stands in a layer at ``frame``, through its camera (none: in the whole set, through the camera in view). Without
    ``motion`` nothing is said of where it stands a frame later, which only passes ask.

    Raises InputError whose field names the element that cannot be built.
    """
    return resolve_as(shot, frame, assets, shot.layer(layer) if layer else None, motion=motion)


@dataclass(frozen=True, slots=True)
class _Seen:
    """A layer of a shot (none: the whole set) as it is seen and lit at any time; what plays shows what it does at the frame, ``now``."""

    shot: Shot
    standing: Standing
    textures: Textures
    assets: AssetSource
    camera: str
    left_out: tuple[str, ...]
    shadows: bool
    now: Time

    def view(self, time: Time) -> View:
        """From where."""
        camera = evaluate(self.shot, time).camera_of(self.camera)
        span = camera.span if camera.projection == "orthographic" else 0.0
        return View(camera.position, camera.look_at, camera.horizontal_angle, camera.roll, span)

    def moment(self, time: Time) -> tuple[Moment, tuple[Body, ...]]:
        """How it is lit, and the bodies."""
        bodies, plain = self.standing.bodies(time, self.textures, self.now), evaluate(self.shot, time)
        lights, softboxes = _lights(plain, bodies, self.left_out, self.shadows)
        faces = tuple((body.finishes, body.fades, body.whole) for body in bodies)
        return Moment(lights, _environment(plain.environment, softboxes, self.assets), faces), bodies

    def opened(self, frame: int) -> _Opened:
        """What changes while the shutter is open."""
        times = self.standing.opened(frame)
        stations = tuple(self.standing.matrices(time) for time in times)
        views = _if_it_changes(tuple(self.view(time) for time in times))
        some = times[:: max(1, len(times) // _MOMENTS)]
        moments = _if_it_changes(tuple(self.moment(time)[0] for time in some) if moves_at_all(self.shot) else ())
        bends = tuple(_bends(own) for own in zip(*(self.standing.stood(time) for time in some), strict=True))
        changes = views or moments or any(bends)
        return _Opened(stations if changes else _if_it_changes(stations), views, moments, bends)


@dataclass(frozen=True, slots=True)
class _Opened:
    """Stations, views and moments of the open shutter (``Snapshot``), and of each body how it bends (``Body``); empty: none does."""

    stations: tuple[tuple[Matrix, ...], ...]
    views: tuple[View, ...]
    moments: tuple[Moment, ...]
    bends: tuple[tuple[Bent, ...], ...]


def _bends(stood: Sequence[Stood]) -> tuple[Bent, ...]:
    """How a body bends that stands so one time after the other; empty if it keeps its shape, or if it is not the same all the time."""
    bends = tuple(bent for _, bent in stood if bent is not None)
    return _if_it_changes(bends) if len(bends) == len(stood) else ()


#: Moments of the open shutter at which it is found out how things are lit, and how they bend.
_MOMENTS = 8


def _if_it_changes(values: tuple[T, ...]) -> tuple[T, ...]:
    return values if any(one != values[0] for one in values) else ()


def resolve_as(shot: Shot, frame: int, assets: AssetSource, layer: Layer | None, *, motion: bool = True) -> Snapshot:
    """The same for a layer that need not be one of the shot's; None is the whole set as it is worked on."""
    now, moving = time_of(shot, frame), shot
    shot = evaluate(moving, now)
    own = layer.backdrop.at(now) if layer is not None and layer.backdrop is not None else None
    backdrop = own or shot.backdrop
    members = _in_view(shot, layer)
    through = layer.camera if layer is not None else ""
    standing, textures = Standing(moving, members, assets, now, through), Textures(assets)
    left_out = layer.lights_off if layer is not None else ()
    seen = _Seen(moving, standing, textures, assets, through, left_out, backdrop.kind != "key", now)
    lit, bodies = seen.moment(now)
    camera = seen.view(now)
    if motion:
        after = time_of(moving, frame + 1)
        to_now = camera.seen_from(seen.view(after), shot.raster.width, shot.raster.height)
        bodies = tuple(
            replace(
                body,
                after=placed_by(to_now, matrix),
                then=then if then is not None and then.shape != body.shape else None,
            )
            for body, (matrix, then) in zip(bodies, standing.stood(after), strict=True)
        )
    opened = seen.opened(frame)
    if opened.bends:
        bodies = tuple(replace(body, bends=own) for body, own in zip(bodies, opened.bends, strict=True))
    names, sampling = shot.names, shot.sampling
    samples = int(sampling.rough), int(sampling.check), int(sampling.final)
    pixel_filter = PixelFilter(sampling.filter, sampling.filter_width)
    if layer is not None and layer.samples:
        samples = (int(layer.samples),) * 3
    if layer is not None and layer.filter:
        pixel_filter = PixelFilter(layer.filter, layer.filter_width)
    return Snapshot(
        width=shot.raster.width,
        height=shot.raster.height,
        camera_position=camera.position,
        camera_target=camera.target,
        camera_angle=camera.angle,
        camera_roll=camera.roll,
        camera_span=camera.span,
        lights=lit.lights,
        environment=lit.environment,
        backdrop=_backdrop(backdrop),
        bodies=bodies,
        occlusion=shot.rays.occlusion,
        occlusion_radius=shot.rays.occlusion_radius,
        bounces=shot.rays.bounces,
        rays=(layer.rays if layer is not None else 0) or int(shot.rays.samples),
        samples=samples,
        filter=pixel_filter,
        pixels=_pixels(shot),
        textures=textures.all(),
        error=sampling.error,
        overscan=shot.raster.overscan,
        stations=opened.stations,
        views=opened.views,
        moments=opened.moments,
        shutter=_shutter(shot, bodies),
        names=tuple(names[number] for number, _ in members),
        groups=shot.light_groups,
    )


def _shutter(shot: Shot, bodies: Sequence[Body]) -> tuple[float, ...]:
    """From when to when the shutter is open, in frames from the frame on, if any dots go along meanwhile."""
    motion = shot.motion
    if not shot.shutter_opens or all(body.dots is None for body in bodies):
        return ()
    return motion.phase / 360, (motion.phase + motion.angle) / 360


def whole_of(layers: Sequence[Layer]) -> Layer:
    """What layers show together, as one layer: each element is what it is most in any of them, shown before hold-out before unseen.

    Camera, lights, quality and what is behind it are those of the first, which lies at the bottom.
    """
    rank: dict[Membership, int] = {"shown": 3, "hold-out": 2, "unseen": 1, "absent": 0}

    def most(of: Callable[[Layer], Membership]) -> Membership:
        return max((of(layer) for layer in layers), key=lambda one: rank[one])

    named = {element for layer in layers for element in layer.members}
    members = {element: most(lambda layer, element=element: layer.membership(element)) for element in sorted(named)}  # type: ignore[misc]
    others = most(lambda layer: layer.others)
    first = layers[0]
    return first.model_copy(update={"members": members, "others": others})
