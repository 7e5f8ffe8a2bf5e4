"""Puppets, voices, repeats, pens and sprays, as their users make them."""

import math
import re
import tempfile
from pathlib import Path
from typing import Any

from PIL import Image, ImageDraw
from playwright.sync_api import Page, expect

from e2e.browser import AXE, BrowserCase
from shots.actions.save_document import save_document


class Performing(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        document = self.shot.current_document().model_dump(mode="json")
        document["timing"] |= {"first": 1, "last": 48, "cycle": False}
        save_document(self.ada, self.fresh(), base=self.fresh().current_id, document=document, label="Longer")

    def element(self, kind: str) -> dict[str, Any]:
        """The saved element of a kind."""
        document = self.fresh().current_document().model_dump(mode="json")
        return next(one for one in document["elements"] if one["kind"] == kind)

    def add(self, page: Page, title: str) -> None:
        page.get_by_role("button", name="Add element").click()
        page.get_by_role("menuitem", name=re.compile(f"^{title}")).click()
        self.saved(page)

    def typed(self, page: Page, label: str, value: str) -> None:
        field = page.get_by_role("textbox", name=label, exact=True).first
        field.fill(value)
        field.press("Enter")
        self.saved(page)

    def accessible(self, page: Page) -> None:
        """WCAG 2.1 A and AA as far as axe-core can tell."""
        page.evaluate(AXE.read_text(encoding="utf-8"))
        violations = page.evaluate(
            "axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa']}).then(r => r.violations.map(v =>"
            " v.id + ': ' + v.nodes.map(n => n.target.join(' ') + ' ' + n.html.slice(0, 120)).join(' | ')))"
        )
        self.assertEqual(violations, [])

    def test_a_puppet_is_posed_acts_and_speaks(self) -> None:
        page = self.desk("build")
        self.add(page, "Puppet")
        page.get_by_role("option", name="wing").click()
        self.typed(page, "Turned", "70")
        self.typed(page, "Bent", "45")
        self.assertEqual(self.element("puppet")["limbs"]["wing"]["turn"], 70)
        page.get_by_label("Keep this pose as").fill("Hello")
        page.get_by_role("button", name="Keep", exact=True).click()
        self.saved(page)
        self.assertEqual(list(self.element("puppet")["poses"][0]["limbs"]), ["wing"])
        page.get_by_role("button", name="Take Hello with keys").click()
        expect(page.get_by_text("moves", exact=True)).to_be_visible()
        self.saved(page)
        self.assertEqual(set(self.element("puppet")["moves"]), {"limbs.wing.turn", "limbs.wing.bend"})
        page.get_by_role("button", name="Add an act").click()
        self.saved(page)
        own = self.element("puppet")
        self.assertEqual([step["pose"] for step in own["acts"][0]["steps"]], ["Hello", ""])
        self.accessible(page)
        # A pose that an act needs stays; without the act it goes.
        page.get_by_role("button", name="Delete Hello").click()
        expect(page.get_by_text("Act 1 needs Hello.")).to_be_visible()
        # The voice.
        self.desk("time", page)
        page.get_by_role("button", name="Add a sound").click()
        page.get_by_role("button", name="File").last.click()
        page.get_by_role("option", name="Puffin").click()
        self.saved(page)
        page.get_by_label("Blinks").click()
        page.get_by_role("option", name=re.compile("eyes")).click()
        page.get_by_role("button", name="Speak", exact=True).click()
        expect(page.get_by_text(re.compile("^It speaks"))).to_be_visible(timeout=30_000)
        self.saved(page)
        mouth = self.element("puppet")["moves"]["limbs.mouth.shows"]["keys"]
        self.assertGreater(len({key["value"] for key in mouth}), 2)
        self.assertEqual({key["way"] for key in mouth}, {"hold"})
        expect(page.get_by_text(re.compile("^mouth, drawing"))).to_be_visible()
        self.accessible(page)

    def settled(self, page: Page) -> None:
        """Wait until the hands are those of the document."""
        expect(page.get_by_label("Parts on the picture")).to_have_attribute("data-settled", "true")

    def dragged(self, page: Page, hand: str, across: float, down: float) -> None:
        """A hand of a part is taken somewhere, once it is where it should be."""
        self.settled(page)
        box = page.locator(f"[data-limb={hand}]").bounding_box()
        assert box is not None
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        for step in range(1, 7):
            page.mouse.move(x + across * step / 6, y + down * step / 6)
        page.mouse.up()
        self.saved(page)

    def test_parts_are_taken_hold_of_on_the_picture(self) -> None:
        page = self.desk("build")
        self.add(page, "Puppet")
        page.get_by_role("option", name="wing").click()
        expect(page.locator("[data-limb=tip]")).to_be_visible()
        self.dragged(page, "tip", 60, -40)
        wing = self.element("puppet")["limbs"]["wing"]
        self.assertGreater(abs(wing["turn"]), 10)
        # Another point to turn about: the wing stays where it is.
        self.settled(page)
        before = page.locator("[data-limb=tip]").bounding_box()
        self.dragged(page, "pivot", -20, 12)
        after = self.element("puppet")["limbs"]["wing"]
        self.assertEqual((after["turns_about"], after["turn"]), ("a point", wing["turn"]))
        self.settled(page)
        now = page.locator("[data-limb=tip]").bounding_box()
        assert before is not None and now is not None
        self.assertLess(math.hypot(before["x"] - now["x"], before["y"] - now["y"]), 2)
        with page.expect_response(lambda answer: answer.url.endswith("/undo")):
            page.get_by_role("button", name="Undo").click()
        self.assertEqual(self.element("puppet")["limbs"]["wing"]["turns_about"], "as found")
        # Another part by its dot.
        page.locator("[data-limb=head]").click()
        expect(page.get_by_role("option", name="head")).to_have_attribute("aria-selected", "true")
        page.get_by_role("switch", name="Hands on the picture").click()
        expect(page.locator("[data-limb]")).to_have_count(0)

    def test_a_folder_of_pictures_becomes_a_puppet(self) -> None:
        page = self.desk("build")
        self.add(page, "Puppet")
        with tempfile.TemporaryDirectory() as holder:
            folder = Path(holder) / "owl"
            for place, box, colour in (
                ("01 body.png", (20, 30, 80, 95), "#5a4632"),
                ("02 head/1 face.png", (25, 5, 75, 45), "#8a6a44"),
                ("02 head/2 mouth/closed.png", (45, 30, 55, 33), "#301010"),
                ("02 head/2 mouth/open.png", (45, 30, 55, 40), "#301010"),
            ):
                own = Image.new("RGBA", (100, 100), (0, 0, 0, 0))
                ImageDraw.Draw(own).rectangle(box, fill=colour)
                (folder / place).parent.mkdir(parents=True, exist_ok=True)
                own.save(folder / place)
            page.get_by_label("Drawing folder").set_input_files(folder)
            parts = page.get_by_role("listbox", name="Parts of the puppet").get_by_role("option")
            expect(parts).to_have_count(6)
        self.assertEqual(
            [text.split("one of")[0].strip() for text in parts.all_inner_texts()],
            ["body", "head", "face", "mouth", "closed", "open"],
        )
        self.saved(page)
        self.assertTrue(self.element("puppet")["drawing"].startswith("asset:"))
        self.picture(page)

    def test_what_is_selected_is_repeated(self) -> None:
        page = self.desk("build")
        first = self.fresh().current_document().elements[0].id
        self.add(page, "Repeat")
        document = self.fresh().current_document()
        inside = next(one for one in document.elements if one.id == first).inside
        self.assertEqual(inside, self.element("repeat")["id"])
        self.typed(page, "How many", "3")
        self.assertEqual(self.element("repeat")["count"], 3)
        self.picture(page)

    def test_a_pen_writes_what_is_drawn_and_strokes_change_places(self) -> None:
        page = self.desk("build")
        self.add(page, "Penwork")
        strokes = page.get_by_role("list", name="Strokes").get_by_role("listitem")
        expect(strokes.first).to_be_visible()
        page.get_by_role("button", name="Stroke 1 later").click()
        self.saved(page)
        self.assertEqual(self.element("penwork")["order"][:2], [2, 1])
        page.get_by_role("button", name="Stroke 1 from its other end").click()
        self.saved(page)
        self.assertEqual(self.element("penwork")["turned"], [2])
        # The same on the picture: a click turns round, dragged onto another it takes its place, Delete leaves out.
        page.get_by_role("switch", name="Numbers on the picture").click()
        numbers = page.get_by_label("Strokes on the picture").get_by_role("button")
        expect(numbers.first).to_be_visible()
        page.locator("[data-stroke='1']").click()
        self.saved(page)
        self.assertEqual(self.element("penwork")["turned"], [2, 1])
        page.locator("[data-stroke='1']").focus()
        page.keyboard.press("Delete")
        self.saved(page)
        self.assertEqual(self.element("penwork")["left_out"], [1])
        page.locator("[data-stroke='3']").drag_to(page.locator("[data-stroke='2']"))
        self.saved(page)
        self.assertEqual(self.element("penwork")["order"][0], 3)
        page.get_by_role("button", name="As they were found").click()
        self.saved(page)
        self.assertEqual((self.element("penwork")["order"], self.element("penwork")["turned"]), ([], []))
        page.get_by_label("Writes").click()
        page.get_by_role("option", name="what is drawn by hand").click()
        page.get_by_role("button", name="Draw on the picture").click()
        paper = page.get_by_label("Draw strokes here")
        box = paper.bounding_box()
        assert box is not None
        for row in (0.4, 0.6):
            page.mouse.move(box["x"] + 0.2 * box["width"], box["y"] + row * box["height"])
            page.mouse.down()
            for at in range(30):
                page.mouse.move(
                    box["x"] + (0.2 + 0.02 * at) * box["width"],
                    box["y"] + (row + 0.05 * math.sin(at / 4)) * box["height"],
                )
            page.mouse.up()
            self.saved(page)
        expect(page.get_by_text("2 strokes.")).to_be_visible()
        drawn = self.element("penwork")["drawn"]
        self.assertEqual(len(drawn), 2)
        # As wide on the set as on the picture, the upper one above.
        self.assertGreater(drawn[0]["points"][-1][0] - drawn[0]["points"][0][0], 50)
        self.assertGreater(drawn[0]["points"][0][1], drawn[1]["points"][0][1])
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_text("1 stroke.")).to_be_visible()
        self.accessible(page)

    def test_a_spray_asks_only_for_what_it_needs(self) -> None:
        page = self.desk("build")
        self.add(page, "Spray")
        expect(page.get_by_label("The word")).to_have_count(0)
        page.get_by_label("Comes from").click()
        page.get_by_role("option", name="a word").click()
        expect(page.get_by_label("The word")).to_be_visible()
        self.saved(page)
        self.typed(page, "A second", "900000")
        expect(page.get_by_text(re.compile("would be there at once")).first).to_be_visible()
        self.typed(page, "A second", "500")
        expect(page.get_by_text(re.compile("would be there at once"))).to_have_count(0)
        self.picture(page)
