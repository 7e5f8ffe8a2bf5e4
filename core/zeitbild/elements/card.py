"""Card: a picture standing in the set, cut out by its alpha."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, StringConstraints

from zeitbild.elements._files import ASSET
from zeitbild.elements.base import AssetSource, ElementBase, ElementKind, Posed, Worn, kinds
from zeitbild.errors import InputError
from zeitbild.finishes import Finish
from zeitbild.geometry.mesh import Mesh
from zeitbild.pictures import alpha_cells, measure_picture_at
from zeitbild.timing import Time
from zeitbild.values import choice, number

#: Cells along the larger side of a card that has alpha: what is wholly there or not at all in one is known without looking.
_CELLS = 64
#: Cells in which a part is there are told apart by how much, in so many steps: shadows stop as many rays.
_STEPS = 4
#: Parts: all of it there; then cells with more and more of it.
_WHOLE, _PARTLY = 0, 1
#: A card without a picture.
_EMPTY = "#8d8880"
#: Alpha that counts as all or nothing.
_LEAST, _MOST = 1 / 512, 1 - 1 / 512


class Card(ElementBase):
    """A still picture on a flat card, seen from both sides."""

    kind: Literal["card"] = "card"
    picture: Annotated[str, StringConstraints(pattern=r"^(|asset:[0-9a-f]{64})$")] = Field(
        default="", title="Picture", json_schema_extra={"x-widget": "texture", "x-group": "Picture"}
    )
    alpha: Literal["straight", "premultiplied", "ignored"] = choice(
        "straight", "Alpha is", group="Picture", help="How the file has its colours: beside their alpha, or over black."
    )
    width: float = number(320, "Width", 0.01, 100_000, unit="u", group="Card", slider=(10, 1600))
    shape: Literal["as the picture", "own height"] = choice("as the picture", "Height", group="Card")
    height: float = number(
        180, "Own height", 0.01, 100_000, unit="u", group="Card", slider=(10, 900), when={"shape": "own height"}
    )
    surface: Finish = Field(
        default_factory=lambda: Finish(shading="unlit", base_colour="#ffffff"),
        title="Surface",
        description="Its base colour is multiplied with the picture.",
        json_schema_extra={"x-group": "Finish"},
    )


@dataclass(frozen=True, slots=True, eq=False)
class Built:
    """The card's mesh about its middle, and the mean of what is there [parts] (less than 0: all of it)."""

    mesh: Mesh
    there: tuple[float, ...]


def build(element: Card, assets: AssetSource) -> Built:
    """The card as cells of its picture: none where nothing is there."""
    if not element.picture:
        return Built(_cells(element.width, _height(element, 9 / 16), np.zeros((1, 1), np.int32)), (-1.0,))
    path = str(assets.path(element.picture.removeprefix(ASSET), "picture"))
    rows_of, columns_of = measure_picture_at(path, "the picture")
    height = _height(element, rows_of / columns_of)
    if element.alpha == "ignored":
        return Built(_cells(element.width, height, np.zeros((1, 1), np.int32)), (-1.0,))
    longer = max(rows_of, columns_of)
    columns = max(1, min(columns_of, round(_CELLS * columns_of / longer)))
    rows = max(1, min(rows_of, round(_CELLS * rows_of / longer)))
    least, most, mean = alpha_cells(path, "the picture", element.alpha, columns, rows)
    if float(most.max()) <= _LEAST:
        raise InputError(
            "nothing of this picture is there: its alpha is 0 everywhere; ignore it, or choose another", "picture"
        )
    step = np.minimum((mean * _STEPS).astype(np.int32), _STEPS - 1) + _PARTLY
    parts = np.where(least >= _MOST, _WHOLE, np.where(most <= _LEAST, -1, step)).astype(np.int32)
    return Built(_cells(element.width, height, parts), (-1.0, *((at + 0.5) / _STEPS for at in range(_STEPS))))


def _height(element: Card, shape: float) -> float:
    return element.height if element.shape == "own height" else element.width * shape


def _cells(width: float, height: float, parts: NDArray[np.int32]) -> Mesh:
    """Two triangles for each cell [rows, columns] whose part is not below 0, from the upper left; flat, towards the front."""
    if (parts == parts[0, 0]).all() and parts[0, 0] >= 0:
        parts = parts[:1, :1]
    rows, columns = parts.shape
    u, v = np.arange(columns + 1) / columns, np.arange(rows + 1) / rows
    shares = np.stack(np.meshgrid(u, v), axis=-1).reshape(-1, 2)
    vertices = np.column_stack([(shares[:, 0] - 0.5) * width, (0.5 - shares[:, 1]) * height, np.zeros(len(shares))])
    row, column = np.nonzero(parts >= 0)
    corner = row * (columns + 1) + column
    below = corner + columns + 1
    triangles = np.concatenate(
        [np.stack([below, below + 1, corner + 1], axis=1), np.stack([below, corner + 1, corner], axis=1)]
    ).astype(np.int32)
    count = len(triangles)
    return Mesh(
        vertices,
        triangles,
        np.broadcast_to(np.array([0.0, 0.0, 1.0], np.float32), (count, 3, 3)).copy(),
        np.tile(parts[row, column], 2).astype(np.int32),
        np.zeros(count, np.int32),
        False,
        shares[triangles].astype(np.float32),
    )


def pose(element: Card, time: Time, built: Built) -> Sequence[Posed]:
    """The card."""
    return (Posed(built.mesh),)


def wear(element: Card, built: Built) -> Sequence[Worn]:
    """The surface with the picture on it; where only a part is there, cut out by it."""
    if not element.picture:
        # White is for what is multiplied with it.
        return (Worn(0, {"base_colour": _EMPTY}),)
    changes: dict[str, Any] = {"base_map": element.picture, "map_by": "unwrapped"}
    return tuple(Worn(0, changes, cut=there, reading=element.alpha) for there in built.there)


kinds.register(ElementKind("card", "Card", Card, build, 4, pose=pose, wear=wear, note="a picture standing in the set"))
