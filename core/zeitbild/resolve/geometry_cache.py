"""Forms by the parameters that shape them, so that moving, lighting and turning never build one again."""

from __future__ import annotations

import hashlib
import json
import threading
from collections import OrderedDict
from dataclasses import dataclass, field

from zeitbild.elements import ElementBase, kinds
from zeitbild.elements.base import AssetSource
from zeitbild.geometry.form import Form
from zeitbild.geometry.mesh import Mesh

#: Triangles kept in all; about 150 bytes each.
_MAX_TRIANGLES = 3_000_000
#: Forms kept that have no triangles yet.
_MAX_FORMS = 256


def geometry_key(element: ElementBase) -> str:
    """Hash of everything that shapes an element."""
    text = json.dumps(element.geometry_parameters(), sort_keys=True, ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()


@dataclass(slots=True, eq=False)
class _Kept:
    """A form whose last meshes are kept: one for looking at and one for handing off, say."""

    form: Form
    cache: GeometryCache
    meshes: OrderedDict[float, Mesh] = field(default_factory=OrderedDict)

    @property
    def bounds(self):  # type: ignore[no-untyped-def]
        """See ``Form.bounds``."""
        return self.form.bounds

    @property
    def radius(self) -> float:
        """See ``Form.radius``."""
        return self.form.radius

    def at(self, tolerance: float) -> Mesh:
        """See ``Form.at``."""
        return self.cache.built(self, tolerance)


class GeometryCache:
    """Least recently used forms and their meshes; safe to share between threads."""

    def __init__(self) -> None:
        self._forms: OrderedDict[str, _Kept] = OrderedDict()
        self._lock = threading.RLock()

    def form(self, element: ElementBase, assets: AssetSource) -> Form:
        """The element's form, made if need be; what it raises names the element's field."""
        key = geometry_key(element)
        with self._lock:
            if key in self._forms:
                self._forms.move_to_end(key)
                return self._forms[key]
        kind: str = element.geometry_parameters()["kind"]
        made = _Kept(kinds.get(kind).form(element, assets), self)
        with self._lock:
            # Another thread may have been first: its meshes are known by their identity.
            made = self._forms.setdefault(key, made)
            while len(self._forms) > _MAX_FORMS:
                self._forms.popitem(last=False)
        return made

    def built(self, kept: _Kept, tolerance: float) -> Mesh:
        """A mesh of a form, built if need be."""
        with self._lock:
            found = kept.meshes.get(tolerance)
            if found is not None:
                kept.meshes.move_to_end(tolerance)
                return found
        made = kept.form.at(tolerance)
        with self._lock:
            made = kept.meshes.setdefault(tolerance, made)
            total = self._total()
            for other in list(self._forms.values()):
                while total > _MAX_TRIANGLES and len(other.meshes) > (1 if other is kept else 0):
                    total -= len(other.meshes.popitem(last=False)[1].triangles)
        return made

    def _total(self) -> int:
        meshes = {id(mesh): len(mesh.triangles) for kept in self._forms.values() for mesh in kept.meshes.values()}
        return sum(meshes.values())


GEOMETRY = GeometryCache()
