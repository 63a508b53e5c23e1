"""Django's test runner, closing with one line of counts."""

from __future__ import annotations

import logging
from typing import Any
from unittest import TestResult

import hypothesis
from django.conf import settings
from django.db import connection
from django.test import override_settings
from django.test.runner import DiscoverRunner


class CountingRunner(DiscoverRunner):
    """Prints ``N passed, N failed, N skipped`` as the last line."""

    counts = ""

    def suite_result(self, suite: Any, result: TestResult, **kwargs: Any) -> int:
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
        failures = super().run_tests(*args, **kwargs)
        print(self.counts, flush=True)
        return failures
