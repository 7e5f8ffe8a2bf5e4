"""What every element kind shares: placement, pivot, turn; and the contract of a kind."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from pydantic import Field

from zeitbild.document.values import Identifier, Part, Placement, Point, Title, Turn
from zeitbild.finishes import Finish
from zeitbild.geometry.form import Form
from zeitbild.registry import Registry


class AssetSource(Protocol):
    """Where uploaded files come from: by SHA-256. Their content is a stranger's: it is read ``apart``, by those who get its path."""

    def path(self, sha256: str) -> Path:
        """Where an asset lies; InputError if it is not there."""
        ...


#: In forms these stand together after what a kind adds.
_LATE: dict[str, Any] = {"x-late": True, "x-group": "Place"}


class ElementBase(Part):
    """Fields that every element has, whatever its kind."""

    id: Identifier = Field(title="Identity")
    name: Title = Field(default="Element", title="Name", json_schema_extra=_LATE)
    shown: bool = Field(
        default=True, title="In the picture", description="One switch for the picture, the run and the files."
    )
    placement: Placement = Field(default_factory=Placement, title="Placement", json_schema_extra=_LATE)
    pivot_offset: Point = Field(
        default=(0.0, 0.0, 0.0),
        title="Pivot offset",
        json_schema_extra={**_LATE, "x-step": 1},
        description="Moves the pivot away from the centre of the visible ink.",
    )
    turn: Turn = Field(default_factory=Turn, title="Turn")

    def geometry_parameters(self) -> dict[str, Any]:
        """The parameters that shape the mesh: everything but identity, placement, turn and finishes."""
        raise NotImplementedError

    def finishes(self) -> Sequence[Finish]:
        """Finish of each part number that the mesh uses."""
        raise NotImplementedError


@dataclass(frozen=True, slots=True)
class ElementKind:
    """A kind of element. ``build`` gives the form with its pivot (the ink centre) at the origin."""

    name: str
    title: str
    parameters: type[ElementBase]
    build: Any  # (parameters, AssetSource) -> Form
    order: int = 0

    def form(self, element: ElementBase, assets: AssetSource) -> Form:
        """Geometry of one element; FontError, LimitError or InputError for what cannot be built."""
        built: Form = self.build(element, assets)
        return built


kinds: Registry[ElementKind] = Registry("element", "zeitbild.elements")
