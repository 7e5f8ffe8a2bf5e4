"""How pictures lie on the meshes of a glTF (specification 2.0, section 3.8; Khronos Group, KHR_texture_transform)."""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.model.gltf_file import LAID, File, floats

#: What a sampler says of pictures that go on beyond their borders, which they do if it says nothing.
_REPEAT = 10497


class Laid(NamedTuple):
    """How a picture lies on a mesh: which set of its places tells, and what is done to these [2, 3], row by row."""

    places: int
    rows: tuple[float, ...] = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)

    def of(self, places: NDArray[np.float64]) -> NDArray[np.float32]:
        """Shares of the picture [n, 2], from its left and its top, for places of that set."""
        rows = np.array(self.rows).reshape(2, 3)
        shares: NDArray[np.float32] = (places @ rows[:, :2].T + rows[:, 2]).astype(np.float32)
        return shares


def laid(texture: dict[str, Any]) -> Laid:
    """How a picture lies (KHR_texture_transform): scaled, then turned against the clock as it is seen, then moved."""
    extensions = texture.get("extensions")
    own = extensions.get(LAID) if isinstance(extensions, dict) else None
    own = own if isinstance(own, dict) else {}
    places = own.get("texCoord", texture.get("texCoord", 0))
    (wide, high), (right, down) = floats(own.get("scale"), 2, (1, 1)), floats(own.get("offset"), 2, (0, 0))
    (angle,) = floats([own.get("rotation", 0)], 1, (0,))
    cosine, sine = math.cos(angle), math.sin(angle)
    rows = (cosine * wide, sine * high, right, -sine * wide, cosine * high, down)
    return Laid(places if isinstance(places, int) else 0, rows)


def goes_on(file: File, texture: dict[str, Any]) -> bool:
    """Whether a texture's picture goes on beyond its borders; ModelError if it names a sampler that is not there."""
    number = file.get("textures", texture.get("index")).get("sampler")
    sampler = {} if number is None else file.get("samplers", number)
    return all(sampler.get(way, _REPEAT) == _REPEAT for way in ("wrapS", "wrapT"))
