"""Parts whose values can move."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Self, TypeVar

from pydantic import BaseModel, Field, StringConstraints, field_validator, model_validator

from zeitbild.caching import SizedCache
from zeitbild.errors import InputError
from zeitbild.keys.curve import Curves, Together, Waving, plain
from zeitbild.keys.measure import Measure, check_reach, measure_of, part_in
from zeitbild.keys.track import Track
from zeitbild.timing import Time
from zeitbild.values import Part, wrong_at

#: A field below a part: names with dots between them; of a vector one number by its place.
FieldPath = Annotated[str, StringConstraints(pattern=r"^[a-z][a-z0-9_]*(\.[a-z0-9_]+){0,5}$", max_length=100)]
#: Fields of one part that move at once.
_MOST = 200

#: Types of values that need not be made anew; whole numbers are numbers, and what is true is neither.
_AS_THEY_ARE = (int, float, str)

P = TypeVar("P", bound=Part)
M = TypeVar("M", bound="Moving")


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
                if key.lifts and (measure.stepped or measure.kind == "colour" or len(key.lifts) != measure.count):
                    numbers = 0 if measure.stepped or measure.kind == "colour" else measure.count
                    raise wrong_at(
                        path,
                        f"{measure.title} at frame {key.frame}: handles are drawn aside for {len(key.lifts)} of its {numbers} numbers",
                    )
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

    @model_validator(mode="after")
    def _stand_there(self) -> Self:
        for path in self.moves:
            try:
                check_reach(self, path)
            except ValueError as error:
                raise wrong_at("moves", f"{measure_of(type(self), path).title}: {error}") from None
        return self

    def at(self, time: Time) -> Self:
        """The same with the values that it has at a time; itself if nothing of it moves. InputError if it cannot be like that."""
        if not self.moves:
            return self
        curves, plan = _plan_of(self)
        return _now(self, plan, time, curves.at(time))


class Movers:
    """Parts of which something moves, by their paths, made ready to be looked at together."""

    def __init__(self, parts: Mapping[str, Moving]) -> None:
        self._parts = [(path, part, *_plan_of(part)) for path, part in parts.items()]
        self._curves = Together([curves for *_, curves, _ in self._parts])

    def at(self, time: Time) -> dict[str, Moving]:
        """Each of them with the values that it has at a time; InputError names the path of one that cannot be like that."""
        found = {}
        for (path, part, _, plan), keyed in zip(self._parts, self._curves.at(time), strict=True):
            try:
                found[path] = _now(part, plan, time, keyed)
            except InputError as error:
                error.field = f"{path}.{error.field}"
                raise
        return found


def _now(part: M, plan: _Plan, time: Time, keyed: list[Any]) -> M:
    """A part at a time, at which its curves have these values."""
    try:
        return plan.at(part, time, keyed, moves={})
    except ValueError as error:
        raise InputError(f"at frame {float(time.frame):g} {error}", "moves") from None


#: What a model is made of; found once, since parts are made by the thousand.
_set_values, _set_fields, _set_extra, _set_private = (
    BaseModel.__dict__[name].__set__
    for name in ("__dict__", "__pydantic_fields_set__", "__pydantic_extra__", "__pydantic_private__")
)


def _like(part: P, values: dict[str, Any]) -> P:
    """A part like another with these values, which hold: ``model_copy`` without what it does for parts that are nothing like these, a third
    of all time at which a shot is looked at."""
    made: P = object.__new__(part.__class__)
    _set_values(made, values)
    _set_fields(made, part.__pydantic_fields_set__)
    _set_extra(made, None)
    _set_private(made, None)
    return made


def _plan_of(part: Moving) -> tuple[Curves, _Plan]:
    """The curves of a part, and what they change of it, made once for each ``moves`` there is."""
    kind, moves = type(part), part.moves

    def make() -> tuple[dict[str, Track], Curves, _Plan]:
        inside: dict[str, Any] = {}
        keyed: list[tuple[Track, Measure]] = []
        measured = [(path, track, measure_of(kind, path)) for path, track in moves.items()]
        for path, track, measure in sorted(measured, key=lambda one: not plain(one[2])):
            *names, last = path.split(".")
            there = inside
            for name in names:
                there = there.setdefault(name, {})
            number = None
            if track.keys:
                number = len(keyed)
                keyed.append((track, measure))
            there[last] = number if track.wave is None else Waving.of(track, measure, number)
        return moves, Curves(keyed), _Plan.of(part, inside)

    return _plans.get(id(moves), make)[1:]


@dataclass(frozen=True, slots=True)
class _Plan:
    """What changes a part: fields that are the values of curves, by their numbers, or that wave; single numbers of vectors; what stands
    in parts inside of it, in parts that stand under names there, and in those of lists; and the rules over several of its fields, which
    hold at every frame."""

    direct: Sequence[tuple[str, int]]
    waving: Sequence[tuple[str, Waving]]
    vectors: Sequence[tuple[str, Sequence[tuple[int, int | Waving]]]]
    inner: Sequence[tuple[str, _Plan]]
    named: Sequence[tuple[str, Sequence[tuple[str, type[Part], _Plan]]]]
    listed: Sequence[tuple[str, Sequence[tuple[int, _Plan]]]]
    rules: Sequence[Callable[[Part], Any]]

    @classmethod
    def of(cls, part: Part, inside: dict[str, Any]) -> _Plan:
        """That of a part: of its fields by their names the number of a curve, what waves, or those of what is inside of the field."""
        own = part.__dict__
        deeper = {name: curves for name, curves in inside.items() if isinstance(curves, dict)}
        vectors, inner, named, listed = [], [], [], []
        for name, curves in deeper.items():
            value = own[name]
            kind: Any = part_in(type(part).model_fields[name].annotation)
            if isinstance(value, dict):
                named.append(
                    (name, [(key, kind, cls.of(value.get(key) or kind(), one)) for key, one in curves.items()])
                )
            elif isinstance(value, tuple) and kind is not None:
                listed.append((name, [(int(at), cls.of(value[int(at)], one)) for at, one in curves.items()]))
            elif isinstance(value, tuple):
                vectors.append((name, [(int(at), curve) for at, curve in curves.items()]))
            else:
                inner.append((name, cls.of(value, curves)))
        return cls(
            [(name, curve) for name, curve in inside.items() if isinstance(curve, int)],
            [(name, curve) for name, curve in inside.items() if isinstance(curve, Waving)],
            vectors,
            inner,
            named,
            listed,
            [rule.func for rule in type(part).__pydantic_decorators__.model_validators.values()],
        )

    def at(self, part: P, time: Time, keyed: list[Any], **more: Any) -> P:
        """The part with new values of its fields, of which ``keyed`` are those of all curves, and ``more``; ValueError if they cannot be
        together."""
        own = part.__dict__
        found: dict[str, Any] = own | more
        for name, number in self.direct:
            found[name] = keyed[number]
        for name, wave in self.waving:
            found[name] = wave.at(time, keyed, own[name])
        for name, curves in self.vectors:
            value = list(own[name])
            for at, curve in curves:
                value[at] = keyed[curve] if isinstance(curve, int) else curve.at(time, keyed, value[at])
            found[name] = tuple(value)
        for name, plan in self.inner:
            found[name] = plan.at(own[name], time, keyed)
        for name, several in self.named:
            under = dict(own[name])
            for key, kind, plan in several:
                # One that the document says nothing of is as it is at first.
                under[key] = plan.at(under.get(key) or kind(), time, keyed)
            found[name] = under
        for name, members in self.listed:
            several_parts = list(own[name])
            for at, plan in members:
                several_parts[at] = plan.at(several_parts[at], time, keyed)
            found[name] = tuple(several_parts)
        now = _like(part, found)
        for rule in self.rules:
            rule(now)
        return now


#: Plans by the identity of ``moves``, which each holds, so that nothing else takes its place; sized by their keys.
_plans: SizedCache[tuple[dict[str, Track], Curves, _Plan]] = SizedCache(
    50_000, lambda kept: 1 + sum(len(track.keys) for track in kept[0].values())
)
