"""Parts whose values can move."""

from __future__ import annotations

import threading
from typing import Annotated, Any, Self, TypeVar

from cachetools import LRUCache
from pydantic import Field, StringConstraints, field_validator

from zeitbild.errors import InputError
from zeitbild.keys.curve import Curve
from zeitbild.keys.measure import measure_of
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
_plans: LRUCache[int, tuple[Part, _Plan]] = LRUCache(4096)
_lock = threading.Lock()


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
    with _lock:
        kept = _plans.get(id(part.moves))
        if kept is not None and kept[0] is part:
            return kept[1]
    plan: _Plan = {}
    for path, track in part.moves.items():
        names, inside, still = path.split("."), plan, part
        for name in names[:-1]:
            inside, still = inside.setdefault(name, {}), getattr(still, name)
        last = names[-1]
        value = still[int(last)] if last.isdigit() else getattr(still, last)  # type: ignore[index]
        inside[last] = Curve(track, measure_of(type(part), path), value)
    with _lock:
        _plans[id(part.moves)] = part, plan
    return plan


def _changed(part: Any, plan: _Plan, time: Time) -> dict[str, Any]:
    """New values of some fields of a part."""
    found: dict[str, Any] = {}
    for name, inner in plan.items():
        if isinstance(inner, Curve):
            found[name] = inner.at(time)
            continue
        value = getattr(part, name)
        if isinstance(value, tuple):
            found[name] = tuple(inner[str(at)].at(time) if str(at) in inner else one for at, one in enumerate(value))
        else:
            found[name] = _with(value, _changed(value, inner, time))
    return found
