"""Parts whose values can move."""

from __future__ import annotations

from typing import Annotated, Any, Self, TypeVar

from pydantic import Field, StringConstraints, field_validator

from zeitbild.caching import SizedCache
from zeitbild.errors import InputError
from zeitbild.keys.curve import Curve
from zeitbild.keys.measure import measure_of, part_in
from zeitbild.keys.track import Track
from zeitbild.timing import Time
from zeitbild.values import Part, wrong_at

#: A field below a part: names with dots between them; of a vector one number by its place.
FieldPath = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]*(\.[a-z0-9_]+){0,4}$", max_length=100)]
#: Fields of one part that move at once.
_MOST = 200

#: Types of values that need not be made anew; whole numbers are numbers, and what is true is neither.
_AS_THEY_ARE = (int, float, str)

#: What changes a part: a curve, or those of the fields inside of it by their names.
_Plan = dict[str, Any]
P = TypeVar("P", bound=Part)
#: Plans by the identity of ``moves``, which each holds, so that nothing else takes its place; sized by their keys.
_plans: SizedCache[tuple[dict[str, Track], _Plan]] = SizedCache(
    50_000, lambda kept: 1 + sum(len(track.keys) for track in kept[0].values())
)


class Moving(Part):
    """A part with fields that move: ``moves`` holds a track for each of them by its path."""

    moves: dict[FieldPath, Track] = Field(
        default={},
        title="What moves",
        max_length=_MOST,
        exclude_if=lambda moves: not moves,
        json_schema_extra={"x-widget": "hidden", "x-late": True},
    )

    @field_validator("moves", mode="after")
    @classmethod
    def _can_move(cls, moves: dict[str, Track]) -> dict[str, Track]:
        found = {}
        for path, track in moves.items():
            try:
                measure = measure_of(cls, path)
            except ValueError as error:
                raise wrong_at(path, str(error)) from None
            whole = path.rpartition(".")[0]
            if path[-1].isdigit() and whole in moves:
                raise wrong_at(path, f"{measure.title} has keys of its own and as a part of the whole")
            if track.wave is not None and measure.kind != "number":
                raise wrong_at(path, f"{measure.title} cannot wave: only a single number can")
            keys = []
            for key in track.keys:
                try:
                    value = measure.read(key.value)
                    # Most are what they should be already: documents are read again and again.
                    same = value == key.value and type(key.value) in _AS_THEY_ARE
                    keys.append(key if same else key.model_copy(update={"value": value}))
                except ValueError as error:
                    raise wrong_at(path, f"{measure.title} at frame {key.frame}: {error}") from None
            same = all(one is other for one, other in zip(keys, track.keys, strict=True))
            found[path] = track if same else track.model_copy(update={"keys": tuple(keys)})
        return found

    def at(self, time: Time) -> Self:
        """The same with the values that it has at a time; itself if nothing of it moves. InputError if it cannot be like that."""
        if not self.moves:
            return self
        changed = _changed(self, _plan_of(self), time)
        changed["moves"] = {}
        now = _with(self, changed)
        # Rules over several fields hold at every frame.
        for rule in type(self).__pydantic_decorators__.model_validators.values():
            try:
                rule.func(now)
            except ValueError as error:
                raise InputError(f"at frame {float(time.frame):g} {error}", "moves") from None
        return now


def _with(part: P, changed: dict[str, Any]) -> P:
    """A part with other values, which hold: ``model_copy`` without what it does for parts that are nothing like these, a third of all time
    at which a shot is looked at."""
    made: P = part.__class__.__new__(part.__class__)
    object.__setattr__(made, "__dict__", {**part.__dict__, **changed})
    object.__setattr__(made, "__pydantic_fields_set__", part.__pydantic_fields_set__)
    object.__setattr__(made, "__pydantic_extra__", None)
    object.__setattr__(made, "__pydantic_private__", None)
    return made


def _plan_of(part: Moving) -> _Plan:
    """The curves of a part, made once for each ``moves`` there is."""
    kind, moves = type(part), part.moves

    def make() -> tuple[dict[str, Track], _Plan]:
        plan: _Plan = {}
        for path, track in moves.items():
            *names, last = path.split(".")
            inside = plan
            for name in names:
                inside = inside.setdefault(name, {})
            inside[last] = Curve(track, measure_of(kind, path))
        return moves, plan

    return _plans.get(id(moves), make)[1]


def _changed_under(part: Any, name: str, value: dict[str, Any], plan: _Plan, time: Time) -> dict[str, Any]:
    """New parts under their names; one that the document says nothing of is as it is at first."""
    kind = part_in(type(part).model_fields[name].annotation)
    assert kind is not None
    found = {}
    for key, inner in plan.items():
        one: Any = value.get(key) or kind()
        found[key] = _with(one, _changed(one, inner, time))
    return found


def _changed(part: Any, plan: _Plan, time: Time) -> dict[str, Any]:
    """New values of some fields of a part."""
    found: dict[str, Any] = {}
    for name, inner in plan.items():
        value = getattr(part, name)
        if isinstance(inner, Curve):
            found[name] = inner.at(time, value)
        elif isinstance(value, dict):
            found[name] = {**value, **_changed_under(part, name, value, inner, time)}
        elif isinstance(value, tuple):
            curves = ((one, inner.get(str(at))) for at, one in enumerate(value))
            found[name] = tuple(one if curve is None else curve.at(time, one) for one, curve in curves)
        else:
            found[name] = _with(value, _changed(value, inner, time))
    return found
