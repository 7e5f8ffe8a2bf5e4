"""Twenty kills over a run and its hand-off: all is delivered once, byte for byte, and nothing is left over."""

import hashlib
import os
import random
import signal
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any

from chaos.installation import ROOT, Installation
from zeitbild.document.reading import write_shot
from zeitbild.document.shot import Raster, Timing
from zeitbild.testing import small_shot
from zeitbild_server.testing import wait_until

FRAMES, KILLS = 140, 20


class Kills(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.place = Installation(self.folder / "data")
        self.addCleanup(self._end)
        self.random = random.Random(20)
        self.killed: list[str] = []

    def _end(self) -> None:
        for process in self.place.processes():
            try:
                os.kill(process, signal.SIGKILL)
            except ProcessLookupError:
                continue
        if self.place.launcher is not None:
            self.place.launcher.wait()

    def _victim(self) -> tuple[str, int] | None:
        """Something that runs: the launcher, a service, or a process that one of them started."""
        running = self.place.note().get("processes", {})
        services = {name: pid for name, pid in running.items() if Path(f"/proc/{pid}").exists()}
        launcher = self.place.launcher
        assert launcher is not None
        known = {launcher.pid, *services.values()}
        children = [pid for pid in self.place.processes() if pid not in known]
        choices: list[tuple[str, int]] = [*services.items(), ("launcher", launcher.pid)]
        choices += [("process of the worker", self.random.choice(children))] * 2 if children else []
        return self.random.choice(choices) if services else None

    def _kill(self) -> None:
        while True:
            wait_until(lambda: self._victim() is not None)
            victim = self._victim()
            if victim is None:
                continue
            name, process = victim
            try:
                os.kill(process, signal.SIGKILL)
            except ProcessLookupError:
                # It ended by itself just now: another one, then.
                continue
            break
        self.killed.append(name)
        if name == "launcher":
            assert self.place.launcher is not None
            self.place.launcher.wait()
            # What it started ends by itself, and the next launcher gets the folder.
            wait_until(lambda: not self.place.processes())
            self.place.start()

    def _disturbed(self, kills: int, done: Any, ended: Any) -> None:
        """Kill something each time that so much more is done, until all kills are spent and the work has ended."""
        marks = sorted(self.random.sample(range(1, FRAMES - 10), kills))
        for mark in marks:
            wait_until(lambda mark=mark: done() >= mark or ended())
            self._kill()
        wait_until(ended)

    def test_everything_is_delivered_once_and_nothing_is_left(self) -> None:
        document = small_shot(raster=Raster(width=320, height=180), timing=Timing(last=FRAMES), quality="final")
        self.place.manage("migrate", "--verbosity", "0")
        self.place.manage("add_user", "ada", typed="lamp-room-seven\n")
        self.place.start()
        self.place.sign_in("ada", "lamp-room-seven")
        project = self.place.call("POST", "/api/projects", {"code": "KM", "title": "Kap Morgen"})
        shot = self.place.call("POST", f"/api/projects/{project['id']}/shots", {"code": "KM010", "title": "Sign"})
        body = {"base": shot["revision"], "document": document.model_dump(mode="json")}
        saved = self.place.call("PUT", f"/api/shots/{shot['id']}/document", body)
        run = self.place.call("POST", f"/api/shots/{shot['id']}/runs", {"base": saved["revision"]})
        address = f"/api/runs/{run['id']}"

        def progress() -> dict[str, Any]:
            found: dict[str, Any] = self.place.call("GET", address)
            return found

        def finished() -> int:
            counts = progress()["progress"]
            return int(counts["done"] + counts["reused"])

        self._disturbed(KILLS * 3 // 5, finished, lambda: progress()["state"] not in ("waiting", "running"))
        ended = progress()
        self.assertEqual((ended["state"], ended["error"], finished()), ("done", "", FRAMES), self.killed)
        handoff = self.place.call("POST", f"{address}/handoffs", {"forms": [{"recipe": "png8"}]})

        def state() -> dict[str, Any]:
            found: dict[str, Any] = self.place.call("GET", f"/api/shots/{shot['id']}/handoffs")[0]
            return found

        self._disturbed(
            KILLS - KILLS * 3 // 5,
            lambda: sum(map(len, state()["forms"][0]["written"].values())),
            lambda: state()["state"] not in ("waiting", "writing"),
        )
        self.assertEqual((state()["state"], state()["error"], handoff["version"]), ("done", "", 1), self.killed)
        self.assertEqual(len(self.killed), KILLS)
        self._compare(document, self.folder / "data" / "handoffs" / f"shot-{shot['id']}" / "v001.zip")
        self.assertEqual(self.place.stop(), 0)
        wait_until(lambda: not self.place.processes())
        # A worker that starts clears away what the dead left; the last one that was killed may have left something.
        self.place.manage("worker", "--once")
        left = [path for path in (self.folder / "data").rglob(".*") if path.is_file()]
        self.assertEqual(left, [], self.killed)

    def _compare(self, document: Any, package: Path) -> None:
        """The package against the same document rendered by the command line, undisturbed."""
        (self.folder / "shot.json").write_text(write_shot(document))
        command = [sys.executable, "-m", "zeitbild.cli", "render", str(self.folder / "shot.json")]
        out = self.folder / "out"
        command += ["--out", str(out), "--recipe", "png8", "--workers", "2"]
        env = {**os.environ, "PYTHONPATH": str(ROOT / "core"), "ZEITBILD_DATA": str(self.folder / "other")}
        subprocess.run(command, env=env, check=True, capture_output=True)
        expected = {
            path.relative_to(out).as_posix(): hashlib.sha256(path.read_bytes()).hexdigest()
            for path in out.rglob("*.png")
        }
        self.assertEqual(len(expected), 3 * FRAMES)
        with zipfile.ZipFile(package) as archive:
            names = archive.namelist()
            found = {name: hashlib.sha256(archive.read(name)).hexdigest() for name in names if name.endswith(".png")}
        self.assertEqual(len(names), len(set(names)))
        self.assertEqual(found, expected)
