"""Runs: rendered, reused, stopped, gone on with, failed and tried again, taken over from a dead worker."""

import io
import json
import os
import signal
import subprocess
import sys
import time
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import mock

from django.db import connection
from django.utils import timezone
from PIL import Image

from handoffs.models import HandOff
from runs.actions.work_run import claim_run, work_run
from runs.models import Cell, Run
from workers.active import ActiveWorker
from zeitbild.document.shot import Camera, Layer, NamedCamera, Raster, Timing
from zeitbild.document.shot import Shot as ShotDocument
from zeitbild.errors import StorageError
from zeitbild.farm import FramePool
from zeitbild.storage import lives
from zeitbild.testing import small_shot
from zeitbild_server.testing import ServedCase, StudioCase, children_of, threads, wait_until

MANAGE = Path(__file__).parents[1] / "manage.py"


class Runs(StudioCase):
    def _start(self, **more: Any) -> dict[str, Any]:
        body = {"base": self.fresh().current_id, **more}
        started: dict[str, Any] = self.post(f"/api/shots/{self.shot.id}/runs", body)
        return started

    def _stale(self, run: dict[str, Any]) -> str:
        while True:
            found = self.get(f"/api/runs/{run['id']}/stale")
            if found["complete"]:
                return str(found["frames"])

    def _run(self, run: dict[str, Any]) -> dict[str, Any]:
        found: dict[str, Any] = self.get(f"/api/runs/{run['id']}")
        return found

    def test_a_run_renders_all_cells(self) -> None:
        run = self._start()
        self.assertEqual((run["state"], run["progress"]["waiting"]), ("waiting", 6))
        self.work()
        done = self._run(run)
        self.assertEqual((done["state"], done["progress"]["done"]), ("done", 6))
        self.assertEqual(self._stale(done), "")
        self.assertEqual((done["layers"], done["states"]), (["sign"], {"sign": {"done": "1-6"}}))
        self.assertGreater(done["progress"]["bytes"], 0)

    def test_a_second_run_of_an_unchanged_shot_renders_nothing(self) -> None:
        self._start()
        self.work()
        with mock.patch("zeitbild.farm.cell.render_together", side_effect=AssertionError("rendered again")):
            again = self._start()
            self.work()
        self.assertEqual(self._run(again)["progress"]["reused"], 6)

    def test_only_what_changed_is_rendered(self) -> None:
        first = self._start()
        self.work()
        document = self.shot.current_document().model_dump(mode="json")
        document["timing"]["last"] = 12
        self.post(f"/api/shots/{self.shot.id}/document", {"base": self.shot.current_id, "document": document}, "put")
        # Twelve frames of one turn hold every second angle of the six before.
        self.assertEqual(self._stale(first), "2-6")
        second = self._start()
        self.work()
        progress = self._run(second)["progress"]
        self.assertEqual((progress["reused"], progress["done"]), (6, 6))

    def test_one_frame_or_a_set(self) -> None:
        self.assertEqual(self._start(frame_set="3")["progress"]["total"], 1)
        self.assertEqual(self._start(frame_set="1-6x2")["progress"]["total"], 3)
        body = {"base": self.shot.current_id, "frame_set": "1-"}
        self.post(f"/api/shots/{self.shot.id}/runs", body, expect=422)

    def test_a_shot_that_changed_meanwhile_is_not_run_unseen(self) -> None:
        self.post(f"/api/shots/{self.shot.id}/runs", {"base": (self.shot.current_id or 0) + 99}, expect=422)

    def test_stop_and_go_on(self) -> None:
        run = self._start()
        row = claim_run("w")
        assert row is not None
        self.post(f"/api/runs/{run['id']}/stop")
        self.assertTrue(self._run(run)["stopping"])
        with FramePool(1, threads) as pool, ActiveWorker("w", pool) as worker:
            worker.hold(row)
            wait_until(lambda: worker.unwanted)
            work_run(row, worker)
        stopped = self._run(run)
        self.assertEqual(stopped["state"], "stopped")
        self.assertLess(stopped["progress"]["done"], 6)
        self.post(f"/api/runs/{run['id']}/retry", expect=422)
        self.post(f"/api/runs/{run['id']}/continue")
        self.work()
        self.assertEqual(self._run(run)["state"], "done")
        self.post(f"/api/runs/{run['id']}/continue", expect=422)

    def test_failed_frames_say_why_and_can_be_tried_again(self) -> None:
        run = self._start()
        real = Path.mkdir
        with mock.patch("zeitbild.masters.store.MasterStore.save", side_effect=StorageError("No space left on device")):
            self.work()
        failed = self._run(run)
        self.assertEqual((failed["state"], failed["progress"]["failed"]), ("failed", 6))
        self.assertIn("No space left", failed["failed"][0]["error"])
        self.post(f"/api/runs/{run['id']}/handoffs", {"forms": [{"recipe": "png8"}]}, expect=422)
        self.post(f"/api/runs/{run['id']}/retry")
        self.work()
        self.assertEqual(self._run(run)["state"], "done")
        self.assertIs(real, Path.mkdir)

    def test_a_dead_workers_run_is_taken_over(self) -> None:
        run = self._start()
        first = claim_run("dead")
        assert first is not None
        Cell.objects.create(run=first, layer="sign", frame=2, state=Cell.State.RENDERING, changed_at=timezone.now())
        self.assertIsNone(claim_run("alive"))
        Run.objects.filter(id=run["id"]).update(lease_until=timezone.now() - timedelta(seconds=1))
        self.work()
        self.assertEqual(self._run(run)["progress"]["done"], 6)

    def test_a_worker_that_lost_its_lease_stops_and_changes_nothing(self) -> None:
        self._start()
        first = claim_run("slow")
        assert first is not None
        Run.objects.filter(id=first.id).update(worker="other")
        with FramePool(1, threads) as pool, ActiveWorker("slow", pool) as worker:
            worker.hold(first)
            # Already under way when the claim is lost: what it finds out is not written.
            with mock.patch.object(ActiveWorker, "goes_on", lambda self: True):
                work_run(first, worker)
            wait_until(lambda: worker.lost)
        run = Run.objects.get(id=first.id)
        self.assertEqual((run.worker, run.state), ("other", Run.State.RUNNING))
        self.assertEqual(run.cells.count(), 0)

    def test_a_run_whose_shot_is_put_away_stops_and_goes_on_when_it_is_back(self) -> None:
        run = self._start()
        row = claim_run("w")
        assert row is not None
        self.client.delete(f"/api/shots/{self.shot.id}")
        with FramePool(1, threads) as pool, ActiveWorker("w", pool) as worker:
            worker.hold(row)
            wait_until(lambda: worker.unwanted)
            work_run(row, worker)
        self.assertEqual(Run.objects.get(id=row.id).state, Run.State.WAITING)
        self.work()
        self.assertEqual(Run.objects.get(id=row.id).state, Run.State.WAITING)
        self.post(f"/api/shots/{self.shot.id}/restore")
        self.work()
        self.assertEqual(self._run(run)["state"], "done")

    def test_layers_of_a_frame_have_keys_and_masters_of_their_own(self) -> None:
        side = NamedCamera(name="Side", camera=Camera(position=(1000, 0, 0)))
        layers = (
            Layer(name="front", passes=("beauty",)),
            Layer(name="side", camera="Side", passes=("beauty",)),
            Layer(name="again", passes=("beauty",)),
        )
        document = small_shot(cameras=(side,), layers=layers, timing=Timing(last=2)).model_dump(mode="json")
        self.post(f"/api/shots/{self.shot.id}/document", {"base": self.shot.current_id, "document": document}, "put")
        run = self._start()
        self.work()
        cells = {(cell.layer, cell.frame): cell for cell in Cell.objects.filter(run_id=run["id"])}
        for frame in (1, 2):
            keys = {layer: cells[layer, frame].key for layer in ("front", "side", "again")}
            self.assertEqual(keys["front"], keys["again"])
            self.assertNotEqual(keys["front"], keys["side"])
            # What two layers see alike is rendered once.
            self.assertEqual({cells["front", frame].state, cells["again", frame].state}, {"done", "reused"})
        # A second layer that changed is not taken for the first one's.
        document["cameras"][0]["camera"]["position"] = [900, 50, 0]
        self.post(f"/api/shots/{self.shot.id}/document", {"base": self.fresh().current_id, "document": document}, "put")
        self.assertEqual(self._stale(run), "1-2")
        again = self._start()
        self.work()
        states = Cell.objects.filter(run_id=again["id"]).order_by("layer", "frame").values_list("layer", "state")
        self.assertEqual(dict(states), {"front": "reused", "side": "done", "again": "reused"})

    def test_frames_are_shown_and_probed(self) -> None:
        run = self._start()
        self.work()
        cell = f"/api/runs/{run['id']}/cells/sign/1"
        for query in ("ground=white", "what=matte", "ground=gradient&blend=encoded", "kind=jpeg"):
            self.assertEqual(self.client.get(f"{cell}/picture?{query}").status_code, 200)
        self.assertEqual(self.client.get(f"{cell}/picture?ground=sky").status_code, 422)
        read = self.get(f"{cell}/probe?x=0&y=0")
        self.assertEqual((read["straight_8"], read["depth"]), ([0, 0, 0, 0], None))
        self.get(f"{cell}/probe?x=999&y=0", expect=422)
        self.get(f"/api/runs/{run['id']}/cells/sign/77/probe?x=0&y=0", expect=404)

    def test_overscan_is_shown_and_probed_if_wanted(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        document["raster"]["overscan"] = 7
        self.post(f"/api/shots/{self.shot.id}/document", {"base": self.fresh().current_id, "document": document}, "put")
        run = self._start()
        self.work()
        self.assertEqual(self.get(f"/api/runs/{run['id']}")["raster"], {"width": 96, "height": 54, "overscan": 7})
        cell = f"/api/runs/{run['id']}/cells/sign/1"
        for query, size in (("", (96, 54)), ("overscan=true", (110, 68))):
            shown = Image.open(io.BytesIO(self.client.get(f"{cell}/picture?{query}").content))
            self.assertEqual(shown.size, size)
        self.assertEqual(self.get(f"{cell}/probe?x=-7&y=-7")["straight_8"], [0, 0, 0, 0])
        self.get(f"{cell}/probe?x=-8&y=0", expect=422)


class HandOffs(StudioCase):
    def _rendered(self) -> int:
        run = self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id})
        self.work()
        return int(run["id"])

    def test_versions_count_up_and_earlier_ones_are_never_touched(self) -> None:
        run = self._rendered()
        first = self.post(f"/api/runs/{run}/handoffs", {"forms": [{"recipe": "png8"}]})
        self.work()
        package = self.data / "handoffs" / f"shot-{self.shot.id}" / "v001.zip"
        before = (package.read_bytes(), package.stat().st_mtime_ns)
        second = self.post(f"/api/runs/{run}/handoffs", {"forms": [{"recipe": "png16"}]})
        self.work()
        self.assertEqual((first["version"], second["version"]), (1, 2))
        self.assertEqual((package.read_bytes(), package.stat().st_mtime_ns), before)
        listed = self.get(f"/api/shots/{self.shot.id}/handoffs")
        self.assertEqual(
            [(one["version"], one["state"], one["files"]) for one in listed], [(2, "done", 18), (1, "done", 18)]
        )
        manifest = self.get(f"/api/handoffs/{second['id']}/manifest")
        self.assertEqual((manifest["version"], manifest["read_back"]["failed"]), (2, 0))

    def test_a_failed_hand_off_says_why_and_can_be_tried_again(self) -> None:
        run = self._rendered()
        folder = self.data / "handoffs" / f"shot-{self.shot.id}" / "v001" / "KM010_sign_beauty_v001"
        folder.mkdir(parents=True)
        (folder / "KM010_sign_beauty_v001.0003.png").write_bytes(b"in the way")
        handoff = self.post(f"/api/runs/{run}/handoffs", {"forms": [{"recipe": "png8"}]})
        self.work()
        failed = self.get(f"/api/shots/{self.shot.id}/handoffs")[0]
        self.assertEqual(failed["state"], "failed")
        self.assertIn("frame 3", failed["error"])
        self.get(f"/api/handoffs/{handoff['id']}/package", expect=404)
        (folder / "KM010_sign_beauty_v001.0003.png").unlink()
        self.post(f"/api/handoffs/{handoff['id']}/retry")
        self.work()
        self.assertEqual(HandOff.objects.get().state, "done")

    def test_unknown_recipes_and_unfinished_runs_are_refused(self) -> None:
        run = self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id})
        # One that will be finished by itself is not refused (``handoffs.test_several_forms``).
        self.post(f"/api/runs/{run['id']}/stop")
        self.assertIn(
            "not rendered",
            self.post(f"/api/runs/{run['id']}/handoffs", {"forms": [{"recipe": "png8"}]}, expect=422)["detail"],
        )
        self.post(f"/api/runs/{run['id']}/continue")
        self.work()
        self.assertIn(
            "png16", self.post(f"/api/runs/{run['id']}/handoffs", {"forms": [{"recipe": "bmp"}]}, expect=422)["detail"]
        )


class KilledWorker(StudioCase):
    def document(self) -> ShotDocument:
        """Long enough to be killed in the middle."""
        return small_shot(raster=Raster(width=640, height=360), timing=Timing(last=60), quality="final")

    def _worker(self, *words: str) -> subprocess.Popen[bytes]:
        env = {
            **os.environ,
            "ZEITBILD_DATABASE": str(connection.settings_dict["NAME"]),
            "ZEITBILD_DATA": str(self.data),
        }
        env["PYTHONPATH"] = os.pathsep.join([str(MANAGE.parent), str(MANAGE.parents[1] / "core")])
        return subprocess.Popen(
            [sys.executable, str(MANAGE), "worker", "--processes", "1", *words], env=env, start_new_session=True
        )

    def test_a_run_survives_kill_nine(self) -> None:
        run = self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.shot.current_id})
        worker = self._worker()
        deadline = time.monotonic() + 240
        while Cell.objects.filter(state=Cell.State.DONE).count() < 3 and time.monotonic() < deadline:
            time.sleep(0.1)
        children = children_of(worker.pid)
        self.assertTrue(children)
        # The worker alone: its processes see that it is gone.
        os.kill(worker.pid, signal.SIGKILL)
        worker.wait()
        wait_until(lambda: not any(lives(child) for child in children))
        done = Cell.objects.filter(state=Cell.State.DONE).count()
        self.assertGreaterEqual(done, 3)
        self.assertLess(done, 60)
        masters = self.data / "masters"
        kept = {path: path.stat().st_ino for path in masters.rglob("*.exr") if not path.name.startswith(".")}
        # The next worker on this machine sees that the first is dead, without waiting for its lease to end.
        again = self._worker("--once")
        self.assertEqual(again.wait(timeout=120), 0)
        self.assertEqual(self.get(f"/api/runs/{run['id']}")["state"], "done")
        for path, written in kept.items():
            self.assertEqual(path.stat().st_ino, written, "a finished frame was rendered again")
        self.assertEqual([path for path in masters.rglob(".*") if path.is_file()], [], "half a file was left over")


class Events(ServedCase):
    def test_progress_reaches_the_browser_and_ends(self) -> None:
        import http.client

        run = self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.shot.current_id})
        line = http.client.HTTPConnection("127.0.0.1", self.port, timeout=60)
        line.request(
            "GET",
            f"/api/runs/{run['id']}/events",
            headers={"Cookie": f"sessionid={self.client.cookies['sessionid'].value}"},
        )
        response = line.getresponse()
        self.assertEqual(response.getheader("Content-Type"), "text/event-stream")
        text = response.read().decode()
        line.close()
        changes = [json.loads(part.removeprefix("data: ")) for part in text.split("\n\n") if part.startswith("data: ")]
        self.assertEqual(changes[-1]["run"]["state"], "done")
        states = {cell["frame"]: cell["state"] for change in changes for cell in change["cells"]}
        self.assertEqual(set(states.values()), {"done"})
        self.assertIn("event: end", text)
