"""Floor: level ground, of which at first nothing is seen but the shadows on it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from pydantic import Field

from zeitbild.elements.base import ElementBase, ElementKind, Posed, Worn, kinds
from zeitbild.finishes import Finish
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.soft import fading, halved, quad
from zeitbild.shipped import AssetSource
from zeitbild.snapshot.texture import MOST_LEVELS, Texture
from zeitbild.timing import Time
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
    fades: float = number(
        0,
        "Fades",
        0,
        1,
        step=0.05,
        group="Floor",
        slider=(0, 1),
        help="Over how much of its reach, towards its rim; 0: not at all. For ground that is seen.",
    )
    surface: Finish = Field(
        default_factory=lambda: Finish(shading="shadow only"),
        title="Surface",
        description="Shadow only: it catches shadow and occlusion into alpha and is otherwise not there.",
        json_schema_extra={"x-group": "Finish"},
    )


@dataclass(frozen=True, slots=True, eq=False)
class Ground:
    """The ground, and the picture of how much of it is there if it fades."""

    mesh: Mesh
    alpha: Texture | None = None


def build(element: Floor, assets: AssetSource) -> Ground:
    """A flat polygon, seen from both sides, or a square that fades before its rim."""
    if element.fades > 0:
        alpha, far = halved(fading(element.fades), MOST_LEVELS), element.reach
        name = f"ground {element.fades:.6f}"
        return Ground(quad(-far, -far, far, far, 0, level=True), Texture(name, True, alpha, once=True))
    turn = np.arange(_SIDES) * 2 * np.pi / _SIDES
    rim = np.stack([np.sin(turn), np.zeros(_SIDES), np.cos(turn)], axis=1) * element.reach
    at = np.arange(_SIDES)
    triangles = np.stack([np.full(_SIDES, _SIDES), at, (at + 1) % _SIDES], axis=1).astype(np.int32)
    return Ground(
        Mesh(
            np.concatenate([rim, np.zeros((1, 3))]),
            triangles,
            np.broadcast_to(np.array([0.0, 1.0, 0.0], np.float32), (_SIDES, 3, 3)).copy(),
            np.zeros(_SIDES, np.int32),
            np.zeros(_SIDES, np.int32),
            False,
        )
    )


def pose(element: Floor, time: Time, built: Ground) -> Sequence[Posed]:
    """The ground."""
    return (Posed(built.mesh),)


def wear(element: Floor, time: Time, built: Ground) -> Sequence[Worn]:
    """The surface, less and less of it where it fades; rays meet half of it there."""
    return (Worn(0, cut=0.5, picture=built.alpha) if built.alpha is not None else Worn(0),)


kinds.register(
    ElementKind("floor", "Floor", Floor, build, 5, pose=pose, wear=wear, note="ground, or only the shadow on it")
)
