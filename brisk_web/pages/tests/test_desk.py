import re
from datetime import timedelta
from unittest import mock

from django.test import TestCase
from django.utils import timezone

from brisk_web.checks.models import Check
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.storage.models import MediaFile
from brisk_web.testing import HouseMixin, spec_version

_MANY = 130


class DeskTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.version = spec_version()
        self.job = Job.objects.create(title="The Tidemill Ghosts")
        now = timezone.now()
        for number in range(_MANY):
            # Many at the same moment, and some without any.
            due = None if number % 10 == 9 else now + timedelta(hours=number // 20 * 12)
            self.owe(f"Part {number:03}", f"TIDEMILL_{number:03}_V##.mp4", due_at=due)
        self.sign_in("operator")

    def owe(self, name: str, rule: str, **more: object) -> Deliverable:
        return Deliverable.objects.create(job=self.job, name=name, spec_version=self.version, naming_rule=rule, **more)

    def file(self, name: str) -> MediaFile:
        return MediaFile.objects.create(root=self.root, path=name, name=name, size=1, modified_ns=0)

    def names(self, query: str = "") -> list[str]:
        page = self.client.get(f"/{query}").content.decode()
        return re.findall(r"Part \d+", page)

    def test_every_deliverable_is_on_one_page_in_order_of_due_time(self) -> None:
        seen: list[str] = []
        query = ""
        for _ in range(9):
            answer = self.client.get(f"/{query}")
            seen += [row.deliverable.name for row in answer.context["rows"]]
            query = answer.context["page"].following
            if not query:
                break
        self.assertEqual(len(seen), _MANY)
        self.assertEqual(len(set(seen)), _MANY)
        due = dict(Deliverable.objects.values_list("name", "due_at"))
        known = [due[name] for name in seen if due[name]]
        self.assertEqual(known, sorted(known))
        self.assertEqual([due[name] for name in seen[len(known) :]], [None] * (_MANY - len(known)))

    def test_a_full_disk_is_told_and_little_room_is_not(self) -> None:
        for free, told in ((100 << 20, True), (5 << 30, False)):
            disk = mock.patch("brisk_web.pages.queue.shutil.disk_usage", return_value=mock.Mock(free=free))
            with disk, self.settings(DATA_FOLDER=self.folder):
                page = self.client.get("/").content.decode()
            self.assertEqual("0.1 GiB are free where the house keeps its data" in page, told)
            self.assertEqual("Make room" in page, told)

    def test_odd_places_to_go_on_from_show_the_beginning(self) -> None:
        for after in (
            "x",
            "2026",
            "\x00 x",
            "9999-99-99 1",
            "2026-11-28T09:00:00 4",
            " ",
            "2026-11-28T09:00:00+00:00 x",
        ):
            answer = self.client.get("/", {"after": after})
            self.assertEqual((answer.status_code, len(answer.context["rows"])), (200, 50), after)

    def test_parts_are_counted_over_all_pages(self) -> None:
        owed = list(Deliverable.objects.order_by("pk"))
        for number, verdict in enumerate(["fail", "fail", "caution", "not measured", "pass"]):
            check = take_in(self.file(f"TIDEMILL_{number:03}_V01.mp4"), owed[number], by=self.people["operator"])
            Check.objects.filter(pk=check.pk).update(verdict=verdict)
            MediaFile.objects.filter(checks=check).update(inspection=None)
        ways = {way["label"]: way["count"] for way in self.client.get("/").context["ways"]}
        self.assertEqual(ways["Open"], _MANY)
        self.assertEqual((ways["Waiting for you"], ways["Failing"], ways["Without a render"]), (5, 2, _MANY - 5))
        self.assertEqual(ways["Mine"], 5)
        failing = self.client.get("/?show=failing").context["rows"]
        self.assertEqual([row.deliverable.name for row in failing], ["Part 000", "Part 001"])
        found = self.client.get("/?q=part+12").context
        self.assertEqual(len(found["rows"]), 10)
        self.assertContains(self.client.get("/?q=nothing+like+it"), "No deliverable is like that")

    def test_all_that_waits_in_the_intake_can_be_reached(self) -> None:
        for number in range(20):
            self.file(f"TIDEMILL_{number:03}_V02.mp4")
        seen: list[str] = []
        query = ""
        for _ in range(5):
            answer = self.client.get(f"/{query}")
            self.assertEqual(answer.context["intake_count"], 20)
            self.assertContains(answer, "20 files wait")
            seen += [row.file.name for row in answer.context["intake"]]
            query = answer.context["intake_page"].following
            if not query:
                break
        self.assertEqual(len(set(seen)), 20)
        with self.assertNumQueries(19):
            self.client.get("/")
