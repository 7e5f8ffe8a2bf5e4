"""A track: the keys of one value, and what it does between, before and after them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, field_validator, model_validator

from zeitbild.timing.easing import HANDLES, STRENGTH, Way
from zeitbild.timing.frames import MAX_FRAME_NUMBER
from zeitbild.values import Part, number

#: Keys of one value.
MOST_KEYS = 1000
#: A document names strength and handles only where they differ from the usual ones.
#: How far a handle of a free curve may lie outside of the way, in ways.
FARTHEST = 20.0

Share = Annotated[float, Field(ge=0, le=1)]
Height = Annotated[float, Field(ge=-FARTHEST, le=FARTHEST)]
#: How far handles are drawn aside, in units of the value.
Lift = Annotated[float, Field(ge=-1_000_000, le=1_000_000)]
#: What a value does where it has no keys any more. Onwards: it repeats, each time from where it was, as somebody who walks.
Outside = Literal["hold", "repeat", "back and forth", "go on", "onwards"]


class Key(Part):
    """A value at a frame, and the way to the next key."""

    frame: Annotated[int, Field(ge=-MAX_FRAME_NUMBER, le=MAX_FRAME_NUMBER)] = Field(title="Frame")
    value: Any = Field(title="Value")
    way: Way = Field(default="gentle", title="To the next key")
    strength: Share = Field(
        default=STRENGTH,
        title="Strength",
        exclude_if=lambda strength: strength == STRENGTH,
        json_schema_extra={"x-step": 0.01, "x-slider": [0, 1]},
    )
    handles: tuple[Share, Height, Share, Height] = Field(
        default=HANDLES,
        exclude_if=lambda handles: handles == HANDLES,
        title="Handles",
        description="Of a free curve: time and value of both, as shares of the way to the next key.",
    )
    lifts: tuple[tuple[Lift, Lift], ...] = Field(
        default=(),
        max_length=4,
        exclude_if=lambda lifts: not lifts,
        title="Drawn aside",
        description="How far both handles of a free curve lie beside that, in units of the value: a pair for each of its numbers. So "
        "a value swells between two keys that are the same, and numbers of a vector go ways of their own.",
    )


class Wave(Part):
    """What goes to and fro, or round, over the range, exact at every frame."""

    shape: Literal["to and fro", "round"] = Field(
        default="to and fro", title="Goes", description="Round: it rises by the amount and starts anew."
    )
    amount: float = number(10, "Amount", -1_000_000, 1_000_000)
    times: float = number(1, "Times over the range", -1000, 1000, help="Whole numbers close a cycle.")
    begins: float = number(0, "Begins at", -1, 1, step=0.05, slider=(-1, 1), help="In waves.")


class Track(Part):
    """How one value moves."""

    keys: tuple[Key, ...] = Field(default=(), title="Keys", max_length=MOST_KEYS)
    before: Outside = Field(default="hold", title="Before the first key")
    after: Outside = Field(default="hold", title="After the last key")
    every: Annotated[int, Field(ge=1, le=100)] = Field(
        default=1, title="A new value every", description="On twos: 2. Counted in frames from the first key."
    )
    shortest: bool = Field(
        default=False,
        title="Shortest way",
        description="Rotations turn about one axis; otherwise each angle goes its own way, whole turns and all.",
    )
    wave: Wave | None = Field(default=None, title="Wave")

    @field_validator("keys", mode="after")
    @classmethod
    def _in_order(cls, keys: tuple[Key, ...]) -> tuple[Key, ...]:
        found = tuple(sorted(keys, key=lambda key: key.frame))
        for one, other in zip(found, found[1:], strict=False):
            if one.frame == other.frame:
                raise ValueError(f"two keys stand at frame {one.frame}")
        return found

    @model_validator(mode="after")
    def _moves(self) -> Track:
        if not self.keys and self.wave is None:
            raise ValueError("a value that moves has a key or a wave")
        return self
