"""Puppets in pictures: at rest against the same drawing as an emblem, posed against the pose drawn by an independent SVG rasteriser."""

import io
import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
import resvg_py
from numpy.typing import NDArray
from PIL import Image
from pydantic import ValidationError

from zeitbild.assets import AssetFolder
from zeitbild.colour import decode
from zeitbild.document.reading import parse_shot, write_shot
from zeitbild.document.retiming import put_key, shift_all
from zeitbild.document.shot import Camera, Layer, Motion, Raster, Shot, Sound, Timing
from zeitbild.drawings import SHIPPED
from zeitbild.elements.card import Card
from zeitbild.elements.emblem import Emblem
from zeitbild.elements.puppet import Act, Limb, NamedPose, Puppet, Stance, Step
from zeitbild.elements.spray import Spray
from zeitbild.errors import InputError
from zeitbild.finishes import Finish
from zeitbild.keys import Key, Track
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.resolve.hands import marks_of
from zeitbild.resolve.speaking import Speaking, speak
from zeitbild.sound.speech import MOUTHS
from zeitbild.testing import NOWHERE
from zeitbild.values import Placement

_PUFFIN = SHIPPED["puffin-parts"].path.read_text()


def _shot(*elements: Any, **more: Any) -> Shot:
    fields: dict[str, Any] = {
        "raster": Raster(width=300, height=360),
        "camera": Camera(position=(0, 0, 1000), projection="orthographic", span=300),
        "timing": Timing(rate="24", first=1, last=48, cycle=False),
        "elements": elements,
        **more,
    }
    return Shot(**fields)


def _seen(shot: Shot, frame: int = 1, quality: str = "final", assets: AssetFolder = NOWHERE) -> NDArray[np.float32]:
    return render(resolve(shot, frame, assets), QUALITIES[quality]).beauty


def _puffin(**more: Any) -> Puppet:
    return Puppet(**{"id": "bird", "size": 266.0, **more})


class Pictures(unittest.TestCase):
    def test_at_rest_it_is_its_drawing(self) -> None:
        own = _seen(_shot(_puffin()))
        emblem = Emblem(id="bird", drawing="puffin-parts", size=266.0, depth=0, surface=Finish(shading="unlit"))
        other = _seen(_shot(emblem))
        # Edges of single parts lie over one another, those of an emblem beside one another.
        off = np.abs(own - other).max(axis=2) * 255
        self.assertLess(float((off > 2).mean()), 1e-3)
        self.assertLess(float(off.max()), 10)
        np.testing.assert_allclose(own[..., 3], other[..., 3], atol=0.02)

    def test_a_pose_is_what_an_independent_rasteriser_draws(self) -> None:
        # The head and all in it turned by 20 degrees about (126, 116) against the clock, the far leg by -30 about (136, 252).
        drawn = _PUFFIN.replace('<g id="head">', '<g id="head" transform="rotate(-20 126 116)">')
        drawn = drawn.replace('<g id="leg-far">', '<g id="leg-far" transform="rotate(30 136 252)">')
        posed = _puffin(limbs={"head": Limb(turn=20), "leg_far": Limb(turn=-30)})
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            page = '<rect width="240" height="320" fill="#808080"/>'
            head, rest = drawn.split("<title>", 1)
            data = resvg_py.svg_to_bytes(svg_string=head + page + "<title>" + rest, width=240 * 4, height=320 * 4)
            true = decode(np.asarray(Image.open(io.BytesIO(bytes(data))).convert("RGB"), np.float64) / 255)
            want = true.reshape(320, 4, 240, 4, 3).mean(axis=(1, 3))
            beauty = _seen(_shot(posed), assets=assets)
        over = beauty[..., :3] + (1 - beauty[..., 3:]) * decode(np.array(128 / 255))
        # The drawing's middle (119, 167) stands in the middle of the raster.
        low, high = (22.0, 34.0), (216.0, 300.0)
        left, top = round(150 - (low[0] + high[0]) / 2), round(180 - (low[1] + high[1]) / 2)
        own = over[top : top + 320, left : left + 240]
        off = np.abs(own - want).max(axis=2)
        self.assertLess(float(off.mean()), 1e-3)
        # The rasteriser lays edges over one another that lie beside one another here.
        self.assertLess(float((off > 0.1).mean()), 1e-3)

    def test_marks_tell_where_parts_turn_and_end_and_how_their_own_places_are_seen(self) -> None:
        placement = Placement(position=(20, -10, 0), rotation=(0, 0, 30), scale=(1.2, 1.2, 1.2))
        still = {"head": Limb(turn=25), "leg_far": Limb(turn=-30, move=(4, 2))}
        for mirrored in (False, True):
            puppet = _puffin(limbs=still, placement=placement, mirrored=mirrored)
            before = {one.name: one for one in marks_of(_shot(puppet), "bird", 1, NOWHERE)}
            for code, limb in still.items():
                own = np.array(before[code].own).reshape(2, 3)
                pivot, tip = np.array(before[code].points)
                # The point of the part's own places that is seen at its pivot, given as its pivot, changes nothing.
                at = np.linalg.solve(own[:, :2], pivot - own[:, 2])
                typed = limb.model_copy(update={"turns_about": "a point", "pivot": (float(at[0]), float(at[1]))})
                same = puppet.model_copy(update={"limbs": {**still, code: typed}})
                after = {one.name: one for one in marks_of(_shot(same), "bird", 1, NOWHERE)}
                np.testing.assert_allclose(after[code].points, before[code].points, atol=1e-4)
                # A turn by 10 degrees turns the way to the tip by as much in the plane that carries it.
                more = puppet.model_copy(
                    update={"limbs": {**still, code: limb.model_copy(update={"turn": limb.turn + 10})}}
                )
                turned = {one.name: one for one in marks_of(_shot(more), "bird", 1, NOWHERE)}
                np.testing.assert_allclose(turned[code].points[0], pivot, atol=1e-6)
                carried = np.linalg.inv(np.array(before[code].carried).reshape(2, 2))
                one, other = carried @ (tip - pivot), carried @ (np.array(turned[code].points[1]) - pivot)
                angle = np.degrees(np.arctan2(other[1], other[0]) - np.arctan2(one[1], one[0]))
                self.assertAlmostEqual((angle + 180) % 360 - 180, 10, places=6)
        with self.assertRaises(InputError):
            marks_of(_shot(_puffin()), "cat", 1, NOWHERE)
        # Nothing of it is there.
        nobody = Spray(id="nobody", looks="soft dots")
        self.assertEqual(marks_of(_shot(nobody, _puffin(inside="nobody")), "bird", 1, NOWHERE), ())

    def test_a_part_bends_at_a_point_that_is_typed_as_at_one_that_is_marked(self) -> None:
        bar = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><g id="arm"><rect x="20" y="40" width="160" height="20"/>{}</g></svg>'
        marks = '<circle id="pivot" cx="30" cy="50" r="1"/>{}<circle id="tip" cx="180" cy="50" r="1"/>'
        joint = '<circle id="bend" cx="110" cy="50" r="1"/>'
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            marked, plain = ("asset:" + assets.add(bar.format(marks.format(inner)).encode()) for inner in (joint, ""))
            want = _seen(
                _shot(Puppet(id="it", drawing=marked, size=160, limbs={"arm": Limb(bend=70)})), 1, "check", assets
            )
            # From the middle of the drawing (100, 50) ten to the right.
            typed = Limb(bend=70, bends_at="a point", joint=(10, 0))
            own = _seen(_shot(Puppet(id="it", drawing=plain, size=160, limbs={"arm": typed})), 1, "check", assets)
            np.testing.assert_allclose(own, want, atol=1e-6)
            without = _seen(
                _shot(Puppet(id="it", drawing=plain, size=160, limbs={"arm": Limb(bend=70)})), 1, "check", assets
            )
            self.assertGreater(float(np.abs(without - want).max()), 0.5)
            (_, arm) = marks_of(_shot(Puppet(id="it", drawing=plain, size=160, limbs={"arm": typed})), "it", 1, assets)
            np.testing.assert_allclose(arm.points[2], (150 + 10, 180), atol=1e-6)

    def test_turned_round_it_is_mirrored(self) -> None:
        own, other = _seen(_shot(_puffin())), _seen(_shot(_puffin(mirrored=True)))
        off = np.abs(own - other[:, ::-1])
        # Samples of a pixel lie otherwise seen in a mirror: 4 of 64 at most.
        self.assertLess(float(off.max()), 0.0626)
        self.assertLess(float((off > 0.01).mean()), 0.005)

    def test_one_mouth_after_the_other_is_shown(self) -> None:
        pictures = [_seen(_shot(_puffin(limbs={"mouth": Limb(shows=shows)})), quality="check") for shows in range(1, 7)]
        for one, other in zip(pictures, pictures[1:], strict=False):
            self.assertGreater(float(np.abs(one - other).max()), 0.1)
        default = _seen(_shot(_puffin()), quality="check")
        np.testing.assert_array_equal(default, pictures[0])

    def test_gradients_lie_as_drawn_and_go_along_with_their_part(self) -> None:
        art = (
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><defs><linearGradient id="g" gradientUnits="userSpaceOnUse" x1="100" x2="200">'
            '<stop stop-color="#000000"/><stop offset="1" stop-color="#ffffff"/></linearGradient></defs>'
            '<g id="left"><rect width="100" height="100" fill="#ff0000"/></g><g id="right"><rect x="100" width="100" height="100" fill="url(#g)"/></g></svg>'
        )
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            name = "asset:" + assets.add(art.encode())
            for turn, row in ((0, (0, 1)), (180, (0, -1))):
                puppet = Puppet(id="bird", drawing=name, size=200, limbs={"right": Limb(turn=turn)})
                beauty = _seen(_shot(puppet), assets=assets)
                line = beauty[180, 150 + 6 : 250 - 6 : 8, 0]
                self.assertTrue((np.diff(line) * row[1] > 0).all(), turn)

    def test_it_is_blurred_while_it_turns_and_keeps_its_parts_in_order(self) -> None:
        turns = Track(keys=(Key(frame=1, value=-60, way="straight"), Key(frame=13, value=60)))
        nearer = Track(keys=(Key(frame=1, value=-9, way="straight"), Key(frame=6, value=9)))
        moves = {"limbs.wing.turn": turns, "limbs.wing.order": nearer}
        shot = _shot(_puffin(moves=moves), motion=Motion(angle=180))
        snapshot = resolve(shot, 3, NOWHERE)
        self.assertEqual({len(one) for one in snapshot.stations}, {len(snapshot.bodies)})
        still = _seen(_shot(_puffin(moves=moves)), 4, "check")
        blurred = _seen(shot, 4, "check")
        self.assertGreater(int((np.abs(blurred - still).max(axis=2) > 0.02).sum()), 300)
        # Wing bodies stand where the wing is: what moves is named the same at every station.
        names = [body.id for body in snapshot.bodies]
        at = names.index("bird/wing")
        moved = np.array([station[at] for station in snapshot.stations])
        self.assertGreater(float(np.ptp(moved, axis=0).max()), 0.01)
        others = np.delete(np.array(snapshot.stations), at, axis=1)
        self.assertLess(float(np.ptp(others, axis=0).max()), 1e-9)


class Documents(unittest.TestCase):
    def test_parts_have_keys_under_their_names_whether_the_document_says_something_of_them_or_not(self) -> None:
        shot = _shot(_puffin(limbs={"head": Limb(turn=5)}))
        for field, value in (("head.turn", 5), ("wing.bend", 0), ("mouth.shows", -1), ("eyes.there", True)):
            found = put_key(shot, f"elements.0.limbs.{field}", 7).values["elements.0.moves"]
            self.assertEqual(found[f"limbs.{field}"]["keys"][0]["value"], value)
        for wrong in ("head.nothing", "head.hangs_on", "head"):
            with self.assertRaises(InputError):
                put_key(shot, f"elements.0.limbs.{wrong}", 7)

    def test_which_drawing_is_shown_never_goes_through_others(self) -> None:
        shows = Track(keys=(Key(frame=1, value=1), Key(frame=11, value=6)))
        shot = _shot(_puffin(moves={"limbs.mouth.shows": shows}))
        seen = set()
        for frame in range(1, 12):
            bodies = resolve(shot, frame, NOWHERE).bodies
            seen |= {
                body.id for body in bodies if body.id.startswith("bird/mouth") and not body.shape.endswith("nothing")
            }
        self.assertEqual(seen, {"bird/mouth_rest", "bird/mouth_teeth"})

    def test_it_is_written_and_read_and_says_what_is_wrong(self) -> None:
        act = Act(name="Wave", steps=(Step(pose="Up", at=0), Step(pose="", at=12)))
        puppet = _puffin(poses=(NamedPose(name="Up", limbs={"wing": Stance(turn=80)}),), acts=(act,))
        shot = _shot(puppet)
        self.assertEqual(parse_shot(write_shot(shot)), shot)
        with self.assertRaisesRegex(ValidationError, "no pose 'Down'"):
            _puffin(acts=(Act(steps=(Step(pose="Down"),)),))
        with self.assertRaisesRegex(ValidationError, "two poses are called"):
            _puffin(poses=(NamedPose(name="a"), NamedPose(name="a")))
        with self.assertRaisesRegex(ValidationError, "stand at one frame"):
            Act(steps=(Step(at=3), Step(at=3)))
        with self.assertRaisesRegex(ValidationError, "comes after the end"):
            Act(length=10, steps=(Step(at=12),))
        # What a drawing does not have does no harm: it may come back with another file.
        resolve(_shot(_puffin(limbs={"third_wing": Limb(turn=4, hangs_on="fourth")})), 1, NOWHERE)

    def test_acts_go_along_when_the_shot_goes_to_other_frames(self) -> None:
        act = Act(steps=(Step(),), start=5)
        changed = shift_all(_shot(_puffin(acts=(act, act))), 10).values
        self.assertEqual((changed["elements.0.acts.0.start"], changed["elements.0.acts.1.start"]), (15, 15))


class Acts(unittest.TestCase):
    _POSES = (
        NamedPose(name="Up", limbs={"wing": Stance(turn=80, stretch=(2, 1))}),
        NamedPose(name="Down", limbs={"wing": Stance(turn=-20), "mouth": Stance(shows=3)}),
    )

    def _turn(self, act: Act, frame: int, **more: Any) -> float:
        puppet = _puffin(poses=self._POSES, acts=(act,), **more)
        bodies = {body.id: body for body in resolve(_shot(puppet), frame, NOWHERE).bodies}
        matrix = np.array(bodies["bird/wing"].matrix).reshape(4, 4)
        return float(np.degrees(np.arctan2(matrix[1, 0], matrix[0, 0])))

    def test_poses_come_at_their_frames_and_the_way_between_is_even(self) -> None:
        act = Act(steps=(Step(pose="Up", at=0), Step(pose="Down", at=10)), length=20, way="straight", start=1)
        for frame, turn in ((1, 80), (6, 30), (11, -20), (16, 30), (21, 80), (31, -20)):
            self.assertAlmostEqual(self._turn(act, frame), turn, 6, str(frame))
        once = act.model_copy(update={"plays": "once"})
        for frame, turn in ((11, -20), (40, -20)):
            self.assertAlmostEqual(self._turn(once, frame), turn, 6)
        twice = act.model_copy(update={"times": 1})
        self.assertAlmostEqual(self._turn(twice, 21), 0, 6)
        back = Act(
            steps=(Step(pose="", at=0), Step(pose="Up", at=9)), length=10, way="straight", plays="back and forth"
        )
        self.assertAlmostEqual(self._turn(back, 10), 80, 6)
        self.assertAlmostEqual(self._turn(back, 12), 80, 6)
        self.assertAlmostEqual(self._turn(back, 21), 0, 6)

    def test_acts_add_to_what_is_set_by_their_strength_and_come_and_go(self) -> None:
        act = Act(steps=(Step(pose="Up"),), length=20, strength=0.5, way="straight")
        self.assertAlmostEqual(self._turn(act, 3, limbs={"wing": Limb(turn=15)}), 55, 6)
        eases = Act(steps=(Step(pose="Up"),), length=20, times=1, ease=10)
        self.assertAlmostEqual(self._turn(eases, 1), 0, 6)
        self.assertAlmostEqual(self._turn(eases, 11), 80, 6)
        self.assertLess(self._turn(eases, 20), 5)
        self.assertGreater(self._turn(eases, 6), 20)
        fast = Act(steps=(Step(pose="Up", at=0), Step(pose="Down", at=10)), length=20, way="straight", speed=2)
        self.assertAlmostEqual(self._turn(fast, 6), -20, 6)

    def test_any_frame_is_the_same_alone(self) -> None:
        act = Act(steps=(Step(pose="Up", at=0), Step(pose="Down", at=7)), length=13)
        shot = _shot(_puffin(poses=self._POSES, acts=(act,)), layers=(Layer(),))
        in_order = [resolve(shot, frame, NOWHERE).bodies for frame in range(1, 20)]
        self.assertEqual(in_order[15], resolve(shot, 16, NOWHERE).bodies)


class Speech(unittest.TestCase):
    def _shot(self, **more: Any) -> Shot:
        return _shot(
            _puffin(),
            sounds=(Sound(id="voice", file="puffin-voice"),),
            timing=Timing(rate="24", last=96, cycle=False),
            **more,
        )

    def test_a_voice_becomes_keys_of_a_mouth_blinks_and_nods(self) -> None:
        values = {name: at + 1 for at, name in enumerate(MOUTHS)}
        given = Speaking(
            "voice",
            "elements.0.limbs.mouth.shows",
            values,
            1,
            "elements.0.limbs.eyes.shows",
            1,
            2,
            "elements.0.limbs.head.turn",
            6,
        )
        changed = speak(self._shot(), given, NOWHERE).values
        moves = changed["elements.0.moves"]
        self.assertEqual(set(moves), {"limbs.mouth.shows", "limbs.eyes.shows", "limbs.head.turn"})
        mouth = [(key["frame"], key["value"]) for key in moves["limbs.mouth.shows"]["keys"]]
        self.assertEqual(mouth[0], (1, 1))
        self.assertGreater(len({value for _, value in mouth}), 4)
        self.assertTrue(all(one[1] != other[1] for one, other in zip(mouth, mouth[1:], strict=False)))
        eyes = moves["limbs.eyes.shows"]["keys"]
        self.assertEqual({key["value"] for key in eyes}, {1, 2})
        turns = [key["value"] for key in moves["limbs.head.turn"]["keys"]]
        self.assertLessEqual(max(abs(one) for one in turns), 6)
        self.assertGreater(max(abs(one) for one in turns), 2)
        self.assertEqual(changed, speak(self._shot(), given, NOWHERE).values)
        # What was written is a document, and shows another mouth while it speaks.
        document = json.loads(write_shot(self._shot()))
        document["elements"][0]["moves"] = moves
        parse_shot(json.dumps(document))

    def test_the_pictures_of_a_card_are_mouths_too(self) -> None:
        card = Card(id="face", picture="sea", rate="as keyed", width=60)
        shot = _shot(
            card, sounds=(Sound(id="voice", file="puffin-voice"),), timing=Timing(rate="24", last=90, cycle=False)
        )
        values = {name: at + 1 for at, name in enumerate(MOUTHS)}
        moves = speak(shot, Speaking("voice", "elements.0.shows", values), NOWHERE).values["elements.0.moves"]
        keys = moves["shows"]["keys"]
        self.assertGreater(len({key["value"] for key in keys}), 4)
        document = json.loads(write_shot(shot))
        document["elements"][0]["moves"] = moves
        spoken = parse_shot(json.dumps(document))
        seen = [(key["frame"], key["value"]) for key in keys][:6]
        for frame, value in seen:
            # The same picture as that of its number alone.
            alone = shot.model_copy(update={"elements": (card.model_copy(update={"shows": value}),)})
            np.testing.assert_array_equal(_seen(spoken, frame, "rough"), _seen(alone, frame, "rough"))
        beyond, last = (_seen(_shot(card.model_copy(update={"shows": at})), 1, "rough") for at in (5000, 24))
        np.testing.assert_array_equal(beyond, last)

    def test_on_twos_mouths_change_on_every_other_frame(self) -> None:
        values = {name: at + 1 for at, name in enumerate(MOUTHS)}
        moves = speak(self._shot(), Speaking("voice", "elements.0.limbs.mouth.shows", values, 2), NOWHERE).values
        frames = [key["frame"] for key in moves["elements.0.moves"]["limbs.mouth.shows"]["keys"]]
        self.assertTrue(all((frame - 1) % 2 == 0 for frame in frames))

    def test_two_voices_one_after_the_other_keep_each_other_and_keys_by_hand(self) -> None:
        path, values = "elements.0.limbs.mouth.shows", {name: at + 1 for at, name in enumerate(MOUTHS)}
        by_hand = Key(frame=200, value=5, way="hold")
        shot = _shot(
            _puffin(moves={"limbs.mouth.shows": Track(keys=(by_hand,))}),
            sounds=(Sound(id="one", file="puffin-voice", begins=30), Sound(id="two", file="puffin-voice", begins=150)),
            timing=Timing(rate="24", last=300, cycle=False),
        )

        def spoken(shot: Shot, sound: str) -> Shot:
            moves = speak(shot, Speaking(sound, path, values), NOWHERE).values["elements.0.moves"]
            document = json.loads(write_shot(shot))
            document["elements"][0]["moves"] = moves
            return parse_shot(json.dumps(document))

        def mouths(shot: Shot) -> dict[int, Any]:
            return {key.frame: key.value for key in shot.elements[0].moves["limbs.mouth.shows"].keys}

        first = mouths(spoken(shot, "one"))
        self.assertEqual(first[1], 1)
        self.assertEqual(first[200], 5)
        second = mouths(spoken(spoken(shot, "one"), "two"))
        # The same sentence, 120 frames later.
        of_first = {at: value for at, value in second.items() if at < 150}
        self.assertEqual(of_first, {at: value for at, value in first.items() if at < 150})
        own = {at - 30: value for at, value in first.items() if 30 <= at < 150}
        again = {at - 150: value for at, value in second.items() if 150 <= at < 270}
        self.assertEqual(own, again)
        self.assertEqual(mouths(spoken(spoken(spoken(shot, "one"), "two"), "one")), second)

    def test_what_cannot_be_is_said(self) -> None:
        values = dict.fromkeys(MOUTHS, 1.0)
        good = {"sound": "voice", "mouth": "elements.0.limbs.mouth.shows", "values": values}
        for more, field in (
            ({"sound": "horn"}, "sound"),
            ({"values": {"rest": 1}}, "values"),
            ({"every": 0}, "every"),
            ({"mouth": "elements.0.limbs.mouth.hangs_on"}, "elements.0.limbs.mouth.hangs_on"),
            ({"mouth": "elements.9.limbs.mouth.shows"}, "tracks"),
            ({"mouth": "elements.0.shown"}, "elements.0.shown"),
            ({"blinks": good["mouth"]}, "blinks"),
        ):
            with self.assertRaises(InputError) as caught:
                speak(self._shot(), Speaking(**{**good, **more}), NOWHERE)  # type: ignore[arg-type]
            self.assertEqual(caught.exception.field, field, more)
