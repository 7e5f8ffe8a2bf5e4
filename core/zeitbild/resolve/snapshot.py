"""Resolve: shot document x frame -> snapshot."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Literal

from zeitbild.colour import decode_hex
from zeitbild.document.shot import Environment, Shot
from zeitbild.elements import ElementBase
from zeitbild.elements.base import AssetSource
from zeitbild.errors import InputError, LimitError
from zeitbild.finishes import MAPS, Values
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.transforms import placement
from zeitbild.lights import LightSource, Softbox
from zeitbild.lights import kinds as light_kinds
from zeitbild.render.camera import Camera, look_at
from zeitbild.render.environment import EnvironmentLight
from zeitbild.render.finish_row import finish_row
from zeitbild.render.pixel_filter import ONE_PIXEL, PixelFilter
from zeitbild.render.pixel_look import PixelLook
from zeitbild.render.quality import QUALITIES, Quality
from zeitbild.render.texturing import Texture
from zeitbild.resolve.geometry_cache import GEOMETRY, geometry_key
from zeitbild.resolve.sky import sky_picture
from zeitbild.resolve.texture import texture
from zeitbild.timing import phase_of, turned_degrees

#: Triangles of all elements in one picture; about 250 bytes each while it is rendered.
MAX_SET_TRIANGLES = 3_000_000

Triple = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class SnapshotElement:
    """An element at a frame: its mesh by key, where it stands (4 x 4, row by row), and its finishes, linear."""

    geometry: str
    matrix: tuple[float, ...]
    finishes: tuple[tuple[float, ...], ...]


@dataclass(frozen=True, slots=True)
class Snapshot:
    """What the camera sees at one frame, in plain numbers; linear light, units and degrees of the set.

    lights name elements by their place in ``elements``; meshes belong to elements by place. occlusion 0..1 darkens
    corners narrower than occlusion_radius; bounces is how often mirrors mirror. camera_roll in degrees; camera_span the
    width of an orthographic picture, 0 in perspective. rays a pixel at final, to each
    light and over the half sphere; samples a pixel at rough, check and final. moments are the
    elements while the shutter is open, evenly in time, a power of two of them; empty if nothing moves. after are the
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
    meshes: tuple[Mesh, ...]
    occlusion: float = 0.0
    occlusion_radius: float = 1.0
    bounces: int = 0
    camera_roll: float = 0.0
    camera_span: float = 0.0
    rays: int = 4
    samples: tuple[int, int, int] = (4, 16, 64)
    filter: PixelFilter = ONE_PIXEL
    pixels: PixelLook | None = None
    moments: tuple[tuple[SnapshotElement, ...], ...] = ()
    textures: tuple[Texture, ...] = ()
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
            moments=(),
        )

    def samples_at(self, quality: Quality) -> int:
        """Samples a pixel at a quality."""
        return self.samples[tuple(QUALITIES).index(quality.name)]

    def rays_at(self, quality: Quality) -> int:
        """Rays a pixel at a quality, of which ``Quality.rays`` is what four at final come down to."""
        return max(1, self.rays * quality.rays // QUALITIES["final"].rays)

    def moments_at(self, quality: Quality) -> tuple[tuple[SnapshotElement, ...], ...]:
        """Moments at a quality: all at final, half of them at check, a quarter (at least two) at rough."""
        count = len(self.moments)
        step = {"rough": 4, "check": 2}.get(quality.name, 1)
        step = min(step, count // 2)
        return tuple(self.moments[step // 2 :: step])


class _Textures:
    """The textures that the finishes of a set name, each once, numbered from 1."""

    def __init__(self, assets: AssetSource) -> None:
        self._assets, self._found = assets, dict[tuple[str, bool], Texture]()

    def number(self, named: str, plain: bool) -> int:
        """Number of an uploaded file ``asset:...``, 0 for none; InputError if it is missing or broken."""
        if not named:
            return 0
        key = (named.removeprefix("asset:"), plain)
        if key not in self._found:
            self._found[key] = texture(*key, self._assets)
        return list(self._found).index(key) + 1

    def all(self) -> tuple[Texture, ...]:
        """All of them, in the order of their numbers."""
        return tuple(self._found.values())


def _finish(finish: Values, textures: _Textures) -> tuple[float, ...]:
    red, green, blue = (value * finish.emission for value in decode_hex(finish.emission_colour))
    maps = [
        textures.number(getattr(finish, f"{what}_map"), plain)
        for what, plain in MAPS
        if finish.shading == "metal-rough" or (finish.shading == "unlit" and what in ("base", "emission"))
    ]
    if finish.shading == "unlit":
        maps = [maps[0], 0, 0, 0, maps[1]]
    tones = [(tone.above, decode_hex(tone.colour)) for tone in finish.tones]
    return finish_row(
        decode_hex(finish.base_colour),
        finish.roughness,
        finish.metalness,
        (red, green, blue),
        coat=finish.coat,
        coat_roughness=finish.coat_roughness,
        tones=tones if finish.shading == "tone bands" else (),
        softness=finish.softness,
        unlit=finish.shading == "unlit",
        opacity=finish.opacity,
        maps=maps or (0, 0, 0, 0, 0),
        map_box=finish.map_by == "all sides",
        map_width=finish.map_width,
        map_turn=finish.map_turn,
    )


def _finishes(shot: Shot, element: ElementBase, textures: _Textures) -> tuple[tuple[float, ...], ...]:
    """Numbers of an element's finishes, the shared ones looked up (the document holds only names that are there)."""
    shared = {finish.name: finish.values for finish in shot.finishes}
    return tuple(_finish(shared[one.named] if one.named else one, textures) for one in element.finishes())


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
        source = replace(source, group=getattr(light, "group", "") or light.name)
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
        boxes=around.boxes if around.source == "studio" else 0.0,
        rotation=around.rotation,
        softboxes=softboxes,
        horizon=decode_hex(around.horizon) if around.source == "gradient" else None,
        spread=around.spread,
        picture=picture,
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


def _moments(
    shot: Shot, frame: int, shown: list[ElementBase], still: list[SnapshotElement]
) -> tuple[tuple[SnapshotElement, ...], ...]:
    """The elements at each moment of the open shutter; nothing if it is not open, or if all of them stand still."""
    motion, timing = shot.motion, shot.timing
    if motion.angle == 0 or shot.pixels.on:
        return ()
    count = int(motion.moments)
    opens, spread = Fraction(str(motion.phase)) / 360, Fraction(str(motion.angle)) / 360
    moments = []
    for number in range(count):
        at = frame + opens + spread * Fraction(2 * number + 1, 2 * count)
        phase = phase_of(at, timing.first, timing.last, timing.cycle)
        moments.append(
            tuple(
                replace(one, matrix=element_matrix(element, phase)) for element, one in zip(shown, still, strict=True)
            )
        )
    return tuple(moments) if any(moment != moments[0] for moment in moments) else ()


def resolve(shot: Shot, frame: int, assets: AssetSource, layer: str = "") -> Snapshot:
    """Everything visible at ``frame`` through the camera of a layer (none: the camera in view).

    Raises InputError whose field names the element that cannot be built.
    """
    timing = shot.timing
    phase = phase_of(frame, timing.first, timing.last, timing.cycle)
    triangles = 0
    elements, meshes = [], []
    places: dict[str, int] = {}
    textures = _Textures(assets)
    for number, element in enumerate(shot.elements):
        if not element.shown:
            continue
        try:
            mesh = GEOMETRY.mesh(element, assets)
        except InputError as error:
            error.field = f"elements.{number}.{error.field}".rstrip(".")
            raise
        elements.append(
            SnapshotElement(geometry_key(element), element_matrix(element, phase), _finishes(shot, element, textures))
        )
        meshes.append(mesh)
        places[element.id] = len(places)
        triangles += len(mesh.triangles)
        if triangles > MAX_SET_TRIANGLES:
            raise LimitError(
                f"the set has more than {MAX_SET_TRIANGLES / 1e6:g} million triangles, which a worker's memory does not "
                "hold; use fewer bevel steps or fewer elements",
                f"elements.{number}",
            )
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
        meshes=tuple(meshes),
        occlusion=shot.rays.occlusion,
        occlusion_radius=shot.rays.occlusion_radius,
        bounces=shot.rays.bounces,
        rays=int(shot.rays.samples),
        samples=(int(shot.sampling.rough), int(shot.sampling.check), int(shot.sampling.final)),
        filter=PixelFilter(shot.sampling.filter, shot.sampling.filter_width),
        pixels=_pixels(shot),
        textures=textures.all(),
        moments=_moments(shot, frame, shown, elements),
        after=tuple(
            element_matrix(element, phase_of(frame + 1, timing.first, timing.last, timing.cycle)) for element in shown
        ),
    )
