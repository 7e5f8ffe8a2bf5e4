"""Django's test runner with a last line that counts."""

from __future__ import annotations

import unittest
from typing import Any

from django.test.runner import DiscoverRunner


class CountingRunner(DiscoverRunner):
    """Prints ``N passed, N failed`` at the very end."""

    def run_tests(self, test_labels: list[str], **kwargs: Any) -> int:
        """Run, and count."""
        self._counts = (0, 0, 0)
        failed = super().run_tests(test_labels, **kwargs)
        passed, wrong, skipped = self._counts
        print(f"{passed} passed, {wrong} failed" + (f", {skipped} skipped" if skipped else ""), flush=True)
        return failed

    def suite_result(self, suite: unittest.TestSuite, result: Any, **kwargs: Any) -> int:
        """Remember the counts for the last line."""
        # A class or module whose set-up failed counts as one failure, although its tests never ran.
        wrong = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        self._counts = (max(0, result.testsRun - wrong - skipped), wrong, skipped)
        return int(super().suite_result(suite, result, **kwargs))
