"""Hands on the picture and on the list: selecting, moving, sizing, turning, several at once, groups, locks, names, copies; and the library."""

import io
import json
import re

import numpy as np
from PIL import Image
from playwright.sync_api import FloatRect, Page, expect

from e2e.browser import BrowserCase
from shots.actions.save_document import save_document
from zeitbild.drawings import SHIPPED
from zeitbild_server.testing import wait_until


class Hands(BrowserCase):
    def _flat(self, name: str, x: float, y: float, **more: object) -> dict[str, object]:
        fill = {"shading": "unlit", "base_colour": "#ffffff"}
        placement = {"position": [x, y, 0]}
        return {
            "kind": "shape",
            "id": name,
            "name": name,
            "width": 60,
            "height": 40,
            "fill": fill,
            "placement": placement,
            **more,
        }

    def _open(self, *elements: dict[str, object]) -> Page:
        """A unit is a pixel of the raster."""
        document = self.shot.current_document().model_dump(mode="json")
        raster = document["raster"] | {"width": 640, "height": 360}
        camera = document["camera"] | {
            "position": [0, 0, 1000],
            "look_at": [0, 0, 0],
            "projection": "orthographic",
            "span": 640,
        }
        document |= {"elements": list(elements), "raster": raster, "camera": camera}
        save_document(self.ada, self.shot, base=self.shot.current_id or 0, document=document)
        page = self.desk("build")
        self.picture()
        return page

    def _box(self) -> FloatRect:
        box = self.page.locator("canvas[role=img]").bounding_box()
        assert box is not None
        return box

    def _at(self, x: float, y: float) -> tuple[float, float]:
        """A place on the screen, in units from the middle of the picture, y up."""
        box = self._box()
        scale = box["width"] / 640
        return box["x"] + box["width"] / 2 + x * scale, box["y"] + box["height"] / 2 - y * scale

    def _drag(self, start: tuple[float, float], end: tuple[float, float]) -> None:
        mouse = self.page.mouse
        mouse.move(*start)
        mouse.down()
        mouse.move((start[0] + end[0]) / 2, (start[1] + end[1]) / 2, steps=3)
        mouse.move(*end, steps=3)
        mouse.up()
        self.saved()

    def _element(self, name: str) -> object:
        return next(one for one in self.fresh().current_document().elements if one.id == name)

    def _held(self, name: str) -> None:
        """Wait until its box can be taken hold of."""
        expect(self.page.get_by_role("button", name=f"{name}: drag to move")).to_be_visible()

    def test_a_click_selects_what_is_seen_and_again_what_is_behind(self) -> None:
        page = self._open(
            self._flat("low", 0, 0, width=200), self._flat("high", 20, 0, placement={"position": [20, 0, 50]})
        )
        row = lambda name: page.locator(f"[data-element={name}] button").first  # noqa: E731
        page.mouse.click(*self._at(20, 0))
        expect(row("high")).to_have_attribute("aria-pressed", "true")
        self._held("high")
        page.mouse.click(*self._at(20, 0))
        expect(row("low")).to_have_attribute("aria-pressed", "true")
        # Beside everything nothing is selected, and the camera can be had.
        page.mouse.click(*self._at(0, 150))
        expect(row("low")).to_have_attribute("aria-pressed", "false")

    def test_a_corner_that_is_dragged_meets_edges_middles_and_pixels(self) -> None:
        page = self._open(self._flat("bar", 0, 0), self._flat("other", 200, 40))
        page.mouse.click(*self._at(0, 0))
        self._held("bar")

        def drag(x: float, y: float, to: tuple[float, float], *held: str) -> float:
            """Its half width after its corner at a place was drawn to another one."""
            self.at_rest(page.locator("[data-hand=size] >> nth=1"))
            for key in held:
                page.keyboard.down(key)
            self._drag(self._at(x, y), self._at(*to))
            for key in held:
                page.keyboard.up(key)
            return 30 * float(self._element("bar").placement.scale[0])  # type: ignore[attr-defined]

        # 60 x 40: its right edge comes near the left one of the other, at 170; then its upper one near the picture's, at 180.
        self.assertAlmostEqual(drag(30, 20, (167, 112)), 170, delta=1e-3)
        self.assertAlmostEqual(drag(170, 340 / 3, (266, 178)), 270, delta=1e-3)
        # Near nothing its wider side lies on a pixel's border; with Ctrl it goes where the hand is.
        half = drag(270, 180, (60.3, 40.2))
        self.assertAlmostEqual(half, 60, delta=0.01)
        half = drag(60, 40, (75.4, 50.1), "Control")
        self.assertAlmostEqual(half, 75.4, delta=1.2)
        self.assertGreater(abs(half - round(half)), 1e-4)

    def test_a_drag_moves_by_pixels_and_meets_the_middle(self) -> None:
        page = self._open(self._flat("bar", 100, 50), self._flat("other", -200, -120))
        page.mouse.click(*self._at(100, 50))
        self._held("bar")
        # Nearly to the middle: it goes all the way. In the other direction by whole pixels.
        self._drag(self._at(100, 50), self._at(3, 20.4))
        x, y, _ = self._element("bar").placement.position  # type: ignore[attr-defined]
        self.assertEqual((x, y % 1), (0, 0))
        self.assertAlmostEqual(y, 20, delta=1)
        # Undone in one step.
        page.keyboard.press("Control+z")
        wait_until(lambda: self._element("bar").placement.position == (100, 50, 0), 60)  # type: ignore[attr-defined]

    def test_arrow_keys_corners_and_the_knob(self) -> None:
        page = self._open(self._flat("bar", 0, 0))
        page.mouse.click(*self._at(0, 0))
        self._held("bar")
        box = page.get_by_role("button", name=re.compile("^bar: drag to move"))
        box.focus()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("Shift+ArrowUp")
        self.saved()
        self.assertEqual(self._element("bar").placement.position, (1, 10, 0))  # type: ignore[attr-defined]
        self._drag(self._at(31, 30), self._at(61, 50))
        scale = self._element("bar").placement.scale  # type: ignore[attr-defined]
        self.assertEqual(scale[0], scale[1])
        self.assertAlmostEqual(scale[0], 2, delta=0.1)
        knob = self.at_rest(page.locator("[data-hand=turn]"))
        start = knob["x"] + knob["width"] / 2, knob["y"] + knob["height"] / 2
        middle = self._at(1, 10)
        away = middle[1] - start[1]
        page.keyboard.down("Shift")
        self._drag(start, (middle[0] + away, middle[1]))
        page.keyboard.up("Shift")
        self.assertEqual(self._element("bar").placement.rotation, (0, 0, -90))  # type: ignore[attr-defined]

    def test_several_at_once_move_line_up_change_and_go_together(self) -> None:
        page = self._open(self._flat("a", -200, 90), self._flat("b", 0, 0), self._flat("c", 150, -60))
        page.mouse.click(*self._at(-200, 90))
        self._held("a")
        page.keyboard.down("Control")
        page.mouse.click(*self._at(0, 0))
        page.keyboard.up("Control")
        expect(page.get_by_text("2 elements: what is changed here changes in all of them.")).to_be_visible()
        self._held("2 elements")
        page.get_by_role("button", name="Upper edges in line").click()
        self.saved()
        self.assertEqual(self._element("b").placement.position, (0, 90, 0))  # type: ignore[attr-defined]
        page.get_by_label("Height", exact=True).first.fill("30")
        page.keyboard.press("Enter")
        self.saved()
        self.assertEqual([self._element(one).height for one in "abc"], [30, 30, 40])  # type: ignore[attr-defined]
        page.get_by_role("button", name="Put them into a group").click()
        self.saved()
        group = self.fresh().current_document().elements[-1]
        self.assertEqual([self._element(one).inside for one in "abc"], [group.id, group.id, ""])  # type: ignore[attr-defined]

    def test_locked_renamed_and_hidden_from_hands(self) -> None:
        page = self._open(self._flat("bar", 0, 0))
        # Without groups there is none to stand in.
        expect(page.get_by_label("Inside the group")).to_have_count(0)
        page.get_by_role("button", name="bar locked").click()
        self.saved()
        page.mouse.click(*self._at(0, 0))
        expect(page.locator("[data-element=bar] button").first).to_have_attribute("aria-pressed", "false")
        page.locator("[data-element=bar] button").first.dblclick()
        page.get_by_label("New name of bar").fill("Sign board")
        page.keyboard.press("Enter")
        self.saved()
        self.assertEqual((self._element("bar").name, self._element("bar").locked), ("Sign board", True))  # type: ignore[attr-defined]

    def test_copies_are_plain_json_and_come_with_their_groups(self) -> None:
        group = {"kind": "group", "id": "g", "name": "Both"}
        page = self._open(group, self._flat("a", 0, 0, inside="g"), self._flat("b", 90, 0))
        page.locator("[data-element=g] button").first.click()
        text = page.evaluate(
            """() => {
                const transfer = new DataTransfer();
                window.dispatchEvent(new ClipboardEvent("copy", { clipboardData: transfer, cancelable: true }));
                return transfer.getData("text/plain");
            }"""
        )
        self.assertEqual([one["id"] for one in json.loads(text)["elements"]], ["g", "a"])
        for pasted in (text, "just words", '{"zeitbild-elements": 1}'):
            page.evaluate(
                """(text) => {
                    const transfer = new DataTransfer();
                    transfer.setData("text/plain", text);
                    window.dispatchEvent(new ClipboardEvent("paste", { clipboardData: transfer, cancelable: true }));
                }""",
                pasted,
            )
        expect(page.locator("[data-element]")).to_have_count(5)
        self.saved()
        elements = self.fresh().current_document().elements
        self.assertEqual([one.id for one in elements], ["g", "a", "b", "group-1", "shape-1"])
        self.assertEqual(elements[-1].inside, "group-1")

    def test_all_that_is_selected_is_duplicated_groups_with_what_stands_in_them(self) -> None:
        group = {"kind": "group", "id": "g", "name": "Both"}
        page = self._open(group, self._flat("a", 0, 0, inside="g"), self._flat("b", 90, 0))
        page.locator("[data-element=g] button").first.click()
        page.locator("[data-element=b] button").first.click(modifiers=["Control"])
        page.get_by_role("button", name="Duplicate Both").click()
        expect(page.locator("[data-element]")).to_have_count(6)
        self.saved()
        elements = self.fresh().current_document().elements
        self.assertEqual([one.name for one in elements[3:]], ["Both copy", "a", "b copy"])
        self.assertEqual([one.inside for one in elements[3:]], ["", elements[3].id, ""])
        # They go aside together; what stands in the group goes with it.
        moves = [
            [new - old for new, old in zip(copy.placement.position, own.placement.position, strict=True)]
            for own, copy in zip(elements[:3], elements[3:], strict=True)
        ]
        self.assertEqual(moves, [moves[0], [0, 0, 0], moves[0]])
        self.assertNotEqual(moves[0], [0, 0, 0])
        for id in (elements[3].id, elements[5].id):
            expect(page.locator(f"[data-element={id}] button").first).to_have_attribute("aria-pressed", "true")


class Footage(BrowserCase):
    def _png(self, level: int) -> bytes:
        out = io.BytesIO()
        values = np.zeros((18, 32, 4), np.uint8)
        values[..., 0], values[4:14, 4:28, 3] = level, 255
        Image.fromarray(values).save(out, "PNG")
        return out.getvalue()

    def test_numbered_pictures_become_a_sequence_that_plays(self) -> None:
        page = self.desk("build")
        self.picture()
        page.get_by_role("button", name="Add element").click()
        page.get_by_role("menuitem", name=re.compile("^Card")).click()
        self.saved()
        expect(page.get_by_text("Before its first")).to_have_count(0)
        files = [{"name": f"sea_{n}.png", "mimeType": "image/png", "buffer": self._png(40 * n)} for n in (1, 2, 4)]
        page.get_by_label("Picture file").set_input_files(files)  # type: ignore[arg-type]
        expect(page.get_by_text("Sequence, 4 pictures, 32 × 18, 8 bits, alpha")).to_be_visible()
        expect(page.get_by_text("missing: 3; the picture before is held")).to_be_visible()
        expect(page.get_by_text("Before its first")).to_be_visible()
        page.get_by_role("radiogroup", name="After its last").get_by_role("radio", name="repeat").click()
        self.saved()
        card = self.fresh().current_document().elements[-1]
        self.assertEqual((card.after, card.start), ("repeat", 1))

    def test_the_library_shows_uses_replaces_and_puts_away(self) -> None:
        page = self.sign_in()
        page.goto(f"{self.address}/projects/{self.project.id}")
        drawings = [
            {"name": f"{name}.svg", "mimeType": "image/svg+xml", "buffer": SHIPPED[name].path.read_bytes()}
            for name in ("badge", "waves")
        ]
        page.get_by_label("Files for the library").set_input_files(drawings)  # type: ignore[arg-type]
        library = page.get_by_role("region", name="Library")
        expect(library.get_by_text("2 files")).to_be_visible()
        expect(library.get_by_text("Used nowhere")).to_have_count(2)
        # Of what comes together only what belongs together is one: a model and what it names, numbered pictures.
        triangle = b"mtllib own.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl red\nf 1 2 3\n"
        mixed = [
            {"name": "own.obj", "mimeType": "model/obj", "buffer": triangle},
            {"name": "own.mtl", "mimeType": "text/plain", "buffer": b"newmtl red\nKd 1 0 0\n"},
            {"name": "badge two.svg", "mimeType": "image/svg+xml", "buffer": SHIPPED["shield"].path.read_bytes()},
        ]
        page.get_by_label("Files for the library").set_input_files(mixed)  # type: ignore[arg-type]
        expect(library.get_by_text("4 files")).to_be_visible()
        expect(library.get_by_text("own and 1 more")).to_be_visible()
        poster = library.locator("img").first
        expect(poster).to_have_js_property("complete", True)
        self.assertGreater(poster.evaluate("(one) => one.naturalWidth"), 100)
        library.get_by_role("listitem").filter(has_text="waves.svg").get_by_role("button", name="Delete").click()
        expect(library.get_by_text("3 files")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(library.get_by_text("4 files")).to_be_visible()
        library.get_by_role("listitem").filter(has_text="waves.svg").get_by_role("button", name="Delete").click()
        page.get_by_role("button", name="Close this note").click()
        away = page.get_by_role("region", name="Put away from here")
        away.get_by_role("button", name="Show").click()
        away.get_by_role("button", name="Bring back waves.svg").click()
        expect(library.get_by_text("4 files")).to_be_visible()
        expect(away).to_have_count(0)


class Keeping(BrowserCase):
    def test_a_finish_and_an_element_are_kept_and_taken(self) -> None:
        page = self.desk("build")
        self.picture()
        menu = page.get_by_role("button", name=re.compile("choose a finish$")).first
        menu.click()
        page.get_by_role("menuitem", name=re.compile("^Keep these values")).click()
        page.get_by_role("textbox", name="Name").last.fill("Own brass")
        page.get_by_role("button", name="Keep", exact=True).click()
        expect(page.get_by_role("dialog")).to_have_count(0)
        # What others share in this shot is the element's own where it is taken to another one.
        menu.click()
        page.get_by_role("menuitem", name="Share these values").click()
        self.saved()
        page.get_by_role("button", name="Keep it in the project").click()
        page.get_by_role("button", name="Keep", exact=True).click()
        expect(page.get_by_role("dialog")).to_have_count(0)
        page.get_by_label("Roughness", exact=True).first.fill("0.9")
        page.keyboard.press("Enter")
        self.saved()
        menu.click()
        page.get_by_role("menuitem", name="Own brass").click()
        self.saved()
        first = self.fresh().current_document().elements[0]
        self.assertNotEqual(first.surfaces()[0].finish.roughness, 0.9)
        page.get_by_role("button", name="Add element").click()
        page.get_by_role("menuitem", name=first.name).click()
        self.saved()
        elements = self.fresh().current_document().elements
        self.assertEqual((len(elements), elements[1].kind, elements[1].id != first.id), (2, first.kind, True))
        self.assertEqual((bool(first.surfaces()[0].finish.named), elements[1].surfaces()[0].finish.named), (True, ""))
        page.goto(f"{self.address}/projects/{self.project.id}")
        page.get_by_role("region", name="Library").get_by_role("button", name="Show").click()
        expect(page.get_by_text("Own brass")).to_be_visible()
        # It goes, and comes back after the note is gone.
        page.get_by_role("button", name="Delete Own brass").click()
        page.get_by_role("button", name="Close this note").click()
        expect(page.get_by_text("Own brass")).to_have_count(0)
        away = page.get_by_role("region", name="Put away from here")
        away.get_by_role("button", name="Show").click()
        away.get_by_role("button", name="Bring back Own brass").click()
        expect(page.get_by_role("button", name="Delete Own brass")).to_be_visible()
        expect(away).to_have_count(0)
