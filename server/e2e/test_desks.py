"""The desks one by one: what answers while working, and what is said when something is wrong."""

import tempfile
import time
from pathlib import Path

from playwright.sync_api import Route, expect

from e2e.browser import AXE, BrowserCase
from runs.actions.start_run import start_run
from shots.actions.save_document import save_document
from zeitbild.document.shot import Raster, Timing
from zeitbild.document.shot import Shot as ShotDocument
from zeitbild.fonts import SHIPPED
from zeitbild.testing import small_shot
from zeitbild_server.testing import wait_until

DESKS = ("build", "time", "split", "run", "proof", "handoff")


class Building(BrowserCase):
    def test_small_pictures_of_the_sheet_wait_for_the_sharp_one(self) -> None:
        held: list[Route] = []
        small: list[str] = []

        def meet(route: Route) -> None:
            asked = route.request.post_data_json
            if asked["quality"] == "final" and not let_go:
                held.append(route)
                return
            if asked["height"] == 40:
                small.append(route.request.url)
            route.continue_()

        let_go: list[bool] = []
        self.sign_in()
        self.context.route("**/api/shots/*/picture", meet)
        page = self.desk("build")
        for _ in range(100):
            if held:
                break
            page.wait_for_timeout(100)
        self.assertEqual(len(held), 1)
        page.wait_for_timeout(700)
        before = len(small)
        page.wait_for_timeout(1500)
        self.assertEqual(len(small), before)
        let_go.append(True)
        held[0].continue_()
        self.picture()
        for _ in range(100):
            if len(small) > before:
                break
            page.wait_for_timeout(100)
        self.assertGreater(len(small), before)

    def test_dragging_the_picture_moves_the_camera_and_undo_takes_it_back(self) -> None:
        page = self.desk("build")
        self.picture()
        before = self.shot.current_document().camera.position
        canvas = page.locator("canvas")
        box = canvas.bounding_box()
        assert box is not None
        count = int(canvas.get_attribute("data-pictures") or 0)
        page.mouse.move(box["x"] + 200, box["y"] + 150)
        page.mouse.down()
        for step in range(30):
            page.mouse.move(box["x"] + 200 + 4 * step, box["y"] + 150 + step)
            page.wait_for_timeout(15)
        page.mouse.up()
        self.saved()
        self.picture()
        self.assertGreater(int(canvas.get_attribute("data-pictures") or 0), count + 5)
        moved = self.fresh().current_document().camera
        self.assertNotEqual(moved.position, before)
        # An orbit keeps its distance; positions are kept to a hundredth.
        self.assertAlmostEqual(sum(v * v for v in moved.position) ** 0.5, sum(v * v for v in before) ** 0.5, delta=0.5)
        page.keyboard.press("Control+z")
        self.saved()
        expect(page.get_by_role("button", name="Redo")).to_be_enabled()
        self.assertEqual(self.fresh().current_document().camera.position, before)
        page.reload()
        page.get_by_role("button", name="Redo").click()
        expect(page.get_by_role("button", name="Redo")).to_be_disabled()
        self.assertEqual(self.fresh().current_document().camera.position, moved.position)

    def test_errors_stand_beside_their_fields_and_nothing_is_lost(self) -> None:
        page = self.desk("build")
        self.picture()
        word = page.get_by_label("Word", exact=True)
        word.fill("")
        expect(page.get_by_text("the word is empty").first).to_be_visible()
        word.fill("ღ")
        expect(page.get_by_text("has no glyph for").first).to_be_visible()
        word.fill("Kap")
        expect(page.get_by_text("has no glyph for")).to_have_count(0)
        depth = page.get_by_label("Depth", exact=True)
        for text, reason in (("1.5 in", "does not belong here"), ("abc", "not a number"), ("-4", "at least 0.01")):
            depth.fill(text)
            depth.press("Enter")
            expect(page.get_by_text(reason)).to_be_visible()
        depth.press("Escape")
        expect(depth).to_have_value("60")
        depth.fill("24*4")
        depth.press("Enter")
        expect(depth).to_have_value("96")
        self.saved()
        self.assertEqual(self.fresh().current_document().elements[0].depth, 96)
        self.assertEqual(self.fresh().current_document().elements[0].word, "Kap")

    def test_what_is_typed_is_saved_at_a_pause_and_a_held_drag_is_one_step(self) -> None:
        page = self.desk("build")
        self.picture()
        word = page.get_by_label("Word", exact=True)
        word.fill("Kap")
        self.saved()
        expect(word).to_be_focused()
        self.assertEqual(self.fresh().current_document().elements[0].word, "Kap")
        word.fill("Kap Mo")
        # Away before the pause: what was typed goes on its way all the same.
        page.get_by_role("link", name="Kap Morgen").first.click()
        expect(page.get_by_role("heading", name="Kap Morgen")).to_be_visible()
        wait_until(lambda: self.fresh().current_document().elements[0].word == "Kap Mo", 30)
        self.desk("build")
        self.picture()
        box = page.locator("canvas").bounding_box()
        assert box is not None
        before = self.shot.revisions.count()
        page.mouse.move(box["x"] + 40, box["y"] + 40)
        page.mouse.down()
        for step in range(1, 6):
            page.mouse.move(box["x"] + 40 + 10 * step, box["y"] + 40)
            # Longer in all than a pause after which what is typed is saved.
            page.wait_for_timeout(500)
        page.mouse.up()
        self.saved()
        self.assertEqual(self.shot.revisions.count(), before + 1)

    def test_own_fonts_are_taken_in_and_broken_ones_refused(self) -> None:
        page = self.desk("build")
        with tempfile.TemporaryDirectory() as folder:
            broken = Path(folder) / "Broken.ttf"
            broken.write_bytes(b"\x00\x01\x00\x00 nothing")
            page.get_by_label("Font file").set_input_files(broken)
            expect(page.get_by_text("Broken.ttf is broken")).to_be_visible()
        page.get_by_label("Font file").set_input_files(SHIPPED["comfortaa"].path)
        expect(page.get_by_role("button", name="Comfortaa Bold")).to_be_visible()
        expect(page.get_by_text("is broken")).to_have_count(0)
        self.saved()
        self.assertTrue(self.fresh().current_document().elements[0].font.startswith("asset:"))

    def test_elements_are_added_copied_hidden_deleted_and_brought_back(self) -> None:
        page = self.desk("build")
        page.get_by_role("button", name="Duplicate", exact=False).first.click()
        self.saved()
        self.assertEqual(len(self.fresh().current_document().elements), 2)
        page.get_by_role("button", name="Element copy in the picture").click()
        self.saved()
        self.assertFalse(self.fresh().current_document().elements[1].shown)
        page.get_by_role("button", name="Delete Element copy").click()
        self.saved()
        self.assertEqual(len(self.fresh().current_document().elements), 1)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("button", name="Element copy in the picture")).to_be_visible()

    def test_a_save_elsewhere_is_never_written_over(self) -> None:
        page = self.desk("build")
        self.picture()
        other = self.shot.current_document().model_copy(update={"title": "By somebody else"})
        save_document(self.ada, self.shot, base=self.shot.current_id or 0, document=other.model_dump(mode="json"))
        page.get_by_label("Depth", exact=True).fill("77")
        page.get_by_label("Depth", exact=True).press("Enter")
        expect(page.get_by_text("changed elsewhere meanwhile")).to_be_visible()
        self.assertEqual(self.fresh().current_document().title, "By somebody else")
        page.get_by_role("button", name="Keep mine").click()
        self.saved()
        self.assertEqual(self.fresh().current_document().elements[0].depth, 77)
        self.assertEqual(self.shot.revisions.count(), 3)


class Timing_(BrowserCase):
    def test_length_is_editable_three_ways(self) -> None:
        page = self.desk("time")
        for label, text, frames in (
            ("seconds", "4", "120"),
            ("timecode", "2:12", "72"),
            ("frames", "24*4", "96"),
            ("frames", "1.5 min", "2700"),
        ):
            field = page.get_by_label(label, exact=True)
            field.fill(text)
            field.press("Enter")
            expect(page.get_by_label("frames", exact=True)).to_have_value(frames)
        page.get_by_label("frames", exact=True).fill("3 in")
        page.get_by_label("frames", exact=True).press("Enter")
        expect(page.get_by_text("does not measure time")).to_be_visible()

    def test_an_open_cycle_is_found_and_mended_with_one_click(self) -> None:
        page = self.desk("time")
        page.get_by_label("Turns over the range").fill("1.4")
        page.get_by_label("Turns over the range").press("Enter")
        expect(page.get_by_text("the cycle jumps where it starts again")).to_be_visible()
        page.get_by_role("button", name="Turn 1 times").click()
        expect(page.get_by_text("the cycle jumps")).to_have_count(0)
        self.saved()
        self.assertEqual(self.fresh().current_document().elements[0].turn.turns, 1)

    def test_keys_walk_the_sheet_and_space_plays(self) -> None:
        page = self.desk("time")
        self.picture(frame=1)
        page.keyboard.press("ArrowDown")
        page.keyboard.press("ArrowDown")
        self.picture(frame=3)
        page.keyboard.press("End")
        self.picture(frame=6)
        page.keyboard.press(" ")
        expect(page.get_by_text("of 30 frames a second")).to_be_visible()
        time.sleep(1.2)
        page.keyboard.press(" ")
        expect(page.get_by_role("button", name="Play")).to_be_visible()
        page.keyboard.press("?")
        expect(page.get_by_role("heading", name="Keys")).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("3")
        expect(page.get_by_role("heading", name="Split")).to_be_visible()

    def test_the_bracket_is_pulled_to_another_range(self) -> None:
        page = self.desk("time")
        handle = page.get_by_title("Drag to move the last frame")
        box = handle.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 5, box["y"] + 5)
        page.mouse.down()
        page.mouse.move(box["x"] + 5, box["y"] + 5 - 44, steps=5)
        page.mouse.up()
        self.saved()
        self.assertEqual(self.fresh().current_document().timing.last, 4)


class Splitting(BrowserCase):
    def test_naming_errors_come_while_typing(self) -> None:
        page = self.desk("split")
        rule = page.get_by_label("Rule", exact=True)
        for text, reason in (
            ("{shot}.{ext}", "no {frame} field"),
            ("{camera}.{frame:04}.{ext}", "unknown field {camera}"),
            ("../{pass}.{frame:04}.{ext}", "inside its folder"),
            ("{shot}.{frame:04}.{ext}", "would both be called"),
            ("a:b/{pass}.{frame:04}.{ext}", "refused by some file systems"),
        ):
            rule.fill(text)
            expect(page.get_by_text(reason)).to_be_visible()
        rule.fill("{shot}/{pass}/{frame:05}.{ext}")
        expect(page.get_by_label("Sequences").get_by_text("00006.png").first).to_be_visible()

    def test_one_backdrop_decides_for_picture_and_files(self) -> None:
        page = self.desk("split")
        whole = page.get_by_role("radiogroup", name="Backdrop of picture, run and files")
        whole.get_by_role("radio", name="One colour").click()
        expect(page.get_by_text("the matte will be white all over")).to_be_visible()
        self.saved()
        self.assertEqual(self.fresh().current_document().backdrop.kind, "colour")
        page.get_by_role("button", name="Make the backdrop clear").click()
        expect(page.get_by_text("the matte will be white")).to_have_count(0)


class Running(BrowserCase):
    def document(self) -> ShotDocument:
        """Long enough to be stopped."""
        return small_shot(raster=Raster(width=640, height=360), timing=Timing(last=40), quality="final")

    def test_a_run_is_stopped_gone_on_with_and_left_alone(self) -> None:
        page = self.desk("run")
        page.get_by_role("button", name="Start the run").click()
        expect(page.get_by_label("Frame sheet").get_by_text("✓ done").first).to_be_visible()
        page.get_by_role("button", name="Stop").click()
        expect(page.get_by_role("heading", name="Stopped")).to_be_visible()
        page.get_by_role("button", name="Go on").click()
        # Leaving the page does not stop it.
        page.goto(self.address)
        expect(page.get_by_role("heading", name="Projects")).to_be_visible()
        self.desk("run")
        expect(page.get_by_role("heading", name="Rendered", exact=True)).to_be_visible(timeout=90_000)
        expect(page.get_by_text("40 of 40")).to_be_visible()

    def test_this_frame_alone(self) -> None:
        page = self.desk("run")
        page.keyboard.press("ArrowDown")
        page.get_by_role("radio", name="This frame").click()
        page.get_by_role("button", name="Render frame 2").click()
        expect(page.get_by_text("1 of 1")).to_be_visible()


class Projects(BrowserCase):
    def test_projects_and_shots_are_made_copied_deleted_and_brought_back(self) -> None:
        page = self.sign_in()
        page.get_by_role("button", name="New project").click()
        page.get_by_label("Title").fill("Lamp tour")
        expect(page.get_by_label("Code, for file names")).to_have_value("LT")
        page.get_by_label("Code, for file names").fill("not a code")
        page.get_by_role("button", name="Make project").click()
        expect(page.get_by_role("alert").first).to_be_visible()
        page.get_by_label("Code, for file names").fill("LT")
        page.get_by_role("button", name="Make project").click()
        expect(page.get_by_text("No shots yet.")).to_be_visible()
        page.get_by_role("button", name="New shot").click()
        page.get_by_label("Code", exact=True).fill("LT010")
        page.get_by_label("Title").fill("Lamp")
        page.get_by_role("button", name="Make shot").click()
        self.picture()
        # The list of projects shows it, and leads straight to it.
        page.get_by_role("link", name="Zeitbild").click()
        page.get_by_role("link", name="LT010 Lamp").click()
        self.picture()
        page.get_by_role("link", name="Lamp tour").click()
        page.get_by_role("button", name="Duplicate").click()
        expect(page.get_by_text("LT010-2", exact=True)).to_be_visible()
        page.get_by_role("button", name="Delete").first.click()
        expect(page.get_by_text("LT010", exact=True)).to_have_count(0)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_text("LT010", exact=True)).to_be_visible()
        page.get_by_role("button", name="Rename and defaults").click()
        page.get_by_label("Title").fill("Lamp room tour")
        page.get_by_role("button", name="Keep").click()
        expect(page.get_by_role("heading", name="Lamp room tour")).to_be_visible()
        # Long after the note is gone, and when the page is looked at anew.
        page.get_by_role("button", name="Delete").first.click()
        expect(page.get_by_role("region", name="Put away").get_by_text("1 shot")).to_be_visible()
        page.reload()
        away = page.get_by_role("region", name="Put away")
        away.get_by_role("button", name="Show").click()
        # What stands in its place now stays, and the row says why nothing happened.
        page.get_by_role("button", name="New shot").click()
        page.get_by_label("Code", exact=True).fill("LT010")
        page.get_by_label("Title").fill("Another lamp")
        page.get_by_role("button", name="Make shot").click()
        page.get_by_role("link", name="Lamp room tour").click()
        away.get_by_role("button", name="Show").click()
        away.get_by_role("button", name="Bring back LT010").click()
        expect(away.get_by_role("alert")).to_contain_text("LT010")
        own = page.get_by_role("listitem").filter(has_text="Another lamp")
        own.get_by_role("button", name="Delete").click()
        expect(away.get_by_text("2 shots")).to_be_visible()
        page.get_by_role("button", name="Close this note").click()
        away.get_by_role("listitem").filter(has_text="Another lamp").get_by_role("button").click()
        expect(page.get_by_role("link", name="Another lamp")).to_be_visible()
        # Whole projects, too.
        page.get_by_role("link", name="Projects").click()
        row = page.get_by_role("listitem").filter(has_text="Lamp room tour")
        row.get_by_role("button", name="Delete").click()
        page.reload()
        away.get_by_role("button", name="Show").click()
        away.get_by_role("button", name="Bring back LT").click()
        expect(page.get_by_role("link", name="Lamp room tour")).to_be_visible()
        expect(away).to_have_count(0)

    def test_wrong_passwords_and_strange_addresses(self) -> None:
        page = self.page
        page.goto(self.address)
        page.get_by_label("Name").fill("ada")
        page.get_by_label("Password").fill("wrong")
        page.get_by_role("button", name="Sign in").click()
        expect(page.get_by_text("Name and password do not match")).to_be_visible()
        self.sign_in()
        page.goto(f"{self.address}/shots/999999/build")
        expect(page.get_by_text("There is no such thing here")).to_be_visible()


class Accessible(BrowserCase):
    """WCAG 2.1 A and AA as far as axe-core can tell, on every view."""

    def _check(self, where: str) -> None:
        self.page.wait_for_timeout(400)
        self.page.evaluate(AXE.read_text(encoding="utf-8"))
        found = self.page.evaluate(
            "axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']}).then(r => r.violations.map(v =>"
            " v.id + ': ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' | ')))"
        )
        self.assertEqual(found, [], where)

    def test_every_view(self) -> None:
        self.page.goto(self.address)
        self._check("sign-in")
        self.sign_in()
        self._check("projects")
        self.page.get_by_role("link", name="Kap Morgen").click()
        self._check("project")
        start_run(self.ada, self.shot, base=self.shot.current_id or 0)
        for desk in DESKS:
            self.desk(desk)
            if desk in ("build", "time", "split"):
                self.picture()
            self._check(desk)
