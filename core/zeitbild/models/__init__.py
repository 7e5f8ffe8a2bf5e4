"""The models that ship with Zeitbild, made for it by ``make.py``: something neutral to begin with."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

_FOLDER = Path(__file__).parent


@dataclass(frozen=True, slots=True)
class ShippedModel:
    """One shipped model: key used in documents, name for people, and what it is."""

    key: str
    title: str
    character: str

    @property
    def path(self) -> Path:
        """The GLB file."""
        return _FOLDER / f"{self.key}.glb"


SHIPPED: dict[str, ShippedModel] = {
    one.key: one for one in (ShippedModel("buoy", "Buoy", "a turned body in three materials"),)
}
