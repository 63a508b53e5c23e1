import configparser
import pickle
import sys
from io import StringIO
from unittest import mock

import av
from django.conf import settings
from django.core.management import call_command
from django.db import OperationalError
from django.test import SimpleTestCase, TestCase

from brisk_web.config.test_runner import _that_travels
from brisk_web.testing import HouseMixin
from brisk_web.work.kernel import KINDS
from brisk_web.work.tasks import QUEUE


class ProcessesTest(SimpleTestCase):
    def programs(self) -> dict[str, configparser.SectionProxy]:
        parser = configparser.RawConfigParser()
        parser.read(settings.BASE_DIR / "scripts" / "supervisord.conf")
        return {name: parser[name] for name in parser.sections() if name.startswith("program:")}

    def test_a_process_that_ends_is_started_again_whatever_it_says(self) -> None:
        for name, program in self.programs().items():
            self.assertEqual(program["autorestart"], "true", name)
            self.assertGreater(int(program["startretries"]), 1000, name)

    def test_every_queue_has_a_worker_and_the_watch_waits_for_nobody(self) -> None:
        commands = [
            program["command"] for program in self.programs().values() if "manage.py work" in program["command"]
        ]
        served = [set(command.split("manage.py work ")[1].split()[0].split(",")) for command in commands]
        for queue in {kind.queue_name for kind in KINDS} | {QUEUE}:
            self.assertEqual(sum(queue in queues for queues in served), 1, queue)
        watch = next(queues for queues in served if QUEUE in queues)
        self.assertFalse(watch & {"headers", "scan"})

    def test_a_worker_waits_for_the_database(self) -> None:
        said = StringIO()
        away = [OperationalError("away"), OperationalError("away"), None]
        with (
            mock.patch("brisk_web.work.management.commands.work.connection") as connection,
            mock.patch("brisk_web.work.management.commands.work.time.sleep") as slept,
            mock.patch("brisk_web.work.management.commands.work.call_command") as work,
            mock.patch("brisk_web.work.management.commands.work.CHECKS", []),
        ):
            connection.ensure_connection.side_effect = away
            call_command("work", "scan,watch", "--name", "x", stderr=said)
        self.assertEqual((slept.call_count, work.call_count, connection.close.call_count), (2, 1, 1))
        self.assertEqual(work.call_args.args[2:4], ("--queues", "scan,watch"))
        self.assertEqual(said.getvalue().count("The database does not answer yet"), 1)


class AwayTest(HouseMixin, TestCase):
    def test_a_page_says_that_the_database_is_away_and_tries_again(self) -> None:
        self.sign_in()
        self.client.raise_request_exception = False
        with (
            mock.patch("brisk_web.pages.house.AuditEntry"),
            mock.patch(
                "brisk_web.pages.house._database_since", side_effect=OperationalError("the connection is closed")
            ),
        ):
            answer = self.client.get("/house/")
        self.assertContains(answer, "The database is away", status_code=503)
        self.assertContains(answer, 'http-equiv="refresh"', status_code=503)
        self.assertEqual(answer["Retry-After"], "3")
        with mock.patch("brisk_web.pages.house._database_since", side_effect=KeyError("a mistake")):
            answer = self.client.get("/house/")
        self.assertContains(answer, "A mistake of this application", status_code=500)

    def test_the_house_tells_since_when_the_database_runs(self) -> None:
        self.sign_in()
        self.assertContains(self.client.get("/house/"), "runs since")


class ErrorsTravelTest(TestCase):
    def test_an_error_of_a_library_reaches_the_process_that_counts(self) -> None:
        for error in (av.error.MemoryError(12, "no room", "a.mp4"), OSError("a"), ValueError("b")):
            try:
                raise error
            except Exception:
                kind, value, _ = _that_travels(sys.exc_info())
            again = pickle.loads(pickle.dumps(value))  # noqa: S301 - our own
            self.assertEqual(type(again), kind)
            self.assertIn(str(error), str(again))
