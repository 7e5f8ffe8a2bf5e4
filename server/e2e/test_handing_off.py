"""The Hand off desk: forms chosen, tried, kept and written; and what a real browser makes of them."""

import re
import time
from typing import Any
from unittest import mock

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from assets.models import Kept
from e2e.browser import AXE, BrowserCase
from handoffs.models import HandOff
from handoffs.selectors import shown_file
from runs.actions.start_run import start_run
from zeitbild.document.layers import Layer
from zeitbild.document.shot import Shot as ShotDocument
from zeitbild.document.shot import Timing
from zeitbild.farm import write_files
from zeitbild.testing import small_shot

#: Draws what a browser shows of a file, laid over a ground, and gives its pixels.
_DRAW = """async ([address, ground, moves]) => {
  const what = document.createElement(moves ? "video" : "img");
  what.muted = true;
  if (moves) {
    await new Promise((done, fail) => {
      // A picture is there to be drawn only once it was shown.
      what.requestVideoFrameCallback(done);
      what.onerror = () => fail(what.error?.message);
      what.src = address;
      document.body.append(what);
    });
  } else {
    what.src = address;
    await what.decode();
  }
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [what.videoWidth || what.naturalWidth, what.videoHeight || what.naturalHeight];
  const pen = canvas.getContext("2d");
  pen.fillStyle = ground;
  pen.fillRect(0, 0, canvas.width, canvas.height);
  pen.drawImage(what, 0, 0);
  what.remove();
  const data = pen.getImageData(0, 0, canvas.width, canvas.height);
  return [data.width, data.height, Array.from(data.data)];
}"""


class HandingOff(BrowserCase):
    def document(self) -> ShotDocument:
        """Six frames of beauty alone."""
        return small_shot(timing=Timing(last=6), layers=(Layer(name="sign", passes=("beauty",)),), quality="check")

    def setUp(self) -> None:
        super().setUp()
        shot = self.fresh()
        assert shot.current_id is not None
        start_run(self.ada, shot, base=shot.current_id)

    def finished(self) -> Page:
        """The desk, once everything is rendered."""
        page = self.desk("handoff")
        expect(page.get_by_role("button", name="Write v001")).to_be_enabled()
        expect(page.get_by_text("The newest run is under way")).to_have_count(0)
        return page

    def add(self, page: Page, name: str) -> None:
        page.get_by_role("button", name="Another form").click()
        page.get_by_role("menuitem", name=name).first.click()

    def test_forms_are_chosen_tried_written_and_looked_at(self) -> None:
        page = self.finished()
        forms = page.get_by_label("Forms of this version")
        expect(forms.get_by_text("about")).to_have_count(1)
        self.add(page, "WebM with alpha")
        self.add(page, "GIF")
        # Each tells what it keeps and loses, and what it would be like.
        expect(forms.get_by_text("Soft alpha in a browser")).to_be_visible()
        expect(forms.get_by_text(re.compile("Tried on 6 frames"))).to_have_count(2)
        gif = forms.get_by_label("GIF", exact=True)
        gif.get_by_role("button", name="As it is usual").click()
        gif.get_by_role("switch", name="Over a ground").click()
        gif.get_by_label("Width").fill("9000000")
        gif.get_by_label("Width").press("Enter")
        page.get_by_role("button", name="Write v001").click()
        # What is wrong stands beside its cause.
        expect(gif.get_by_role("alert")).to_contain_text("from 1 to 16384")
        gif.get_by_label("Width").fill("80")
        gif.get_by_label("Width").press("Enter")
        expect(gif.get_by_role("alert")).to_have_count(0)
        page.get_by_role("button", name="Write v001").click()
        entry = page.get_by_label("Version 1")
        expect(entry.get_by_text("✓ verified")).to_be_visible()
        expect(entry.get_by_text("WebM with alpha (VP9)")).to_be_visible()
        entry.get_by_role("button", name="look").first.click()
        movie = page.locator("video")
        expect(movie).to_be_visible()
        expect(movie).to_have_js_property("videoWidth", 96)
        page.get_by_role("radio", name="White").click()
        page.get_by_role("button", name="Back to the frames").click()
        expect(movie).to_have_count(0)
        # They are there the next time, too.
        page.reload()
        expect(page.get_by_label("Forms of this version").get_by_role("listitem")).to_have_count(3)

    def test_one_is_stopped_and_goes_on(self) -> None:
        page = self.finished()

        def slowly(*arguments: Any) -> Any:
            time.sleep(1.5)
            return write_files(*arguments)

        entry = page.get_by_label("Version 1")
        with mock.patch("handoffs.actions.work_handoff.write_files", slowly):
            page.get_by_role("button", name="Write v001").click()
            expect(entry.get_by_text("writing and reading back")).to_be_visible()
            expect(entry.get_by_text(re.compile("about .* left"))).to_be_visible()
            entry.get_by_role("button", name="Stop").click()
            expect(entry.get_by_text("stopped")).to_be_visible()
        share = float(entry.get_by_role("progressbar").get_attribute("aria-valuenow") or 0)
        self.assertGreater(share, 0)
        self.assertLess(share, 100)
        entry.get_by_role("button", name="Go on").click()
        expect(entry.get_by_text("✓ verified")).to_be_visible()
        expect(entry.get_by_text(re.compile("^6 files.*nothing lost"))).to_be_visible()

    def test_one_of_a_run_under_way_waits_for_it(self) -> None:
        page = self.finished()
        shot = self.fresh()
        with mock.patch("runs.management.commands.worker.claim_run", return_value=None):
            start_run(self.ada, shot, base=shot.current_id or 0, quality="rough")
            page.reload()
            expect(page.get_by_text("The newest run is under way")).to_be_visible()
            page.get_by_role("button", name="Write v001").click()
            expect(page.get_by_label("Version 1").get_by_text("waits for its run")).to_be_visible()
        expect(page.get_by_label("Version 1").get_by_text("✓ verified")).to_be_visible()

    def test_a_browser_shows_colour_and_alpha_as_they_are(self) -> None:
        page = self.finished()
        for name in ("WebM with alpha", "Moving WebP", "Moving PNG", "Moving AVIF"):
            self.add(page, name)
        page.get_by_role("button", name="Write v001").click()
        expect(page.get_by_label("Version 1").get_by_text("✓ verified")).to_be_visible()
        handoff = HandOff.objects.get()
        png = handoff.parts[0]
        self.assertEqual(png.recipe, "png8")
        folder = shown_file(handoff, 3, 0).parents[2] / png.folder
        with Image.open(next(folder.rglob("*.0001.png"))) as file:
            straight = np.asarray(file).astype(float)
        # Mean and largest difference that a form may have, of 255; a browser rounds in its own way.
        for form, (mean, most) in ((1, (3.0, 60.0)), (2, (0.6, 2.5)), (3, (0.6, 2.5)), (4, (3.0, 30.0))):
            for ground, colour in (("#000000", 0.0), ("#ffffff", 255.0)):
                address = f"/api/handoffs/{handoff.id}/forms/{form}/shown/0"
                width, height, data = page.evaluate(_DRAW, [address, ground, form == 1])
                found = np.array(data, float).reshape(height, width, 4)
                alpha = straight[..., 3:] / 255
                wanted = straight[..., :3] * alpha + colour * (1 - alpha)
                off = np.abs(found[..., :3] - wanted)
                self.assertLess(off.mean(), mean, (form, ground))
                self.assertLess(off.max(), most, (form, ground))

    def test_forms_are_kept_and_taken(self) -> None:
        page = self.finished()
        self.add(page, "Sprite sheet")
        page.get_by_role("button", name="Keep these").click()
        page.get_by_label("Name").fill("For the game")
        page.get_by_role("button", name="Keep", exact=True).click()
        page.get_by_role("button", name="Leave Sprite sheet with JSON out").click()
        forms = page.get_by_label("Forms of this version").get_by_role("listitem")
        expect(forms).to_have_count(1)
        page.get_by_role("button", name="Kept ones").click()
        page.get_by_role("menuitem", name="For the game").click()
        expect(forms).to_have_count(2)
        kept = Kept.objects.get(project=self.project, kind=Kept.Kind.FORMS)
        self.assertEqual([one["recipe"] for one in kept.content], ["png8", "sprites"])

    def test_it_fits_is_compared_and_shared(self) -> None:
        page = self.finished()
        self.add(page, "Moving AVIF")
        card = page.get_by_label("Moving AVIF", exact=True)
        card.get_by_role("button", name="As it is usual").click()
        card.get_by_label("Below").fill("0.0001")
        card.get_by_label("Below").press("Enter")
        card.get_by_role("button", name="Find").click()
        expect(card.get_by_role("status")).to_have_text(re.compile("^(✓ Fits|△ Even so)"), timeout=60_000)
        expect(card.get_by_role("textbox", name="Quality")).not_to_have_value("85")
        card.get_by_role("button", name="Its worst place").click()
        expect(card.get_by_role("img", name=re.compile("loses most"))).to_be_visible()
        page.get_by_role("button", name="Write v001").click()
        expect(page.get_by_label("Version 1").get_by_text("✓ verified")).to_be_visible()
        page.get_by_role("button", name="Leave Moving AVIF out").click()
        page.get_by_role("button", name="Write v002").click()
        later = page.get_by_label("Version 2")
        expect(later.get_by_text("✓ verified")).to_be_visible()
        later.get_by_role("button", name="Compare with an earlier one").click()
        expect(later.get_by_text("Every frame is the same picture.")).to_be_visible()
        expect(later.get_by_text("Moving AVIF: not there any more")).to_be_visible()
        expect(page.get_by_alt_text("Frame 1 of v001")).to_be_visible()
        page.get_by_role("button", name="Back", exact=True).click()
        later.get_by_role("button", name="Share by a link").click()
        later.get_by_role("button", name="Make a link").click()
        address = later.get_by_label(re.compile("^Address of the link"))
        expect(address).to_be_visible()
        page.evaluate(AXE.read_text(encoding="utf-8"))
        found = page.evaluate(
            "axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']}).then(r => r.violations.map(v =>"
            " v.id + ': ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' | ')))"
        )
        self.assertEqual(found, [])
        browser = page.context.browser
        assert browser is not None
        context = browser.new_context()
        stranger = context.new_page()
        stranger.goto(address.input_value())
        expect(stranger.get_by_text("Download all")).to_be_visible()
        expect(stranger.get_by_role("heading", level=1)).to_be_visible()
        later.get_by_role("button", name=re.compile("^End it, the link")).click()
        expect(address).to_have_count(0)
        stranger.reload()
        expect(stranger.get_by_text("This link leads nowhere")).to_be_visible()
        context.close()

    def test_the_desk_can_be_used_by_everybody(self) -> None:
        page = self.finished()
        self.add(page, "H.264")
        page.get_by_label("H.264, MP4", exact=True).get_by_role("button", name="As it is usual").click()
        page.evaluate(AXE.read_text(encoding="utf-8"))
        found = page.evaluate(
            "axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']}).then(r => r.violations.map(v =>"
            " v.id + ': ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' | ')))"
        )
        self.assertEqual(found, [])
