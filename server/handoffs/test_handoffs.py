"""Hand-offs: of some layers and passes, in files that hold several, from the very masters that were proofed."""

import zipfile
from unittest import mock

from handoffs.models import HandOff
from handoffs.selectors import package_path
from handoffs.testing import PASSES, Layered
from runs.models import Cell, Run
from zeitbild.masters import MasterStore


class Runs(Layered):
    def test_a_run_has_the_frames_of_each_layer_and_proves_what_adds_up(self) -> None:
        run = self.rendered()
        self.assertEqual(run.total, 5)
        found = self.get(f"/api/runs/{run.id}/proofs")
        (rejoin,) = found["rejoins"]
        self.assertEqual((rejoin["what"], rejoin["proved"]), (["word", "ball"], 2))
        self.assertLess(rejoin["largest"], rejoin["allowed"])
        self.assertEqual([one["what"] for one in found["sums"]], [["word"], ["ball"]])
        self.assertTrue(all(one["largest"] <= one["allowed"] for one in found["sums"]))

    def test_some_layers_alone(self) -> None:
        run = self.rendered(layers=["ball"])
        self.assertEqual((run.layers, run.total, run.frame_set), (["ball"], 2, "1-2"))
        refused = self.post(
            f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id, "layers": ["fog"]}, expect=422
        )
        self.assertIn("no layer 'fog'", refused["detail"])

    def test_every_pass_of_a_cell_is_looked_at_and_others_say_what_there_is(self) -> None:
        run = self.rendered()
        cell = f"/api/runs/{run.id}/cells/word/1/picture"
        for what in ("picture", "matte", "diffuse", "identity-element"):
            self.assertEqual(self.client.get(f"{cell}?what={what}").status_code, 200, what)
        for what in ("normal", "light:Key", "glow"):
            answer = self.client.get(f"{cell}?what={what}")
            self.assertEqual(answer.status_code, 422, what)

    def test_an_estimate_tells_layers_apart(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        found = self.post(f"/api/shots/{self.shot.id}/estimate", {"document": document, "quality": "rough"})
        self.assertEqual([(one["layer"], one["frames"]) for one in found["layers"]], [("word", 3), ("ball", 2)])
        self.assertEqual((found["cells"], found["files"]), (5, 5 * len(PASSES)))
        some = self.post(
            f"/api/shots/{self.shot.id}/estimate", {"document": document, "quality": "rough", "layers": ["ball"]}
        )
        self.assertEqual(some["cells"], 2)


class HandOffs(Layered):
    def test_files_of_a_layer_and_of_a_frame(self) -> None:
        run = self.rendered()
        made = {recipe: self.hand_off(run, recipe) for recipe in ("exr", "exr-layer", "exr-frame")}
        self.work()
        self.assertEqual(len(self.manifest(made["exr"])["files"]), 5 * len(PASSES))
        layers = self.manifest(made["exr-layer"])
        self.assertEqual(len(layers["files"]), 5)
        self.assertEqual([layer["name"] for layer in layers["layers"]], ["word", "ball"])
        self.assertTrue(layers["proofs"]["layers_rejoin"][0]["holds"])
        frames = self.manifest(made["exr-frame"])
        # The ball has no third frame: that file holds the word alone.
        self.assertEqual([len(one["holds"]) for one in frames["files"]], [14, 14, 7])

    def test_some_layers_and_passes_with_options(self) -> None:
        run = self.rendered()
        options = {"compression": "rle", "numbers": "float", "window": "cut"}
        made = self.hand_off(run, "exr-layer", layers=["ball"], passes=["beauty", "matte"], options=options)
        self.assertEqual(
            (made["total"], made["layers"], made["forms"][0]["passes"]), (2, ["ball"], ["beauty", "matte"])
        )
        self.work()
        manifest = self.manifest(made)
        self.assertEqual({one["pass"] for file in manifest["files"] for one in file["holds"]}, {"beauty", "matte"})
        self.assertEqual(manifest["passes"][0]["bits"], 32)
        self.assertEqual(manifest["options"], options)

    def test_what_cannot_be_written_is_refused_before(self) -> None:
        run = self.rendered()
        for body, said in (
            ({"recipe": "png8"}, "cannot hold Identity of elements"),
            ({"recipe": "exr", "options": {"compression": "lossy"}}, "there is zip"),
            ({"recipe": "exr", "layers": ["fog"]}, "no layer 'fog'"),
            ({"recipe": "h264", "passes": ["beauty"], "options": {"width": "95"}}, "even widths and heights"),
            ({"recipe": "gif", "passes": ["beauty"], "options": {"ground": "blue"}}, "'blue' is not a colour"),
            ({"recipe": "gif", "passes": ["beauty"], "options": {"colours": "900"}}, "from 2 to 255"),
            ({"recipe": "tga", "passes": ["beauty"], "options": {"width": "70000"}}, "from 1 to 16384"),
            ({"recipe": "exr", "passes": ["depth"]}, "nothing to write"),
            ({"recipe": "scroll"}, "no recipe called"),
        ):
            answer = self.hand_off(run, str(body["recipe"]), 422, **{k: v for k, v in body.items() if k != "recipe"})
            self.assertIn(said, answer["detail"], body)
        address = f"/api/runs/{run.id}/handoffs"
        # Of several the form that is meant is named, and nothing is written of the others either.
        both = [{"recipe": "exr"}, {"recipe": "gif", "passes": ["beauty"], "options": {"steps": "many"}}]
        answer = self.post(address, {"forms": both}, expect=422)
        self.assertIn("gif: GIF cannot have steps 'many'", answer["detail"])
        self.assertEqual(answer["problems"][0]["field"], "forms.1.options.steps")
        self.assertIn("1 to 12 forms", self.post(address, {"forms": []}, expect=422)["detail"])
        self.assertEqual(HandOff.objects.count(), 0)

    def test_masters_that_are_gone_are_rendered_again_in_sight_and_never_silently(self) -> None:
        run = self.rendered()
        store = MasterStore(self.data / "masters")
        cell = Cell.objects.get(run=run, layer="ball", frame=2)
        store.forget(cell.key)
        made = self.hand_off(run, "exr-layer")
        with mock.patch("zeitbild.farm.cell.render_together", side_effect=AssertionError("a hand-off renders nothing")):
            self.once()
        handoff, again = HandOff.objects.get(id=made["id"]), Run.objects.get(id=run.id)
        self.assertEqual((handoff.state, again.state), (HandOff.State.WAITING, Run.State.WAITING))
        self.assertIn("frames 1-2 is not there any more", handoff.error)
        self.assertFalse(Cell.objects.filter(run=run, layer="ball", frame=2).exists())
        # While its run waits nobody takes the hand-off; then both go on by themselves.
        self.work()
        self.assertEqual(len(self.manifest(made)["files"]), 5)
        self.assertEqual(Cell.objects.get(run=run, layer="ball", frame=2).key, cell.key)

    def test_files_that_move_hold_the_frames_of_their_layer_also_after_a_master_was_damaged(self) -> None:
        run = self.rendered()
        cell = Cell.objects.get(run=run, layer="ball", frame=2)
        path = MasterStore(self.data / "masters").path(cell.key)
        path.write_bytes(path.read_bytes()[:200])
        refused = self.hand_off(run, "apng", 422)
        self.assertIn("cannot hold", refused["detail"])
        made = self.hand_off(run, "apng", passes=["beauty", "matte"], options={"plays": "once"})
        self.once()
        self.assertEqual(HandOff.objects.get(id=made["id"]).state, HandOff.State.WAITING)
        self.work()
        manifest = self.manifest(made)
        frames = {one["path"].rpartition("/")[2]: one["frames"] for one in manifest["files"]}
        self.assertEqual(
            frames,
            {
                f"KM010_{layer}_{name}_v001.png": there
                for layer, there in (("word", "1-3"), ("ball", "1-2"))
                for name in ("beauty", "matte")
            },
        )
        self.assertEqual((manifest["options"], manifest["frames"]["in_a_file"]), ({"plays": "once"}, "all"))
        self.assertEqual(manifest["read_back"]["reader"], "Pillow")
        with zipfile.ZipFile(package_path(HandOff.objects.get(id=made["id"]))) as package:
            self.assertIn("all of them in each file", package.read("README.txt").decode())

    def test_of_another_renderer_all_frames_are_rendered_again(self) -> None:
        run = self.rendered()
        keys = set(run.cells.values_list("key", flat=True))
        lost = Cell.objects.get(run=run, layer="ball", frame=2)
        MasterStore(self.data / "masters").forget(lost.key)
        made = self.hand_off(run, "exr-layer")
        with mock.patch("zeitbild.masters.frame_key.RENDERER_VERSION", 10_000):
            self.once()
            self.assertEqual(run.cells.count(), 3)
            self.assertIn("all, if Zeitbild was renewed since", HandOff.objects.get(id=made["id"]).error)
            self.work()
        self.assertEqual(len(self.manifest(made)["files"]), 5)
        self.assertFalse(keys & set(run.cells.values_list("key", flat=True)))

    def test_a_damaged_master_too(self) -> None:
        run = self.rendered()
        store = MasterStore(self.data / "masters")
        cell = Cell.objects.get(run=run, layer="word", frame=1)
        path = store.path(cell.key, cell.parts["light"])
        path.write_bytes(path.read_bytes()[:400])
        made = self.hand_off(run, "exr")
        self.work()
        self.assertEqual(len(self.manifest(made)["files"]), 5 * len(PASSES))

    def test_a_run_that_lost_a_frame_for_good_fails_its_hand_off_with_a_reason(self) -> None:
        run = self.rendered()
        made = self.hand_off(run, "exr")
        Cell.objects.filter(run=run, layer="word", frame=1).update(state=Cell.State.FAILED)
        self.once()
        handoff = HandOff.objects.get(id=made["id"])
        self.assertEqual(handoff.state, HandOff.State.FAILED)
        self.assertIn("1 frames of its run are not rendered", handoff.error)
