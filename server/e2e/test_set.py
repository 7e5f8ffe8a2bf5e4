"""What people bring into the set: drawings, models, pictures, and ground that catches shadows."""

import io
import re

from PIL import Image
from playwright.sync_api import expect

from assets.models import LibraryFile
from e2e.browser import BrowserCase
from zeitbild.drawings import SHIPPED
from zeitbild.models.make import buoy
from zeitbild.tones import SHIPPED as SOUNDS


class TheSet(BrowserCase):
    def _add(self, name: str) -> None:
        self.page.get_by_role("button", name="Add element").click()
        self.page.get_by_role("menuitem", name=re.compile(f"^{name}")).click()
        self.saved()

    def test_a_drawing_is_brought_and_one_of_its_colours_gets_a_finish(self) -> None:
        page = self.desk("build")
        self.picture()
        self._add("Emblem")
        expect(page.get_by_text("2 colours, 94 × 94")).to_be_visible()
        broken = {"name": "broken.svg", "mimeType": "image/svg+xml", "buffer": b"<svg"}
        page.get_by_label("Drawing file").set_input_files(broken)
        expect(page.get_by_text("broken.svg cannot be read as a drawing")).to_be_visible()
        words = SHIPPED["shield"].path.read_bytes().replace(b"</svg>", b"<text>Kap</text></svg>")
        page.get_by_label("Drawing file").set_input_files(
            {"name": "own.svg", "mimeType": "image/svg+xml", "buffer": words}
        )
        expect(page.get_by_text("the text “Kap” names no font: it is set in Lato Black")).to_be_visible()
        self.saved()
        page.get_by_role("button", name="A finish of its own for #a63d40").click()
        self.saved()
        page.get_by_role("radio", name="by itself").click()
        self.saved()
        emblem = self.fresh().current_document().elements[-1]
        self.assertTrue(emblem.drawing.startswith("asset:"))
        (own,) = emblem.colours
        self.assertEqual((own.drawn, own.finish.base_colour, own.stands), ("#a63d40", "#a63d40", "by itself"))
        page.get_by_role("button", name="#a63d40 as the file has it").click()
        self.saved()
        self.assertEqual(self.fresh().current_document().elements[-1].colours, ())

    def _drop(self, files: dict[str, bytes]) -> None:
        """Drop files on the page, by their names."""
        self.page.evaluate(
            """(files) => {
                const transfer = new DataTransfer();
                for (const [name, bytes] of files) transfer.items.add(new File([new Uint8Array(bytes)], name));
                const about = { dataTransfer: transfer, cancelable: true, bubbles: true };
                document.body.dispatchEvent(new DragEvent("drop", about));
            }""",
            [[name, list(data)] for name, data in files.items()],
        )

    def test_a_dropped_model_becomes_an_element_whose_parts_can_be_hidden(self) -> None:
        page = self.desk("build")
        self.picture()
        self._drop({"own buoy.glb": buoy()})
        expect(page.get_by_role("button", name="own buoy", exact=True)).to_be_visible()
        expect(page.get_by_role("button", name="Model own buoy.glb")).to_be_visible()
        expect(page.get_by_text("3 materials")).to_be_visible()
        self.saved()
        page.get_by_role("button", name="buoy/lamp is there").click()
        self.saved()
        model = self.fresh().current_document().elements[-1]
        self.assertEqual((model.kind, model.name, model.hidden), ("model", "own buoy", ("buoy/lamp",)))
        self.assertTrue(model.model.startswith("asset:"))
        page.get_by_role("button", name="A finish of its own for red").click()
        self.saved()
        self.assertEqual(self.fresh().current_document().elements[-1].materials[0].finish.roughness, 0.35)

    def test_of_several_that_are_dropped_each_finds_its_place(self) -> None:
        page = self.desk("build")
        self.picture()
        badge, shield = (SHIPPED[name].path.read_bytes() for name in ("badge", "shield"))
        triangle = b"mtllib own.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl red\nf 1 2 3\n"
        small = io.BytesIO()
        Image.new("RGBA", (40, 20), (200, 60, 40, 128)).save(small, "PNG")
        files = {
            "plan.obj": triangle,
            "own.mtl": b"newmtl red\nKd 1 0 0\nmap_Kd sub\\red sail.png\n",
            "red sail.png": small.getvalue(),
            **{f"wave_{number}.png": small.getvalue() for number in (9, 10, 11)},
            "crest.svg": badge,
            "broken.svg": b"<svg",
            "notes.txt": b"what to do",
            "horn.wav": SOUNDS["foghorn"].path.read_bytes(),
        }
        self._drop(files)
        # What is wrong with one keeps none of the others out.
        expect(page.get_by_text("broken.svg cannot be read as a drawing")).to_be_visible()
        expect(page.get_by_text("notes.txt is nothing that is shown or heard here")).to_be_visible()
        expect(page.get_by_text("horn.wav is heard from frame 1 on")).to_be_visible()
        self.saved()
        document = self.fresh().current_document()
        added = [(one.kind, one.name) for one in document.elements[1:]]
        self.assertEqual(added, [("model", "plan"), ("card", "wave"), ("emblem", "crest")])
        self.assertEqual([one.name for one in document.sounds], ["horn"])
        titles = {one.file_name for one in LibraryFile.objects.all()}
        self.assertEqual(titles, {"plan and 2 more", "wave_9–11", "crest.svg", "horn.wav"})
        page.get_by_role("button", name="Close this note").click()
        # One of its kind goes to what is selected, and nowhere else: an emblem names a font, too.
        self._drop({"second.svg": shield})
        expect(page.get_by_role("button", name="Drawing second.svg")).to_be_visible()
        self.saved()
        after = self.fresh().current_document().elements
        self.assertEqual((len(after), after[-1].name), (4, "crest"))
        self.assertNotEqual(after[-1].drawing, document.elements[-1].drawing)
        expect(page.get_by_text("second.svg is not")).to_have_count(0)

    def test_a_picture_that_is_dropped_on_the_surroundings_becomes_them(self) -> None:
        page = self.desk("build")
        self.picture()
        page.get_by_role("button", name="Environment").click()
        sky = io.BytesIO()
        Image.new("RGB", (64, 32), (120, 160, 220)).save(sky, "PNG")
        self._drop({"dusk.png": sky.getvalue()})
        expect(page.get_by_role("button", name="Picture dusk.png")).to_be_visible()
        self.saved()
        around = self.fresh().current_document().environment
        self.assertEqual((around.source, around.picture[:6]), ("picture", "asset:"))

    def test_a_picture_stands_on_a_card_over_ground_that_shows_only_shadow(self) -> None:
        page = self.desk("build")
        self.picture()
        self._add("Floor")
        self.assertEqual(self.fresh().current_document().elements[-1].surface.shading, "shadow only")
        self._add("Card")
        data = io.BytesIO()
        Image.new("RGBA", (40, 20), (200, 60, 40, 128)).save(data, "PNG")
        page.get_by_label("Picture file").set_input_files(
            {"name": "sail.png", "mimeType": "image/png", "buffer": data.getvalue()}
        )
        expect(page.get_by_role("button", name="Picture sail.png")).to_be_visible()
        self.saved()
        page.get_by_role("radio", name="own height").click()
        expect(page.get_by_label("Own height", exact=True)).to_be_visible()
        self.saved()
        card = self.fresh().current_document().elements[-1]
        self.assertEqual((card.kind, card.shape, card.surface.shading), ("card", "own height", "unlit"))
        self.assertTrue(card.picture.startswith("asset:"))

    def test_an_element_is_put_into_a_group_and_let_go_when_the_group_is_deleted(self) -> None:
        page = self.desk("build")
        self.picture()
        self._add("Group")
        page.get_by_role("button", name="Element", exact=True).click()
        page.get_by_label("Inside the group").click()
        page.get_by_role("option", name="Group").click()
        self.saved()
        self.assertEqual(self.fresh().current_document().elements[0].inside, "group-1")
        expect(page.get_by_text("in Group", exact=True)).to_be_visible()
        page.get_by_role("switch", name="Reference only").click()
        self.saved()
        expect(page.get_by_text("reference", exact=True)).to_be_visible()
        page.get_by_role("button", name="Group", exact=True).click()
        page.get_by_role("button", name="Delete Group").click()
        self.saved()
        (element,) = self.fresh().current_document().elements
        self.assertEqual((element.inside, element.reference), ("", True))

    def test_the_list_is_put_in_another_order_and_searched(self) -> None:
        page = self.desk("build")
        self.picture()
        self._add("Floor")
        listed = page.get_by_role("listitem")
        row = listed.filter(has_text="Floor").get_by_role("button", name="Floor", exact=True)
        row.focus()
        row.press("Alt+ArrowUp")
        self.saved()
        self.assertEqual([one.name for one in self.fresh().current_document().elements], ["Floor", "Element"])
        listed.filter(has_text="Floor").drag_to(listed.filter(has_text="Element"))
        self.saved()
        self.assertEqual([one.name for one in self.fresh().current_document().elements], ["Element", "Floor"])
        expect(page.get_by_label("Find an element")).to_have_count(0)
        for _ in range(9):
            self._add("Shape")
        page.get_by_label("Find an element").fill("flo")
        expect(row).to_be_visible()
        expect(page.get_by_role("button", name="Shape in the picture")).to_have_count(0)
        page.get_by_label("Find an element").fill("nothing of the kind")
        expect(page.get_by_text("No element is called like that.")).to_be_visible()
