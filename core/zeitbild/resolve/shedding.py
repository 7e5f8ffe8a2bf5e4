"""Surfaces that others come from, at other times: what plays, bends or grows carries the places on it along."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from zeitbild.elements.base import Posed
from zeitbild.geometry.form import Form
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.transforms import put

Floats = NDArray[np.float64]

#: How finely a surface is looked at that others come from, as a share of its size.
_COARSE = 1 / 1024


def _corners(posed: Posed, mesh: Mesh) -> Floats:
    found: Floats = put(np.array(posed.matrix).reshape(4, 4), mesh.vertices)[mesh.triangles]
    return found


@dataclass(frozen=True, slots=True, eq=False)
class Skin:
    """The surface of an element as it is at one time: the mesh of each of its parts by name, and all triangles [T, 3, 3] in its own space."""

    parts: tuple[tuple[str, Mesh], ...]
    triangles: Floats

    @classmethod
    def of(cls, poses: Sequence[Posed]) -> Skin:
        """That of what an element is posed as."""
        parts, found = [], [np.empty((0, 3, 3))]
        for posed in poses:
            if posed.dots is None and posed.form.radius > 0:
                mesh = posed.form.at(posed.form.radius * _COARSE)
                parts.append((posed.part, mesh))
                found.append(_corners(posed, mesh))
        return cls(tuple(parts), np.concatenate(found))

    def at(self, poses: Sequence[Posed]) -> Floats:
        """The same triangles [T, 3, 3] where they are in other poses. A part that is not there then stays as it is here; of one whose triangles are
        others only its size counts."""
        by_name = {one.part: one for one in poses if one.dots is None}
        found, first = self.triangles.copy(), 0
        for name, mesh in self.parts:
            own = slice(first, first + len(mesh.triangles))
            first = own.stop
            posed = by_name.get(name)
            if posed is None or not posed.form.radius > 0:
                continue
            found[own] = _corners(posed, _as(posed.form, mesh))
        return found


def _as(form: Form, mesh: Mesh) -> Mesh:
    """A mesh of a part as that is in another form."""
    carried = form.carried(mesh)
    if carried is None:
        other = form.at(form.radius * _COARSE)
        carried = other.carried(mesh)
        if carried is None:
            (low, high), (new_low, new_high) = mesh.bounds, other.bounds
            sizes = (new_high - new_low) / np.where(high > low, high - low, 1)
            carried = replace(mesh, vertices=new_low + (mesh.vertices - low) * sizes)
    return carried


def carrying(first: Floats, now: Floats) -> Floats:
    """What takes places on and beside triangles [n, 3, 3] to where they are when those are others [n, 3, 3]: matrices [n, 4, 4], which turn
    and size what leaves along the normal as the triangle was turned and sized."""
    old, new = _frames(first), _frames(now)
    found = np.zeros((len(first), 4, 4))
    found[:, :3, :3] = new @ np.linalg.inv(old) if len(first) else 0
    found[:, :3, 3] = now[:, 0] - np.einsum("nij,nj->ni", found[:, :3, :3], first[:, 0])
    found[:, 3, 3] = 1
    return found


def _frames(triangles: Floats) -> Floats:
    """Two sides of triangles, and their normals, as long as those are in the mean [n, 3, 3], in columns."""
    a, b = triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]
    across = np.cross(a, b)
    size = np.linalg.norm(across, axis=1, keepdims=True)
    return np.stack([a, b, across / np.sqrt(np.maximum(size, 1e-300))], axis=2)
