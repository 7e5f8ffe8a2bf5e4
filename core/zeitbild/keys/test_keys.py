"""Keys, ways between them and what is around them, against published values and libraries of other people."""

import gc
import unittest
import weakref
from fractions import Fraction
from typing import Any

import numpy as np
from scipy.interpolate import BPoly
from scipy.optimize import brentq
from scipy.spatial.transform import Rotation, Slerp

from zeitbild.colour import decode_hex, encode
from zeitbild.document.evaluate import at_rest, evaluate, time_of
from zeitbild.document.reading import read_shot
from zeitbild.document.retiming import value_below
from zeitbild.document.shot import Backdrop, Camera, Environment, Shot
from zeitbild.elements import kinds
from zeitbild.errors import DocumentError, InputError
from zeitbild.finishes.finish import NamedFinish
from zeitbild.keys.editing import backwards
from zeitbild.keys.measure import fields_of, measure_of
from zeitbild.keys.rotations import between
from zeitbild.lights import kinds as light_kinds
from zeitbild.timing.easing import WAYS, bezier, share_of_way, waves


def _shot(moves: dict[str, Any], **more: Any) -> Shot:
    return read_shot({"version": 3, "elements": [{"kind": "solid", "id": "a", "moves": moves}], **more})


def _width(track: dict[str, Any], frame: int | Fraction, **more: Any) -> float:
    shot = _shot({"width": track}, **more)
    return float(evaluate(shot, time_of(shot, frame)).elements[0].width)


def _keys(*pairs: tuple[int, Any], way: str = "straight") -> list[dict[str, Any]]:
    return [{"frame": frame, "value": value, "way": way} for frame, value in pairs]


class Easing(unittest.TestCase):
    def test_published_curves(self) -> None:
        # CSS Easing Functions Level 1: ease-in-out is symmetric about (0.5, 0.5).
        self.assertAlmostEqual(bezier((0.42, 0, 0.58, 1), 0.5), 0.5, places=15)
        for share in np.linspace(0, 1, 21):
            both = bezier((0.42, 0, 0.58, 1), float(share)) + bezier((0.42, 0, 0.58, 1), 1 - float(share))
            self.assertAlmostEqual(both, 1, places=14)
            # ... and ease-out is ease-in the other way round.
            self.assertAlmostEqual(
                bezier((0, 0, 0.58, 1), float(share)), 1 - bezier((0.42, 0, 1, 1), 1 - float(share)), 14
            )
            self.assertAlmostEqual(bezier((0, 0, 1, 1), float(share)), float(share), places=14)
        named = {"gentle": (0.42, 0, 0.58, 1), "gentle start": (0.42, 0, 1, 1), "gentle end": (0, 0, 0.58, 1)}
        for way, handles in named.items():
            for share in (0.1, 0.37, 0.8):
                found = share_of_way(way, 0.42, (0, 0, 0, 0), share)  # type: ignore[arg-type]
                self.assertAlmostEqual(found, bezier(handles, share), places=14)  # type: ignore[arg-type]

    def test_any_curve_against_a_general_solver(self) -> None:
        random = np.random.default_rng(3)
        cases = [
            *random.uniform(0, 1, (300, 4)).tolist(),
            [1, 0, 0, 1],
            [0, 0, 0, 0],
            [1, 1, 1, 1],
            [0, 2, 1, -1],
            [1, 0, 1, 1],
        ]
        for x1, y1, x2, y2 in cases:
            for share in (1e-9, 0.02, 0.5, 0.77, 1 - 1e-9):

                def point(t: float, a: float, b: float) -> float:
                    return 3 * a * t * (1 - t) ** 2 + 3 * b * t * t * (1 - t) + t**3

                t = brentq(lambda t: point(t, x1, x2) - share, 0, 1, xtol=1e-15, rtol=1e-14)  # noqa: B023
                # Where the curve stands upright its height is known no better than the time.
                found = bezier((x1, y1, x2, y2), share)
                slope = abs((point(t + 1e-7, x1, x2) - point(t - 1e-7, x1, x2)) / 2e-7)
                self.assertAlmostEqual(found, point(t, y1, y2), delta=1e-9 if slope > 1e-3 else 1e-4)

    def test_every_way_begins_and_ends_at_its_keys(self) -> None:
        for way in WAYS:
            for strength in (0.0, 0.3, 1.0):
                goes = [share_of_way(way, strength, (0.1, 0.9, 0.2, 1.3), at) for at in (0.0, 1.0)]
                self.assertEqual(goes, [0.0, 1.0], (way, strength))

    def test_past_overshoots_and_bounce_does_not(self) -> None:
        past = [share_of_way("past", 0.42, (0, 0, 0, 0), at / 200) for at in range(201)]
        # The overshoot of 1.70158 is a tenth of the way (Penner 2002).
        self.assertAlmostEqual(max(past), 1.1, delta=0.001)
        bounce = [share_of_way("bounce", 0.5, (0, 0, 0, 0), at / 2000) for at in range(2001)]
        self.assertLessEqual(max(bounce), 1)
        touches = [at for at in range(1, 2000) if bounce[at] >= bounce[at - 1] and bounce[at] > bounce[at + 1]]
        self.assertEqual(len(touches), 4)
        # At half its speed it comes up to a quarter of the height (energy).
        between_touches = bounce[touches[0] : touches[1]]
        self.assertAlmostEqual(1 - min(between_touches), 0.25, delta=0.001)

    def test_waves_are_exact_at_quarters(self) -> None:
        for at, wanted in enumerate((0.0, 1.0, 0.0, -1.0) * 3):
            self.assertEqual(waves(3, at, 12, 0.0), wanted)
        for at in range(97):
            self.assertAlmostEqual(waves(2.5, at, 97, 0.1), np.sin(2 * np.pi * (2.5 * at / 97 + 0.1)), places=12)


class Rotations(unittest.TestCase):
    def test_the_shortest_way_against_scipy(self) -> None:
        random = np.random.default_rng(5)
        for _ in range(200):
            start, end = (tuple(float(one) for one in random.uniform(-400, 400, 3)) for _ in range(2))
            slerp = Slerp([0, 1], Rotation.from_euler("xyz", [start, end], degrees=True))
            for share in (0.0, 0.2, 0.5, 0.9, 1.0):
                found = Rotation.from_euler("xyz", between(start, end, share), degrees=True)  # type: ignore[arg-type]
                self.assertLess((found.inv() * slerp(share)).magnitude(), 1e-7)

    def test_a_quarter_turn_about_y_on_the_way_loses_nothing(self) -> None:
        for share in np.linspace(0, 1, 41):
            found = between((0, 0, 0), (0, 180, 20), float(share))
            self.assertTrue(np.isfinite(found).all())
        upright = Rotation.from_euler("xyz", between((30, 90, 0), (30, 90, 0), 0.5), degrees=True)
        self.assertLess((upright.inv() * Rotation.from_euler("xyz", (30, 90, 0), degrees=True)).magnitude(), 1e-7)

    def test_whole_turns_are_kept_unless_the_shortest_way_is_asked_for(self) -> None:
        def angle(shortest: bool) -> float:
            track = {"keys": _keys((1, [0, 0, 0]), (11, [0, 720, 0])), "shortest": shortest}
            shot = _shot({"placement.rotation": track})
            return float(evaluate(shot, time_of(shot, 6)).elements[0].placement.rotation[1])

        self.assertEqual(angle(False), 360)
        self.assertAlmostEqual(angle(True) % 360, 0)


class Tracks(unittest.TestCase):
    def test_between_before_and_after(self) -> None:
        keys = _keys((10, 100.0), (20, 200.0))
        self.assertEqual([_width({"keys": keys}, at) for at in (1, 10, 15, 20, 99)], [100, 100, 150, 200, 200])
        cases = {"repeat": (120, 170, 110), "back and forth": (180, 130, 110), "go on": (220, 270, 310)}
        for how, wanted in cases.items():
            found = [_width({"keys": keys, "after": how}, at) for at in (22, 27, 31)]
            self.assertEqual(found, list(wanted), how)
        self.assertEqual(_width({"keys": keys, "before": "repeat"}, 8), 180)
        self.assertEqual(_width({"keys": keys, "before": "back and forth"}, 8), 120)
        self.assertEqual(_width({"keys": keys, "before": "go on"}, 8), 80)
        self.assertEqual(_width({"keys": _keys((10, 100.0), (20, 200.0), way="hold")}, 19), 100)

    def test_onwards_repeats_each_time_from_where_it_was(self) -> None:
        keys = _keys((10, 100.0), (12, 130.0), (20, 140.0))
        for at in (9, 10, 19, 20, 21, 22, 30, 31, 45):
            rounds, frame = divmod(at - 10, 10)
            wanted = float(np.interp(frame, [0, 2, 10], [100, 130, 140])) + 40 * rounds
            self.assertAlmostEqual(_width({"keys": keys, "after": "onwards", "before": "onwards"}, at), wanted, 9)
        track = {"keys": _keys((1, [0, 0, 0]), (5, [8, 0, -2])), "after": "onwards"}
        shot = _shot({"placement.position": track})
        place = evaluate(shot, time_of(shot, 11)).elements[0].placement.position
        np.testing.assert_allclose(place, (20, 0, -5))
        # What is no number repeats.
        shot = _shot({"shown": {"keys": _keys((1, True), (3, False), (5, True)), "after": "onwards"}})
        now = [evaluate(shot, time_of(shot, at)).elements[0].shown for at in range(5, 11)]
        self.assertEqual(now, [True, True, False, False, True, True])
        shot = _shot({"surface.base_colour": {"keys": _keys((1, "#000000"), (3, "#ffffff")), "after": "onwards"}})
        now = [evaluate(shot, time_of(shot, at)).elements[0].surface.base_colour for at in (4, 6)]
        self.assertEqual(now[0], now[1])

    def test_handles_drawn_aside_against_scipys_polynomials(self) -> None:
        random = np.random.default_rng(11)
        for _ in range(60):
            start, end = random.uniform(-300, 300, 3), random.uniform(-300, 300, 3)
            if random.random() < 0.5:
                # Two keys of the same value, between which it swells.
                end = start
            x1, x2 = (round(float(one), 3) for one in random.uniform(0, 1, 2))
            y1, y2 = (round(float(one), 3) for one in random.uniform(-1, 2, 2))
            lifts = random.uniform(-200, 200, (3, 2)).round(3)
            first = {"frame": 1, "value": start.tolist(), "way": "free", "handles": [x1, y1, x2, y2]}
            keys = [{**first, "lifts": lifts.tolist()}, {"frame": 25, "value": end.tolist()}]
            shot = _shot({"placement.position": {"keys": keys}})
            time = BPoly(np.array([[0], [x1], [x2], [1]]), [0, 1])
            for frame in (1, 4, 13, 22, 25):
                share = (frame - 1) / 24
                at = share if share in (0, 1) else brentq(lambda t, s=share, time=time: time(t) - s, 0, 1, xtol=1e-15)
                way = end - start
                inner = np.stack([start, start + way * y1 + lifts[:, 0], start + way * y2 + lifts[:, 1], end])
                wanted = BPoly(inner[:, None, :], [0, 1])(at)
                found = evaluate(shot, time_of(shot, frame)).elements[0].placement.position
                np.testing.assert_allclose(found, wanted, atol=1e-9)

    def test_what_is_drawn_aside_goes_on_as_fast_and_turns_round(self) -> None:
        first = {"frame": 10, "value": 100.0, "way": "free", "handles": [0.25, 0, 0.5, 1], "lifts": [[20, 40]]}
        track = {"keys": [first, {"frame": 20, "value": 100.0}], "before": "go on", "after": "go on"}
        # Handles 2.5 frames and 20 away, and 5 frames and 40.
        self.assertAlmostEqual(_width(track, 9), 92)
        self.assertAlmostEqual(_width(track, 21), 92)
        shot = _shot({"width": track})
        turned = backwards(shot.elements[0].moves["width"], 10, 20)
        for at in range(10, 21):
            there = _width(turned.model_dump(mode="json"), at)
            self.assertAlmostEqual(there, _width(track, 30 - at), 9)

    def test_shares_of_time_are_rounded_once(self) -> None:
        # A third of the way between is the very number nearest to it, whatever the frames are called.
        for first in (0, 1, 999_000):
            found = _width({"keys": _keys((first, 1.0), (first + 3, 2.0))}, first + 1)
            self.assertEqual(found, 1 + float(Fraction(1, 3)))
        self.assertEqual(_width({"keys": _keys((1, 1.0), (2, 2.0))}, Fraction(3, 2)), 1.5)

    def test_limits_hold_where_a_curve_goes_past_them(self) -> None:
        keys = [{"frame": 1, "value": 10, "way": "past", "strength": 1}, {"frame": 11, "value": 0.01}]
        values = [_width({"keys": keys}, at) for at in range(1, 12)]
        self.assertEqual(min(values), 0.01)

    def test_colours_are_mixed_in_linear_light(self) -> None:
        shot = _shot({"surface.base_colour": {"keys": _keys((1, "#000000"), (3, "#ffffff"))}})
        middle = evaluate(shot, time_of(shot, 2)).elements[0].surface.base_colour
        np.testing.assert_allclose(decode_hex(middle), 0.5, atol=1e-5)

    def test_switches_and_choices_hold_until_the_next_key(self) -> None:
        shot = _shot(
            {
                "shown": {"keys": _keys((1, True), (5, False), (7, True))},
                "shape": {"keys": _keys((1, "box"), (4, "ball"))},
            }
        )
        now = [evaluate(shot, time_of(shot, at)).elements[0] for at in range(1, 9)]
        self.assertEqual([one.shown for one in now], [True] * 4 + [False] * 2 + [True] * 2)
        self.assertEqual([one.shape for one in now], ["box"] * 3 + ["ball"] * 5)

    def test_whole_numbers_stay_whole(self) -> None:
        shot = read_shot(
            {
                "version": 3,
                "elements": [{"kind": "shape", "id": "a", "moves": {"points": {"keys": _keys((1, 5), (9, 9))}}}],
            }
        )
        found = [evaluate(shot, time_of(shot, at)).elements[0].points for at in range(1, 10)]
        self.assertEqual(found, [5, 6, 6, 7, 7, 8, 8, 9, 9])

    def test_waves_and_rounds_close_a_cycle(self) -> None:
        more: dict[str, Any] = {"timing": {"first": 1, "last": 24, "cycle": True}}
        wave = {"wave": {"amount": 20, "times": 2}}
        values = [_width({"keys": _keys((1, 100)), **wave}, at, **more) for at in range(1, 26)]
        self.assertEqual((values[0], values[3], values[6], values[9], values[24]), (100, 120, 100, 80, values[0]))
        # Without keys it goes about the value that stands there.
        still = float(kinds.get("solid").parameters(id="a").width)  # type: ignore[attr-defined]
        self.assertEqual(_width(wave, 4, **more), still + 20)
        round_ = {"wave": {"shape": "round", "amount": 360, "times": 1}}
        self.assertEqual(_width({"keys": _keys((1, 10)), **round_}, 13, **more), 190)
        self.assertEqual(_width({"keys": _keys((1, 10)), **round_}, 25, **more), 10)

    def test_a_frame_is_the_same_alone_and_in_order(self) -> None:
        keys = [{"frame": at * 7, "value": float(at * at % 11 + 1), "way": way} for at, way in enumerate(WAYS)]
        track = {"keys": keys, "after": "back and forth", "wave": {"amount": 0.5, "times": 3}}
        shot = _shot({"width": track})
        in_order = [evaluate(shot, time_of(shot, at)).elements[0].width for at in range(1, 121)]
        for at in (77, 3, 120, 64):
            again = _shot({"width": track})
            self.assertEqual(evaluate(again, time_of(again, at)).elements[0].width, in_order[at - 1])

    def test_colours_between_are_written_as_the_standard_encodes_them(self) -> None:
        shot = read_shot(
            {"version": 3, "backdrop": {"moves": {"colour": {"keys": _keys((1, "#000000"), (5001, "#ffffff"))}}}}
        )
        for at in (2, 16, 17, 777, 2501, 4999, 5001):
            one = round(65535 * float(encode((at - 1) / 5000)))
            written = evaluate(shot, time_of(shot, at)).backdrop.colour
            self.assertEqual(written, f"#{one:04x}{one:04x}{one:04x}" if at < 5001 else "#ffffff")

    def test_all_together_are_what_each_is_alone(self) -> None:
        moves = {
            "opacity": {"keys": _keys((1, 0), (30, 1)), "wave": {"amount": 0.1, "times": 3}},
            "shape": {"keys": _keys((1, "box"), (20, "ball"))},
            "surface.base_colour": {"keys": _keys((3, "#123456"), (33, "#fedcba"))},
            "placement.position": {"keys": _keys((1, (1, 2, 3)), (50, (3, 2, 1)))},
            "width": {"keys": _keys((5, 1), (25, 9), way="gentle")},
            "turn.start": {"keys": _keys((1, 0), (25, 90))},
        }
        elements = [
            {"kind": "solid", "id": f"a{at}", "moves": dict(list(moves.items())[at % 3 : at + 1])} for at in range(9)
        ]
        shot = read_shot(
            {
                "version": 3,
                "elements": elements,
                "camera": {"moves": {"position.0": {"keys": _keys((1, 5), (9, 6))}}},
                "backdrop": {"moves": {"colour": {"keys": _keys((1, "#000000"), (9, "#ffffff"))}}},
                "cameras": [
                    {
                        "name": "Wide",
                        "camera": {"moves": {"position.1": {"keys": _keys((1, 5), (9, 6))}}},
                    }
                ],
            }
        )
        for frame in (-3, 1, 4, Fraction(21, 4), 20, 33, 90):
            time = time_of(shot, frame)
            now = evaluate(shot, time)
            self.assertEqual(now.elements, tuple(at_rest(one, time) for one in shot.elements))
            self.assertEqual(now.camera, shot.camera.at(time))
            self.assertEqual(now.backdrop, shot.backdrop.at(time))
            self.assertEqual(now.cameras[0].camera, shot.cameras[0].camera.at(time))

    def test_what_does_not_move_is_the_very_same(self) -> None:
        shot = read_shot(
            {
                "version": 3,
                "elements": [
                    {"kind": "solid", "id": "a"},
                    {"kind": "solid", "id": "b", "moves": {"width": {"keys": _keys((1, 4))}}},
                ],
            }
        )
        now = evaluate(shot, time_of(shot, 5))
        self.assertIs(now.elements[0], shot.elements[0])
        self.assertEqual(now.elements[1].width, 4)
        self.assertIs(evaluate(now, time_of(shot, 9)), now)


class Fields(unittest.TestCase):
    def test_every_field_that_can_move_moves_and_gives_a_valid_part(self) -> None:
        parts = [*(one.parameters for one in kinds), *(one.parameters for one in light_kinds)]
        for part in (*parts, Camera, Environment, Backdrop, NamedFinish):
            made = part.model_validate(
                {"id": "a", "name": "A"}
                if "id" in part.model_fields
                else {"name": "A"}
                if "name" in part.model_fields
                else {}
            )
            # Lists that are empty at first get a member.
            listed = {"colours": [{"drawn": "#112233"}], "materials": [{"material": "Brass"}]}
            made = part.model_validate(
                {**made.model_dump(), **{name: one for name, one in listed.items() if name in part.model_fields}}
            )
            # Of parts under names any.
            for path in (one.replace("*", "some").replace("#", "0") for one in fields_of(part)):
                still: Any = value_below(made, path)
                moved = part.model_validate(
                    {**made.model_dump(), "moves": {path: {"keys": _keys((1, still), (3, still))}}}
                )
                now: Any = value_below(moved.at(time_of(Shot(), 2)), path)
                if measure_of(part, path).kind == "colour":
                    np.testing.assert_allclose(decode_hex(now), decode_hex(still), atol=1e-5)
                else:
                    self.assertEqual(now, still, path)

    def test_members_of_lists_move_by_their_places(self) -> None:
        emblem = {
            "kind": "emblem",
            "id": "a",
            "colours": [{"drawn": "#102030"}, {"drawn": "#405060", "finish": {"shading": "tone bands"}}],
        }

        def shot(moves: dict[str, Any]) -> Shot:
            return read_shot({"version": 3, "elements": [{**emblem, "moves": moves}]})

        path = "colours.1.finish.tones.1.above"
        moving = shot(
            {
                "colours.0.finish.roughness": {"keys": _keys((1, 0.2), (3, 0.6))},
                path: {"keys": _keys((1, 0.5), (3, 0.9))},
            }
        )
        now: Any = evaluate(moving, time_of(moving, 2)).elements[0]
        self.assertAlmostEqual(now.colours[0].finish.roughness, 0.4)
        self.assertAlmostEqual(now.colours[1].finish.tones[1].above, 0.7)
        self.assertEqual(now.colours[0].finish.tones, moving.elements[0].colours[0].finish.tones)
        self.assertEqual(measure_of(type(now), path).title, "Colour 2, finish, tone 2, from")
        with self.assertRaisesRegex(DocumentError, "Colour 3, finish, roughness: there are keys for number 3 of 2"):
            shot({"colours.2.finish.roughness": {"keys": _keys((1, 0.2))}})
        # Rules over several fields hold at every frame, in parts inside of parts too.
        falling = shot({path: {"keys": _keys((1, 0.5), (3, 0.0))}})
        with self.assertRaisesRegex(InputError, "at frame 3 tones must rise"):
            evaluate(falling, time_of(falling, 3))

    def test_what_tells_things_apart_has_no_keys(self) -> None:
        for path in (
            "id",
            "name",
            "kind",
            "inside",
            "reference",
            "locked",
            "turn.turns",
            "surface",
            "moves",
            "placement",
            "x",
        ):
            with self.subTest(path), self.assertRaises(ValueError):
                measure_of(kinds.get("solid").parameters, path)
        with self.assertRaises(ValueError):
            measure_of(kinds.get("emblem").parameters, "colours.0.drawn")


class Refused(unittest.TestCase):
    def test_each_with_its_place_and_a_sentence(self) -> None:
        cases: list[tuple[dict[str, Any], str, str]] = [
            ({"finish.x": {"keys": _keys((1, 1))}}, "elements.0.moves.finish.x", "there is no"),
            ({"width": {"keys": _keys((7, "x"))}}, "elements.0.moves.width", "Width at frame 7"),
            ({"width": {"keys": _keys((1, True))}}, "elements.0.moves.width.keys.0.value", "not a number"),
            ({"width": {"keys": _keys((1, -4))}}, "elements.0.moves.width", "greater than or equal to 0.01"),
            ({"width": {}}, "elements.0.moves.width", "a key or a wave"),
            ({"width": {"keys": _keys((1, 4), (1, 5))}}, "elements.0.moves.width.keys", "two keys stand at frame 1"),
            ({"width": {"keys": [{"frame": 1.5, "value": 1}]}}, "elements.0.moves.width.keys.0.frame", "whole"),
            (
                {"width": {"keys": [{"frame": 1, "value": 1, "handles": [2, 0, 0, 0]}]}},
                "elements.0.moves.width.keys.0.handles.0",
                "at most 1",
            ),
            ({"shape": {"keys": _keys((1, "dream"))}}, "elements.0.moves.shape", "Shape at frame 1"),
            ({"shape": {"wave": {}}}, "elements.0.moves.shape", "cannot wave"),
            (
                {"width": {"keys": [{"frame": 1, "value": 4, "lifts": [[1, 2], [3, 4]]}]}},
                "elements.0.moves.width",
                "drawn aside for 2 of its 1 numbers",
            ),
            (
                {"shown": {"keys": [{"frame": 1, "value": True, "lifts": [[1, 2]]}]}},
                "elements.0.moves.shown",
                "for 1 of its 0 numbers",
            ),
            ({"surface.base_colour": {"keys": _keys((1, "red"))}}, "elements.0.moves.surface.base_colour", "#rrggbb"),
            (
                {
                    "placement.position": {"keys": _keys((1, [1, 2, 3]))},
                    "placement.position.1": {"keys": _keys((1, 3))},
                },
                "elements.0.moves.placement.position.1",
                "a part of the whole",
            ),
        ]
        for moves, field, said in cases:
            with self.subTest(field), self.assertRaises(DocumentError) as caught:
                _shot(moves)
            problems = caught.exception.problems
            self.assertEqual(problems[0].field, field)
            self.assertIn(said, problems[0].message)

    def test_what_cannot_be_together_at_a_frame_names_it(self) -> None:
        keys = [{"frame": 1, "value": [0, 0, 100]}, {"frame": 9, "value": [0, 0, 0]}]
        shot = _shot({}, camera={"moves": {"position": {"keys": keys}}})
        evaluate(shot, time_of(shot, 8))
        with self.assertRaises(InputError) as caught:
            evaluate(shot, time_of(shot, 9))
        self.assertIn("at frame 9 the camera stands in its look-at point", str(caught.exception))
        self.assertEqual(caught.exception.field, "camera.moves")


class Kept(unittest.TestCase):
    def test_documents_that_change_at_every_step_are_not_all_kept(self) -> None:
        keys = _keys(*((at, float(at)) for at in range(1, 900)))

        def looked(wide: float) -> weakref.ref[Shot]:
            shot = _shot({"width": {"keys": keys}, "height": {"keys": keys}, "depth": {"keys": _keys((1, wide))}})
            for frame in (1, 2, 3):
                evaluate(shot, time_of(shot, frame))
            return weakref.ref(shot)

        found = [looked(float(at + 1)) for at in range(120)]
        gc.collect()
        # Some are, since the next question is often about the same.
        self.assertLess(sum(one() is not None for one in found), 60)
        self.assertIsNotNone(found[-1]())
