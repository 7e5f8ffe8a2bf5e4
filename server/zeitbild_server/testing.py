"""What server tests share: a person with a project, a data folder of their own, a worker, a served application."""

from __future__ import annotations

import os
import socket
import tempfile
import threading
import time
from collections.abc import Callable
from concurrent.futures import Executor, ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import Any
from unittest import mock

import uvicorn
from django.contrib.auth.models import User
from django.db import connections
from django.test import TransactionTestCase

from projects.actions.create_project import create_project
from runs.management.commands.worker import work_next
from shots.actions.create_shot import add_shot
from shots.examine import _measure
from shots.models import Shot
from workers.active import ActiveWorker
from workers.presence import new_name
from zeitbild.document.shot import Raster, Timing
from zeitbild.document.shot import Shot as ShotDocument
from zeitbild.farm import FramePool
from zeitbild.testing import small_shot


def threads(workers: int) -> Executor:
    """Frames in this process: no start-up to wait for."""
    return ThreadPoolExecutor(1)


def wait_until(holds: Callable[[], bool], seconds: float = 240) -> None:
    """Return as soon as something holds; AssertionError if it does not within so many seconds."""
    end = time.monotonic() + seconds
    while not holds():
        if time.monotonic() > end:
            raise AssertionError("this did not come about")
        time.sleep(0.01)


def children_of(process: int) -> list[int]:
    """Processes that a process started, and theirs."""
    parents = {}
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with suppress(OSError):
            parents[int(stat.parent.name)] = int(stat.read_text().rpartition(")")[2].split()[1])
    found, look = [], [process]
    while look:
        parent = look.pop()
        own = [child for child, its in parents.items() if its == parent]
        found += own
        look += own
    return found


class StudioCase(TransactionTestCase):
    """A signed-in person ``ada`` with a project and a tiny shot; files go to a folder that vanishes."""

    def setUp(self) -> None:
        """A data folder, a person, a project, a shot."""
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.data = Path(holder.name)
        patched = mock.patch.dict(os.environ, {"ZEITBILD_DATA": str(self.data)})
        patched.start()
        self.addCleanup(patched.stop)
        _measure.cache_clear()  # measured in another test's folder
        self.ada = User.objects.create_user("ada", password="lamp-room-7")
        self.project = create_project(self.ada, code="KM", title="Kap Morgen", defaults={})
        self.shot = add_shot(self.project, self.document(), self.ada)
        self.client.force_login(self.ada)

    def document(self) -> ShotDocument:
        """The document of the first shot."""
        return small_shot(raster=Raster(width=96, height=54), timing=Timing(last=6), quality="rough")

    def post(self, path: str, body: Any = None, method: str = "post", expect: int = 200) -> Any:
        """Send JSON and give the decoded answer."""
        response = getattr(self.client, method)(path, {} if body is None else body, content_type="application/json")
        self.assertEqual(response.status_code, expect, response.content[:400])
        return response.json() if response.content else None

    def get(self, path: str, expect: int = 200) -> Any:
        """The decoded answer of a GET."""
        response = self.client.get(path)
        self.assertEqual(response.status_code, expect, response.content[:400])
        return response.json()

    def work(self, pool: FramePool | None = None) -> None:
        """Do all that waits, as the worker does."""
        with pool or FramePool(1, threads) as frames, ActiveWorker(new_name(), frames) as worker:
            while work_next(worker):
                pass

    def delivered(self) -> tuple[int, int]:
        """A run of one frame and a hand-off of it, both done: their numbers."""
        run = self.post(f"/api/shots/{self.shot.id}/runs", {"base": self.fresh().current_id, "frame_set": "1"})
        self.work()
        handoff = self.post(
            f"/api/runs/{run['id']}/handoffs", {"forms": [{"recipe": "png8"}, {"recipe": "apng", "passes": ["beauty"]}]}
        )
        self.work()
        return run["id"], handoff["id"]

    def fresh(self) -> Shot:
        """The shot as it is in the database now."""
        return Shot.objects.select_related("current").get(id=self.shot.id)


class ServedCase(StudioCase):
    """The application served by uvicorn, as in production, in a thread of this process; a worker beside it."""

    def setUp(self) -> None:
        """Serve and work in threads."""
        super().setUp()
        from zeitbild_server.asgi import application

        # The server gets the very socket: a port that is only looked up may be taken before it is used.
        listening = socket.socket()
        self.addCleanup(listening.close)
        listening.bind(("127.0.0.1", 0))
        self.port = listening.getsockname()[1]
        self.address = f"http://127.0.0.1:{self.port}"
        config = uvicorn.Config(application, log_level="error", timeout_graceful_shutdown=1, lifespan="off")
        self._server = uvicorn.Server(config)
        self._serving = threading.Thread(target=self._server.run, args=([listening],), daemon=True)
        self._serving.start()
        self._ending = threading.Event()
        self._working = threading.Thread(target=self._work_on, daemon=True)
        self._working.start()
        while not self._server.started:
            if not self._serving.is_alive():
                raise RuntimeError("the server did not start")
            time.sleep(0.02)

    def _work_on(self) -> None:
        try:
            with FramePool(1, threads) as pool, ActiveWorker(new_name(), pool) as worker:
                while not self._ending.is_set():
                    if not work_next(worker):
                        time.sleep(0.05)
        finally:
            connections.close_all()

    def tearDown(self) -> None:
        """End both threads."""
        self._ending.set()
        self._working.join(timeout=60)
        self._server.should_exit = True
        self._serving.join(timeout=20)
        super().tearDown()
