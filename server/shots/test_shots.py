"""Shots: documents saved as revisions, undo across everything, conflicts, pictures, examination."""

import json
from io import BytesIO, StringIO
from typing import Any
from unittest import mock

import numpy as np
from django.core.management import CommandError, call_command
from PIL import Image

from shots.examine import MAX_LOOKED
from shots.models import Revision
from zeitbild.document.reading import parse_shot, write_shot
from zeitbild.document.shot import Camera, Layer, NamedCamera, Timing
from zeitbild.farm import cell_is_there
from zeitbild.testing import small_shot
from zeitbild_server.testing import StudioCase


class Documents(StudioCase):
    def _save(self, title: str, base: int, expect: int = 200) -> dict:  # type: ignore[type-arg]
        document = {**self.get(f"/api/shots/{self.shot.id}")["document"], "title": title}
        body = {"base": base, "document": document, "label": f"Title {title}"}
        return self.post(f"/api/shots/{self.shot.id}/document", body, "put", expect)  # type: ignore[no-any-return]

    def _step(self, which: str, base: int | None = None, expect: int = 200) -> dict:  # type: ignore[type-arg]
        body = {"base": self.fresh().current_id if base is None else base}
        return self.post(f"/api/shots/{self.shot.id}/{which}", body, expect=expect)  # type: ignore[no-any-return]

    def test_undo_and_redo_start_from_what_was_looked_at(self) -> None:
        first = self.shot.current_id or 0
        second = self._save("Two", first)
        third = self._save("Three", second["revision"])
        # Somebody who still looks at the second would take back the third unseen.
        answer = self._step("undo", second["revision"], 409)
        self.assertEqual(answer["current"], third["revision"])
        self._step("redo", second["revision"], 409)
        self.assertEqual(self.fresh().current_id, third["revision"])
        self._step("undo", third["revision"])
        self.assertEqual(self.fresh().current_id, second["revision"])

    def test_undo_and_redo_walk_the_revisions_and_survive_a_reload(self) -> None:
        first = self.get(f"/api/shots/{self.shot.id}")
        second = self._save("Two", first["revision"])
        self._save("Three", second["revision"])
        path = f"/api/shots/{self.shot.id}"
        self.assertEqual(self._step("undo")["document"]["title"], "Two")
        self.assertEqual(self._step("undo")["document"]["title"], first["document"]["title"])
        self._step("undo", expect=422)
        self.assertTrue(self.get(path)["can_redo"])
        self.assertEqual(self._step("redo")["document"]["title"], "Two")
        self.assertEqual(self._step("redo")["document"]["title"], "Three")
        self._step("redo", expect=422)

    def test_a_save_after_an_undo_loses_no_revision(self) -> None:
        second = self._save("Two", self.shot.current_id or 0)
        undone = self._step("undo")
        self._save("Other", undone["revision"])
        self.assertTrue(Revision.objects.filter(id=second["revision"]).exists())
        self.assertFalse(self.get(f"/api/shots/{self.shot.id}")["can_redo"])

    def test_two_saves_from_one_revision_conflict_and_nothing_is_overwritten(self) -> None:
        base = self.shot.current_id or 0
        second = self._save("Mine", base)
        answer = self._save("Theirs", base, expect=409)
        self.assertEqual(answer["current"], second["revision"])
        self.assertEqual(self.get(f"/api/shots/{self.shot.id}")["document"]["title"], "Mine")
        self._save("Theirs", answer["current"])

    def test_documents_that_do_not_hold_are_not_saved(self) -> None:
        document = {**self.shot.current_document().model_dump(mode="json"), "raster": {"width": 1, "height": 1}}
        answer = self.post(
            f"/api/shots/{self.shot.id}/document", {"base": self.shot.current_id, "document": document}, "put", 422
        )
        self.assertEqual([one["field"] for one in answer["problems"]], ["raster.width", "raster.height"])
        self.assertEqual(self.fresh().current_id, self.shot.current_id)

    def test_shot_codes_are_taken_once(self) -> None:
        answer = self.post(f"/api/projects/{self.project.id}/shots", {"code": "km010", "title": "x"}, expect=422)
        self.assertEqual(answer["problems"][0]["field"], "shot")

    def test_copy_delete_and_bring_back(self) -> None:
        copy = self.post(f"/api/shots/{self.shot.id}/duplicate")
        self.assertEqual(copy["code"], "KM010-2")
        self.post(f"/api/shots/{copy['id']}", method="delete", expect=204)
        self.assertEqual(len(self.get(f"/api/projects/{self.project.id}/shots")), 1)
        self.post(f"/api/shots/{copy['id']}/restore")
        self.assertEqual(len(self.get(f"/api/projects/{self.project.id}/shots")), 2)

    def test_export_gives_a_document_that_reads_back(self) -> None:
        out = StringIO()
        call_command("export", "KM010", stdout=out)
        self.assertEqual(write_shot(parse_shot(out.getvalue())), write_shot(self.shot.current_document()))
        response = self.client.get(f"/api/shots/{self.shot.id}/document")
        self.assertEqual(response.content.decode(), out.getvalue())
        with self.assertRaises(CommandError):
            call_command("export", "KM999")

    def test_the_demo_loads_once_and_keeps_changes(self) -> None:
        call_command("load_demo")
        call_command("load_demo")
        from projects.models import Project

        demo = Project.objects.get(memberships__user__username="demo")
        self.assertEqual(demo.shots.filter(code="KM010").count(), 1)


class Pictures(StudioCase):
    def _ask(self, expect: int = 200, **changes: object):  # type: ignore[no-untyped-def]
        body = {
            "document": self.shot.current_document().model_dump(mode="json"),
            "frame": 1,
            "width": 96,
            "height": 54,
            "kind": "png",
            **changes,
        }
        response = self.client.post(f"/api/shots/{self.shot.id}/picture", body, content_type="application/json")
        self.assertEqual(response.status_code, expect, response.content[:300])
        return response

    def test_a_picture_of_an_unsaved_document(self) -> None:
        response = self._ask(ground={"kind": "white"})
        pixels = np.asarray(Image.open(BytesIO(response.content)))
        self.assertEqual(pixels.shape, (54, 96, 3))
        self.assertEqual(tuple(pixels[0, 0]), (255, 255, 255))
        self.assertLess(pixels.min(), 250)
        self.assertIn("dur=", response["Server-Timing"])

    def test_backdrop_decides_and_grounds_do_not(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        document["backdrop"] = {"kind": "colour", "colour": "#ff0000"}
        pixels = np.asarray(Image.open(BytesIO(self._ask(document=document, ground={"kind": "white"}).content)))
        self.assertEqual(tuple(pixels[0, 0]), (255, 0, 0))

    def test_what_is_wrong_comes_with_its_field(self) -> None:
        def field_of(**element: object) -> str:
            document = self.shot.current_document().model_dump(mode="json")
            document["elements"][0].update(element)
            return str(self._ask(422, document=document).json()["problems"][0]["field"])

        self.assertEqual(field_of(word=" "), "elements.0.word")
        self.assertEqual(field_of(word="ღ"), "elements.0.font")
        self.assertEqual(field_of(font="asset:" + "0" * 64), "elements.0.font")
        self.assertEqual(field_of(depth=-3), "elements.0.depth")
        self.assertEqual(field_of(kind="cloud"), "elements.0.kind")
        self._ask(422, width=100_000, height=100_000)
        self._ask(422, quality="best")

    def test_nan_in_a_request_is_refused(self) -> None:
        text = json.dumps(
            {"document": {"version": 1, "camera": {"angle": float("nan")}}, "frame": 1, "width": 96, "height": 54}
        )
        response = self.client.generic(
            "POST", f"/api/shots/{self.shot.id}/picture", text, content_type="application/json"
        )
        self.assertEqual(response.status_code, 400)
        self.assertIn("NaN is no number", response.json()["detail"])

    def test_posters_are_pictures(self) -> None:
        response = self.client.get(f"/api/shots/{self.shot.id}/poster/{self.shot.current_id}")
        self.assertEqual(Image.open(BytesIO(response.content)).size, (320, 180))


class Examination(StudioCase):
    def _examine(self, **changes: object) -> dict:  # type: ignore[type-arg]
        document = {**self.shot.current_document().model_dump(mode="json"), **changes}
        return self.post(f"/api/shots/{self.shot.id}/examine", {"document": document})  # type: ignore[no-any-return]

    def test_names_length_and_motion(self) -> None:
        found = self._examine()
        self.assertEqual(found["length"], {"frames": 6, "seconds": 0.2, "timecode": "00:00:00:06"})
        self.assertEqual(found["plan"]["total"], 18)
        self.assertEqual(found["plan"]["outputs"][0]["names"][5], "KM010_sign_beauty_v001.0006.png")
        self.assertEqual(found["motion"][0]["degrees"], [0, 60, 120, 180, 240, 300])

    def test_the_project_s_raster_is_compared(self) -> None:
        self.project.defaults = {"raster": {"width": 1920, "height": 1080}}
        self.project.save()
        codes = [one["code"] for one in self._examine()["findings"]]
        self.assertIn("raster-small", codes)

    def test_the_camera_is_moved_to_frame_elements(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        place = f"/api/shots/{self.shot.id}/framing"
        camera = self.post(place, {"document": document, "frame": 1})
        codes = {one["code"] for one in self._examine(camera=camera)["findings"]}
        self.assertNotIn("nothing-in-view", codes)
        same = self.post(place, {"document": document, "frame": 1, "elements": [document["elements"][0]["id"]]})
        self.assertEqual(camera, same)
        answer = self.post(place, {"document": {**document, "elements": []}, "frame": 1}, expect=422)
        self.assertIn("nothing in the picture to frame", answer["detail"])

    def test_parts_of_the_picture_are_shown_and_unknown_ones_refused(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        asked = {"document": document, "frame": 1, "width": 64, "height": 36, "kind": "png", "what": "normal"}
        response = self.client.post(f"/api/shots/{self.shot.id}/picture", asked, content_type="application/json")
        self.assertEqual(Image.open(BytesIO(response.content)).size, (64, 36))
        answer = self.post(f"/api/shots/{self.shot.id}/picture", {**asked, "what": "glamour"}, expect=422)
        self.assertIn("there are beauty, matte", answer["detail"])

    def test_a_moving_hand_sees_what_moves_without_blur(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        document["elements"][0]["turn"] = {"turns": 1, "axis": "z"}
        blurred = {**document, "motion": {"angle": 360}}
        place = f"/api/shots/{self.shot.id}/picture"

        def seen(**more: Any) -> bytes:
            asked = {"document": blurred, "frame": 2, "width": 96, "height": 54, "kind": "png", **more}
            return self.client.post(place, asked, content_type="application/json").content

        sharp = seen(document={**document, "motion": {"angle": 0}})
        self.assertEqual(seen(blurred=False), sharp)
        self.assertNotEqual(seen(), sharp)

    def test_a_moving_hand_sees_no_shadows_where_it_does_not_wait_for_them(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        place = f"/api/shots/{self.shot.id}/picture"
        document["elements"].append({"id": "floor", "kind": "floor", "placement": {"position": [0, -120, 0]}})
        lit = {**document, "rays": {**document["rays"], "occlusion": 1, "bounces": 1}}
        lights = [{**one, "shadows": False} if "shadows" in one else one for one in document["lights"]]
        unlit = {**document, "rays": {**document["rays"], "occlusion": 0, "bounces": 0}, "lights": lights}

        def seen(shown: Any, **more: Any) -> bytes:
            asked = {"document": shown, "frame": 1, "width": 96, "height": 54, "kind": "png", **more}
            answer = self.client.post(place, asked, content_type="application/json")
            self.assertEqual(answer.status_code, 200, answer.content[:300])
            return answer.content

        for layer in ("", "*"):
            with self.subTest(layer):
                plain = seen(unlit, layer=layer)
                self.assertEqual(seen(lit, layer=layer, rays=False), plain)
                self.assertNotEqual(seen(lit, layer=layer), plain)

    def test_how_light_is_spread(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        place = f"/api/shots/{self.shot.id}/histogram"
        found = self.post(place, {"document": document, "frame": 1})
        for channel in ("red", "green", "blue"):
            self.assertAlmostEqual(sum(found[channel]), 1, places=3)
        self.assertEqual((found["burnt"], found["black"]), (0, 0))
        self.assertGreater(found["solid"], 0.03)
        # A backdrop is not what the light falls on.
        behind = {**document, "backdrop": {"kind": "colour", "colour": "#ffffff"}}
        self.assertEqual(self.post(place, {"document": behind, "frame": 1}), found)
        bright = {**document, "environment": {**document["environment"], "strength": 90}}
        self.assertGreater(self.post(place, {"document": bright, "frame": 1})["burnt"], 0.9)
        empty = self.post(place, {"document": {**document, "elements": []}, "frame": 1})
        self.assertEqual((empty["solid"], sum(empty["red"])), (0, 0))
        self.post(place, {"document": {**document, "raster": 3}, "frame": 1}, expect=422)

    def test_a_palette_is_found_in_the_picture(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        place = f"/api/shots/{self.shot.id}/palette"
        found = self.post(place, {"document": document, "frame": 1, "count": 5})
        self.assertTrue(2 <= len(found) <= 5)
        # What is found can be used, and finding again looks through it.
        pixels = {"on": True, "enlarge": 1, "palette": found}
        used = {**document, "pixels": pixels, "raster": {"width": 96, "height": 54}}
        self.assertGreaterEqual(len(self.post(place, {"document": used, "frame": 1, "count": 12})), 6)
        self.post(place, {"document": document, "frame": 1, "count": 1}, expect=422)
        self.post(place, {"document": document, "frame": 1, "count": 65}, expect=422)

    def test_the_pixel_look_is_shown_in_whole_pixels(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        document |= {"raster": {"width": 96, "height": 64}, "pixels": {"on": True, "enlarge": 4}}
        asked = {"document": document, "frame": 1, "width": 80, "height": 53, "kind": "png", "quality": "rough"}
        response = self.client.post(f"/api/shots/{self.shot.id}/picture", asked, content_type="application/json")
        # 24 x 16 pixels, three times as large.
        shown = np.asarray(Image.open(BytesIO(response.content)))
        self.assertEqual(shown.shape[:2], (48, 72))

    def test_naming_errors_leave_the_rest_standing(self) -> None:
        found = self._examine(naming="{shot}.{ext}")
        self.assertIn("{frame:04}", found["naming_error"])
        self.assertIsNone(found["plan"])
        self.assertEqual(found["frame_count"], 6)

    def test_an_estimate_counts_the_cells_of_every_layer_and_does_not_look_through_long_runs(self) -> None:
        side = NamedCamera(name="Side", camera=Camera(position=(1000, 0, 0)))
        layers = (Layer(name="front", passes=("beauty",)), Layer(name="side", camera="Side", passes=("beauty",)))
        naming = "{shot}_{layer}_{pass}_v{version:03}.{frame:06}.{ext}"
        document = small_shot(cameras=(side,), layers=layers, timing=Timing(last=6), naming=naming).model_dump(
            mode="json"
        )
        path = f"/api/shots/{self.shot.id}"
        found = self.post(f"{path}/estimate", {"document": document, "quality": "rough"})
        self.assertEqual((found["cells"], found["reused"]), (12, 0))
        # The frame that was measured is kept.
        found = self.post(f"{path}/estimate", {"document": document, "quality": "rough"})
        self.assertEqual((found["cells"], found["reused"]), (12, 2))
        document["timing"]["last"] = 100_000
        with mock.patch("shots.examine.cell_is_there", wraps=cell_is_there) as looked:
            found = self.post(f"{path}/estimate", {"document": document, "quality": "rough"})
        self.assertLess(looked.call_count, 2 * MAX_LOOKED + 2)
        self.assertEqual(found["cells"], 200_000)
        self.assertGreater(found["bytes"], 0)

    def test_typed_lengths(self) -> None:
        self.assertEqual(self.post("/api/length", {"text": "4 s", "rate": "30"})["frames"], 120)
        answer = self.post("/api/length", {"text": "1.5 in", "rate": "30"}, expect=422)
        self.assertIn("does not measure time", answer["detail"])

    def test_estimates_come_from_a_rendered_frame(self) -> None:
        body = {"document": self.shot.current_document().model_dump(mode="json"), "quality": "rough"}
        cost = self.post(f"/api/shots/{self.shot.id}/estimate", body)
        self.assertEqual((cost["cells"], cost["files"]), (6, 18))
        self.assertGreater(cost["file_bytes"], 1000)
        single = self.post(f"/api/shots/{self.shot.id}/estimate", {**body, "frame_set": "4"})
        self.assertEqual((single["cells"], single["reused"]), (1, 1))
