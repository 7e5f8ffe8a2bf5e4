"""Meshes by the parameters that shape them, so that moving, lighting and turning never build one again."""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict

from zeitbild.elements import ElementBase, kinds
from zeitbild.elements.base import AssetSource
from zeitbild.geometry.mesh import Mesh

#: Triangles kept in all; about 150 bytes each.
_MAX_TRIANGLES = 1_500_000


def geometry_key(element: ElementBase) -> str:
    """Hash of everything that shapes the mesh of an element."""
    text = json.dumps(element.geometry_parameters(), sort_keys=True, ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()


class GeometryCache:
    """Least recently used meshes; safe to share between threads."""

    def __init__(self) -> None:
        self._meshes: OrderedDict[str, Mesh] = OrderedDict()
        self._lock = threading.Lock()

    def mesh(self, element: ElementBase, assets: AssetSource) -> Mesh:
        """The element's mesh, built if need be; what it raises names the element's field."""
        key = geometry_key(element)
        with self._lock:
            if key in self._meshes:
                self._meshes.move_to_end(key)
                return self._meshes[key]
        kind: str = element.geometry_parameters()["kind"]
        built = kinds.get(kind).mesh(element, assets)
        with self._lock:
            self._meshes[key] = built
            while len(self._meshes) > 1 and sum(len(mesh.triangles) for mesh in self._meshes.values()) > _MAX_TRIANGLES:
                self._meshes.popitem(last=False)
        return built


GEOMETRY = GeometryCache()
