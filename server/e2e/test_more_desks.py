"""More of the desks: fields, lights, proofs, failures, and a line that breaks."""

import re
from unittest import mock

from playwright.sync_api import Page, expect

from e2e.browser import BrowserCase
from runs.actions.start_run import start_run
from shots.actions.save_document import save_document
from zeitbild.errors import StorageError


class Fields(BrowserCase):
    def test_numbers_are_stepped_scrubbed_marked_and_reset(self) -> None:
        page = self.desk("build")
        self.picture()
        depth = page.get_by_label("Depth", exact=True)
        depth.focus()
        depth.press("ArrowUp")
        depth.press("Shift+ArrowUp")
        expect(depth).to_have_value("71")
        depth.press("Enter")
        self.saved()
        self.assertEqual(self.fresh().current_document().elements[0].depth, 71)
        label = page.locator("label", has_text=re.compile("^Depth$"))
        self.assertIn("Differs from 60", label.get_attribute("title") or "")
        box = label.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 10, box["y"] + 5)
        page.mouse.down()
        page.mouse.move(box["x"] + 50, box["y"] + 5, steps=6)
        page.mouse.up()
        self.saved()
        self.assertGreater(self.fresh().current_document().elements[0].depth, 80)
        label.dblclick()
        expect(depth).to_have_value("60")

    def test_lights_are_changed_and_turned_off(self) -> None:
        page = self.desk("build")
        page.get_by_role("button", name="Key sun").click()
        page.get_by_label("Strength", exact=True).fill("3")
        page.get_by_label("Strength", exact=True).press("Enter")
        page.get_by_label("Colour", exact=True).fill("ff8800")
        page.get_by_label("Colour", exact=True).press("Enter")
        page.get_by_role("button", name="Key shines").click()
        self.saved()
        light = self.fresh().current_document().lights[0]
        self.assertEqual((light.strength, light.colour, light.on), (3, "#ff8800", False))
        page.get_by_label("Colour", exact=True).fill("orange")
        page.get_by_label("Colour", exact=True).press("Enter")
        expect(page.get_by_text("write it as #rrggbb")).to_be_visible()

    def test_the_camera_answers_to_keys(self) -> None:
        page = self.desk("build")
        self.picture()
        before = self.shot.current_document().camera.position
        page.locator("canvas").focus()
        page.keyboard.press("ArrowRight")
        self.saved()
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        self.assertNotEqual(self.fresh().current_document().camera.position, before)

    def test_raster_and_names_belong_to_the_shot(self) -> None:
        page = self.desk("build")
        page.get_by_role("button", name="Raster and names").click()
        page.get_by_label("Width", exact=True).fill("9000")
        page.get_by_label("Width", exact=True).press("Enter")
        expect(page.get_by_text("at most 8192")).to_be_visible()
        page.get_by_label("Width", exact=True).fill("8192")
        page.get_by_label("Width", exact=True).press("Enter")
        page.get_by_label("Height", exact=True).fill("8000")
        page.get_by_label("Height", exact=True).press("Enter")
        expect(
            page.get_by_text("fits a worker’s memory").or_(page.get_by_text("fits a worker's memory")).first
        ).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        page.get_by_label("Title").fill("Sign over the door")
        page.get_by_label("Title").press("Enter")
        expect(page.get_by_role("heading", name="KM010 Sign over the door")).to_be_visible()

    def test_the_other_state_can_be_taken_after_a_conflict(self) -> None:
        page = self.desk("build")
        self.picture()
        other = self.shot.current_document().model_copy(update={"title": "By somebody else"})
        save_document(self.ada, self.shot, base=self.shot.current_id or 0, document=other.model_dump(mode="json"))
        page.get_by_label("Depth", exact=True).fill("33")
        page.get_by_label("Depth", exact=True).press("Enter")
        page.get_by_role("button", name="Take the other state").click()
        expect(page.get_by_role("heading", name="KM010 By somebody else")).to_be_visible()
        expect(page.get_by_label("Depth", exact=True)).to_have_value("60")

    def test_a_broken_line_loses_nothing(self) -> None:
        page = self.desk("build")
        self.picture()
        page.route("**/document", lambda route: route.abort() if route.request.method == "PUT" else route.continue_())
        page.get_by_label("Depth", exact=True).fill("44")
        page.get_by_label("Depth", exact=True).press("Enter")
        expect(page.get_by_text("not saved: no connection")).to_be_visible()
        page.unroute("**/document")
        page.evaluate("window.dispatchEvent(new Event('online'))")
        self.saved()
        self.assertEqual(self.fresh().current_document().elements[0].depth, 44)


class Proofs(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        start_run(self.ada, self.shot, base=self.shot.current_id or 0)

    def test_grounds_magnification_and_playing(self) -> None:
        page = self.desk("proof")
        page.wait_for_selector("canvas[data-shown=true]")
        canvas = page.locator("canvas")
        for ground in ("Black", "White", "Grey", "Gradient", "Colour", "Checker"):
            page.get_by_role("radio", name=f"Over {ground.lower()}", exact=True).click()
            expect(canvas).to_have_attribute("aria-label", f"Frame 1 over {ground.lower()}")
        page.keyboard.press("+")
        page.keyboard.press("+")
        expect(page.get_by_role("radio", name="2×")).to_be_checked()
        box = canvas.bounding_box()
        assert box is not None
        self.assertEqual(round(box["width"]), 2 * 96)
        page.keyboard.press("-")
        expect(page.get_by_role("radio", name="1×")).to_be_checked()
        # What is looked at stays in the middle, and what the pointer is on under it.
        page.get_by_role("radio", name="16×").click()
        expect(page.get_by_role("radio", name="16×")).to_be_checked()
        self.assertLess(self._away_from_middle(page), 24)
        page.get_by_role("radio", name="8×").click()
        pointer = 400.0, 300.0
        page.mouse.move(*pointer)
        before = self._under(page, pointer, 8)
        page.keyboard.down("Control")
        page.mouse.wheel(0, -100)
        page.keyboard.up("Control")
        expect(page.get_by_role("radio", name="16×")).to_be_checked()
        after = self._under(page, pointer, 16)
        self.assertLess(max(abs(one - other) for one, other in zip(before, after, strict=True)), 1)
        # Turned further at the first step, the wheel leaves nothing behind for who presses a button then.
        for _ in range(6):
            page.keyboard.press("-")
        page.keyboard.down("Control")
        page.mouse.wheel(0, 100)
        page.keyboard.up("Control")
        page.get_by_role("radio", name="16×").click()
        expect(page.get_by_role("radio", name="16×")).to_be_checked()
        self.assertLess(self._away_from_middle(page), 24)
        page.get_by_role("radio", name="Encoded values").click()
        page.get_by_role("button", name="Play").click()
        expect(page.get_by_text("of 30 frames a second")).to_be_visible()
        page.get_by_role("button", name="Stop").click()

    def test_overscan_is_seen_around_the_raster(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        document["raster"]["overscan"] = 6
        save_document(self.ada, self.shot, base=self.shot.current_id or 0, document=document)
        start_run(self.ada, self.fresh(), base=self.fresh().current_id or 0)
        page = self.desk("proof")
        page.wait_for_selector("canvas[data-shown=true]")
        page.get_by_role("radio", name="4×").click()
        canvas = page.locator("canvas")
        expect(canvas).to_have_attribute("width", "96")
        page.get_by_role("switch", name="Overscan, 6 pixels around").click()
        expect(canvas).to_have_attribute("width", "108")
        expect(page.locator("[data-raster]")).to_be_visible()
        outer, inner = canvas.bounding_box(), page.locator("[data-raster]").bounding_box()
        assert outer is not None and inner is not None
        self.assertEqual((round(inner["x"] - outer["x"]), round(inner["width"])), (24, 4 * 96))
        page.mouse.move(outer["x"] + 2, outer["y"] + 2)
        expect(page.get_by_text("pixel -6, -6")).to_be_visible()
        page.get_by_role("switch", name="Overscan, 6 pixels around").click()
        expect(canvas).to_have_attribute("width", "96")

    @staticmethod
    def _under(page: Page, pointer: tuple[float, float], times: int) -> tuple[float, float]:
        """The pixel of the picture that the pointer is on."""
        box = page.locator("canvas").bounding_box()
        assert box is not None
        return (pointer[0] - box["x"]) / times, (pointer[1] - box["y"]) / times

    @staticmethod
    def _away_from_middle(page: Page) -> float:
        """How far the middle of the picture is from that of the view."""
        boxes = page.locator("canvas").bounding_box(), page.get_by_label("Rendered frame").bounding_box()
        (x, y), (u, v) = ((one["x"] + one["width"] / 2, one["y"] + one["height"] / 2) for one in boxes if one)
        return max(abs(x - u), abs(y - v))

    def test_findings_stand_at_their_frames(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        document["timing"]["cycle"] = False
        save_document(self.ada, self.shot, base=self.shot.current_id or 0, document=document)
        page = self.desk("proof")
        expect(page.get_by_label("Frame sheet").get_by_text("ends where it began")).to_be_visible()
        expect(page.get_by_label("Findings").get_by_role("button", name="Make it a cycle")).to_be_visible()


class OfSomeFrames(BrowserCase):
    def test_what_is_not_rendered_leads_to_the_nearest_frame_that_is(self) -> None:
        start_run(self.ada, self.shot, base=self.shot.current_id or 0, frame_set="3-4")
        page = self.desk("proof")
        for desk in ("Proof", "Hand off"):
            page.get_by_role("link", name=desk).click()
            page.keyboard.press("Home")
            expect(page.get_by_text("Frame 1 is not rendered in this run")).to_be_visible()
            page.get_by_role("button", name="Look at frame 3").click()
            expect(page.get_by_text("is not rendered in this run")).to_have_count(0)


class Failures(BrowserCase):
    def test_failed_frames_say_why_and_are_tried_again(self) -> None:
        page = self.desk("run")
        expect(page.get_by_label("Before the start")).to_be_visible()
        with mock.patch("zeitbild.masters.store.MasterStore.save", side_effect=StorageError("No space left on device")):
            page.get_by_role("button", name="Start the run").click()
            expect(page.get_by_role("heading", name="Ended with failed frames")).to_be_visible()
        expect(page.get_by_label("Failed frames")).to_contain_text("No space left on device")
        page.get_by_role("button", name="Try failed frames again").click()
        expect(page.get_by_role("heading", name="Rendered", exact=True)).to_be_visible()

    def test_a_changed_shot_is_stale_and_only_what_changed_is_rendered(self) -> None:
        start_run(self.ada, self.shot, base=self.shot.current_id or 0)
        page = self.desk("run")
        expect(page.get_by_role("heading", name="Rendered", exact=True)).to_be_visible()
        document = self.shot.current_document().model_dump(mode="json")
        document["elements"][0]["depth"] = 20
        save_document(self.ada, self.shot, base=self.shot.current_id or 0, document=document)
        self.desk("run")
        expect(page.get_by_text("6 frames are stale")).to_be_visible()
        expect(page.get_by_label("Frame sheet").get_by_text("~ stale")).to_have_count(6)
        page.get_by_role("button", name="Start the run").click()
        expect(page.get_by_text("6 frames are stale")).to_have_count(0)
        expect(page.get_by_role("heading", name="Rendered", exact=True)).to_be_visible()

    def test_empty_desks_say_how_to_begin(self) -> None:
        page = self.desk("proof")
        expect(page.get_by_text("Nothing is rendered yet.")).to_be_visible()
        self.desk("handoff")
        expect(page.get_by_text("a hand-off is made from a finished run")).to_be_visible()
        expect(page.get_by_role("button", name="Write v001")).to_be_disabled()

    def test_people_sign_out_and_share(self) -> None:
        from django.contrib.auth.models import User

        User.objects.create_user("ben", password="gallery-12")
        page = self.sign_in()
        page.get_by_role("link", name="Kap Morgen").click()
        page.get_by_label("Let in (name here)").fill("nobody")
        page.get_by_role("button", name="Let in").click()
        expect(page.get_by_text("nobody here is called 'nobody'")).to_be_visible()
        page.get_by_label("Let in (name here)").fill("ben")
        page.get_by_role("button", name="Let in").click()
        expect(page.get_by_role("row", name="ben")).to_be_visible()
        page.get_by_role("button", name="Sign out").click()
        expect(page.get_by_role("button", name="Sign in")).to_be_visible()
