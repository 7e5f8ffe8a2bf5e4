"""Wavefront OBJ: points, normals, places in a picture and faces, apart by object, group and material."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from zeitbild.colour import decode
from zeitbild.geometry.model.bundle import name_of
from zeitbild.geometry.model.materials_file import Library, read_materials
from zeitbild.geometry.model.plain import Material, PlainModel, PlainPart
from zeitbild.geometry.model.polygons import triangles_of

_MOST_CORNERS = 10_000
#: Numbers of a point that has a colour (common practice).
_COLOURED = 6


def is_obj(data: bytes) -> bool:
    """Whether it is a text with points and faces."""
    head = data[:65536]
    return b"\0" not in head and any(line.startswith((b"v ", b"v\t")) for line in head.split(b"\n"))


class _Building:
    """What was read so far."""

    def __init__(self) -> None:
        self.lists: dict[str, list[list[float]]] = {"v": [], "vt": [], "vn": []}
        #: Corners of faces, three numbers each (point, place, normal; -1: none), and how many each face has, by part and material.
        self.faces: dict[tuple[str, str], tuple[list[tuple[int, int, int]], list[int]]] = {}
        #: Colours that stand behind points.
        self.colours: list[list[float]] = []
        self.part, self.material = "object", ""
        self.library = Library({}, [])

    def face(self, words: Sequence[str], model: PlainModel, line: int) -> None:
        if not 3 <= len(words) <= _MOST_CORNERS:
            raise model.damaged(f"line {line}: a face of {len(words)} corners")
        corners = []
        for word in words:
            numbers = []
            for what, text in zip(("v", "vt", "vn"), [*word.split("/"), "", ""][:3], strict=True):
                if not text:
                    numbers.append(-1)
                    continue
                count = len(self.lists[what])
                value = int(text)
                at = value - 1 if value > 0 else count + value
                if not 0 <= at < count or value == 0:
                    raise model.damaged(f"line {line}: {text[:20]} names nothing of {count}")
                numbers.append(at)
            if numbers[0] < 0:
                raise model.damaged(f"line {line}: a corner without a point")
            corners.append((numbers[0], numbers[1], numbers[2]))
        own, sizes = self.faces.setdefault((self.part, self.material), ([], []))
        own += corners
        sizes.append(len(corners))


def read(data: bytes, model: PlainModel) -> None:
    """A part for each object (or group) and material."""
    building = _Building()
    text = data.decode("utf-8", "replace").replace("\\\r\n", " ").replace("\\\n", " ")
    for number, line in enumerate(text.splitlines(), 1):
        words = line.split()
        if not words or words[0].startswith("#"):
            continue
        what, rest = words[0], words[1:]
        try:
            if what in building.lists:
                building.lists[what].append([float(word) for word in rest[:3]])
                if what == "v" and len(rest) >= _COLOURED:
                    building.colours.append([float(word) for word in rest[3:_COLOURED]])
            elif what == "f":
                building.face(rest, model, number)
            elif what in ("o", "g"):
                building.part = " ".join(rest)[:80] or building.part
            elif what == "usemtl":
                building.material = " ".join(rest)[:80]
            elif what == "mtllib":
                name = " ".join(rest)
                beside = model.beside.get(name_of(name))
                if beside is None:
                    model.note(
                        f"the materials in {name[:60]}, which lies beside the file: bring both together; without it each "
                        "gets a finish by its name"
                    )
                else:
                    read_materials(beside.decode("utf-8", "replace"), model, building.library)
            elif what in ("l", "p", "curv", "surf"):
                model.note(f"lines, points and curves ({what})")
        except ValueError:
            raise model.damaged(f"line {number}: {line.strip()[:60]!r}") from None
    _parts(building, model)


def picture(data: bytes, model: PlainModel, number: int) -> bytes:
    """The bytes of a picture that its materials name; ModelError if there is none."""
    library = Library({}, [])
    for line in data.decode("utf-8", "replace").splitlines():
        if line.split()[:1] == ["mtllib"]:
            beside = model.beside.get(name_of(line.split(maxsplit=1)[1].strip()))
            if beside is not None:
                read_materials(beside.decode("utf-8", "replace"), model, library)
    found = model.beside.get(name_of(library.pictures[number])) if 0 <= number < len(library.pictures) else None
    if found is None:
        raise model.damaged(f"picture {number} is not there")
    return found


def _parts(building: _Building, model: PlainModel) -> None:
    width = {"v": 3, "vt": 2, "vn": 3}
    lists = {}
    for what, rows in building.lists.items():
        if any(len(row) < (1 if what == "vt" else 3) for row in rows):
            raise model.damaged(f"a line {what} with too few numbers")
        lists[what] = np.array([[*row, 0.0, 0.0][: width[what]] for row in rows], np.float64).reshape(-1, width[what])
    names = list(dict.fromkeys(material for _, material in building.faces))
    model.materials = [building.library.materials.get(name, Material(name)) for name in names if name]
    for one in model.materials:
        gone = [at for at in one.pictures if at >= 0 and name_of(building.library.pictures[at]) not in model.beside]
        for at in gone:
            model.note(f"{building.library.pictures[at][:60]}, which did not come with it")
        one.pictures = tuple(-1 if at in gone else at for at in one.pictures)  # type: ignore[assignment]
    known = {one.name: at for at, one in enumerate(model.materials)}
    light = None
    if len(building.colours) == len(lists["v"]) and building.colours:
        # Encoded as screens show them, up to 1 or 255 (common practice), and times the colour of a material.
        colours = np.nan_to_num(building.colours)
        light = decode(np.clip(colours / (255 if colours.max() > 1 else 1), 0, 1)).astype(np.float32)
        if any(not name for name in names):
            known[""] = len(model.materials)
            model.materials.append(Material("colours of points", (1.0, 1.0, 1.0)))
    for (part, material), (corners, sizes) in building.faces.items():
        every = np.array(corners, np.int64)
        numbers = every[triangles_of(lists["v"][every[:, 0]], np.array(sizes, np.int64))]
        used, points = np.unique(numbers[:, :, 0], return_inverse=True)
        shares = numbers[:, :, 1]
        normals = numbers[:, :, 2]
        model.add(
            PlainPart(
                part,
                lists["v"][used],
                points.reshape(-1, 3).astype(np.int32),
                lists["vn"][normals].astype(np.float32) if (normals >= 0).all() else None,
                (lists["vt"][shares] * (1, -1) + (0, 1)).astype(np.float32) if (shares >= 0).all() else None,
                known.get(material, -1),
                None if light is None else light[numbers[:, :, 0]],
            )
        )
