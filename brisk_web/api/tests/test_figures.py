from datetime import timedelta
from unittest import mock

from django.db import connection
from django.utils import timezone
from prometheus_client.parser import text_string_to_metric_families

from brisk_web.house.tokens import make_token
from brisk_web.storage.models import Upload
from brisk_web.testing import QueueTestCase


class FiguresTest(QueueTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.text = make_token(self.people["viewer"], "watch", ["read"], 30)[1]

    def figures(self) -> dict[str, dict[tuple[str, ...], float]]:
        """The figures by name, and by the values of their labels."""
        answer = self.client.get("/metrics", headers={"Authorization": f"Bearer {self.text}"})
        self.assertEqual(answer.status_code, 200)
        self.assertTrue(answer["Content-Type"].startswith("text/plain; version="))
        return {
            family.name: {tuple(sample.labels.values()): sample.value for sample in family.samples}
            for family in text_string_to_metric_families(answer.content.decode())
        }

    def test_what_waits_what_runs_and_who_works(self) -> None:
        self.media()
        with connection.cursor() as cursor:
            for seconds in (1, 600, 700):
                cursor.execute(
                    "INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now() - %s * interval '1 second')",
                    [seconds],
                )
            cursor.execute("UPDATE procrastinate_events SET at = now() - interval '90 seconds'")
            cursor.execute(
                "INSERT INTO procrastinate_events (job_id, type, at) SELECT id, 'scheduled', now() FROM procrastinate_jobs"
            )
        Upload.objects.create(owner=self.people["operator"], name="a.mxf", size=900, offset=300)
        told = self.figures()
        self.assertEqual(told["brisk_tasks"], {("headers", "todo"): 1})  # however many events it has
        self.assertAlmostEqual(told["brisk_oldest_task_seconds"]["headers",], 90, delta=5)
        self.assertEqual(told["brisk_work"]["inspections.inspection", "queued"], 1)
        self.assertEqual(told["brisk_work"]["inspections.inspection", "failed"], 0)
        self.assertEqual(told["brisk_workers"], {("alive",): 1, ("silent",): 2})
        self.assertEqual((told["brisk_uploads"][()], told["brisk_uploads_bytes"][()]), (1, 300))
        self.assertGreater(told["brisk_data_free_bytes"][()] + 1, 0)
        self.assertGreater(told["brisk_database_bytes"][()], 1_000_000)
        self.work()
        told = self.figures()
        self.assertEqual((told["brisk_tasks"], told["brisk_work"]["inspections.inspection", "done"]), ({}, 1))

    def test_queries_do_not_grow_with_what_there_is(self) -> None:
        self.figures()
        with self.assertNumQueries(16):
            self.figures()
        for name in ("a.mp4", "b.mp4", "c.mp4"):
            self.media(name)
        with self.assertNumQueries(16):
            self.figures()

    def test_only_a_token_that_may_read_is_answered(self) -> None:
        other = make_token(self.people["operator"], "other", ["take-in"], 30)[1]
        for header in ("", "Bearer", "Bearer ", "Bearer guess", f"Basic {self.text}", f"Bearer {other}"):
            answer = self.client.get("/metrics", headers={"Authorization": header})
            self.assertEqual((answer.status_code, answer["WWW-Authenticate"]), (401, "Bearer"), header)
            self.assertNotIn(b"brisk_work", answer.content)
        self.sign_in("lead")
        self.assertEqual(self.client.get("/metrics").status_code, 401)  # a session is no token
        self.assertEqual(
            self.client.post("/metrics", headers={"Authorization": f"Bearer {self.text}"}).status_code, 405
        )
        later = timezone.now() + timedelta(days=31)
        with mock.patch("brisk_web.house.tokens.timezone.now", return_value=later):
            answer = self.client.get("/metrics", headers={"Authorization": f"Bearer {self.text}"})
        self.assertEqual(answer.status_code, 401)
