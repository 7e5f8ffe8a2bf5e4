"""Finishes, cameras, surroundings and the pixel look on the Build desk, driven as a person would."""

import io
import re
import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory

import cv2
import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from e2e.browser import BrowserCase
from zeitbild.document.shot import Pixels, Raster
from zeitbild.document.shot import Shot as ShotDocument
from zeitbild.testing import small_shot


class Looks(BrowserCase):
    def _choose_finish(self, page: Page, surface: str, item: str) -> None:
        page.get_by_role("button", name=re.compile(f"^{surface}: .*choose a finish")).click()
        page.get_by_role("menuitem", name=item).click()
        self.saved()

    def _apart(self, page: Page) -> None:
        page.get_by_role("button", name=re.compile("^A finish for each part")).click()

    def test_one_finish_for_the_whole_element_in_one_step(self) -> None:
        page = self.desk("build")
        self.picture()
        self._choose_finish(page, "Whole element", "Brass")
        finishes = self.fresh().current_document().elements[0].finishes()
        self.assertEqual({one.metalness for one in finishes}, {1})
        whole = page.get_by_role("group", name="Whole element", exact=True)
        whole.get_by_label("Roughness", exact=True).fill("0.35")
        whole.get_by_label("Roughness", exact=True).press("Enter")
        self.saved()
        self.assertEqual([one.roughness for one in self.fresh().current_document().elements[0].finishes()], [0.35] * 3)
        self._apart(page)
        self._choose_finish(page, "Side", "Plaster")
        expect(page.get_by_role("group", name="Whole element", exact=True)).to_have_count(0)
        page.get_by_role("button", name="One finish for the whole element").click()
        self.saved()
        finishes = self.fresh().current_document().elements[0].finishes()
        self.assertEqual([(one.metalness, one.roughness) for one in finishes], [(1, 0.35)] * 3)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("group", name="Side", exact=True)).to_be_visible()
        self.assertEqual(self.fresh().current_document().elements[0].side.metalness, 0)

    def test_surroundings_are_chosen_by_their_pictures(self) -> None:
        page = self.desk("build")
        self.picture()
        page.get_by_role("button", name="Environment").click()
        shown = page.get_by_role("radiogroup", name="Surroundings")
        expect(shown.get_by_role("radio")).to_have_count(9)
        for picture in shown.locator("img").all():
            self.assertGreater(picture.evaluate("async (one) => (await one.decode(), one.naturalWidth)"), 100)
        shown.get_by_role("radio", name="Dusk").click()
        self.saved()
        around = self.fresh().current_document().environment
        self.assertEqual((around.source, around.horizon), ("dusk", "#ffb066"))
        self.picture()
        expect(page.get_by_label("Horizon", exact=True).first).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(shown.get_by_role("radio", name="Studio")).to_be_checked()
        self.assertEqual(self.fresh().current_document().environment.source, "studio")

    def test_the_bar_under_the_picture_is_one_line_and_menus_stay_inside(self) -> None:
        page = self.desk("build")
        self.picture()
        bar = page.get_by_role("radiogroup", name="Over").locator("xpath=..")
        self.assertLess(bar.bounding_box()["height"], 50)  # type: ignore[index]
        page.get_by_role("button", name="Light", exact=True).click()
        box = page.get_by_role("menu").bounding_box()
        assert box is not None
        size = page.viewport_size
        assert size is not None
        self.assertTrue(box["x"] >= 0 and box["x"] + box["width"] <= size["width"] and box["y"] >= 0)

    def test_a_finish_is_shared_changed_in_one_place_renamed_and_left(self) -> None:
        page = self.desk("build")
        self.picture()
        self._apart(page)
        self._choose_finish(page, "Face", "Lacquer")
        self._choose_finish(page, "Face", "Share these values")
        self._choose_finish(page, "Side", "Face finish")
        expect(page.get_by_text("Changes here change all 2 surfaces that share it.")).to_have_count(2)
        document = self.fresh().current_document()
        self.assertEqual(document.elements[0].side.named, "Face finish")
        self.assertEqual(document.finishes[0].values.coat, 1)
        side = page.get_by_role("group", name="Side", exact=True)
        side.get_by_label("Roughness", exact=True).fill("0.9")
        side.get_by_label("Roughness", exact=True).press("Enter")
        side.get_by_label("Name of the shared finish").fill("Harbour red")
        side.get_by_label("Name of the shared finish").press("Enter")
        self.saved()
        document = self.fresh().current_document()
        self.assertEqual((document.finishes[0].name, document.finishes[0].values.roughness), ("Harbour red", 0.9))
        self.assertEqual([one.named for one in document.elements[0].finishes()], ["Harbour red", "", "Harbour red"])
        self._choose_finish(page, "Face", "Values of its own")
        own = self.fresh().current_document().elements[0].face
        self.assertEqual((own.named, own.roughness, own.coat), ("", 0.9, 1))
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_text("Changes here change all 2 surfaces that share it.")).to_have_count(2)

    def test_tones_are_added_moved_and_refused_where_they_do_not_rise(self) -> None:
        page = self.desk("build")
        self._apart(page)
        self._choose_finish(page, "Face", "Drawn tones")
        face = page.get_by_role("group", name="Face", exact=True)
        face.get_by_role("button", name="One tone more").click()
        self.saved()
        self.assertEqual(len(self.fresh().current_document().elements[0].face.tones), 4)
        starts = face.get_by_label("from", exact=True)
        starts.nth(0).fill("3")
        starts.nth(0).press("Enter")
        expect(face.get_by_role("alert")).to_contain_text("tones must rise")
        starts.nth(0).fill("0.4")
        starts.nth(0).press("Enter")
        self.saved()
        expect(face.get_by_role("alert")).to_have_count(0)
        face.get_by_role("button", name="Remove tone 1").click()
        self.saved()
        tones = self.fresh().current_document().elements[0].face.tones
        self.assertEqual([tone.above for tone in tones], [0, 0.95, 1.2])
        # A single tone may move; its keys go with it when another one goes, and go away with it.
        for number in (2, 3):
            face.get_by_role("button", name=f"Tone {number}: let it move, with a key at frame 1").click()
            expect(face.get_by_role("button", name=f"Tone {number}: take the key at frame 1 away")).to_be_visible()
        self.saved()
        self.assertEqual(
            list(self.fresh().current_document().elements[0].moves), [f"face.tones.{n}.colour" for n in (1, 2)]
        )
        colours = [tone.colour for tone in self.fresh().current_document().elements[0].face.tones]
        face.get_by_role("button", name="Remove tone 2").click()
        self.saved()
        (path, track), *rest = self.fresh().current_document().elements[0].moves.items()
        self.assertEqual((path, [key.value for key in track.keys], rest), ("face.tones.1.colour", [colours[2]], []))

    def test_another_camera_is_added_moved_named_used_and_deleted(self) -> None:
        page = self.desk("build")
        self.picture()
        page.get_by_role("button", name="Add camera").click()
        self.saved()
        with page.expect_response(lambda answer: answer.url.endswith("/document")):
            page.get_by_role("button", name="All in view", exact=True).click()
        self.saved()
        document = self.fresh().current_document()
        self.assertEqual((document.view, document.cameras[0].name), ("Camera 2", "Camera 2"))
        self.assertNotEqual(document.cameras[0].camera.position, document.camera.position)
        page.get_by_label("Name of the camera").fill("Low")
        page.get_by_label("Name of the camera").press("Enter")
        self.saved()
        page.goto(page.url.replace("/build", "/split"))
        page.get_by_role("radio", name="Low", exact=True).click()
        self.saved()
        self.assertEqual(self.fresh().current_document().layers[0].camera, "Low")
        page.goto(page.url.replace("/split", "/build"))
        page.get_by_role("button", name="Look through Main camera").click()
        self.saved()
        self.assertEqual(self.fresh().current_document().view, "Main")
        page.get_by_role("button", name="Low", exact=True).click()
        page.get_by_role("button", name="Delete", exact=True).click()
        self.saved()
        document = self.fresh().current_document()
        self.assertEqual((document.cameras, document.layers[0].camera), ((), ""))

    def test_the_pixel_look_says_what_fits_and_shows_whole_pixels(self) -> None:
        page = self.desk("build")
        self.picture()
        page.get_by_role("button", name="Pixel look off").click()
        page.get_by_label("Side of a pixel").fill("7")
        page.get_by_label("Side of a pixel").press("Enter")
        self.saved()
        page.get_by_role("switch", name="Pixel look").click()
        expect(page.get_by_role("alert").first).to_contain_text("cannot be cut into pixels 7 wide")
        page.get_by_label("Side of a pixel").fill("2")
        page.get_by_label("Side of a pixel").press("Enter")
        self.saved()
        self.picture()
        page.wait_for_function("document.querySelector('canvas').width % 48 === 0")
        page.get_by_role("button", name="Find in this picture").click()
        expect(page.get_by_label("Colour 1", exact=True)).to_be_visible()
        self.saved()
        pixels = self.fresh().current_document().pixels
        self.assertTrue(pixels.on and 2 <= len(pixels.palette) <= 12)

    def test_surroundings_from_a_picture(self) -> None:
        page = self.desk("build")
        page.get_by_role("button", name="Environment").click()
        page.get_by_role("radio", name="A picture", exact=True).click()
        self.saved()
        with TemporaryDirectory() as folder:
            square, shore = Path(folder) / "square.png", Path(folder) / "shore.png"
            cv2.imwrite(str(square), np.full((32, 32, 3), 200, np.uint8))
            cv2.imwrite(str(shore), np.full((32, 64, 3), 200, np.uint8))
            page.get_by_label("Picture file").set_input_files(square)
            expect(page.get_by_role("alert")).to_contain_text("twice as wide as high")
            page.get_by_label("Picture file").set_input_files(shore)
            expect(page.get_by_role("button", name="Picture shore.png")).to_be_visible()
        self.saved()
        self.assertTrue(self.fresh().current_document().environment.picture.startswith("asset:"))

    def test_the_histogram_follows_the_light(self) -> None:
        page = self.desk("build")
        self.picture()
        page.get_by_role("button", name="Histogram").click()
        panel = page.get_by_role("complementary", name="Histogram")
        expect(panel).to_contain_text("burnt out to white")
        expect(panel.get_by_role("definition").first).to_have_text("0.0 %")
        page.get_by_role("button", name="Environment").click()
        page.get_by_label("Strength", exact=True).fill("90")
        page.get_by_label("Strength", exact=True).press("Enter")
        expect(panel.get_by_role("definition").first).not_to_have_text("0.0 %")
        panel.get_by_role("button", name="Close the histogram").click()
        expect(panel).to_have_count(0)

    def test_a_texture_is_brought_and_laid_on_a_surface(self) -> None:
        page = self.desk("build")
        self.picture()
        self._apart(page)
        face = page.get_by_role("group", name="Face", exact=True)
        face.get_by_role("button", name="Textures …").click()
        with TemporaryDirectory() as folder:
            tiles = Path(folder) / "tiles.png"
            cv2.imwrite(str(tiles), np.full((20, 30, 3), 120, np.uint8))
            face.get_by_label("Base colour texture file").set_input_files(tiles)
            expect(face.get_by_role("button", name="Base colour texture tiles.png")).to_be_visible()
        face.get_by_label("Width of a texture", exact=True).fill("60")
        face.get_by_label("Width of a texture", exact=True).press("Enter")
        self.saved()
        own = self.fresh().current_document().elements[0].face
        self.assertTrue(own.base_map.startswith("asset:"))
        self.assertEqual(own.map_width, 60)
        expect(face.get_by_role("button", name="Textures (2 set)")).to_be_visible()
        self.picture()

    def test_what_is_added_or_copied_stands_beside_what_is_there(self) -> None:
        page = self.desk("build")
        self.picture()
        page.get_by_role("button", name="Add element").click()
        page.get_by_role("menuitem", name="Solid body").click()
        self.saved()
        page.get_by_role("button", name="Duplicate Solid body").click()
        self.saved()
        elements = self.fresh().current_document().elements
        self.assertEqual(len(elements), 3)
        self.assertEqual(len({one.placement.position for one in elements}), 3)

    def test_blur_and_filter_are_set_and_told_in_the_list(self) -> None:
        page = self.desk("build")
        page.get_by_role("button", name="Motion blur off").click()
        page.get_by_label("Shutter angle", exact=True).fill("180")
        page.get_by_label("Shutter angle", exact=True).press("Enter")
        expect(page.get_by_role("button", name="Motion blur 180°")).to_be_visible()
        page.get_by_role("button", name="Filter and samples").click()
        page.get_by_role("radio", name="Blackman-Harris").click()
        page.get_by_label("Filter width", exact=True).fill("99")
        page.get_by_label("Filter width", exact=True).press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("at most 8")
        page.get_by_label("Filter width", exact=True).fill("3")
        page.get_by_label("Filter width", exact=True).press("Enter")
        expect(page.get_by_role("button", name="Filter and samples Blackman-Harris 3")).to_be_visible()
        self.saved()
        document = self.fresh().current_document()
        self.assertEqual((document.motion.angle, document.sampling.filter_width), (180, 3))
        self.picture()


class PixelLine(BrowserCase):
    def document(self) -> ShotDocument:
        """A tiny shot in the pixel look."""
        return small_shot(raster=Raster(width=96, height=48), pixels=Pixels(on=True, enlarge=3, outline=True))

    def test_the_pixel_look_goes_all_the_way_to_the_package(self) -> None:
        page = self.desk("run")
        page.get_by_role("button", name="Start the run").click()
        expect(page.get_by_role("heading", name="Rendered", exact=True)).to_be_visible()
        page.get_by_role("link", name="Hand off").click()
        page.get_by_role("button", name="Write v001").click()
        entry = page.get_by_label("Version 1")
        expect(entry.get_by_text("✓ verified")).to_be_visible()
        with page.expect_download() as download:
            entry.get_by_role("link", name="KM010_v001.zip").click()
        with zipfile.ZipFile(download.value.path()) as archive:
            name = next(one for one in archive.namelist() if "beauty" in one and one.endswith(".png"))
            pixels = np.asarray(Image.open(io.BytesIO(archive.read(name))))
        small = pixels[::3, ::3]
        np.testing.assert_array_equal(pixels, small.repeat(3, axis=0).repeat(3, axis=1))
        self.assertEqual(set(np.unique(small[..., 3])), {0, 255})
