"""Calls in a reading process: values there and back, errors, limits of time and memory, crashes, and none left over."""

import ctypes
import io
import os
import signal
import struct
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np

from zeitbild.errors import LimitError, PictureError
from zeitbild.isolation import Limits, apart
from zeitbild.isolation.messages import packed, unpacked
from zeitbild.isolation.rooms import ROOMS, Died, Rooms
from zeitbild.storage import lives

_SHORT = Limits(seconds=1.0, memory=1 << 30)
_SMALL = Limits(memory=1 << 30)


@apart(PictureError)
def echo(value: Any, label: str) -> Any:
    return value


@apart(PictureError)
def process_of(value: Any, label: str) -> int:
    return os.getpid()


@apart(PictureError, "some.field", _SHORT)
def sleep(seconds: float, label: str) -> None:
    time.sleep(seconds)


@apart(PictureError, limits=_SHORT)
def hold_the_lock(count: int, label: str) -> int:
    """Native code that does not let go of the interpreter."""
    return ctypes.PyDLL(None).usleep(count)


@apart(PictureError, limits=_SMALL)
def eat(count: int, label: str) -> int:
    return len(np.ones(count, np.uint8))


@apart(PictureError)
def wait_for(path: str, label: str) -> None:
    while not Path(path).exists():
        time.sleep(0.01)


@apart(PictureError)
def die(how: int, label: str) -> None:
    os.kill(os.getpid(), how)


@apart(PictureError)
def fail(kind: str, label: str) -> None:
    if kind == "limit":
        raise LimitError("too much", "word")
    raise UnicodeDecodeError("utf-8", b"\xff", 0, 1, kind)


@apart(PictureError)
def print_noise(value: str, label: str) -> str:
    print(value)
    os.write(1, value.encode())
    os.write(2, value.encode())
    return value


class Messages(unittest.TestCase):
    def _through(self, value: Any) -> Any:
        return unpacked(io.BytesIO(b"".join(bytes(part) for part in packed(value))).read)

    def test_values_arrive_as_they_were(self) -> None:
        value = {"a": [1, 2.5, None, True, "ä\u2028"], "b": b"\0\1", "c": {"d": []}, "e": float("inf")}
        self.assertEqual(self._through(value), value)
        for array in (np.arange(12, dtype=np.float32).reshape(3, 4)[:, ::2], np.zeros((0, 3)), np.array(7, np.int64)):
            np.testing.assert_array_equal(self._through(array), array)

    def test_what_is_no_message_is_refused(self) -> None:
        good = b"".join(bytes(part) for part in packed({"x": np.zeros(4)}))
        head = b'{"$array": "|O", "shape": [1]}'
        for data in (
            struct.pack("<QQ", 1 << 60, 0) + good[16:],
            struct.pack("<QQ", len(good), 1 << 60),
            struct.pack("<QQ", len(head), 8) + head + bytes(8),
            struct.pack("<QQ", 2, 8) + b"{}" + bytes(8),
            struct.pack("<QQ", 13, 0) + b'{"$bytes": 5}',
            struct.pack("<QQ", 2, 0) + b"{]",
        ):
            with self.assertRaises(ValueError):
                unpacked(io.BytesIO(data).read)
        with self.assertRaises(TypeError):
            packed(object())


class Calls(unittest.TestCase):
    def test_values_go_there_and_back(self) -> None:
        self.assertEqual(echo({"a": [1, "x"]}, "it"), {"a": [1, "x"]})
        np.testing.assert_array_equal(echo(np.arange(1 << 20, dtype=np.float32), "it"), np.arange(1 << 20))
        self.assertNotEqual(process_of(0, "it"), os.getpid())
        # What is printed there does not mix with answers.
        self.assertEqual(print_noise("noise", "it"), "noise")

    def test_errors_arrive_with_their_field(self) -> None:
        with self.assertRaises(LimitError) as caught:
            fail("limit", "it")
        self.assertEqual((str(caught.exception), caught.exception.field), ("too much", "word"))
        with self.assertRaisesRegex(PictureError, "it is damaged and cannot be read .UnicodeDecodeError"):
            fail("odd", "it")

    def test_what_takes_too_long_is_killed_and_remembered(self) -> None:
        for function, argument in ((sleep, 30.0), (hold_the_lock, 30_000_000)):
            with self.assertRaisesRegex(PictureError, "it cannot be used: reading it took more than 1 seconds"):
                function(argument, "it")
            # The same again is refused without being tried.
            with mock.patch.object(ROOMS, "_take", side_effect=AssertionError), self.assertRaises(PictureError):
                function(argument, "it")
        self.assertEqual(echo(1, "it"), 1)

    def test_what_takes_too_much_memory_or_crashes_is_one_sentence(self) -> None:
        with self.assertRaisesRegex(PictureError, "more memory than it is given"):
            eat(3 << 30, "it")
        for how in (signal.SIGSEGV, signal.SIGBUS, signal.SIGILL):
            with self.assertRaisesRegex(PictureError, "it cannot be used: reading it crashed"):
                die(int(how), "it")
        self.assertEqual(echo(1, "it"), 1)

    def test_a_process_is_kept_by_its_own_size_and_not_by_its_parents(self) -> None:
        rooms = Rooms(1)
        self.addCleanup(rooms.close)
        # More than a process may have grown to: what the system counts as used begins with that of the parent.
        ballast = np.ones(600 << 20, np.uint8)

        def process() -> int:
            return int(rooms.call(f"{__name__}:process_of", (0, "it"), Limits())["result"])

        first = process()
        self.assertEqual(process(), first)
        rooms.call(f"{__name__}:eat", (450 << 20, "it"), Limits())
        self.assertNotEqual(process(), first)
        self.assertEqual(int(ballast[-1]), 1)

    def test_one_that_hangs_does_not_keep_others(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "go on"
            slow = threading.Thread(target=wait_for, args=(str(path), "slow"))
            slow.start()
            while not ROOMS._out:
                time.sleep(0.001)
            self.assertEqual(echo(1, "quick"), 1)
            self.assertTrue(slow.is_alive())
            path.touch()
            slow.join()

    def test_a_machine_at_its_limits_is_not_the_files_fault(self) -> None:
        # A process that takes long to start and to load its libraries: whoever reads waits, and is not told of damage.
        with mock.patch("zeitbild.isolation.rooms._BEGIN", 0.0), self.assertRaisesRegex(LimitError, "it has to wait"):
            echo("begins too late", "it")
        self.assertEqual(echo("begins too late", "it"), "begins too late")

    def test_only_zeitbilds_functions_are_called(self) -> None:
        rooms = Rooms(1)
        self.addCleanup(rooms.close)
        for name in ("os:system", "subprocess:run", "zeitbild.storage:write_bytes"):
            with self.assertRaises(Died):
                rooms.call(name, ("true", "x"), _SHORT)

    def test_many_at_once_wait_for_each_other(self) -> None:
        found: list[int] = []
        threads = [threading.Thread(target=lambda n=n: found.append(echo(n, "it"))) for n in range(20)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sorted(found), list(range(20)))

    def test_a_process_ends_with_its_parent_even_in_the_middle(self) -> None:
        code = (
            "import threading, time; from zeitbild.isolation import test_isolation as t\n"
            "print(t.process_of(0, 'x'), flush=True)\n"
            "threading.Thread(target=t.sleep, args=(0.9, 'x')).start(); time.sleep(60)"
        )
        env = {**os.environ, "PYTHONPATH": str(Path(__file__).parents[2])}
        parent = subprocess.Popen([sys.executable, "-c", code], env=env, stdout=subprocess.PIPE)
        assert parent.stdout is not None
        child = int(parent.stdout.readline())
        self.assertTrue(lives(child))
        parent.kill()
        parent.wait()
        parent.stdout.close()
        end = time.monotonic() + 60
        while lives(child) and time.monotonic() < end:
            time.sleep(0.05)
        self.assertFalse(lives(child))
