"""Hands on the picture: what is under a place against the rendered identities, and drags against projected points."""

import unittest

import numpy as np

from zeitbild.document.shot import Camera, Raster, Shot
from zeitbild.elements.group import Group
from zeitbild.elements.solid import Solid
from zeitbild.resolve import resolve
from zeitbild.resolve.hands import lie_on, picked, way_of
from zeitbild.testing import NOWHERE, small_shot
from zeitbild.values import Placement, Turn


def _shot(**camera: object) -> Shot:
    """Three bodies before one another, one of them turned in a group that leans."""
    return small_shot(
        raster=Raster(width=160, height=90),
        camera=Camera(position=(40, 60, 700), look_at=(0, 0, 0), **camera),
        elements=(
            Solid(id="ball", shape="ball", width=160, height=160, depth=160),
            Solid(
                id="box",
                width=200,
                height=60,
                depth=60,
                placement=Placement(position=(60, 20, 150)),
                turn=Turn(turns=1),
            ),
            Group(id="all", placement=Placement(position=(-80, 0, 40), rotation=(10, 30, 20), scale=(2, 1, 0.5))),
            Solid(id="ring", shape="ring", width=120, height=120, depth=30, inside="all"),
            Solid(id="off", shown=False),
        ),
    )


def _track(*keys: tuple[int, object]) -> dict[str, object]:
    return {"keys": [{"frame": frame, "value": value} for frame, value in keys]}


class Ways(unittest.TestCase):
    """Where an element goes, against the matrices of its body projected frame by frame."""

    def _compared(self, element: str, body: str, **more: object) -> None:
        shot = _shot()
        elements = [one.model_dump() | more.get(one.id, {}) for one in shot.elements]  # type: ignore[operator]
        shot = Shot.model_validate({**shot.model_dump(), "elements": elements, **more.get("shot", {})})  # type: ignore[arg-type, dict-item]
        wanted = []
        for frame in range(1, 7):
            snapshot = resolve(shot, frame, NOWHERE)
            (own,) = [one for one in snapshot.bodies if one.id == body]
            x, y, w = snapshot.camera.project(np.array(own.matrix).reshape(4, 4)[:3, 3][None])[0]
            wanted.append((x / w, y / w))
        found = way_of(shot, element, range(1, 7), NOWHERE)
        np.testing.assert_allclose(np.array(found, float), wanted, atol=1e-9)

    def test_what_turns_in_its_place_stays_there(self) -> None:
        self._compared("ball", "ball", ball={"moves": {"placement.rotation.1": _track((1, 0.0), (6, 90.0))}})

    def test_what_goes_and_waits(self) -> None:
        goes = _track((1, (0.0, 0.0, 0.0)), (3, (50.0, 10.0, 0.0)), (5, (50.0, 10.0, 0.0)), (6, (0.0, 0.0, 80.0)))
        self._compared("ball", "ball", ball={"moves": {"placement.position": goes}})

    def test_a_camera_that_moves_and_rests(self) -> None:
        position = _track((1, (40.0, 60.0, 700.0)), (3, (0.0, 0.0, 500.0)), (5, (0.0, 0.0, 500.0)))
        camera = {**_shot().camera.model_dump(), "moves": {"position": position}}
        self._compared("ball", "ball", shot={"camera": camera})

    def test_what_stands_in_a_group_that_turns(self) -> None:
        self._compared(
            "ring",
            "ring",
            all={"turn": {"turns": 1, "start": 0, "axis": "y"}},
            ring={"placement": {"position": (30, 0, 0)}},
        )


class Hands(unittest.TestCase):
    def test_what_is_under_a_place_is_what_the_picture_shows(self) -> None:
        for projection in ("perspective", "orthographic"):
            for frame in (1, 3):
                shot = _shot(projection=projection, span=500)
                snapshot = resolve(shot, frame, NOWHERE)
                # An independent answer: every body alone, its distance found by casting a ray at each of its triangles.
                rng = np.random.default_rng(5)
                for x, y in rng.uniform((0, 0), (160, 90), (25, 2)):
                    wanted = _hit(snapshot, x, y)
                    found = picked(shot, frame, NOWHERE, x, y)
                    self.assertEqual(list(found), wanted, (projection, frame, x, y))

    def test_a_drag_moves_the_pivot_by_just_so_many_pixels(self) -> None:
        for projection in ("perspective", "orthographic"):
            shot = _shot(projection=projection, span=500, roll=12)
            before = {one.element: one for one in lie_on(shot, 2, NOWHERE)}
            self.assertEqual(set(before), {"ball", "box", "all", "ring"})
            for name, dx, dy in (("box", 17, -9), ("ring", -30, 4), ("all", 8, 8)):
                own = before[name]
                moved = []
                for element in shot.elements:
                    if element.id == name:
                        place = (
                            np.array(element.placement.position) + np.array(own.across) * dx + np.array(own.down) * dy
                        )
                        placement = element.placement.model_copy(update={"position": tuple(place)})
                        element = element.model_copy(update={"placement": placement})
                    moved.append(element)
                after = {
                    one.element: one for one in lie_on(shot.model_copy(update={"elements": tuple(moved)}), 2, NOWHERE)
                }
                np.testing.assert_allclose(np.subtract(after[name].pivot, own.pivot), (dx, dy), atol=1e-6)

    def test_boxes_hold_what_is_drawn_and_groups_what_stands_in_them(self) -> None:
        shot = _shot()
        found = {one.element: one for one in lie_on(shot, 1, NOWHERE)}
        self.assertEqual(found["all"].box, found["ring"].box)
        left, top, right, bottom = found["ball"].box or (0, 0, 0, 0)
        self.assertAlmostEqual((left + right) / 2, found["ball"].pivot[0], delta=1)
        self.assertGreater(right - left, 20)
        self.assertAlmostEqual(right - left, bottom - top, delta=1.5)

    def test_what_is_behind_the_camera_cannot_be_held(self) -> None:
        shot = small_shot(elements=(Solid(id="a", placement=Placement(position=(0, 0, 5000))),))
        self.assertEqual(lie_on(shot, 1, NOWHERE), ())
        self.assertEqual(picked(shot, 1, NOWHERE, 48, 27), ())


def _hit(snapshot: object, x: float, y: float) -> list[str]:
    """Elements along the ray through a place, by Moeller and Trumbore 1997."""
    camera = snapshot.camera  # type: ignore[attr-defined]
    right, up, forward = camera.axes
    across, above = (x - camera.width / 2) / camera.focal, -(y - camera.height / 2) / camera.focal
    start, way = camera.eye, forward + right * across + up * above
    if camera.parallel:
        start, way = camera.eye + right * across + up * above, forward
    nearest: dict[str, float] = {}
    for body in snapshot.bodies:  # type: ignore[attr-defined]
        # As fine as a rough picture has it.
        mesh = body.form.at(0.05)
        placed = np.array(body.matrix).reshape(4, 4)
        points = mesh.vertices @ placed[:3, :3].T + placed[:3, 3]
        a, b, c = (points[mesh.triangles[:, at]] for at in range(3))
        u, v = b - a, c - a
        p = np.cross(way, v)
        size = (u * p).sum(axis=1)
        with np.errstate(divide="ignore", invalid="ignore"):
            s = ((start - a) * p).sum(axis=1) / size
            q = np.cross(start - a, u)
            t = (q @ way) / size
            far = (v * q).sum(axis=1) / size
        inside = (s >= 0) & (t >= 0) & (s + t <= 1) & (far > 0)
        if inside.any():
            nearest[body.element] = min(nearest.get(body.element, np.inf), float(far[inside].min()))
    return sorted(nearest, key=lambda one: nearest[one])
