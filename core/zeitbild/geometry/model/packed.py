"""Meshes of glTF that are packed by Draco (Khronos Group, KHR_draco_mesh_compression); unpacked by Draco itself."""

from __future__ import annotations

from typing import Any

import numpy as np

from zeitbild.errors import LimitError
from zeitbild.geometry.model.gltf_file import DRACO, File
from zeitbild.geometry.model.plain import MAX_TRIANGLES


def unpack(file: File, primitive: dict[str, Any]) -> None:
    """Put what a primitive has packed in place of its accessors; ModelError for what is damaged, LimitError for what is too large."""
    extensions = primitive.get("extensions")
    packed = extensions.get(DRACO) if isinstance(extensions, dict) else None
    if packed is None or primitive["attributes"].get("POSITION") in file.taken:
        return
    if not isinstance(packed, dict) or not isinstance(packed.get("attributes"), dict):
        raise file.model.damaged("a packed mesh does not say what is in it")
    import DracoPy  # few models need it

    data, _ = file.view(packed.get("bufferView"))
    try:
        mesh = DracoPy.decode(data)
    # Whatever its parsers meet.
    except Exception as error:
        raise file.model.damaged("a packed mesh cannot be unpacked") from error
    faces = getattr(mesh, "faces", None)
    points = np.asarray(mesh.points)
    if max(len(points), 0 if faces is None else len(faces)) > MAX_TRIANGLES:
        raise LimitError(f"{file.model.label} has more than {MAX_TRIANGLES:,} triangles in a mesh", "model")
    found = {one["unique_id"]: np.asarray(one["data"]) for one in mesh.attributes}
    for name, unique in packed["attributes"].items():
        values = found.get(unique) if isinstance(unique, int) else None
        if values is None or name not in primitive["attributes"]:
            raise file.model.damaged(f"a packed mesh lacks its {str(name)[:20]}")
        file.take(primitive["attributes"][name], values.reshape(len(points), -1))
    if "indices" in primitive and faces is not None:
        file.take(primitive["indices"], np.asarray(faces, np.uint32).reshape(-1, 1))
