"""Models (glTF, OBJ, STL, PLY)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from zeitbild.colour import encode_hex
from zeitbild.elements.model import values_of
from zeitbild.geometry.model.plain import MAX_MODEL_BYTES
from zeitbild.geometry.model.reading import read_model_data
from zeitbild.geometry.model.standing import COLOURS, Model
from zeitbild.library.base import FileKind, files
from zeitbild.models import SHIPPED
from zeitbild.values import part_code

#: Parts that are listed.
_MOST = 500


def facts(path: Path, label: str, key: str) -> dict[str, Any]:
    """See ``FileKind``: finishes are those of its materials; also its parts, triangles and which axis is up."""
    model = Model(read_model_data(path.read_bytes(), label), label)
    materials = "1 material" if len(model.materials) == 1 else f"{len(model.materials)} materials"
    return {
        "summary": f"{model.triangles:,} triangles, {materials}".replace(
            ",", "\u202f", 1 if model.triangles > 999 else 0
        ),
        "finishes": [
            {
                "name": one.name,
                "colour": encode_hex(one.colour),
                "values": values_of(one, key, number if number in model.colours else -1).model_dump(mode="json"),
            }
            for number, one in enumerate(model.materials, COLOURS + 1)
        ],
        "parts": list(dict.fromkeys(part.name for part in model.parts))[:_MOST],
        "triangles": model.triangles,
        "clips": [{"name": name, "seconds": round(seconds, 3)} for name, seconds in model.clips],
        "targets": _targets(model),
        "up": model.up,
        "notes": list(model.notes),
    }


def _targets(model: Model) -> list[dict[str, str]]:
    """Targets of a model: what documents call each, and its name."""
    if model.figure is None:
        return []
    taken: set[str] = set()
    return [{"code": part_code(name, taken), "name": name} for name in model.figure.targets]


files.register(
    FileKind(
        "models",
        "Model",
        (".glb", ".gltf", ".obj", ".stl", ".ply", ".mtl", ".bin", ".zip"),
        MAX_MODEL_BYTES,
        facts,
        tuple(SHIPPED.values()),
        1,
        together="one with the files that it names",
    )
)
