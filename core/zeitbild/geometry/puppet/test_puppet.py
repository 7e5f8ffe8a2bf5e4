"""Puppets: parts found, bends against shapely's areas, reaching by the law of cosines, parts against turned points."""

import itertools
import math
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely import Polygon, unary_union

from zeitbild.errors import DrawingError, LimitError
from zeitbild.geometry.puppet.bending import bend_of, subdivided
from zeitbild.geometry.puppet.limb_form import LimbForm, points_along
from zeitbild.geometry.puppet.posing import Pose, Posture
from zeitbild.geometry.puppet.rig import MAX_LIMBS, Rig, rig_at

_HEAD = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:own="urn:own" viewBox="0 0 400 400">'


def _rig(body: str) -> Rig:
    folder = tempfile.mkdtemp()
    path = Path(folder) / "one.svg"
    path.write_text(f"{_HEAD}{body}</svg>")
    return rig_at(path, "it")


def _mark(name: str, x: float, y: float) -> str:
    return f'<circle id="{name}" cx="{x}" cy="{y}" r="2" style="display:none"/>'


class Parts(unittest.TestCase):
    def test_what_has_a_name_is_a_part_and_stands_in_what_it_stands_in(self) -> None:
        rig = _rig(
            '<rect id="rect123" width="10" height="10"/>'
            '<g id="arm"><rect width="100" height="20"/><g own:label="The Hand!" id="g17"><rect id="path4" x="90" width="30" height="20"/></g></g>'
            '<g id="g5"><circle id="sun" r="9" cx="300" cy="300"/></g>'
        )
        self.assertEqual([one.code for one in rig.limbs], ["rest", "arm", "the_hand", "sun"])
        self.assertEqual([one.parent for one in rig.limbs], [-1, 0, 1, 0])
        self.assertEqual([one.order for one in rig.limbs], [0, 1, 2, 3])
        # Where two overlap is where the one turns on the other.
        hand = rig.limbs[2]
        self.assertEqual(hand.found, "the overlap")
        np.testing.assert_allclose(hand.pivot, (95, -10), atol=0.2)
        np.testing.assert_allclose(rig.limbs[3].pivot, (300, -300), atol=0.2)

    def test_marks_are_points_and_are_not_painted(self) -> None:
        rig = _rig(
            f'<g id="arm">{_mark("arm-pivot", 5, 10)}<rect width="100" height="20"/>{_mark("arm bend 2", 50, 10)}</g>'
            f'<g own:label="leg"><rect y="50" width="10" height="90"/><g own:label="Pivot"><circle cx="5" cy="55" r="1"/></g></g>{_mark("arm_tip", 98, 12)}'
        )
        arm, leg = rig.limbs
        self.assertEqual((arm.code, leg.code), ("arm", "leg"))
        assert arm.bend is not None and arm.tip is not None and leg.drawing is not None
        np.testing.assert_allclose([arm.pivot, arm.bend, arm.tip], [(5, -10), (50, -10), (98, -12)], atol=1e-6)
        np.testing.assert_allclose(leg.pivot, (5, -55), atol=1e-6)
        self.assertEqual(len(leg.drawing.shades), 1)

    def test_hidden_drawings_are_kept_and_the_one_that_is_seen_is_known(self) -> None:
        rig = _rig(
            '<g id="mouth"><g id="m-a" display="none"><rect width="9" height="9"/></g><g id="m-b"><rect width="9" height="5"/></g>'
            '<g id="m-c" style="display:none"><rect width="9" height="50"/></g></g>'
        )
        mouth = rig.limbs[0]
        self.assertEqual((mouth.drawings, mouth.shows), ((1, 2, 3), 2))
        # What nobody sees does not make the puppet larger.
        np.testing.assert_allclose(rig.bounds, [(0, -5), (9, 0)], atol=0.01)

    def test_two_of_one_name_and_names_of_other_scripts(self) -> None:
        rect = '<rect width="9" height="9"/>'
        rig = _rig(
            f'<g own:label="Arm">{rect}</g><g own:label="arm">{rect}</g><g own:label="手">{rect}</g><g own:label="7th">{rect}</g>'
        )
        self.assertEqual([one.code for one in rig.limbs], ["arm", "arm_2", "part", "part_7th"])
        self.assertEqual(rig.limbs[2].name, "手")

    def test_too_many_and_none_are_said(self) -> None:
        many = "".join(f'<g id="limb{at}x"><rect width="9" height="9"/></g>' for at in range(MAX_LIMBS + 1))
        with self.assertRaises(LimitError):
            _rig(many)
        with self.assertRaises(DrawingError):
            _rig('<g id="arm"><g/></g>')

    def test_what_reaches_over_the_page_is_whole(self) -> None:
        (arm,) = _rig('<g id="arm"><rect x="380" width="100" height="20"/></g>').limbs
        assert arm.drawing is not None
        np.testing.assert_allclose(arm.drawing.bounds[1], (480, 0), atol=0.01)


#: A limb of 200 by 40 with a hand of another colour, joint in its middle.
_LIMB = (
    '<g id="arm"><rect y="100" width="200" height="40" rx="20"/><rect x="150" y="100" width="20" height="40" fill="#ff0000"/>'
    + _mark("arm-pivot", 20, 120)
    + _mark("arm-bend", 100, 120)
    + _mark("arm-tip", 190, 120)
    + "</g>"
)


def _outline(rig: Rig) -> list[NDArray[np.float64] | None]:
    extent = float((rig.bounds[1] - rig.bounds[0]).max())
    return [None if one.drawing is None else points_along(one.drawing, extent / 512) for one in rig.limbs]


def _posed(rig: Rig, **postures: Posture) -> Pose:
    return Pose(rig, {rig.number(code): one for code, one in postures.items()}, _outline(rig))


class Bending(unittest.TestCase):
    def test_a_bent_limb_has_no_holes_and_nothing_lies_over_itself(self) -> None:
        rig = _rig(_LIMB)
        (arm,) = rig.limbs
        assert arm.drawing is not None
        straight = LimbForm(arm.drawing, 1.0, (20, -120), arm.drawing.boxes).at(0.05)
        whole = self._area(straight)
        self.assertAlmostEqual(whole, 200 * 40 - (4 - math.pi) * 400, delta=2)
        for degrees in (-150, -90, -20, 1, 45, 90, 120, 150):
            bend = _posed(rig, arm=Posture(bend=degrees)).stood()[0].bend
            assert bend is not None
            mesh = LimbForm(arm.drawing, 1.0, (20, -120), arm.drawing.boxes, bend).at(0.05)
            triangles = [Polygon(mesh.vertices[one][:, :2]) for one in mesh.triangles]
            total, united = self._area(mesh), unary_union(triangles)
            # Were some over others, all together would cover less than their areas add up to; a hole would be an inner ring.
            self.assertAlmostEqual(united.area, total, delta=1e-3 * total, msg=str(degrees))
            self.assertEqual(united.geom_type, "Polygon", degrees)
            self.assertEqual(len(united.interiors), 0, degrees)
            # A band of an even width keeps its area along its middle line (Pappus).
            self.assertAlmostEqual(total, whole, delta=0.01 * whole, msg=str(degrees))
            # Both colours keep theirs, too.
            red = [one.area for one, part in zip(triangles, mesh.parts, strict=True) if part == 1]
            self.assertAlmostEqual(sum(red), 20 * 40, delta=8)

    def test_short_and_thick_limbs_do_not_fold_either(self) -> None:
        """Where there is no room about the joint what lies on the inner side is pressed together, and both bones keep to their side."""
        marks = '<circle id="pivot" cx="{}" cy="100" r="1"/><circle id="bend" cx="{}" cy="100" r="1"/>'
        shapes = {
            "bar": "M0 {top}H{long}V{low}H0Z",
            "arrow": "M0 {top}L{long} 100L0 {low}Z",
            "frame": "M0 {top}H{long}V{low}H0ZM{third} {upper}V{lower}H{half}V{upper}Z",
            "fist": "M0 {upper}H{third}V{top}H{half}V{upper}H{long}V{lower}H0Z",
        }
        for (name, shape), (long, wide), share in itertools.product(
            shapes.items(), ((100, 60), (80, 80), (60, 120)), (0.25, 0.5, 0.8)
        ):
            places = {"top": 100 - wide / 2, "low": 100 + wide / 2, "upper": 100 - wide / 4, "lower": 100 + wide / 4}
            path = shape.format(long=long, third=long * 0.3, half=long * 0.6, **places)
            drawn = f'<path d="{path}" fill="#a22"/>{marks.format(long * 0.04, long * share)}'
            rig = _rig(f'<g id="arm">{drawn}</g>')
            (arm,) = rig.limbs
            assert arm.drawing is not None
            for degrees in (40, 95, 150, -150, 170):
                with self.subTest(shape=name, long=long, joint=share, degrees=degrees):
                    bend = _posed(rig, arm=Posture(bend=degrees)).stood()[0].bend
                    mesh = LimbForm(arm.drawing, 1.0, (0, 100), arm.drawing.boxes, bend).at(0.05)
                    triangles = [Polygon(mesh.vertices[one][:, :2]) for one in mesh.triangles]
                    total, united = self._area(mesh), unary_union(triangles)
                    self.assertAlmostEqual(united.area, total, delta=1e-3 * total)
                    self.assertEqual(united.geom_type, "Polygon")
                    self.assertEqual(len(united.interiors), int(name == "frame"))

    def test_a_joint_anywhere_takes_no_more_points_than_another(self) -> None:
        """At the pivot, at the tip, off the limb, and where pivot and tip are one."""
        for pivot, joint, tip in ((8, 8, 100), (8, 99.9, 100), (50, 50, 50), (8, 50, 8), (8, 300, 100), (8, -50, 100)):
            marks = "".join(
                _mark(f"arm-{name}", x, 100) for name, x in (("pivot", pivot), ("bend", joint), ("tip", tip))
            )
            rig = _rig(f'<g id="arm"><rect y="80" width="100" height="40"/>{marks}</g>')
            (arm,) = rig.limbs
            assert arm.drawing is not None
            for degrees in (0.01, 30, 150, -170):
                bend = _posed(rig, arm=Posture(bend=degrees)).stood()[0].bend
                mesh = LimbForm(arm.drawing, 1.0, (0, 100), arm.drawing.boxes, bend).at(0.001)
                self.assertLess(len(mesh.triangles), 2000, (pivot, joint, tip, degrees))
                self.assertTrue(np.isfinite(mesh.vertices).all())

    def test_chords_are_as_near_as_asked_for(self) -> None:
        """Between their points outlines are where each of their points would be bent to."""
        for long, wide, share in ((200, 40, 0.5), (100, 60, 0.5), (80, 80, 0.5), (60, 120, 0.25), (100, 30, 0.02)):
            ring = np.array([(0, -wide / 2), (long, -wide / 2), (long, wide / 2), (0, wide / 2)])
            dense = np.concatenate(
                [
                    a + np.linspace(0, 1, 99)[:, None] * (b - a)
                    for a, b in zip(ring, np.roll(ring, -1, axis=0), strict=True)
                ]
            )
            for degrees in (10, 60, 150, -170):
                for tolerance in (0.5, 0.05):
                    bend = bend_of(np.array([long * share, 0]), np.zeros(2), np.array([float(long), 0]), dense, degrees)
                    (fine,) = subdivided([ring], bend, tolerance)
                    ends = np.roll(fine, -1, axis=0)
                    a, b, middle = (bend.put(one)[0] for one in (fine, ends, (fine + ends) / 2))
                    way = b - a
                    at = np.clip(((middle - a) * way).sum(axis=1) / np.maximum((way**2).sum(axis=1), 1e-30), 0, 1)
                    off = np.hypot(*(a + at[:, None] * way - middle).T)
                    self.assertLess(float(off.max()), tolerance, (long, wide, share, degrees))

    @staticmethod
    def _area(mesh: Any) -> float:
        a, b, c = (mesh.vertices[mesh.triangles[:, at]] for at in range(3))
        areas = np.cross(b - a, c - a)[:, 2] / 2
        assert (areas > 0).all()
        return float(areas.sum())

    def test_the_middle_line_keeps_its_length_and_ends_are_turned_rigidly(self) -> None:
        line = np.column_stack([np.linspace(0, 100, 2001), np.zeros(2001)])
        outline = np.array([(x, y) for x in np.linspace(0, 100, 101) for y in (-8.0, 8.0)])
        for degrees in (-140, -30, 10, 90, 150):
            bend = bend_of(np.array([50.0, 0]), np.array([0.0, 0]), np.array([100.0, 0]), outline, degrees)
            put, turned = bend.put(line)
            length = np.hypot(*np.diff(put, axis=0).T).sum()
            self.assertAlmostEqual(length, 100, delta=1e-3)
            np.testing.assert_allclose(put[0], (0, 0), atol=1e-12)
            self.assertAlmostEqual(math.degrees(turned[-1]), degrees)
            way = (put[-1] - put[-2]) / np.hypot(*(put[-1] - put[-2]))
            np.testing.assert_allclose(way, (math.cos(turned[-1]), math.sin(turned[-1])), atol=1e-6)

    def test_edges_in_common_stay_in_common(self) -> None:
        rig = _rig(_LIMB.replace('x="150"', 'x="95"'))
        (arm,) = rig.limbs
        assert arm.drawing is not None
        bend = _posed(rig, arm=Posture(bend=110)).stood()[0].bend
        mesh = LimbForm(arm.drawing, 1.0, (20, -120), arm.drawing.boxes, bend).at(0.02)
        shapes = [
            unary_union(
                [
                    Polygon(mesh.vertices[one][:, :2])
                    for one, part in zip(mesh.triangles, mesh.parts, strict=True)
                    if part == wanted
                ]
            )
            for wanted in (0, 1)
        ]
        self.assertLess(shapes[0].intersection(shapes[1]).area, 1e-3)
        self.assertLess(abs(unary_union(shapes).area - shapes[0].area - shapes[1].area), 1e-3)


#: An upper arm from (100, 200) to (200, 200), a forearm on to (270, 200), a hand at its end.
_CHAIN = (
    '<g id="upper"><rect x="90" y="190" width="120" height="20"/>'
    + _mark("upper-pivot", 100, 200)
    + '<g id="fore"><rect x="195" y="190" width="85" height="20"/>'
    + _mark("fore-pivot", 200, 200)
    + _mark("fore-tip", 270, 200)
    + '<g id="hand"><rect x="262" y="190" width="30" height="20"/>'
    + _mark("hand-pivot", 270, 200)
    + "</g></g></g>"
)


def _at(pose: Pose, code: str, point: tuple[float, float]) -> NDArray[np.float64]:
    matrix = pose.stood()[pose.rig.number(code)].matrix
    found: NDArray[np.float64] = matrix[:2, :2] @ point + matrix[:2, 2]
    return found


class Reaching(unittest.TestCase):
    def test_two_bones_reach_by_the_law_of_cosines(self) -> None:
        rig = _rig(_CHAIN)
        for far in (40.0, 90.0, 140.0, 169.0):
            for direction in (0, 100, 220):
                goal = (100 + far * math.cos(math.radians(direction)), -200 + far * math.sin(math.radians(direction)))
                for side, name in ((1, "left"), (-1, "right")):
                    pose = _posed(rig, fore=Posture(reach=1, reach_to=goal, side=side))
                    np.testing.assert_allclose(_at(pose, "fore", (270, -200)), goal, atol=1e-6)
                    elbow = _at(pose, "upper", (200, -200)) - (100, -200)
                    self.assertAlmostEqual(float(np.hypot(*elbow)), 100, 6)
                    # Upper arm and way there enclose what bones of 100 and 70 say.
                    way = np.array(goal) - (100, -200)
                    cosine = (100**2 + far**2 - 70**2) / (2 * 100 * far)
                    self.assertAlmostEqual(float(elbow @ way) / (100 * far), cosine, 6)
                    left = way[0] * elbow[1] - way[1] * elbow[0]
                    self.assertEqual(left > 0, name == "left")
                    # What hangs on it goes along.
                    np.testing.assert_allclose(_at(pose, "hand", (270, -200)), goal, atol=1e-6)

    def test_what_is_too_far_or_too_near_is_pointed_at(self) -> None:
        rig = _rig(_CHAIN)
        tip = _at(_posed(rig, fore=Posture(reach=1, reach_to=(100, 300))), "fore", (270, -200))
        np.testing.assert_allclose(tip, (100, -200 + 170), atol=1e-6)
        tip = _at(_posed(rig, fore=Posture(reach=1, reach_to=(110, -200))), "fore", (270, -200))
        np.testing.assert_allclose(tip, (130, -200), atol=1e-6)

    def test_one_limb_that_bends_reaches_too(self) -> None:
        rig = _rig(_LIMB)
        for goal in ((60.0, -20.0), (150.0, -200.0), (20.0, -30.0)):
            for side in (1, -1):
                pose = _posed(rig, arm=Posture(reach=1, reach_to=goal, side=side))
                stood = pose.stood()[0]
                assert stood.bend is not None
                tip = stood.bend.put(np.array([[190.0, -120.0]]))[0][0]
                np.testing.assert_allclose(stood.matrix[:2, :2] @ tip + stood.matrix[:2, 2], goal, atol=1e-6)
                self.assertEqual(stood.bend.angle < 0, side == 1)

    def test_reaching_comes_and_goes_evenly(self) -> None:
        rig = _rig(_CHAIN)
        before = _at(_posed(rig), "fore", (270, -200))
        tips = [
            _at(_posed(rig, fore=Posture(reach=share, reach_to=(60, -90))), "fore", (270, -200))
            for share in np.linspace(0, 1, 21)
        ]
        np.testing.assert_allclose(tips[0], before)
        np.testing.assert_allclose(tips[-1], (60, -90), atol=1e-6)
        self.assertLess(np.hypot(*np.diff(tips, axis=0).T).max(), 30)

    def test_it_reaches_whatever_it_hangs_on_does(self) -> None:
        rig = _rig(f'<g id="torso"><rect width="60" height="300"/>{_mark("torso-pivot", 30, 290)}{_CHAIN}</g>')
        postures = {
            "torso": Posture(turn=25, move=(5, 7), stretch=(1.1, 0.9)),
            "fore": Posture(reach=1, reach_to=(150, -150), move=(0, 0)),
        }
        np.testing.assert_allclose(_at(_posed(rig, **postures), "fore", (270, -200)), (150, -150), atol=1e-6)


class Chains(unittest.TestCase):
    def test_parts_turn_with_what_they_hang_on(self) -> None:
        rig = _rig(_CHAIN)
        pose = _posed(rig, upper=Posture(turn=90), fore=Posture(turn=-30), hand=Posture(turn=10))
        # Points turned one after the other, by complex numbers.
        upper, fore = 100 - 200j, 200 - 200j
        turn = lambda z, about, degrees: about + (z - about) * np.exp(1j * math.radians(degrees))  # noqa: E731
        tip = turn(turn(turn(290 - 200j, 270 - 200j, 10), fore, -30), upper, 90)
        np.testing.assert_allclose(_at(pose, "hand", (290, -200)), (tip.real, tip.imag), atol=1e-9)

    def test_a_part_can_hang_on_another_and_never_on_itself(self) -> None:
        rig = _rig('<g id="one"><rect width="9" height="9"/></g><g id="two"><rect x="50" width="9" height="9"/></g>')
        pose = _posed(rig, one=Posture(turn=90, pivot=(0, 0)), two=Posture(parent=rig.number("one")))
        np.testing.assert_allclose(_at(pose, "two", (50, 0)), (0, 50), atol=1e-9)
        round_ = _posed(rig, one=Posture(parent=1, turn=10), two=Posture(parent=0, turn=10))
        self.assertTrue(np.isfinite([one.matrix for one in round_.stood()]).all())

    def test_what_hangs_beyond_a_bend_goes_along(self) -> None:
        rig = _rig(
            _LIMB.replace("</g>", "")
            + f'<g id="hand"><rect x="185" y="100" width="40" height="40"/>{_mark("hand-pivot", 190, 120)}</g></g>'
        )
        pose = _posed(rig, arm=Posture(bend=90))
        bend = pose.stood()[0].bend
        assert bend is not None
        wrist = bend.put(np.array([[190.0, -120.0]]))[0][0]
        np.testing.assert_allclose(_at(pose, "hand", (190, -120)), wrist, atol=1e-9)
        # Turned by a quarter.
        np.testing.assert_allclose(_at(pose, "hand", (200, -120)) - wrist, (0, 10), atol=1e-9)

    def test_one_drawing_alone_is_seen(self) -> None:
        rig = _rig(
            '<g id="mouth"><g id="m-a"><rect width="9" height="9"/></g><g id="m-b"><rect width="9" height="5"/></g></g>'
        )
        for shows, wanted in ((0, [True, True]), (1, [True, False]), (2, [False, True]), (3, [False, False])):
            stood = _posed(rig, mouth=Posture(shows=shows)).stood()
            self.assertEqual([stood[rig.number(code)].seen for code in ("m_a", "m_b")], wanted)
        self.assertFalse(_posed(rig, mouth=Posture(there=False)).stood()[rig.number("m_a")].seen)
