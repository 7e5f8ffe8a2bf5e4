"""PLY, text and binary of both orders: points with normals, colours and places in a picture, and faces of any number of corners."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zeitbild.colour import decode
from zeitbild.geometry.model.plain import Material, PlainModel, PlainPart
from zeitbild.geometry.model.polygons import triangles_of

_TYPES = {
    **dict.fromkeys(("char", "int8"), "i1"),
    **dict.fromkeys(("uchar", "uint8"), "u1"),
    **dict.fromkeys(("short", "int16"), "i2"),
    **dict.fromkeys(("ushort", "uint16"), "u2"),
    **dict.fromkeys(("int", "int32"), "i4"),
    **dict.fromkeys(("uint", "uint32"), "u4"),
    **dict.fromkeys(("float", "float32"), "f4"),
    **dict.fromkeys(("double", "float64"), "f8"),
}
_ORDERS = {"binary_little_endian": "<", "binary_big_endian": ">", "ascii": ""}
_MOST_CORNERS = 255


def is_ply(data: bytes) -> bool:
    """Whether it begins as one."""
    return data[:4] in (b"ply\n", b"ply\r")


class _Element:
    def __init__(self, name: str, count: int) -> None:
        self.name, self.count = name, count
        #: Name, type, and for lists the type of their length.
        self.fields: list[tuple[str, str, str]] = []

    @property
    def plain(self) -> bool:
        return not any(length for _, _, length in self.fields)


def _header(data: bytes, model: PlainModel) -> tuple[str, list[_Element], int]:
    end = data.find(b"end_header")
    if end < 0 or end > 100_000:
        raise model.damaged("its header has no end")
    body = data.find(b"\n", end) + 1
    order, elements = "", list[_Element]()
    for line in data[:end].decode("latin-1").split("\n"):
        words = line.split()
        if not words or words[0] in ("ply", "comment", "obj_info"):
            continue
        try:
            if words[0] == "format":
                order = words[1]
                _ORDERS[order]
            elif words[0] == "element":
                elements.append(_Element(words[1], int(words[2])))
                if elements[-1].count < 0:
                    raise ValueError
            elif words[0] == "property" and words[1] == "list":
                elements[-1].fields.append((words[4], _TYPES[words[3]], _TYPES[words[2]]))
            elif words[0] == "property":
                elements[-1].fields.append((words[2], _TYPES[words[1]], ""))
            # Other lines mean nothing: some programs wrote comments without saying so.
        except (IndexError, KeyError, ValueError):
            raise model.damaged(f"its header says {line.strip()[:60]!r}") from None
    if not order or body == 0:
        raise model.damaged("its header names no format")
    return order, elements, body


def read(data: bytes, model: PlainModel) -> None:
    """One part."""
    order, elements, at = _header(data, model)
    rows: dict[str, NDArray[np.void]] = {}
    faces: list[NDArray[np.int64]] = []
    words = data[at:].split() if order == "ascii" else []
    place = 0
    for element in elements:
        if element.count > len(data):
            raise model.damaged(f"it says that it has {element.count} of {element.name[:20]}")
        if order == "ascii":
            place = _text(words, place, element, rows, faces, model)
        else:
            at = _binary(data, at, _ORDERS[order], element, rows, faces, model)
    points = rows.get("vertex")
    if points is None or not {"x", "y", "z"} <= set(points.dtype.names or ()):
        raise model.damaged("it has no points")
    _build(points, faces, model)


def _text(
    words: list[bytes],
    place: int,
    element: _Element,
    rows: dict[str, NDArray[np.void]],
    faces: list[NDArray[np.int64]],
    model: PlainModel,
) -> int:
    try:
        if element.plain:
            width = len(element.fields)
            values = np.array(words[place : place + width * element.count], np.float64).reshape(element.count, width)
            row = np.zeros(element.count, [(name, "f8") for name, _, _ in element.fields])
            for number, (name, _, _) in enumerate(element.fields):
                row[name] = values[:, number]
            rows[element.name] = row
            return place + width * element.count
        for _ in range(element.count):
            for name, _, length in element.fields:
                count = int(words[place]) if length else 1
                first = place + (1 if length else 0)
                place = first + count
                if place > len(words) or not 0 <= count <= _MOST_CORNERS:
                    raise ValueError
                if element.name == "face" and length and name in ("vertex_indices", "vertex_index"):
                    faces.append(np.array(words[first:place], np.int64))
    except (IndexError, ValueError, OverflowError):
        raise model.damaged(f"it ends within its {element.name[:20]}, or they are no numbers") from None
    return place


def _binary(
    data: bytes,
    at: int,
    order: str,
    element: _Element,
    rows: dict[str, NDArray[np.void]],
    faces: list[NDArray[np.int64]],
    model: PlainModel,
) -> int:
    short = model.damaged(f"it ends within its {element.name[:20]}")
    if element.plain:
        kind = np.dtype([(name, order + of) for name, of, _ in element.fields])
        if at + kind.itemsize * element.count > len(data):
            raise short
        rows[element.name] = np.frombuffer(data, kind, element.count, at)
        return at + kind.itemsize * element.count
    if len(element.fields) == 1 and element.count:
        # Faces that all have as many corners as the first: most files.
        name, of, length = element.fields[0]
        count = int(np.frombuffer(data, order + length, 1, at)[0]) if at + 8 <= len(data) else 0
        kind = np.dtype([("count", order + length), ("corners", order + of, (count,))])
        if 0 < count <= _MOST_CORNERS and at + kind.itemsize * element.count <= len(data):
            found = np.frombuffer(data, kind, element.count, at)
            if (found["count"] == count).all():
                if element.name == "face" and name in ("vertex_indices", "vertex_index"):
                    faces.extend(found["corners"].astype(np.int64))
                return at + kind.itemsize * element.count
    for _ in range(element.count):
        for name, of, length in element.fields:
            count = 1
            if length:
                size = np.dtype(length).itemsize
                if at + size > len(data):
                    raise short
                count = int(np.frombuffer(data, order + length, 1, at)[0])
                at += size
            size = np.dtype(of).itemsize * count
            if at + size > len(data) or not 0 <= count <= _MOST_CORNERS:
                raise short
            if element.name == "face" and length and name in ("vertex_indices", "vertex_index"):
                faces.append(np.frombuffer(data, order + of, count, at).astype(np.int64))
            at += size
    return at


def _build(points: NDArray[np.void], faces: list[NDArray[np.int64]], model: PlainModel) -> None:
    def columns(*names: str) -> NDArray[np.float64] | None:
        if not set(names) <= set(points.dtype.names or ()):
            return None
        return np.stack([points[name].astype(np.float64) for name in names], axis=1)

    where = columns("x", "y", "z")
    assert where is not None
    corners = np.concatenate([np.empty(0, np.int64), *faces])
    if len(corners) and (corners.min() < 0 or corners.max() >= len(where)):
        raise model.damaged("its faces name points that are not there")
    triangles = corners[triangles_of(where[corners], np.array([len(face) for face in faces], np.int64))]
    normals, shares = columns("nx", "ny", "nz"), None
    for names in (("s", "t"), ("u", "v"), ("texture_u", "texture_v")):
        shares = columns(*names) if shares is None else shares
    colours = columns("red", "green", "blue")
    light = None
    if colours is not None:
        # Encoded as screens show them (common practice).
        most = 255 if points["red"].dtype.kind in "ui" or colours.max(initial=0) > 1 else 1
        light = decode(np.clip(colours / most, 0, 1)).astype(np.float32)[triangles]
        model.materials.append(Material("colours of points", (1.0, 1.0, 1.0)))
    model.add(
        PlainPart(
            "mesh",
            where,
            triangles.astype(np.int32),
            None if normals is None else normals[triangles].astype(np.float32),
            None if shares is None else (shares[triangles] * (1, -1) + (0, 1)).astype(np.float32),
            -1 if light is None else 0,
            light,
        )
    )
