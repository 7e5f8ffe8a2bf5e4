"""Services that end, end again and again, or outlive their supervisor; two launchers for one folder."""

import json
import os
import signal
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from collections.abc import Callable
from pathlib import Path

from launcher.folder_lock import FolderLock, Taken, read_note
from launcher.supervisor import Patience, Service, Supervisor

ROOT = Path(__file__).parents[1]
#: Writes its process into a file each time it starts, then waits for the end of its lifeline.
_STEADY = """
import os, sys, signal, threading
line = int(os.environ["ZEITBILD_LIFELINE"])
with open(sys.argv[1], "a") as file:
    file.write(f"{os.getpid()}\\n")
os.read(line, 1)
"""
_QUICK = Patience(pauses=(0.05, 0.1, 0.2), steady=60, leave=3)


def _lives(process: int) -> bool:
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[0] != "Z"
    except OSError:
        return False


def _until(holds: Callable[[], bool], seconds: float = 60) -> None:
    end = time.monotonic() + seconds
    while not holds():
        if time.monotonic() > end:
            raise AssertionError("this did not come about")
        time.sleep(0.01)


class Supervising(unittest.TestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.said: list[str] = []

    def _service(self, name: str, code: str) -> Service:
        return Service(name, [sys.executable, "-c", code, str(self.folder / name)])

    def _starts(self, name: str) -> list[int]:
        path = self.folder / name
        return [int(line) for line in path.read_text().split()] if path.exists() else []

    def _running(
        self, *services: Service, patience: Patience = _QUICK
    ) -> tuple[Supervisor, threading.Thread, list[int]]:
        supervisor = Supervisor(services, os.environ, self.said.append, patience=patience)
        code: list[int] = []
        thread = threading.Thread(target=lambda: code.append(supervisor.run(rest=0.01)))
        thread.start()
        self.addCleanup(thread.join)
        self.addCleanup(supervisor.stop)
        return supervisor, thread, code

    def test_a_killed_service_is_started_again_and_the_other_goes_on(self) -> None:
        supervisor, thread, code = self._running(self._service("one", _STEADY), self._service("two", _STEADY))
        _until(lambda: len(self._starts("one")) == 1 and len(self._starts("two")) == 1)
        os.kill(self._starts("one")[0], signal.SIGKILL)
        _until(lambda: len(self._starts("one")) == 2)
        self.assertEqual(len(self._starts("two")), 1)
        self.assertIn("the one ended (killed by SIGKILL); it is started again in 0.05 s", self.said)
        supervisor.stop()
        thread.join()
        self.assertEqual(code, [0])
        self.assertFalse(any(_lives(one) for one in self._starts("one") + self._starts("two")))

    def test_one_that_ends_each_time_is_given_up_with_a_last_word(self) -> None:
        bad = "import os, sys; open(sys.argv[1], 'a').write(f'{os.getpid()}\\n'); sys.exit(3)"
        began = time.monotonic()
        _, thread, code = self._running(self._service("bad", bad), self._service("good", _STEADY))
        thread.join(timeout=30)
        # Once, and once after each pause; pauses grow.
        self.assertEqual(len(self._starts("bad")), 1 + len(_QUICK.pauses))
        self.assertGreater(time.monotonic() - began, sum(_QUICK.pauses))
        self.assertEqual(code, [1])
        self.assertIn("the bad ended 4 times in a row, the last time with exit code 3", self.said[-1])
        self.assertFalse(any(_lives(one) for one in self._starts("good")))

    def test_after_a_steady_while_earlier_ends_are_forgotten(self) -> None:
        patient = Patience(pauses=(0.01,), steady=0.2, leave=3)
        lives = "import os, sys, time; open(sys.argv[1], 'a').write(f'{os.getpid()}\\n'); time.sleep(0.4)"
        _, _, code = self._running(self._service("slow", lives), patience=patient)
        _until(lambda: len(self._starts("slow")) == 4)
        self.assertEqual(code, [])

    def test_services_end_with_a_supervisor_that_is_killed(self) -> None:
        code = (
            "import os, sys; from launcher.supervisor import Service, Supervisor\n"
            "command = [sys.executable, '-c', sys.argv[1], sys.argv[2]]\n"
            "Supervisor([Service('one', command)], os.environ, print).run()"
        )
        mark = self.folder / "one"
        launcher = subprocess.Popen([sys.executable, "-c", code, _STEADY, str(mark)], cwd=ROOT)
        _until(lambda: len(self._starts("one")) == 1)
        launcher.kill()
        launcher.wait()
        _until(lambda: not _lives(self._starts("one")[0]))

    def test_what_a_service_left_running_is_ended_with_it(self) -> None:
        code = (
            "import subprocess, sys\n"
            "child = subprocess.Popen([sys.executable, '-c', 'import time; time.sleep(60)'])\n"
            "open(sys.argv[1], 'a').write(f'{child.pid}\\n')"
        )
        self._running(self._service("parent", code))
        _until(lambda: len(self._starts("parent")) >= 2)
        _until(lambda: not _lives(self._starts("parent")[0]))

    def test_one_that_will_not_end_is_killed(self) -> None:
        deaf = "import signal, sys, os, time; signal.signal(15, signal.SIG_IGN); open(sys.argv[1], 'a').write(f'{os.getpid()}\\n'); time.sleep(60)"
        patience = Patience(pauses=(0.05,), steady=60, leave=0.3)
        supervisor, thread, _ = self._running(self._service("deaf", deaf), patience=patience)
        _until(lambda: len(self._starts("deaf")) == 1)
        supervisor.stop()
        thread.join(timeout=10)
        self.assertFalse(_lives(self._starts("deaf")[0]))


class Locking(unittest.TestCase):
    def test_a_second_launcher_is_told_where_the_first_is(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name) / "data"
            first = FolderLock(folder)
            first.write_note({"pid": 7, "address": "http://127.0.0.1:8765/"})
            with self.assertRaises(Taken) as refused:
                FolderLock(folder)
            self.assertEqual(refused.exception.note["address"], "http://127.0.0.1:8765/")
            first.free()
            self.assertEqual(read_note(folder), {})
            FolderLock(folder).free()

    def test_a_lock_ends_with_its_process_however_that_ends(self) -> None:
        code = "import sys, time; from pathlib import Path; from launcher.folder_lock import FolderLock\n"
        code += "lock = FolderLock(Path(sys.argv[1])); lock.write_note({'pid': 1}); print('held', flush=True); time.sleep(60)"
        with tempfile.TemporaryDirectory() as name:
            holder = subprocess.Popen([sys.executable, "-c", code, name], cwd=ROOT, stdout=subprocess.PIPE)
            assert holder.stdout is not None
            holder.stdout.readline()
            with self.assertRaises(Taken):
                FolderLock(Path(name))
            holder.kill()
            holder.wait()
            holder.stdout.close()
            FolderLock(Path(name)).free()

    def test_a_damaged_note_is_no_note(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            for text in ("{", json.dumps([1]), ""):
                (Path(name) / "launcher.json").write_text(text)
                self.assertEqual(read_note(Path(name)), {})
