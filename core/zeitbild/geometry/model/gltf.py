"""glTF 2.0 and GLB (Khronos Group, specification 2.0): node tree, meshes, materials, skins and morph targets as they stand.

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
from zeitbild.geometry.model.clips import clips_of
from zeitbild.geometry.model.plain import MAX_TRIANGLES, Material, PlainModel, PlainPart

_MAGIC = b"glTF"
_JSON, _BIN = 0x4E4F534A, 0x004E4942
#: Section 3.6.2.2: types of components, and how many each kind of element has.
_COMPONENTS = {5120: "i1", 5121: "u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
_COUNTS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_MAX_NODES, _MAX_DEPTH = 100_000, 200
_KNOWN = frozenset(
    {
        "KHR_materials_clearcoat",
        "KHR_materials_unlit",
        "KHR_materials_emissive_strength",
        "KHR_materials_transmission",
        "KHR_mesh_quantization",
        "KHR_texture_transform",
        "KHR_materials_ior",
        "KHR_materials_specular",
    }
)

Floats = NDArray[np.float64]


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
            if name not in _KNOWN:
                raise ModelError(f"{model.label} needs {str(name)[:60]}, which is not read; write it without", "model")
        self._buffers: dict[int, bytes] = {}

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
        data = self.buffer(view.get("buffer"))
        start, size = self.whole(view.get("byteOffset", 0)), self.whole(view.get("byteLength", 0))
        if start + size > len(data):
            raise self.model.damaged(f"view {number} reaches beyond its buffer")
        return data[start : start + size], self.whole(view.get("byteStride", 0))

    def whole(self, value: Any) -> int:
        """A number that is whole and not below 0."""
        if isinstance(value, bool) or not isinstance(value, int) or value < 0:
            raise self.model.damaged(f"{str(value)[:20]!r} is no count")
        return value

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
        if "bufferView" in own:
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


def local_matrix(node: dict[str, Any]) -> Floats:
    """What a node does to what stands in it [4, 4] (section 3.5.3)."""
    if "matrix" in node:
        own = floats(node["matrix"], 16, (1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1))
        return np.array(own, np.float64).reshape(4, 4).T
    x, y, z, w = floats(node.get("rotation"), 4, (0, 0, 0, 1))
    length = math.sqrt(x * x + y * y + z * z + w * w) or 1.0
    x, y, z, w = x / length, y / length, z / length, w / length
    turn = np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )
    made = np.eye(4)
    made[:3, :3] = turn * np.array(floats(node.get("scale"), 3, (1, 1, 1)))
    made[:3, 3] = floats(node.get("translation"), 3, (0, 0, 0))
    return made


class _Reader:
    """Walks through the scene."""

    def __init__(self, data: bytes, model: PlainModel, clip: str, seconds: float) -> None:
        self.model, self.file, self.clip, self.seconds = model, File(data, model), clip, seconds
        #: What the clip puts in place of a node's own, by node and path.
        self.moved: dict[int, dict[str, Floats]] = {}
        self.standing: dict[int, Floats] = {}
        self.named: dict[int, str] = {}

    def read(self) -> None:
        document = self.file.document
        materials = document.get("materials", [])
        for number in range(len(materials) if isinstance(materials, list) else 0):
            self.model.materials.append(self._material(self.file.get("materials", number), number))
        clips = clips_of(self.file)
        self.model.clips = [(one.name, one.seconds) for one in clips]
        for clip in clips:
            if clip.name == self.clip:
                for channel in clip.channels:
                    self.moved.setdefault(channel.node, {})[channel.path] = channel.at(self.seconds)
        roots = self._roots()
        # All nodes first: skins name joints that stand anywhere.
        pending = [(number, np.eye(4), "", 0) for number in reversed(roots)]
        while pending:
            number, above, path, depth = pending.pop()
            node = self.file.get("nodes", number)
            if number in self.standing:
                raise self.model.damaged(f"node {number} stands in more than one place, or in itself")
            if depth > _MAX_DEPTH or len(self.standing) > _MAX_NODES:
                raise LimitError(f"{self.model.label} has nodes more than {_MAX_DEPTH} deep, or too many", "model")
            moved = {what: value.tolist() for what, value in self.moved.get(number, {}).items()}
            if set(moved) - {"weights"}:
                # What moves has no matrix (section 3.11).
                node = {what: value for what, value in node.items() if what != "matrix"} | moved
            self.standing[number] = above @ local_matrix(node)
            name = str(node.get("name") or f"node {number}").replace("/", "_")[:60]
            self.named[number] = f"{path}/{name}".lstrip("/")[-200:]
            children = node.get("children", [])
            for child in reversed(children if isinstance(children, list) else []):
                pending.append((child, self.standing[number], self.named[number], depth + 1))
        for number in self.standing:
            node = self.file.get("nodes", number)
            if "mesh" in node:
                self._mesh(number, node)

    def _roots(self) -> list[int]:
        document = self.file.document
        scenes = document.get("scenes")
        if isinstance(scenes, list) and scenes:
            scene = self.file.get("scenes", document.get("scene", 0))
            roots = scene.get("nodes", [])
            return [self.file.whole(one) for one in roots] if isinstance(roots, list) else []
        nodes = document.get("nodes", [])
        count = len(nodes) if isinstance(nodes, list) else 0
        children = (
            {child for node in nodes if isinstance(node, dict) for child in node.get("children", []) or []}
            if count
            else set()
        )
        return [number for number in range(count) if number not in children]

    def _material(self, own: dict[str, Any], number: int) -> Material:
        plain = own.get("pbrMetallicRoughness") if isinstance(own.get("pbrMetallicRoughness"), dict) else {}
        assert isinstance(plain, dict)
        more = own.get("extensions") if isinstance(own.get("extensions"), dict) else {}
        assert isinstance(more, dict)
        red, green, blue, alpha = (
            min(max(one, 0.0), 1.0) for one in floats(plain.get("baseColorFactor"), 4, (1, 1, 1, 1))
        )
        strength = more.get("KHR_materials_emissive_strength", {})
        times = floats([strength.get("emissiveStrength", 1)], 1, (1.0,))[0] if isinstance(strength, dict) else 1.0
        vivid = tuple(max(0.0, one) * max(0.0, times) for one in floats(own.get("emissiveFactor"), 3, (0, 0, 0)))
        coat = more.get("KHR_materials_clearcoat", {})
        coat = coat if isinstance(coat, dict) else {}
        clear = more.get("KHR_materials_transmission", {})
        clear = share(clear.get("transmissionFactor", 0), 0.0) if isinstance(clear, dict) else 0.0
        mode = own.get("alphaMode", "OPAQUE")
        opacity = alpha if mode == "BLEND" else 1.0
        if clear > 0:
            opacity *= 1 - 0.9 * clear
            self.model.note("light that is bent on its way through: what lets it through is clear instead")
        surface = self._picture(plain.get("metallicRoughnessTexture"))
        if surface >= 0:
            self.model.note("pictures of roughness and metalness in one: their red channel stands for both")
        pictures = (
            self._picture(plain.get("baseColorTexture")),
            -1,
            -1,
            self._picture(own.get("normalTexture")),
            self._picture(own.get("emissiveTexture")),
        )
        if mode != "OPAQUE" and pictures[0] >= 0:
            self.model.note("alpha of pictures on surfaces")
        if own.get("occlusionTexture"):
            self.model.note("pictures of occlusion: it is worked out instead")
        return Material(
            str(own.get("name") or f"material {number}")[:80],
            (red, green, blue),
            share(plain.get("roughnessFactor", 1), 1.0),
            share(plain.get("metallicFactor", 1), 1.0),
            opacity,
            (vivid[0], vivid[1], vivid[2]),
            share(coat.get("clearcoatFactor", 0), 0.0),
            share(coat.get("clearcoatRoughnessFactor", 0), 0.0),
            "KHR_materials_unlit" in more,
            own.get("doubleSided") is True,
            pictures,
        )

    def _picture(self, texture: Any) -> int:
        """Number of the picture inside the file that a texture shows; -1 for none."""
        if not isinstance(texture, dict):
            return -1
        if texture.get("texCoord", 0) != 0:
            self.model.note("a picture that lies by a second set of places")
            return -1
        own = self.file.get("textures", texture.get("index"))
        if "source" not in own:
            self.model.note("a picture of a kind that is not read")
            return -1
        self.file.get("images", own["source"])
        return self.file.whole(own["source"])

    def _mesh(self, number: int, node: dict[str, Any]) -> None:
        mesh = self.file.get("meshes", node["mesh"])
        primitives = mesh.get("primitives")
        if not isinstance(primitives, list):
            raise self.model.damaged(f"mesh {node['mesh']} has no primitives")
        weights = node.get("weights", mesh.get("weights", []))
        if "weights" in self.moved.get(number, {}):
            weights = self.moved[number]["weights"].tolist()
        for at, primitive in enumerate(primitives):
            if not isinstance(primitive, dict) or not isinstance(primitive.get("attributes"), dict):
                raise self.model.damaged(f"mesh {node['mesh']} has a primitive without attributes")
            name = self.named[number] if len(primitives) == 1 else f"{self.named[number]} {at + 1}"
            self._primitive(name, number, node, primitive, weights if isinstance(weights, list) else [])

    def _primitive(
        self, name: str, number: int, node: dict[str, Any], primitive: dict[str, Any], weights: list[Any]
    ) -> None:
        attributes = primitive["attributes"]
        mode = primitive.get("mode", 4)
        if mode not in (4, 5, 6) or "POSITION" not in attributes:
            self.model.note("points and lines")
            return
        points = self._values(attributes["POSITION"], 3)
        normals = self._values(attributes["NORMAL"], 3, len(points)) if "NORMAL" in attributes else None
        points, normals = self._morphed(primitive, weights, points, normals)
        corners = self._corners(primitive, mode, len(points))
        shares = None
        if "TEXCOORD_0" in attributes:
            shares = self._values(attributes["TEXCOORD_0"], 2, len(points))[corners].astype(np.float32)
        colours = None
        if "COLOR_0" in attributes:
            # Light, not encoded (section 3.7.2.1).
            colours = np.clip(self._values(attributes["COLOR_0"], 3, len(points)), 0, 1)[corners].astype(np.float32)
        matrix = self.standing[number]
        placed, turned = self._skinned(node, attributes, points, normals)
        if placed is None:
            placed = points @ matrix[:3, :3].T + matrix[:3, 3]
            linear = matrix[:3, :3]
            # Normals go through the cofactor matrix.
            cofactors = np.stack(
                [np.cross(linear[1], linear[2]), np.cross(linear[2], linear[0]), np.cross(linear[0], linear[1])]
            )
            turned = None if normals is None else normals @ cofactors.T
            if np.linalg.det(linear) < 0:
                corners = corners[:, ::-1]
                shares = None if shares is None else shares[:, ::-1]
                colours = None if colours is None else colours[:, ::-1]
                turned = None if turned is None else -turned
        material = primitive.get("material", -1)
        if material != -1:
            self.file.get("materials", material)
        self.model.add(
            PlainPart(
                name,
                placed,
                np.ascontiguousarray(corners, np.int32),
                None if turned is None else np.ascontiguousarray(turned[corners], np.float32),
                None if shares is None else np.ascontiguousarray(shares),
                material,
                None if colours is None else np.ascontiguousarray(colours),
            )
        )

    def _values(self, number: Any, width: int, count: int = -1) -> Floats:
        values = self.file.accessor(number).astype(np.float64)
        if values.shape[1] < width or (count >= 0 and len(values) != count):
            raise self.model.damaged("attributes of a mesh do not fit one another")
        return values[:, :width]

    def _corners(self, primitive: dict[str, Any], mode: int, count: int) -> NDArray[np.int64]:
        if "indices" in primitive:
            order = self.file.accessor(primitive["indices"])
            if order.dtype.kind not in "iu" or order.shape[1] != 1:
                raise self.model.damaged("the order of a mesh's points is no list of counts")
            order = order[:, 0].astype(np.int64)
        else:
            order = np.arange(count)
        if len(order) and int(order.max()) >= count:
            raise self.model.damaged("a mesh names points that are not there")
        if mode == 4:
            return order[: len(order) // 3 * 3].reshape(-1, 3)
        if len(order) < 3:
            return np.empty((0, 3), np.int64)
        if mode == 6:
            return np.stack([order[1:-1], order[2:], np.broadcast_to(order[0], len(order) - 2)], axis=1)
        strip = np.stack([order[:-2], order[1:-1], order[2:]], axis=1)
        # Every second one of a strip turns the other way round.
        strip[1::2] = strip[1::2][:, [1, 0, 2]]
        return strip

    def _morphed(
        self, primitive: dict[str, Any], weights: list[Any], points: Floats, normals: Floats | None
    ) -> tuple[Floats, Floats | None]:
        targets = primitive.get("targets", [])
        for target, weight in zip(targets if isinstance(targets, list) else [], weights, strict=False):
            by = floats([weight], 1, (0.0,))[0]
            if by == 0 or not isinstance(target, dict):
                continue
            if "POSITION" in target:
                points = points + by * self._values(target["POSITION"], 3, len(points))
            if normals is not None and "NORMAL" in target:
                normals = normals + by * self._values(target["NORMAL"], 3, len(points))
        return points, normals

    def _skinned(
        self, node: dict[str, Any], attributes: dict[str, Any], points: Floats, normals: Floats | None
    ) -> tuple[Floats | None, Floats | None]:
        """Points and normals of a skin (section 3.7.3), which stands where its joints do; None for what has none."""
        if "skin" not in node or not {"JOINTS_0", "WEIGHTS_0"} <= set(attributes):
            return None, None
        skin = self.file.get("skins", node["skin"])
        joints = skin.get("joints")
        if not isinstance(joints, list) or not joints:
            raise self.model.damaged("a skin has no joints")
        matrices = np.empty((len(joints), 4, 4))
        inverse = np.broadcast_to(np.eye(4), matrices.shape)
        if "inverseBindMatrices" in skin:
            given = self._values(skin["inverseBindMatrices"], 16)
            if len(given) < len(joints):
                raise self.model.damaged("a skin has fewer matrices than joints")
            inverse = given[: len(joints)].reshape(-1, 4, 4).transpose(0, 2, 1)
        for at, joint in enumerate(joints):
            if joint not in self.standing:
                raise self.model.damaged("a joint of a skin is not in the scene")
            matrices[at] = self.standing[joint] @ inverse[at]
        which = self._values(attributes["JOINTS_0"], 4, len(points)).astype(np.int64)
        share_of = self._values(attributes["WEIGHTS_0"], 4, len(points))
        if len(which) and int(which.max()) >= len(joints):
            raise self.model.damaged("a point hangs on a joint that is not there")
        total = share_of.sum(axis=1, keepdims=True)
        share_of = share_of / np.where(total > 0, total, 1)
        whole = np.einsum("vk,vkij->vij", share_of, matrices[which])
        placed = np.einsum("vij,vj->vi", whole[:, :3, :3], points) + whole[:, :3, 3]
        turned = None if normals is None else np.einsum("vij,vj->vi", whole[:, :3, :3], normals)
        return placed, turned


def read(data: bytes, model: PlainModel, clip: str = "", seconds: float = 0.0) -> None:
    """A part for each primitive, where its node stands, or where a clip has it at a time; one that is not there moves nothing."""
    _Reader(data, model, clip, seconds).read()


def picture(data: bytes, model: PlainModel, number: int) -> bytes:
    """The bytes of a picture inside the file or beside it; ModelError if there is none."""
    file = File(data, model)
    own = file.get("images", number)
    if "bufferView" in own:
        return file.view(own["bufferView"])[0]
    return file.inside(own.get("uri"), f"picture {number}")
