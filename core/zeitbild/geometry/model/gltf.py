"""glTF 2.0 and GLB (Khronos Group, specification 2.0): node tree, meshes, materials, skins and morph targets as they stand."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import LimitError
from zeitbild.geometry.model.clips import Clip, clips_of
from zeitbild.geometry.model.glossy import glossy
from zeitbild.geometry.model.gltf_file import GLOSSY, WEBP, File, floats, share
from zeitbild.geometry.model.laid import Laid, goes_on, laid
from zeitbild.geometry.model.packed import unpack
from zeitbild.geometry.model.plain import Material, PlainModel, PlainPart
from zeitbild.geometry.transforms import put

_MAX_NODES, _MAX_DEPTH = 100_000, 200
#: Sets of four joints each that a point hangs on at most.
_MOST_SETS = 8
#: What a material has of pictures besides those of its colour and surface.
_MORE_PICTURES = ("normalTexture", "emissiveTexture")
#: So far from the middle of a picture its border is, and a little.
_WITHIN = 0.501

Floats = NDArray[np.float64]


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

    def __init__(self, data: bytes, model: PlainModel) -> None:
        self.model, self.file = model, File(data, model)
        #: What poses need: nodes from above downwards, what hangs on them, skins (``figure.Figure``).
        self.nodes: dict[int, dict[str, Any]] = {}
        self.limbs: list[dict[str, Any]] = []
        self.skins: dict[int, dict[str, Any]] = {}
        self.standing: dict[int, Floats] = {}
        self.named: dict[int, str] = {}
        #: How the pictures of each material lie, and whether they go on beyond their borders.
        self.laid: list[Laid] = []
        self.go_on: list[bool] = []

    def read(self) -> None:
        document = self.file.document
        materials = document.get("materials", [])
        for number in range(len(materials) if isinstance(materials, list) else 0):
            self.model.materials.append(self._material(self.file.get("materials", number), number))
        clips = clips_of(self.file)
        self.model.clips = [(one.name, one.seconds) for one in clips]
        roots = self._roots()
        # All nodes first: skins name joints that stand anywhere.
        pending = [(number, np.eye(4), "", 0, -1) for number in reversed(roots)]
        while pending:
            number, above, path, depth, parent = pending.pop()
            node = self.file.get("nodes", number)
            if number in self.standing:
                raise self.model.damaged(f"node {number} stands in more than one place, or in itself")
            if depth > _MAX_DEPTH or len(self.standing) > _MAX_NODES:
                raise LimitError(f"{self.model.label} has nodes more than {_MAX_DEPTH} deep, or too many", "model")
            self.standing[number] = above @ local_matrix(node)
            self.nodes[number] = self._node(node, parent)
            name = str(node.get("name") or f"node {number}").replace("/", "_")[:60]
            self.named[number] = f"{path}/{name}".lstrip("/")[-200:]
            children = node.get("children", [])
            for child in reversed(children if isinstance(children, list) else []):
                pending.append((child, self.standing[number], self.named[number], depth + 1, number))
        for number in self.standing:
            node = self.file.get("nodes", number)
            if "mesh" in node:
                self._mesh(number, node)
        if clips or any(one["targets"] for one in self.limbs):
            self.model.figure = self._figure(clips)

    @staticmethod
    def _node(node: dict[str, Any], parent: int) -> dict[str, Any]:
        """What a node does at rest, apart."""
        matrix = local_matrix(node) if "matrix" in node else None
        return {
            "parent": parent,
            "name": str(node.get("name") or "")[:80],
            "matrix": matrix,
            "translation": np.array(floats(node.get("translation"), 3, (0, 0, 0))),
            "rotation": np.array(floats(node.get("rotation"), 4, (0, 0, 0, 1))),
            "scale": np.array(floats(node.get("scale"), 3, (1, 1, 1))),
            "weights": np.zeros(0),
        }

    def _figure(self, clips: list[Clip]) -> dict[str, Any]:
        """As ``figure.Figure`` takes it: nodes by their places from above downwards."""
        places = {number: at for at, number in enumerate(self.nodes)}
        nodes = [{**one, "parent": places.get(one["parent"], -1)} for one in self.nodes.values()]
        for skin in self.skins.values():
            skin["joints"] = [places[one] for one in skin["joints"]]
        numbers = {number: at for at, number in enumerate(self.skins)}
        limbs = [{**one, "node": places[one["node"]], "skin": numbers.get(one["skin"], -1)} for one in self.limbs]
        told = [
            {
                "name": clip.name,
                "seconds": clip.seconds,
                "channels": [
                    (places[one.node], one.path, one.times, one.values, one.interpolation)
                    for one in clip.channels
                    if one.node in places
                ],
            }
            for clip in clips
        ]
        return {"nodes": nodes, "limbs": limbs, "skins": list(self.skins.values()), "clips": told}

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
        roughness, metalness = share(plain.get("roughnessFactor", 1), 1.0), share(plain.get("metallicFactor", 1), 1.0)
        shown = plain.get("baseColorTexture")
        if isinstance(more.get(GLOSSY), dict) and not plain:
            (red, green, blue), alpha, roughness, metalness, shown = glossy(more[GLOSSY])
            if more[GLOSSY].get("specularGlossinessTexture") is not None:
                self.model.note("pictures of gloss")
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
        coloured, surface, bumps, lit = self._pictures(
            [shown, plain.get("metallicRoughnessTexture"), *map(own.get, _MORE_PICTURES)]
        )
        pictures = (coloured, surface, surface, bumps, lit)
        if bumps >= 0 and own["normalTexture"].get("scale", 1) != 1:
            self.model.note("how high bumps are: as their picture says")
        cutoff = share(own.get("alphaCutoff", 0.5), 0.5) / max(alpha, 1e-6)
        masked = f"m{min(max(round(100 * cutoff), 1), 99)}"
        meaning = {"BLEND": "a", "MASK": masked}.get(mode, "") if pictures[0] >= 0 else ""
        if own.get("occlusionTexture"):
            self.model.note("pictures of occlusion: it is worked out instead")
        return Material(
            str(own.get("name") or f"material {number}")[:80],
            (red, green, blue),
            roughness,
            metalness,
            opacity,
            (vivid[0], vivid[1], vivid[2]),
            share(coat.get("clearcoatFactor", 0), 0.0),
            share(coat.get("clearcoatRoughnessFactor", 0), 0.0),
            "KHR_materials_unlit" in more,
            own.get("doubleSided") is True,
            pictures,
            meaning,
            surface >= 0,
        )

    def _pictures(self, textures: list[Any]) -> list[int]:
        """Numbers of the pictures that textures of a material show, as far as they lie alike."""
        found = [self._picture(texture) for texture in textures]
        ways = [laid(texture) if number >= 0 else None for number, texture in zip(found, textures, strict=True)]
        own = next((way for way in ways if way is not None), Laid(0))
        self.laid.append(own)
        self.go_on.append(all(goes_on(self.file, one) for at, one in zip(found, textures, strict=True) if at >= 0))
        for at, way in enumerate(ways):
            if way is not None and way != own:
                self.model.note("a picture that lies otherwise than the first one of its surface")
                found[at] = -1
        return found

    def _picture(self, texture: Any) -> int:
        """Number of the picture inside the file that a texture shows; -1 for none."""
        if not isinstance(texture, dict):
            return -1
        own = self.file.get("textures", texture.get("index"))
        more = own.get("extensions")
        webp = more.get(WEBP) if isinstance(more, dict) else None
        source = own.get("source", webp.get("source") if isinstance(webp, dict) else None)
        if source is None:
            self.model.note("a picture of a kind that is not read")
            return -1
        self.file.get("images", source)
        return self.file.whole(source)

    def _mesh(self, number: int, node: dict[str, Any]) -> None:
        mesh = self.file.get("meshes", node["mesh"])
        primitives = mesh.get("primitives")
        if not isinstance(primitives, list):
            raise self.model.damaged(f"mesh {node['mesh']} has no primitives")
        weights = node.get("weights", mesh.get("weights", []))
        more = mesh.get("extras")
        names = more.get("targetNames", []) if isinstance(more, dict) else []
        self.targets = [str(one)[:60] for one in names] if isinstance(names, list) else []
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
        unpack(self.file, primitive)
        points = self._values(attributes["POSITION"], 3)
        normals = self._values(attributes["NORMAL"], 3, len(points)) if "NORMAL" in attributes else None
        own_points, own_normals = points, normals
        points, normals = self._morphed(primitive, weights, points, normals)
        corners = self._corners(primitive, mode, len(points))
        material = primitive.get("material", -1)
        if material != -1:
            self.file.get("materials", material)
        shares, own = None, self.laid[material] if material != -1 else Laid(0)
        if f"TEXCOORD_{own.places}" in attributes:
            shares = own.of(self._values(attributes[f"TEXCOORD_{own.places}"], 2, len(points)))[corners]
            if material != -1 and not self.go_on[material] and np.abs(shares - 0.5).max(initial=0) > _WITHIN:
                self.model.note("that a picture ends at its borders: it goes on")
        colours = None
        if "COLOR_0" in attributes:
            # Light, not encoded (section 3.7.2.1).
            colours = np.clip(self._values(attributes["COLOR_0"], 3, len(points)), 0, 1)[corners].astype(np.float32)
        matrix = self.standing[number]
        placed, turned = self._skinned(node, attributes, points, normals)
        flipped = False
        if placed is None:
            placed = put(matrix, points)
            linear = matrix[:3, :3]
            # Normals go through the cofactor matrix.
            cofactors = np.stack(
                [np.cross(linear[1], linear[2]), np.cross(linear[2], linear[0]), np.cross(linear[0], linear[1])]
            )
            turned = None if normals is None else normals @ cofactors.T
            if np.linalg.det(linear) < 0:
                flipped = True
                corners = corners[:, ::-1]
                shares = None if shares is None else shares[:, ::-1]
                colours = None if colours is None else colours[:, ::-1]
                turned = None if turned is None else -turned
        before = len(self.model.parts)
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
        if len(self.model.parts) > before:
            self._hang(number, node, primitive, weights, own_points, own_normals, corners, flipped)

    def _hang(
        self,
        number: int,
        node: dict[str, Any],
        primitive: dict[str, Any],
        weights: list[Any],
        points: Floats,
        normals: Floats | None,
        corners: NDArray[np.int64],
        flipped: bool,
    ) -> None:
        """Keep what a part was before anything moved it."""
        attributes = primitive["attributes"]
        joints, shares = self._hung(attributes, len(points)) if _is_skinned(node, attributes) else (None, None)
        targets = []
        given = primitive.get("targets", [])
        for target in given if isinstance(given, list) else []:
            own = target if isinstance(target, dict) else {}
            by = self._values(own["POSITION"], 3, len(points)) if "POSITION" in own else None
            turn = self._values(own["NORMAL"], 3, len(points)) if "NORMAL" in own and normals is not None else None
            targets.append((by, turn))
        self.nodes[number]["weights"] = np.array(
            [floats([one], 1, (0.0,))[0] for one in weights] or np.zeros(0), np.float64
        )
        self.limbs.append(
            {
                "node": number,
                "skin": self.file.whole(node["skin"]) if joints is not None else -1,
                "points": points,
                "normals": normals,
                "corners": np.ascontiguousarray(corners, np.int64),
                "flipped": flipped,
                "targets": targets,
                "target_names": self.targets,
                "joints": joints,
                "shares": shares,
            }
        )

    def _hung(self, attributes: dict[str, Any], count: int) -> tuple[NDArray[np.int64], Floats]:
        """The joints that points hang on, and the shares of each [V, 4 or 8, 12 …]: all sets that there are."""
        joints, shares = [], []
        for number in range(_MOST_SETS):
            if not _has_joints(attributes, number):
                break
            joints.append(self._values(attributes[f"JOINTS_{number}"], 4, count).astype(np.int64))
            shares.append(self._values(attributes[f"WEIGHTS_{number}"], 4, count))
        return np.concatenate(joints, axis=1), np.concatenate(shares, axis=1)

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
        if not _is_skinned(node, attributes):
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
        self.skins.setdefault(self.file.whole(node["skin"]), {"joints": list(joints), "inverse": np.array(inverse)})
        for at, joint in enumerate(joints):
            if joint not in self.standing:
                raise self.model.damaged("a joint of a skin is not in the scene")
            matrices[at] = self.standing[joint] @ inverse[at]
        which, share_of = self._hung(attributes, len(points))
        if len(which) and int(which.max()) >= len(joints):
            raise self.model.damaged("a point hangs on a joint that is not there")
        total = share_of.sum(axis=1, keepdims=True)
        share_of = share_of / np.where(total > 0, total, 1)
        whole = np.einsum("vk,vkij->vij", share_of, matrices[which])
        placed = np.einsum("vij,vj->vi", whole[:, :3, :3], points) + whole[:, :3, 3]
        turned = None if normals is None else np.einsum("vij,vj->vi", whole[:, :3, :3], normals)
        return placed, turned


def _has_joints(attributes: dict[str, Any], number: int) -> bool:
    return {f"JOINTS_{number}", f"WEIGHTS_{number}"} <= set(attributes)


def _is_skinned(node: dict[str, Any], attributes: dict[str, Any]) -> bool:
    return "skin" in node and _has_joints(attributes, 0)


def read(data: bytes, model: PlainModel) -> None:
    """A part for each primitive, where its node stands; and what poses need."""
    _Reader(data, model).read()


def picture(data: bytes, model: PlainModel, number: int) -> bytes:
    """The bytes of a picture inside the file or beside it; ModelError if there is none."""
    file = File(data, model)
    own = file.get("images", number)
    if "bufferView" in own:
        return file.view(own["bufferView"])[0]
    return file.inside(own.get("uri"), f"picture {number}")
