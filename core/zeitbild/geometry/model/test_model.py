"""Models: every kind of file against an independent reader, what glTF says of nodes, accessors, skins and targets against formulas, and files
that are broken or mean harm."""

import io
import json
import math
import struct
import tempfile
import unittest
from pathlib import Path
from typing import Any

import DracoPy
import numpy as np
import trimesh
from numpy.typing import NDArray

from zeitbild.errors import InputError, LimitError, ModelError
from zeitbild.geometry.mesh import Mesh
from zeitbild.geometry.model.gltf_file import DRACO, GLOSSY, LAID
from zeitbild.geometry.model.reading import read_model_data
from zeitbild.geometry.model.standing import Model, Placing, meshes_of
from zeitbild.geometry.solids import ball, column, ring
from zeitbild.isolation.marking import inside
from zeitbild.models.make import Writer, buoy

_read = inside(read_model_data)


def _solid() -> trimesh.Trimesh:
    """A ring with a column beside it: two bodies, one of them with a hole."""
    meshes = [ring(10, 2, 8, 12, 8), column(3, 0.4, 5, 3, 0.3, 8, 4)]
    moved = [
        trimesh.Trimesh(mesh.vertices + (9 * at, 1, 2), mesh.triangles, process=False) for at, mesh in enumerate(meshes)
    ]
    joined = trimesh.util.concatenate(moved)
    assert isinstance(joined, trimesh.Trimesh)
    return joined


def model_of(data: bytes, label: str = "x") -> Model:
    return Model(_read(data, label), label)


def whole(model: Model, **more: Any) -> Mesh:
    """The only mesh of a model at its own size, about its own origin."""
    points = np.concatenate([part.points[np.unique(part.triangles)] for part in model.parts])
    size = float(np.ptp(points, axis=0).max())
    placing = Placing(size, **{"up": "y", "stands": "about its own origin", **more})
    (mesh,) = meshes_of(model, placing, frozenset()).values()
    return mesh


def simple(points: NDArray[Any], triangles: NDArray[Any], **more: Any) -> Writer:
    """A GLB of one mesh."""
    writer = Writer()
    primitive = {
        "attributes": {"POSITION": writer.accessor(points.astype(np.float32), "VEC3")},
        "indices": writer.accessor(triangles.astype(np.uint32).reshape(-1), "SCALAR"),
        **more,
    }
    writer.document |= {"meshes": [{"primitives": [primitive]}], "nodes": [{"mesh": 0}], "scenes": [{"nodes": [0]}]}
    return writer


#: A tetrahedron.
POINTS = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1]], np.float32)
FACES = np.array([[0, 2, 1], [0, 1, 3], [0, 3, 2], [1, 2, 3]], np.uint32)


class AgainstAnIndependentReader(unittest.TestCase):
    def test_volume_area_and_box_of_every_kind(self) -> None:
        solid = _solid()
        for kind, options in (
            ("stl", {}),
            ("stl_ascii", {}),
            ("ply", {}),
            ("ply", {"encoding": "ascii"}),
            ("obj", {}),
            ("glb", {}),
        ):
            data = solid.export(file_type=kind, **options)
            data = data.encode() if isinstance(data, str) else data
            known = trimesh.load(io.BytesIO(data), file_type=kind.partition("_")[0], force="mesh")
            assert isinstance(known, trimesh.Trimesh)
            with self.subTest(kind=kind, **options):
                mesh = whole(model_of(data))
                self.assertTrue(mesh.closed)
                self.assertEqual(mesh.open_edges(), 0)
                self.assertAlmostEqual(mesh.volume() / known.volume, 1, places=5)
                a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
                area = float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)
                self.assertAlmostEqual(area / known.area, 1, places=5)
                np.testing.assert_allclose(mesh.bounds, known.bounds, atol=1e-4)

    def test_a_tree_of_nodes_stands_where_it_stands(self) -> None:
        scene = trimesh.Scene()
        turned = trimesh.transformations.rotation_matrix(0.7, (1, 2, 3), (4, 5, 6))
        box = trimesh.creation.box((1, 2, 3))
        scene.add_geometry(box, "a", "a", transform=turned)
        scene.add_geometry(
            box,
            "b",
            "b",
            parent_node_name="a",
            transform=trimesh.transformations.scale_and_translate((2, 1, -3), (5, 0, 1)),
        )
        data = scene.export(file_type="glb")
        known = trimesh.load(io.BytesIO(data), file_type="glb").to_geometry()
        mesh = whole(model_of(data))
        np.testing.assert_allclose(mesh.bounds, known.bounds, atol=1e-4)
        self.assertAlmostEqual(mesh.volume(), 6 + 36, places=3)


class Geometry(unittest.TestCase):
    def test_files_without_normals_are_smooth_up_to_the_bend_that_is_sharp(self) -> None:
        round_ = ball(2, 2, 2, 24)
        data = trimesh.Trimesh(round_.vertices, round_.triangles, process=False).export(file_type="stl")
        mesh = whole(model_of(data))
        true = mesh.vertices[mesh.triangles] / np.linalg.norm(mesh.vertices[mesh.triangles], axis=2, keepdims=True)
        self.assertGreater(float((mesh.normals * true).sum(axis=2).min()), math.cos(math.radians(3)))
        self.assertEqual(len(np.unique(mesh.patches)), 1)
        box = whole(model_of(trimesh.creation.box((1, 2, 3)).export(file_type="stl")))
        self.assertEqual(len(np.unique(box.patches)), 6)
        np.testing.assert_allclose(np.abs(box.normals).max(axis=2), 1, atol=1e-6)
        soft = whole(model_of(trimesh.creation.box((1, 2, 3)).export(file_type="stl")), crease=100)
        self.assertEqual(len(np.unique(soft.patches)), 1)

    def test_up_size_and_pivot(self) -> None:
        data = trimesh.creation.box(bounds=((1, 2, 3), (2, 4, 7))).export(file_type="stl")
        model = model_of(data)
        self.assertEqual(model.up, "z")
        (mesh,) = meshes_of(model, Placing(400, stands="on its foot"), frozenset()).values()
        # z is up: one wide, four high, two deep; a hundred units for one.
        np.testing.assert_allclose(mesh.bounds, [[-50, 0, -100], [50, 400, 100]], atol=1e-9)
        self.assertGreater(mesh.volume(), 0)
        (mesh,) = meshes_of(model, Placing(4, up="x", stands="about its own origin"), frozenset()).values()
        np.testing.assert_allclose(mesh.bounds, [[-4, 1, 3], [-2, 2, 7]], atol=1e-9)
        self.assertGreater(mesh.volume(), 0)

    def test_parts_are_hidden_by_name_and_move_nothing(self) -> None:
        model = model_of(buoy())
        self.assertEqual([part.name for part in model.parts], ["buoy/body", "buoy/band", "buoy/tower", "buoy/lamp"])
        self.assertEqual([one.name for one in model.materials], ["red", "band", "lamp"])
        every = meshes_of(model, Placing(300), frozenset())
        fewer = meshes_of(model, Placing(300), frozenset({"buoy/band", "no such part"}))
        self.assertEqual(set(every) - set(fewer), {1})
        np.testing.assert_array_equal(every[2].vertices, fewer[2].vertices)
        with self.assertRaisesRegex(InputError, "hidden"):
            meshes_of(model, Placing(300), frozenset(part.name for part in model.parts))

    def test_what_has_no_area_is_left_out_and_many_corners_are_cut(self) -> None:
        text = b"v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0 0\nf 1 2 3 4\nf 1 2 5\nf -5 -4 -3\n"
        mesh = whole(model_of(text))
        self.assertEqual(len(mesh.triangles), 3)


class Gltf(unittest.TestCase):
    """Against the formulas of the glTF 2.0 specification."""

    def test_quantised_sparse_and_interleaved_accessors(self) -> None:
        # Section 3.6.2.2: a normalised short is c / 32767; section 3.6.2.3: sparse values replace those they name.
        writer = simple(POINTS, FACES)
        quantised = np.zeros((4, 4), np.int16)
        quantised[:, :3] = (POINTS * 32767).astype(np.int16)
        view = writer.view(quantised.tobytes(), 8)
        writer.document["accessors"][0] = {
            "bufferView": view,
            "componentType": 5122,
            "normalized": True,
            "count": 4,
            "type": "VEC3",
            "sparse": {
                "count": 1,
                "indices": {"bufferView": writer.view(np.array([3], np.uint8).tobytes()), "componentType": 5121},
                "values": {"bufferView": writer.view(np.array([0, 0, -32767], np.int16).tobytes())},
            },
        }
        mesh = whole(model_of(writer.glb()))
        np.testing.assert_allclose(mesh.bounds, [[0, 0, -1], [1, 1, 0]], atol=1e-9)

    def test_strips_and_fans(self) -> None:
        corners = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0], [0, 2, 0]], np.float32)
        for mode, count in ((5, 3), (6, 3)):
            mesh = whole(model_of(simple(corners, np.arange(5), mode=mode).glb()))
            self.assertEqual(len(mesh.triangles), count)
        strip = whole(model_of(simple(corners, np.arange(5), mode=5).glb()))
        a, b, c = (strip.vertices[strip.triangles[:, k]] for k in range(3))
        self.assertTrue((np.cross(b - a, c - a)[:, 2] > 0).all())

    def test_a_skin_stands_where_its_joints_do(self) -> None:
        # Section 3.7.3.1: a point is moved by the weighted sum of joint x inverse bind matrix; the node's own place is nothing to it.
        writer = simple(POINTS, FACES)
        joints = np.array([[0, 1, 0, 0]] * 4, np.uint8)
        weights = np.array([[1, 0, 0, 0], [0.5, 0.5, 0, 0], [0, 1, 0, 0], [0.25, 0.75, 0, 0]], np.float32)
        attributes = writer.document["meshes"][0]["primitives"][0]["attributes"]
        attributes |= {"JOINTS_0": writer.accessor(joints, "VEC4"), "WEIGHTS_0": writer.accessor(weights, "VEC4")}
        bind = np.stack([np.eye(4), np.eye(4)]).astype(np.float32)
        bind[1, 3, :3] = (0, 0, -5)
        skin = {"joints": [1, 2], "inverseBindMatrices": writer.accessor(bind.reshape(2, 16), "MAT4")}
        half = math.sqrt(0.5)
        writer.document |= {
            "skins": [skin],
            "nodes": [
                {"mesh": 0, "skin": 0, "translation": [100, 0, 0]},
                {"translation": [10, 0, 0]},
                {"rotation": [0, 0, half, half], "translation": [0, 0, 5]},
            ],
            "scenes": [{"nodes": [0, 1, 2]}],
        }
        placed = model_of(writer.glb()).parts[0].points
        turned = np.stack([-POINTS[:, 1], POINTS[:, 0], POINTS[:, 2]], axis=1)
        first = weights[:, :1].astype(float)
        np.testing.assert_allclose(placed, first * (POINTS + (10, 0, 0)) + (1 - first) * turned, atol=1e-6)

    def test_targets_move_points_by_their_weights(self) -> None:
        writer = simple(POINTS, FACES)
        primitive = writer.document["meshes"][0]["primitives"][0]
        primitive["targets"] = [{"POSITION": writer.accessor(np.tile(np.float32([0, 2, 0]), (4, 1)), "VEC3")}]
        writer.document["meshes"][0]["weights"] = [0.25]
        np.testing.assert_allclose(model_of(writer.glb()).parts[0].points, POINTS + (0, 0.5, 0))

    def test_mirrored_nodes_still_face_outwards(self) -> None:
        writer = simple(POINTS, FACES)
        writer.document["nodes"][0]["scale"] = [-1, 1, 1]
        mesh = whole(model_of(writer.glb()))
        self.assertTrue(mesh.closed)
        self.assertAlmostEqual(mesh.volume(), 1 / 6, places=6)

    def test_materials(self) -> None:
        writer = simple(POINTS, FACES, material=0)
        writer.document["materials"] = [
            {
                "name": "glass",
                "pbrMetallicRoughness": {"baseColorFactor": [0.2, 0.4, 0.6, 0.5], "roughnessFactor": 0.1},
                "alphaMode": "BLEND",
                "emissiveFactor": [0.5, 0, 0],
                "doubleSided": True,
                "extensions": {
                    "KHR_materials_emissive_strength": {"emissiveStrength": 4},
                    "KHR_materials_clearcoat": {"clearcoatFactor": 0.7, "clearcoatRoughnessFactor": 0.2},
                },
            }
        ]
        own = model_of(writer.glb()).materials[0]
        self.assertEqual((own.name, own.colour, own.opacity, own.roughness), ("glass", (0.2, 0.4, 0.6), 0.5, 0.1))
        # Section 5.22: metalness is 1 where nothing is said.
        self.assertEqual((own.metalness, own.vivid, own.coat, own.coat_roughness), (1.0, (2.0, 0, 0), 0.7, 0.2))
        self.assertFalse(whole(model_of(writer.glb())).closed)

    def _with_picture(self, **texture: Any) -> Writer:
        writer = simple(POINTS, FACES, material=0)
        attributes = writer.document["meshes"][0]["primitives"][0]["attributes"]
        for number, places in enumerate((POINTS[:, :2], POINTS[:, 1:])):
            attributes[f"TEXCOORD_{number}"] = writer.accessor(np.ascontiguousarray(places), "VEC2")
        plain = {"baseColorTexture": {"index": 0, **texture}}
        more = {"materials": [{"pbrMetallicRoughness": plain}], "textures": [{"source": 0}]}
        writer.document |= more | {"images": [{"uri": "data:image/png;base64,"}]}
        return writer

    def _lies(self, writer: Writer) -> NDArray[Any]:
        (part,) = model_of(writer.glb()).parts
        assert part.unwrapped is not None
        return part.unwrapped

    def test_how_pictures_lie(self) -> None:
        """KHR_texture_transform, its example (from memory): the lower left quarter of the picture, turned with the clock by a right angle. Down is
        the second number."""
        own = {"offset": [0, 1], "rotation": math.pi / 2, "scale": [0.5, 0.5]}
        lies = self._lies(self._with_picture(extensions={LAID: own}))
        u, v = POINTS[FACES][..., 0], POINTS[FACES][..., 1]
        # What is seen at the upper right is the quarter's upper left; at the upper left its lower left.
        np.testing.assert_allclose(lies, np.stack([v / 2, 1 - u / 2], axis=-1), atol=1e-6)
        for texture in ({"texCoord": 1}, {"texCoord": 0, "extensions": {LAID: {"texCoord": 1}}}):
            np.testing.assert_allclose(self._lies(self._with_picture(**texture)), POINTS[FACES][..., 1:], atol=1e-6)
        self.assertEqual(model_of(self._with_picture(texCoord=5).glb()).parts[0].unwrapped, None)
        # Numbers that are none change nothing.
        odd = self._with_picture(extensions={LAID: {"offset": "x", "rotation": None, "scale": [1]}})
        np.testing.assert_allclose(self._lies(odd), POINTS[FACES][..., :2], atol=1e-6)

    def test_pictures_that_end_are_told_where_a_mesh_goes_beyond_them(self) -> None:
        told = "that a picture ends at its borders: it goes on"
        for scale, wrap, expected in ((1, 33071, False), (2, 33071, True), (2, 10497, False)):
            writer = self._with_picture(extensions={LAID: {"scale": [scale, scale]}})
            writer.document["textures"][0]["sampler"] = 0
            writer.document["samplers"] = [{"wrapT": wrap}]
            self.assertEqual(told in model_of(writer.glb()).notes, expected, (scale, wrap))
        writer.document["textures"][0]["sampler"] = 3
        with self.assertRaisesRegex(ModelError, "samplers 3"):
            model_of(writer.glb())

    def test_pictures_that_lie_otherwise_are_told(self) -> None:
        writer = self._with_picture()
        writer.document["materials"][0]["normalTexture"] = {"index": 0, "texCoord": 1}
        writer.document["materials"][0]["emissiveTexture"] = {"index": 0}
        model = model_of(writer.glb())
        self.assertEqual(model.materials[0].pictures, (0, -1, -1, -1, 0))
        self.assertIn("a picture that lies otherwise than the first one of its surface", model.notes)

    def test_extensions_that_are_not_read_are_told(self) -> None:
        writer = simple(POINTS, FACES)
        writer.document["extensionsUsed"] = ["KHR_materials_sheen", "KHR_materials_unlit", "KHR_materials_ior"]
        self.assertEqual(model_of(writer.glb()).notes, ("KHR_materials_sheen", "KHR_materials_ior"))

    def test_surfaces_by_their_gloss(self) -> None:
        """Against what metal and roughness scatter and mirror (glTF 2.0, appendix B.3.5): exactly for metals, paint and greys."""
        random = np.random.default_rng(3)
        for metal, grey in ((0.0, False), (1.0, False), (0.3, True), (0.8, True)):
            base = random.uniform(0.2, 0.9, 1 if grey else 3) * np.ones(3)
            scattered, mirrored = base * (1 - 0.04) * (1 - metal), 0.04 + (base - 0.04) * metal
            # Light that is mirrored is not scattered.
            scattered = scattered / (1 - mirrored.max())
            if scattered.max() > 1:
                continue
            own = {"diffuseFactor": [*scattered, 0.7], "specularFactor": list(mirrored), "glossinessFactor": 0.8}
            writer = simple(POINTS, FACES, material=0)
            writer.document["materials"] = [{"extensions": {GLOSSY: own}, "alphaMode": "BLEND"}]
            found = model_of(writer.glb()).materials[0]
            with self.subTest(metal=metal):
                self.assertAlmostEqual(found.metalness, metal, delta=1e-3)
                self.assertAlmostEqual(found.roughness, 0.2)
                self.assertAlmostEqual(found.opacity, 0.7)
                if not grey:
                    np.testing.assert_allclose(found.colour, base, atol=1e-3)
        writer.document["materials"][0]["extensions"][GLOSSY] = {
            "diffuseFactor": [0.1, 0.2, 0.3, 1],
            "specularGlossinessTexture": {"index": 0},
        }
        model = model_of(writer.glb())
        self.assertEqual((model.materials[0].colour, model.materials[0].metalness), ((0.1, 0.2, 0.3), 0.0))
        self.assertIn("pictures of gloss", model.notes)

    def test_json_with_data_inside_is_read_as_glb_is(self) -> None:
        import base64

        data = simple(POINTS, FACES).glb()
        size = int.from_bytes(data[12:16], "little")
        document = json.loads(data[20 : 20 + size])
        binary = data[28 + size :]
        document["buffers"][0]["uri"] = "data:application/octet-stream;base64," + base64.b64encode(binary).decode()
        self.assertEqual(len(model_of(json.dumps(document).encode()).parts[0].triangles), 4)


class Hostile(unittest.TestCase):
    """Read in a process of their own, as in use."""

    def _refused(self, data: bytes, *kinds: type[InputError]) -> str:
        with self.assertRaises(kinds or (ModelError,)) as caught:
            Model(read_model_data(data, "bad.bin"), "bad.bin")
        self.assertIn("bad.bin", caught.exception.message)
        return caught.exception.message

    def _files(self) -> dict[str, bytes]:
        solid = trimesh.creation.box((1, 2, 3))
        found = {}
        for kind, options in (
            ("stl", {}),
            ("stl_ascii", {}),
            ("ply", {}),
            ("ply ascii", {"encoding": "ascii"}),
            ("obj", {}),
            ("glb", {}),
        ):
            data = solid.export(file_type=kind.split()[0], **options)
            found[kind] = data.encode() if isinstance(data, str) else data
        return found

    def test_every_kind_truncated_at_ten_places(self) -> None:
        for kind, data in self._files().items():
            for part in range(10):
                cut = data[: len(data) * part // 10]
                with self.subTest(kind=kind, part=part):
                    if kind == "obj" and b"\nf " in cut and not cut.split(b"\n")[-1].startswith(b"f "):
                        continue
                    try:
                        model = Model(_read(cut, "bad.bin"), "bad.bin")
                    except InputError as error:
                        self.assertIn("bad.bin", error.message)
                    else:
                        # A text of faces that ends between two of them is a smaller model.
                        self.assertEqual(kind, "obj")
                        self.assertTrue(model.parts)

    def test_what_is_no_model(self) -> None:
        for data in (
            b"",
            b"\x89PNG\r\n",
            b"\0" * 200,
            b"<svg/>",
            b"{}",
            b'{"asset": 3}',
            b"glTF",
            b"ply\n",
            b"solid\n",
            b"v 1 2 3",
        ):
            self._refused(data)

    def test_counts_that_are_lies(self) -> None:
        self._refused(b"\0" * 80 + struct.pack("<I", 4_000_000_000) + b"\0" * 50)
        self._refused(
            b"ply\nformat ascii 1.0\nelement vertex 999999999\nproperty float x\nproperty float y\nproperty float z\nend_header\n"
        )
        self._refused(
            b"ply\nformat binary_little_endian 1.0\nelement face 5\nproperty list uint int vertex_indices\nend_header\n"
            + b"\xff" * 64
        )
        for change in (
            {"count": 1_000_000},
            {"count": -1},
            {"count": 10**12},
            {"type": "VEC9"},
            {"componentType": 1},
            {"byteOffset": 7_000},
        ):
            writer = simple(POINTS, FACES)
            writer.document["accessors"][0] |= change
            self._refused(writer.glb(), ModelError, LimitError)

    def test_numbers_that_are_none(self) -> None:
        bad = POINTS.copy()
        for value in (math.nan, math.inf, 1e30):
            bad[1, 1] = value
            self._refused(simple(bad, FACES).glb())
        self._refused(b"v 0 0 nan\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
        writer = simple(POINTS, FACES)
        writer.document["nodes"][0]["scale"] = [1e300, 1e300, 1e300]
        self._refused(writer.glb())

    def test_trees_that_bite_their_tail(self) -> None:
        writer = simple(POINTS, FACES)
        writer.document["nodes"] = [{"mesh": 0, "children": [1]}, {"children": [0]}]
        self._refused(writer.glb())
        writer.document["nodes"] = [{"children": [at + 1]} for at in range(5000)] + [{"mesh": 0}]
        with self.assertRaises(LimitError):
            Model(read_model_data(writer.glb(), "deep"), "deep")

    def test_names_of_what_is_not_there(self) -> None:
        for path, value in (
            (("nodes", 0, "mesh"), 7),
            (("meshes", 0, "primitives", 0, "material"), 3),
            (("scenes", 0, "nodes"), [9]),
            (("meshes", 0, "primitives", 0, "indices"), "x"),
            (("accessors", 0, "bufferView"), 99),
            (("bufferViews", 0, "buffer"), 5),
            (("bufferViews", 0, "byteLength"), 10**9),
        ):
            writer = simple(POINTS, FACES)
            at: Any = writer.document
            for step in path[:-1]:
                at = at[step]
            at[path[-1]] = value
            with self.subTest(path=path):
                self._refused(writer.glb())
        self._refused(simple(POINTS, np.array([[0, 1, 9]])).glb())
        self.assertIn("line 4", self._refused(b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n"))
        self.assertIn("line 4", self._refused(b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 0\n"))

    def test_nothing_beside_the_file_is_read(self) -> None:
        writer = simple(POINTS, FACES)
        data = writer.glb()
        text = data[20 : 20 + int.from_bytes(data[12:16], "little")]
        document = json.loads(text)
        for address in ("../../etc/passwd", "http://example.org/a.bin", "file:///etc/passwd"):
            document["buffers"][0]["uri"] = address
            self.assertIn(address[:12], self._refused(json.dumps(document).encode()))
        document["extensionsRequired"] = ["KHR_texture_basisu"]
        self.assertIn("basisu", self._refused(json.dumps(document).encode()))

    def test_text_that_says_how_it_is_encoded(self) -> None:
        text = "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
        for encoding in ("utf-8-sig", "utf-16"):
            self.assertEqual(len(model_of(text.encode(encoding)).parts[0].triangles), 1, encoding)

    def test_comments_of_ply_that_do_not_say_so(self) -> None:
        head = "ply\nformat ascii 1.0\nCreated by somebody\nelement vertex 3\nproperty float x\nproperty float y\n"
        text = head + "property float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n"
        self.assertEqual(len(model_of((text + "0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n").encode()).parts[0].triangles), 1)

    def test_packed_meshes(self) -> None:
        solid = _solid()
        data = DracoPy.encode(solid.vertices, solid.faces, quantization_bits=16)
        packed = {"bufferView": 0, "attributes": {"POSITION": 0}}

        def file(data: bytes, count: int = len(solid.vertices), unique: Any = 0) -> bytes:
            writer = Writer()
            view = writer.view(data)
            own = {**packed, "bufferView": view, "attributes": {"POSITION": unique}}
            writer.document["accessors"] = [
                {"componentType": 5126, "count": count, "type": "VEC3"},
                {"componentType": 5125, "count": solid.faces.size, "type": "SCALAR"},
            ]
            primitive = {"attributes": {"POSITION": 0}, "indices": 1, "extensions": {DRACO: own}}
            # Two nodes show one mesh.
            nodes = [{"mesh": 0}, {"mesh": 0, "translation": [0, 0, 40]}]
            writer.document |= {"meshes": [{"primitives": [primitive]}], "nodes": nodes, "scenes": [{"nodes": [0, 1]}]}
            writer.document |= {"extensionsUsed": [DRACO], "extensionsRequired": [DRACO]}
            return writer.glb()

        # Encoding joins points that are one.
        count = len(DracoPy.decode(data).points)
        model = model_of(file(data, count))
        self.assertEqual([len(part.triangles) for part in model.parts], [len(solid.faces)] * 2)
        for part in model.parts:
            mesh = trimesh.Trimesh(part.points, part.triangles)
            self.assertAlmostEqual(mesh.area / solid.area, 1, delta=1e-3)
            self.assertAlmostEqual(mesh.volume / solid.volume, 1, delta=1e-3)
        for broken in (
            file(data[:200], count),
            file(b"", count),
            file(data, 7),
            file(data, count, 5),
            file(data, count, "x"),
        ):
            self.assertIn("damaged", self._refused(broken))

    def test_it_is_kept_by_its_path(self) -> None:
        from zeitbild.geometry.model.standing import model_at

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "a")
            path.write_bytes(buoy())
            self.assertIs(model_at(path, "a"), model_at(path, "a"))
