"""The Time desk: keys on the sheet, their curve, what is done to them, sound."""

import re
from typing import Any

from playwright.sync_api import Locator, Page, expect

from e2e.browser import AXE, BrowserCase
from shots.actions.save_document import save_document
from zeitbild.document.evaluate import evaluate, time_of
from zeitbild_server.testing import wait_until

_KEYS = re.compile("^Keys: arrows walk")


class Moving(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        document = self.shot.current_document().model_dump(mode="json")
        document["timing"] |= {"first": 1, "last": 24, "cycle": False}
        save_document(self.ada, self.fresh(), base=self.fresh().current_id, document=document, label="Longer")

    def moves(self, part: str = "elements") -> dict[str, Any]:
        """The tracks of the first element as they are saved."""
        document = self.fresh().current_document().model_dump(mode="json")
        return document[part][0].get("moves", {})  # type: ignore[no-any-return]

    def let_move(self, page: Page, field: str) -> None:
        page.get_by_label("A first key for").click()
        page.get_by_role("option", name=field, exact=True).click()
        expect(page.get_by_role("button", name=re.compile(f", {field}$"))).to_be_visible()
        self.saved(page)

    def type_at(self, page: Page, steps: int, value: str) -> None:
        """A value typed in the cell so many frames further down in the column that is selected."""
        page.get_by_label(_KEYS).focus()
        for _ in range(steps):
            page.keyboard.press("ArrowDown")
        page.keyboard.press("Enter")
        page.keyboard.type(value)
        page.keyboard.press("Enter")
        self.saved(page)

    def drag(self, page: Page, handle: Locator, right: float, down: float) -> None:
        """A small handle pulled by so many pixels."""
        box = self.at_rest(handle)
        page.mouse.move(box["x"] + 4, box["y"] + 4)
        page.mouse.down()
        page.mouse.move(box["x"] + 4 + right, box["y"] + 4 + down, steps=6)
        page.mouse.up()

    def test_a_picture_that_nobody_can_fetch_is_said(self) -> None:
        self.page.route("**/painter.worker*", lambda route: route.abort())
        page = self.desk("time")
        expect(page.get_by_text("The server cannot be reached; the picture is not up to date.")).to_be_visible()
        # The next picture asks for another worker.
        page.unroute("**/painter.worker*")
        self.let_move(page, "Opacity")
        self.picture(page)

    def test_digits_typed_beside_the_cells_go_into_the_column_that_is_selected(self) -> None:
        page = self.desk("time")
        sheet = page.get_by_role("group", name="Frames and columns")
        # Until something is selected they lead to another desk, as everywhere.
        sheet.focus()
        page.keyboard.press("1")
        expect(page).to_have_url(re.compile("/build$"))
        self.desk("time", page)
        self.let_move(page, "Position")
        sheet.focus()
        for _ in range(6):
            page.keyboard.press("ArrowDown")
        page.keyboard.type("-30 60 2")
        page.keyboard.press("Enter")
        self.saved(page)
        # By the head of a column, too.
        page.get_by_role("button", name=re.compile(", Position$")).click()
        page.keyboard.type("1 2 3")
        page.keyboard.press("Enter")
        self.saved(page)
        keys = self.moves()["placement.position"]["keys"]
        self.assertEqual([(key["frame"], key["value"]) for key in keys], [(1, [0, 0, 0]), (7, [1, 2, 3])])
        expect(page).to_have_url(re.compile("/time$"))

    def test_values_typed_on_the_sheet_become_keys_and_the_picture_follows(self) -> None:
        page = self.desk("time")
        self.let_move(page, "Position")
        self.type_at(page, 8, "150 0 0")
        keys = self.moves()["placement.position"]["keys"]
        self.assertEqual([(key["frame"], key["value"]) for key in keys], [(1, [0, 0, 0]), (9, [150, 0, 0])])
        # The same value stands in the form of the Build desk, at this frame and half way.
        self.desk("build", page)
        position = page.get_by_role("group", name="Position").get_by_label("x")
        expect(position).to_have_value("0")
        page.get_by_role("option", name=re.compile(r"^9\b")).click()
        expect(position).to_have_value("150")
        page.get_by_role("option", name=re.compile(r"^5\b")).click()
        expect(position).to_have_value("75")
        # Typed there it becomes a key of this frame.
        position.fill("20")
        position.press("Enter")
        self.saved(page)
        keys = self.moves()["placement.position"]["keys"]
        self.assertEqual([(key["frame"], key["value"][0]) for key in keys], [(1, 0), (5, 20), (9, 150)])
        mark = page.get_by_label(re.compile("^Position: take the key at frame 5 away"))
        mark.click()
        expect(page.get_by_label(re.compile("^Position moves: put a key at frame 5"))).to_be_visible()
        self.saved(page)
        self.assertEqual([key["frame"] for key in self.moves()["placement.position"]["keys"]], [1, 9])

    def test_keys_are_moved_copied_reversed_and_taken_away_and_all_is_undone(self) -> None:
        page = self.desk("time")
        self.let_move(page, "Opacity")
        self.type_at(page, 5, "0.5")
        self.type_at(page, 5, "0.2")
        circle = self.at_rest(page.locator("[data-key$='opacity 6']"))
        page.mouse.click(circle["x"] + 6, circle["y"] + 8)
        page.mouse.move(circle["x"] + 6, circle["y"] + 8)
        page.mouse.down()
        page.mouse.move(circle["x"] + 6, circle["y"] + 8 + 22 * 2, steps=6)
        page.mouse.up()
        expect(page.locator("[data-key$='opacity 8']")).to_be_visible()
        self.saved(page)
        self.assertEqual([key["frame"] for key in self.moves()["opacity"]["keys"]], [1, 8, 11])
        page.get_by_role("button", name=re.compile(", Opacity$")).click()
        page.get_by_role("button", name="Reverse", exact=True).first.click()
        expect(page.locator("[data-key$='opacity 4']")).to_be_visible()
        self.saved(page)
        keys = self.moves()["opacity"]["keys"]
        self.assertEqual([(key["frame"], key["value"]) for key in keys], [(1, 0.2), (4, 0.5), (11, 1)])
        layer = page.get_by_label(_KEYS)
        layer.focus()
        page.keyboard.press("Delete")
        expect(page.locator("[data-key]")).to_have_count(0)
        self.saved(page)
        self.assertEqual(self.moves(), {})
        for count in (3, 3, 3, 2, 1, 0):
            page.get_by_role("button", name="Undo", exact=True).click()
            expect(page.locator("[data-key]")).to_have_count(count)

    def test_frames_are_taken_out_by_hand_and_where_nothing_is_to_be_seen(self) -> None:
        page = self.desk("time")
        self.let_move(page, "Opacity")
        self.type_at(page, 7, "0")
        self.type_at(page, 8, "0")
        self.type_at(page, 4, "1")
        # From frame 8 to 16 it is gone.
        page.get_by_role("button", name="Take them out of the shot").click()
        expect(page.locator("[data-key$='opacity 16']")).to_have_count(0)
        self.saved(page)
        self.assertEqual(self.fresh().current_document().timing.last, 15)
        keys = self.moves()["opacity"]["keys"]
        self.assertEqual([key["frame"] for key in keys], [1, 7, 8, 11])
        self.assertGreater(min(key["value"] for key in keys), 0)
        page.get_by_role("button", name="Undo", exact=True).click()
        expect(page.locator("[data-key$='opacity 16']")).to_be_visible()
        whole = page.locator("section").filter(has_text="The whole shot")
        for label, value in (("Out from frame", "2"), ("Out to frame", "5")):
            whole.get_by_label(label).fill(value)
            whole.get_by_label(label).press("Enter")
        whole.get_by_role("button", name="Take out").click()
        # It is asked for first, and saved then.
        expect(page.locator("[data-key$='opacity 12']")).to_be_visible()
        self.saved(page)
        self.assertEqual(self.fresh().current_document().timing.last, 20)

    def test_a_curve_follows_the_hand_before_the_server_tells_its_values(self) -> None:
        page = self.desk("time")
        page.get_by_role("button", name="Fade in", exact=True).click()
        self.saved(page)
        dot = page.get_by_label("1 at frame 13")
        dot.hover()
        box = self.at_rest(dot)
        x, y = box["x"] + 4, box["y"] + 4
        page.mouse.move(x, y)
        page.mouse.down()
        moved = page.locator("circle[aria-label$=' at frame 13']")
        ends = """dot => {
          const line = dot.closest("svg").querySelector("polyline").points;
          const places = [...line].map(point => [point.x, point.y]);
          const at = places.findIndex(place => Math.abs(place[1] - dot.cy.baseVal.value) < 1);
          return [dot.cx.baseVal.value, places[at][0], places[0][0], places[at - 6][0]];
        }"""
        # An answer, beside that of before, tells how far each value goes along with the key.
        page.mouse.move(x - 20, y, steps=4)
        expect(moved).not_to_have_attribute("aria-label", re.compile("^1 at"))
        wait_until(lambda: abs(moved.evaluate(f"dot => {{ const [a, b] = ({ends})(dot); return a - b }}")) < 0.2, 60)
        page.route("**/values", lambda route: None)
        for left in (45, 60):
            page.mouse.move(x - left, y, steps=4)
        expect(moved).not_to_have_attribute("aria-label", re.compile("^(1|0.[89].*) at"))
        key, there, first, half = moved.evaluate(ends)
        self.assertAlmostEqual(there, key, delta=0.2)
        # The way between keys is even on both sides of its middle (``gentle``), so half of it is half the value.
        self.assertAlmostEqual(half, (first + key) / 2, delta=0.5)
        page.unroute("**/values")
        page.mouse.up()
        self.saved(page)

    def test_ways_waves_and_steps_of_one_choice(self) -> None:
        page = self.desk("time")
        page.get_by_role("button", name="Fade in", exact=True).click()
        expect(page.get_by_role("button", name=re.compile(", Opacity$"))).to_be_visible()
        self.saved(page)
        keys = self.moves()["opacity"]["keys"]
        self.assertEqual([(key["frame"], key["value"]) for key in keys], [(1, 0), (13, 1)])
        # What was made is selected, and its curve stands there.
        expect(page.get_by_role("button", name=re.compile(", Opacity$"))).to_have_attribute("aria-pressed", "true")
        # However far it is dragged, a key keeps to what its field allows.
        dot = page.get_by_label("1 at frame 13")
        # The curve has its place when it stays there.
        dot.hover()
        self.drag(page, dot, 60, 0)
        self.saved(page)
        self.assertEqual(self.moves()["opacity"]["keys"][1]["value"], 1)
        page.get_by_label("To the next key").click()
        page.get_by_role("option", name=re.compile("^Free curve")).click()
        handle = page.get_by_label("Handle from the key at frame 1")
        expect(handle).to_be_visible()
        self.drag(page, handle, 30, 36)
        self.saved(page)
        first = self.moves()["opacity"]["keys"][0]
        self.assertEqual(first["way"], "free")
        self.assertGreater(first["handles"][0], 0.42)
        self.assertGreater(first["handles"][1], 0)
        page.get_by_label("After the last").click()
        page.get_by_role("option", name="Back and forth").click()
        self.saved(page)
        self.assertEqual(self.moves()["opacity"]["after"], "back and forth")
        page.get_by_role("switch", name="Goes in waves over the range").click()
        page.get_by_label("Times over the range").fill("3")
        page.get_by_label("Times over the range").press("Enter")
        self.saved(page)
        self.assertEqual(self.moves()["opacity"]["wave"]["times"], 3)

    def test_a_value_swells_between_two_keys_that_are_the_same(self) -> None:
        page = self.desk("time")
        self.let_move(page, "Position")
        self.type_at(page, 20, "0 0 0")
        keys = page.get_by_label(_KEYS)
        keys.focus()
        for _ in range(20):
            page.keyboard.press("ArrowUp")
        page.get_by_label("To the next key").click()
        page.get_by_role("option", name=re.compile("^Free curve")).click()
        handle = page.get_by_label("Handle from the key at frame 1, y")
        expect(handle).to_be_visible()
        self.drag(page, handle, 20, 0)
        self.saved(page)
        first = self.moves()["placement.position"]["keys"][0]
        self.assertGreater(first["lifts"][1][0], 0)
        self.assertEqual([first["lifts"][0], first["lifts"][2]], [[0, 0], [0, 0]])
        shot = self.fresh().current_document()
        x, y, z = evaluate(shot, time_of(shot, 11)).elements[0].placement.position
        self.assertGreater(y, 0)
        self.assertEqual((x, z), (0, 0))

    def test_what_cannot_be_done_is_said(self) -> None:
        page = self.desk("time")
        self.let_move(page, "Opacity")
        self.type_at(page, 5, "0.5")
        page.get_by_label(_KEYS).focus()
        page.keyboard.press("Enter")
        page.keyboard.type("much")
        page.keyboard.press("Enter")
        expect(page.get_by_label(re.compile("^Opacity at frame"))).to_have_attribute("aria-invalid", "true")
        page.keyboard.press("Escape")
        # Beyond its limits the server says so, and the draft is not saved.
        page.keyboard.press("Enter")
        page.keyboard.type("7")
        page.keyboard.press("Enter")
        expect(page.get_by_text("less than or equal to 1").first).to_be_visible()

    def test_a_sound_runs_down_the_sheet_and_plays_with_the_picture(self) -> None:
        page = self.desk("time")
        page.get_by_role("button", name="Add a sound").click()
        page.get_by_label("File", exact=True).click()
        page.get_by_role("option", name=re.compile("^Foghorn")).click()
        expect(page.get_by_label(re.compile("^How loud Sound 1 is"))).to_be_visible()
        self.saved(page)
        document = self.fresh().current_document()
        self.assertEqual([(one.file, one.begins) for one in document.sounds], [("foghorn", 1)])
        # How loud it is has keys like anything else, in a column of its own.
        page.get_by_role("button", name="Volume: let it move, with a key at frame 1").click()
        expect(page.get_by_role("button", name="Sound 1, Volume")).to_be_visible()
        self.saved(page)
        page.get_by_role("button", name="Sound 1, Volume").click()
        self.type_at(page, 10, "0.25")
        (sound,) = self.fresh().current_document().sounds
        self.assertEqual([(key.frame, key.value) for key in sound.moves["volume"].keys], [(1, 1), (11, 0.25)])
        page.get_by_role("button", name="Play", exact=True).click()
        expect(page.get_by_text(re.compile(r"[\d.]+ of [\d/]+ frames a second"))).to_be_visible(timeout=120_000)
        page.wait_for_timeout(2500)
        # How near the picture keeps to what is heard is told (and measured on a machine at rest; here others compute beside it).
        self.assertRegex(page.locator("[data-apart]").get_attribute("data-apart") or "", r"^\d+\.\d+$")
        page.get_by_role("button", name="Stop", exact=True).click()
        page.get_by_role("button", name="Remove Sound 1").click()
        expect(page.get_by_label(re.compile("^How loud"))).to_have_count(0)

    def test_the_way_and_neighbouring_frames_are_on_the_picture_only(self) -> None:
        page = self.desk("time")
        self.let_move(page, "Position")
        self.type_at(page, 20, "200 60 0")
        expect(page.get_by_role("img", name=re.compile("^Way of"))).to_be_visible()
        self.picture(page)
        count = page.locator("canvas[data-pictures]").get_attribute("data-pictures")
        page.get_by_role("switch", name="Neighbouring frames").click()
        expect(page.locator("canvas[data-pictures]")).not_to_have_attribute("data-pictures", count or "")
        self.assertNotIn("ghost", str(self.fresh().current_document().model_dump()))

    def test_handles_and_named_ranges_are_rendered_as_they_are_chosen(self) -> None:
        page = self.desk("time")
        handles = page.get_by_label("Handles at both ends")
        handles.fill("5")
        handles.press("Enter")
        expect(page.get_by_text("with 5 frames before its first").first).to_be_visible()
        first = page.get_by_label("First frame", exact=True)
        first.fill("11")
        first.press("Enter")
        expect(page.get_by_text("with 5 frames before its first")).to_have_count(0)
        form = page.get_by_role("form") if page.get_by_role("form").count() else page
        form.get_by_label("Name", exact=True).fill("Loop")
        form.get_by_label("last", exact=True).fill("14")
        form.get_by_role("button", name="Keep", exact=True).click()
        expect(page.get_by_label("Named ranges").get_by_text("11–14")).to_be_visible()
        self.saved(page)
        self.desk("run", page)
        # Fourteen frames and five at each end.
        expect(page.get_by_label("Before the start").get_by_text("24", exact=True).first).to_be_visible()
        page.get_by_role("button", name="A set", exact=True).or_(page.get_by_role("radio", name="A set")).first.click()
        page.get_by_role("button", name="Loop", exact=True).click()
        expect(page.get_by_label("Before the start").get_by_text("4", exact=True).first).to_be_visible()

    def test_the_sheet_with_keys_a_curve_and_a_sound_can_be_used_by_everybody(self) -> None:
        page = self.desk("time")
        self.let_move(page, "Opacity")
        self.type_at(page, 5, "0.5")
        page.get_by_label("To the next key").click()
        page.get_by_role("option", name=re.compile("^Free curve")).click()
        page.get_by_role("button", name="Add a sound").click()
        self.saved(page)
        page.evaluate(AXE.read_text(encoding="utf-8"))
        found = page.evaluate(
            "axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']}).then(r => r.violations.map(v =>"
            " v.id + ': ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' | ')))"
        )
        self.assertEqual(found, [])

    def test_the_sheet_of_build_tells_when_things_are_there(self) -> None:
        page = self.desk("time")
        page.get_by_role("button", name="Fade in", exact=True).click()
        expect(page.get_by_role("button", name=re.compile(", Opacity$"))).to_be_visible()
        self.saved(page)
        self.desk("build", page)
        expect(page.get_by_role("option", name=re.compile(r"^1\b"))).to_contain_text("hidden")
        expect(page.get_by_role("option", name=re.compile(r"^7\b"))).to_contain_text("50 %")
        expect(page.get_by_role("option", name=re.compile(r"^13\b"))).to_contain_text("shown")
