"""Model: a file made elsewhere (glTF, OBJ, STL, PLY), with the finishes that it has, which can be changed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import Field, StringConstraints, model_validator

from zeitbild.colour import encode_hex
from zeitbild.elements._files import NAMED, file_of
from zeitbild.elements.base import AssetSource, ElementBase, ElementKind, Posed, Surface, Worn, kinds
from zeitbild.errors import ModelError
from zeitbild.finishes import Finish, Values
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.model.plain import MAX_MATERIALS, MAX_PARTS, Material
from zeitbild.geometry.model.standing import Model, Placing, Stands, Up, meshes_of, model_at
from zeitbild.models import SHIPPED
from zeitbild.timing import Time
from zeitbild.values import Part, choice, number


class ModelMaterial(Part):
    """What one material of the model becomes, where it is not to be as the file has it."""

    material: Annotated[str, StringConstraints(min_length=1, max_length=80)] = Field(
        title="Material in the model", json_schema_extra={"x-widget": "hidden"}
    )
    finish: Finish = Field(default_factory=Finish, title="Finish")


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
        json_schema_extra={"x-widget": "finishes", "x-files": "models", "x-of": "model", "x-group": "Materials"},
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

    def surfaces(self) -> tuple[Surface, ...]:
        """That of what has no material of its own in the document, and each that is listed."""
        own = (
            Surface(f"materials.{at}.finish", f"material-{at + 1}", f"material {one.material}", one.finish)
            for at, one in enumerate(self.materials)
        )
        return (Surface("surface", "surface", "Surface", self.surface), *own)


@dataclass(frozen=True, slots=True, eq=False)
class Built:
    """A model and its meshes by material; source is what names pictures inside its file."""

    model: Model
    meshes: dict[int, Mesh]
    source: str


def build(element: ModelElement, assets: AssetSource) -> Built:
    """Meshes of the model, its pivot at the origin."""
    model = model_at(*file_of(element.model, "model", SHIPPED, assets, ModelError))
    placing = Placing(element.size, element.up, element.stands, element.crease)
    return Built(model, meshes_of(model, placing, frozenset(element.hidden)), element.model)


def pose(element: ModelElement, time: Time, built: Built) -> Sequence[Posed]:
    """A body for each material."""
    if len(built.meshes) == 1:
        return (Posed(next(iter(built.meshes.values()))),)
    return tuple(Posed(mesh, part=f"material {number + 1}") for number, mesh in built.meshes.items())


def values_of(material: Material, source: str) -> Values:
    """A finish as the file has it; pictures inside the file are named by it and their number."""
    brightest = max(material.vivid)
    maps: dict[str, Any] = {
        f"{what}_map": f"{source}#{number}"
        for what, number in zip(
            ("base", "roughness", "metalness", "normal", "emission"), material.pictures, strict=True
        )
        if number >= 0
    }
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
    found = [Worn(0)]
    for material in built.model.materials:
        if material.name in listed:
            found.append(Worn(listed[material.name]))
        elif element.wears == "one finish":
            found.append(Worn(0))
        else:
            found.append(Worn(0, dict(values_of(material, built.source))))
    return found


kinds.register(
    ElementKind("model", "Model", ModelElement, build, 3, pose=pose, wear=wear, note="a file made elsewhere")
)
