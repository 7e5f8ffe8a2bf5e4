"""What elements build, by the parameters that decide it, so that moving, lighting and turning never build anything again."""

from __future__ import annotations

import hashlib
import json
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from zeitbild.elements import ElementBase, kinds
from zeitbild.geometry.form import Form
from zeitbild.geometry.mesh import Mesh
from zeitbild.shipped import AssetSource

#: Triangles kept in all; about 150 bytes each.
_MAX_TRIANGLES = 3_000_000
#: Things kept that were built and have no triangles yet.
_MAX_BUILT = 256


def geometry_key(element: ElementBase) -> str:
    """Hash of everything that decides what an element builds."""
    text = json.dumps(element.geometry_parameters(), sort_keys=True, ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()


@dataclass(frozen=True, slots=True, eq=False)
class _Kept:
    """A form whose last meshes are kept: one for looking at and one for handing off, say."""

    shape: str
    form: Form
    cache: GeometryCache

    @property
    def bounds(self) -> NDArray[np.float64]:
        """See ``Form.bounds``."""
        return self.form.bounds

    @property
    def radius(self) -> float:
        """See ``Form.radius``."""
        return self.form.radius

    def carried(self, mesh: Mesh) -> Mesh | None:
        """See ``Form.carried``."""
        return self.form.carried(mesh)

    def at(self, tolerance: float) -> Mesh:
        """See ``Form.at``."""
        return self.cache.mesh(self, tolerance)


class GeometryCache:
    """What was built last, and meshes of it, those not used for the longest given up first; safe to share between threads. Where two
    threads make the same, the first one's is everybody's."""

    def __init__(self, triangles: int = _MAX_TRIANGLES) -> None:
        self._built: LRUCache[str, Any] = LRUCache(_MAX_BUILT)
        self._meshes: LRUCache[tuple[str, float], Mesh] = LRUCache(triangles, lambda mesh: len(mesh.triangles))
        self._lock = threading.RLock()

    def built(self, key: str, element: ElementBase, assets: AssetSource) -> Any:
        """What the element builds, made if need be; key is its ``geometry_key``. What it raises names the element's field."""
        with self._lock:
            if key in self._built:
                return self._built[key]
        made = kinds.get(element.kind).build(element, assets)
        with self._lock:
            return self._built.setdefault(key, made)

    def made(self, key: str, make: Callable[[], Any]) -> Any:
        """Something else that is built, by what decides it."""
        with self._lock:
            if key in self._built:
                return self._built[key]
        made = make()
        with self._lock:
            return self._built.setdefault(key, made)

    def form(self, shape: str, form: Form) -> Form:
        """The form with its meshes, which are known by its name and by their identity."""
        return _Kept(shape, form, self)

    def mesh(self, kept: _Kept, tolerance: float) -> Mesh:
        """A mesh of a form, made if need be."""
        key = kept.shape, tolerance
        with self._lock:
            if key in self._meshes:
                return self._meshes[key]
        made = kept.form.at(tolerance)
        with self._lock:
            # One that is too large is made anew each time.
            fits = len(made.triangles) <= self._meshes.maxsize
            return self._meshes.setdefault(key, made) if fits else made


GEOMETRY = GeometryCache()
