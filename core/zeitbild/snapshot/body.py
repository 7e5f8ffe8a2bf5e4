"""A body: something that stands in the set at a time, by a name that stays."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Literal

from zeitbild.geometry.form import Form
from zeitbild.snapshot.dots import Dots
from zeitbild.snapshot.finish_row import SHADING, SHADOW_ONLY, faded

#: 4 x 4, row by row.
Matrix = tuple[float, ...]
#: What an element is to the camera: shown; there only to hide what is behind it, itself left out ("hold-out"); or seen by rays alone,
#: as shadows, in mirrors and in corners ("unseen"). What is absent has no body.
Role = Literal["shown", "hold-out", "unseen"]


@dataclass(frozen=True, slots=True)
class Body:
    """One body of an element at a frame.

    id is the element's own, and "/" with the part's name where an element has more than one; shape names the form, so that
    equal names are equal meshes; matrix says where it stands; finishes are those of its element, linear, which the mesh's parts
    number; worn tells which of the element's named finishes each of them is (empty: in their order);
    after is where it stands one frame later, which changes no picture but its motion (empty: it stays).
    fades are the groups that it stands in of which only a share is left, each as one, from the outermost on: their identities and
    shares. The finishes are what is left then; whole is what they are without. dots are seen in place of a surface; the shape names them, too.
    """

    id: str
    shape: str
    form: Form = field(compare=False)
    matrix: Matrix
    finishes: tuple[tuple[float, ...], ...]
    role: Role = "shown"
    after: Matrix = field(default=(), compare=False)
    worn: tuple[int, ...] = ()
    fades: tuple[tuple[str, float], ...] = ()
    whole: tuple[tuple[float, ...], ...] = ()
    dots: Dots | None = field(default=None, compare=False)

    def faded(self, fades: tuple[tuple[str, float], ...]) -> Body:
        """The same in groups of which only shares are left."""
        if not (fades or self.fades):
            return self
        whole = self.whole or self.finishes
        share = math.prod(one for _, one in fades)
        rows = tuple(faded(row, share) for row in whole)
        return replace(self, finishes=rows, fades=fades, whole=whole if fades else ())

    @property
    def named(self) -> tuple[int, ...]:
        """Number of each finish among those that the element's names tell."""
        return self.worn or tuple(range(len(self.finishes)))

    @property
    def only_shadow(self) -> bool:
        """Whether nothing of it is seen but the shadow on it."""
        return all(len(row) > SHADING and row[SHADING] == SHADOW_ONLY for row in self.finishes)

    @property
    def element(self) -> str:
        """Identity of the element that it belongs to."""
        return self.id.partition("/")[0]
