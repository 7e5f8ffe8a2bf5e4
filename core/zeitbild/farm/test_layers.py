"""Layers to files: what is rendered, what adds up, what rejoins, and what the files and their manifest say."""

import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import OpenEXR

from zeitbild.assets import AssetFolder
from zeitbild.document.picture import Backdrop
from zeitbild.document.reading import read_shot, write_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import InputError, NamingError
from zeitbild.farm import FrameResult, render_layers
from zeitbild.farm.testing import make_files
from zeitbild.handoff import Order, Written, build_manifest, check_carried, passes_in, proofs_of, receiver_text, recipes
from zeitbild.masters import MasterStore
from zeitbild.naming import plan_files
from zeitbild.proof.adding_up import ALLOWED, SUMS_ALLOWED
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import reach_of, resolve
from zeitbild.testing import NOWHERE, small_shot

ALL_PASSES = [
    "beauty",
    "matte",
    "diffuse",
    "specular",
    "environment",
    "emission",
    "light:Warm",
    "light:Cool",
    "shadow",
    "occlusion",
    "normal",
    "normal-camera",
    "position",
    "motion",
    "texture",
    "depth",
    "identity-element",
    "identity-finish",
    "matte:ball",
    "matte:word/bevel",
]


def _shot(members: dict[str, dict[str, str]], **more: Any) -> Shot:
    """A word that turns through a glossy ball and a clear plate, under two shadowed lights."""
    lights = [
        {"kind": "point", "name": name, "position": at, "radius": 20, "shadows": True, "strength": 1}
        for name, at in (("Warm", [300, 300, 500]), ("Cool", [-400, 100, 300]))
    ]
    raw = {
        **small_shot().model_dump(mode="json"),
        "elements": [
            {"id": "word", "kind": "lettering", "name": "Word", "word": "Oh", "size": 200, "turn": {"turns": 1}},
            {
                "id": "ball",
                "kind": "solid",
                "name": "Ball",
                "shape": "ball",
                "placement": {"position": [60, 0, 20]},
                "surface": {"metalness": 1, "roughness": 0.3},
            },
            {
                "id": "plate",
                "kind": "solid",
                "name": "Plate",
                "placement": {"position": [-60, 0, 120], "scale": [0.6, 1, 0.1]},
                "surface": {"opacity": 0.4},
            },
        ],
        "lights": lights,
        "rays": {"occlusion": 0.7, "occlusion_radius": 200, "bounces": 1, "samples": "4"},
        "layers": [{"name": name, "passes": ALL_PASSES, "members": roles} for name, roles in members.items()],
        **more,
    }
    return read_shot(raw)


APART = {
    name: {one: "shown" if one == name else "hold-out" for one in ("word", "ball", "plate")}
    for name in ("word", "ball", "plate")
}


class Case(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.masters, self.assets = self.folder / "masters", self.folder / "assets"

    def _render(self, shot: Shot, frame: int = 2, quality: str = "check", layers: tuple[str, ...] = ()) -> FrameResult:
        names = tuple(layer.name for layer in shot.layers)
        text = write_shot(shot)
        return render_layers(text, frame, quality, self.assets, self.masters, layers or names, names)

    def _files(self, shot: Shot, recipe: str, *layers: str, passes: tuple[str, ...] = ()) -> list[Any]:
        names = layers or tuple(layer.name for layer in shot.layers)
        places = (self.assets, self.masters, Path(tempfile.mkdtemp(dir=self.folder)))
        self.out = places[2]
        return make_files(write_shot(shot), 2, names, "check", recipe, (), passes, 1, *places)


class Proofs(Case):
    def test_layers_held_out_by_one_another_rejoin_with_everything_switched_on(self) -> None:
        for more in (
            {},
            {"motion": {"angle": 180}},
            {"sampling": {"filter": "Gaussian", "filter_width": 2.5}},
        ):
            for quality in ("check", "final"):
                with self.subTest(quality, **more):
                    result = self._render(_shot(APART, **more), quality=quality)
                    self.assertEqual({one.error for one in result.cells.values()}, {""})
                    (rejoin,) = result.rejoins
                    self.assertEqual(rejoin.layers, ("word", "ball", "plate"))
                    self.assertLess(rejoin.off.largest, ALLOWED)
                    for cell in result.cells.values():
                        assert cell.sums is not None
                        self.assertLess(cell.sums.largest, SUMS_ALLOWED)

    def test_what_is_told_of_sums_is_what_another_reader_finds_in_the_masters(self) -> None:
        cell = self._render(_shot({"word": APART["word"]})).cells["word"]
        store = MasterStore(self.masters)
        light, whole = (
            OpenEXR.File(str(store.path(cell.key, cell.ends[bundle])), separate_channels=True).parts
            for bundle in ("light", "beauty")
        )

        def numbers(part: Any) -> np.ndarray[Any, Any]:
            return np.stack([part.channels[one].pixels.astype(np.float64) for one in "RGB"], axis=2)

        names = ("diffuse", "specular", "environment", "emission", "backdrop")
        total = sum(numbers(part) for part in light if part.name() in names)
        beauty = numbers(whole[0])
        off = (np.abs(total - beauty) / np.maximum(beauty, 1)).max(axis=2)
        assert cell.sums is not None
        self.assertGreater(off.max(), 0)
        self.assertAlmostEqual(cell.sums.largest, off.max(), places=6)
        window = whole[0].header["dataWindow"][0]
        self.assertAlmostEqual(off[cell.sums.y - window[1], cell.sums.x - window[0]], off.max(), places=6)

    def test_layers_that_leave_others_out_do_not_and_the_place_is_told(self) -> None:
        absent = {"word": {"ball": "absent", "plate": "absent"}, "ball": {"word": "absent", "plate": "absent"}}
        (rejoin,) = self._render(_shot(absent)).rejoins
        self.assertGreater(rejoin.off.largest, 0.05)
        self.assertTrue(0 <= rejoin.off.x < 160 and 0 <= rejoin.off.y < 90)

    def test_what_is_behind_the_bottom_layer_is_behind_the_whole(self) -> None:
        shot = _shot(APART)
        bottom = shot.layers[0].model_copy(update={"backdrop": Backdrop(kind="gradient")})
        (rejoin,) = self._render(shot.model_copy(update={"layers": (bottom, *shot.layers[1:])})).rejoins
        self.assertLess(rejoin.off.largest, ALLOWED)

    def test_a_second_time_it_is_known(self) -> None:
        shot = _shot(APART)
        first = self._render(shot)
        files = sorted((path, path.stat().st_mtime_ns) for path in self.masters.rglob("*") if path.is_file())
        second = self._render(shot)
        self.assertEqual(second.rejoins, first.rejoins)
        self.assertEqual([one.sums for one in second.cells.values()], [one.sums for one in first.cells.values()])
        self.assertTrue(all(one.reused for one in second.cells.values()))
        self.assertEqual(
            sorted(path for path in self.masters.rglob("*") if path.is_file()), [path for path, _ in files]
        )

    def test_layers_of_two_cameras_are_not_joined(self) -> None:
        cameras = [{"name": "Side", "camera": {"position": [900, 0, 0]}}]
        shot = _shot(APART, cameras=cameras)
        shot = read_shot(
            {
                **shot.model_dump(mode="json"),
                "layers": [
                    {**layer.model_dump(mode="json"), "camera": "Side" if layer.name == "plate" else ""}
                    for layer in shot.layers
                ],
            }
        )
        (rejoin,) = self._render(shot).rejoins
        self.assertEqual(rejoin.layers, ("word", "ball"))


class Bundles(Case):
    def test_adding_a_pass_renders_only_what_is_missing(self) -> None:
        few = _shot({"word": APART["word"]})
        few = few.model_copy(update={"layers": (few.layers[0].model_copy(update={"passes": ("beauty",)}),)})
        one = self._render(few).cells["word"]
        self.assertEqual(len(list(self.masters.rglob("*.exr"))), 1)
        before = MasterStore(self.masters).path(one.key).read_bytes()
        many = self._render(_shot({"word": APART["word"]})).cells["word"]
        self.assertEqual(one.key, many.key)
        self.assertFalse(many.reused)
        self.assertEqual(len(list(self.masters.rglob("*.exr"))), 5)
        # Asking for its parts does not change the picture.
        self.assertEqual(MasterStore(self.masters).path(one.key).read_bytes(), before)
        self.assertTrue(self._render(_shot({"word": APART["word"]})).cells["word"].reused)

    def test_a_new_name_of_an_element_makes_only_its_identities_anew(self) -> None:
        shot = _shot({"word": {}})
        self._render(shot)
        before = {path.name for path in self.masters.rglob("*.exr")}
        raw = shot.model_dump(mode="json")
        raw["elements"][1]["name"] = "Moon"
        self._render(read_shot(raw))
        new = {path.name for path in self.masters.rglob("*.exr")} - before
        self.assertEqual([name.split(".")[1].split("-")[0] for name in new], ["identity"])

    def test_what_is_kept_comes_back(self) -> None:
        cell = self._render(_shot({"word": {}})).cells["word"]
        picture = MasterStore(self.masters).load(cell.key, cell.ends)
        assert picture.planes is not None and picture.data is not None and picture.identities is not None
        self.assertEqual([name for _, name, _ in picture.names], ["Word", "Ball", "Plate"])
        self.assertEqual(set(picture.groups), {"Warm", "Cool"})
        there = picture.data[..., 0] > 0
        np.testing.assert_allclose(np.linalg.norm(picture.data[there][:, 1:4], axis=1), 1, atol=2e-3)
        self.assertEqual(MasterStore(self.masters).size(cell.key, cell.ends), cell.bytes)


class Files(Case):
    def test_every_pass_of_every_layer_is_written_and_holds(self) -> None:
        shot = _shot({"word": APART["word"], "ball": APART["ball"]})
        records = self._files(shot, "exr")
        self.assertEqual(len(records), 2 * len(ALL_PASSES))
        self.assertEqual({one.worst for one in records if "identity" not in one.path}, {0.0})
        layers = self._files(shot, "exr-layer")
        self.assertEqual(
            [one.path for one in layers],
            [
                "KM010_word_all_v001/KM010_word_all_v001.0002.exr",
                "KM010_ball_all_v001/KM010_ball_all_v001.0002.exr",
            ],
        )
        (frame,) = self._files(shot, "exr-frame")
        self.assertEqual(len(frame.planes), 2 * len(ALL_PASSES))

    def test_whole_numbers_hold_what_they_can_and_refuse_the_rest_before(self) -> None:
        shot = _shot({"word": {}})
        few = tuple(name for name in ALL_PASSES if not name.startswith("identity"))
        for recipe in ("png8", "png16"):
            self.assertEqual(len(self._files(shot, recipe, passes=few)), len(few))
        with self.assertRaisesRegex(InputError, "PNG, 8 bits cannot hold Identity of elements"):
            check_carried(recipes.get("png8").format, {"word": passes_in(shot, "word", ALL_PASSES)})

    def test_parts_of_light_read_from_files_add_up_to_beauty(self) -> None:
        shot = _shot({"word": {}})
        found = {}
        for record in self._files(shot, "exr", passes=("beauty", "diffuse", "specular", "environment", "emission")):
            with OpenEXR.File(str(self.out / record.path)) as file:
                found[record.planes[0].pass_name] = file.channels()["RGBA"].pixels.astype(np.float64)
        total = sum(found[name][..., :3] for name in ("diffuse", "specular", "environment", "emission"))
        beauty = found["beauty"]
        off = np.abs(total - beauty[..., :3]) / np.maximum(beauty[..., :3], 1)
        self.assertLess(float(off.max()), 4 * 2**-11)
        self.assertTrue(all(np.array_equal(one[..., 3], beauty[..., 3]) for one in found.values()))

    def test_motion_in_whole_numbers_comes_back_by_what_the_manifest_says(self) -> None:
        shot = _shot({"word": {}})
        (png,) = self._files(shot, "png16", passes=("motion",))
        read = cv2.imread(str(self.out / png.path), cv2.IMREAD_UNCHANGED)[..., ::-1].astype(float)
        (exr,) = self._files(shot, "exr", passes=("motion",))
        with OpenEXR.File(str(self.out / exr.path), separate_channels=True) as file:
            expected = np.stack([file.channels()[one].pixels for one in "XY"], axis=2)
        order = Order(recipes.get("png16"), 1, reach_of(shot, AssetFolder(self.assets)), {})
        manifest = build_manifest(shot, order, Written([png], shot.layers, [2], "check", ""))
        (entry,) = manifest["passes"]
        there = read.any(axis=2)
        self.assertGreater(int(there.sum()), 100)
        for k, channel in enumerate(entry["channels"]):
            back = channel["low"] + read[there][:, k] / 65535 * (channel["high"] - channel["low"])
            np.testing.assert_allclose(back, expected[there][:, k], atol=160 / 65535 + 1e-6)

    def test_the_manifest_says_what_adds_up_and_what_rejoins(self) -> None:
        shot = _shot(
            APART,
            layers=[
                {
                    "name": name,
                    "passes": ALL_PASSES,
                    "members": roles,
                    "note": f"The {name} alone." if name == "ball" else "",
                }
                for name, roles in APART.items()
            ],
        )
        result = self._render(shot)
        proofs = proofs_of(
            [(name, 2, cell.sums) for name, cell in result.cells.items() if cell.sums is not None],
            [(one.layers, 2, one.off) for one in result.rejoins],
        )
        order = Order(recipes.get("exr-layer"), 3, reach_of(shot, AssetFolder(self.assets)), {})
        written = Written(self._files(shot, "exr-layer"), shot.layers, [2], "check", "", proofs)
        manifest = json.loads(json.dumps(build_manifest(shot, order, written)))
        self.assertEqual(manifest["adds_up"][0]["parts"], ["diffuse", "specular", "environment", "emission"])
        self.assertEqual(manifest["adds_up"][0]["whole"], "beauty")
        self.assertEqual(manifest["adds_up"][1]["parts"], ["light-Warm", "light-Cool"])
        self.assertTrue(manifest["proofs"]["layers_rejoin"][0]["holds"])
        self.assertEqual(manifest["layers"][0]["members"], {"shown": ["Word"], "hold-out": ["Ball", "Plate"]})
        text = receiver_text(manifest, order)
        self.assertIn("word: word; cut out by Ball, Plate", text)
        self.assertIn("The ball alone.", text)
        self.assertIn("they give the whole picture", text.replace("\n", " "))
        self.assertIn("beauty = diffuse + specular + environment + emission", text)

    def test_a_layer_has_frames_and_codes_of_its_own(self) -> None:
        shot = _shot({"word": {}, "ball": {}}, pass_codes={"light:Warm": "key", "normal": "N"})
        layers = (
            shot.layers[0],
            shot.layers[1].model_copy(update={"frames": "3-4", "passes": ("normal", "light:Warm")}),
        )
        shot = shot.model_copy(update={"layers": layers})
        plan = plan_files(shot, version=1, ext="exr")
        own = [one for one in plan.outputs if one.layer == "ball"]
        self.assertEqual([(one.pass_code, one.count) for one in own], [("N", 2), ("key", 2)])
        self.assertEqual(own[0].first, "KM010_ball_N_v001/KM010_ball_N_v001.0003.exr")
        self.assertEqual({one.planes[0].layer for one in self._files(shot, "exr")}, {"word"})

    def test_two_passes_under_one_code_are_refused_by_name(self) -> None:
        shot = _shot({"word": {}}, pass_codes={"diffuse": "x", "specular": "X"})
        with self.assertRaisesRegex(NamingError, "word / diffuse and word / specular .* another code"):
            plan_files(shot, version=1, ext="png")


class Documents(unittest.TestCase):
    def test_what_a_layer_cannot_be_is_said_at_its_field(self) -> None:
        for field, value, at in (
            ("passes", ["beauty", "glow"], "layers.0.passes.1"),
            ("passes", ["light:Rim"], "layers.0.passes.0"),
            ("passes", ["matte:nobody"], "layers.0.passes.0"),
            ("passes", ["beauty", "beauty"], "passes"),
            ("frames", "5-1", "frames"),
            ("members", {"word": "hidden"}, "layers.0.members.word"),
            ("on", False, "layers"),
        ):
            raw = _shot({"word": {}}).model_dump(mode="json")
            raw["layers"][0][field] = value
            with self.assertRaises(InputError) as caught:
                read_shot(raw)
            self.assertIn(at, caught.exception.problems[0].field, field)  # type: ignore[attr-defined]

    def test_a_key_colour_throws_no_shadows_and_a_gradient_runs_down(self) -> None:
        raw = _shot({"word": {}}).model_dump(mode="json")
        raw["layers"][0]["backdrop"] = {"kind": "key", "colour": "#00b140"}
        keyed = resolve(read_shot(raw), 1, NOWHERE, "word")
        self.assertFalse(any(light.shadows for light in keyed.lights))
        self.assertTrue(any(light.shadows for light in resolve(read_shot(raw), 1, NOWHERE).lights))
        raw["layers"][0]["backdrop"] = {"kind": "gradient", "colour": "#ffffff", "colour_to": "#000000"}
        picture = render(replace(resolve(read_shot(raw), 1, NOWHERE, "word"), bodies=()), QUALITIES["rough"])
        rows = picture.beauty[:, 3, 0]
        self.assertTrue((np.diff(rows) < 0).all())
        np.testing.assert_allclose(rows[[0, -1]], (1 - 0.5 / 54, 0.5 / 54), atol=1e-6)

    def test_lights_quality_and_new_elements_are_a_layers_own(self) -> None:
        raw = _shot({"word": {"word": "shown"}}).model_dump(mode="json")
        raw["layers"][0] |= {
            "others": "unseen",
            "lights_off": ["Cool"],
            "samples": "16",
            "rays": 9,
            "filter": "triangle",
            "filter_width": 2,
        }
        snapshot = resolve(read_shot(raw), 1, NOWHERE, "word")
        self.assertEqual([one.role for one in snapshot.bodies], ["shown", "unseen", "unseen"])
        self.assertEqual([light.group for light in snapshot.lights], ["Warm"])
        self.assertEqual(snapshot.groups, ("Warm", "Cool"))
        self.assertEqual((snapshot.samples, snapshot.rays), ((16, 16, 16), 9))
        self.assertEqual((snapshot.filter.shape, snapshot.filter.width), ("triangle", 2))
