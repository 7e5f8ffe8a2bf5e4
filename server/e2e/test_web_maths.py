"""Pure functions of the front end: arithmetic in fields, moving the camera, forms from schemas.

Each module is turned into JavaScript by the TypeScript compiler and called with values by Node.
"""

import copy
import json
import math
import subprocess
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from zeitbild.document.evaluate import evaluate, time_of
from zeitbild.document.reading import read_shot
from zeitbild.document.retiming import put_key

WEB = Path(__file__).parents[2] / "web"
_RUN = """
const ts = require("typescript"), fs = require("fs"), paths = require("path");
const [path, calls] = JSON.parse(fs.readFileSync(0, "utf8"));
function load(file) {
  const options = {compilerOptions: {module: "commonjs", target: "es2022"}};
  const source = ts.transpileModule(fs.readFileSync(file, "utf8"), options);
  const loaded = {exports: {}};
  const near = (name) => {
    if (name.startsWith("@/")) return load(paths.join("src", name.slice(2)) + ".ts");
    return name.startsWith("./") ? load(paths.join(paths.dirname(file), name) + ".ts") : require(name);
  };
  new Function("module", "exports", "require", source.outputText)(loaded, loaded.exports, near);
  return loaded.exports;
}
const found = load(path);
const result = ([name, args]) => {
  const [maker, verb] = name.split(".");
  return verb ? found[maker](...args[0])[verb](...args[1]) : found[name](...args);
};
process.stdout.write(JSON.stringify(calls.map((one) => result(one) ?? null)));
"""


def call(module: str, *calls: tuple[str, list[Any]]) -> list[Any]:
    """Results of calling exported functions of a module under ``web/src``.

    ``make.verb`` with two lists of values calls the verb of what the function make gives.
    """
    given = json.dumps([str(WEB / "src" / module), calls])
    done = subprocess.run(["node", "-e", _RUN], cwd=WEB, input=given, capture_output=True, text=True, check=True)
    results: list[Any] = json.loads(done.stdout)
    return results


def _changed(whole: Any, path: str, value: Any) -> Any:
    """A copy with another value at a path."""
    made = copy.deepcopy(whole)
    *names, last = path.split("/")
    inner = made
    for name in names:
        inner = inner[int(name) if name.isdigit() else name]
    inner[last] = value
    return made


class Ways(unittest.TestCase):
    """What the way of an element over the picture depends on."""

    def test_only_what_its_pivot_or_the_camera_moves_by_counts(self) -> None:
        def element(name: str, inside: str = "") -> dict[str, Any]:
            placement = {"position": [0, 0, 0], "rotation": [0, 0, 0], "scale": [1, 1, 1]}
            moves: dict[str, Any] = {"opacity": 0, "placement.rotation.1": 0, "placement.position": 0}
            own = {"id": name, "inside": inside, "opacity": 1, "surface": {"roughness": 1}, "turn": {"turns": 0}}
            return {**own, "placement": placement, "moves": moves}

        document: dict[str, Any] = {
            "raster": {"width": 16},
            "timing": {"first": 1},
            "camera": {"angle": 40},
            "cameras": [],
            "view": "",
            "lights": [{"strength": 1}],
            # The beam stands in the lamp, that in the house; the sign beside them.
            "elements": [element("house"), element("lamp", "house"), element("beam", "lamp"), element("sign")],
        }
        stays = ["lights/0/strength", "elements/3/opacity"]
        stays += [f"elements/2/{name}" for name in ("opacity", "surface/roughness", "turn/turns", "moves/opacity")]
        stays += [
            "elements/2/placement/rotation",
            "elements/2/placement/scale",
            "elements/2/moves/placement.rotation.1",
        ]
        stays += ["elements/3/placement/position", "elements/0/opacity", "elements/1/moves/opacity"]
        goes = ["raster/width", "timing/first", "camera/angle", "cameras", "view", "elements/2/placement/position"]
        goes += ["elements/2/moves/placement.position", "elements/2/inside", "elements/1/placement/rotation"]
        goes += ["elements/0/turn/turns", "elements/0/moves/placement.rotation.1", "elements/1/placement/scale"]
        several = [document, *(_changed(document, path, "sign") for path in (*stays, *goes))]
        calls = [("wayDependsOn", [one, one["elements"][2]]) for one in several]
        first, *others = call("desks/time/wayDepends.ts", *calls)
        for path, found in zip((*stays, *goes), others, strict=True):
            self.assertEqual(found == first, path in stays, path)

    def test_groups_around_come_from_the_inmost_and_end(self) -> None:
        chain = [{"id": "a", "inside": ""}, {"id": "b", "inside": "a"}, {"id": "c", "inside": "b"}]
        round_about = [{"id": "a", "inside": "b"}, {"id": "b", "inside": "a"}]
        gone = {"id": "d", "inside": "nobody"}
        found = call(
            "shot/groups.ts",
            ("groupsAround", [chain, chain[2]]),
            ("groupsAround", [chain, chain[0]]),
            ("groupsAround", [chain, gone]),
            ("groupsAround", [round_about, {"id": "c", "inside": "a"}]),
        )
        self.assertEqual([[one["id"] for one in groups] for groups in found], [["b", "a"], [], [], ["a", "b"]])


class Paces(unittest.TestCase):
    """Pictures of a moving hand, on machines that take so many ms for one as they are wide."""

    def _drag(self, machine: Callable[[float, bool], float], pace: dict[str, float], pictures: int) -> dict[str, float]:
        for number in range(pictures):
            width = math.floor(pace["width"])
            now = 1000.0 + 50 * number
            (rays,) = call("picture/pace.ts", ("withRays", [pace, now]))
            (pace,) = call("picture/pace.ts", ("paceAfter", [pace, machine(width, rays), width, now]))
        return pace

    def test_a_quick_machine_keeps_wide_pictures_with_all_of_it(self) -> None:
        first = {"width": 640, "late": 0, "withoutUntil": 0}
        self.assertEqual(self._drag(lambda width, rays: 40, first, 2), first)

    def test_first_the_width_gives_way(self) -> None:
        first = {"width": 640, "late": 0, "withoutUntil": 0}
        pace = self._drag(lambda width, rays: width * width / 2500, first, 6)
        self.assertEqual((pace["late"], pace["withoutUntil"]), (0, 0))
        # As wide as pictures come in 80 ms.
        self.assertAlmostEqual(pace["width"], math.sqrt(80 * 2500), delta=60)

    def test_widths_go_in_steps_within_what_is_seen(self) -> None:
        widths = (640, 331.4, 300, 299.9, 280)
        asked = call("picture/pace.ts", *(("widthOf", [{"width": width}, 625.5]) for width in widths))
        self.assertEqual(asked, [625.5, 320, 320, 280, 280])

    def test_two_pictures_tell_that_shadows_are_far_too_dear_and_then_it_goes_narrower(self) -> None:
        first = {"width": 640, "late": 0, "withoutUntil": 0}
        slow = lambda width, rays: width * (2 if rays else 0.4)  # noqa: E731
        pace = self._drag(slow, first, 2)
        self.assertEqual((pace["width"], pace["withoutUntil"]), (400, 1050 + 60_000))
        pace = self._drag(lambda width, rays: 150 if not rays else 800, pace, 3)
        self.assertLess(pace["width"], 400)
        self.assertGreaterEqual(pace["width"], 280)
        # One late picture alone changes nothing but the width.
        self.assertEqual(self._drag(slow, first, 1)["withoutUntil"], 0)


class Waves(unittest.TestCase):
    def test_what_is_typed_is_seen_wave_and_all(self) -> None:
        random = np.random.default_rng(4)
        for number in range(60):
            cycle, every = bool(number % 2), int(random.choice([1, 1, 2, 3]))
            timing = {"rate": "25", "first": 3, "last": 3 + int(random.choice([0, 11, 40])), "cycle": cycle}
            wave = {
                "shape": ["to and fro", "round"][number // 2 % 2],
                "amount": round(float(random.uniform(-20, 20)), 2),
                "times": float(random.choice([1, 2, 2.5, -3])),
                "begins": round(float(random.uniform(-1, 1)), 2),
            }
            keys = [{"frame": 5, "value": 40.0}, {"frame": 20, "value": 90.0}] if number % 3 else []
            track = {"keys": keys, "every": every, "wave": wave}
            element = {"kind": "solid", "id": "a", "width": 70.0, "moves": {"width": track}}
            shot = read_shot({"version": 3, "timing": timing, "elements": [element]})
            document = shot.model_dump(mode="json")
            frame = int(random.integers(1, 50)) if every == 1 else 5
            with self.subTest(number):
                (changed,) = call("shot/moves.ts", ("withEdit", [document, "elements.0.width", 55.5, frame]))
                edited = read_shot(changed)
                now: Any = evaluate(edited, time_of(edited, frame)).elements[0]
                self.assertAlmostEqual(now.width, 55.5, places=7)
                if keys:
                    # The core puts a key in the same way.
                    put = put_key(shot, "elements.0.width", frame, 55.5).values["elements.0.moves"]["width"]
                    there = [key["value"] for key in put["keys"] if key["frame"] == frame]
                    again = [key.value for key in edited.elements[0].moves["width"].keys if key.frame == frame]
                    np.testing.assert_allclose(there, again, atol=1e-8)

    def test_members_of_lists_go_with_their_keys(self) -> None:
        track = {"keys": [{"frame": 1, "value": 0.5}], "every": 1, "wave": None}
        document = {
            "elements": [
                {
                    "colours": [{"n": 0}, {"n": 1}, {"n": 2}],
                    "moves": {f"colours.{at}.finish.roughness": {**track, "number": at} for at in range(3)}
                    | {"size": track},
                }
            ]
        }
        (found,) = call("shot/moves.ts", ("withoutMember", [document, "elements.0.colours", 1]))
        self.assertEqual(found["elements.0.colours"], [{"n": 0}, {"n": 2}])
        moves = found["elements.0.moves"]
        self.assertEqual(sorted(moves), ["colours.0.finish.roughness", "colours.1.finish.roughness", "size"])
        self.assertEqual(moves["colours.1.finish.roughness"]["number"], 2)

    def test_which_fields_can_have_keys(self) -> None:
        names = [{"name": one} for one in ("width", "limbs.*.turn", "colours.#.finish.tones.#.colour")]
        wanted = {
            "width": True,
            "height": False,
            "limbs.arm.turn": True,
            "limbs.arm.bend": False,
            "limbs.a.b.turn": False,
            "colours.3.finish.tones.0.colour": True,
            "colours.x.finish.tones.0.colour": False,
        }
        found = call("shot/moves.ts", *(("canMove", [names, field]) for field in wanted))
        self.assertEqual(dict(zip(wanted, found, strict=True)), wanted)


class Arithmetic(unittest.TestCase):
    def test_calculations(self) -> None:
        expected = {
            "24*4": 96,
            "1+2*3": 7,
            "(1+2)*3": 9,
            "-4": -4,
            "10/4": 2.5,
            "1,5": 1.5,
            ".5": 0.5,
            "2--1": 3,
            "1e3": 1000,
            " 3 × 4 ": 12,
            "((2))": 2,
            "-(3+1)/2": -2,
        }
        self.assertEqual(
            call("controls/arithmetic.ts", *(("calculate", [text]) for text in expected)), list(expected.values())
        )

    def test_nonsense_is_no_number(self) -> None:
        texts = ["", "a", "1/0", "2*", "(1", "1)", "1 2x", "alert(1)", "--", "1..2", "0/0", "9**9"]
        self.assertEqual(
            call("controls/arithmetic.ts", *(("calculate", [text]) for text in texts)), [None] * len(texts)
        )

    def test_units_and_whole_numbers(self) -> None:
        read = call(
            "controls/arithmetic.ts",
            ("readNumber", ["12 px", "px", True]),
            ("readNumber", ["12", "px", True]),
            ("readNumber", ["1.5 in", "px", False]),
            ("readNumber", ["1.5", "", True]),
            ("readNumber", ["abc", "u", False]),
            ("readNumber", ["45°", "°", False]),
        )
        self.assertEqual([one.get("value") for one in read], [12, 12, None, None, None, 45])
        self.assertIn("measured in px", read[2]["reason"])
        self.assertIn("whole number", read[3]["reason"])
        self.assertIn("not a number", read[4]["reason"])

    def test_numbers_are_written_short(self) -> None:
        self.assertEqual(
            call(
                "controls/arithmetic.ts",
                ("writeNumber", [0.1 + 0.2]),
                ("writeNumber", [3]),
                ("writeNumber", [-0.00001]),
            ),
            ["0.3", "3", "0"],
        )


class Orbit(unittest.TestCase):
    AIM = {"position": [0, 40, 1150], "look_at": [0, 0, 0]}

    @staticmethod
    def _distance(aim: dict[str, list[float]]) -> float:
        return float(np.linalg.norm(np.subtract(aim["position"], aim["look_at"])))

    def test_orbits_keep_distance_and_aim(self) -> None:
        for dx, dy in ((100, 0), (0, 80), (-321, 55), (5000, -5000)):
            (moved,) = call("picture/orbit.ts", ("orbit", [self.AIM, dx, dy]))
            self.assertAlmostEqual(self._distance(moved), self._distance(self.AIM), delta=0.02)
            self.assertEqual(moved["look_at"], self.AIM["look_at"])

    def test_dragging_right_brings_the_left_side_into_view(self) -> None:
        (moved,) = call("picture/orbit.ts", ("orbit", [self.AIM, 100, 0]))
        self.assertLess(moved["position"][0], 0)

    def test_the_camera_never_goes_over_the_top(self) -> None:
        (moved,) = call("picture/orbit.ts", ("orbit", [self.AIM, 0, 100_000]))
        x, y, z = moved["position"]
        self.assertLess(math.degrees(math.atan2(y, math.hypot(x, z))), 89.1)
        self.assertGreater(z, 0)

    def test_a_pan_moves_what_is_in_the_middle_with_the_pointer(self) -> None:
        # At 40 degrees and 640 pixels, a point at the look-at distance moves one pixel for so many units.
        unit = 2 * self._distance(self.AIM) * math.tan(math.radians(20)) / 640
        (moved,) = call("picture/orbit.ts", ("pan", [self.AIM, 10, 0, unit]))
        np.testing.assert_allclose(moved["look_at"], [-10 * unit, 0, 0], atol=0.01)
        np.testing.assert_allclose(np.subtract(moved["position"], moved["look_at"]), self.AIM["position"], atol=0.02)
        (lifted,) = call("picture/orbit.ts", ("pan", [self.AIM, 0, 10, unit]))
        self.assertGreater(lifted["look_at"][1], 0)

    def test_a_pixel_covers_what_the_lens_says(self) -> None:
        lens = {
            **self.AIM,
            "projection": "perspective",
            "lens_by": "angle",
            "angle": 40,
            "focal_length": 50,
            "gate": 36,
        }
        lens["span"] = 800
        by_angle, by_focal, parallel = call(
            "picture/orbit.ts",
            ("unitsPerPixel", [lens, 640]),
            ("unitsPerPixel", [{**lens, "lens_by": "focal length"}, 640]),
            ("unitsPerPixel", [{**lens, "projection": "orthographic"}, 640]),
        )
        distance = self._distance(self.AIM)
        self.assertAlmostEqual(by_angle, 2 * distance * math.tan(math.radians(20)) / 640, places=9)
        # Similar triangles: gate over focal length.
        self.assertAlmostEqual(by_focal, distance * 36 / 50 / 640, places=9)
        self.assertAlmostEqual(parallel, 800 / 640, places=9)

    def test_dolly_goes_nearer_and_never_through_the_aim(self) -> None:
        nearer, there, stuck = call(
            "picture/orbit.ts",
            ("dolly", [self.AIM, -200]),
            ("dolly", [self.AIM, 200]),
            ("dolly", [self.AIM, -1e6]),
        )
        self.assertLess(self._distance(nearer), self._distance(self.AIM))
        self.assertGreater(self._distance(there), self._distance(self.AIM))
        self.assertEqual(stuck["position"], self.AIM["position"])


class Handles(unittest.TestCase):
    """What a drag moves, by the functions that the picture calls."""

    SHOT = {
        "cameras": [],
        "view": "Main",
        "camera": {
            "position": [0, 0, 1000],
            "look_at": [0, 0, 0],
            "roll": 0,
            "projection": "perspective",
            "lens_by": "angle",
            "angle": 40,
            "focal_length": 50,
            "gate": 36,
            "span": 800,
        },
        "lights": [
            {"kind": "sun", "name": "Key", "on": True, "azimuth": 170, "elevation": 80},
            {"kind": "spot", "name": "Spot", "on": True, "position": [0, 300, 400], "aims_at": [0, 0, 0]},
            {"kind": "ambient", "name": "Ambient", "on": True},
        ],
    }

    def _light(self, at: int, verb: str, *values: float) -> dict[str, object]:
        light = self.SHOT["lights"][at]
        (result,) = call("picture/handles.ts", (f"lightHandle.{verb}", [[f"lights.{at}", light], [self.SHOT, *values]]))
        return dict(result)

    def test_a_sun_follows_the_hand_across_the_sky_and_stops_at_its_top(self) -> None:
        moved = self._light(0, "turn", 50, -100)
        self.assertAlmostEqual(float(str(moved["lights.0.azimuth"])), 170 + 20 - 360)
        self.assertEqual(moved["lights.0.elevation"], 90)

    def test_a_standing_light_goes_round_its_aim_at_the_same_distance(self) -> None:
        moved = self._light(1, "turn", 40, 0)
        position = np.array(moved["lights.1.position"], float)
        self.assertAlmostEqual(float(np.linalg.norm(position)), 500, delta=0.05)
        self.assertGreater(position[0], 0)
        nearer = np.array(self._light(1, "approach", -300)["lights.1.position"], float)
        self.assertLess(float(np.linalg.norm(nearer)), 500)

    def test_sliding_takes_light_and_aim_along_with_the_hand(self) -> None:
        moved = self._light(1, "slide", 32, 0, 640)
        unit = 2 * 1000 * math.tan(math.radians(20)) / 640
        np.testing.assert_allclose(moved["lights.1.position"], [32 * unit, 300, 400], atol=0.02)
        np.testing.assert_allclose(moved["lights.1.aims_at"], [32 * unit, 0, 0], atol=0.02)

    def test_what_has_no_place_has_no_handle(self) -> None:
        (none,) = call("picture/handles.ts", ("lightHandle", ["lights.2", self.SHOT["lights"][2]]))
        self.assertIsNone(none)


class Forms(unittest.TestCase):
    ROOT = {
        "$defs": {
            "Finish": {
                "type": "object",
                "title": "Finish",
                "properties": {"roughness": {"type": "number", "x-slider": [0, 1]}},
            },
            "Word": {
                "title": "Word",
                "type": "object",
                "properties": {
                    "name": {"type": "string", "x-late": True, "x-group": "Place"},
                    "kind": {"const": "word"},
                    "size": {
                        "type": "number",
                        "title": "Size",
                        "x-group": "Text",
                        "minimum": 1,
                        "default": 5,
                        "x-unit": "u",
                    },
                    "steps": {"type": "integer", "x-group": "Text"},
                    "on": {"type": "boolean", "x-group": "Text"},
                    "align": {"enum": ["left", "right"], "type": "string", "x-group": "Text"},
                    "face": {"$ref": "#/$defs/Finish", "title": "Face", "x-group": "Finish"},
                    "place": {"type": "array", "x-group": "Place", "x-late": True},
                },
            },
        }
    }

    def test_fields_are_grouped_in_order_and_shared_ones_come_last(self) -> None:
        schema, groups = call(
            "controls/fields.ts",
            ("schemaOfKind", [self.ROOT, "word"]),
            ("planFields", [{"$ref": "#/$defs/Word"}, self.ROOT, ["kind"]]),
        )
        self.assertEqual(schema["title"], "Word")
        self.assertEqual([group["title"] for group in groups], ["Text", "Finish", "Place"])
        self.assertEqual([field["widget"] for field in groups[0]["fields"]], ["number", "number", "switch", "choice"])
        self.assertEqual([field["widget"] for field in groups[1]["fields"]], ["part"])
        self.assertEqual([field["widget"] for field in groups[2]["fields"]], ["text", "vector"])

    def test_limits_units_and_defaults_come_from_the_schema(self) -> None:
        (groups,) = call("controls/fields.ts", ("planFields", [{"$ref": "#/$defs/Word"}, self.ROOT, []]))
        size = next(field for group in groups for field in group["fields"] if field["name"] == "size")
        self.assertEqual((size["initial"], size["number"]["unit"], size["number"]["min"]), (5, "u", 1))
        steps = next(field for group in groups for field in group["fields"] if field["name"] == "steps")
        self.assertTrue(steps["number"]["whole"])


class Paths(unittest.TestCase):
    def test_values_are_read_and_replaced_without_touching_the_rest(self) -> None:
        document = {"a": {"b": [1, {"c": 2}]}, "d": 3}
        changed, read, missing = call(
            "shot/document.ts",
            ("withValue", [document, "a.b.1.c", 9]),
            ("valueAt", [document, "a.b.1.c"]),
            ("valueAt", [document, "x.y"]),
        )
        self.assertEqual(changed, {"a": {"b": [1, {"c": 9}]}, "d": 3})
        self.assertEqual((read, missing), (2, None))


class Cameras(unittest.TestCase):
    FRONT, SIDE = {"position": [0, 0, 9]}, {"position": [9, 0, 0]}
    SHOT = {
        "camera": FRONT,
        "cameras": [{"name": "Side", "camera": SIDE}, {"name": "Camera 2", "camera": FRONT}],
        "view": "Side",
        "layers": [{"name": "main", "camera": "Side"}, {"name": "other", "camera": ""}],
    }

    def test_the_camera_in_view_is_found(self) -> None:
        main = {**self.SHOT, "view": "Main"}
        found = call(
            "shot/cameras.ts",
            *((name, [shot]) for shot in (self.SHOT, main) for name in ("cameraPath", "cameraInView", "cameraNames")),
        )
        names = ["Main", "Side", "Camera 2"]
        self.assertEqual(found, ["cameras.0.camera", self.SIDE, names, "camera", self.FRONT, names])

    def test_a_new_camera_stands_where_the_one_in_view_does(self) -> None:
        (added,) = call("shot/cameras.ts", ("addCamera", [self.SHOT]))
        self.assertEqual(added["name"], "Camera 3")
        self.assertEqual(added["edits"]["cameras"][2], {"name": "Camera 3", "camera": self.SIDE})
        self.assertEqual(added["edits"]["view"], "Camera 3")

    def test_renaming_and_removing_reach_view_and_layers(self) -> None:
        renamed, removed = call(
            "shot/cameras.ts", ("renameCamera", [self.SHOT, "Side", "Low"]), ("removeCamera", [self.SHOT, "Side"])
        )
        self.assertEqual((renamed["view"], renamed["layers"][0]["camera"]), ("Low", "Low"))
        self.assertEqual((removed["view"], removed["layers"][0]["camera"]), ("Main", ""))
        self.assertEqual([one["name"] for one in removed["cameras"]], ["Camera 2"])


class Finishes(unittest.TestCase):
    SHOT = {
        "finishes": [{"name": "Brass", "values": {"roughness": 0.2}}],
        "elements": [
            {"id": "a", "face": {"named": "Brass"}, "side": {"named": ""}, "turn": {"turns": 1}},
            {"id": "b", "surface": {"named": "Brass"}},
        ],
    }

    def test_users_of_a_shared_finish_are_counted(self) -> None:
        paths, brass, none = call(
            "desks/build/finishes.ts",
            ("finishPaths", [self.SHOT["elements"]]),
            ("users", [self.SHOT, "Brass"]),
            ("users", [self.SHOT, "Steel"]),
        )
        self.assertEqual([one["path"] for one in paths], ["elements.0.face", "elements.0.side", "elements.1.surface"])
        self.assertEqual((brass, none), (2, 0))

    def test_sharing_finds_a_free_name_and_renaming_reaches_every_user(self) -> None:
        shared, renamed = call(
            "desks/build/finishes.ts",
            ("shareEdits", [self.SHOT, "elements.0.side", {"roughness": 0.7, "named": ""}, "Brass"]),
            ("renameEdits", [self.SHOT, "Brass", "Gold"]),
        )
        self.assertEqual(shared["finishes"][1], {"name": "Brass 2", "values": {"roughness": 0.7}})
        self.assertEqual(shared["elements.0.side.named"], "Brass 2")
        self.assertEqual(
            {path for path in renamed if path != "finishes"}, {"elements.0.face.named", "elements.1.surface.named"}
        )
        self.assertEqual(renamed["finishes"][0]["name"], "Gold")


class Folds(unittest.TestCase):
    SCHEMA = {
        "title": "Values",
        "type": "object",
        "properties": {
            "shading": {"type": "string", "enum": ["lit", "unlit"], "default": "lit"},
            "coat": {"type": "number", "default": 0, "x-when": {"shading": "lit"}, "x-slider": [0, 1]},
            "map": {"type": "string", "default": "", "x-widget": "texture", "x-fold": "Textures"},
            "width": {"type": "number", "default": 200, "x-fold": "Textures", "minimum": 1, "maximum": 9},
            "named": {"type": "string", "default": "", "x-widget": "hidden"},
        },
    }

    def test_fields_tell_where_they_are_folded_and_when_they_mean_something(self) -> None:
        ((group,),) = call("controls/fields.ts", ("planFields", [self.SCHEMA, {}, []]))
        fields = {field["name"]: field for field in group["fields"]}
        self.assertEqual(
            {name: field["fold"] for name, field in fields.items() if field["fold"]},
            {"map": "Textures", "width": "Textures"},
        )
        self.assertEqual(fields["coat"]["when"], {"shading": "lit"})
        self.assertEqual(
            [fields[name]["widget"] for name in ("map", "width", "named", "coat")],
            ["texture", "number", "hidden", "slider"],
        )
        self.assertEqual((fields["width"]["number"]["min"], fields["width"]["number"]["max"]), (1, 9))

    def test_fields_left_out_are_left_out(self) -> None:
        (groups,) = call("controls/fields.ts", ("planFields", [self.SCHEMA, {}, list(self.SCHEMA["properties"])]))
        self.assertEqual(groups, [])
