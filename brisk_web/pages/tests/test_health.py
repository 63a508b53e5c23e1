from unittest import mock

from django.db import OperationalError, connection
from django.test import TestCase

from brisk_web.pages import health
from brisk_web.testing import HouseMixin


class HealthTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        (self.folder / "data").mkdir(exist_ok=True)
        nothing_seen = mock.patch.object(health, "_migrated", set())
        nothing_seen.start()
        self.addCleanup(nothing_seen.stop)

    def worker(self, seconds_ago: float) -> None:
        with connection.cursor() as cursor:
            cursor.execute(
                "INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now() - %s * interval '1 second')",
                [seconds_ago],
            )

    def test_the_web_answers_whoever_asks(self) -> None:
        answer = self.client.get("/healthz")
        self.assertEqual(
            (answer.status_code, answer.content, answer["Cache-Control"].split(",")[0]), (200, b"ok\n", "max-age=0")
        )
        self.assertEqual(self.client.post("/healthz").status_code, 405)
        with mock.patch("django.db.backends.utils.CursorWrapper.execute", side_effect=OperationalError("gone")):
            self.assertEqual(self.client.get("/healthz").status_code, 200)

    def test_ready_with_a_worker_and_a_database(self) -> None:
        self.worker(1)
        answer = self.client.get("/readyz")
        self.assertEqual((answer.status_code, answer.json()["ready"], answer.json()["workers"]), (200, True, 1))

    def test_what_keeps_it_from_working_is_told(self) -> None:
        self.worker(600)
        answer = self.client.get("/readyz")
        self.assertEqual(answer.status_code, 503)
        self.assertEqual(answer.json()["troubles"], ["no worker has given a sign of life lately"])
        self.assertEqual(answer.json()["silent_workers"], 1)
        with mock.patch("django.db.backends.utils.CursorWrapper.execute", side_effect=OperationalError("secret host")):
            answer = self.client.get("/readyz")
        self.assertEqual((answer.status_code, answer.json()["troubles"]), (503, ["the database does not answer"]))
        self.assertNotIn("secret", answer.content.decode())
        pending = mock.patch.object(health.MigrationExecutor, "migration_plan", return_value=[("a", False)] * 2)
        with mock.patch.object(health, "_migrated", set()), pending:
            self.assertEqual(self.client.get("/readyz").json()["troubles"], ["2 migrations are not applied"])
        self.worker(1)
        with mock.patch.object(health, "LEAST_FREE", 1 << 60):
            told = self.client.get("/readyz").json()["troubles"]
        self.assertEqual(told, ["less than 1 GiB is free where the house keeps its data"])
