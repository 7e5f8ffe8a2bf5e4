"""Keeps services running: one that ends is started again after a growing pause, up to a limit.

Services end with their supervisor, even if it is killed: each holds the reading end of a pipe (``LIFELINE`` names it) of which
only the supervisor has the writing end, and ends itself when that is closed.
"""

from __future__ import annotations

import os
import signal
import subprocess
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

#: Environment variable with the number of the file that a service reads until its supervisor is gone.
LIFELINE = "ZEITBILD_LIFELINE"


@dataclass(frozen=True, slots=True)
class Patience:
    """Seconds before a service is started again, the first time, the second and so on; it is given up when it ends once more after
    the last. steady is how long it must run for its earlier ends to be forgotten; leave is how long it may take to end when asked."""

    pauses: Sequence[float] = (0.5, 1, 2, 4, 8, 15, 30)
    steady: float = 60
    leave: float = 15


@dataclass(slots=True)
class Service:
    """A command that is to run all the time."""

    name: str
    command: Sequence[str]
    process: subprocess.Popen[bytes] | None = None
    began: float = 0
    due: float = 0
    ends: int = field(default=0)


def reason_of(code: int) -> str:
    """What an exit code says."""
    if code >= 0:
        return f"exit code {code}"
    try:
        return f"killed by {signal.Signals(-code).name}"
    except ValueError:
        return f"killed by signal {-code}"


class Supervisor:
    """Starts services and watches them until ``stop`` is called or one is given up."""

    def __init__(
        self,
        services: Sequence[Service],
        environment: Mapping[str, str],
        say: Callable[[str], None],
        *,
        cwd: str | os.PathLike[str] = ".",
        patience: Patience | None = None,
        changed: Callable[[dict[str, int]], None] = lambda processes: None,
    ) -> None:
        """changed is told the process of each service that runs, by its name, whenever that changes."""
        self.services = list(services)
        self._environment = dict(environment)
        self._say = say
        self._cwd = cwd
        self._patience = patience or Patience()
        self._changed = changed
        self._reading, self._writing = os.pipe()
        self._stopping = False

    def stop(self) -> None:
        """End everything; may be called by a signal handler."""
        self._stopping = True

    def run(self, each: Callable[[], None] = lambda: None, rest: float = 0.2) -> int:
        """Watch until stopped (0) or until a service is given up (1); ``each`` is called at every look."""
        code = 0
        try:
            while not self._stopping:
                if not self._look():
                    code = 1
                    break
                each()
                time.sleep(rest)
        finally:
            self._end_all()
        return code

    def _start(self, service: Service) -> None:
        # A session of its own: Ctrl-C reaches only the supervisor, which ends the others in order.
        service.process = subprocess.Popen(
            list(service.command),
            cwd=self._cwd,
            env={**self._environment, LIFELINE: str(self._reading)},
            pass_fds=(self._reading,),
            start_new_session=True,
        )
        service.began = time.monotonic()
        self._tell()

    def _tell(self) -> None:
        self._changed({one.name: one.process.pid for one in self.services if one.process is not None})

    def _look(self) -> bool:
        """Start what is due and note what ended; False if a service is given up."""
        now = time.monotonic()
        for service in self.services:
            if service.process is None:
                if now >= service.due:
                    self._start(service)
                continue
            code = service.process.poll()
            if code is None:
                continue
            # What it started may have outlived it.
            _kill_group(service.process.pid)
            service.process = None
            service.ends = 1 if now - service.began >= self._patience.steady else service.ends + 1
            self._tell()
            if service.ends > len(self._patience.pauses):
                self._say(
                    f"the {service.name} ended {service.ends} times in a row, the last time with {reason_of(code)}; "
                    "what it said stands above. Zeitbild stops. Nothing that was saved is lost."
                )
                return False
            pause = self._patience.pauses[service.ends - 1]
            service.due = now + pause
            self._say(f"the {service.name} ended ({reason_of(code)}); it is started again in {pause:g} s")
        return True

    def _end_all(self) -> None:
        running = [service.process for service in self.services if service.process is not None]
        for process in running:
            if process.poll() is None:
                process.send_signal(signal.SIGTERM)
        until = time.monotonic() + self._patience.leave
        for process in running:
            try:
                process.wait(timeout=max(0.1, until - time.monotonic()))
            except subprocess.TimeoutExpired:
                pass
            _kill_group(process.pid)
            process.wait()
        for service in self.services:
            service.process = None
        os.close(self._writing)
        os.close(self._reading)


def _kill_group(leader: int) -> None:
    """Kill what is left of a service's session."""
    try:
        os.killpg(leader, signal.SIGKILL)
    except (ProcessLookupError, PermissionError):
        pass
