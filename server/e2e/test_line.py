"""The whole line, as somebody who has never seen Zeitbild goes through it."""

import hashlib
import io
import json
import re
import zipfile

import numpy as np
import png
from playwright.sync_api import expect

from e2e.browser import BrowserCase
from zeitbild.document.shot import Raster
from zeitbild.document.shot import Shot as ShotDocument
from zeitbild.testing import small_shot


class Line(BrowserCase):
    def document(self) -> ShotDocument:
        """A shot nobody has worked on, small enough to be quick."""
        return small_shot(raster=Raster(width=160, height=90), elements=())

    def test_from_a_typed_word_to_a_package(self) -> None:
        page = self.sign_in()
        page.get_by_role("link", name="Kap Morgen").click()
        page.get_by_text("KM010").click()
        # Build: add a word and type it.
        page.get_by_role("button", name="Add element").click()
        page.get_by_role("menuitem", name="Extruded lettering").click()
        page.get_by_label("Word", exact=True).fill("Leuchtfeuer")
        page.get_by_label("Letter size", exact=True).fill("20*5")
        page.get_by_label("Letter size", exact=True).press("Enter")
        self.saved()
        self.picture()
        # Time: a cycle of 8 frames, one turn.
        page.keyboard.press("Escape")
        page.get_by_role("link", name="Time").click()
        frames = page.get_by_label("frames", exact=True)
        frames.fill("8")
        frames.press("Enter")
        expect(page.get_by_text("8 different frames; frame 9 would equal frame 1")).to_be_visible()
        page.get_by_label("Turns over the range").fill("1")
        page.get_by_label("Turns over the range").press("Enter")
        expect(page.get_by_label("Frame sheet").get_by_text("315°")).to_be_visible()
        # Split: three passes under the rule.
        page.get_by_role("link", name="Split").click()
        expect(page.get_by_text("24 files in all")).to_be_visible()
        self.saved()
        # Run.
        page.get_by_role("link", name="Run").click()
        expect(page.get_by_label("Before the start").get_by_text("8", exact=True)).to_be_visible()
        page.get_by_role("button", name="Start the run").click()
        expect(page.get_by_role("heading", name="Rendered", exact=True)).to_be_visible()
        # One frame was rendered already, to measure what the run would cost.
        expect(page.get_by_label("Frame sheet").get_by_text(re.compile("✓ done|= reused"))).to_have_count(8)
        # Proof: over black, alpha alone, a pixel.
        page.get_by_role("link", name="Proof").click()
        page.wait_for_selector("canvas[data-shown=true]")
        page.get_by_role("radio", name="Black").click()
        page.get_by_role("radio", name="Matte").click()
        page.get_by_role("radio", name="4×").click()
        page.locator("canvas").hover(position={"x": 4, "y": 4})
        expect(page.get_by_label("Values of the pixel")).to_contain_text("0.0000")
        # Hand off.
        page.get_by_role("link", name="Hand off").click()
        page.get_by_role("button", name="Write v001").click()
        entry = page.get_by_label("Version 1")
        expect(entry.get_by_text("✓ verified")).to_be_visible()
        with page.expect_download() as download:
            entry.get_by_role("link", name="KM010_v001.zip").click()
        self._check_package(download.value.path().read_bytes())
        # A second version leaves the first alone.
        page.get_by_role("button", name="Write v002").click()
        expect(page.get_by_label("Version 2").get_by_text("✓ verified")).to_be_visible()

    def _check_package(self, data: bytes) -> None:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            self.assertIsNone(archive.testzip())
            manifest = json.loads(archive.read("manifest.json"))
            self.assertEqual((manifest["shot"], manifest["version"], manifest["frames"]["count"]), ("KM010", 1, 8))
            self.assertEqual(len(manifest["files"]), 24)
            for entry in manifest["files"]:
                self.assertEqual(hashlib.sha256(archive.read(entry["path"])).hexdigest(), entry["sha256"])
            first = archive.read("KM010_sign_beauty_v001/KM010_sign_beauty_v001.0001.png")
            last = archive.read("KM010_sign_beauty_v001/KM010_sign_beauty_v001.0008.png")
            self.assertIn("cycle", archive.read("README.txt").decode())
        self.assertNotEqual(first, last)
        width, height, rows, info = png.Reader(bytes=first).asDirect()
        pixels = np.vstack([np.asarray(row) for row in rows]).reshape(height, width, 4)
        self.assertEqual((width, height, info["bitdepth"]), (160, 90, 8))
        self.assertGreater((pixels[..., 3] == 255).sum(), 100)
        self.assertEqual(pixels[pixels[..., 3] == 0][:, :3].max(), 0)
        self.assertEqual(pixels[0, 0, 3], 0)
