"""Floor: level ground, of which at first nothing is seen but the shadows on it."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from zeitbild.elements.base import AssetSource, ElementBase, ElementKind, kinds
from zeitbild.finishes import Finish
from zeitbild.geometry.mesh import Mesh
from zeitbild.values import number

#: Sides of the polygon that it is; round enough for an edge that shadows do not reach.
_SIDES = 96


class Floor(ElementBase):
    """Level ground about its middle."""

    kind: Literal["floor"] = "floor"
    reach: float = number(
        1500,
        "Reach",
        1,
        100_000,
        unit="u",
        group="Floor",
        slider=(100, 5000),
        help="How far it goes on from its middle.",
    )
    surface: Finish = Field(
        default_factory=lambda: Finish(shading="shadow only"),
        title="Surface",
        description="Shadow only: it catches shadow and occlusion into alpha and is otherwise not there.",
        json_schema_extra={"x-group": "Finish"},
    )


def build(element: Floor, assets: AssetSource) -> Mesh:
    """A flat polygon, seen from both sides."""
    turn = np.arange(_SIDES) * 2 * np.pi / _SIDES
    rim = np.stack([np.sin(turn), np.zeros(_SIDES), np.cos(turn)], axis=1) * element.reach
    at = np.arange(_SIDES)
    triangles = np.stack([np.full(_SIDES, _SIDES), at, (at + 1) % _SIDES], axis=1).astype(np.int32)
    return Mesh(
        np.concatenate([rim, np.zeros((1, 3))]),
        triangles,
        np.broadcast_to(np.array([0.0, 1.0, 0.0], np.float32), (_SIDES, 3, 3)).copy(),
        np.zeros(_SIDES, np.int32),
        np.zeros(_SIDES, np.int32),
        False,
    )


kinds.register(ElementKind("floor", "Floor", Floor, build, 5, note="ground that shows only shadow"))
