"""Resolve: shot document x frame -> snapshot."""

from __future__ import annotations

import math
from dataclasses import replace
from fractions import Fraction
from typing import Literal

from zeitbild.colour import decode_hex
from zeitbild.document.shot import Environment, Shot
from zeitbild.elements import ElementBase
from zeitbild.elements.base import AssetSource
from zeitbild.errors import InputError
from zeitbild.geometry.transforms import placement
from zeitbild.lights import LightSource, Softbox
from zeitbild.lights import kinds as light_kinds
from zeitbild.render.environment import EnvironmentLight
from zeitbild.render.pixel_filter import PixelFilter
from zeitbild.render.pixel_look import PixelLook
from zeitbild.resolve.geometry_cache import GEOMETRY, geometry_key
from zeitbild.resolve.sky import sky_picture
from zeitbild.resolve.snapshot import Snapshot, SnapshotElement
from zeitbild.resolve.surfaces import Textures, finishes_of
from zeitbild.timing import phase_of, turned_degrees

Triple = tuple[float, float, float]


def element_matrix(element: ElementBase, phase: Fraction) -> tuple[float, ...]:
    """Where an element stands at a phase of its range: 4 x 4, row by row."""
    place = element.placement
    # Turns are typed in decimals: reading them as decimals keeps a third of a turn from becoming a binary near-miss.
    degrees = turned_degrees(Fraction(str(element.turn.turns)), phase)
    matrix = placement(place.position, place.rotation, place.scale, element.turn.axis, degrees, element.pivot_offset)
    return tuple(float(value) for value in matrix.reshape(-1))


def _lights(shot: Shot, places: dict[str, int]) -> tuple[tuple[LightSource, ...], tuple[Softbox, ...]]:
    """Lights that are on, and the softboxes among them; places tells where in the snapshot each element stands."""
    standing: list[LightSource] = []
    boxes: list[Softbox] = []
    for light in shot.lights:
        if not light.on:
            continue
        source = light_kinds.get(light.kind).source(light)
        if isinstance(source, Softbox):
            boxes.append(source)
            continue
        source = replace(source, group=light.group_name())
        if light.touches:
            source = replace(source, touches=tuple(sorted(places[one] for one in light.touches if one in places)))
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


def _backdrop(shot: Shot) -> Triple | Literal["surroundings"] | None:
    if shot.backdrop.kind == "colour":
        return decode_hex(shot.backdrop.colour)
    return "surroundings" if shot.backdrop.kind == "surroundings" else None


def _pixels(shot: Shot) -> PixelLook | None:
    pixels = shot.pixels
    if not pixels.on:
        return None
    outline = decode_hex(pixels.outline_colour) if pixels.outline else None
    return PixelLook(pixels.enlarge, tuple(decode_hex(colour) for colour in pixels.palette), outline)


#: Degrees that an element turns from station to station at most: what is drawn between two lies 0.02 pixels off at most
#: where the fastest point is 500 pixels from its axis. Stations at least, and at most.
_APART, _FEWEST, _MOST = 1.0, 8, 512


def _stations(shot: Shot, frame: int, shown: list[ElementBase]) -> tuple[tuple[tuple[float, ...], ...], ...]:
    """The elements' matrices while the shutter is open; nothing if it is not open, or if all of them stand still."""
    motion, timing = shot.motion, shot.timing
    turns = max((abs(element.turn.turns) for element in shown), default=0)
    if motion.angle == 0 or shot.pixels.on or turns == 0:
        return ()
    frames = timing.last - timing.first + (1 if timing.cycle else 0)
    degrees = 360 * turns / max(frames, 1) * motion.angle / 360
    # In steps of eight, so that stretches of the shutter begin and end at stations.
    count = min(max(_FEWEST, 8 * math.ceil(degrees / _APART / 8)), _MOST)
    opens, spread = Fraction(str(motion.phase)) / 360, Fraction(str(motion.angle)) / 360
    stations = []
    for number in range(count + 1):
        at = frame + opens + spread * Fraction(number, count)
        phase = phase_of(at, timing.first, timing.last, timing.cycle)
        stations.append(tuple(element_matrix(element, phase) for element in shown))
    return tuple(stations) if any(station != stations[0] for station in stations) else ()


def resolve(shot: Shot, frame: int, assets: AssetSource, layer: str = "") -> Snapshot:
    """Everything visible at ``frame`` through the camera of a layer (none: the camera in view).

    Raises InputError whose field names the element that cannot be built.
    """
    timing = shot.timing
    phase = phase_of(frame, timing.first, timing.last, timing.cycle)
    elements, forms = [], []
    places: dict[str, int] = {}
    textures = Textures(assets)
    for number, element in enumerate(shot.elements):
        if not element.shown:
            continue
        try:
            forms.append(GEOMETRY.form(element, assets))
        except InputError as error:
            error.field = f"elements.{number}.{error.field}".rstrip(".")
            raise
        elements.append(
            SnapshotElement(geometry_key(element), element_matrix(element, phase), finishes_of(shot, number, textures))
        )
        places[element.id] = len(places)
    lights, softboxes = _lights(shot, places)
    shown = [element for element in shot.elements if element.shown]
    around, camera = shot.environment, shot.camera_of(layer)
    return Snapshot(
        width=shot.raster.width,
        height=shot.raster.height,
        camera_position=camera.position,
        camera_target=camera.look_at,
        camera_angle=camera.horizontal_angle,
        camera_roll=camera.roll,
        camera_span=camera.span if camera.projection == "orthographic" else 0.0,
        lights=lights,
        environment=_environment(around, softboxes, assets),
        backdrop=_backdrop(shot),
        elements=tuple(elements),
        meshes=tuple(forms),
        occlusion=shot.rays.occlusion,
        occlusion_radius=shot.rays.occlusion_radius,
        bounces=shot.rays.bounces,
        rays=int(shot.rays.samples),
        samples=(int(shot.sampling.rough), int(shot.sampling.check), int(shot.sampling.final)),
        filter=PixelFilter(shot.sampling.filter, shot.sampling.filter_width),
        pixels=_pixels(shot),
        textures=textures.all(),
        error=shot.sampling.error,
        stations=_stations(shot, frame, shown),
        after=tuple(
            element_matrix(element, phase_of(frame + 1, timing.first, timing.last, timing.cycle)) for element in shown
        ),
    )
