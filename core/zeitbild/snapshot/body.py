"""A body: something that stands in the set at a time, by a name that stays."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from typing import Literal, cast

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.form import Form
from zeitbild.geometry.mesh import Mesh
from zeitbild.snapshot.dots import Dots
from zeitbild.snapshot.finish_row import SHADING, SHADOW_ONLY, faded, lets_through

#: 4 x 4, row by row.
Matrix = tuple[float, ...]
#: What an element is to the camera: shown; there only to hide what is behind it, itself left out ("hold-out"); or seen by rays alone,
#: as shadows, in mirrors and in corners ("unseen"). What is absent has no body.
Role = Literal["shown", "hold-out", "unseen"]
#: What is thinner than this share of its size is flat.
_FLAT = 1e-6


@dataclass(frozen=True, slots=True)
class Bent:
    """How a body that bends stands at another time: shape names the form, whose vertices are those of the body's own (``Form.carried``)."""

    shape: str
    form: Form = field(compare=False)

    @property
    def mesh(self) -> Mesh:
        """Its mesh, once the body was built."""
        return cast(Mesh, self.form)


@dataclass(frozen=True, slots=True)
class Body:
    """One body of an element at a frame.

    id is the element's own, and "/" with the part's name where an element has more than one; shape names the form, so that
    equal names are equal meshes; matrix says where it stands; finishes are those of its element, linear, which the mesh's parts
    number; worn tells which of the element's named finishes each of them is (empty: in their order);
    after is where it stands one frame later, which changes no picture but its motion (empty: it stays).
    fades are the groups that it stands in of which only a share is left, each as one, from the outermost on: their identities and
    shares. The finishes are what is left then; whole is what they are without. dots are seen in place of a surface; the shape names them, too.
    bends are how it stands while the shutter is open, evenly in time from its opening to its closing, if it bends meanwhile; then is how
    it stands one frame later, if it bends until then (None: as now), which changes no picture but its motion.
    around is the box [2, 3] by which pictures lie on it, where that is not the one around its form.
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
    bends: tuple[Bent, ...] = ()
    then: Bent | None = field(default=None, compare=False)
    around: NDArray[np.float64] | None = field(default=None, compare=False)

    def built(self, mesh: Mesh, tolerance: float) -> Body:
        """The same with meshes, of which mesh is its form's with that tolerance (``Form.at``)."""
        if not self.bends and self.then is None:
            return replace(self, form=mesh)
        # What is bent has more points than what is straight.
        finest = max((mesh, *(one.form.at(tolerance) for one in self.bends)), key=lambda one: len(one.vertices))
        own = self.form.carried(finest)
        bends = [one.form.carried(finest) for one in self.bends]
        carried = [replace(one, form=other) for one, other in zip(self.bends, bends, strict=True) if other is not None]
        then = None if self.then is None else self.then.form.carried(finest)
        if own is None or len(carried) < len(bends):
            # One thing comes in place of another.
            return replace(self, form=mesh, bends=(), then=None)
        later = None if self.then is None or then is None else replace(self.then, form=then)
        return replace(self, form=own, bends=tuple(carried), then=later)

    def kinds_of_finishes(self) -> list[tuple[int, ...]]:
        """Its finishes in two kinds, once it was built: those that hide what is behind them, and those that something is seen through; all in
        one if it has but one kind, or is flat."""
        every = tuple(range(len(self.finishes)))
        clear = {at for at, row in enumerate(self.whole or self.finishes) if lets_through(row)}
        if self.dots is not None or len(clear) in (0, len(every)):
            return [every]
        mesh = cast(Mesh, self.form)
        sides = np.ptp(mesh.bounds, axis=0)
        # In flat art what lies edge to edge has exact edges if it is drawn together.
        if not len(mesh.triangles) or sides.min() <= _FLAT * sides.max():
            return [every]
        used = set(np.unique(mesh.parts).tolist())
        return [tuple(sorted(kind)) for kind in (used - clear, used & clear) if kind]

    def of_finishes(self, kind: tuple[int, ...]) -> Body:
        """What of it wears some of its finishes. What is opaque is seen from within, too: through what is not."""
        if len(kind) == len(self.finishes):
            return self
        opaque = not any(lets_through((self.whole or self.finishes)[at]) for at in kind)

        def some(mesh: Mesh) -> Mesh:
            return mesh.of_parts(kind, closed=mesh.closed and not opaque)

        return replace(
            self,
            form=some(cast(Mesh, self.form)),
            finishes=tuple(self.finishes[at] for at in kind),
            whole=tuple(self.whole[at] for at in kind) if self.whole else (),
            worn=tuple(self.named[at] for at in kind),
            bends=tuple(replace(one, form=some(one.mesh)) for one in self.bends),
            then=None if self.then is None else replace(self.then, form=some(self.then.mesh)),
            around=self.box,
        )

    @property
    def box(self) -> NDArray[np.float64]:
        """The box [2, 3] by which pictures lie on it: the lowest and the highest corner."""
        return self.form.bounds if self.around is None else self.around

    def mesh_at(self, time: float) -> Mesh:
        """Its mesh, once it was built, at a time of the open shutter, 0 (opening) to 1 (closing)."""
        if not self.bends:
            return cast(Mesh, self.form)
        one, other, share = self._between(time)
        if share in (0, 1):
            return other if share else one
        normals = one.normals + np.float32(share) * (other.normals - one.normals)
        normals /= np.maximum(np.linalg.norm(normals, axis=2, keepdims=True), np.float32(1e-12))
        return replace(one, vertices=self.points_at(time), normals=normals)

    def points_at(self, time: float) -> NDArray[np.float64]:
        """The vertices [V, 3] of that mesh."""
        if not self.bends:
            return cast(Mesh, self.form).vertices
        one, other, share = self._between(time)
        return one.vertices + share * (other.vertices - one.vertices)

    def _between(self, time: float) -> tuple[Mesh, Mesh, float]:
        """The bends before and after a time, and how far it is on the way from one to the other."""
        at = min(max(time, 0.0), 1.0) * (len(self.bends) - 1)
        before = min(int(at), len(self.bends) - 2)
        return self.bends[before].mesh, self.bends[before + 1].mesh, at - before

    def in_stretch(self, matrix: Matrix, middle: float) -> Body:
        """The same at the middle of a stretch of the open shutter, where it stands so; until the next frame it goes as far as before."""
        start, at, end = (np.array(one).reshape(4, 4) for one in (self.matrix, matrix, self.after or self.matrix))
        still = abs(np.linalg.det(start)) < 1e-12
        step = np.eye(4) if still else end @ np.linalg.inv(start)
        after = tuple(float(value) for value in (step @ at).reshape(-1)) if self.after else ()
        if not self.bends:
            return replace(self, matrix=matrix, after=after)
        mesh, then = self.mesh_at(middle), self.then
        if then is not None:
            moved = mesh.vertices + then.mesh.vertices - cast(Mesh, self.form).vertices
            then = replace(then, form=replace(mesh, vertices=moved))
        return replace(self, matrix=matrix, after=after, form=mesh, then=then)

    def strays(self) -> NDArray[np.float64]:
        """How far from its own mesh any of its vertices gets along each axis [3] while the shutter is open."""
        found = np.zeros(3)
        for one in self.bends:
            if len(one.mesh.vertices):
                found = np.maximum(found, np.abs(one.mesh.vertices - cast(Mesh, self.form).vertices).max(axis=0))
        return found

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
