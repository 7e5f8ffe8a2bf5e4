"""Django's test runner with a last line that counts, a watch on each test, and a list of the slowest."""

from __future__ import annotations

import faulthandler
import time
import unittest
from typing import Any

from django.test.runner import DiscoverRunner

#: A test that takes longer hangs: it is shown where it hangs, and the run ends, instead of keeping a machine for hours.
#: Generous, since machines differ by four from hour to hour, and the first test of a kernel compiles it.
LONGEST_S = 20 * 60
#: So many of the slowest are listed.
LISTED = 60


class WatchedResult(unittest.TextTestResult):
    """Gives each test its time, and remembers what it took since the one before: what a class sets up, and a first try, with it."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        """Nothing took any time yet."""
        super().__init__(*args, **kwargs)
        self.took: list[tuple[float, str]] = []
        self._ended = time.monotonic()

    def startTest(self, test: unittest.TestCase) -> None:
        """Watch it."""
        faulthandler.dump_traceback_later(LONGEST_S, exit=True)
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        """Note its time; what follows has as long, too."""
        super().stopTest(test)
        now = time.monotonic()
        self.took.append((now - self._ended, test.id()))
        self._ended = now
        faulthandler.dump_traceback_later(LONGEST_S, exit=True)


class CountingRunner(DiscoverRunner):
    """Prints ``N passed, N failed`` at the very end, before it the slowest tests and what packages took if there were many."""

    def run_tests(self, test_labels: list[str], **kwargs: Any) -> int:
        """Run, and count."""
        self._counts = (0, 0, 0)
        failed = super().run_tests(test_labels, **kwargs)
        faulthandler.cancel_dump_traceback_later()
        passed, wrong, skipped = self._counts
        print(f"{passed} passed, {wrong} failed" + (f", {skipped} skipped" if skipped else ""), flush=True)
        return failed

    def get_resultclass(self) -> type[unittest.TextTestResult] | None:
        """Django's own where it wants one (for SQL or a debugger), ours otherwise."""
        return super().get_resultclass() or WatchedResult

    def suite_result(self, suite: unittest.TestSuite, result: Any, **kwargs: Any) -> int:
        """Remember the counts for the last line; list the slowest."""
        # A class or module whose set-up failed counts as one failure, although its tests never ran.
        wrong = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        self._counts = (max(0, result.testsRun - wrong - skipped), wrong, skipped)
        took = sorted(getattr(result, "took", []), reverse=True)
        if len(took) > LISTED:
            print(f"the slowest of {sum(seconds for seconds, _ in took):.0f} s:")
            for seconds, name in took[:LISTED]:
                print(f"{seconds:8.1f} s  {name}")
            # Which of them a part of ``run_tests`` could hand to another.
            packages: dict[str, float] = {}
            for seconds, name in took:
                package = ".".join(name.split(".")[:2])
                packages[package] = packages.get(package, 0) + seconds
            print("by package:", ", ".join(f"{name} {seconds:.0f} s" for name, seconds in sorted(packages.items())))
        return int(super().suite_result(suite, result, **kwargs))
