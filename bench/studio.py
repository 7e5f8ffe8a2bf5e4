"""A studio that shares it: a cluster against the pool, a thousand workers that only wait, fifty people at once."""

from __future__ import annotations

import http.client
import json
import os
import random
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from concurrent.futures import Executor, ThreadPoolExecutor
from pathlib import Path
from typing import Any
from unittest import mock

from bench.timing import Figure, single

ROOT = Path(__file__).parents[1]
SHOT = ROOT / "demo" / "KM010.json"
_CLUSTER = "tcp://127.0.0.1:8799"
#: Workers of the cluster that is measured; this machine has two cores.
_WORKERS = 4


def cluster() -> Iterator[Figure]:
    """The same frames by four processes of the pool and by four workers of a cluster, in turns; and what nothing costs there."""
    from launcher.services import cluster_services
    from zeitbild.errors import AwayError
    from zeitbild.farm import FramePool, render_cell
    from zeitbild.farm.cluster import ClusterExecutor

    env = {**os.environ, "PYTHONPATH": os.pathsep.join(str(ROOT / name) for name in ("core", "server", ""))}
    services = cluster_services(sys.executable, _CLUSTER, _WORKERS)
    silent = subprocess.DEVNULL
    running = [subprocess.Popen(list(one.command), cwd=ROOT, env=env, stdout=silent, stderr=silent) for one in services]
    try:
        with tempfile.TemporaryDirectory() as name:
            folder, executor = Path(name), None
            end = time.monotonic() + 60
            while executor is None or executor.capacity() < _WORKERS:
                try:
                    executor = executor or ClusterExecutor(_CLUSTER, folder)
                except AwayError:
                    if time.monotonic() > end:
                        raise
                time.sleep(0.3)
                executor.look() if executor else None
            text, frames = SHOT.read_text(encoding="utf-8"), range(1, 41)
            ratios, overheads = [], []
            with FramePool(_WORKERS) as pool, FramePool(_WORKERS, lambda _: executor) as many:
                for turn in range(4):
                    taken = []
                    for number, own in enumerate((pool, many)):
                        masters = folder / f"{turn}-{number}"
                        tasks = [(frame, (text, frame, "final", folder, masters)) for frame in frames]
                        for again in range(2):
                            started = time.perf_counter()
                            for outcome in own.run(render_cell, tasks):
                                if outcome is not None and outcome.error:
                                    raise RuntimeError(outcome.error)
                            # The second time nothing is rendered: what is left is looking up and going to and fro.
                            taken.append(time.perf_counter() - started) if not again else overheads.append(
                                (number, (time.perf_counter() - started) / len(frames) * 1000)
                            )
                    if turn:
                        ratios.append(taken[1] / taken[0])
            ratios.sort()
            there = sorted(value for number, value in overheads[2:] if number)
            yield Figure(
                "40 final frames by a cluster's four workers to the pool", ratios[1], ratios[0], ratios[-1], "x", 1.05
            )
            yield Figure("a frame that is there, by the cluster", there[len(there) // 2], there[0], there[-1], "ms", 15)
    finally:
        for process in running:
            process.kill()
            process.wait()


def thousand() -> Iterator[Figure]:
    """A thousand workers that sleep like frames: how many cells a second the database takes down. After ``processes.runs``."""
    from django.contrib.auth.models import User

    from runs.actions.start_run import start_run
    from runs.management.commands.worker import work_next
    from runs.models import Cell, Run
    from shots.models import Shot
    from workers.active import ActiveWorker
    from workers.presence import new_name
    from zeitbild.farm import CellResult, FramePool, FrameResult

    def sleep(
        document: str, frame: int, quality: str, assets: Path, masters: Path, layers: tuple[str, ...], *_: object
    ) -> FrameResult:
        time.sleep(1.0 + frame % 7 / 7)
        made = CellResult(frame, f"{frame:064x}", bytes=1000, seconds=1.5, where=f"m{frame % 1000}")
        return FrameResult(dict.fromkeys(layers, made))

    def threads(_: int) -> Executor:
        return ThreadPoolExecutor(1000)

    user, shot = User.objects.first(), Shot.objects.get(code="KM010")
    assert user is not None
    count = 20_000
    with mock.patch("runs.actions.work_run.render_layers", sleep), FramePool(1000, threads) as pool:
        with ActiveWorker(new_name(), pool) as worker:
            with mock.patch("runs.actions.start_run.plan_files"):
                start_run(user, shot, base=shot.current_id or 0, frame_set=f"1-{count}", quality="rough")
            started = time.perf_counter()
            work_next(worker)
            taken = time.perf_counter() - started
    run = Run.objects.latest("id")
    if run.cells.filter(state=Cell.State.DONE).count() != count:
        raise RuntimeError(f"run {run.id} is {run.state}, not all of it was worked")
    # A thousand that sleep 1.43 s on the average could do so many.
    yield single("cells a second of a thousand sleeping workers (700 asked)", count / taken, "/s")


_PEOPLE = """
from django.contrib.auth.models import User
from django.test import Client
from projects.models import Membership, Project
for number in range(50):
    user = User.objects.create_user(f"p{number}")
    Membership.objects.create(project=Project.objects.get(), user=user)
    client = Client()
    client.force_login(user, backend="django.contrib.auth.backends.ModelBackend")
    print("KEY", client.cookies["sessionid"].value)
"""


def people() -> Iterator[Figure]:
    """Fifty people who save, undo, drag and watch at once for 20 s: five on each of ten shots, with pauses of a second and without."""
    from chaos.installation import Installation

    with tempfile.TemporaryDirectory() as name:
        place = Installation(Path(name) / "data")
        place.manage("migrate", "--verbosity", "0")
        place.manage("add_user", "ada", typed="lamp-room-seven\n")
        place.start()
        try:
            place.sign_in("ada", "lamp-room-seven")
            project = place.call("POST", "/api/projects", {"code": "KM", "title": "Kap Morgen"})
            shots = [
                place.call("POST", f"/api/projects/{project['id']}/shots", {"code": f"KM{number:03}", "title": "Sign"})
                for number in range(10)
            ]
            told = place.manage("shell", "-c", _PEOPLE).splitlines()
            keys = [line.split()[1] for line in told if line.startswith("KEY")]
            for pause, words in ((1.0, "a second between"), (0.0, "no pause between")):
                short = _act(place, [shot["id"] for shot in shots], keys, pause)
                middle, late = short[len(short) // 2], short[int(0.95 * len(short))]
                yield Figure(f"short requests among fifty people, {words}, 95th", late, middle, short[-1], "ms", 300)
                yield single("such requests a second", len(short) / 20, "/s")
        finally:
            place.stop()


def _act(place: Any, shots: list[int], keys: list[str], pause: float) -> list[float]:
    """Milliseconds of the requests that draw nothing, shortest first, of people who act for 20 s."""
    document = json.loads(SHOT.read_text(encoding="utf-8"))
    short: list[float] = []
    until = time.monotonic() + 20

    def work(number: int) -> None:
        choose, line = random.Random(number), http.client.HTTPConnection("127.0.0.1", place.port, timeout=120)
        path = f"/api/shots/{shots[number % len(shots)]}"
        head = {"Content-Type": "application/json", "X-CSRFToken": place.token}
        head["Cookie"] = f"sessionid={keys[number]}; csrftoken={place.token}"

        def ask(method: str, address: str, body: Any = None) -> tuple[int, bytes]:
            began = time.perf_counter()
            line.request(method, address, None if body is None else json.dumps(body), head)
            answer = line.getresponse()
            data = answer.read()
            if not address.endswith("picture"):
                short.append((time.perf_counter() - began) * 1000)
            return answer.status, data

        # People do not all begin in one moment.
        time.sleep(number / 50)
        seen = json.loads(ask("GET", path)[1])
        own = {**document, "shot": seen["document"]["shot"]}
        while time.monotonic() < until:
            what = choose.random()
            if what < 0.55:
                title = {**own, "title": f"{number} at {time.monotonic()}"}
                body = {"base": seen["revision"], "document": title} if what < 0.4 else {"base": seen["revision"]}
                kind = ("PUT", f"{path}/document") if what < 0.4 else ("POST", f"{path}/undo")
                status, data = ask(*kind, body)
                if status == 409:
                    status, data = ask("GET", path)
                if status == 200:
                    seen = json.loads(data)
            elif what < 0.85:
                ask("POST", f"{path}/picture", {"document": own, "frame": 1, "width": 64, "height": 36})
            else:
                ask("GET", "/api/studio")
            time.sleep(pause * (0.5 + choose.random()))
        line.close()

    everybody = [threading.Thread(target=work, args=(number,)) for number in range(len(keys))]
    for one in everybody:
        one.start()
    for one in everybody:
        one.join()
    return sorted(short)
