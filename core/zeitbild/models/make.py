"""Makes the shipped models, and GLB files for tests: ``python -m zeitbild.models.make``."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
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


#: Joints of the puffin: name, the joint that it hangs on, and where it is in the model.
_JOINTS = (
    ("hips", -1, (0.0, 0.0, 0.0)),
    ("neck", 0, (0.0, 0.95, 0.05)),
    ("left wing", 0, (0.46, 0.78, 0.0)),
    ("right wing", 0, (-0.46, 0.78, 0.0)),
    ("left foot", 0, (0.22, -0.5, 0.1)),
    ("right foot", 0, (-0.22, -0.5, 0.1)),
)
_HIPS, _NECK, _LEFT, _RIGHT, _LEFT_FOOT, _RIGHT_FOOT = range(6)
_BLACK, _WHITE, _BEAK, _RED, _GREY = (
    (0.02, 0.022, 0.028),
    (0.8, 0.79, 0.76),
    (0.75, 0.22, 0.03),
    (0.55, 0.03, 0.02),
    (0.5, 0.5, 0.5),
)


def _egg(
    size: tuple[float, float, float], at: tuple[float, float, float], around: int = 40
) -> tuple[NDArray[np.float32], ...]:
    """Points, normals and triangles of a ball stretched to half sizes about a place."""
    arc = np.linspace(-math.pi / 2, math.pi / 2, around // 2 + 1)
    points, normals, triangles = _lathe([(max(math.cos(one), 0.0), math.sin(one)) for one in arc], around)
    leaning = normals / np.array(size)
    leaning /= np.linalg.norm(leaning, axis=1, keepdims=True)
    return (points * np.array(size) + np.array(at)).astype(np.float32), leaning.astype(np.float32), triangles


def _plumage(points: NDArray[np.float32]) -> NDArray[np.float32]:
    """Black behind, a white belly."""
    white = (points[:, 2] > 0.14) & (points[:, 1] < 0.86)
    return np.where(white[:, None], _WHITE, _BLACK).astype(np.float32)


def _face(points: NDArray[np.float32]) -> NDArray[np.float32]:
    """Black on top, white cheeks."""
    cheeks = (np.abs(points[:, 0]) > 0.1) & (points[:, 1] < 1.36) & (points[:, 2] > -0.05)
    return np.where(cheeks[:, None], _WHITE, _BLACK).astype(np.float32)


def _about(axis: int, degrees: Sequence[float]) -> NDArray[np.float32]:
    """Rotations about x, y or z as quaternions."""
    half = np.radians(np.array(degrees)) / 2
    found = np.zeros((len(half), 4))
    found[:, axis], found[:, 3] = np.sin(half), np.cos(half)
    return found.astype(np.float32)


def puffin() -> bytes:
    """A puffin in one skin of six joints, coloured by its points, with two clips."""
    writer = Writer()
    plain: list[tuple[tuple[NDArray[np.float32], ...], Any, int]] = [
        (_egg((0.52, 0.78, 0.5), (0, 0.25, 0), 96), _plumage, -1),
        (_egg((0.36, 0.36, 0.36), (0, 1.26, 0.06), 80), _face, _NECK),
        (_egg((0.09, 0.16, 0.24), (0, 1.2, 0.5), 24), _BEAK, _NECK),
        (_egg((0.1, 0.17, 0.09), (0, 1.2, 0.36), 24), _GREY, _NECK),
        (_egg((0.095, 0.1, 0.1), (0, 1.19, 0.66), 20), _RED, _NECK),
        *((_egg((0.045, 0.06, 0.045), (side * 0.19, 1.32, 0.335), 16), _BLACK, _NECK) for side in (1, -1)),
        (_egg((0.09, 0.46, 0.22), (0.52, 0.36, -0.02), 28), _BLACK, _LEFT),
        (_egg((0.09, 0.46, 0.22), (-0.52, 0.36, -0.02), 28), _BLACK, _RIGHT),
        (_egg((0.14, 0.05, 0.22), (0.22, -0.54, 0.18), 24), _BEAK, _LEFT_FOOT),
        (_egg((0.14, 0.05, 0.22), (-0.22, -0.54, 0.18), 24), _BEAK, _RIGHT_FOOT),
    ]
    points, normals, triangles, colours, joints, weights = [], [], [], [], [], []
    first = 0
    for (own, out, order), paint, joint in plain:
        points.append(own)
        normals.append(out)
        triangles.append(order + np.uint32(first))
        first += len(own)
        colours.append(paint(own) if callable(paint) else np.broadcast_to(np.array(paint, np.float32), own.shape))
        which, share = np.zeros((len(own), 4), np.uint8), np.zeros((len(own), 4), np.float32)
        if joint < 0:
            # The body bends towards the neck.
            bent = np.clip((own[:, 1] - 0.6) / 0.5, 0, 1)
            which[:, 1], share[:, 0], share[:, 1] = _NECK, 1 - bent, bent
        else:
            which[:, 0], share[:, 0] = joint, 1
        joints.append(which)
        weights.append(share)
    attributes = {
        "POSITION": writer.accessor(np.concatenate(points), "VEC3"),
        "NORMAL": writer.accessor(np.concatenate(normals), "VEC3"),
        "COLOR_0": writer.accessor(np.concatenate(colours).astype(np.float32), "VEC3"),
        "JOINTS_0": writer.accessor(np.concatenate(joints), "VEC4"),
        "WEIGHTS_0": writer.accessor(np.concatenate(weights), "VEC4"),
    }
    where = np.array([place for _, _, place in _JOINTS])
    inverse = np.broadcast_to(np.eye(4), (len(_JOINTS), 4, 4)).copy()
    inverse[:, :3, 3] = -where
    nodes: list[dict[str, Any]] = []
    for at, (name, above, place) in enumerate(_JOINTS):
        off = np.array(place) - (where[above] if above >= 0 else 0)
        children = [number for number, one in enumerate(_JOINTS) if one[1] == at]
        nodes.append({"name": name, "translation": off.tolist(), **({"children": children} if children else {})})
    nodes += [{"name": "puffin", "mesh": 0, "skin": 0}]
    finish = {"baseColorFactor": [1, 1, 1, 1], "roughnessFactor": 0.55, "metallicFactor": 0.0}
    mesh = {
        "primitives": [
            {
                "attributes": attributes,
                "indices": writer.accessor(np.concatenate(triangles).reshape(-1), "SCALAR"),
                "material": 0,
            }
        ]
    }
    writer.document |= {
        "materials": [{"name": "plumage", "pbrMetallicRoughness": finish}],
        "meshes": [mesh],
        "skins": [
            {
                "joints": list(range(len(_JOINTS))),
                # Column by column.
                "inverseBindMatrices": writer.accessor(
                    inverse.transpose(0, 2, 1).reshape(-1, 16).astype(np.float32), "MAT4"
                ),
            }
        ],
        "nodes": nodes,
        "scenes": [{"nodes": [_HIPS, len(_JOINTS)]}],
        "scene": 0,
        "animations": [_waddle(writer), _flap(writer)],
    }
    return writer.glb()


def _clip(
    writer: Writer, name: str, moves: Sequence[tuple[int, str, Sequence[float], NDArray[np.float32]]]
) -> dict[str, Any]:
    samplers: list[dict[str, Any]] = []
    channels: list[dict[str, Any]] = []
    for node, path, times, values in moves:
        channels.append({"sampler": len(samplers), "target": {"node": node, "path": path}})
        samplers.append(
            {
                "input": writer.accessor(np.array(times, np.float32)[:, None], "SCALAR"),
                "output": writer.accessor(values, "VEC4" if path == "rotation" else "VEC3"),
            }
        )
    return {"name": name, "samplers": samplers, "channels": channels}


def _waddle(writer: Writer) -> dict[str, Any]:
    """From one foot to the other and back in 0.8 s."""
    times = np.linspace(0, 0.8, 17)
    phase = times / 0.8 * 2 * math.pi
    up = np.stack([0 * phase, 0.05 * np.abs(np.sin(phase)), 0 * phase], axis=1).astype(np.float32)
    return _clip(
        writer,
        "waddle",
        [
            (_HIPS, "rotation", list(times), _about(2, list(9 * np.sin(phase)))),
            (_HIPS, "translation", list(times), up),
            (_NECK, "rotation", list(times), _about(2, list(-7 * np.sin(phase)))),
            (_LEFT_FOOT, "rotation", list(times), _about(0, list(-30 * np.clip(np.sin(phase), 0, 1)))),
            (_RIGHT_FOOT, "rotation", list(times), _about(0, list(-30 * np.clip(-np.sin(phase), 0, 1)))),
        ],
    )


def _flap(writer: Writer) -> dict[str, Any]:
    """Two beats of its wings in 0.6 s."""
    times = np.linspace(0, 0.6, 25)
    lift = 55 * (1 - np.cos(times / 0.6 * 4 * math.pi)) / 2
    return _clip(
        writer,
        "flap",
        [
            (_LEFT, "rotation", list(times), _about(2, list(lift))),
            (_RIGHT, "rotation", list(times), _about(2, list(-lift))),
            (_NECK, "rotation", list(times), _about(0, list(-0.2 * lift))),
        ],
    )


if __name__ == "__main__":
    for name, make in (("buoy", buoy), ("puffin", puffin)):
        (Path(__file__).parent / f"{name}.glb").write_bytes(make())
