"""Card: a picture standing in the set, cut out by its alpha: a still, a sequence, an animation or a movie."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, StringConstraints

from zeitbild.caching import SizedCache
from zeitbild.elements._flat import FlatElement
from zeitbild.elements.base import ElementKind, Facing, PictureReading, Posed, Worn, kinds
from zeitbild.errors import InputError, PictureError
from zeitbild.finishes import Finish
from zeitbild.footage.levels import alpha_cells
from zeitbild.footage.pictures import cutout, footage_at
from zeitbild.footage.plain import Footage
from zeitbild.footage.playing import picture_at
from zeitbild.geometry.mesh import Mesh
from zeitbild.plates import SHIPPED
from zeitbild.shipped import AssetSource, file_of
from zeitbild.timing import Time
from zeitbild.values import FRAME, Colour, choice, number

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
#: What people call the file in what is wrong with it.
_LABEL = "the picture"
#: Meshes kept for each card.
_MESHES = 64
#: Fields of footage that moves stand together, and are shown for such alone (a form knows of the chosen file what it is).
_MOVES: dict[str, Any] = {"x-group": "Playing", "x-when": {"picture.kind": ["sequence", "animation", "movie"]}}
_PLAYS: dict[str, Any] = {
    **_MOVES,
    "x-when": {**_MOVES["x-when"], "rate": ["its own", "one a frame", "another"]},
}


class Card(FlatElement):
    """A picture on a flat card: a still, a sequence, an animation or a movie."""

    kind: Literal["card"] = "card"
    picture: Annotated[str, StringConstraints(pattern=r"^(|[a-z0-9-]{1,40}|asset:[0-9a-f]{64})$")] = Field(
        default="", title="Picture", json_schema_extra={"x-widget": "file", "x-files": "footage", "x-group": "Picture"}
    )
    alpha: Literal["as it seems", "straight", "premultiplied", "over a colour", "ignored"] = choice(
        "as it seems",
        "Alpha is",
        group="Picture",
        help="How the file has its colours: beside their alpha (straight), multiplied by it, or laid over a colour by it.",
    )
    matte: Colour = Field(
        default="#ffffff",
        title="Over",
        json_schema_extra={"x-group": "Picture", "x-when": {"alpha": "over a colour"}},
    )
    pixels: Literal["smooth", "hard"] = choice(
        "smooth", "Pixels", group="Picture", help="Hard ones stay whole squares, however large they are shown."
    )
    rate: Literal["its own", "one a frame", "another", "as keyed"] = Field(
        default="its own",
        title="Rate",
        description="Its own is that of the file; numbered pictures have none and last one frame each. "
        "As keyed: which is seen is a value that may have keys, as mouths have.",
        json_schema_extra={"x-widget": "list", **_MOVES},
    )
    shows: Annotated[int, Field(ge=1, le=1_000_000)] = Field(
        default=1,
        title="Picture",
        description="Its number, from 1 on; beyond the last it is that.",
        json_schema_extra={**_MOVES, "x-step": 1, "x-steps": True, "x-when": {**_MOVES["x-when"], "rate": "as keyed"}},
    )
    another_rate: float = Field(
        default=25.0,
        ge=0.01,
        le=1000,
        title="Pictures a second",
        json_schema_extra={**_MOVES, "x-step": 1, "x-when": {**_MOVES["x-when"], "rate": "another"}},
    )
    start: int = Field(
        default=1, ge=-1_000_000, le=1_000_000, title="Begins at frame", json_schema_extra={**_PLAYS, **FRAME}
    )
    skip: int = Field(default=1, ge=1, le=1_000_000, title="With its picture", json_schema_extra=_PLAYS)
    before: Literal["nothing", "hold", "repeat", "back and forth"] = Field(
        default="hold", title="Before its first", json_schema_extra={"x-widget": "choice", **_PLAYS}
    )
    after: Literal["nothing", "hold", "repeat", "back and forth"] = Field(
        default="hold", title="After its last", json_schema_extra={"x-widget": "choice", **_PLAYS}
    )
    width: float = number(320, "Width", 0.01, 100_000, unit="u", group="Card", slider=(10, 1600))
    shape: Literal["as the picture", "own height"] = choice("as the picture", "Height", group="Card")
    height: float = number(
        180, "Own height", 0.01, 100_000, unit="u", group="Card", slider=(10, 900), when={"shape": "own height"}
    )
    faces: Literal["as placed", "the camera", "the camera, upright"] = choice(
        "as placed",
        "Faces",
        group="Card",
        help="Turned to the camera of each layer; upright, it turns about its height only.",
    )
    sides: Literal["both", "front"] = choice("both", "Seen from", group="Card")
    surface: Finish = Field(
        default_factory=lambda: Finish(shading="unlit", base_colour="#ffffff"),
        title="Surface",
        description="Its base colour is multiplied with the picture.",
        json_schema_extra={"x-group": "Finish"},
    )


@dataclass(frozen=True, slots=True, eq=False)
class Built:
    """The file of a card with what it holds (none: it has no picture), how it is read, its height, and meshes by picture."""

    path: Path | None
    footage: Footage | None
    reading: PictureReading
    height: float
    meshes: SizedCache[Mesh]

    @property
    def cut(self) -> bool:
        """Whether anything of it may not be there."""
        return self.footage is not None and self.reading.alpha != "ignored"


def build(element: Card, assets: AssetSource) -> Built:
    """The file opened, and of a still all of it: InputError where nothing of it is there."""
    meshes = SizedCache[Mesh](_MESHES, lambda _: 1)
    if not element.picture:
        return Built(None, None, PictureReading("ignored"), _height(element, 9 / 16), meshes)
    path, _ = file_of(element.picture, "picture", SHIPPED, assets, PictureError)
    footage = footage_at(path, _LABEL)
    alpha, matte = element.alpha, element.matte if element.alpha == "over a colour" else ""
    if element.alpha == "as it seems":
        alpha, matte = footage.reading, footage.matte  # type: ignore[assignment]
    built = Built(
        path, footage, PictureReading(alpha, matte, element.pixels == "hard"), _height(element, footage.shape), meshes
    )
    if footage.count == 1 and not len(_mesh(element, built, 0).triangles):
        raise InputError(
            "nothing of this picture is there: its alpha is 0 everywhere; ignore it, or choose another", "picture"
        )
    return built


def _height(element: Card, shape: float) -> float:
    return element.height if element.shape == "own height" else element.width * shape


def _shown(element: Card, time: Time, built: Built) -> int | None:
    """Number of the picture that is seen, from 0 on."""
    footage = built.footage
    if footage is None or footage.count == 1:
        return 0
    if element.rate == "as keyed":
        return min(element.shows, footage.count) - 1
    a_frame = Fraction(1)
    if element.rate == "another":
        # Typed in decimals, and read as such.
        a_frame = Fraction(str(element.another_rate)) / time.rate
    elif element.rate == "its own" and footage.rate is not None:
        a_frame = footage.rate / time.rate
    return picture_at(
        footage.count, time.frame, element.start, element.skip - 1, a_frame, element.before, element.after
    )


def _mesh(element: Card, built: Built, at: int | None) -> Mesh:
    """The card as cells of a picture: none where nothing is there."""
    if at is None:
        return _cells(element.width, built.height, np.full((1, 1), -1, np.int32))
    if not built.cut or built.path is None:
        return _cells(element.width, built.height, np.zeros((1, 1), np.int32))
    return built.meshes.get(at, lambda: _cut(element, built, built.path, at))


def _cut(element: Card, built: Built, path: Path | None, at: int) -> Mesh:
    """The card as cells of a picture, by its alpha."""
    assert path is not None
    _, alpha = cutout(path, _LABEL, at, built.reading.alpha, built.reading.matte)
    parts = np.zeros((1, 1), np.int32)
    if alpha is not None:
        longer = max(alpha.shape)
        rows, columns = (max(1, min(size, round(_CELLS * size / longer))) for size in alpha.shape)
        least, most, mean = alpha_cells(alpha, columns, rows)
        step = np.minimum((mean * _STEPS).astype(np.int32), _STEPS - 1) + _PARTLY
        parts = np.where(least >= _MOST, _WHOLE, np.where(most <= _LEAST, -1, step)).astype(np.int32)
    return _cells(element.width, built.height, parts)


def _cells(width: float, height: float, parts: NDArray[np.int32]) -> Mesh:
    """Two triangles for each cell [rows, columns] whose part is not below 0, from the upper left; flat, towards the front."""
    if (parts == parts[0, 0]).all():
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
    """The card with what is there of the picture that is seen."""
    at = _shown(element, time, built)
    return (Posed(_mesh(element, built, at), bend="nothing" if at is None else str(at) if built.cut else ""),)


def wear(element: Card, time: Time, built: Built) -> Sequence[Worn]:
    """The surface with the picture on it; where only a part is there, cut out by it."""
    if not element.picture:
        # White is for what is multiplied with it.
        return (Worn(0, {"base_colour": _EMPTY}),)
    steps = range(_STEPS) if built.cut else ()
    at = _shown(element, time, built)
    if at is None:
        return tuple(Worn(0) for _ in range(len(steps) + 1))
    changes: dict[str, Any] = {"base_map": f"{element.picture}#{at}", "map_by": "unwrapped"}
    there = (-1.0, *((step + 0.5) / _STEPS for step in steps))
    return tuple(Worn(0, changes, cut=one, reading=built.reading) for one in there)


def faces(element: Card) -> Facing:
    """See ``ElementKind``."""
    one_sided = element.sides == "front"
    if element.lies == "on the picture":
        return Facing("on the picture", one_sided)
    if element.faces == "the camera":
        return Facing("to the camera", one_sided)
    return Facing("to the camera, upright" if element.faces == "the camera, upright" else "as placed", one_sided)


kinds.register(
    ElementKind(
        "card",
        "Card",
        Card,
        build,
        4,
        pose=pose,
        wear=wear,
        faces=faces,
        note="a picture, sequence or movie standing in the set",
    )
)
