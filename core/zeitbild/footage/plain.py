"""What is known of a piece of footage, in plain values."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any, Literal

#: How the colours of a picture stand to its alpha: not at all, beside it, multiplied by it, or laid over a known colour by it.
Reading = Literal["ignored", "straight", "premultiplied", "over a colour"]
READINGS: tuple[Reading, ...] = ("ignored", "straight", "premultiplied", "over a colour")

#: Bytes of a file at most, pictures of a piece, files in a ZIP.
MAX_FOOTAGE_BYTES = 8 << 30
MAX_PICTURES = 100_000
MAX_MEMBERS = 20_000


@dataclass(frozen=True, slots=True)
class Footage:
    """A piece of footage.

    kind is ``still``, ``sequence``, ``animation`` or ``movie``; count how many pictures it has; width and height in pixels, shape
    the height of a picture over its width as it is to be shown; rate pictures a second where the file says so. reading is how its
    alpha seems to be meant, matte the colour that it is over, why the reason for people. notes is what people should know.
    """

    kind: str
    count: int
    width: int
    height: int
    shape: float
    rate: Fraction | None
    bits: str
    reading: Reading
    matte: str
    why: str
    notes: tuple[str, ...]

    @property
    def plain(self) -> dict[str, Any]:
        """The same as values that go between processes."""
        values: dict[str, Any] = {name: getattr(self, name) for name in self.__slots__}
        rate = None if self.rate is None else [self.rate.numerator, self.rate.denominator]
        return values | {"rate": rate, "notes": list(self.notes)}

    @classmethod
    def of(cls, values: dict[str, Any]) -> Footage:
        """From ``plain``."""
        rate = None if values["rate"] is None else Fraction(*values["rate"])
        return cls(**{**values, "rate": rate, "notes": tuple(values["notes"])})
