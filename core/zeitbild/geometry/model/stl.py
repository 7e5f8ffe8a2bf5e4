"""STL, binary and text: facets without anything that joins them."""

from __future__ import annotations

import re

import numpy as np

from zeitbild.geometry.model.plain import PlainModel, PlainPart

_FACET = np.dtype([("normal", "<f4", 3), ("points", "<f4", (3, 3)), ("more", "<u2")])
_VERTEX = re.compile(rb"^\s*vertex\s+(\S+)\s+(\S+)\s+(\S+)", re.MULTILINE | re.IGNORECASE)


def is_stl(data: bytes) -> bool:
    """Whether it is one: a text that begins so, or as long as its count of facets says."""
    if len(data) >= 84 and len(data) == 84 + 50 * int.from_bytes(data[80:84], "little"):
        return True
    return data[:200].lstrip().lower().startswith(b"solid") and b"facet" in data[:4096].lower()


def read(data: bytes, model: PlainModel) -> None:
    """Facets as one part; STL has z upwards (common practice, no source)."""
    model.up = "z"
    count = int.from_bytes(data[80:84], "little") if len(data) >= 84 else -1
    if len(data) == 84 + 50 * count:
        points = np.frombuffer(data, _FACET, count, 84)["points"].astype(np.float64)
    else:
        if b"endsolid" not in data[-400:].lower():
            raise model.damaged("it ends before its end")
        found = _VERTEX.findall(data)
        try:
            points = np.array(found, np.float64).reshape(-1, 3, 3)
        except ValueError:
            raise model.damaged("a vertex is no three numbers, or a facet no three vertices") from None
    triangles = np.arange(len(points) * 3, dtype=np.int32).reshape(-1, 3)
    model.add(PlainPart("solid", points.reshape(-1, 3), triangles))
