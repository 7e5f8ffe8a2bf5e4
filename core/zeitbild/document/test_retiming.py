"""What is done to the time of a shot, against the values that it had before."""

import unittest
from fractions import Fraction
from typing import Any

import numpy as np

from zeitbild.document import retiming
from zeitbild.document.evaluate import evaluate, time_of
from zeitbild.document.reading import read_shot
from zeitbild.document.retiming import Changes, all_tracks, plain_colour, value_at
from zeitbild.document.shot import Shot
from zeitbild.errors import InputError
from zeitbild.timing.easing import WAYS

_WIDTH, _PLACE, _OPEN = "elements.0.width", "elements.0.placement.position", "elements.0.opacity"


def _shot(cycle: bool = False, **moves: Any) -> Shot:
    keys = [
        {"frame": 3, "value": 10, "way": "gentle start"},
        {"frame": 8, "value": 40, "way": "past", "strength": 0.6},
        {"frame": 13, "value": 20, "way": "free", "handles": [0.1, 0.5, 0.3, 1.4]},
        {"frame": 20, "value": 70, "way": "gentle"},
    ]
    place = [{"frame": 1, "value": [0, 0, 0]}, {"frame": 24, "value": [50, 0, 9], "way": "straight"}]
    tracks = {"width": {"keys": keys}, "placement.position": {"keys": place}, **moves}
    return read_shot(
        {
            "version": 3,
            "timing": {"first": 1, "last": 24, "rate": "24", "cycle": cycle},
            "elements": [{"kind": "solid", "id": "a", "turn": {"turns": 1, "start": 20}, "moves": tracks}],
        }
    )


def _changed(shot: Shot, changes: Changes) -> Shot:
    raw = shot.model_dump(mode="json")
    for path, value in changes.values.items():
        at: Any = raw
        *names, last = path.split(".")
        for name in names:
            at = at[int(name)] if name.isdigit() else at[name]
        if isinstance(at, list):
            at[int(last)] = value
        else:
            at[last] = value
    return read_shot(raw)


class Ranges(unittest.TestCase):
    def test_moved_stretched_and_reversed(self) -> None:
        shot = _shot()
        moved = _changed(shot, retiming.move_keys(shot, [_WIDTH], 8, 13, 2))
        self.assertEqual([key.frame for key in moved.elements[0].moves["width"].keys], [3, 10, 15, 20])
        stretched = _changed(shot, retiming.stretch_keys(shot, [_WIDTH], 3, 13, 21))
        self.assertEqual([key.frame for key in stretched.elements[0].moves["width"].keys], [3, 13, 23, 30])
        for frame in range(3, 14):
            self.assertAlmostEqual(value_at(stretched, _WIDTH, 3 + 2 * (frame - 3)), value_at(shot, _WIDTH, frame))
        back = _changed(shot, retiming.reverse_keys(shot, [_WIDTH], 3, 20))
        for frame in range(3, 21):
            self.assertAlmostEqual(value_at(back, _WIDTH, 23 - frame), value_at(shot, _WIDTH, frame), places=9)
        again = _changed(back, retiming.reverse_keys(back, [_WIDTH], 3, 20))
        for frame in range(1, 25):
            self.assertAlmostEqual(value_at(again, _WIDTH, frame), value_at(shot, _WIDTH, frame), places=9)

    def test_two_keys_never_come_to_one_frame(self) -> None:
        shot = _shot()
        for call in (
            lambda: retiming.move_keys(shot, [_WIDTH], 8, 8, 5),
            lambda: retiming.stretch_keys(shot, [_WIDTH], 3, 20, 2),
        ):
            with self.assertRaises(InputError) as caught:
                call()
            self.assertIn("two keys would stand at frame", str(caught.exception))

    def test_deleted_keys_leave_what_is_seen(self) -> None:
        shot = _shot()
        left = _changed(shot, retiming.delete_keys(shot, [_WIDTH, _PLACE], 12, 24))
        self.assertEqual([key.frame for key in left.elements[0].moves["width"].keys], [3, 8])
        gone = _changed(shot, retiming.delete_keys(shot, [_WIDTH], 1, 24))
        self.assertNotIn("width", gone.elements[0].moves)
        self.assertEqual(gone.elements[0].width, value_at(shot, _WIDTH, 1))

    def test_on_twos_each_value_holds_for_two_frames(self) -> None:
        shot = _shot()
        twos = _changed(shot, retiming.step_keys(shot, [_WIDTH], 2))
        for frame in range(3, 24):
            self.assertEqual(value_at(twos, _WIDTH, frame), value_at(shot, _WIDTH, frame - (frame - 3) % 2))

    def test_a_loop_leads_into_its_beginning(self) -> None:
        shot = _shot(cycle=True)
        loop = _changed(shot, retiming.loop_keys(shot, [_WIDTH, _PLACE], 1, 24))
        for path in (_WIDTH, _PLACE):
            self.assertEqual(value_at(loop, path, 25), value_at(loop, path, 1))
            self.assertEqual(value_at(loop, path, 24 + 7), value_at(loop, path, 7))
            # While the shutter opens before the first frame it is seen as after the last.
            half = Fraction(1, 2)
            self.assertEqual(value_at(loop, path, 1 - half), value_at(loop, path, 25 - half))
        self.assertEqual(value_at(loop, _WIDTH, 13), value_at(shot, _WIDTH, 13))

    def test_a_key_at_a_frame_changes_nothing_there(self) -> None:
        shot = _shot()
        for path in (
            _WIDTH,
            _PLACE,
            "elements.0.surface.base_colour",
            "elements.0.placement.rotation.1",
            "camera.angle",
        ):
            put = _changed(shot, retiming.put_key(shot, path, 10))
            before, after = value_at(shot, path, 10), value_at(put, path, 10)
            self.assertEqual(before, after)
        waved = _shot(
            depth={"wave": {"times": 3, "amount": 4}},
            height={"keys": [{"frame": 1, "value": 50}], "wave": {"times": 3, "amount": 4}},
        )
        for path in ("elements.0.depth", "elements.0.height"):
            put = _changed(waved, retiming.put_key(waved, path, 10))
            for at in (5, 10, 17):
                self.assertEqual(value_at(put, path, at), value_at(waved, path, at))
        with self.assertRaises(InputError):
            retiming.put_key(shot, "elements.0.turn.turns", 3)
        with self.assertRaises(InputError):
            retiming.put_key(shot, "raster.width", 3)
        with self.assertRaises(InputError):
            retiming.put_key(shot, _WIDTH, 3, -5)


class Choices(unittest.TestCase):
    def test_fades_flashes_and_holds_are_ordinary_keys(self) -> None:
        shot = _shot()
        both = _changed(shot, retiming.fade(shot, ["elements.0"], 1, 8, out=False))
        both = _changed(both, retiming.fade(both, ["elements.0"], 24, 6, out=True))
        found = [value_at(both, _OPEN, frame) for frame in (1, 5, 9, 14, 18, 21, 24)]
        self.assertEqual(found, [0, 0.5, 1, 1, 1, 0.5, 0])
        flash = _changed(shot, retiming.flash(shot, ["elements.0"], 7, 3))
        self.assertEqual([value_at(flash, _OPEN, frame) for frame in range(5, 12)], [0, 0, 1, 1, 1, 0, 0])
        held = _changed(shot, retiming.hold_at_end(shot, 12))
        self.assertEqual((held.timing.last, held.timing.cycle), (36, False))
        with self.assertRaises(InputError):
            retiming.fade(shot, ["camera"], 1, 8, out=False)
        with self.assertRaises(InputError):
            retiming.flash(shot, ["elements.0"], 1, 0)

    def test_all_of_it_fades_as_one_group(self) -> None:
        shot = _shot()
        faded = _changed(shot, retiming.fade(shot, [], 1, 10, out=False))
        self.assertEqual([(one.id, one.inside) for one in faded.elements], [("all", ""), ("a", "all")])
        self.assertEqual([value_at(faded, "elements.0.opacity", at) for at in (1, 6, 11)], [0, 0.5, 1])
        # What moved still does.
        self.assertEqual(value_at(faded, "elements.1.width", 13), value_at(shot, _WIDTH, 13))
        both = _changed(faded, retiming.fade(faded, [], 24, 4, out=True))
        self.assertEqual(len(both.elements), 2)
        self.assertEqual([value_at(both, "elements.0.opacity", at) for at in (11, 20, 24)], [1, 1, 0])
        with self.assertRaises(InputError):
            retiming.fade(read_shot({"version": 3}), [], 1, 10, out=False)


class Whole(unittest.TestCase):
    def _same(self, before: Shot, after: Shot, frame: int, other: int | Fraction) -> None:
        for path in all_tracks(before):
            one, two = value_at(before, path, frame), value_at(after, path, other)
            for a, b in zip(*(value if isinstance(value, tuple) else (value,) for value in (one, two)), strict=True):
                self.assertAlmostEqual(a, b, places=9, msg=f"{path} at {frame}")
        turned = [
            evaluate(shot, time_of(shot, at)).elements[0].turn.start for shot, at in ((before, frame), (after, other))
        ]
        self.assertAlmostEqual(turned[0] % 360, turned[1] % 360, places=9)

    def test_shifted(self) -> None:
        shot = _shot()
        later = _changed(shot, retiming.shift_all(shot, 1000))
        self.assertEqual((later.timing.first, later.timing.last), (1001, 1024))
        for frame in range(1, 25):
            self._same(shot, later, frame, frame + 1000)
        with self.assertRaises(InputError):
            retiming.shift_all(shot, -5)

    def test_all_that_is_told_in_frames_goes_along(self) -> None:
        raw = {
            "version": 3,
            "timing": {"first": 11, "last": 34, "rate": "24"},
            "sounds": [{"id": "horn", "file": "foghorn", "begins": 17}],
            "ranges": [{"name": "Loop", "first": 13, "last": 20}],
            "elements": [
                {"kind": "card", "id": "sea", "picture": "sea", "start": 15},
                {"kind": "model", "id": "puffin", "model": "puffin", "plays": "once", "clip_start": 19},
            ],
            "layers": [{"name": "main", "frames": "11-20,30"}],
        }
        shot = read_shot(raw)

        def frames(shot: Shot) -> list[int]:
            card, model = shot.elements
            named = shot.ranges[0]
            return [shot.sounds[0].begins, named.first, named.last, card.start, model.clip_start]

        later = _changed(shot, retiming.shift_all(shot, 100))
        self.assertEqual(frames(later), [117, 113, 120, 115, 119])
        self.assertEqual(later.layers[0].frames, "111-120,130")
        # Twice as many frames a second: twice as far from the first.
        change = retiming.change_rate(shot, "60", keep_seconds=True)
        self.assertEqual(frames(_changed(shot, change)), [26, 16, 34, 21, 31])
        self.assertIn("the frames of main stay as they are", change.note)
        self.assertEqual(frames(_changed(shot, retiming.change_rate(shot, "60", keep_seconds=False))), frames(shot))
        with self.assertRaises(InputError) as caught:
            retiming.shift_all(shot, -12)
        self.assertIn("before", str(caught.exception))
        self.assertIn("plays forwards still", retiming.reverse_all(shot).note)
        self.assertEqual(retiming.reverse_all(_shot()).note, "")

    def test_stretched(self) -> None:
        for cycle, frames in ((False, 47), (True, 48)):
            shot = _shot(cycle, height={"wave": {"times": 2, "amount": 5}})
            long = _changed(shot, retiming.stretch_all(shot, frames))
            self.assertEqual(long.timing.last, frames)
            for frame in range(1, 25):
                self._same(shot, long, frame, 2 * frame - 1)

    def test_frames_taken_out_leave_all_others_as_they_were(self) -> None:
        random = np.random.default_rng(11)
        for number in range(60):
            moves = {}
            for field, low, high in (("width", 5, 90), ("turn_x", -300, 300), ("place", 0, 0), ("side", 3, 24)):
                at = sorted(random.choice(np.arange(-4, 32), int(random.integers(1, 6)), replace=False))
                keys = []
                for frame in at:
                    value: Any = float(random.uniform(low, high))
                    key = {
                        "frame": int(frame),
                        "way": str(random.choice(WAYS)),
                        "strength": float(random.uniform(0.1, 0.9)),
                    }
                    if field == "place":
                        value = [float(one) for one in random.uniform(-50, 50, 3)]
                        if key["way"] == "free" and number % 2:
                            key["lifts"] = [[3, -4], [0, 2], [1, 1]]
                    if field == "side":
                        value = round(value)
                    keys.append({**key, "value": value, "handles": [0.2, -0.6, 0.7, 1.3]})
                moves[field] = {"keys": keys}
            hidden = {
                "keys": [{"frame": 4, "value": False, "way": "hold"}, {"frame": 15, "value": True, "way": "gentle"}]
            }
            colour = [{"frame": 2, "value": "#102030"}, {"frame": 19, "value": "#f0c040", "way": "bounce"}]
            tracks = {
                "width": moves["width"],
                "placement.rotation.1": moves["turn_x"],
                "placement.position": moves["place"],
                "shape": {"keys": [{"frame": 6, "value": "ball"}, {"frame": 11, "value": "ring", "way": "straight"}]},
                "shown": hidden,
                "surface.base_colour": {"keys": [*colour, {"frame": 23, "value": "#000000"}]},
            }
            raw = _shot(**tracks).model_dump(mode="json")
            raw["elements"].append({"kind": "shape", "id": "star", "moves": {"points": moves["side"]}})
            shot = read_shot(raw)
            first, last = sorted(int(one) for one in random.integers(1, 25, 2))
            if last - first == 23:
                continue
            cut = _changed(shot, retiming.take_out(shot, first, last))
            self.assertEqual((cut.timing.first, cut.timing.last), (1, 24 - (last - first + 1)))
            for frame in [one for one in range(1, 25) if not first <= one <= last]:
                now = frame if frame < first else frame - (last - first + 1)
                for path in all_tracks(shot):
                    with self.subTest(number=number, path=path, frame=frame, out=(first, last)):
                        before, after = value_at(shot, path, frame), value_at(cut, path, now)
                        if isinstance(before, bool) or path.endswith(".shape"):
                            self.assertEqual(after, before)
                        elif isinstance(before, str):
                            levels = [np.array(list(bytes.fromhex(plain_colour(one)[1:]))) for one in (before, after)]
                            np.testing.assert_allclose(*levels, atol=1)
                        else:
                            np.testing.assert_allclose(after, before, atol=1e-6)

    def test_a_way_that_is_cut_stays_one_curve(self) -> None:
        shot = _shot()
        cut = _changed(shot, retiming.take_out(shot, 10, 15))
        keys = cut.elements[0].moves["width"].keys
        self.assertEqual([key.frame for key in keys], [3, 8, 9, 10, 14])
        self.assertEqual([key.way for key in keys], ["gentle start", "free", "straight", "free", "gentle"])
        # In between frames, too, as motion blur sees it.
        for frame in (8.25, 8.5, 16.5, 17.25, 19.9):
            now = Fraction(frame if frame < 10 else frame - 6)
            self.assertAlmostEqual(value_at(cut, _WIDTH, now), value_at(shot, _WIDTH, Fraction(frame)), places=6)

    def test_more_keys_than_a_value_has_are_refused(self) -> None:
        raw = _shot().model_dump(mode="json")
        raw["timing"]["last"] = 4000
        raw["elements"][0]["moves"]["width"]["keys"] = [
            {"frame": 1, "value": 10, "way": "bounce"},
            {"frame": 4000, "value": 90},
        ]
        with self.assertRaises(InputError) as caught:
            retiming.take_out(read_shot(raw), 2000, 2001)
        self.assertIn("it has up to 1,000", caught.exception.message)

    def test_all_that_is_told_in_frames_goes_with_what_is_taken_out(self) -> None:
        raw = _shot().model_dump(mode="json")
        raw["ranges"] = [
            {"name": "a", "first": 2, "last": 12},
            {"name": "b", "first": 11, "last": 20},
            {"name": "c", "first": 11, "last": 12},
        ]
        raw["layers"] = (
            [{**raw["layers"][0], "frames": "1-11, 15, 20"}]
            if raw["layers"]
            else [{"name": "main", "frames": "1-11, 15, 20"}]
        )
        shot = read_shot(raw)
        changes = retiming.take_out(shot, 10, 14)
        cut = _changed(shot, changes)
        self.assertEqual([(one.first, one.last) for one in cut.ranges], [(2, 9), (10, 15), (10, 10)])
        self.assertEqual(cut.layers[0].frames, "1-10,15")
        self.assertIn("turns and waves", changes.note)
        for first, last, said in (
            (0, 3, "from 1 to 24"),
            (5, 4, "from 1 to 24"),
            (20, 25, "from 1 to 24"),
            (1, 24, "one frame"),
        ):
            with self.assertRaises(InputError) as caught:
                retiming.take_out(shot, first, last)
            self.assertIn(said, caught.exception.message)
        raw["layers"][0]["frames"] = "11-12"
        with self.assertRaises(InputError) as caught:
            retiming.take_out(read_shot(raw), 10, 14)
        self.assertIn("no frames left", caught.exception.message)

    def test_reversed(self) -> None:
        for cycle in (False, True):
            shot = _shot(cycle, height={"wave": {"times": 2, "amount": 5, "begins": 0.1}})
            back = _changed(shot, retiming.reverse_all(shot))
            for frame in range(2 if cycle else 1, 25):
                self._same(shot, back, frame, (26 if cycle else 25) - frame)

    def test_another_rate(self) -> None:
        shot = _shot()
        frames = _changed(shot, retiming.change_rate(shot, "30", keep_seconds=False))
        self.assertEqual((frames.timing.rate, frames.timing.last), ("30", 24))
        seconds = _changed(shot, retiming.change_rate(shot, "30", keep_seconds=True))
        self.assertEqual((seconds.timing.rate, seconds.timing.last), ("30", 30))
        for before, after in zip(
            shot.elements[0].moves["width"].keys, seconds.elements[0].moves["width"].keys, strict=True
        ):
            self.assertLessEqual(abs((before.frame - 1) / 24 - (after.frame - 1) / 30), 0.5 / 30 + 1e-9)
        near = _shot(depth={"keys": [{"frame": at, "value": at} for at in range(1, 25)]})
        slower = retiming.change_rate(near, "25", keep_seconds=True)
        self.assertEqual(slower.note, "")
        halved = read_shot({**near.model_dump(mode="json"), "timing": {"rate": "60", "first": 1, "last": 60}})
        self.assertIn("keys came to frames", retiming.change_rate(halved, "24", keep_seconds=True).note)
        with self.assertRaises(InputError):
            retiming.change_rate(shot, "23", keep_seconds=True)
