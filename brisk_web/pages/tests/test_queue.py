"""The queue as people see it: what runs, what waits and where, what holds it up, and what they can do about it."""

from __future__ import annotations

from datetime import timedelta
from typing import Any
from unittest import mock

from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob

from brisk_web.house.models import AuditEntry
from brisk_web.inspections.models import Inspection, ScanPart
from brisk_web.inspections.scanning import scan_part
from brisk_web.inspections.services import begin
from brisk_web.masters.models import Comparison
from brisk_web.testing import QueueTestCase
from brisk_web.work.kernel import FIRST
from brisk_web.work.models import Pause


class QueuePageTest(QueueTestCase):
    def setUp(self) -> None:
        super().setUp()
        self.files = [self.media(f"{name}.mp4") for name in "abc"]
        self.inspections = [file.inspection or begin(file) for file in self.files]
        Inspection.objects.update(stage=Inspection.Stage.PACKETS)
        self.sign_in("lead")

    def page(self) -> str:
        with mock.patch("brisk_web.pages.queue.count_workers", return_value={"alive": 3, "silent": 0}):
            return str(self.client.get("/house/queue/").content.decode())

    def order(self) -> list[str]:
        page = self.page()
        return sorted((file.name for file in self.files), key=page.index)

    def alone(self, **more: Any) -> Any:
        Inspection.objects.exclude(pk=self.inspections[0].pk).update(state="done")
        return Inspection.objects.filter(pk=self.inspections[0].pk).update(**more)

    def test_what_waits_stands_in_its_order_and_is_put_first(self) -> None:
        self.assertEqual(self.order(), ["a.mp4", "b.mp4", "c.mp4"])
        self.assertEqual([one.place_in_queue for one in self.inspections], [1, 2, 3])
        self.sign_in("operator")
        self.client.post(f"/house/queue/{self.inspections[2].pk}/first")
        self.assertEqual(self.order(), ["c.mp4", "a.mp4", "b.mp4"])
        places = [Inspection.objects.get(pk=one.pk).place_in_queue for one in self.inspections]
        self.assertEqual(places, [2, 3, 1])
        self.assertEqual(AuditEntry.objects.get(verb="inspection.put-first").says, "Put the reading of c.mp4 first")
        self.client.post(f"/house/queue/{self.inspections[2].pk}/first", {"again": "1"})
        self.assertEqual(self.order(), ["a.mp4", "b.mp4", "c.mp4"])

    def test_what_is_put_first_is_really_taken_first_with_all_that_belongs_to_it(self) -> None:
        last = self.inspections[2]
        Inspection.objects.filter(pk=last.pk).update(state="running", stage=Inspection.Stage.SCAN)
        part = ScanPart.objects.create(inspection=last, number=0, end=10, total=10)
        scan_part.knock(part.pk)
        self.client.post(f"/house/queue/{last.pk}/first")
        (rank,) = ProcrastinateJob.objects.filter(task_name=scan_part.name).values_list("priority", flat=True)
        self.assertEqual(rank, scan_part.priority + FIRST)
        other = ScanPart.objects.create(inspection=last, number=1, first=10, end=20, total=10)
        scan_part.knock(other.pk)
        self.assertEqual(
            set(ProcrastinateJob.objects.filter(task_name=scan_part.name).values_list("priority", flat=True)), {rank}
        )

    def test_what_is_read_by_now_cannot_be_put_first(self) -> None:
        Inspection.objects.update(state="done")
        answer = self.client.post(f"/house/queue/{self.inspections[0].pk}/first", follow=True)
        self.assertContains(answer, "It is read by now, or was so already.")
        self.assertFalse(Inspection.objects.filter(urgent=True).exists())

    def test_parts_of_one_scan_are_one_line_and_a_comparison_names_both(self) -> None:
        self.alone(state="running", stage=Inspection.Stage.SCAN, started_at=timezone.now())
        for number, state in enumerate(("running", "running", "queued", "queued", "queued")):
            ScanPart.objects.create(inspection=self.inspections[0], number=number, state=state, total=10, end=10)
        Comparison.objects.create(inspection=self.inspections[1], master=self.inspections[2], engine="x")
        page = self.page()
        self.assertIn("scanning, 2 parts at once", page)
        self.assertIn("scanning, 3 parts", page)
        self.assertIn("b.mp4 against c.mp4", page)
        self.assertNotIn("reading this file", page)

    def test_pausing_and_going_on(self) -> None:
        answer = self.client.post("/house/queue/pause", {"queue": "scan"}, follow=True)
        self.assertContains(answer, "and nothing new is begun")
        self.assertIn("paused just now", self.page())
        self.assertContains(self.client.get("/"), "Paused: reading pictures and sound")
        self.assertContains(self.client.get("/house/"), "reading pictures and sound is paused")
        self.client.post("/house/queue/pause", {"queue": "scan", "again": "1"})
        self.assertFalse(Pause.now().exists())
        self.assertNotContains(self.client.get("/"), "Paused:")
        self.assertContains(
            self.client.post("/house/queue/pause", {"queue": "watch"}, follow=True), "expected one of scan, handoff"
        )

    def test_what_waits_in_a_paused_queue_is_still_counted(self) -> None:
        self.client.post("/house/queue/pause", {"queue": "scan"})
        self.work()
        self.assertContains(self.client.get("/house/"), '<span class="fig">3</span> wait')

    def test_a_pause_says_nothing_of_how_long_scans_take(self) -> None:
        begun = timezone.now() - timedelta(minutes=10)
        self.alone(state="running", stage=Inspection.Stage.SCAN, stage_started_at=begun, started_at=begun)
        ScanPart.objects.create(inspection=self.inspections[0], number=0, end=10, total=10, done=5)
        left = Inspection.objects.get(pk=self.inspections[0].pk).left_s
        self.assertAlmostEqual(left or 0, 600, delta=5)
        for again in ("", "1"):
            self.client.post("/house/queue/pause", {"queue": "scan", "again": again})
            self.assertIsNone(Inspection.objects.get(pk=self.inspections[0].pk).left_s)
        Pause.objects.update(ended_at=begun - timedelta(seconds=1))
        self.assertIsNotNone(Inspection.objects.get(pk=self.inspections[0].pk).left_s)

    def test_an_empty_queue(self) -> None:
        Inspection.objects.update(state="done")
        page = self.page()
        self.assertIn("Nothing is stuck.", page)
        self.assertIn("Nothing runs.", page)
        self.assertEqual(page.count("Nothing waits."), 2)

    def test_short_steps_are_told_where_they_wait(self) -> None:
        self.assertNotIn("short steps", self.page())
        Inspection.objects.update(stage=Inspection.Stage.HEADERS, queued_at=timezone.now() - timedelta(hours=1))
        self.assertIn("What is first in line for short steps has waited 60 minutes, 3 wait in all", self.page())
        self.assertContains(self.client.get("/house/"), "has waited 60 minutes")

    def test_what_holds_work_up_is_said_with_what_to_do(self) -> None:
        self.assertIn("Nothing is stuck.", self.page())
        Inspection.objects.update(queued_at=timezone.now() - timedelta(minutes=25))
        self.assertIn("has waited 25 minutes, 3 wait in all", self.page())
        self.assertIn("Nothing runs: look whether the workers for it are there.", self.page())
        Inspection.objects.filter(pk=self.inspections[0].pk).update(state="running", started_at=timezone.now())
        self.assertIn("More scan workers", self.page())
        Pause.objects.create(queue="scan")
        self.assertIn("Nothing is stuck.", self.page())  # it was asked for
        with mock.patch("brisk_web.pages.queue.count_workers", return_value={"alive": 0, "silent": 2}):
            self.assertContains(self.client.get("/house/queue/"), "No worker runs: nothing is read")
        with mock.patch("brisk_web.pages.queue.count_workers", return_value={"alive": 2, "silent": 1}):
            self.assertContains(self.client.get("/house/queue/"), "1 of 3 workers gave no sign of life")
        room = mock.Mock(free=5 << 30)
        disk = mock.patch("brisk_web.pages.queue.shutil.disk_usage", return_value=room)
        with disk, self.settings(DATA_FOLDER=self.folder):
            self.assertIn("5.0 GiB are free", self.page())

    def test_queries_do_not_grow_with_what_waits(self) -> None:
        self.page()
        with self.assertNumQueries(11):
            self.client.get("/house/queue/")
        for number in range(20):
            begin(self.media(f"more{number}.mp4"))
        with self.assertNumQueries(11):
            self.client.get("/house/queue/")
