"""What kind of value a field holds, and how two of them are mixed."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Annotated, Any, Literal, get_args, get_origin

from annotated_types import Ge, Le
from pydantic import BaseModel, TypeAdapter, ValidationError
from pydantic.fields import FieldInfo

from zeitbild.keys.rotations import between
from zeitbild.values import is_colour

Kind = Literal["number", "whole", "vector", "angles", "colour", "switch", "choice"]
#: Fields that only hold others.
_HOLDERS = ("placement", "values", "turn")
#: Stands for any place in a list of parts.
ANY_PLACE = "#"
#: Kinds of which nothing lies between two values: each holds until the next key.
STEPPED: tuple[Kind, ...] = ("switch", "choice")


@dataclass(frozen=True, slots=True)
class Measure:
    """A field that can move: its kind, the limits of its numbers, how many there are, its unit and title, and what reads its values."""

    kind: Kind
    title: str
    low: float
    high: float
    unit: str
    count: int
    read: Callable[[Any], Any]
    steps: bool = False

    @property
    def stepped(self) -> bool:
        """Whether it holds until the next key, whatever the way."""
        return self.steps or self.kind in STEPPED

    def mixed(self, start: Any, end: Any, share: float) -> Any:
        """Of what is no number what holds at a share of the way between two values, which may lie beyond 0..1; angles on their shortest
        way."""
        if self.stepped:
            return end if share >= 1 else start
        return between(start, end, share)

    def held(self, value: Any) -> Any:
        """A value within the field's limits, whole where it must be."""
        if self.kind in ("number", "whole"):
            value = min(max(value, self.low), self.high)
            return math.floor(value + 0.5) if self.kind == "whole" else value
        if self.kind in ("vector", "angles"):
            return tuple(min(max(one, self.low), self.high) for one in value)
        return value


def _limits(metadata: Sequence[Any]) -> tuple[float, float]:
    """From Field(ge, le), however it was written."""
    low, high = -math.inf, math.inf
    for one in metadata:
        if isinstance(one, FieldInfo):
            a, b = _limits(one.metadata)
            low, high = max(low, a), min(high, b)
        elif isinstance(one, Ge):
            low = max(low, float(one.ge))  # type: ignore[arg-type]
        elif isinstance(one, Le):
            high = min(high, float(one.le))  # type: ignore[arg-type]
    return low, high


def _extra(field: FieldInfo) -> dict[str, Any]:
    return field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}


def _reader(type_: Any) -> Callable[[Any], Any]:
    adapter: TypeAdapter[Any] = TypeAdapter(type_)

    def read(value: Any) -> Any:
        try:
            return adapter.validate_python(value)
        except ValidationError as error:
            first = error.errors(include_url=False)[0]
            message = str(first.get("ctx", {}).get("error") or first["msg"])
            raise ValueError(message[0].lower() + message[1:]) from None

    return read


def _measure(field: FieldInfo, title: str, index: int | None) -> Measure | None:
    """The measure of a field, or of one number of its vector; None if it cannot move."""
    extra, type_ = _extra(field), field.annotation
    if extra.get("x-still"):
        return None
    unit, full = str(extra.get("x-unit", "")), Annotated[type_, *field.metadata] if field.metadata else type_
    if get_origin(type_) is tuple:
        inner = get_args(type_)
        if ... in inner or not all(get_args(one)[:1] == (float,) for one in inner):
            return None
        low, high = _limits(get_args(inner[0])[1:])
        if index is None:
            kind: Kind = "angles" if unit == "°" else "vector"
            return Measure(kind, title, low, high, unit, len(inner), _reader(full))
        if not 0 <= index < len(inner):
            return None
        return Measure("number", f"{title} {'xyz'[index]}", low, high, unit, 1, _reader(inner[index]))
    if index is not None:
        return None
    if type_ is bool:
        return Measure("switch", title, 0, 1, "", 1, _reader(full))
    if type_ in (int, float):
        low, high = _limits(field.metadata)
        kind = "number" if type_ is float else "whole"
        return Measure(kind, title, low, high, unit, 1, _reader(full), bool(extra.get("x-steps")))
    if type_ is str and is_colour(field.metadata):
        return Measure("colour", title, 0, 1, "", 1, _reader(full))
    if (
        get_origin(type_) is Literal
        and len(get_args(type_)) > 1
        and all(isinstance(one, str) for one in get_args(type_))
    ):
        return Measure("choice", title, 0, 0, "", 1, _reader(full))
    return None


@lru_cache(maxsize=16384)
def measure_of(part: type[BaseModel], path: str) -> Measure:
    """The measure of a field below a part by its dotted path (``placement.position``, ``placement.position.1`` for its y);
    ValueError says if there is none, or if it cannot move."""
    names, titles, inside = path.split("."), [], part
    for at, name in enumerate(names):
        field = inside.model_fields.get(name)
        if field is None:
            break
        titles.append(field.title or name)
        if isinstance(field.annotation, type) and issubclass(field.annotation, BaseModel):
            if _extra(field).get("x-still"):
                break
            inside = field.annotation
            continue
        several, each = _holds_several(field), _extra(field).get("x-each")
        if several is not None and len(names) > at + 2:
            # What stands under a name is called by it; what stands in a list, by its place.
            below = ".".join(names[at + 2 :])
            if each is None:
                return _under(several, names[at + 1], below)
            if names[at + 1] == ANY_PLACE:
                return _under(several, each, below, titles[:-1])
            if names[at + 1].isdigit():
                return _under(several, f"{each} {int(names[at + 1]) + 1}", below, titles[:-1])
            break
        rest = names[at + 1 :]
        if len(rest) > 1 or (rest and not rest[0].isdigit()):
            break
        # What only holds the fields of a part together says nothing to people.
        told = titles[1:] if len(titles) > 1 and names[0] in _HOLDERS else titles
        shown = ", ".join([told[0], *(title.lower() for title in told[1:])])
        found = _measure(field, shown, int(rest[0]) if rest else None)
        if found is None:
            raise ValueError(f"{path[:60]!r} is nothing that can have keys")
        return found
    raise ValueError(f"there is no {path[:60]!r} that could have keys")


def part_in(annotation: Any) -> type[BaseModel] | None:
    """The part that stands under each of several names, or in a list, in a field of this type; None if it holds none."""
    origin, inner = get_origin(annotation), get_args(annotation)
    if origin is dict:
        part = inner[1]
    elif origin is tuple and len(inner) == 2 and inner[1] is ...:
        part = inner[0]
    else:
        return None
    return part if isinstance(part, type) and issubclass(part, BaseModel) else None


def _holds_several(field: FieldInfo) -> type[BaseModel] | None:
    """The part whose fields can move of which a field holds several: under names, or in a list whose members are called after something."""
    of_list = get_origin(field.annotation) is tuple
    return part_in(field.annotation) if not of_list or _extra(field).get("x-each") else None


def _under(part: type[BaseModel], name: str, path: str, before: Sequence[str] = ()) -> Measure:
    measure = measure_of(part, path)
    called = ", ".join([*before, name.replace("_", " "), measure.title.lower()])
    return replace(measure, title=called)


def check_reach(part: BaseModel, path: str) -> None:
    """ValueError if a field below a part, by its path, lies in a member of a list that is not there."""
    found: Any = part
    for name in path.split(".")[:-1]:
        if isinstance(found, tuple):
            if int(name) >= len(found):
                raise ValueError(f"there are keys for number {int(name) + 1} of {len(found)}")
            found = found[int(name)]
        elif isinstance(found, BaseModel):
            found = getattr(found, name)
        else:
            return


def fields_of(part: type[BaseModel], before: str = "") -> list[str]:
    """Paths of all fields below a part that can move, vectors as one; * stands for any name, # for any place in a list."""
    found = []
    for name, field in part.model_fields.items():
        if isinstance(field.annotation, type) and issubclass(field.annotation, BaseModel):
            if not _extra(field).get("x-still"):
                found += fields_of(field.annotation, f"{before}{name}.")
        elif name != "moves" and (several := _holds_several(field)) is not None:
            # For every name that may stand there, or place in a list.
            found += fields_of(several, f"{before}{name}.{ANY_PLACE if _extra(field).get('x-each') else '*'}.")
        elif name not in ("id", "kind") and _measure(field, name, None) is not None:
            found.append(before + name)
    return found
