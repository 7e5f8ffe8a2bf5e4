"""Model: a file made elsewhere (glTF, OBJ, STL, PLY), with the finishes that it has, which can be changed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, StringConstraints, model_validator

from zeitbild.caching import SizedCache
from zeitbild.colour import encode_hex
from zeitbild.elements.base import ElementBase, ElementKind, Posed, Surface, Worn, kinds
from zeitbild.errors import InputError, ModelError
from zeitbild.finishes import Finish, Values
from zeitbild.geometry.mesh import NOTHING, Mesh
from zeitbild.geometry.model.figure import Played, Way
from zeitbild.geometry.model.plain import MAX_MATERIALS, MAX_PARTS, Material
from zeitbild.geometry.model.standing import COLOURS, Model, Placing, Shapes, Stands, Up, model_at
from zeitbild.models import SHIPPED
from zeitbild.shipped import NAMED, AssetSource, file_of
from zeitbild.timing import Time
from zeitbild.values import FRAME, STILL, Part, PartCode, choice, number, part_code

#: Poses kept for each element.
_POSES = 48
_MOST_CLIPS = 100


class ModelMaterial(Part):
    """What one material of the model becomes, where it is not to be as the file has it."""

    material: Annotated[str, StringConstraints(min_length=1, max_length=80)] = Field(
        title="Material in the model", json_schema_extra={"x-widget": "hidden"}
    )
    finish: Finish = Field(default_factory=Finish, title="Finish")


class PlacedClip(Part):
    """A clip of the model, placed on the sheet."""

    clip: Annotated[str, StringConstraints(min_length=1, max_length=80)] = Field(title="Clip")
    start: Annotated[int, Field(ge=-1_000_000, le=1_000_000)] = Field(
        default=1, title="Begins at frame", json_schema_extra=FRAME
    )
    speed: float = number(1, "Speed", 0.01, 100, step=0.1, unit="×", slider=(0.1, 4), still=True)
    skip: float = number(0, "Leave out at its beginning", 0, 3600, step=0.05, unit="s", still=True)
    plays: Literal["once", "repeated", "back and forth"] = choice("repeated", "Plays")
    times: Annotated[int, Field(ge=0, le=100_000)] = Field(
        default=0,
        title="Times",
        description="0: until the next one is there.",
        json_schema_extra={"x-step": 1, "x-when": {"plays": ["repeated", "back and forth"]}, **STILL},
    )
    blend: Annotated[int, Field(ge=0, le=10_000)] = Field(
        default=8,
        title="Comes in within",
        json_schema_extra={"x-unit": "frames", "x-step": 1, **STILL},
    )
    strength: float = number(1, "Strength", 0, 1, step=0.05, slider=(0, 1), still=True)
    way: Way = choice("as in the clip", "Over the ground", widget="list")


class TargetShape(Part):
    """How much a target of the model has of its shape, besides what its clips give it."""

    weight: float = number(0, "Shape", -10, 10, step=0.05, slider=(0, 1))


class ModelElement(ElementBase):
    """A model from a file."""

    kind: Literal["model"] = "model"
    model: Annotated[str, StringConstraints(pattern=NAMED)] = Field(
        default="buoy", title="Model", json_schema_extra={"x-widget": "file", "x-files": "models", "x-group": "Model"}
    )
    size: float = number(
        300, "Size", 0.01, 100_000, unit="u", group="Model", slider=(20, 1000), help="Of its larger side."
    )
    up: Up = choice("as the file has it", "Up", group="Model", widget="list", help="Which of its axes.")
    stands: Stands = choice("about its middle", "Stands", group="Model", widget="list", help="Where its pivot is.")
    crease: float = number(
        30,
        "Sharp from",
        0,
        180,
        unit="°",
        group="Model",
        slider=(0, 90),
        help="Bend of an edge, where the file has no normals.",
    )
    hidden: tuple[Annotated[str, StringConstraints(min_length=1, max_length=210)], ...] = Field(
        default=(),
        title="Parts",
        max_length=MAX_PARTS,
        description="Parts that are not there.",
        json_schema_extra={"x-widget": "hides", "x-files": "models", "x-of": "model", "x-group": "Parts"},
    )
    materials: tuple[ModelMaterial, ...] = Field(
        default=(),
        title="Materials",
        max_length=MAX_MATERIALS,
        description="Materials of the model that get a finish of their own.",
        json_schema_extra={
            "x-widget": "finishes",
            "x-files": "models",
            "x-of": "model",
            "x-group": "Materials",
            "x-each": "Material",
        },
    )
    clip: Annotated[str, StringConstraints(max_length=80)] = Field(
        default="",
        title="Clip",
        json_schema_extra={"x-widget": "clip", "x-files": "models", "x-of": "model", "x-group": "Pose"},
    )
    clip_at: float = number(
        0, "At", 0, 3600, step=0.05, unit="s", group="Pose", help="Into the clip.", when={"model.moves": "yes"}
    )
    plays: Literal["stands", "once", "repeated", "back and forth"] = Field(
        default="stands",
        title="Plays",
        json_schema_extra={"x-group": "Pose", "x-widget": "choice", "x-when": {"model.moves": "yes"}},
    )
    clip_start: int = Field(
        default=1,
        ge=-1_000_000,
        le=1_000_000,
        title="Begins at frame",
        json_schema_extra={"x-group": "Pose", "x-when": {"plays": ["once", "repeated", "back and forth"]}, **FRAME},
    )
    speed: float = number(
        1,
        "Speed",
        0.01,
        100,
        step=0.1,
        unit="×",
        group="Pose",
        slider=(0.1, 4),
        when={"plays": ["once", "repeated", "back and forth"]},
    )
    clips: tuple[PlacedClip, ...] = Field(
        default=(),
        title="Clips on the sheet",
        exclude_if=lambda own: not own,
        max_length=_MOST_CLIPS,
        description="One after the other, each over those before it; in place of the one above.",
        json_schema_extra={"x-widget": "clips", "x-files": "models", "x-of": "model", "x-group": "Pose"},
    )
    shapes: dict[PartCode, TargetShape] = Field(
        default={},
        title="Shapes",
        exclude_if=lambda own: not own,
        max_length=200,
        json_schema_extra={"x-widget": "targets", "x-files": "models", "x-of": "model", "x-group": "Pose"},
    )
    wears: Literal["its own materials", "one finish"] = choice("its own materials", "Wears", group="Finish")
    surface: Finish = Field(
        default_factory=Finish,
        title="Surface",
        description="Of all of it, or of what has no material.",
        json_schema_extra={"x-group": "Finish"},
    )

    @model_validator(mode="after")
    def _each_once(self) -> ModelElement:
        names = [one.material for one in self.materials]
        twice = sorted({one for one in names if names.count(one) > 1})
        if twice:
            raise ValueError(f"the material {twice[0]} is listed twice")
        return self

    def geometry_parameters(self) -> dict[str, Any]:
        """What is built, not how it is posed."""
        names = ("model", "size", "up", "stands", "crease", "hidden")
        return {"kind": self.kind, **{name: getattr(self, name) for name in names}}

    def surfaces(self) -> tuple[Surface, ...]:
        """That of what has no material of its own in the document, and each that is listed."""
        own = (
            Surface(f"materials.{at}.finish", f"material-{at + 1}", f"material {one.material}", one.finish)
            for at, one in enumerate(self.materials)
        )
        return (Surface("surface", "surface", "Surface", self.surface), *own)


@dataclass(frozen=True, slots=True, eq=False)
class Built:
    """A model and its meshes by material; source is what names pictures inside its file, shapes what poses it, poses those that were made last."""

    model: Model
    meshes: dict[int, Mesh]
    source: str
    shapes: Shapes
    poses: SizedCache[dict[int, Mesh]]


def build(element: ModelElement, assets: AssetSource) -> Built:
    """Meshes of the model, its pivot at the origin."""
    path, label = file_of(element.model, "model", SHIPPED, assets, ModelError)
    model = model_at(path, label)
    placing = Placing(element.size, element.up, element.stands, element.crease)
    shapes = Shapes(model, placing, frozenset(element.hidden))
    return Built(model, shapes.at_rest(), element.model, shapes, SizedCache(_POSES, lambda _: 1))


def _check_clips(element: ModelElement, model: Model) -> None:
    """InputError for a clip that the model does not have."""
    known = dict(model.clips)
    named = [(element.clip, "clip"), *((one.clip, f"clips.{at}.clip") for at, one in enumerate(element.clips))]
    for name, field in named:
        if name and name not in known:
            told = f"; there are {', '.join(name for name, _ in model.clips[:8])}" if model.clips else ", nor any other"
            raise InputError(f"the model has no clip {name!r}{told}", field)


def _seconds(element: ModelElement, time: Time, model: Model) -> Fraction:
    """How far into its clip a model is, exactly."""
    # Typed in decimals, and read as such.
    at, length = Fraction(str(element.clip_at)), Fraction(dict(model.clips)[element.clip])
    if element.plays != "stands":
        at += (time.frame - element.clip_start) / time.rate * Fraction(str(element.speed))
    if element.plays == "repeated" and length > 0:
        return at % length
    if element.plays == "back and forth" and length > 0:
        at %= 2 * length
        return min(at, 2 * length - at)
    return min(max(at, Fraction(0)), length)


def _into(one: PlacedClip, time: Time, length: Fraction) -> tuple[Fraction, int, bool]:
    """How far into its clip a placed one is, how often it was played before, and whether it is over."""
    since = (time.frame - one.start) / time.rate * Fraction(str(one.speed))
    at = since + Fraction(str(one.skip))
    left = max(length - Fraction(str(one.skip)), Fraction(0))
    if one.plays == "once" or length <= 0:
        return min(max(at, Fraction(0)), length), 0, since > left
    period = length if one.plays == "repeated" else 2 * length
    rounds = at // period
    over = one.times > 0 and at >= period * one.times
    if over:
        return (length if one.plays == "repeated" else Fraction(0)), max(one.times - 1, 0), True
    inside = at % period
    if one.plays == "back and forth":
        inside = min(inside, 2 * length - inside)
        rounds = 0
    return inside, int(rounds), False


def played(element: ModelElement, time: Time, model: Model) -> tuple[Played, ...]:
    """The clips that a model plays at a time, in the order in which they lie over one another."""
    known = {name: Fraction(seconds) for name, seconds in model.clips}
    if not element.clips:
        return (Played(element.clip, float(_seconds(element, time, model))),) if element.clip else ()
    found = []
    for one in element.clips:
        begun = time.frame - one.start
        if begun < 0:
            continue
        seconds, rounds, _ = _into(one, time, known[one.clip])
        # Evenly in and out at its ends, so that nothing jerks.
        share = min(float((begun + 1) / (one.blend + 1)), 1.0) if one.blend else 1.0
        share = share * share * (3 - 2 * share) * one.strength
        found.append(Played(one.clip, float(seconds), share, rounds, one.way))
    return tuple(found)


def upwards(model: Model) -> NDArray[np.float64]:
    """The model's own way upwards [3]."""
    return np.array([0.0, 0.0, 1.0] if model.up == "z" else [0.0, 1.0, 0.0])


def _pose_of(
    element: ModelElement, time: Time, built: Built
) -> tuple[tuple[Played, ...], tuple[tuple[str, float], ...]]:
    """What poses it: clips, and weights of targets by their names."""
    figure = built.model.figure
    if figure is None:
        return (), ()
    taken: set[str] = set()
    codes = {part_code(name, taken): name for name in figure.targets}
    weights = ((codes[code], one.weight) for code, one in element.shapes.items() if code in codes and one.weight)
    return played(element, time, built.model), tuple(weights)


def pose(element: ModelElement, time: Time, built: Built) -> Sequence[Posed]:
    """A body for each material, as the file has it or where its clip has it."""
    _check_clips(element, built.model)
    meshes, bend, figure = built.meshes, "", built.model.figure
    clips, shapes = _pose_of(element, time, built)
    if figure is not None and (clips or shapes):
        bend = repr((clips, shapes))
        meshes = built.poses.get(
            bend, lambda: built.shapes.posed(figure.posed(clips, dict(shapes), upwards(built.model)))
        )
    if len(built.meshes) == 1:
        return (Posed(next(iter(meshes.values())), bend=bend, flexes=True),)
    # What a pose makes vanish is a body of nothing.
    return tuple(
        Posed(meshes.get(number, NOTHING), part=f"material {number + 1}", bend=bend, flexes=True)
        for number in built.meshes
    )


def values_of(material: Material, source: str, colours: int = -1) -> Values:
    """A finish as the file has it; pictures inside the file are named by it and their number, colours is that of its corners' (-1: they have
    none)."""
    brightest = max(material.vivid)
    # glTF 2.0, section 3.9.2: roughness is green, metalness blue.
    meant = {"base": material.clear, **({"roughness": "g", "metalness": "b"} if material.packed else {})}
    maps: dict[str, Any] = {
        f"{what}_map": f"{source}#{number}{meant.get(what, '')}"
        for what, number in zip(
            ("base", "roughness", "metalness", "normal", "emission"), material.pictures, strict=True
        )
        if number >= 0
    }
    if colours >= 0:
        maps["base_map"] = f"{source}#{colours}"
    values = Values(
        shading="unlit" if material.unlit else "metal-rough",
        base_colour=encode_hex(material.colour),
        roughness=material.roughness,
        metalness=material.metalness,
        opacity=material.opacity,
        coat=material.coat,
        coat_roughness=material.coat_roughness,
        emission=min(brightest, 100.0),
        emission_colour=encode_hex(tuple(one / brightest for one in material.vivid)) if brightest > 0 else "#ffffff",
        map_by="unwrapped" if maps else "front",
    )
    return values.model_copy(update=maps)


def wear(element: ModelElement, time: Time, built: Built) -> Sequence[Worn]:
    """What has no material, then each material: what is listed for it, what the file says, or the one finish."""
    listed = {one.material: number for number, one in enumerate(element.materials, 1)}
    own = built.model.colours
    bare = COLOURS in own and element.wears != "one finish"
    found = [Worn(0, {"base_map": f"{built.source}#{COLOURS}", "map_by": "unwrapped"} if bare else {})]
    for at, material in enumerate(built.model.materials, COLOURS + 1):
        if material.name in listed:
            found.append(Worn(listed[material.name]))
        elif element.wears == "one finish":
            found.append(Worn(0))
        else:
            colours = at if at in own else -1
            found.append(Worn(0, dict(values_of(material, built.source, colours))))
    return found


kinds.register(
    ElementKind("model", "Model", ModelElement, build, 3, pose=pose, wear=wear, note="a file made elsewhere")
)
