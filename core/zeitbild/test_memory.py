"""Memory that is freed stays with its process, and goes back when it is told to; as the machine counts it."""

import subprocess
import sys
import unittest
from pathlib import Path
from unittest.mock import patch

from zeitbild import memory

#: What a process holds (MB, proc(5)) before, with and after a large array, and when it gave back what was free.
_PROGRAM = """
import sys
from pathlib import Path
import numpy as np
from zeitbild import memory

def held():
    status = Path("/proc/self/status").read_text()
    return int(status.split("VmRSS:")[1].split()[0]) // 1024

memory.keep_what_is_freed()
before = held()
values = np.ones(200 << 20, np.uint8)
told = [held() - before]
del values
told.append(held() - before)
{then}
told.append(held() - before)
print(*told)
"""


class Memory(unittest.TestCase):
    def _held(self, then: str) -> list[int]:
        program = _PROGRAM.replace("{then}", then)
        found = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=True, timeout=120)
        return [int(one) for one in found.stdout.split()]

    @unittest.skipUnless(Path("/proc/self/status").exists(), "this machine does not say what a process holds")
    def test_it_is_kept_and_given_back(self) -> None:
        full, freed, after = self._held("memory.give_back()")
        self.assertGreater(full, 190)
        self.assertGreater(freed, 190)
        self.assertLess(after, 20)

    @unittest.skipUnless(Path("/proc/self/status").exists(), "this machine does not say what a process holds")
    def test_only_much_goes_back_at_once(self) -> None:
        for much, least, most in ((300 << 20, 190, 300), (100 << 20, 0, 20)):
            with self.subTest(much=much):
                _, _, after = self._held(f"memory._MUCH = {much}\nmemory.give_back_much()")
                self.assertTrue(least <= after <= most, after)

    @unittest.skipUnless(Path("/proc/self/status").exists(), "this machine does not say what a process holds")
    def test_a_process_that_has_nothing_to_do_gives_it_back_by_itself(self) -> None:
        then = "import time\nmemory._LOOKS = 0.2\nmemory.give_back_when_idle()\nuntil = time.monotonic() + 60\n"
        then += "while held() - before > 20 and time.monotonic() < until:\n    time.sleep(0.1)\n"
        _, freed, after = self._held(then)
        self.assertGreater(freed, 190)
        self.assertLess(after, 20)

    def test_where_the_library_knows_nothing_of_it_nothing_happens(self) -> None:
        with patch("ctypes.CDLL", lambda _: object()):
            memory.keep_what_is_freed()
            memory.give_back()
