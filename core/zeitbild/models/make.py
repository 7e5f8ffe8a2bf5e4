"""Makes the shipped models, and GLB files for tests: ``python -m zeitbild.models.make``."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray


class Writer:
    """A GLB in the making (glTF 2.0): arrays become accessors in one buffer; the rest is JSON that the caller writes."""

    def __init__(self) -> None:
        self.document: dict[str, Any] = {
            "asset": {"version": "2.0", "generator": "Zeitbild"},
            "bufferViews": [],
            "accessors": [],
        }
        self._bytes = bytearray()

    def view(self, data: bytes, stride: int = 0) -> int:
        """Number of a new buffer view of some bytes."""
        self._bytes += b"\0" * (-len(self._bytes) % 4)
        view = {"buffer": 0, "byteOffset": len(self._bytes), "byteLength": len(data)}
        self.document["bufferViews"].append({**view, "byteStride": stride} if stride else view)
        self._bytes += data
        return len(self.document["bufferViews"]) - 1

    def accessor(self, values: NDArray[Any], kind: str, **more: Any) -> int:
        """Number of a new accessor of an array [n] or [n, k]."""
        component = {"i1": 5120, "u1": 5121, "i2": 5122, "u2": 5123, "u4": 5125, "f4": 5126}[values.dtype.str[1:]]
        accessor = {
            "bufferView": self.view(np.ascontiguousarray(values).tobytes()),
            "componentType": component,
            "count": len(values),
            "type": kind,
            **more,
        }
        if kind == "VEC3" and component == 5126 and len(values):
            accessor |= {"min": values.min(axis=0).tolist(), "max": values.max(axis=0).tolist()}
        self.document["accessors"].append(accessor)
        return len(self.document["accessors"]) - 1

    def glb(self) -> bytes:
        """The file."""
        self._bytes += b"\0" * (-len(self._bytes) % 4)
        document = {**self.document, "buffers": [{"byteLength": len(self._bytes)}]}
        text = json.dumps({name: value for name, value in document.items() if value != []}).encode()
        text += b" " * (-len(text) % 4)
        body = len(text).to_bytes(4, "little") + b"JSON" + text
        if self._bytes:
            body += len(self._bytes).to_bytes(4, "little") + b"BIN\0" + bytes(self._bytes)
        return b"glTF" + (2).to_bytes(4, "little") + (12 + len(body)).to_bytes(4, "little") + body


def _lathe(profile: list[tuple[float, float]], around: int = 64) -> tuple[NDArray[np.float32], ...]:
    """Points, normals and triangles of a profile (radius, height) turned about y; what bends by more than 40 degrees is sharp."""
    line = np.array(profile)
    along = np.diff(line, axis=0)
    out = np.stack([along[:, 1], -along[:, 0]], axis=1) / np.linalg.norm(along, axis=1, keepdims=True)
    turn = np.arange(around + 1) * 2 * math.pi / around
    points: list[NDArray[Any]] = []
    normals: list[NDArray[Any]] = []
    triangles: list[NDArray[Any]] = []
    for at in range(len(along)):
        ends = []
        for end, other in ((at, at - 1), (at + 1, at + 1)):
            near = 0 <= other < len(out) and float(out[at] @ out[other]) > math.cos(math.radians(40))
            mean = out[at] + out[other] if near else out[at]
            ends.append((line[end], mean / np.linalg.norm(mean)))
        first = sum(len(one) for one in points)
        for (radius, height), (across, up) in ends:
            points.append(np.stack([radius * np.sin(turn), np.full_like(turn, height), radius * np.cos(turn)], axis=1))
            normals.append(np.stack([across * np.sin(turn), np.full_like(turn, up), across * np.cos(turn)], axis=1))
        a = first + np.arange(around)
        b, c, d = a + 1, a + around + 2, a + around + 1
        triangles += [np.stack([a, b, c], 1), np.stack([a, c, d], 1)]
    return (
        np.concatenate(points).astype(np.float32),
        np.concatenate(normals).astype(np.float32),
        np.concatenate(triangles).astype(np.uint32),
    )


def buoy() -> bytes:
    """A buoy in three materials: body, band and lamp."""
    writer = Writer()
    arc = [math.radians(one) for one in range(-90, 91, 6)]
    lamp = [(0.16 * math.cos(one), 1.62 + 0.16 * math.sin(one)) for one in arc]
    parts = (
        (
            "body",
            [(0, -0.6), (0.5, -0.5), (0.75, -0.25), (0.8, 0), (0.8, 0.1)],
            (0.55, 0.05, 0.04),
            0.35,
            0.0,
            (0, 0, 0),
        ),
        ("band", [(0.8, 0.1), (0.8, 0.3), (0.7, 0.36)], (0.8, 0.78, 0.72), 0.4, 0.0, (0, 0, 0)),
        (
            "tower",
            [(0.7, 0.36), (0.3, 0.5), (0.2, 1.3), (0.28, 1.34), (0.28, 1.44), (0, 1.46)],
            (0.55, 0.05, 0.04),
            0.35,
            0,
            (0, 0, 0),
        ),
        ("lamp", [(max(x, 0.0), y) for x, y in lamp], (1.0, 0.75, 0.35), 0.2, 0.0, (1.0, 0.7, 0.3)),
    )
    materials: list[dict[str, Any]] = []
    meshes, nodes = [], []
    for name, profile, colour, roughness, metalness, glow in parts:
        points, normals, triangles = _lathe([(float(x), float(y)) for x, y in profile])
        material = {
            "name": "red" if colour[1] == 0.05 else name,
            "pbrMetallicRoughness": {
                "baseColorFactor": [*colour, 1],
                "roughnessFactor": roughness,
                "metallicFactor": metalness,
            },
            "emissiveFactor": list(glow),
        }
        if material not in materials:
            materials.append(material)
        primitive = {
            "attributes": {
                "POSITION": writer.accessor(points, "VEC3"),
                "NORMAL": writer.accessor(normals, "VEC3"),
            },
            "indices": writer.accessor(triangles.reshape(-1), "SCALAR"),
            "material": materials.index(material),
        }
        meshes.append({"primitives": [primitive]})
        nodes.append({"name": name, "mesh": len(meshes) - 1})
    root = {"name": "buoy", "children": list(range(len(nodes)))}
    writer.document |= {
        "materials": materials,
        "meshes": meshes,
        "nodes": [*nodes, root],
        "scenes": [{"nodes": [len(nodes)]}],
        "scene": 0,
    }
    return writer.glb()


if __name__ == "__main__":
    (Path(__file__).parent / "buoy.glb").write_bytes(buoy())
