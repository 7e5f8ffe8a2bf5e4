"""What the parameters of an element build: a form, from which meshes are made as fine as a picture needs them."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.mesh import Mesh


class Stiff:
    """What never bends."""

    __slots__ = ()

    def carried(self, mesh: Mesh) -> Mesh | None:
        """See ``Form.carried``."""
        return None


class Form(Protocol):
    """A shape whose curves are exact until somebody asks for triangles. A ``Mesh`` is one, too."""

    @property
    def bounds(self) -> NDArray[np.float64]:
        """Lowest and highest corner [2, 3] of a box around it, in the element's units, pivot at the origin."""
        ...

    @property
    def radius(self) -> float:
        """Distance from the pivot that nothing of it exceeds."""
        ...

    def carried(self, mesh: Mesh) -> Mesh | None:
        """A mesh of the same part in another bend as it stands in this one: the same triangles with other vertices; None if that cannot be
        told."""
        ...

    def at(self, tolerance: float) -> Mesh:
        """A mesh whose silhouette is off the true one by no more than ``tolerance`` (units).

        The same object for the same number, as long as it is kept. LimitError if that takes too many triangles.
        """
        ...
