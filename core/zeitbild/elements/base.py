"""What every element kind shares: placement, pivot, turn; and the contract of a kind: bodies at a time."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cache
from typing import Any, Literal, get_args

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from zeitbild.finishes import Finish
from zeitbild.geometry.form import Form
from zeitbild.keys import Moving
from zeitbild.registry import Registry
from zeitbild.shipped import AssetSource
from zeitbild.snapshot import Matrix
from zeitbild.snapshot.dots import Dots
from zeitbild.snapshot.texture import Texture
from zeitbild.timing import Time
from zeitbild.values import STILL, Identifier, Part, Placement, Point, Title, Turn, number

#: The kind of what others may stand inside of.
GROUP: Literal["group"] = "group"
#: In forms these stand together after what a kind adds.
_LATE: dict[str, Any] = {"x-late": True, "x-group": "Place"}


@dataclass(frozen=True, slots=True)
class Surface:
    """A finish of an element: its field's path within the element, what documents call it, its title, and itself."""

    path: str
    code: str
    title: str
    finish: Finish


@dataclass(frozen=True, slots=True)
class PictureReading:
    """How a picture of footage is read: what its alpha means and the colour that it is over (``footage.plain.Reading``), and whether its
    pixels stay whole where they are larger than those of the picture."""

    alpha: str
    matte: str = ""
    hard: bool = False


@dataclass(frozen=True, slots=True)
class Worn:
    """What one part of an element's meshes wears.

    number is that of its finish among the element's surfaces; changes are values by the fields of a finish that a file puts in their place
    (a texture may lie inside the file: its name, ``#`` and a number); opacity is how much of that of the finish is left.

    Where there is a reading the base texture is a picture of footage (its file, ``#`` and the picture's number from 0 on), read so. Where
    cut is not below 0 the alpha of that is how much of the surface is there, and cut is how much of it there is in the mean (0 to 1) for
    rays. picture is one that the kind made itself, which says how much is there in place of that alpha. Either lies as the mesh is unwrapped,
    which it is then, wherever the finish's own pictures lie.
    """

    number: int
    changes: Mapping[str, Any] = field(default_factory=dict)
    opacity: float = 1.0
    cut: float = -1.0
    reading: PictureReading | None = None
    picture: Texture | None = None


class ElementBase(Moving):
    """Fields that every element has, whatever its kind."""

    #: Each kind's own literal.
    kind: str = ""
    id: Identifier = Field(title="Identity")
    name: Title = Field(default="Element", title="Name", json_schema_extra=_LATE)
    shown: bool = Field(
        default=True, title="In the picture", description="One switch for the picture, the run and the files."
    )
    reference: bool = Field(
        default=False,
        title="Reference only",
        description="Seen while working; in no layer, no run and no file.",
        json_schema_extra={**_LATE, **STILL},
    )
    locked: bool = Field(
        default=False,
        title="Locked",
        description="Hands on the picture leave it where it is.",
        json_schema_extra={**_LATE, **STILL},
    )
    placement: Placement = Field(default_factory=Placement, title="Placement", json_schema_extra=_LATE)
    pivot_offset: Point = Field(
        default=(0.0, 0.0, 0.0),
        title="Pivot offset",
        json_schema_extra={**_LATE, "x-step": 1},
        description="Moves the pivot away from the centre of the visible ink.",
    )
    opacity: float = number(
        1,
        "Opacity",
        0,
        1,
        step=0.05,
        slider=(0, 1),
        late="Place",
        help="As one: nothing of it shows through itself. Of a group: of all that stands in it.",
    )
    inside: Identifier | Literal[""] = Field(
        default="",
        title="Inside the group",
        description="It is placed, turned and scaled with it, and hidden with it.",
        json_schema_extra={**_LATE, "x-widget": "group", "type": "string"},
    )
    turn: Turn = Field(default_factory=Turn, title="Turn")

    @property
    def delivered(self) -> bool:
        """Whether it is in the files at all."""
        return self.shown and not self.reference

    def geometry_parameters(self) -> dict[str, Any]:
        """The parameters that decide what is built: all that the kind adds but finishes. Whatever a kind adds later is among them."""
        shared = set(ElementBase.model_fields) - {"kind"}
        values = {name: getattr(self, name) for name in type(self).model_fields if name not in shared}
        return {name: _without_finishes(value) for name, value in values.items() if not isinstance(value, Finish)}

    def surfaces(self) -> tuple[Surface, ...]:
        """Its finishes in their order: every field that is one."""
        fields = type(self).model_fields
        return tuple(
            Surface(name, name, fields[name].title or name, value)
            for name in _finish_fields(type(self))
            if isinstance(value := getattr(self, name), Finish)
        )

    def finishes(self) -> tuple[Finish, ...]:
        """The same without what they are called."""
        return tuple(one.finish for one in self.surfaces())


@cache
def _finish_fields(kind: type[ElementBase]) -> tuple[str, ...]:
    """Fields of a kind that can hold a finish, in their order."""

    def can_be(annotation: Any) -> bool:
        own = isinstance(annotation, type) and issubclass(annotation, Finish)
        return own or annotation is Any or any(can_be(one) for one in get_args(annotation))

    return tuple(name for name, one in kind.model_fields.items() if can_be(one.annotation))


def _without_finishes(value: Any) -> Any:
    """A value without the finishes in it, as plain as JSON."""
    if isinstance(value, Finish):
        return None
    if isinstance(value, Part):
        return {name: _without_finishes(getattr(value, name)) for name in type(value).model_fields}
    if isinstance(value, tuple | list):
        return [_without_finishes(one) for one in value]
    return value


#: Where something stands that stands where its element does.
IN_PLACE: Matrix = (1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0)


@dataclass(frozen=True, slots=True)
class Posed:
    """One body of an element at a time, about the element's pivot.

    part is its name within the element, which stays from frame to frame (empty: it is the only one); bend names how its form
    stands, where that is not how it was built: two of one part and one bend are one mesh; matrix places it (4 x 4, row by row). wears are
    the numbers of what the element wears that its mesh's parts have, in their order (None: all of it). dots are seen in place of a surface, and made when
    they are wanted, with their ways (else zeros) if it is asked for them; bend names them, too. flexes: what the part is at another time is the
    same bent otherwise (``Form.carried``), so that an open shutter sees it on its way.
    """

    form: Form
    part: str = ""
    bend: str = ""
    matrix: Matrix = IN_PLACE
    wears: tuple[int, ...] | None = None
    dots: Callable[[bool], Dots] | None = None
    flexes: bool = False


def as_built(parameters: ElementBase, time: Time, built: Any) -> tuple[Posed, ...]:
    """The pose of kinds that build one form, which never bends."""
    return (Posed(built),)


def in_order(parameters: ElementBase, time: Time, built: Any) -> tuple[Worn, ...]:
    """What kinds wear whose parts are their surfaces."""
    return tuple(Worn(number) for number in range(len(parameters.surfaces())))


@dataclass(frozen=True, slots=True)
class Copied:
    """One time that what stands inside an element is there: name tells it from the others and stays from frame to frame, matrix places it
    about the element's pivot (4 x 4, row by row), and what it shows is what it showed so many frames ago (``later``). What is not there at this
    time is seen by nobody, and keeps its name and place in the order. left: it is placed about where the element stood so many frames ago
    (None: where that stands). start: where it comes from in the space of the element that this one rests on, on the triangle of that
    number; the matrix is then its way from there."""

    name: str = ""
    matrix: Matrix = IN_PLACE
    later: Fraction = Fraction(0)
    there: bool = True
    left: float | None = None
    start: tuple[float, float, float] | None = None
    triangle: int = -1


def once(parameters: ElementBase, time: Time, built: Any) -> tuple[Copied, ...]:
    """Where others stand in what is only a place for them."""
    return (Copied(),)


@dataclass(frozen=True, slots=True)
class Facing:
    """How something flat stands to the camera: its front turns there, or only about the upright, or it lies on the picture, in its pixels
    from its middle; one_sided is not seen from behind."""

    stands: Literal["as placed", "to the camera", "to the camera, upright", "on the picture"] = "as placed"
    one_sided: bool = False


def as_placed(parameters: ElementBase) -> Facing:
    """What does not mind the camera."""
    return Facing()


#: a, b, c, d, e, f, which take x and y to a x + b y + c and d x + e y + f.
Affine = tuple[float, float, float, float, float, float]
UNMOVED: Affine = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)


@dataclass(frozen=True, slots=True)
class Mark:
    """Something of an element that hands on the picture take hold of: points in its plane (units from its place), the name that documents
    have for it, what takes its own places as documents have them to that plane, and what does so but for its own turn and stretch."""

    name: str
    points: tuple[tuple[float, float], ...]
    own: Affine = UNMOVED
    carried: Affine = UNMOVED


def on_nothing(parameters: Any) -> str:
    """For kinds that need no other element."""
    return ""


def unchanged(built: Any, triangles: NDArray[np.float64]) -> Any:
    """For kinds that need no other element."""
    return built


def unmarked(parameters: Any, time: Time, built: Any) -> Sequence[Mark]:
    """For kinds that are taken hold of as a whole only."""
    return ()


@dataclass(frozen=True, slots=True)
class ElementKind:
    """A kind of element.

    ``build`` makes of parameters what stays while the element turns, bends and plays (with its pivot, the ink centre, at the
    origin); it is kept, and done again only when one of ``geometry_parameters`` changes. FontError, LimitError or InputError for what cannot
    be built. ``pose`` gives the bodies at a time, always the same ones by their parts' names; parameters are plain values then.
    ``wear`` gives what each part number of its meshes wears at a time, always as many. ``faces`` tells
    whether it turns to the camera. note says in a few words what it is; what is not seen itself is only a place
    for others. Others may stand inside of what ``holds`` them: ``copies`` says how often and where they are there at a time, always as often and
    under the same names. ``rests_on`` names another element by its identity whose surface it needs, and ``build_on`` makes of what was built
    the same with the triangles [T, 3, 3] of that in its own space. ``marks`` are what hands take hold of beside the whole.
    """

    name: str
    title: str
    parameters: type[ElementBase]
    build: Callable[[Any, AssetSource], Any]
    order: int = 0
    pose: Callable[[Any, Time, Any], Sequence[Posed]] = as_built
    wear: Callable[[Any, Time, Any], Sequence[Worn]] = in_order
    faces: Callable[[Any], Facing] = as_placed
    note: str = ""
    seen: bool = True
    holds: bool = False
    copies: Callable[[Any, Time, Any], Sequence[Copied]] = once
    marks: Callable[[Any, Time, Any], Sequence[Mark]] = unmarked
    rests_on: Callable[[Any], str] = on_nothing
    build_on: Callable[[Any, NDArray[np.float64]], Any] = unchanged


kinds: Registry[ElementKind] = Registry("element", "zeitbild.elements")
