"""Claims: taken once, kept while their worker is heard of, given up when they take workers down, never another's."""

import os
import subprocess
import sys
from datetime import timedelta
from pathlib import Path
from unittest import mock

from django.db import OperationalError
from django.utils import timezone

from handoffs.models import HandOff
from runs.actions.work_run import claim_run
from runs.management.commands.worker import work_next
from runs.models import Run
from workers.active import ActiveWorker
from workers.claiming import MAX_TAKES, claim, give_back, holds, renew
from workers.models import Worker
from workers.presence import Presence, clear_away, dead_here, new_name, this_host, workers_present
from zeitbild.errors import StorageError
from zeitbild.farm import FramePool
from zeitbild.storage import clear_left_over, write_whole
from zeitbild_server.testing import StudioCase, threads, wait_until


class Claims(StudioCase):
    def setUp(self) -> None:
        super().setUp()
        self.run_ = self._run()

    def _run(self) -> Run:
        body = {"base": self.fresh().current_id}
        return Run.objects.get(id=self.post(f"/api/shots/{self.shot.id}/runs", body)["id"])

    def _work(self) -> None:
        with FramePool(1, threads) as pool, ActiveWorker(new_name(), pool) as worker:
            while work_next(worker):
                pass
        self.run_.refresh_from_db()

    def test_one_worker_has_a_job(self) -> None:
        self.assertEqual(claim(Run.objects.all(), "a"), self.run_)
        self.assertIsNone(claim(Run.objects.all(), "b"))
        self.assertTrue(renew(self.run_, "a") and holds(self.run_, "a"))
        self.assertFalse(renew(self.run_, "b") or holds(self.run_, "b"))
        self.assertFalse(give_back(self.run_, "b", Run.State.FAILED))
        self.assertTrue(give_back(self.run_, "a", Run.State.WAITING))
        self.assertEqual(claim(Run.objects.all(), "b"), self.run_)

    def test_a_job_that_took_three_workers_down_is_given_up(self) -> None:
        for number in range(MAX_TAKES):
            self.assertIsNotNone(claim_run(f"w{number}"))
            Run.objects.update(lease_until=timezone.now() - timedelta(seconds=1))
        other = self._run()
        self.assertEqual(claim_run("w9"), other)
        self.run_.refresh_from_db()
        self.assertEqual(self.run_.state, "failed")
        self.assertIn("3 workers ended", self.run_.error)
        # Trying again begins to count anew.
        self.post(f"/api/runs/{self.run_.id}/retry", expect=200)
        self._work()
        self.assertEqual((self.run_.state, self.run_.takes), ("done", 0))

    def test_whatever_a_job_raises_is_its_failure_and_the_next_one_is_done(self) -> None:
        second = self._run()
        for error, said in (
            (RuntimeError("odd"), "an unexpected error: RuntimeError: odd"),
            (StorageError("no room"), "no room"),
            (MemoryError(), "not enough memory"),
            (KeyError("x"), "KeyError"),
        ):
            with self.subTest(said):
                Run.objects.filter(id=self.run_.id).update(state="waiting", error="")
                Run.objects.filter(id=second.id).update(state="waiting")
                real = FramePool.run
                calls = iter((error,))

                def once(pool: FramePool, *args: object, calls=calls, real=real, **more: object):  # type: ignore[no-untyped-def]
                    failure = next(calls, None)
                    if failure is not None:
                        raise failure
                    return real(pool, *args, **more)  # type: ignore[arg-type]

                with mock.patch.object(FramePool, "run", once):
                    self._work()
                second.refresh_from_db()
                self.assertEqual((self.run_.state, second.state), ("failed", "done"))
                self.assertIn(said, self.run_.error)

    def test_a_failed_hand_off_leaves_the_worker_alive(self) -> None:
        self._work()
        self.post(f"/api/runs/{self.run_.id}/handoffs", {"forms": [{"recipe": "png8"}]})
        with mock.patch("handoffs.actions.work_handoff.packed_forms", side_effect=IsADirectoryError("manifest.json")):
            self._work()
        handoff = HandOff.objects.get()
        self.assertEqual(handoff.state, "failed")
        self.assertIn("IsADirectoryError", handoff.error)

    def test_trouble_with_the_database_is_no_jobs_failure(self) -> None:
        with mock.patch("runs.actions.work_run._Report.write", side_effect=OperationalError("disk is full")):
            with FramePool(1, threads) as pool, ActiveWorker(new_name(), pool) as worker:
                with self.assertRaises(OperationalError):
                    work_next(worker)
        self.run_.refresh_from_db()
        self.assertEqual((self.run_.state, self.run_.worker, self.run_.takes), ("waiting", "", 0))
        self._work()
        self.assertEqual(self.run_.state, "done")

    def test_a_worker_that_is_told_to_end_gives_back_what_it_holds(self) -> None:
        with FramePool(1, threads) as pool, ActiveWorker(new_name(), pool) as worker:
            worker.ending.set()
            self.assertTrue(work_next(worker))
        self.run_.refresh_from_db()
        self.assertEqual((self.run_.state, self.run_.takes), ("waiting", 0))
        self._work()
        self.assertEqual(self.run_.state, "done")


class Presences(StudioCase):
    def test_a_worker_is_seen_while_it_lives(self) -> None:
        self.assertEqual(self.get("/api/studio")["workers"], [])
        with FramePool(1, threads) as pool, ActiveWorker(new_name(), pool) as worker:
            seen = self.get("/api/studio")["workers"]
            self.assertEqual([(one["host"], one["processes"]) for one in seen], [(this_host(), 1)])
            before = Worker.objects.get().seen_at
            wait_until(lambda: Worker.objects.get().seen_at > before)
            Worker.objects.filter(name=worker.name).update(seen_at=timezone.now() - timedelta(seconds=30))
            self.assertEqual(workers_present(), [])
            wait_until(lambda: len(workers_present()) == 1)
        self.assertEqual(self.get("/api/studio")["workers"], [])
        self.assertEqual(Worker.objects.count(), 0)

    def test_dead_workers_of_this_machine_are_known_at_once(self) -> None:
        code = (
            "import fcntl, os, sys, time\n"
            "handle = os.open(sys.argv[1], os.O_RDWR | os.O_CREAT)\n"
            "fcntl.flock(handle, fcntl.LOCK_EX); print('held', flush=True); time.sleep(60)"
        )
        (self.data / "workers").mkdir()
        name = f"{this_host()}:1:abc"
        path = self.data / "workers" / f"{name.replace(':', '-')}.lock"
        holder = subprocess.Popen([sys.executable, "-c", code, str(path)], stdout=subprocess.PIPE)
        assert holder.stdout is not None
        holder.stdout.readline()
        Worker.objects.create(name=name, host=this_host(), pid=1, processes=1, seen_at=timezone.now())
        self.assertEqual(dead_here(), [])
        holder.kill()
        holder.wait()
        holder.stdout.close()
        self.assertEqual(dead_here(), [name])
        clear_away()
        self.assertEqual((Worker.objects.count(), list((self.data / "workers").iterdir())), (0, []))

    def test_names_are_no_paths(self) -> None:
        odd = Presence("../../etc:1:2", 1)
        odd.enter()
        self.assertEqual([path.name for path in (self.data / "workers").iterdir()], ["..-..-etc-1-2.lock"])
        odd.leave()


class LeftOvers(StudioCase):
    def test_what_dead_processes_left_half_written_goes_and_nothing_else(self) -> None:
        folder = self.data / "masters" / "ab"
        code = (
            "import os, sys; from pathlib import Path; from zeitbild.storage import write_whole\n"
            "def die(beside):\n    beside.write_bytes(b'half'); os._exit(9)\n"
            "write_whole(Path(sys.argv[1]) / 'frame.exr', die)"
        )
        env = {**os.environ, "PYTHONPATH": str(Path(__file__).parents[2] / "core")}
        subprocess.run([sys.executable, "-c", code, str(folder)], env=env, check=False)
        self.assertEqual(len(list(folder.iterdir())), 1)
        (folder / ".note.part").write_text("somebody's own")
        under_way: list[int] = []

        def look(beside: Path) -> None:
            beside.write_bytes(b"whole")
            under_way.append(clear_left_over(self.data))

        write_whole(folder / "other.exr", look)
        self.assertEqual(under_way, [1])
        self.assertEqual(sorted(path.name for path in folder.iterdir()), [".note.part", "other.exr"])
