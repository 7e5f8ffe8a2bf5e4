"""Lights and cameras on the Build desk, driven as a person would."""

import re

from playwright.sync_api import Page, expect

from e2e.browser import BrowserCase


class Lighting(BrowserCase):
    def _add(self, page: Page, name: str) -> None:
        page.get_by_role("button", name="Light", exact=True).click()
        page.get_by_role("menuitem", name=name).click()
        self.saved()

    def _drag(self, page: Page, dx: int, dy: int) -> None:
        box = page.locator("canvas").bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 200, box["y"] + 150)
        page.mouse.down()
        page.mouse.move(box["x"] + 200 + dx, box["y"] + 150 + dy, steps=8)
        page.mouse.up()
        self.saved()

    def test_a_light_is_added_aimed_by_dragging_copied_and_deleted(self) -> None:
        page = self.desk("build")
        self.picture()
        self._add(page, "Spot")
        lights = self.fresh().current_document().lights
        self.assertEqual((len(lights), lights[3].kind), (4, "spot"))
        before, camera = lights[3].position, self.shot.current_document().camera
        self._drag(page, 60, -20)
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        document = self.fresh().current_document()
        self.assertNotEqual(document.lights[3].position, before)
        self.assertEqual(document.camera, camera)
        # The same drag moves the camera once the person says so.
        page.get_by_role("radio", name="Camera", exact=True).click()
        self._drag(page, 60, -20)
        self.assertNotEqual(self.fresh().current_document().camera, camera)
        page.get_by_role("button", name="Duplicate Spot").click()
        self.saved()
        self.assertEqual([one.name for one in self.fresh().current_document().lights[3:]], ["Spot", "Spot 2"])
        page.get_by_role("button", name="Delete Spot 2").click()
        self.saved()
        self.assertEqual(len(self.fresh().current_document().lights), 4)

    def test_fields_appear_when_they_have_a_meaning(self) -> None:
        page = self.desk("build")
        page.get_by_role("button", name="Key sun").click()
        expect(page.get_by_label("Temperature", exact=True)).to_have_count(0)
        page.get_by_role("radio", name="temperature").click()
        page.get_by_label("Temperature", exact=True).fill("2900")
        page.get_by_label("Temperature", exact=True).press("Enter")
        expect(page.get_by_label("Colour", exact=True)).to_have_count(0)
        self.saved()
        light = self.fresh().current_document().lights[0]
        self.assertEqual((light.colour_by, light.temperature), ("temperature", 2900))
        page.get_by_role("button", name="Main camera", exact=True).click()
        page.get_by_role("radio", name="orthographic").click()
        expect(page.get_by_label("Angle of view", exact=True)).to_have_count(0)
        expect(page.get_by_label("Width of view", exact=True)).to_be_visible()

    def test_a_light_is_kept_to_one_element(self) -> None:
        page = self.desk("build")
        page.get_by_role("button", name="Key sun").click()
        page.get_by_role("checkbox", name=self.shot.current_document().elements[0].name).check()
        expect(page.get_by_text("The others stay dark under it.")).to_be_visible()
        self.saved()
        self.assertEqual(self.fresh().current_document().lights[0].touches, ("word-1",))

    def test_a_ready_made_set_replaces_the_lights_and_undo_brings_them_back(self) -> None:
        page = self.desk("build")
        self._add(page, "Rim light")
        self.assertEqual(len(self.fresh().current_document().lights), 4)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("button", name="Key sun")).to_be_visible()
        self.saved()
        self.assertEqual([one.name for one in self.fresh().current_document().lights], ["Key", "Second", "Ambient"])

    def test_the_set_is_brought_back_into_view(self) -> None:
        page = self.desk("build")
        self.picture()
        page.get_by_role("button", name="Main camera", exact=True).click()
        first = page.get_by_role("group", name="Look-at point").get_by_label("x", exact=True)
        first.fill("9000")
        first.press("Enter")
        expect(page.get_by_text("The camera looks past the set")).to_be_visible()
        page.get_by_role("button", name="Frame everything").click()
        expect(page.get_by_text("The camera looks past the set")).to_have_count(0)
        self.saved()
        self.assertLess(abs(self.fresh().current_document().camera.look_at[0]), 200)

    def test_guides_and_parts_are_looked_at_and_change_nothing(self) -> None:
        page = self.desk("build")
        self.picture()
        revision = self.shot.current_id
        page.keyboard.press("g")
        expect(page.get_by_role("img", name="Safe areas and middle")).to_be_visible()
        count = int(page.locator("canvas").get_attribute("data-pictures") or 0)
        page.get_by_role("button", name=re.compile("^Look at")).click()
        page.get_by_role("option", name="Normals, world").click()
        expect(page.locator("canvas")).not_to_have_attribute("data-pictures", str(count))
        page.get_by_role("button", name="All in view").click()
        expect(page.get_by_role("button", name="Undo")).to_be_enabled()
        self.saved()
        page.keyboard.press("g")
        expect(page.get_by_role("img", name="Safe areas and middle")).to_have_count(0)
        self.assertNotEqual(self.fresh().current_id, revision)
