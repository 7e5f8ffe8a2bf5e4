"""The Split desk: layers, who is in them and how, passes, names; and what Run, Proof and Hand off make of several layers."""

import json
import zipfile

import OpenEXR
from playwright.sync_api import Locator, Page, expect

from e2e.browser import BrowserCase
from shots.actions.save_document import save_document
from zeitbild.document.layers import Layer
from zeitbild.document.shot import Raster, Timing
from zeitbild.document.shot import Shot as ShotDocument
from zeitbild.elements.lettering import Lettering
from zeitbild.elements.solid import Solid
from zeitbild.testing import small_shot
from zeitbild.values import Placement


class LayersCase(BrowserCase):
    def document(self) -> ShotDocument:
        """A word before a ball."""
        return small_shot(
            raster=Raster(width=160, height=90),
            timing=Timing(last=3),
            elements=(
                Lettering(id="word", name="Word", word="Ab"),
                Solid(id="ball", name="Ball", shape="ball", placement=Placement(position=(60, 0, -40))),
            ),
            layers=(Layer(name="sign", passes=("beauty", "matte")),),
            quality="check",
        )

    def cell(self, element: str, layer: str) -> Locator:
        return self.page.locator(f'[aria-label^="{element} in {layer}:"]')

    def layers(self) -> dict[str, Layer]:
        self.saved()
        return {layer.name: layer for layer in self.fresh().current_document().layers}


class Splitting(LayersCase):
    def test_a_group_goes_into_layers_with_all_that_stands_in_it(self) -> None:
        document = self.fresh().current_document().model_dump(mode="json")
        document["elements"].insert(0, {"kind": "group", "id": "both", "name": "Both"})
        for one in document["elements"][1:]:
            one["inside"] = "both"
        document["layers"].append({**document["layers"][0], "name": "back", "title": "Back"})
        save_document(self.ada, self.fresh(), base=self.fresh().current_id, document=document, label="Grouped")
        page = self.desk("split")
        group = self.cell("Both and all in it", "back")
        expect(group).to_have_attribute("aria-label", "Both and all in it in back: shown")
        group.focus()
        page.keyboard.press("h")
        expect(self.cell("Ball", "back")).to_have_attribute("aria-label", "Ball in back: hold-out")
        self.assertEqual(self.layers()["back"].members, {"word": "hold-out", "ball": "hold-out"})
        self.cell("Ball", "back").focus()
        page.keyboard.press("s")
        expect(group).to_have_attribute("aria-label", "Both and all in it in back: mixed")
        page.get_by_role("radio", name="absent").click()
        page.get_by_role("button", name="Both", exact=True).click()
        members = {name: layer.members for name, layer in self.layers().items()}
        self.assertEqual(members, {one: {"word": "absent", "ball": "absent"} for one in ("sign", "back")})

    def test_long_names_stay_within_the_panel(self) -> None:
        document = self.fresh().current_document().model_dump(mode="json")
        long = "The large brass letters over the door of the museum"
        document["elements"][0]["name"] = long
        document["elements"][1] |= {"name": f"{long}, second part", "surface": {"named": ""}}
        document["layers"][0] |= {"title": long, "passes": ["beauty", "matte"]}
        save_document(self.ada, self.fresh(), base=self.fresh().current_id, document=document, label="Named")
        for desk, told in (("split", f"Matte of {long}"), ("build", long), ("run", "Start the run")):
            page = self.desk(desk)
            expect(page.get_by_text(told).first).to_be_visible()
            beyond = page.evaluate(
                "[...document.querySelectorAll('aside, aside *')]"
                ".filter((one) => one.getBoundingClientRect().right > innerWidth + 1)"
                ".map((one) => one.outerHTML.slice(0, 80))"
            )
            self.assertEqual(beyond, [], desk)

    def test_layers_are_made_filled_moved_and_taken_back(self) -> None:
        page = self.desk("split")
        page.get_by_role("button", name="Add layer").click()
        expect(page.get_by_role("heading", name="Layer front", exact=True)).to_be_visible()
        page.get_by_label("Code", exact=True).fill("back")
        page.get_by_label("Code", exact=True).press("Enter")
        # A new layer has nothing in it until somebody says so, which is told.
        expect(page.get_by_text("back shows no element")).to_be_visible()
        self.assertEqual(self.layers()["back"].others, "absent")
        # Fill by dragging down a column: chosen once, for all cells that the pointer crosses.
        page.get_by_role("radio", name="unseen").click()
        self._drag(page, self.cell("Word", "back"), self.cell("Ball", "back"))
        self.assertEqual(self.layers()["back"].members, {"word": "unseen", "ball": "unseen"})
        # By keys: arrows go from cell to cell, letters set.
        self.cell("Word", "back").focus()
        page.keyboard.press("ArrowDown")
        page.keyboard.press("s")
        expect(self.cell("Ball", "back")).to_have_attribute("aria-label", "Ball in back: shown")
        self.assertEqual(self.layers()["back"].members["ball"], "shown")
        # Undo takes a stroke back as a whole.
        page.get_by_role("button", name="Undo").click()
        expect(self.cell("Ball", "back")).to_have_attribute("aria-label", "Ball in back: unseen")
        self.assertEqual(self.layers()["back"].members, {"word": "unseen", "ball": "unseen"})
        page.get_by_role("button", name="Undo").click()
        expect(self.cell("Ball", "back")).to_have_attribute("aria-label", "Ball in back: absent")
        self.assertEqual(self.layers()["back"].members, {})
        # Below the other, then gone and back.
        page.get_by_role("button", name="Move below the last").click()
        self.assertEqual(list(self.layers()), ["back", "sign"])
        page.get_by_role("button", name="Delete layer back").click()
        self.assertEqual(list(self.layers()), ["sign"])
        page.get_by_role("button", name="Undo").click()
        expect(self.cell("Ball", "back")).to_be_visible()
        self.assertEqual(list(self.layers()), ["back", "sign"])

    def _drag(self, page: Page, first: Locator, last: Locator) -> None:
        start, end = first.bounding_box(), last.bounding_box()
        assert start is not None and end is not None
        page.mouse.move(start["x"] + 8, start["y"] + 6)
        page.mouse.down()
        page.mouse.move(end["x"] + 8, end["y"] + 6, steps=6)
        page.mouse.up()

    def test_what_a_new_element_becomes_leaves_those_that_are_there(self) -> None:
        page = self.desk("split")
        page.get_by_role("radio", name="absent").click()
        page.get_by_label("New elements in sign").click()
        sign = self.layers()["sign"]
        self.assertEqual((sign.others, sign.members), ("absent", {"word": "shown", "ball": "shown"}))

    def test_one_click_holds_each_out_in_the_others_and_all_together_is_the_whole(self) -> None:
        page = self.desk("split")
        page.get_by_role("button", name="Duplicate layer sign").click()
        expect(page.get_by_text("both show")).to_be_visible()
        page.get_by_role("radio", name="shown").click()
        page.get_by_role("button", name="Hold each out in the others").click()
        expect(page.get_by_text("both show")).to_have_count(0)
        layers = self.layers()
        self.assertEqual(layers["sign"].members, {"word": "shown", "ball": "shown"})
        self.assertEqual(layers["sign-2"].members, {"word": "hold-out", "ball": "hold-out"})
        self.cell("Ball", "sign-2").click()
        self.assertEqual(self.layers()["sign-2"].membership("ball"), "shown")
        page.get_by_role("button", name="Hold each out in the others").click()
        self.saved()
        page.get_by_role("button", name="All together").click()
        expect(page.get_by_text("all layers, rejoined")).to_be_visible()
        self.picture()

    def test_passes_say_what_adds_up_and_carry_codes(self) -> None:
        page = self.desk("split")
        page.get_by_role("checkbox", name="Diffuse").check()
        expect(page.get_by_text("specular and environment and emission")).to_be_visible()
        page.get_by_role("button", name="Add them").click()
        expect(page.get_by_text("beauty = diffuse + specular + environment + emission")).to_be_visible()
        page.get_by_label("Code of Diffuse in file names").fill("dif")
        page.get_by_label("Code of Diffuse in file names").press("Enter")
        expect(page.get_by_label("Sequences").get_by_text("KM010_sign_dif_v001.0001.png")).to_be_visible()
        page.get_by_label("Code of Specular in file names").fill("dif")
        page.get_by_label("Code of Specular in file names").press("Enter")
        expect(page.get_by_text("would both be called")).to_be_visible()
        page.get_by_label("Code of Specular in file names").fill("")
        page.get_by_label("Code of Specular in file names").press("Enter")
        self.saved()
        self.assertEqual(self.fresh().current_document().pass_codes, {"diffuse": "dif"})
        # Every pass can be looked at.
        page.get_by_role("button", name="Look at").click()
        page.get_by_role("option", name="Normals, camera").click()
        self.picture()

    def test_rules_are_kept_for_the_project_and_chosen_again(self) -> None:
        page = self.desk("split")
        rule = page.get_by_label("Rule", exact=True)
        before = rule.input_value()
        rule.fill("{layer}/{pass}.{frame:05}.{ext}")
        rule.press("Tab")
        expect(page.get_by_label("Sequences").get_by_text("beauty.00001.png")).to_be_visible()
        page.get_by_label("A name for this rule").fill("Short names")
        page.get_by_role("button", name="Keep it").click()
        expect(page.get_by_role("button", name="Short names", exact=True)).to_have_attribute("aria-pressed", "true")
        rule.fill(before)
        rule.press("Tab")
        expect(page.get_by_role("button", name="Short names", exact=True)).to_have_attribute("aria-pressed", "false")
        page.get_by_role("button", name="Short names", exact=True).click()
        expect(rule).to_have_value("{layer}/{pass}.{frame:05}.{ext}")
        page.reload()
        page.get_by_role("button", name="Forget the rule Short names").click()
        expect(page.get_by_role("button", name="Short names", exact=True)).to_have_count(0)

    def test_a_layer_has_frames_and_a_backdrop_of_its_own(self) -> None:
        page = self.desk("split")
        frames = page.get_by_label("Frames (empty: the whole range)")
        frames.fill("7-")
        frames.press("Enter")
        expect(page.get_by_role("alert").get_by_text("neither a frame, a range")).to_be_visible()
        frames.fill("2-3")
        frames.press("Enter")
        own = page.get_by_role("radiogroup", name="Backdrop of this layer")
        own.get_by_role("radio", name="Key colour").click()
        sign = self.layers()["sign"]
        assert sign.backdrop is not None
        self.assertEqual((sign.frames, sign.backdrop.kind), ("2-3", "key"))
        expect(page.get_by_text("4 files in all")).to_be_visible()


class Delivering(LayersCase):
    def document(self) -> ShotDocument:
        """Two layers, each held out by the other, with everything that adds up."""
        passes = ("beauty", "matte", "diffuse", "specular", "environment", "emission", "normal", "identity-element")
        layers = (
            Layer(name="ball", passes=passes, members={"word": "hold-out"}),
            Layer(name="word", passes=passes, members={"ball": "hold-out"}, frames="1-2"),
        )
        return super().document().model_copy(update={"layers": layers})

    def test_layers_are_rendered_proved_looked_at_and_handed_off_in_one_file_each(self) -> None:
        page = self.desk("run")
        expect(page.get_by_label("Layers of this run").get_by_text("1 of 3 to render")).to_be_visible()
        page.get_by_role("button", name="Start the run").click()
        expect(page.get_by_text("5 of 5")).to_be_visible()
        proofs = page.get_by_label("Proofs")
        expect(proofs.get_by_text("give the whole picture")).to_be_visible()
        expect(proofs.get_by_text("add up to beauty")).to_have_count(2)
        # A column for each layer; its head shows the layer.
        page.get_by_role("button", name="word", exact=True).click()
        expect(page.get_by_text("frame 1 of word")).to_be_visible()
        page.get_by_role("link", name="Proof").click()
        page.wait_for_selector("canvas[data-shown=true]")
        page.get_by_role("radio", name="Normals, world").click()
        page.wait_for_selector("canvas[data-shown=true]")
        page.get_by_role("link", name="Hand off").click()
        expect(page.get_by_text("cannot hold Identity of elements")).to_be_visible()
        expect(page.get_by_role("button", name="Write v001")).to_be_disabled()
        page.get_by_role("button", name="Another form").click()
        page.get_by_role("menuitem", name="OpenEXR, a file for each layer").click()
        page.get_by_role("button", name="Leave PNG sequence, 8 bits out").click()
        page.get_by_role("button", name="As it is usual").click()
        page.get_by_label("Compression, without loss").click()
        page.get_by_role("option", name="Wavelet").click()
        page.get_by_role("radio", name="Cut to what is there").click()
        page.get_by_role("checkbox", name="Normals, world").uncheck()
        page.get_by_role("button", name="Write v001").click()
        entry = page.get_by_label("Version 1")
        expect(entry.get_by_text("✓ verified")).to_be_visible()
        with page.expect_download() as download:
            entry.get_by_role("link", name="KM010_v001.zip").click()
        with zipfile.ZipFile(download.value.path()) as package:
            manifest = json.loads(package.read("manifest.json"))
            self.assertEqual(len(manifest["files"]), 5)
            self.assertTrue(manifest["proofs"]["layers_rejoin"][0]["holds"])
            self.assertEqual(manifest["proofs"]["frames"], 3)
            self.assertEqual(manifest["options"]["compression"], "piz")
            path = package.extract("KM010_word_all_v001/KM010_word_all_v001.0001.exr", self.data)
        with OpenEXR.File(path, separate_channels=True) as file:
            header, channels = file.header(), file.channels()
            self.assertEqual(header["compression"], OpenEXR.PIZ_COMPRESSION)
            self.assertLess(int(header["dataWindow"][1][0]) - int(header["dataWindow"][0][0]) + 1, 160)
            self.assertIn("identity-element00.R", channels)
            self.assertNotIn("normal.X", channels)
