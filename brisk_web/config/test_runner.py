"""Django's test runner, closing with one line of counts."""

from __future__ import annotations

from typing import Any
from unittest import TestResult

from django.test.runner import DiscoverRunner


class CountingRunner(DiscoverRunner):
    """Prints ``N passed, N failed, N skipped`` as the last line."""

    counts = ""

    def suite_result(self, suite: Any, result: TestResult, **kwargs: Any) -> int:
        """Count, then answer as Django does."""
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        type(self).counts = f"{result.testsRun - failed - skipped} passed, {failed} failed, {skipped} skipped"
        return super().suite_result(suite, result, **kwargs)

    def run_tests(self, *args: Any, **kwargs: Any) -> int:
        """Run, tear down, and only then print the line, so that nothing stands below it."""
        failures = super().run_tests(*args, **kwargs)
        print(self.counts, flush=True)
        return failures
