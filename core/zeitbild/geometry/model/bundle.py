"""A model with the files that it names: a ZIP of them, read in a process of its own; nothing is unpacked."""

from __future__ import annotations

import zipfile
from io import BytesIO
from pathlib import PurePosixPath
from urllib.parse import unquote

from zeitbild.errors import LimitError, ModelError
from zeitbild.geometry.model.plain import MAX_MODEL_BYTES

#: Endings of what a model may be, the likelier first.
_MODELS = (".gltf", ".glb", ".obj", ".ply", ".stl")
_MOST_FILES = 1000


def is_bundle(data: bytes) -> bool:
    """Whether it is a ZIP."""
    return data.startswith(b"PK\x03\x04")


def opened(data: bytes, label: str) -> tuple[bytes, dict[str, bytes], str]:
    """The model in a ZIP, the other files by their names (lower case, without folders), and what else might have been the model."""
    files: dict[str, bytes] = {}
    total = 0
    try:
        with zipfile.ZipFile(BytesIO(data)) as packed:
            members = [one for one in packed.infolist() if not one.is_dir() and "__MACOSX" not in one.filename]
            if len(members) > _MOST_FILES:
                raise LimitError(f"{label} has {len(members):,} files in it; up to {_MOST_FILES} are read", "model")
            for one in members:
                with packed.open(one) as file:
                    # Not what the list of contents says: that may lie.
                    content = file.read(MAX_MODEL_BYTES - total + 1)
                total += len(content)
                if total > MAX_MODEL_BYTES:
                    raise LimitError(f"{label} unpacks to more than {MAX_MODEL_BYTES // 1_000_000} MB", "model")
                files[name_of(one.filename)] = content
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, OSError) as error:
        raise ModelError(f"{label} is damaged: {error}", "model") from None
    found = sorted(
        (name for name in files if PurePosixPath(name).suffix in _MODELS),
        key=lambda name: (_MODELS.index(PurePosixPath(name).suffix), name),
    )
    if not found:
        raise ModelError(f"there is no model in {label}: glTF (GLB), OBJ, STL and PLY are read", "model")
    return files[found[0]], files, ", ".join(found[1:4])


def name_of(address: str) -> str:
    """The name by which a file is looked for, from how another one names it."""
    return PurePosixPath(unquote(address).replace("\\", "/")).name.lower()
