"""The parent's side: a few reading processes, started when they are needed, killed when they take too long or too much."""

from __future__ import annotations

import atexit
import os
import select
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Hashable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from zeitbild.isolation.messages import packed, unpacked

_CORE = Path(__file__).parents[2]
_GB = 1 << 30
#: Seconds that a process may take to start and to load its libraries: no file's fault, but that of a machine at its limits.
_BEGIN = 60.0
#: With this a process ends that has no memory left even to say so.
NO_MEMORY = 77


@dataclass(frozen=True, slots=True)
class Limits:
    """What one call may take: seconds by the clock from when its process began with it, and bytes of address space (libraries alone take half a
    gigabyte). kept is how many bytes a process may have grown to and still be kept for the next call."""

    seconds: float = 10.0
    memory: int = 3 * _GB
    file_size: int = 1 << 26
    kept: int = 400 << 20


class Died(Exception):
    """The process ended or was killed while it worked on a call; ``reason`` ends a sentence about that."""

    def __init__(self, reason: str) -> None:
        super().__init__(reason)
        self.reason = reason


class Busy(Exception):
    """All reading processes work for others, or this machine does, and went on doing so for as long as was waited."""


class _Room:
    """One process."""

    def __init__(self, limits: Limits) -> None:
        self.limits = limits
        # Nothing of this process's environment that a stranger's code might look for.
        env = {
            "PYTHONPATH": str(_CORE),
            "PATH": os.defpath,
            "LANG": "C.UTF-8",
            **{f"{name}_NUM_THREADS": "1" for name in ("OMP", "OPENBLAS", "MKL", "OPENIMAGEIO")},
        }
        command = [sys.executable, "-m", "zeitbild.isolation.child", str(limits.memory), str(limits.file_size)]
        self.process = subprocess.Popen(
            command,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env=env,
            cwd="/",
            start_new_session=True,
            bufsize=0,
        )
        assert self.process.stdin is not None and self.process.stdout is not None
        self._calls, self._answers = self.process.stdin.fileno(), self.process.stdout.fileno()
        os.set_blocking(self._calls, False)
        os.set_blocking(self._answers, False)

    def call(self, function: str, arguments: tuple[Any, ...]) -> dict[str, Any]:
        """What the process answers; Died if it does not, Busy if it did not even begin."""
        try:
            self._begin({"function": function, "arguments": list(arguments), "seconds": self.limits.seconds})
            until = time.monotonic() + self.limits.seconds
            answer = unpacked(lambda count: self._read(count, until))
        except TimeoutError:
            raise Died(f"reading it took more than {self.limits.seconds:g} seconds") from None
        except (BrokenPipeError, EOFError):
            code = self.process.wait()
            raise Died(
                "reading it took more memory than it is given"
                if code in (NO_MEMORY, -signal.SIGKILL, -signal.SIGABRT)
                else "reading it crashed"
            ) from None
        except ValueError:
            raise Died("reading it gave no sense") from None
        if not isinstance(answer, dict):
            raise Died("reading it gave no sense")
        return answer

    def _begin(self, call: dict[str, Any]) -> None:
        """Give it what to do, and wait until it has begun."""
        until = time.monotonic() + _BEGIN
        try:
            for part in packed(call):
                self._write(memoryview(part), until)
            unpacked(lambda count: self._read(count, until))
        except TimeoutError:
            raise Busy from None

    def _wait(self, what: int, for_what: int, until: float) -> None:
        watch = select.poll()
        watch.register(what, for_what)
        if not watch.poll(max(0.0, until - time.monotonic()) * 1000):
            raise TimeoutError

    def _write(self, data: memoryview, until: float) -> None:
        while data:
            self._wait(self._calls, select.POLLOUT, until)
            data = data[os.write(self._calls, data[: 1 << 20]) :]

    def _read(self, count: int, until: float) -> bytes:
        data = bytearray(count)
        view, got = memoryview(data), 0
        while got < count:
            self._wait(self._answers, select.POLLIN, until)
            read = os.readv(self._answers, [view[got : got + (1 << 22)]])
            if not read:
                raise EOFError
            got += read
        return data  # type: ignore[return-value]  # as good as bytes to those who read it, and not copied

    def close(self) -> None:
        """End the process."""
        self.process.kill()
        self.process.wait()
        for pipe in (self.process.stdin, self.process.stdout):
            if pipe is not None:
                pipe.close()


class Rooms:
    """At most so many processes at once, kept between calls. Safe to share between threads.

    What killed a process is remembered for a while and refused at once, or one bad file would keep everybody waiting again
    and again.
    """

    _REMEMBERED, _MOST_REMEMBERED = 600.0, 256

    def __init__(self, most: int) -> None:
        self._most = most
        self._free: list[_Room] = []
        self._out = 0
        self._changed = threading.Condition()
        self._deadly: dict[Hashable, tuple[float, str]] = {}
        self._owner = os.getpid()

    def call(self, function: str, arguments: tuple[Any, ...], limits: Limits) -> dict[str, Any]:
        """Let a process call a function; Died, with a reason for the person, or Busy."""
        key = (function, arguments) if all(isinstance(one, Hashable) for one in arguments) else None
        if key is not None:
            self._refuse_what_killed(key)
        room = self._take(limits)
        kept = False
        try:
            answer = room.call(function, arguments)
            kept = answer.get("largest", 0) < limits.kept
            if answer.get("memory"):
                kept = False
                raise Died("reading it took more memory than it is given")
            return answer
        except Died as died:
            if key is not None:
                self._remember(key, died.reason)
            raise
        finally:
            self._give_back(room if kept else None)
            if not kept:
                room.close()

    def _refuse_what_killed(self, key: Hashable) -> None:
        with self._changed:
            until, reason = self._deadly.get(key, (0.0, ""))
        if until > time.monotonic():
            raise Died(reason)

    def _remember(self, key: Hashable, reason: str) -> None:
        with self._changed:
            self._deadly[key] = (time.monotonic() + self._REMEMBERED, reason)
            while len(self._deadly) > self._MOST_REMEMBERED:
                del self._deadly[next(iter(self._deadly))]

    def _take(self, limits: Limits) -> _Room:
        until = time.monotonic() + 2 * limits.seconds
        with self._changed:
            if self._owner != os.getpid():
                # A copy of another process: its children are not ours.
                self._free, self._out, self._owner = [], 0, os.getpid()
            while self._out >= self._most:
                if not self._changed.wait(until - time.monotonic()):
                    raise Busy
            self._out += 1
            fitting = [room for room in self._free if room.limits == limits and room.process.poll() is None]
            if fitting:
                self._free.remove(fitting[-1])
                return fitting[-1]
            spare = self._free.pop(0) if len(self._free) + self._out > self._most else None
        if spare is not None:
            spare.close()
        try:
            return _Room(limits)
        except BaseException:
            self._give_back(None)
            raise

    def _give_back(self, room: _Room | None) -> None:
        with self._changed:
            self._out -= 1
            if room is not None:
                self._free.append(room)
            self._changed.notify()

    def close(self) -> None:
        """End all processes that are not at work."""
        with self._changed:
            rooms, self._free = self._free, []
        for room in rooms:
            if self._owner == os.getpid():
                room.close()


#: Two, so that one bad file does not keep others from theirs.
ROOMS = Rooms(2)
atexit.register(ROOMS.close)
