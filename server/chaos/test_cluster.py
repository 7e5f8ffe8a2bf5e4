"""A cluster of dask.distributed on this machine: the same bytes, killed workers, a scheduler that goes and comes, other versions."""

import itertools
import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import Future
from pathlib import Path
from typing import Any
from unittest import TestCase, mock

from chaos.installation import ROOT
from launcher.services import cluster_services
from runs.management.commands.worker import work_next
from runs.models import Run
from workers.active import ActiveWorker
from workers.presence import new_name
from zeitbild.assets import AssetFolder
from zeitbild.document.reading import write_shot
from zeitbild.document.shot import Raster, Timing
from zeitbild.document.shot import Shot as ShotDocument
from zeitbild.elements.lettering import Lettering
from zeitbild.errors import AwayError
from zeitbild.farm import FramePool, render_cell, write_files
from zeitbild.farm.cluster import ClusterExecutor, mine
from zeitbild.farm.testing import make_files
from zeitbild.fonts import SHIPPED
from zeitbild.masters import MasterStore
from zeitbild.testing import small_shot
from zeitbild_server.testing import StudioCase, wait_until


class Cluster:
    """A scheduler and two workers, as ./zeitbild cluster starts them."""

    def __init__(self) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.address = f"tcp://127.0.0.1:{probe.getsockname()[1]}"
        self.services = cluster_services(sys.executable, self.address, 2)
        self.processes: dict[str, subprocess.Popen[bytes]] = {}
        self.env = {**os.environ, "PYTHONPATH": os.pathsep.join(str(ROOT / name) for name in ("core", "server", ""))}

    def start(self, *names: str) -> None:
        """Start what has one of these names, or all of it."""
        for service in self.services:
            if not names or service.name in names:
                self.processes[service.name] = subprocess.Popen(
                    list(service.command), env=self.env, cwd=ROOT, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
                )

    def kill(self, name: str) -> None:
        """Kill a service."""
        process = self.processes.pop(name)
        process.send_signal(signal.SIGKILL)
        process.wait()

    def end(self) -> None:
        """Kill all that is left."""
        for name in list(self.processes):
            self.kill(name)

    def executor(self, shared: Path, workers: int = 1) -> ClusterExecutor:
        """Connected, once so many workers are there."""
        end = time.monotonic() + 240
        while True:
            try:
                found = ClusterExecutor(self.address, shared)
                if found.capacity() >= workers:
                    return found
                found.shutdown()
            except AwayError:
                if time.monotonic() > end:
                    raise
            time.sleep(0.3)


class Farm(TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.cluster = Cluster()
        self.cluster.start()
        self.addCleanup(self.cluster.end)

    def _tasks(self, masters: str, count: int) -> list[Any]:
        document = write_shot(
            small_shot(timing=Timing(last=count), quality="final", raster=Raster(width=320, height=180))
        )
        return [(n, (document, n, "final", self.folder / "assets", self.folder / masters)) for n in range(1, count + 1)]

    def test_the_same_bytes_as_here_though_a_worker_is_killed(self) -> None:
        executor = self.cluster.executor(self.folder, 2)
        pool = FramePool(1, lambda _: executor)
        found: dict[int, Any] = {}
        with pool:
            for outcome in pool.run(render_cell, self._tasks("there", 60)):
                if outcome is not None:
                    self.assertIsNone(outcome.error)
                    found[outcome.task] = outcome.result
                    # As soon as both have worked.
                    both = len({result.where for result in found.values()}) == 2
                    if both and "cluster worker 1" in self.cluster.processes:
                        self.cluster.kill("cluster worker 1")
        self.assertEqual(sorted(found), list(range(1, 61)))
        self.assertNotIn("cluster worker 1", self.cluster.processes)
        for frame, arguments in self._tasks("here", 60)[::12]:
            here = render_cell(*arguments)
            paths = [MasterStore(self.folder / name).path(here.key) for name in ("here", "there")]
            self.assertEqual(paths[0].read_bytes(), paths[1].read_bytes(), frame)

    def test_workers_of_another_version_or_without_the_folder_are_not_used(self) -> None:
        executor = self.cluster.executor(self.folder, 2)
        self.addCleanup(executor.shutdown)
        self.assertEqual(executor.refused, {})
        worker = next(iter(executor._known))
        executor._known[worker] = (mine(), False)
        executor.look()
        self.assertIn("does not see", executor.refused[worker])
        self.assertEqual(executor.capacity(), 1)
        with mock.patch("zeitbild.farm.cluster.mine", return_value="0.0 other"):
            with self.assertRaisesRegex(AwayError, "another version of Zeitbild"):
                ClusterExecutor(self.cluster.address, self.folder)

    def test_without_a_shared_folder_files_go_and_come_by_content(self) -> None:
        assets = AssetFolder(self.folder / "assets")
        font = "asset:" + assets.add(SHIPPED["eb-garamond"].path.read_bytes())
        word = Lettering(id="w", word="Boje", font=font)
        document = write_shot(small_shot(timing=Timing(last=3), elements=(word,)))
        executor = self.cluster.executor(self.folder, 2)
        executor._known = {worker: (version, False) for worker, (version, _) in executor._known.items()}
        executor.look()
        self.assertEqual((executor.refused, executor.capacity()), ({}, 2))
        places = [
            (self.folder / "assets", self.folder / name, self.folder / f"out {name}") for name in ("there", "here")
        ]
        common = ("png8", (), (), (), 1, *places[0])
        rendering = [(n, (document, n, "rough", *places[0][:2])) for n in (1, 2, 3)]
        with FramePool(1, lambda _: executor) as pool:
            cells = {one.task: one.result for one in pool.run(render_cell, rendering) if one}
            # Masters go back to whoever makes files of them: nothing is rendered twice.
            writing = [
                (n, (document, n, "1-3", (("sign", cell.key, tuple(cell.ends.items())),), *common))
                for n, cell in cells.items()
                if cell is not None
            ]
            self.assertEqual(len(writing), 3)
            for outcome in pool.run(write_files, writing):
                self.assertIsNone(outcome and outcome.error)
        for frame in (1, 2, 3):
            make_files(document, frame, ("sign",), "rough", "png8", (), (), 1, *places[1])
        for there, here in zip(places[0][1:], places[1][1:], strict=True):
            files = [
                {path.relative_to(folder): path.read_bytes() for path in folder.rglob("*.*")}
                for folder in (there, here)
            ]
            self.assertGreaterEqual(len(files[0]), 1)
            self.assertEqual(files[0], files[1])

    def test_one_that_nobody_runs_is_said_so(self) -> None:
        self.cluster.end()
        with mock.patch("zeitbild.farm.cluster._CONNECT", 1), self.assertRaisesRegex(AwayError, "does not answer"):
            ClusterExecutor(self.cluster.address, self.folder)


class Runs(StudioCase):
    def document(self) -> ShotDocument:
        """Long enough for a scheduler to go in the middle."""
        return small_shot(raster=Raster(width=320, height=180), timing=Timing(last=40), quality="final")

    def test_a_run_waits_for_a_scheduler_that_went_and_goes_on_when_it_is_back(self) -> None:
        cluster = Cluster()
        cluster.start()
        self.addCleanup(cluster.end)
        cluster.executor(self.data, 2).shutdown()
        run = Run.objects.get(id=self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id})["id"])
        asked = itertools.count(1)

        class Leaving(ClusterExecutor):
            """Its cluster is gone when it is asked for the twelfth time: in the middle, however fast or slow it computes."""

            def submit(self, function: Callable[..., Any], /, *arguments: Any, **named: Any) -> Future[Any]:
                if next(asked) == 12:
                    cluster.end()
                return super().submit(function, *arguments, **named)

        pool = FramePool(1, lambda _: Leaving(cluster.address, self.data))
        with pool, ActiveWorker(new_name(), pool) as worker, mock.patch("runs.management.commands.worker._LATER", 0):
            self.assertTrue(work_next(worker))
            run.refresh_from_db()
            self.assertEqual(run.state, "waiting")
            self.assertRegex(run.error, "cluster at .* (went away|does not answer)")
            self.assertLess(run.cells.filter(state="done").count(), 40)
            cluster.start()

            def done() -> bool:
                work_next(worker)
                run.refresh_from_db()
                return run.state == "done"

            wait_until(done)
        self.assertEqual((run.error, run.cells.count()), ("", 40))
        places = self.get(f"/api/runs/{run.id}/places")
        self.assertEqual(sum(one["cells"] for one in places), run.cells.filter(state="done").count())
        self.assertGreaterEqual(len(places), 2)
