"""Hand-offs in several forms at once: each whole by itself, stopped and gone on with, tried, compared, made to fit, at other rates."""

import base64
import hashlib
import io
import json
import re
import time
import zipfile
from typing import Any
from unittest import mock

import numpy as np
import OpenImageIO as oiio
import opentimelineio as otio
from PIL import Image

from handoffs.models import HandOff
from handoffs.selectors import package_path, version_folder
from handoffs.testing import Layered
from runs.management.commands.worker import work_next
from runs.models import Run
from workers.active import ActiveWorker
from workers.presence import new_name
from zeitbild.errors import InputError
from zeitbild.farm import FramePool, mark, write_files
from zeitbild.handoff.verification import verify
from zeitbild_server.testing import threads, wait_until


class SeveralForms(Layered):
    """One hand-off for several receivers."""

    FORMS: list[dict[str, Any]] = [
        {"recipe": "exr-layer", "passes": ["beauty", "matte"]},
        {"recipe": "gif", "passes": ["beauty"], "options": {"width": "80", "ground": "#204060"}},
        {"recipe": "webm", "passes": ["beauty"]},
        {"recipe": "sprites", "passes": ["beauty"], "options": {"under": "bled"}},
        {"recipe": "gif", "passes": ["beauty"], "options": {"rate": "50"}},
    ]

    def handed(self) -> HandOff:
        made = self.post(f"/api/runs/{self.rendered().id}/handoffs", {"forms": self.FORMS})
        self.work()
        handoff = HandOff.objects.get(id=made["id"])
        self.assertEqual(handoff.state, HandOff.State.DONE, handoff.error)
        return handoff

    def test_one_that_waits_is_stopped_at_once_and_goes_on_later(self) -> None:
        made = self.post(f"/api/runs/{self.rendered().id}/handoffs", {"forms": self.FORMS[:1]})
        self.assertEqual((made["share"], made["left"], made["stopping"]), (0, None, False))
        address = f"/api/handoffs/{made['id']}"
        self.assertEqual(self.post(f"{address}/stop")["state"], "stopped")
        self.work()
        self.assertEqual(HandOff.objects.get().state, "stopped", "the worker took it")
        self.assertIn("stopped", self.post(f"{address}/stop")["state"])
        self.assertEqual(self.post(f"{address}/continue")["state"], "waiting")
        self.work()
        (found,) = self.get(f"/api/shots/{self.shot.id}/handoffs")
        self.assertEqual((found["state"], found["share"], found["left"]), ("done", 1, None))
        self.assertIn("only a stopped one", json.dumps(self.post(f"{address}/continue", expect=422)))

    def test_one_of_a_run_under_way_waits_for_it(self) -> None:
        run = self.start()
        made = self.post(f"/api/runs/{run.id}/handoffs", {"forms": self.FORMS[:1]})
        self.assertEqual((made["state"], made["run_state"]), ("waiting", "waiting"))
        self.post(f"/api/runs/{run.id}/stop")
        self.work()
        (found,) = self.get(f"/api/shots/{self.shot.id}/handoffs")
        self.assertEqual((found["state"], found["run_state"]), ("waiting", "stopped"))
        refused = self.post(f"/api/runs/{run.id}/handoffs", {"forms": self.FORMS[:1]}, expect=422)
        self.assertIn("finish the run", json.dumps(refused))
        self.post(f"/api/runs/{run.id}/continue")
        self.work()
        (found,) = self.get(f"/api/shots/{self.shot.id}/handoffs")
        self.assertEqual((found["state"], found["run_state"], found["share"]), ("done", "done", 1), found["error"])

    def test_one_that_is_written_stops_after_files_under_way_and_in_the_middle_of_a_movie(self) -> None:
        made = self.post(
            f"/api/runs/{self.rendered().id}/handoffs",
            {"forms": [{"recipe": "png8", "passes": ["beauty"]}, {"recipe": "webm", "passes": ["beauty"]}]},
        )
        address = f"/api/handoffs/{made['id']}"
        seen: list[dict[str, Any]] = []

        def stopping(own: Any, at: int) -> Any:
            """The same, but for a person who stops it when it was called so often."""
            calls = []

            def call(*arguments: Any) -> Any:
                calls.append(1)
                if len(calls) == at:
                    seen.append(self.post(f"{address}/stop"))
                    wait_until(lambda: self.worker.unwanted, 20)
                return own(*arguments)

            return call

        def work() -> HandOff:
            with FramePool(1, threads) as frames, ActiveWorker(new_name(), frames) as self.worker:
                while work_next(self.worker):
                    pass
            return HandOff.objects.get(id=made["id"])

        with mock.patch("handoffs.actions.work_handoff.write_files", stopping(write_files, 2)):
            handoff = work()
        self.assertEqual((seen[-1]["state"], seen[-1]["stopping"]), ("writing", True))
        self.assertEqual((handoff.state, handoff.stop_asked, handoff.error), ("stopped", False, ""))
        self.assertGreater(handoff.share, 0)
        self.assertLess(handoff.share, 0.6)
        self.assertEqual(handoff.parts[1].count, 0)
        self.post(f"{address}/continue")
        told = mark.Mark.tell
        slow = stopping(told, 3)

        def tell(*arguments: Any) -> None:
            # Marks are taken away when the worker looks the next time; until then the movie goes on.
            slow(*arguments)
            time.sleep(0.3)

        with mock.patch("zeitbild.farm.mark._PAUSE", 0.0), mock.patch.object(mark.Mark, "tell", tell):
            handoff = work()
        self.assertEqual(handoff.state, "stopped")
        self.assertEqual([one.count for one in handoff.parts], [5, 0])
        self.assertEqual(list(version_folder(handoff).rglob("*.webm")), [])
        self.post(f"{address}/continue")
        handoff = work()
        self.assertEqual(handoff.state, "done", handoff.error)
        names = [one.path for one in verify(package_path(handoff))]
        self.assertEqual(sum(name.endswith((".png", ".webm")) for name in names), 5 + 2)

    def test_each_has_a_folder_that_is_whole_by_itself(self) -> None:
        handoff = self.handed()
        folders = ["exr-layer", "gif", "webm", "sprites", "gif-2"]
        self.assertEqual([one.folder for one in handoff.parts], folders)
        with zipfile.ZipFile(package_path(handoff)) as package:
            self.assertIsNone(package.testzip())
            names = package.namelist()
            whole = json.loads(package.read("manifest.json"))
            self.assertEqual([one["folder"] for one in whole["forms"]], folders)
            for folder, form in zip(folders, self.FORMS, strict=True):
                manifest = json.loads(package.read(f"{folder}/manifest.json"))
                self.assertEqual(manifest["recipe"], form["recipe"])
                for file in manifest["files"]:
                    data = package.read(f"{folder}/{file['path']}")
                    self.assertEqual(hashlib.sha256(data).hexdigest(), file["sha256"])
                self.assertIn("Every file was read back", package.read(f"{folder}/README.txt").decode())
            small = json.loads(package.read("gif/manifest.json"))
            # The shot is 160 x 90.
            self.assertEqual((small["raster"]["width"], small["raster"]["height"]), (80, 45))
            self.assertEqual(small["conformed"]["ground"], "#204060")
            self.assertEqual(small["passes"][0]["alpha"], "none")
            fast = json.loads(package.read("gif-2/manifest.json"))
            self.assertEqual(fast["rate"], {"frames": 50, "seconds": 1})
            self.assertEqual(fast["conformed"]["from"]["rate"], "30")
            self.assertEqual(sum(name.startswith("sprites/") and name.endswith(".json") for name in names), 3)
            play = package.read("play.html").decode()
            self.assertEqual(play.count("<source "), 2)
            self.assertEqual(play.count("<img "), 4)
            for path in re.findall(r'src="([^"]+)"', play):
                self.assertIn(path, names)
            page = package.read("README.html").decode()
            self.assertIn("over white", page)
            self.assertNotIn("http", page)
            package.extractall(self.data / "unpacked")
        for place in (package_path(handoff), self.data / "unpacked"):
            found = list(verify(place))
            self.assertEqual([one for one in found if one.wrong], [])
            self.assertEqual(len(found), len(names) - 1)
        # What is changed, cut off, gone or of another length is found.
        unpacked = self.data / "unpacked"
        next(unpacked.glob("exr-layer/*/*.exr")).write_bytes(b"short")
        next(unpacked.glob("webm/*/*.webm")).unlink()
        gif = next(unpacked.glob("gif/*/*.gif"))
        gif.write_bytes(gif.read_bytes()[:-5] + b";")
        wrong = {one.path.partition("/")[0] for one in verify(unpacked) if one.wrong}
        self.assertEqual(wrong, {"exr-layer", "webm", "gif"})
        # A ZIP with a byte turned over in the middle; manifests and folders of something else.
        data = bytearray(package_path(handoff).read_bytes())
        with zipfile.ZipFile(package_path(handoff)) as package:
            largest = max(package.infolist(), key=lambda one: one.file_size)
        data[largest.header_offset + 100 + largest.file_size // 2] ^= 0xFF
        broken = self.data / "broken.zip"
        broken.write_bytes(data)
        self.assertEqual(len([one for one in verify(broken) if one.wrong]), 1)
        for text in ("{", "[]", '{"files": [{"path": "x"}]}', '{"files": 3}'):
            (unpacked / "gif" / "manifest.json").write_text(text)
            try:
                self.assertTrue(any(one.wrong for one in verify(unpacked)))
            except InputError as error:
                self.assertIn("manifest.json", str(error))
        for place in (self.data, self.data / "no.zip"):
            with self.assertRaises(InputError):
                list(verify(place))

    def test_the_timeline_places_every_sequence(self) -> None:
        handoff = self.handed()
        with zipfile.ZipFile(package_path(handoff)) as package:
            text = package.read("timeline.otio").decode()
            names = package.namelist()
        timeline = otio.adapters.read_from_string(text, "otio_json")
        clips = list(timeline.find_clips())
        # Two layers in four forms; a sheet of sprites is nothing that plays.
        self.assertEqual(len(clips), 8)
        for clip in clips:
            media = clip.media_reference
            if isinstance(media, otio.schema.ImageSequenceReference):
                count = media.number_of_images_in_sequence()
                urls = [media.target_url_for_image_number(number) for number in range(count)]
                self.assertTrue(set(urls) <= set(names), urls)
                self.assertEqual(clip.source_range.start_time.value, 1)
            else:
                self.assertIn(media.target_url, names)
                self.assertEqual(clip.source_range.start_time.value, 0)
            self.assertIn(clip.source_range.duration.to_seconds(), (0.1, 2 / 30, 0.06, 0.1))

    def test_a_form_that_fails_is_named_and_those_that_stand_are_kept(self) -> None:
        run = self.rendered()
        forms = [{"recipe": "png16", "passes": ["beauty"]}, {"recipe": "png-palette", "passes": ["beauty"]}]
        made = self.post(f"/api/runs/{run.id}/handoffs", {"forms": forms})
        self.work()
        handoff = HandOff.objects.get(id=made["id"])
        self.assertEqual(handoff.state, HandOff.State.FAILED)
        self.assertIn("png-palette, frame", handoff.error)
        self.assertIn("a palette holds 256", handoff.error)
        self.assertFalse(package_path(handoff).exists())

    def test_two_versions_are_compared(self) -> None:
        run = self.rendered()
        forms = [{"recipe": "png8", "passes": ["beauty"]}, {"recipe": "webp-moving", "passes": ["beauty"]}]
        first = self.post(f"/api/runs/{run.id}/handoffs", {"forms": forms})
        self.work()
        same = self.post(f"/api/runs/{run.id}/handoffs", {"forms": forms[:1]})
        self.work()
        found = self.get(f"/api/handoffs/{same['id']}/beside/{first['id']}")
        self.assertEqual(
            [(one["state"], one["same"], one["gone"]) for one in found["forms"]], [("same", 5, 0), ("gone", 0, 2)]
        )
        self.assertEqual(
            [(one["layer"], one["same"], one["others"]) for one in found["layers"]],
            [("word", "1-3", ""), ("ball", "1-2", "")],
        )
        self.assertEqual(found["values"], [])
        # Another word, one frame more, another quality of one form.
        document = self.fresh().current_document().model_dump(mode="json")
        document["elements"][0]["word"] = "Cd"
        document["timing"]["last"] = 4
        body = {"base": self.fresh().current_id, "document": document}
        self.post(f"/api/shots/{self.shot.id}/document", body, "put")
        other = self.rendered()
        forms[1]["options"] = {"keeps": "most", "quality": "40"}
        forms.append({"recipe": "gif", "passes": ["beauty"]})
        last = self.post(f"/api/runs/{other.id}/handoffs", {"forms": forms})
        self.work()
        found = self.get(f"/api/handoffs/{last['id']}/beside/{first['id']}")
        png, webp, gif = found["forms"]
        self.assertEqual((png["state"], png["others"], png["new"]), ("changed", 5, 1))
        self.assertEqual(
            (webp["state"], webp["options"]), ("changed", [["Keeps", "all", "most"], ["Quality", "85", "40"]])
        )
        self.assertEqual((gif["state"], gif["new"]), ("new", 2))
        self.assertEqual([(one["others"], one["new"]) for one in found["layers"]], [("1-3", "4"), ("1-2", "")])
        told = {one["path"]: (one["before"], one["after"]) for one in found["values"]}
        self.assertEqual(told["elements.word.word"], ("Ab", "Cd"))
        self.assertEqual(told["timing.last"], ("3", "4"))
        self.assertEqual(len(told), 2)
        self.get(f"/api/handoffs/{last['id']}/beside/{last['id'] + 50}", expect=404)

    def test_a_form_is_made_to_fit_by_quality_size_or_rate(self) -> None:
        run = self.rendered()
        address = f"/api/runs/{run.id}/aim"

        def aimed(recipe: str, by: str, megabytes: float, **options: str) -> dict[str, Any]:
            form = {"recipe": recipe, "options": options, "passes": ["beauty"]}
            found: dict[str, Any] = self.post(address, {"form": form, "by": by, "megabytes": megabytes})
            return found

        def written(recipe: str, options: dict[str, str]) -> int:
            forms = [{"recipe": recipe, "options": options, "passes": ["beauty"]}]
            (trial,) = self.post(f"/api/runs/{run.id}/trial", {"forms": forms})
            return int(trial["bytes"])

        for recipe, by in (
            ("webp-moving", "quality"),
            ("webm", "quality"),
            ("h264", "width"),
            ("gif", "rate"),
            ("png8", "width"),
        ):
            with self.subTest(recipe=recipe, by=by):
                whole = aimed(recipe, by, 1000)
                self.assertTrue(whole["fits"])
                most = whole["bytes"] * 0.8
                found = aimed(recipe, by, most / 1e6)
                if found["fits"]:
                    self.assertLess(found["bytes"], most)
                    # What is promised is what comes (to the byte, but for one run of a hundred: docs/open-points.md).
                    self.assertAlmostEqual(written(recipe, found["options"]) / found["bytes"], 1, delta=0.005)
                self.assertLess(found["tries"], 6)
                least = aimed(recipe, by, 1e-6)
                self.assertFalse(least["fits"])
                self.assertLess(least["bytes"], whole["bytes"])
        for form, by, field in (
            ("apng", "quality", "by"),
            ("contact", "rate", "by"),
            ("png8", "colour", "by"),
            ("nothing", "width", ""),
        ):
            body = {"form": {"recipe": form, "options": {}, "passes": []}, "by": by, "megabytes": 1}
            answer = self.post(address, body, expect=422)
            self.assertEqual(answer["problems"][0]["field"].split(".")[-1], field, answer)

    def test_forms_are_tried_before_they_are_written(self) -> None:
        run = self.rendered()
        forms = [
            {"recipe": "png8", "passes": ["beauty"]},
            {"recipe": "webm", "passes": ["beauty"]},
            {"recipe": "png-palette", "passes": ["beauty"]},
            {"recipe": "h264", "passes": ["beauty"], "options": {"width": "33"}},
        ]
        with self.settings(JOB_PATIENCE=60):
            found = self.post(f"/api/runs/{run.id}/trial", {"forms": forms})
        self.assertEqual(HandOff.objects.count(), 0)
        png, webm, palette, odd = found
        made = self.post(f"/api/runs/{run.id}/handoffs", {"forms": forms[:2]})
        self.work()
        sizes = [one.bytes for one in HandOff.objects.get(id=made["id"]).parts]
        # All frames of three were tried: what was told is what it is.
        self.assertEqual([png["bytes"], webm["bytes"]], sizes)
        self.assertEqual((png["unit"], png["mean"], webm["unit"]), ("code values", None, "of 255"))
        self.assertLess(webm["mean"], 8)
        # Where it loses most is shown, three pixels for each: as rendered, and as the file has it.
        self.assertEqual(png["closeup"], "")
        head, _, data = webm["closeup"].partition(",")
        self.assertEqual(head, "data:image/png;base64")
        with Image.open(io.BytesIO(base64.b64decode(data))) as picture:
            both = np.asarray(picture.convert("RGB")).astype(int)
        self.assertEqual(both.shape, (144, 288, 3))
        off = np.abs(both[:, :144] - both[:, 144:])
        self.assertTrue(off.max() > 0 and off.mean() < 20)
        self.assertIn("a palette holds 256", palette["error"])
        self.assertIn("even", odd["error"])

    def test_what_browsers_show_can_be_looked_at_and_nothing_else(self) -> None:
        handoff = self.handed()
        for form, kind in ((1, "image/gif"), (2, "video/webm"), (3, "image/png")):
            answer = self.client.get(f"/api/handoffs/{handoff.id}/forms/{form}/shown/0")
            self.assertEqual((answer.status_code, answer["Content-Type"]), (200, kind))
            self.assertTrue(answer["Content-Disposition"].startswith("inline"))
        for place in ("0/shown/0", "1/shown/9", "9/shown/0", "1/shown/-1"):
            self.assertEqual(self.client.get(f"/api/handoffs/{handoff.id}/forms/{place}").status_code, 404, place)

    def test_a_still_or_some_frames_of_the_run(self) -> None:
        run = self.rendered()
        address = f"/api/runs/{run.id}/handoffs"
        forms = [{"recipe": "tiff16", "passes": ["beauty"]}, {"recipe": "gif", "passes": ["beauty"]}]
        for wrong, said in (("9", "frames 9 are not in this run, which has 1-3"), ("two", "frame")):
            answer = self.post(address, {"forms": forms, "frame_set": wrong}, expect=422)
            self.assertIn(said, answer["detail"])
            self.assertEqual(answer["problems"][0]["field"], "frame_set")
        # The second layer has no third frame: it is left out, as it is in the run.
        for frames, files in (("2", 4), ("3", 2), ("1,3", 5)):
            made = self.post(address, {"forms": forms, "frame_set": frames})
            self.work()
            handoff = HandOff.objects.get(id=made["id"])
            self.assertEqual((handoff.state, handoff.files), (HandOff.State.DONE, files), handoff.error)
            with zipfile.ZipFile(package_path(handoff)) as package:
                manifest = json.loads(package.read("tiff16/manifest.json"))
                self.assertEqual(manifest["frames"]["set"], frames)
            self.assertEqual([one for one in verify(package_path(handoff)) if one.wrong], [])

    def written(self, run: Run, recipe: str, **options: str) -> dict[str, Any]:
        """The manifest of a hand-off of beauty in a form."""
        made = self.hand_off(run, recipe, options=options, passes=["beauty"])
        self.work()
        return self.manifest(made)

    def test_stills_at_another_rate_are_numbered_anew_and_show_what_is_seen_then(self) -> None:
        run = self.rendered()
        own = self.written(run, "png8")
        as_rendered = {(file["holds"][0]["layer"], file["frame"]): file["sha256"] for file in own["files"]}
        # Half of 30 a second: the ball has no third frame, so it has one file.
        for rate, shown in (("15", {1: 1, 2: 3}), ("60", {1: 1, 2: 1, 3: 2, 4: 2, 5: 3, 6: 3})):
            manifest = self.written(run, "png8", rate=rate)
            found = {(file["holds"][0]["layer"], file["frame"]): file for file in manifest["files"]}
            wanted = {
                (layer, number): frame
                for layer, frames in (("word", {1, 2, 3}), ("ball", {1, 2}))
                for number, frame in shown.items()
                if frame in frames
            }
            self.assertEqual({place: file["shows"] for place, file in found.items()}, wanted)
            for (layer, number), file in found.items():
                self.assertEqual(file["sha256"], as_rendered[layer, file["shows"]])
                self.assertIn(f"{number:04}.png", file["path"])
            last = max(shown)
            self.assertEqual(manifest["frames"]["numbers"], {"set": f"1-{last}", "count": last})
            (form,) = self.get(f"/api/shots/{self.shot.id}/handoffs")[0]["forms"]
            self.assertEqual(form["dropped"], [2] if rate == "15" else [])
            self.assertEqual((manifest["frames"]["set"], manifest["rate"]["frames"]), ("1-3", int(rate)))
            place = package_path(HandOff.objects.latest("id"))
            self.assertEqual([one for one in verify(place) if one.wrong], [])
            with zipfile.ZipFile(place) as package:
                note = package.read("README.txt").decode()
                timeline = otio.adapters.read_from_string(package.read("timeline.otio").decode(), "otio_json")
            self.assertIn(f"Frames 1-{last} ({last}), {rate} frames a second", note)
            self.assertIn("numbered anew", note)
            for clip in timeline.find_clips():
                count = sum(layer == clip.name.partition(".")[0] for layer, _ in wanted)
                self.assertEqual(clip.source_range.duration, otio.opentime.RationalTime(count, int(rate)))
        # The rate of the shot changes nothing.
        same = self.written(run, "png8", rate="30")
        self.assertEqual([one["sha256"] for one in same["files"]], [one["sha256"] for one in own["files"]])
        self.assertNotIn("numbers", same["frames"])

    def test_stills_with_a_clock_tell_the_time_at_which_they_are_shown(self) -> None:
        run = self.rendered()
        self.written(run, "exr-layer", rate="15")
        with zipfile.ZipFile(package_path(HandOff.objects.latest("id"))) as package:
            package.extractall(self.data / "at-15")
        for number in (1, 2):
            (path,) = (self.data / "at-15").rglob(f"*word*{number:04}.exr")
            spec = oiio.ImageInput.open(str(path)).spec()
            # SMPTE ST 12-1 (from memory): frames stand in the lowest bits, as a decimal digit.
            self.assertEqual(spec.getattribute("smpte:TimeCode"), (number, 0))
            self.assertEqual(float(spec.getattribute("FramesPerSecond")[0]), 15)

    def test_a_rate_that_leaves_nothing_is_told_before(self) -> None:
        run = self.rendered()
        forms = [{"recipe": "png8", "options": {"rate": "8"}, "passes": ["beauty"]}]
        self.post(f"/api/runs/{run.id}/handoffs", {"forms": forms, "layers": ["ball"], "frame_set": "2"})
        self.work()
        handoff = HandOff.objects.get()
        self.assertEqual((handoff.state, handoff.files), ("done", 1))
        # All that is tried of it is what is written.
        for rate in ("8", "15", "60"):
            forms = [{"recipe": "png8", "options": {"rate": rate}, "passes": ["beauty"]}]
            with self.settings(JOB_PATIENCE=60):
                (trial,) = self.post(f"/api/runs/{run.id}/trial", {"forms": forms})
            made = self.post(f"/api/runs/{run.id}/handoffs", {"forms": forms})
            self.work()
            self.assertEqual(HandOff.objects.get(id=made["id"]).parts[0].bytes, trial["bytes"], rate)

    def test_forms_are_kept_in_the_project(self) -> None:
        address = f"/api/projects/{self.project.id}/kept"
        content = [{"recipe": "gif", "options": {"width": "300"}, "without": ["depth"]}, {"recipe": "exr"}]
        self.post(address, {"kind": "forms", "name": "For the web", "content": content})
        (kept,) = self.get(address)
        self.assertEqual([one["recipe"] for one in kept["content"]], ["gif", "exr"])
        self.assertEqual(kept["content"][0]["options"]["width"], "300")
        for wrong, said in (
            ([], "list of 1 to 12"),
            ([{"recipe": "scroll"}], "no recipe called"),
            ([{"recipe": "gif", "options": {"colours": "0"}}], "from 2 to 255"),
            ([{"recipe": "gif", "options": [1]}], "are texts"),
            ({"recipe": "gif"}, "list of 1 to 12"),
        ):
            answer = self.post(address, {"kind": "forms", "name": "Wrong", "content": wrong}, expect=422)
            self.assertIn(said, answer["detail"], wrong)
        self.assertEqual(self.client.get(f"{address}/{kept['id']}/poster").status_code, 404)
