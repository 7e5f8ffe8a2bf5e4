"""What readers of models give: parts with triangles, and the materials that they name. Plain values, for they come from another process."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import LimitError, ModelError

MAX_MODEL_BYTES = 256 * 1024 * 1024
MAX_TRIANGLES, MAX_VERTICES = 3_000_000, 6_000_000
#: Parts, materials, and notes that are told one by one.
MAX_PARTS, MAX_MATERIALS, MAX_NOTES = 5000, 200, 20
#: Coordinates that are taken; beyond, nothing is precise.
_MOST = 1e9

Floats = NDArray[np.float64]


@dataclass(slots=True, eq=False)
class Material:
    """What a file says of a surface: linear colours, and for each of ``TEXTURES`` of finishes the number of a picture inside the file, or -1.

    vivid [3] is its light, two_sided whether its back is seen. Pictures may say more than colours: clear is what the alpha of that of the
    base colour means (``a``: how much is there; ``m`` and a number: all of it from so many hundredths on; nothing: it is ignored), packed whether
    roughness is the green and metalness the blue of their picture.
    """

    name: str
    colour: tuple[float, float, float] = (0.8, 0.8, 0.8)
    roughness: float = 0.5
    metalness: float = 0.0
    opacity: float = 1.0
    vivid: tuple[float, float, float] = (0.0, 0.0, 0.0)
    coat: float = 0.0
    coat_roughness: float = 0.0
    unlit: bool = False
    two_sided: bool = False
    pictures: tuple[int, ...] = (-1, -1, -1, -1, -1)
    clear: str = ""
    packed: bool = False

    def plain(self) -> dict[str, Any]:
        """For another process."""
        return {name: getattr(self, name) for name in self.__slots__}

    @classmethod
    def of(cls, plain: dict[str, Any]) -> Material:
        """From another process."""
        known: dict[str, Any] = {
            name: tuple(value) if isinstance(value, list) else value for name, value in plain.items()
        }
        return cls(**known)


@dataclass(slots=True, eq=False)
class PlainPart:
    """One part: points [V, 3] where they stand in the model, triangles [T, 3], unit normals [T, 3, 3] or None, shares of a picture [T, 3, 2] or
    None, the number of its material (-1: none), its path in the file's tree, and colours of its corners [T, 3, 3] (light) or None."""

    name: str
    points: Floats
    triangles: NDArray[np.int32]
    normals: NDArray[np.float32] | None = None
    unwrapped: NDArray[np.float32] | None = None
    material: int = -1
    colours: NDArray[np.float32] | None = None


@dataclass(slots=True)
class PlainModel:
    """A model as a reader gives it; up is the axis that its kind of file has upwards, ``y`` or ``z``; clips are names and seconds. beside
    are the files that came with it, by ``bundle.name_of``."""

    label: str
    up: str = "y"
    parts: list[PlainPart] = field(default_factory=list)
    materials: list[Material] = field(default_factory=list)
    notes: dict[str, int] = field(default_factory=dict)
    clips: list[tuple[str, float]] = field(default_factory=list)
    beside: dict[str, bytes] = field(default_factory=dict)
    #: What poses need (``figure.Figure``), if it has clips or targets.
    figure: dict[str, Any] | None = None
    _vertices: int = 0
    _triangles: int = 0

    def note(self, text: str) -> None:
        """Tell once that something was left out, and how often."""
        if text in self.notes or len(self.notes) < MAX_NOTES:
            self.notes[text] = self.notes.get(text, 0) + 1

    def damaged(self, what: str) -> ModelError:
        """The error for a file that does not hold what it says."""
        return ModelError(f"{self.label} is damaged: {what}", "model")

    def add(self, part: PlainPart) -> None:
        """Take in a part, checked; what has no triangles is left out. ModelError for numbers that are none, LimitError for too much."""
        if not len(part.triangles):
            return
        if part.triangles.min() < 0 or part.triangles.max() >= len(part.points):
            raise self.damaged(f"{part.name[:60]} names points that are not there")
        used = np.unique(part.triangles)
        if not (np.abs(part.points[used]) < _MOST).all():
            raise self.damaged(f"{part.name[:60]} has points that are no numbers, or beyond {_MOST:g}")
        self._vertices += len(part.points)
        self._triangles += len(part.triangles)
        if self._vertices > MAX_VERTICES or self._triangles > MAX_TRIANGLES:
            raise LimitError(
                f"{self.label} has more than {MAX_TRIANGLES / 1e6:g} million triangles; make it simpler", "model"
            )
        if len(self.parts) >= MAX_PARTS:
            raise LimitError(f"{self.label} has more than {MAX_PARTS} parts; join some", "model")
        if part.normals is not None:
            length = np.linalg.norm(part.normals, axis=2, keepdims=True)
            good = np.isfinite(length).all() and bool((length > 1e-12).all())
            part.normals = (part.normals / length).astype(np.float32) if good else None
        if part.unwrapped is not None and not np.isfinite(part.unwrapped).all():
            part.unwrapped = None
        if part.colours is not None and not np.isfinite(part.colours).all():
            part.colours = None
        self.parts.append(part)

    def plain(self) -> dict[str, Any]:
        """For another process; ModelError for a model without any triangle."""
        if not self.parts:
            told = f" (left out: {'; '.join(list(self.notes)[:3])})" if self.notes else ""
            raise ModelError(f"{self.label} has no triangles{told}", "model")
        if len(self.materials) > MAX_MATERIALS:
            raise LimitError(f"{self.label} has more than {MAX_MATERIALS} materials", "model")
        return {
            "up": self.up,
            "parts": [{name: getattr(part, name) for name in PlainPart.__slots__} for part in self.parts],
            "materials": [one.plain() for one in self.materials],
            "clips": [[name, seconds] for name, seconds in self.clips],
            "figure": self.figure,
            "notes": [text if count == 1 else f"{text} ({count} times)" for text, count in self.notes.items()],
        }
