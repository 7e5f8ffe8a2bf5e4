"""The file of a glTF 2.0 (Khronos Group, specification 2.0): its JSON, buffers, views and accessors, every look-up checked.

Everything lies inside the file, in its binary chunk or as data, or in a file that came with it; nothing else is opened.
"""

from __future__ import annotations

import base64
import binascii
import json
import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import LimitError, ModelError
from zeitbild.geometry.model.bundle import name_of
from zeitbild.geometry.model.packed_views import MESHOPT, unpacked
from zeitbild.geometry.model.plain import MAX_TRIANGLES, PlainModel

_MAGIC = b"glTF"
_JSON, _BIN = 0x4E4F534A, 0x004E4942
#: Section 3.6.2.2: types of components, and how many each kind of element has.
_COMPONENTS = {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_COUNTS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
#: What says that a mesh is packed (``packed``), that a picture is a WebP, how a picture lies, and what surfaces are by their gloss (``glossy``).
DRACO, WEBP = "KHR_draco_mesh_compression", "EXT_texture_webp"
LAID, GLOSSY = "KHR_texture_transform", "KHR_materials_pbrSpecularGlossiness"
#: What a surface is all the same without.
_LEFT_OUT = frozenset({"KHR_materials_ior", "KHR_materials_specular"})
_KNOWN = frozenset(
    {
        DRACO,
        MESHOPT,
        WEBP,
        LAID,
        GLOSSY,
        "KHR_materials_clearcoat",
        "KHR_materials_unlit",
        "KHR_materials_emissive_strength",
        "KHR_materials_transmission",
        "KHR_mesh_quantization",
    }
)


def is_gltf(data: bytes) -> bool:
    """Whether it is a GLB, or JSON with what glTF has to have."""
    return data[:4] == _MAGIC or (data[:64].lstrip()[:1] == b"{" and b'"asset"' in data)


def chunks(data: bytes, model: PlainModel) -> tuple[dict[str, Any], bytes]:
    """The JSON and the binary chunk."""
    text, binary = data, b""
    if data[:4] == _MAGIC:
        if len(data) < 20 or int.from_bytes(data[8:12], "little") != len(data):
            raise model.damaged("it is not as long as it says")
        if int.from_bytes(data[4:8], "little") != 2:
            raise ModelError(f"{model.label} is glTF {int.from_bytes(data[4:8], 'little')}; version 2 is read", "model")
        at, found = 12, dict[int, bytes]()
        while at + 8 <= len(data):
            size, kind = int.from_bytes(data[at : at + 4], "little"), int.from_bytes(data[at + 4 : at + 8], "little")
            if at + 8 + size > len(data):
                raise model.damaged("a chunk reaches beyond its end")
            found.setdefault(kind, data[at + 8 : at + 8 + size])
            at += 8 + size
        text, binary = found.get(_JSON, b""), found.get(_BIN, b"")
    try:
        document = json.loads(text)
    except (ValueError, RecursionError):
        raise model.damaged("its JSON cannot be read") from None
    if not isinstance(document, dict) or not isinstance(document.get("asset"), dict):
        raise model.damaged("its JSON is no glTF")
    if not str(document["asset"].get("version", "2")).startswith("2"):
        raise ModelError(f"{model.label} is glTF {document['asset']['version']!s:.8}; version 2 is read", "model")
    return document, binary


class File:
    """The document with its buffers, every look-up checked."""

    def __init__(self, data: bytes, model: PlainModel) -> None:
        self.model = model
        self.document, self.binary = chunks(data, model)
        required = self.document.get("extensionsRequired", [])
        for name in required if isinstance(required, list) else []:
            if name not in _KNOWN | _LEFT_OUT:
                raise ModelError(f"{model.label} needs {str(name)[:60]}, which is not read; write it without", "model")
        used = self.document.get("extensionsUsed", [])
        for name in used if isinstance(used, list) else []:
            if name not in _KNOWN:
                model.note(str(name)[:60])
        self._buffers: dict[int, bytes] = {}
        self._unpacked: dict[int, bytes] = {}
        #: Values of accessors that came in another way.
        self.taken: dict[int, NDArray[Any]] = {}

    def get(self, what: str, number: Any) -> dict[str, Any]:
        """One of a list of the document."""
        found = self.document.get(what)
        if not isinstance(found, list) or not isinstance(number, int) or not 0 <= number < len(found):
            raise self.model.damaged(f"it names {what} {str(number)[:20]}, which is not there")
        one = found[number]
        if not isinstance(one, dict):
            raise self.model.damaged(f"{what} {number} is none")
        return one

    def buffer(self, number: Any) -> bytes:
        """The bytes of a buffer."""
        own = self.get("buffers", number)
        if number not in self._buffers:
            self._buffers[number] = self.inside(own.get("uri"), f"buffer {number}") if "uri" in own else self.binary
        return self._buffers[number]

    def inside(self, address: Any, what: str) -> bytes:
        """What a data address holds; ModelError for any other."""
        text = str(address)
        head, comma, body = text.partition(",")
        if not (head.startswith("data:") and comma):
            beside = self.model.beside.get(name_of(text))
            if beside is not None:
                return beside
            raise ModelError(
                f"{self.model.label} asks for {text[:60]!r} ({what}), which lies beside it; bring both together, or "
                "write it as one file (GLB)",
                "model",
            )
        try:
            return base64.b64decode(body, validate=True)
        except (binascii.Error, ValueError):
            raise self.model.damaged(f"{what} cannot be read") from None

    def view(self, number: Any) -> tuple[bytes, int]:
        """The bytes of a buffer view and its stride (0: none)."""
        view = self.get("bufferViews", number)
        stride, extensions = self.whole(view.get("byteStride", 0)), view.get("extensions")
        packed = extensions.get(MESHOPT) if isinstance(extensions, dict) else None
        if packed is None:
            return self._stretch(view, number), stride
        if number not in self._unpacked:
            try:
                self._unpacked[number] = unpacked(self._stretch(packed, number), packed)
            except ValueError as error:
                raise self.model.damaged(f"view {number} cannot be unpacked: {error}") from error
        return self._unpacked[number], stride

    def _stretch(self, own: Any, number: Any) -> bytes:
        """The stretch of a buffer that a view, or what says how it is packed, names."""
        if not isinstance(own, dict):
            raise self.model.damaged(f"view {number} is none")
        data = self.buffer(own.get("buffer"))
        start, size = self.whole(own.get("byteOffset", 0)), self.whole(own.get("byteLength", 0))
        if start + size > len(data):
            raise self.model.damaged(f"view {number} reaches beyond its buffer")
        return data[start : start + size]

    def whole(self, value: Any) -> int:
        """A number that is whole and not below 0."""
        if isinstance(value, bool) or not isinstance(value, int) or value < 0:
            raise self.model.damaged(f"{str(value)[:20]!r} is no count")
        return value

    def take(self, number: Any, values: NDArray[Any]) -> None:
        """Let an accessor have values [n, k] that do not lie in its view."""
        self.get("accessors", number)
        self.taken[number] = values

    def accessor(self, number: Any) -> NDArray[Any]:
        """Values [n, k] of an accessor (section 3.6.2): sparse ones filled in, normalised ones as shares."""
        own = self.get("accessors", number)
        count, kind = self.whole(own.get("count", 0)), own.get("componentType")
        width = _COUNTS.get(str(own.get("type")), 0)
        if kind not in _COMPONENTS or not width:
            raise self.model.damaged(f"accessor {number} is of no known kind")
        if count > 4 * MAX_TRIANGLES:
            raise LimitError(f"{self.model.label} has an accessor of {count} values", "model")
        dtype = np.dtype(_COMPONENTS[kind])
        if number in self.taken:
            values = self.taken[number]
            if values.shape != (count, width):
                raise self.model.damaged("a packed mesh is not as large as it says")
            dtype = values.dtype
        elif "bufferView" in own:
            values = self._strided(own["bufferView"], self.whole(own.get("byteOffset", 0)), count, width, dtype)
        else:
            values = np.zeros((count, width), dtype)
        if isinstance(own.get("sparse"), dict):
            values = self._sparse(own["sparse"], values.copy(), width, dtype)
        if own.get("normalized") and dtype.kind in "iu":
            most = float(np.iinfo(dtype).max)
            return np.maximum(values.astype(np.float64) / most, -1.0)
        return values

    def _strided(self, view: Any, start: int, count: int, width: int, dtype: np.dtype[Any]) -> NDArray[Any]:
        data, stride = self.view(view)
        size = dtype.itemsize * width
        stride = stride or size
        if count and (stride < size or start + stride * (count - 1) + size > len(data)):
            raise self.model.damaged("an accessor reaches beyond its view")
        if not count:
            return np.zeros((0, width), dtype)
        raw = np.frombuffer(data, np.uint8)[start:]
        rows = np.lib.stride_tricks.as_strided(raw, (count, size), (stride, 1))
        return np.ascontiguousarray(rows).view(dtype).reshape(count, width)

    def _sparse(self, sparse: dict[str, Any], values: NDArray[Any], width: int, dtype: np.dtype[Any]) -> NDArray[Any]:
        count = self.whole(sparse.get("count", 0))
        places, given = sparse.get("indices"), sparse.get("values")
        if not isinstance(places, dict) or not isinstance(given, dict):
            raise self.model.damaged("a sparse accessor says neither where nor what")
        kind = _COMPONENTS.get(places.get("componentType", 0))
        if kind is None or np.dtype(kind).kind != "u":
            raise self.model.damaged("places of a sparse accessor are no counts")
        at = self._strided(places.get("bufferView"), self.whole(places.get("byteOffset", 0)), count, 1, np.dtype(kind))
        new = self._strided(given.get("bufferView"), self.whole(given.get("byteOffset", 0)), count, width, dtype)
        if count and int(at.max()) >= len(values):
            raise self.model.damaged("a sparse accessor names values that are not there")
        values[at[:, 0].astype(np.int64)] = new
        return values


def floats(values: Any, count: int, otherwise: tuple[float, ...]) -> tuple[float, ...]:
    """So many finite numbers, or what stands for them."""
    if not isinstance(values, list) or len(values) != count:
        return otherwise
    if not all(isinstance(one, int | float) and math.isfinite(one) for one in values):
        return otherwise
    return tuple(float(one) for one in values)


def share(value: Any, otherwise: float) -> float:
    """A number from 0 to 1, or what stands for it."""
    return min(max(floats([value], 1, (otherwise,))[0], 0.0), 1.0)
