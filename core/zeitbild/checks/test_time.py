"""Findings about time on constructed cases: none missed, none invented, and each mend mends."""

import tempfile
import unittest
from pathlib import Path
from typing import Any

from PIL import Image

from zeitbild.checks import Finding, SetView, find
from zeitbild.checks.test_checks import _mended
from zeitbild.document.reading import read_shot
from zeitbild.document.retiming import value_at
from zeitbild.document.shot import Shot
from zeitbild.testing import NOWHERE

#: What this file is about.
_OWN = {
    *("nothing-moves", "empty-tail", "dead-tail", "empty-head", "dead-head", "doubled-seam"),
    *("keys-after", "keys-before", "seam-jumps", "seam-jerks", "too-fast"),
    *("doubled-frame", "empty-frames"),
}


def _keys(*pairs: tuple[int, Any], way: str = "straight", **more: Any) -> dict[str, Any]:
    return {"keys": [{"frame": frame, "value": value, "way": way} for frame, value in pairs], **more}


def _shot(last: int = 120, cycle: bool = False, angle: float = 0, **moves: Any) -> Shot:
    tracks = {name.replace("__", "."): track for name, track in moves.items()}
    return read_shot(
        {
            "version": 3,
            "raster": {"width": 640, "height": 360},
            "timing": {"first": 1, "last": last, "rate": "24", "cycle": cycle},
            "motion": {"angle": angle},
            "elements": [{"kind": "solid", "id": "box", "name": "Box", "width": 80, "moves": tracks}],
        }
    )


def _found(shot: Shot) -> dict[str, Finding]:
    return {one.code: one for one in find(shot, SetView(shot, NOWHERE)) if one.code in _OWN}


class Time(unittest.TestCase):
    def _only(self, shot: Shot, *codes: str) -> dict[str, Finding]:
        found = _found(shot)
        self.assertEqual(set(found), set(codes))
        for code, finding in found.items():
            if finding.mend:
                self.assertNotIn(code, _found(_mended(shot, finding.mend)), code)
        return found

    def test_ends_in_which_nothing_happens(self) -> None:
        tail = self._only(_shot(placement__position=_keys((1, [0, 0, 0]), (60, [90, 0, 0]))), "dead-tail")
        self.assertEqual((tail["dead-tail"].frame, tail["dead-tail"].mend), (60, {"timing.last": 60}))
        head = self._only(_shot(placement__position=_keys((61, [0, 0, 0]), (120, [90, 0, 0]))), "dead-head")
        self.assertEqual(head["dead-head"].mend, {"timing.first": 61})
        # A hold of up to two seconds is one that is meant.
        self._only(_shot(placement__position=_keys((1, [0, 0, 0]), (80, [90, 0, 0]))))
        self._only(_shot(placement__position=_keys((1, [0, 0, 0]), (120, [90, 0, 0]))))

    def test_ends_in_which_nothing_is(self) -> None:
        moves = {
            "placement__position": _keys((1, [0, 0, 0]), (120, [90, 0, 0])),
            "shown": _keys((1, False), (11, True), (100, False), way="hold"),
        }
        found = self._only(_shot(**moves), "empty-head", "empty-tail")
        self.assertEqual(found["empty-head"].mend, {"timing.first": 11})
        self.assertEqual(found["empty-tail"].mend, {"timing.last": 99})

    def test_frames_in_the_middle_in_which_nothing_is(self) -> None:
        moves = {"placement__position": _keys((1, [-90, 0, 0]), (120, [90, 0, 0]))}
        gone = _keys((1, True), (40, False), (50, True), way="hold")
        found = self._only(_shot(**moves, shown=gone), "empty-frames")["empty-frames"]
        self.assertEqual(found.frame, 40)
        self.assertIn("From frame 40 to 49", found.message)
        mended = _mended(_shot(**moves, shown=gone), found.mend)
        self.assertEqual((mended.timing.last, value_at(mended, "elements.0.shown", 40)), (110, True))
        self._only(mended)
        once = self._only(_shot(**moves, opacity=_keys((1, 1), (60, 0), (70, 1))), "empty-frames")
        self.assertIn("At frame 60", once["empty-frames"].message)
        # A layer that has no other frames cannot lose them: it is told all the same.
        raw = _shot(**moves, shown=gone).model_dump(mode="json")
        raw["layers"] = [{"name": "a"}, {"name": "b", "frames": "42-45"}]
        self.assertEqual(self._only(read_shot(raw), "empty-frames")["empty-frames"].mend, {})
        # At its ends it is the range that is too long; what hardly shows is there; and another one that stays is there, too.
        self._only(_shot(**moves, shown=_keys((1, True), (100, False), way="hold")), "empty-tail")
        self._only(_shot(**moves, opacity=_keys((1, 1), (60, 0.1), (70, 1))))
        both = _keys((1, False), (10, True), (40, False), (41, True), way="hold")
        self.assertEqual(self._only(_shot(**moves, shown=both), "empty-head", "empty-frames")["empty-frames"].frame, 40)
        # A hole that begins and ends between two frames of a range that goes in steps.
        raw = _shot(**moves, shown=_keys((1, True), (39, False), (44, True), way="hold")).model_dump(mode="json")
        raw["timing"]["step"] = 5
        in_steps = self._only(read_shot(raw), "empty-frames")["empty-frames"]
        self.assertEqual((in_steps.frame, in_steps.mend["timing"]["last"]), (41, 115))
        self._only(_mended(read_shot(raw), in_steps.mend))
        raw = _shot(**moves, shown=gone).model_dump(mode="json")
        raw["elements"].append({"kind": "solid", "id": "other", "name": "Other", "width": 40})
        self._only(read_shot(raw))

    def test_a_shot_in_which_nothing_moves_at_all(self) -> None:
        self._only(_shot(), "nothing-moves")
        self._only(_shot(last=1))
        # However long it is.
        self._only(_shot(last=9000), "nothing-moves")

    def test_a_cycle_whose_last_frame_is_its_first(self) -> None:
        there_and_back = _keys((1, 10.0), (12, 40.0), (24, 10.0), after="repeat", before="repeat")
        found = self._only(_shot(last=24, cycle=True, width=there_and_back), "doubled-seam", "seam-jumps")
        self.assertEqual(found["doubled-seam"].mend, {"timing.last": 23})
        self._only(_shot(last=23, cycle=True, width=there_and_back))

    def test_seams_that_jump_and_jerk(self) -> None:
        far = _keys((1, [-60, 0, 0]), (24, [60, 0, 0]))
        found = self._only(_shot(last=24, cycle=True, placement__position=far), "seam-jumps")
        self.assertIn("Box jumps by 9", found["seam-jumps"].message)
        light = _keys((1, "#202020"), (24, "#f0f0f0"))
        self.assertIn(
            "the picture jumps",
            self._only(_shot(last=24, cycle=True, surface__base_colour=light), "seam-jumps")["seam-jumps"].message,
        )
        self.assertEqual(found["seam-jumps"].mend, {"timing.cycle": False})
        back = _keys((1, [-60, 0, 0]), (16, [60, 0, 0]), way="gentle")
        found = self._only(_shot(last=24, cycle=True, placement__position=back), "seam-jumps")
        self.assertEqual([*found["seam-jumps"].mend], ["elements.0.moves"])
        closed = _keys((1, [-60, 0, 0]), (13, [60, 0, 0]), (25, [-60, 0, 0]), before="repeat", after="repeat")
        self._only(_shot(last=24, cycle=True, placement__position=closed), "seam-jerks")
        smooth = {**closed, "keys": [{**key, "way": "gentle"} for key in closed["keys"]]}
        self._only(_shot(last=24, cycle=True, placement__position=smooth))
        self._only(_shot(last=24, cycle=True, placement__rotation__1={"wave": {"times": 2, "amount": 30}}))

    def test_seams_of_what_has_no_open_keys(self) -> None:
        # What goes round and starts anew jumps there, and only there; where it does so on its way too it is meant to.
        def round_(times: float, amount: float = 100) -> dict[str, Any]:
            return {"wave": {"shape": "round", "times": times, "amount": amount}}

        self._only(_shot(last=24, cycle=True, placement__position__0=round_(1)), "seam-jumps")
        self._only(_shot(last=24, cycle=True, placement__position__0=round_(3)))
        self._only(_shot(last=24, cycle=True, placement__rotation__1=round_(1, 360)))
        self._only(_shot(last=24, cycle=True, placement__rotation__1=round_(1, 100)), "seam-jumps")
        saw = _keys((1, [-60, 0, 0]), (9, [60, 0, 0]), after="repeat")
        self._only(_shot(last=24, cycle=True, placement__position=saw))
        self._only(_shot(last=24, cycle=True, placement__position={**saw, "after": "onwards"}), "seam-jumps")
        self._only(
            _shot(last=24, cycle=True, placement__position__0={"wave": {"times": 1.25, "amount": 60}}), "seam-jumps"
        )
        self._only(
            _shot(last=24, cycle=True, placement__position__0={"wave": {"times": 1.5, "amount": 60}}), "seam-jerks"
        )
        # What leaps by itself may do so at the seam.
        for flash in (((1, 1), (13, 0)), ((1, 1), (13, 0), (25, 1))):
            self.assertNotIn("seam-jumps", _found(_shot(last=24, cycle=True, opacity=_keys(*flash, way="hold"))))
        self.assertNotIn("seam-jumps", _found(_shot(last=24, cycle=True, shown=_keys((1, True), (13, False)))))
        on_twos = _keys((1, [-60, 0, 0]), (13, [60, 0, 0]), (25, [-60, 0, 0]), way="gentle", every=2)
        self._only(_shot(last=24, cycle=True, placement__position=on_twos))

    def test_parts_of_turns_that_look_like_whole_ones(self) -> None:
        # A box looks the same after half a turn, but not after a quarter or with something beside it that does not.
        def turning(turns: float, shape: str = "box", **more: Any) -> set[str]:
            box = {"kind": "solid", "id": "box", "shape": shape, "width": 80, "depth": 200, "turn": {"turns": turns}}
            timing = {"first": 1, "last": 24, "cycle": True}
            shot = read_shot({"version": 3, "timing": timing, "elements": [{**box, **more}]})
            return {one.code for one in find(shot, SetView(shot, NOWHERE))} & {"open-cycle", "seam-jumps"}

        self.assertEqual(turning(0.5), set())
        self.assertEqual(turning(-1.5), set())
        self.assertEqual(turning(0.25), {"open-cycle"})
        self.assertEqual(turning(0.3, "ball", depth=80), set())
        self.assertEqual(turning(0.5, pivot_offset=[60, 0, 0]), {"open-cycle"})

    def test_keys_that_are_never_seen(self) -> None:
        moves = _keys((-8, [0, 0, 0]), (140, [90, 0, 0]))
        found = _found(_shot(placement__position=moves))
        self.assertEqual(set(found), {"keys-after", "keys-before"})
        self.assertEqual(found["keys-after"].mend, {"timing.last": 140})
        self.assertEqual(found["keys-before"].mend, {})

    def test_a_picture_that_is_doubled_on_the_way(self) -> None:
        stops = _keys((1, [-90, 0, 0]), (60, [0, 0, 0]), (61, [0, 0, 0]), (120, [90, 0, 0]))
        found = self._only(_shot(placement__position=stops), "doubled-frame")
        self.assertEqual(found["doubled-frame"].frame, 61)
        self._only(_mended(_shot(placement__position=stops), found["doubled-frame"].mend))
        # Something else moves on; a rest of two frames; on twos; a movement that turns round.
        self._only(_shot(placement__position=stops, width=_keys((1, 60.0), (120, 80.0))))
        rest = _keys((1, [-90, 0, 0]), (60, [0, 0, 0]), (62, [0, 0, 0]), (120, [90, 0, 0]))
        self._only(_shot(placement__position=rest))
        self._only(_shot(placement__position={**stops, "every": 2}))
        self._only(
            _shot(placement__position=_keys((1, [-90, 0, 0]), (60, [0, 0, 0]), (61, [-1, 0, 0]), (120, [-90, 0, 0])))
        )

    def test_what_goes_faster_than_the_eye(self) -> None:
        whip = _keys((1, [-250, 0, 0]), (60, [-240, 0, 0]), (61, [240, 0, 0]), (120, [250, 0, 0]))
        found = self._only(_shot(placement__position=whip), "too-fast")
        self.assertEqual(found["too-fast"].frame, 60)
        self._only(_shot(angle=180, placement__position=whip))
        self._only(_shot(placement__position=_keys((1, [-250, 0, 0]), (120, [250, 0, 0]))))

    def test_what_only_turns_goes_as_fast_as_its_ends(self) -> None:
        def bar(degrees: float, angle: float = 0, **more: Any) -> dict[str, Finding]:
            end = 1 + round(7200 / degrees)
            turned = _keys((1, [0, 0, 0]), (end, [0, 0, 7200]), after="onwards")
            shot = _mended(_shot(48, angle=angle, placement__rotation=turned), {"elements.0.width": 340, **more})
            return {code: one for code, one in _found(shot).items() if code == "too-fast"}

        # Its ends lie about 170 units from its middle, and a chord is twice that times the sine of half the angle.
        told = bar(90)["too-fast"]
        self.assertIn("Box goes", told.message)
        self.assertEqual(bar(12), {})
        self.assertEqual(bar(90, angle=180), {})
        # A turn that is no key.
        for turns, codes in ((16, {"too-fast"}), (2, set())):
            raw = {"elements.0.width": 340, "elements.0.turn": {"turns": turns, "axis": "z"}}
            self.assertEqual({one for one in _found(_mended(_shot(48, cycle=True), raw)) if one == "too-fast"}, codes)
        # Far outside of the picture it is nobody's matter.
        self.assertEqual(bar(90, **{"elements.0.placement": {"position": [5000, 0, 0]}}), {})

    def test_footage_at_another_rate(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "film.gif"
            pictures = [Image.new("RGB", (8, 8), (at * 60, 20, 90)) for at in range(4)]
            pictures[0].save(path, save_all=True, append_images=pictures[1:], duration=100, loop=0)

            class Held:
                def path(self, sha256: str, field: str = "") -> Path:
                    return path

            def found(of_shot: str, **card: Any) -> list[Finding]:
                shot = read_shot(
                    {
                        "version": 3,
                        "timing": {"rate": of_shot},
                        "elements": [{"kind": "card", "id": "c", "picture": f"asset:{'c7' * 32}", **card}],
                    }
                )
                return [one for one in find(shot, SetView(shot, Held())) if one.code == "footage-rate"]

            (hint,) = found("25")
            self.assertIn("10 pictures a second and the shot 25: pictures are seen twice", hint.message)
            self.assertEqual(hint.mend, {"elements.0.rate": "one a frame"})
            self.assertEqual(found("25", rate="one a frame"), [])
            self.assertEqual(found("25", picture=""), [])
