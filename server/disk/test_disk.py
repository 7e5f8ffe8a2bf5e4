"""A disk that is full before, during and after; what projects take; what is cleaned up and what never is."""

import errno
import io
import os
import subprocess
import tempfile
import time
from pathlib import Path
from typing import Any
from unittest import mock, skipUnless

from django.conf import settings
from django.core.management import call_command
from django.db import OperationalError
from django.test import override_settings

from disk.cleaning import HANDED, OPEN, clean, survey
from disk.usage import usage_of
from runs.management.commands.worker import work_next
from runs.models import Cell, Run
from workers.active import ActiveWorker
from workers.presence import new_name
from zeitbild.farm import FramePool
from zeitbild.masters import MasterStore
from zeitbild.storage import write_bytes
from zeitbild_server.testing import StudioCase, threads


def _small_file_system() -> bool:
    """Whether this user may mount one."""
    if os.geteuid() != 0:
        return False
    with tempfile.TemporaryDirectory() as place:
        mounted = subprocess.run(
            ["mount", "-t", "tmpfs", "-o", "size=1m", "none", place], capture_output=True, check=False
        )
        if mounted.returncode:
            return False
        subprocess.run(["umount", place], check=True)
    return True


class Disk(StudioCase):
    def start(self, **more: Any) -> Run:
        body = {"base": self.fresh().current_id, **more}
        return Run.objects.get(id=self.post(f"/api/shots/{self.shot.id}/runs", body)["id"])

    def once(self) -> bool:
        """One look of a worker for work."""
        with (
            FramePool(1, threads) as pool,
            ActiveWorker(new_name(), pool) as worker,
            mock.patch("runs.management.commands.worker._LATER", 0),
        ):
            return work_next(worker)

    def change(self, title: str) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        document["elements"][0]["word"] = title
        self.post(f"/api/shots/{self.shot.id}/document", {"base": self.fresh().current_id, "document": document}, "put")

    def age(self, days: float = 30) -> None:
        """Make all masters old."""
        for path in (self.data / "masters").rglob("*.exr"):
            os.utime(path, (time.time() - days * 86400,) * 2)


class Full(Disk):
    def test_what_would_not_fit_is_refused_before_and_nothing_is_written(self) -> None:
        with override_settings(DISK_RESERVE=1 << 60):
            refused = self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id}, expect=507)
            self.assertEqual(refused["title"], "full")
            self.assertIn("left on the disk", refused["detail"])
        self.assertEqual(Run.objects.count(), 0)
        run = self.start()
        self.once()
        with override_settings(DISK_RESERVE=1 << 60):
            self.post(f"/api/runs/{run.id}/handoffs", {"forms": [{"recipe": "png8"}]}, expect=507)
        self.post(f"/api/runs/{run.id}/handoffs", {"forms": [{"recipe": "png8"}]})

    def test_a_project_takes_no_more_than_its_share(self) -> None:
        run = self.start()
        self.once()
        taken = usage_of(self.project)
        masters = sum(path.stat().st_size for path in (self.data / "masters").rglob("*.exr"))
        self.assertEqual((taken.masters, taken.handoffs, taken.uploads), (masters, 0, 0))
        with override_settings(PROJECT_QUOTA=masters + 1000):
            refused = self.post(f"/api/runs/{run.id}/handoffs", {"forms": [{"recipe": "png8"}]}, expect=507)
            self.assertIn("that this project may take", refused["detail"])
        with override_settings(PROJECT_QUOTA=100 * masters):
            self.post(f"/api/runs/{run.id}/handoffs", {"forms": [{"recipe": "png8"}]})

    def test_what_is_rendered_already_needs_no_room(self) -> None:
        self.start()
        self.once()
        run = Run.objects.earliest("id")
        # As if the disk had no room at all, and as if the project had taken all of its share: what is there fits in.
        with mock.patch("disk.room.free_bytes", return_value=settings.DISK_RESERVE - 1):
            self.start()
            self.change("Ahoi")
            self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id}, expect=507)
        with override_settings(PROJECT_QUOTA=1):
            self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id}, expect=507)
        self.post(f"/api/shots/{self.shot.id}/undo", {"base": self.fresh().current_id})
        with override_settings(PROJECT_QUOTA=1):
            again = self.start()
        self.assertEqual(again.total, run.total)

    def test_a_run_that_meets_a_full_disk_waits_with_a_reason_and_goes_on(self) -> None:
        run = self.start()
        saved: list[int] = []
        real = MasterStore.save

        def save(store: MasterStore, *args: Any) -> int:
            saved.append(1)
            if len(saved) > 2:
                raise_full()
            return real(store, *args)

        def raise_full() -> None:
            def fail(*_: Any) -> None:
                raise OSError(errno.ENOSPC, "No space left on device")

            with mock.patch("zeitbild.storage._fill", fail):
                write_bytes(self.data / "masters" / "x", b"")

        with mock.patch.object(MasterStore, "save", save):
            self.assertTrue(self.once())
        run.refresh_from_db()
        states = set(run.cells.values_list("state", flat=True))
        self.assertEqual((run.state, states), ("waiting", {"done"}))
        self.assertIn("No space left", run.error)
        # As long as there is none nothing is claimed.
        with override_settings(DISK_RESERVE=1 << 60):
            self.assertFalse(self.once())
        self.assertTrue(self.once())
        run.refresh_from_db()
        self.assertEqual((run.state, run.error), ("done", ""))
        # Those under way failed too; nothing was tried after them.
        self.assertLess(len(saved), 6)

    def test_a_disk_that_fills_at_ten_moments_of_a_run_and_its_hand_off_loses_nothing(self) -> None:
        # The nth write of a whole file finds no room: in the run's masters, the hand-off's files, their notes, the package.
        from zeitbild import storage

        real = storage.os.fsync
        for moment in range(10):
            with self.subTest(moment=moment):
                self.change(f"Wort {moment}")
                writes: list[int] = []

                def sync(handle: int, writes: list[int] = writes, moment: int = moment) -> None:
                    writes.append(1)
                    if len(writes) == 1 + 5 * moment // 2:
                        raise OSError(errno.ENOSPC, "No space left on device")
                    real(handle)

                with mock.patch.object(storage.os, "fsync", sync):
                    run = self.start()
                    while self.once():
                        pass
                    run.refresh_from_db()
                    self.assertEqual((run.state, run.error), ("done", ""))
                    handoff = self.post(f"/api/runs/{run.id}/handoffs", {"forms": [{"recipe": "png8"}]})
                    while self.once():
                        pass
                listed = next(
                    one for one in self.get(f"/api/shots/{self.shot.id}/handoffs") if one["id"] == handoff["id"]
                )
                self.assertEqual((listed["state"], listed["files"]), ("done", 18))
                self.assertGreater(len(writes), 5 * moment // 2, "the disk was never full")
        left = [path for path in self.data.rglob(".*") if path.is_file()]
        self.assertEqual(left, [])

    def test_a_hand_off_that_meets_a_full_disk_waits_too(self) -> None:
        run = self.start()
        self.once()
        self.post(f"/api/runs/{run.id}/handoffs", {"forms": [{"recipe": "png8"}]})

        def fail(*_: Any) -> None:
            raise OSError(errno.ENOSPC, "No space left on device")

        with mock.patch("zeitbild.storage._fill", fail):
            self.assertTrue(self.once())
        listed = self.get(f"/api/shots/{self.shot.id}/handoffs")[0]
        self.assertEqual(listed["state"], "waiting")
        self.assertIn("No space left", listed["error"])
        self.assertTrue(self.once())
        self.assertEqual(self.get(f"/api/shots/{self.shot.id}/handoffs")[0]["state"], "done")

    def test_saves_and_sign_ins_say_that_the_disk_is_full(self) -> None:
        document = self.shot.current_document().model_dump(mode="json")
        body = {"base": self.shot.current_id, "document": document}
        with mock.patch(
            "shots.actions.save_document.Revision.objects.create",
            side_effect=OperationalError("database or disk is full"),
        ):
            refused = self.post(f"/api/shots/{self.shot.id}/document", body, "put", 507)
        self.assertIn("The disk of this server is full", refused["detail"])
        with mock.patch("accounts.api.sign_in", side_effect=OperationalError("database or disk is full")):
            self.post("/api/session", {"username": "ada", "password": "x"}, expect=507)
        with mock.patch(
            "shots.actions.save_document.Revision.objects.create", side_effect=OperationalError("database is locked")
        ):
            self.assertEqual(self.post(f"/api/shots/{self.shot.id}/document", body, "put", 503)["title"], "busy")
        self.post(f"/api/shots/{self.shot.id}/document", body, "put")

    @skipUnless(_small_file_system(), "mounting a small file system is not allowed here")
    def test_on_a_file_system_that_is_really_full(self) -> None:
        masters = self.data / "masters"
        masters.mkdir()
        subprocess.run(["mount", "-t", "tmpfs", "-o", "size=12k", "none", str(masters)], check=True)
        self.addCleanup(subprocess.run, ["umount", str(masters)], check=True)
        run = self.start()
        # The data folder itself has room: only writing tells.
        self.assertTrue(self.once())
        run.refresh_from_db()
        done = run.cells.filter(state=Cell.State.DONE).count()
        self.assertEqual(run.state, "waiting")
        self.assertLess(done, 6)
        self.assertEqual([path for path in masters.rglob(".*") if path.is_file()], [])
        for cell in run.cells.filter(state=Cell.State.DONE):
            MasterStore(masters).load(cell.key)
        subprocess.run(["mount", "-o", "remount,size=4m", str(masters)], check=True)
        self.assertTrue(self.once())
        run.refresh_from_db()
        self.assertEqual((run.state, run.cells.filter(state=Cell.State.DONE).count()), ("done", 6))


class Cleaning(Disk):
    def _kept(self, days: float = 14) -> dict[str, int]:
        return {why: count for why, (count, _) in survey(days=days).kept.items()}

    def test_only_what_nobody_needs_and_is_old_goes(self) -> None:
        first = self.start()
        self.once()
        self.change("Zwei")
        handed = self.start()
        self.once()
        self.post(f"/api/runs/{handed.id}/handoffs", {"forms": [{"recipe": "png8"}]})
        self.once()
        self.change("Drei")
        self.start()
        self.once()
        self.change("Vier")
        stopped = self.start(frame_set="1-2")
        self.post(f"/api/runs/{stopped.id}/stop")
        self.age()
        found = survey()
        self.assertEqual(self._kept()[HANDED], 6)
        # The first and the third run's: neither newest, nor handed off, nor open.
        self.assertEqual(len(found.may_go), 12)
        said = io.StringIO()
        call_command("clean", "--dry-run", stdout=said)
        self.assertIn("may go        12 frames", said.getvalue())
        self.assertEqual(len(list((self.data / "masters").rglob("*.exr"))), 18)
        clean()
        self.assertEqual(len(list((self.data / "masters").rglob("*.exr"))), 6)
        self.assertEqual(set(first.cells.values_list("state", flat=True)), {"cleaned"})
        # It says so, is no longer shown, and can be rendered again.
        self.get(f"/api/runs/{first.id}/cells/sign/1/probe?x=0&y=0", expect=404)
        self.post(f"/api/runs/{first.id}/handoffs", {"forms": [{"recipe": "png8"}]}, expect=422)
        self.post(f"/api/runs/{first.id}/retry")
        self.once()
        first.refresh_from_db()
        self.assertEqual((first.state, first.cells.filter(state="done").count()), ("done", 6))

    def test_a_hand_offs_masters_stay_whatever_their_age(self) -> None:
        run = self.start()
        self.once()
        self.post(f"/api/runs/{run.id}/handoffs", {"forms": [{"recipe": "png8"}]})
        self.once()
        self.change("Zwei")
        self.start(frame_set="1")
        self.once()
        self.age(1000)
        clean(days=0)
        self.assertTrue(all(MasterStore(self.data / "masters").has(cell.key) for cell in run.cells.all()))

    def test_what_was_used_again_is_young(self) -> None:
        self.start()
        self.once()
        self.age()
        self.change("Zwei")
        self.start(frame_set="1")
        self.once()
        self.assertEqual(len(survey().may_go), 6)
        # Back to the first word: its frames are reused, and then a newer run takes their place.
        self.change("Zb")
        self.start()
        self.once()
        self.change("Drei")
        self.start(frame_set="1")
        self.once()
        self.assertEqual(len(survey().may_go), 0)

    def test_a_project_cleans_up_only_what_is_its_own(self) -> None:
        self.start()
        self.once()
        copy = self.post(f"/api/projects/{self.project.id}/duplicate")
        shot = self.get(f"/api/projects/{copy['id']}/shots")[0]
        self.post(f"/api/shots/{shot['id']}/runs", {"base": shot["revision"]})
        self.once()
        self.change("Zwei")
        self.start(frame_set="1")
        self.once()
        self.age()
        with mock.patch("disk.api.free_bytes", return_value=settings.DISK_RESERVE + 12345):
            looked = self.get(f"/api/projects/{self.project.id}/disk")
        # The six of the first word are the copy's newest run, too.
        self.assertEqual(looked["may_go_count"], 0)
        self.post(f"/api/projects/{self.project.id}/clean")
        self.assertEqual(len(list((self.data / "masters").rglob("*.exr"))), 7)
        self.assertEqual(looked["free"], 12345)

    def test_half_written_files_and_open_runs_are_left_alone(self) -> None:
        run = self.start()
        self.once()
        Run.objects.filter(id=run.id).update(state=Run.State.STOPPED)
        half = Path(next((self.data / "masters").rglob("*.exr"))).with_name(".half.part.exr")
        half.write_bytes(b"x")
        self.change("Zwei")
        self.start(frame_set="1")
        self.once()
        self.age()
        self.assertEqual(self._kept()[OPEN], 6)
        clean(days=0)
        self.assertTrue(half.exists())
