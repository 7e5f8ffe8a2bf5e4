"""Faces of many corners: closed bodies whose volume and area are known, as OBJ and as PLY; areas against another library."""

import math
import unittest

import numpy as np
import shapely
import trimesh
from numpy.typing import NDArray

from zeitbild.geometry.model.polygons import triangles_of
from zeitbild.geometry.model.test_model import model_of

#: An L, a star, an arrow of four corners, and a comb, each against the clock.
_L = [(0, 0), (4, 0), (4, 1), (1, 1), (1, 3), (0, 3)]
_STAR = [
    (math.cos(k * math.pi / 5) * (2 if k % 2 else 0.6), math.sin(k * math.pi / 5) * (2 if k % 2 else 0.6))
    for k in range(10)
]
_ARROW = [(0, 0), (2, 1), (0, 2), (0.7, 1)]
_COMB = [(0, 0), (9, 0), *((9 - k // 2, (3, 1)[(k + 1) // 2 % 2]) for k in range(18)), (0, 3)]
_FLAT = {"L": _L, "star": _STAR, "arrow": _ARROW, "arrow turned": _ARROW[2:] + _ARROW[:2], "comb": _COMB}


def _prism(flat: list[tuple[float, float]]) -> tuple[NDArray[np.float64], list[list[int]]]:
    """Points and faces of a body of height 2 over a polygon, tilted."""
    count = len(flat)
    points = np.array([(x, y, z) for z in (0, 2) for x, y in flat], np.float64)
    tilt = trimesh.transformations.rotation_matrix(0.7, (1, 2, 3))[:3, :3]
    sides = [[k, (k + 1) % count, count + (k + 1) % count, count + k] for k in range(count)]
    return points @ tilt.T, [list(range(count))[::-1], list(range(count, 2 * count)), *sides]


class Bodies(unittest.TestCase):
    def test_volume_and_area(self) -> None:
        for name, flat in _FLAT.items():
            points, faces = _prism(flat)
            lines = ["v {} {} {}".format(*point) for point in points]
            obj = "\n".join([*lines, *("f " + " ".join(str(one + 1) for one in face) for face in faces)]) + "\n"
            head = f"ply\nformat ascii 1.0\nelement vertex {len(points)}\n"
            head += "property float x\nproperty float y\nproperty float z\n"
            head += f"element face {len(faces)}\nproperty list uchar int vertex_indices\nend_header\n"
            rows = ["{} {} {}".format(*point) for point in points]
            ply = head + "\n".join([*rows, *(f"{len(face)} " + " ".join(map(str, face)) for face in faces)]) + "\n"
            polygon = shapely.Polygon(flat)
            for kind, text in (("obj", obj), ("ply", ply)):
                (part,) = model_of(text.encode()).parts
                mesh = trimesh.Trimesh(part.points, part.triangles)
                with self.subTest(name=name, kind=kind):
                    self.assertTrue(mesh.is_watertight)
                    self.assertAlmostEqual(mesh.volume, 2 * polygon.area, places=5)
                    self.assertAlmostEqual(mesh.area, 2 * polygon.area + 2 * polygon.length, places=5)

    def test_any_face_has_two_triangles_less_than_corners(self) -> None:
        random = np.random.default_rng(4)
        # Crossing themselves, flat, with corners that are one: nothing is lost, nothing stumbles.
        sizes = random.integers(0, 12, 300)
        corners = random.choice(np.linspace(-1, 1, 4), (int(sizes.sum()), 3)) * (1, 1, 0.1)
        found = triangles_of(corners, sizes)
        self.assertEqual(len(found), int(np.maximum(sizes - 2, 0).sum()))
        starts = np.cumsum(sizes) - sizes
        owner = np.searchsorted(np.cumsum(sizes), found, side="right")
        self.assertTrue((owner == owner[:, :1]).all())
        self.assertTrue((np.diff(starts[owner[:, 0]]) >= 0).all())


class Materials(unittest.TestCase):
    def test_names_with_spaces_behind_options(self) -> None:
        from zeitbild.geometry.model.materials_file import _name

        for line, name in (
            ("brick.png", "brick.png"),
            ("my brick wall.png", "my brick wall.png"),
            (r"C:\Users\me\my wall.png", r"C:\Users\me\my wall.png"),
            ("-s 2 2 1 -o 0.5 wall 2.png", "wall 2.png"),
            ("-clamp on -bm 0.4 -imfchan l a b.png", "a b.png"),
            ("-mm 0 1 -blendu off 7 walls.png", "7 walls.png"),
            ("-3.png", "-3.png"),
            ("-s 1 1 1", "1"),
        ):
            with self.subTest(line=line):
                self.assertEqual(_name(line.split()), name)

    def test_colours_behind_points(self) -> None:
        text = "v 0 0 0 1 0 0\nv 1 0 0 0 0.5 0\nv 0 1 0 0 0 1\nf 1 2 3\n"
        (part,) = model_of(text.encode()).parts
        assert part.colours is not None
        # Half as it is encoded (IEC 61966-2-1) is 0.214 of the light.
        np.testing.assert_allclose(part.colours[0], [[1, 0, 0], [0, 0.21404, 0], [0, 0, 1]], atol=1e-4)
        of_bytes = text.replace("1 0 0\nv", "255 0 0\nv").replace("0.5", "127.5").replace("0 0 1\nf", "0 0 255\nf")
        (other,) = model_of(of_bytes.encode()).parts
        assert other.colours is not None
        np.testing.assert_allclose(other.colours, part.colours, atol=1e-6)
        # Of some points only they are none.
        self.assertIsNone(model_of(text.replace(" 0 0 1\nf", "\nf").encode()).parts[0].colours)


if __name__ == "__main__":
    unittest.main()
