"""A whole installation of its own for a test: launcher, web server and worker, in a folder that vanishes."""

from __future__ import annotations

import http.client
import json
import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parents[2]
MANAGE = ROOT / "server" / "manage.py"
#: What ./zeitbild does, but that a service which ends again and again is started each time: here it is killed on purpose.
_LAUNCHER = """
import os, signal, sys
from pathlib import Path
from launcher.folder_lock import FolderLock
from launcher.services import services
from launcher.supervisor import Patience, Supervisor
lock = FolderLock(Path(os.environ["ZEITBILD_DATA"]))
supervisor = Supervisor(services(sys.executable, int(sys.argv[1])), os.environ, lambda said: None,
    patience=Patience(pauses=[0.1] * 1000, steady=1e9, leave=10),
    changed=lambda processes: lock.write_note({"pid": os.getpid(), "processes": processes}))
signal.signal(signal.SIGTERM, lambda *_: supervisor.stop())
code = supervisor.run()
lock.free()
sys.exit(code)
"""


class Installation:
    """Started by ``start``, asked through ``call``, which waits while nobody answers."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self.env = {
            **{name: value for name, value in os.environ.items() if not name.startswith(("DJANGO", "ZEITBILD"))},
            "ZEITBILD_DATA": str(data),
            "ZEITBILD_WORKERS": "2",
            "DJANGO_SETTINGS_MODULE": "zeitbild_server.settings",
            "PYTHONPATH": os.pathsep.join(str(ROOT / name) for name in ("core", "server", "")),
        }
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.launcher: subprocess.Popen[bytes] | None = None
        self._cookies: dict[str, str] = {}

    def manage(self, *words: str, typed: str = "") -> str:
        """Run a management command that must succeed."""
        done = subprocess.run(
            [sys.executable, str(MANAGE), *words],
            env=self.env,
            input=typed,
            capture_output=True,
            text=True,
            check=False,
        )
        if done.returncode:
            raise AssertionError(done.stderr)
        return done.stdout

    def start(self) -> None:
        """Start the launcher; one that was killed leaves its lock at once, its services within a moment."""
        self.launcher = subprocess.Popen(
            [sys.executable, "-c", _LAUNCHER, str(self.port)], env=self.env, cwd=ROOT, stderr=subprocess.DEVNULL
        )

    def stop(self) -> int:
        """End it in order; its exit code."""
        assert self.launcher is not None
        self.launcher.send_signal(signal.SIGTERM)
        return self.launcher.wait(timeout=60)

    def processes(self) -> list[int]:
        """Every process that runs with this installation's data, the launcher too."""
        found = []
        wanted = f"ZEITBILD_DATA={self.data}".encode()
        for place in Path("/proc").glob("[0-9]*"):
            try:
                state = (place / "stat").read_text().rpartition(")")[2].split()[0]
                if state != "Z" and wanted in (place / "environ").read_bytes().split(b"\0"):
                    found.append(int(place.name))
            except (OSError, IndexError):
                continue
        return found

    def note(self) -> dict[str, Any]:
        """What the launcher says runs."""
        try:
            found: dict[str, Any] = json.loads((self.data / "launcher.json").read_text())
        except (OSError, ValueError):
            return {}
        return found

    def call(self, method: str, path: str, body: Any = None, patience: float = 60) -> Any:
        """The answer of the API, asked again as long as nobody answers; AssertionError for an error."""
        until = time.monotonic() + patience
        while True:
            try:
                status, data = self._once(method, path, body)
            except (OSError, http.client.HTTPException):
                if time.monotonic() > until:
                    raise
                time.sleep(0.1)
                continue
            if status >= 400:
                raise AssertionError(f"{method} {path}: {status} {data[:300]!r}")
            return json.loads(data) if data else None

    def ask(self, method: str, path: str, body: Any = None) -> int:
        """One request, whatever comes of it; its status."""
        return self._once(method, path, body)[0]

    def _once(self, method: str, path: str, body: Any) -> tuple[int, bytes]:
        line = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
        head = {"Content-Type": "application/json"}
        head["Cookie"] = "; ".join(f"{name}={value}" for name, value in self._cookies.items())
        head["X-CSRFToken"] = self._cookies.get("csrftoken", "")
        try:
            line.request(method, path, None if body is None else json.dumps(body), head)
            answer = line.getresponse()
            data = answer.read()
            for name, value in answer.getheaders():
                # Threads share what was given at the door; later answers give the same again.
                if name.lower() == "set-cookie":
                    cookie, _, rest = value.partition("=")
                    self._cookies[cookie] = rest.split(";")[0]
            return answer.status, data
        finally:
            line.close()

    @property
    def token(self) -> str:
        """What requests that change something carry."""
        return self._cookies["csrftoken"]

    def sign_in(self, name: str, password: str) -> None:
        """Sign in by the API."""
        self.call("GET", "/api/session")
        self.call("POST", "/api/session", {"username": name, "password": password})
