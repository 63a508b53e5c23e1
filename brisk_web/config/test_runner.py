"""Django's test runner: in parallel processes, with the time of every label, closing with one line of counts."""

from __future__ import annotations

import logging
import os
import tempfile
import time
from collections import defaultdict
from pathlib import Path
from typing import Any
from unittest import TestCase, TextTestResult

import hypothesis
from django.conf import settings
from django.db import connection
from django.test import override_settings
from django.test.runner import DiscoverRunner, ParallelTestSuite, RemoteTestResult, RemoteTestRunner

_SLOWEST = 12  # tests that are named with their time


class _Clock:
    """Notes how long every test took, in a file that all processes write to."""

    path: Path | None = None
    _began = 0.0

    def startTest(self, test: TestCase) -> None:
        self._began = time.monotonic()
        super().startTest(test)  # type: ignore[misc]

    def stopTest(self, test: TestCase) -> None:
        super().stopTest(test)  # type: ignore[misc]
        if _Clock.path:
            line = f"{time.monotonic() - self._began:.3f} {test.id()}\n".encode()
            descriptor = os.open(_Clock.path, os.O_WRONLY | os.O_APPEND)
            os.write(descriptor, line)
            os.close(descriptor)


def _that_travels(error: Any) -> Any:
    """Return what went wrong in a form that another process can read: errors of libraries may not be made anew there,
    and then the whole run would wait for ever.
    """
    kind, value, trace = error
    if kind.__module__ in ("builtins", "unittest.case"):
        return error
    return RuntimeError, RuntimeError(f"{kind.__module__}.{kind.__name__}: {value}").with_traceback(trace), trace


class _RemoteResult(_Clock, RemoteTestResult):
    def addError(self, test: Any, err: Any) -> None:
        super().addError(test, _that_travels(err))

    def addFailure(self, test: Any, err: Any) -> None:
        super().addFailure(test, _that_travels(err))

    def addSubTest(self, test: Any, subtest: Any, err: Any) -> None:
        # What a part of a test holds (a browser, a connection) cannot travel: its failure is told as the test's.
        if err is None:
            return
        kind, value, trace = err
        told = AssertionError(f"{subtest.id()}: {kind.__name__}: {value}")
        self.addFailure(test, (AssertionError, told.with_traceback(trace), trace))


class _RemoteRunner(RemoteTestRunner):
    resultclass = _RemoteResult


class _Suite(ParallelTestSuite):
    """Begins with the classes that say that they take minutes, so that none of them runs alone at the end."""

    runner_class = _RemoteRunner

    def __init__(self, subsuites: Any, *args: Any, **kwargs: Any) -> None:
        first = sorted(subsuites, key=lambda suite: -max((getattr(test, "minutes", 0) for test in suite), default=0))
        super().__init__(first, *args, **kwargs)


def _label(test: str) -> str:
    """The package of a test: brisk_core.meters, brisk_web.jobs."""
    return ".".join(test.split(".")[:2])


def _times(path: Path) -> str:
    """Return the time of every label and of the slowest tests, as lines."""
    noted = [line.split(" ", 1) for line in path.read_text().splitlines()]
    by_label: dict[str, list[float]] = defaultdict(list)
    for seconds, test in noted:
        by_label[_label(test)].append(float(seconds))
    ranked = sorted(by_label.items(), key=lambda one: -sum(one[1]))
    lines = [f"{sum(all_of):8.1f} s {len(all_of):5} tests  {label}" for label, all_of in ranked]
    slowest = sorted(noted, key=lambda one: -float(one[0]))[:_SLOWEST]
    return "\n".join(
        ["Seconds of work by label:", *lines, "Slowest:", *(f"{float(s):8.1f} s  {t}" for s, t in slowest)]
    )


class CountingRunner(DiscoverRunner):
    """Prints the time of every label, and ``N passed, N failed, N skipped`` as the last line."""

    counts = ""
    parallel_test_suite = _Suite

    def get_resultclass(self) -> Any:
        """Let the plain result note times as well."""
        plain = super().get_resultclass()
        if self.parallel > 1:
            return plain  # the processes note the times of what they run themselves
        return type("TimedResult", (_Clock, plain or TextTestResult), {})

    def suite_result(self, suite: Any, result: Any, **kwargs: Any) -> int:
        """Count, then answer as Django does."""
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        skipped = len(result.skipped)
        type(self).counts = f"{max(result.testsRun - failed - skipped, 0)} passed, {failed} failed, {skipped} skipped"
        return super().suite_result(suite, result, **kwargs)

    def setup_test_environment(self, **kwargs: Any) -> None:
        """Serve static files as they lie, hash passwords quickly, keep refusals that tests provoke out of the log."""
        super().setup_test_environment(**kwargs)
        plain = {"staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"}}
        logging.getLogger("django.request").setLevel(logging.CRITICAL)
        logging.getLogger("axes").setLevel(logging.CRITICAL)
        hypothesis.settings.register_profile("house", deadline=None)  # a busy machine is no fault of the code
        hypothesis.settings.load_profile("house")
        quick = ["django.contrib.auth.hashers.MD5PasswordHasher"]
        override_settings(STORAGES=settings.STORAGES | plain, PASSWORD_HASHERS=quick).enable()

    def teardown_databases(self, old_config: Any, **kwargs: Any) -> None:
        """End the sessions that threads of in-process workers have left open, then drop the databases."""
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
                "WHERE datname = current_database() AND pid <> pg_backend_pid()"
            )
        super().teardown_databases(old_config, **kwargs)

    def run_tests(self, *args: Any, **kwargs: Any) -> int:
        """Run, tear down, and only then print the line, so that nothing stands below it."""
        with tempfile.NamedTemporaryFile(prefix="test-times-") as times:
            _Clock.path = Path(times.name)
            failures = super().run_tests(*args, **kwargs)
            _Clock.path = None
            print(_times(Path(times.name)))
        print(self.counts, flush=True)
        return failures
