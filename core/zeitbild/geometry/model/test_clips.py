"""Clips of models: samplers against scipy and against the formulas of glTF 2.0 (appendix C), poses against what is worked out here; colours of
corners, and models that come with the files that they name."""

import io
import unittest
import zipfile
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from scipy.interpolate import CubicHermiteSpline
from scipy.spatial.transform import Rotation, Slerp

from zeitbild.colour import decode
from zeitbild.errors import InputError, LimitError
from zeitbild.geometry.model.clips import Channel
from zeitbild.geometry.model.figure import Played
from zeitbild.geometry.model.reading import read_model_data
from zeitbild.geometry.model.standing import COLOURS, Placing, Shapes
from zeitbild.geometry.model.test_model import FACES, POINTS, model_of, simple
from zeitbild.isolation.marking import inside
from zeitbild.models.make import Writer


def _posed(data: bytes, clip: str, seconds: float) -> list[tuple[NDArray[np.float64], NDArray[np.float32] | None]]:
    """Points and normals of all parts where a clip has them."""
    figure = model_of(data).figure
    assert figure is not None
    return figure.posed([Played(clip, seconds)], {}, np.array([0.0, 1, 0]))


class Samplers(unittest.TestCase):
    def setUp(self) -> None:
        rng = np.random.default_rng(4)
        self.times = np.cumsum(rng.uniform(0.1, 0.9, 7))
        self.values = rng.normal(size=(7, 3))
        self.looked = rng.uniform(self.times[0], self.times[-1], 50)

    def test_straight_and_held_and_beyond_the_ends(self) -> None:
        straight = Channel(0, "translation", self.times, self.values, "LINEAR")
        held = Channel(0, "translation", self.times, self.values, "STEP")
        for at in self.looked:
            wanted = [np.interp(at, self.times, self.values[:, k]) for k in range(3)]
            np.testing.assert_allclose(straight.at(at), wanted, atol=1e-12)
            np.testing.assert_array_equal(held.at(at), self.values[np.searchsorted(self.times, at, "right") - 1])
        for one in (straight, held):
            np.testing.assert_array_equal(one.at(-1), self.values[0])
            np.testing.assert_array_equal(one.at(99), self.values[-1])
            np.testing.assert_array_equal(one.at(float(self.times[3])), self.values[3])

    def test_cubic_splines(self) -> None:
        rng = np.random.default_rng(5)
        # The outgoing tangent of a key need not be the incoming one.
        rows = rng.normal(size=(7, 3, 3))
        channel = Channel(0, "scale", self.times, rows.reshape(21, 3), "CUBICSPLINE")
        for at in self.looked:
            k = int(np.searchsorted(self.times, at, "right")) - 1
            spline = CubicHermiteSpline(self.times[k : k + 2], rows[k : k + 2, 1], [rows[k, 2], rows[k + 1, 0]])
            np.testing.assert_allclose(channel.at(at), spline(at), atol=1e-12)

    def test_rotations_take_the_shorter_way(self) -> None:
        quaternions = Rotation.random(7, random_state=3).as_quat()
        quaternions[2] *= -1
        channel = Channel(0, "rotation", self.times, quaternions, "LINEAR")
        known = Slerp(self.times, Rotation.from_quat(quaternions))
        for at in self.looked:
            apart = (Rotation.from_quat(channel.at(at)).inv() * known(at)).magnitude()
            self.assertLess(float(apart), 1e-6)
        for value in (channel.at(0.0), channel.at(float(self.looked[0]))):
            self.assertAlmostEqual(float(np.linalg.norm(value)), 1, places=12)


def _swinging() -> bytes:
    """A tetrahedron that turns about z by a quarter in a second, rises by 2, and takes the shape of a target half way."""
    writer = simple(POINTS, FACES)
    target = writer.accessor(np.array([[0, 0, 0], [1, 0, 0], [0, 0, 0], [0, 0, 0]], np.float32), "VEC3")
    document = writer.document
    document["meshes"][0]["primitives"][0]["targets"] = [{"POSITION": target}]
    document["meshes"][0]["weights"] = [0.0]
    document["nodes"][0]["name"] = "tail"
    half = np.sin(np.pi / 4)
    document["animations"] = [
        {
            "name": "wag",
            "samplers": [
                _sampler(writer, [0, 1], np.array([[0, 0, 0, 1], [0, 0, half, half]]), "VEC4"),
                _sampler(writer, [0, 1], np.array([[0, 0, 0], [0, 2, 0]]), "VEC3"),
                _sampler(writer, [0, 1], np.array([[0.0], [1.0]]), "SCALAR"),
            ],
            "channels": [
                {"sampler": at, "target": {"node": 0, "path": path}}
                for at, path in enumerate(("rotation", "translation", "weights"))
            ],
        },
        {"channels": [], "samplers": []},
    ]
    return writer.glb()


def _sampler(writer: Writer, times: list[float], values: NDArray[Any], kind: str) -> dict[str, Any]:
    return {
        "input": writer.accessor(np.array(times, np.float32)[:, None], "SCALAR"),
        "output": writer.accessor(values.astype(np.float32), kind),
    }


class Poses(unittest.TestCase):
    def test_nodes_and_targets_stand_where_the_clip_has_them(self) -> None:
        data = _swinging()
        self.assertEqual(model_of(data).clips, (("wag", 1.0), ("clip 2", 0.0)))
        for seconds in (0.0, 0.25, 0.5, 1.0, 7.0):
            u = min(seconds, 1.0)
            angle = u * np.pi / 2
            turn = np.array([[np.cos(angle), -np.sin(angle), 0], [np.sin(angle), np.cos(angle), 0], [0, 0, 1]])
            points = POINTS.astype(float) + u * np.array([[0, 0, 0], [1, 0, 0], [0, 0, 0], [0, 0, 0]])
            ((own, _),) = _posed(data, "wag", seconds)
            np.testing.assert_allclose(own, points @ turn.T + [0, 2 * u, 0], atol=1e-6)

    def test_it_keeps_size_and_place_of_the_model_at_rest(self) -> None:
        data = _swinging()
        rest = model_of(data)
        placing = Placing(100, "y", "on its foot")
        shapes = Shapes(rest, placing, frozenset())
        (still,) = shapes.at_rest().values()
        (moved,) = shapes.posed(_posed(data, "wag", 1.0)).values()
        # Two of its units up, of which a hundred make one.
        self.assertAlmostEqual(float(moved.bounds[0, 1] - still.bounds[0, 1]), 200, places=3)

    def test_broken_clips_are_refused(self) -> None:
        for what, change in (
            ("do not rise", lambda one: one["samplers"][0].update(input=one["samplers"][2]["output"] - 1)),
            ("not there", lambda one: one["channels"][0].update(sampler=9)),
            ("do not fit", lambda one: one["channels"][0]["target"].update(path="scale")),
            ("not there", lambda one: one["channels"][0]["target"].update(node=5)),
        ):
            writer = simple(POINTS, FACES)
            animation = {
                "samplers": [
                    _sampler(writer, [0, 1], np.array([[0, 0, 0, 1], [0, 0, 0, 1]]), "VEC4"),
                    _sampler(writer, [0, 0], np.array([[0, 0, 0], [0, 2, 0]]), "VEC3"),
                    _sampler(writer, [0, 1], np.array([[0.0], [1.0]]), "SCALAR"),
                ],
                "channels": [{"sampler": 0, "target": {"node": 0, "path": "rotation"}}],
            }
            if what == "do not rise":
                animation["channels"] = [{"sampler": 1, "target": {"node": 0, "path": "translation"}}]
            else:
                change(animation)
            writer.document["animations"] = [animation]
            with self.subTest(what), self.assertRaisesRegex(InputError, what):
                model_of(writer.glb())


class Colours(unittest.TestCase):
    def test_corners_colours_run_straight_over_each_triangle(self) -> None:
        rng = np.random.default_rng(8)
        writer = simple(POINTS, FACES)
        colours = rng.random((4, 3)).astype(np.float32)
        writer.document["meshes"][0]["primitives"][0]["attributes"]["COLOR_0"] = writer.accessor(colours, "VEC3")
        model = model_of(writer.glb())
        picture = model.colours[COLOURS]
        (part,) = model.parts
        assert part.unwrapped is not None
        height, width = picture.shape[:2]
        for triangle, places in zip(part.triangles, part.unwrapped, strict=True):
            for _ in range(20):
                share = rng.dirichlet((1, 1, 1))
                x, y = (share @ places) * (width, height) - 0.5
                # Bilinear, by hand.
                left, top = int(np.floor(x + 1e-9)), int(np.floor(y + 1e-9))
                fx, fy = x - left, y - top
                rows = picture[top : top + 2, left : left + 2]
                if rows.shape[1] < 2:
                    rows = np.concatenate([rows, rows], axis=1)
                if rows.shape[0] < 2:
                    rows = np.concatenate([rows, rows], axis=0)
                seen = (rows[0, 0] * (1 - fx) + rows[0, 1] * fx) * (1 - fy) + (
                    rows[1, 0] * (1 - fx) + rows[1, 1] * fx
                ) * fy
                np.testing.assert_allclose(seen, share @ colours[triangle], atol=2e-5)

    def test_ply_colours_are_encoded_and_belong_to_their_points(self) -> None:
        text = "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
        text += "property uchar red\nproperty uchar green\nproperty uchar blue\nelement face 1\n"
        text += (
            "property list uchar int vertex_indices\nend_header\n0 0 0 255 0 0\n1 0 0 0 128 0\n0 1 0 0 0 64\n3 0 1 2\n"
        )
        model = model_of(text.encode())
        (part,) = model.parts
        assert part.colours is not None
        wanted = decode(np.array([[255, 0, 0], [0, 128, 0], [0, 0, 64]]) / 255)
        np.testing.assert_allclose(part.colours[0], wanted, atol=1e-6)
        self.assertEqual((model.notes, list(model.colours)), ((), [COLOURS + 1]))


_OBJ = b"mtllib My Wood.mtl\no crate\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl planks\nf 1/1 2/2 3/3\n"
_MTL = b"newmtl planks\nKd 0.5 0.25 0.125\nNs 98\nd 0.5\nKe 0 0 1\nmap_Kd textures\\Planks.PNG\nmap_Ks shine.png\n"


def _bundle(**files: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, data in files.items():
            packed.writestr(name, data)
    return out.getvalue()


def _png() -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (4, 4), (10, 200, 30)).save(out, "PNG")
    return out.getvalue()


class Bundles(unittest.TestCase):
    def test_an_obj_with_its_materials_and_pictures(self) -> None:
        data = _bundle(**{"a/crate.obj": _OBJ, "a/my wood.mtl": _MTL, "a/textures/planks.png": _png()})
        model = model_of(data)
        (material,) = model.materials
        self.assertEqual((material.name, material.colour, material.opacity), ("planks", (0.5, 0.25, 0.125), 0.5))
        self.assertAlmostEqual(material.roughness, np.sqrt(2 / 100))
        self.assertEqual((material.vivid, material.pictures), ((0, 0, 1), (0, -1, -1, -1, -1)))
        self.assertEqual(len(model.notes), 1)
        self.assertIn("map_ks", model.notes[0])
        alone = model_of(_OBJ)
        self.assertIn("bring both together", alone.notes[0])
        without = model_of(_bundle(**{"crate.obj": _OBJ, "My Wood.mtl": _MTL}))
        self.assertEqual(without.materials[0].pictures[0], -1)
        self.assertTrue(any("Planks.PNG" in note for note in without.notes))

    def test_a_gltf_with_its_buffer_beside_it(self) -> None:
        writer = simple(POINTS, FACES)
        glb = writer.glb()
        whole = model_of(glb)
        size = int.from_bytes(glb[12:16], "little")
        import json

        document = json.loads(glb[20 : 20 + size])
        binary = glb[20 + size + 8 :]
        document["buffers"][0]["uri"] = "my%20data.bin"
        text = json.dumps(document).encode()
        found = model_of(_bundle(**{"scene.gltf": text, "my data.bin": binary}))
        np.testing.assert_array_equal(found.parts[0].points, whole.parts[0].points)
        with self.assertRaisesRegex(InputError, "bring both together"):
            model_of(text)
        with self.assertRaisesRegex(InputError, "bring both together"):
            model_of(_bundle(**{"scene.gltf": text, "other.bin": binary}))

    def test_what_means_harm_or_is_none(self) -> None:
        from unittest import mock

        from zeitbild.geometry.model import bundle

        with self.assertRaisesRegex(InputError, "no model"):
            model_of(_bundle(**{"readme.txt": b"x"}))
        data = _bundle(**{"a.obj": _OBJ})
        for part in range(1, 10):
            with self.assertRaises(InputError):
                inside(read_model_data)(data[: len(data) * part // 10], "x")
        with mock.patch.object(bundle, "MAX_MODEL_BYTES", 1000), self.assertRaises(LimitError):
            model_of(_bundle(**{"a.obj": b"v 0 0 0\n" * 10_000}))
