"""Packed views of glTF, against streams that the library of the extension's authors wrote (meshoptimizer 0.2.30 for Python, its versions 0 of
attributes and 1 of triangles): an icosahedron whose faces are parted into four, and a turn."""

import base64
import json
import math
import random
import unittest
from typing import Any

import numpy as np
import trimesh
from numpy.typing import NDArray

from zeitbild.errors import ModelError
from zeitbild.geometry.model.packed_views import MAX_BYTES, MESHOPT, unpacked
from zeitbild.geometry.model.test_model import model_of
from zeitbild.models.make import Writer

_POSITIONS = base64.b64decode(
    "oB0/wMzP09TTlT18PeQ4Nzjk5Dg3OOTlAOYA5QDmAHMzIADo5eblHT/AzM/x8vGF2E7aT56dnk1Pnp2eTc4ATQBOAE0A8zMwAH4yUE9QfxUM/8B8fNPT1NOVBOTPMw/PNObmNObkOOTk"
    "OMPz8ADk5Djk5DjkHQz/wOxOUvHy8YX+MGEAzc8AYQDNgP8wnjL/MJ7///AATYD/MJ4y/zCeTRUAzP/APXzT09TTlQYCyMTiNvIxMADm5DbmFQDM/8zYTlLx8vGFgA8DzMx+gn+wf+GA"
    "8zMwAM1Pf+GAzQAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAtbzhbAAAAAA="
)
_NORMALS = base64.b64decode(
    "oB8AxMPEYQCcAGJhZmKcAC9gX2Avf////35NAB4ATQAxAPMzMACwUh1OMq8fAADIADrEoAObYWJh/gR+AP8Af80AYwAwff8vn2GbHmD///AAL4D/L59hmx5gLwAAAAAAAAAAAAAAAAAA"
    "AAAAAAAAAAAAAAAAAAAAAM9OfwA="
)
_TRIANGLES = base64.b64decode(
    "4f7//ySPT/4Uf27/Jn9P/yV/T/8l////JP///yP///4T////JP///yT+//4Tj27/KH9N/yV/Tv8lf0//Jf///hL///8j/v//I////hL//v8l/0op/yozOh8vFQ4KIQgfARs0Bh8FLTYI"
    "Hwcz7xM2/xUXNB8FJf8HRiu/LAEfKRv/DjwF/wY9MEH/LzQB/wI5IB8YOf8CHgr/CSkuHwYl/yob/xwnKkEhHwEVJB8CGyYfASEqBh8FJ/8JNBdPGAIx/zkYMJ8vMh8BNf8QIK8fHh8C"
    "Mf8DJAKvAQUx/xsuB/IHHwg1AHaHVmd4qYZliWiYAWkAAA=="
)
_SEQUENCE = base64.b64decode(
    "0QCVAVNVZ3VfYRQLDV8/QQ8RKzETFT89BRMvMSUjK1UDBTsVKQNTVTEvN3ULDWctPQsSAREPW6QBDhAFWSEPAAAAAA=="
)
_TURNS = base64.b64decode(
    "oAU//wAAc4Wh0fSszg//AADOrPTRoYUFL7sAAAQEBBEO7wAAEwQEBAcAuqR8Pg9vDemwZjIYGDJm//8AALDpDW8PPnykCgREZCI1VTVVUyJGRAAAAAAFAAP//3UHbduyPDux3PwAAABu"
    "CHYFAAOoARRcAAAAEwUAAwAAAwwAAAAEAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAP8P"
)
_TIMES = base64.b64decode("oAUqqqqqqqoAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAD9")

#: What the extension says of each stream.
_ALL: dict[str, tuple[bytes, dict[str, Any]]] = {
    "positions": (_POSITIONS, {"mode": "ATTRIBUTES", "count": 42, "byteStride": 8}),
    "normals": (_NORMALS, {"mode": "ATTRIBUTES", "count": 42, "byteStride": 4, "filter": "OCTAHEDRAL"}),
    "triangles": (_TRIANGLES, {"mode": "TRIANGLES", "count": 240, "byteStride": 2}),
    "sequence": (_SEQUENCE, {"mode": "INDICES", "count": 60, "byteStride": 4, "filter": "NONE"}),
    "turns": (_TURNS, {"mode": "ATTRIBUTES", "count": 24, "byteStride": 8, "filter": "QUATERNION"}),
    "times": (_TIMES, {"mode": "ATTRIBUTES", "count": 24, "byteStride": 4, "filter": "EXPONENTIAL"}),
}


def _values(name: str, kind: str, width: int) -> NDArray[Any]:
    data, own = _ALL[name]
    return np.frombuffer(unpacked(data, own), kind).reshape(own["count"], width)


def _ball() -> trimesh.Trimesh:
    return trimesh.creation.icosphere(subdivisions=1)


def _from_the_least(triangles: NDArray[Any]) -> NDArray[Any]:
    """Triangles turned so that each begins with its least corner, in order."""
    rolled = np.array([np.roll(one, -int(np.argmin(one))) for one in triangles])
    return rolled[np.lexsort(rolled.T)]


class Streams(unittest.TestCase):
    def test_positions_and_triangles_are_those_that_went_in(self) -> None:
        ball = _ball()
        positions = _values("positions", "<i2", 4)
        np.testing.assert_array_equal(positions[:, :3], np.round(ball.vertices * 32767))
        triangles = _values("triangles", "<u2", 1).reshape(-1, 3)
        np.testing.assert_array_equal(_from_the_least(triangles), _from_the_least(np.asarray(ball.faces)))
        np.testing.assert_array_equal(_values("sequence", "<u4", 1)[:, 0], np.asarray(ball.faces).reshape(-1)[:60])

    def test_filters(self) -> None:
        # Of a ball the normals are the places. Off by half a step of the octahedron each way, times up to the root of three, and by half one of their own.
        normals = _values("normals", "i1", 4)[:, :3] / 127
        self.assertLess(float(np.abs(normals - _ball().vertices).max()), 2 / 127)
        # Half a turn's angle about (3, 4, 0) / 5 (Hamilton), as three numbers of eleven bits and more.
        half = np.linspace(0, math.pi, 24, endpoint=False)
        expected = np.column_stack([0.6 * np.sin(half), 0.8 * np.sin(half), 0 * half, np.cos(half)])
        turns = _values("turns", "<i2", 4) / 32767
        alike = np.abs((turns * expected).sum(axis=1))
        self.assertLess(float(np.abs(alike - 1).max()), 1e-3)
        # Eighths, as whole numbers times 2^-3.
        np.testing.assert_array_equal(_values("times", "<f4", 1)[:, 0], np.arange(24) / 8)

    def test_what_is_damaged_is_said_and_nothing_else_happens(self) -> None:
        chance = random.Random(5)
        refused = 0
        for name, (data, own) in _ALL.items():
            for cut in range(0, len(data), max(1, len(data) // 10)):
                with self.subTest(name=name, cut=cut), self.assertRaises(ValueError):
                    unpacked(data[:cut], own)
            for _ in range(200):
                broken = bytearray(data)
                for _ in range(chance.randint(1, 3)):
                    broken[chance.randrange(len(broken))] = chance.randrange(256)
                try:
                    unpacked(bytes(broken), own)
                except ValueError:
                    refused += 1
        self.assertGreater(refused, 200)

    def test_what_it_cannot_be(self) -> None:
        data, own = _ALL["positions"]
        for more in (
            {"count": -1},
            {"count": "42"},
            {"count": MAX_BYTES},
            {"count": 43 + 256},
            {"byteStride": 0},
            {"byteStride": 6},
            {"byteStride": 260},
            {"mode": "TRIANGLES"},
            {"mode": None},
            {"filter": "OTHER"},
            {"filter": "OCTAHEDRAL", "byteStride": 12},
        ):
            with self.subTest(more=more), self.assertRaises(ValueError):
                unpacked(data, own | more)


def _file(**changed: bytes) -> bytes:
    """A GLB of the ball, its views packed; what they would be unpacked is in a buffer that is not there."""
    writer = Writer()
    views = []
    for name, kind in (("positions", 34962), ("normals", 34962), ("triangles", 34963)):
        data, own = _ALL[name]
        data = changed.get(name, data)
        packed = writer.document["bufferViews"][writer.view(data)]
        size = own["count"] * own["byteStride"]
        stride = {"byteStride": own["byteStride"]} if kind == 34962 else {}
        packed = {**own, "buffer": 0, "byteOffset": packed.get("byteOffset", 0), "byteLength": len(data)}
        views.append({"buffer": 1, "byteLength": size, "target": kind, **stride, "extensions": {MESHOPT: packed}})
    writer.document["bufferViews"] = views
    writer.document["accessors"] = [
        {"bufferView": 0, "componentType": 5122, "normalized": True, "count": 42, "type": "VEC3"},
        {"bufferView": 1, "componentType": 5120, "normalized": True, "count": 42, "type": "VEC3"},
        {"bufferView": 2, "componentType": 5123, "count": 240, "type": "SCALAR"},
    ]
    primitive = {"attributes": {"POSITION": 0, "NORMAL": 1}, "indices": 2}
    names = [MESHOPT, "KHR_mesh_quantization"]
    writer.document |= {"meshes": [{"primitives": [primitive]}], "nodes": [{"mesh": 0}], "scenes": [{"nodes": [0]}]}
    writer.document |= {"extensionsUsed": names, "extensionsRequired": names}
    data = writer.glb()
    # The buffer that a reader without the extension would need.
    length = int.from_bytes(data[12:16], "little")
    document = json.loads(data[20 : 20 + length])
    document["buffers"].append({"byteLength": 1000, "extensions": {MESHOPT: {"fallback": True}}})
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    rest = data[20 + length :]
    sizes = [(12 + 8 + len(text) + len(rest)).to_bytes(4, "little"), len(text).to_bytes(4, "little")]
    return data[:8] + sizes[0] + sizes[1] + data[16:20] + text + rest


class Files(unittest.TestCase):
    def test_a_model_that_is_packed(self) -> None:
        (part,) = model_of(_file()).parts
        ball = _ball()
        mesh = trimesh.Trimesh(part.points, part.triangles)
        self.assertTrue(mesh.is_watertight)
        self.assertAlmostEqual(mesh.volume / ball.volume, 1, delta=1e-3)
        self.assertAlmostEqual(mesh.area / ball.area, 1, delta=1e-3)

    def test_one_that_is_damaged(self) -> None:
        for name in ("positions", "normals", "triangles"):
            with self.subTest(name=name), self.assertRaisesRegex(ModelError, "damaged.*unpacked"):
                model_of(_file(**{name: _ALL[name][0][:40]}))


if __name__ == "__main__":
    unittest.main()
