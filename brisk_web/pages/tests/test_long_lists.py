from unittest import mock

from django.test import TestCase
from django.urls import reverse

from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.pages import reports, specs
from brisk_web.testing import HouseMixin, spec_version


class LongListsTest(HouseMixin, TestCase):
    """Pages that list many things show some of them, and the rest can be reached."""

    def setUp(self) -> None:
        super().setUp()
        self.sign_in()
        self.version = spec_version()
        self.job = Job.objects.create(title="Canal")

    def owed(self, count: int) -> list[Deliverable]:
        rows = [Deliverable(job=self.job, name=f"Part {n:03}", spec_version=self.version) for n in range(count)]
        return Deliverable.objects.bulk_create(rows)

    def test_all_deliverables_of_a_job_can_be_reached(self) -> None:
        self.owed(120)
        address, seen, query, pages = reverse("job", args=[self.job.pk]), [], "", 0
        for _ in range(4):
            answer = self.client.get(address + query)
            shown = [entry["deliverable"].name for entry in answer.context["grid"]]
            self.assertLessEqual(len(shown), 50)
            self.assertContains(answer, f"{len(shown)} of 120 deliverables")
            seen += shown
            pages += 1
            query = answer.context["page"].following
            if not query:
                break
        self.assertEqual(seen, [f"Part {n:03}" for n in range(120)])
        self.assertEqual(pages, 3)

    def test_a_short_job_says_nothing_of_pages(self) -> None:
        self.owed(3)
        self.assertNotContains(self.client.get(reverse("job", args=[self.job.pk])), "in order of due time")

    def test_a_folder_of_many_files(self) -> None:
        known = self.media("m.mp4", frames=4)
        for number in range(230):
            (self.folder / "shelf" / f"n{number:03}.mov").touch()
        address = reverse("browse-root", args=[self.root.pk])
        first = self.client.get(address)
        self.assertContains(first, "231 entries in this folder")
        self.assertEqual([one.known for one in first.context["entries"]], [known, *[None] * 199])
        rest = self.client.get(address + first.context["page"].following)
        self.assertEqual(rest.context["entries"][-1].name, "n229.mov")
        self.assertEqual(len(rest.context["entries"]), 31)

    def test_rows_of_reports(self) -> None:
        for number, owed in enumerate(self.owed(3)):
            take_in(self.media(f"{number}.mp4", frames=4 + number), owed, by=self.people["operator"])
        pages = (reverse("reports"), reverse("job-report", args=[self.job.pk]))
        with mock.patch.object(reports, "_ROWS_SHOWN", 2):
            for address in pages:
                first = self.client.get(address)
                rest = self.client.get(address + first.context["page"].following)
                names = [row["deliverable"] for answer in (first, rest) for row in answer.context["report"]["rows"]]
                self.assertEqual(names, ["Part 000", "Part 001", "Part 002"], address)
            self.assertEqual(first.context["report"]["counts"]["attempts"], 3, "counts are of all")
            whole = self.client.get(reverse("period-report-json")).json()
        self.assertEqual([row["deliverable"] for row in whole["rows"]], names)

    def test_a_report_that_is_too_long_to_print(self) -> None:
        for owed in self.owed(2):
            take_in(self.media(f"{owed.pk}.mp4", frames=4 + owed.pk % 7), owed, by=self.people["operator"])
        with mock.patch.object(reports, "_MOST_PRINTED", 1):
            for address in (reverse("period-report-pdf"), reverse("job-report-pdf", args=[self.job.pk])):
                answer = self.client.get(address)
                self.assertContains(answer, "This report has 2 attempts; a PDF holds 1 at most", status_code=400)

    def test_a_spec_that_many_deliverables_ask_for(self) -> None:
        self.owed(3)
        with mock.patch.object(specs, "_MOST_LISTED", 2):
            answer = self.client.get(reverse("spec", args=[self.version.spec.slug]))
        self.assertContains(answer, "Used by 3 deliverables that are owed")
        self.assertContains(answer, "The first 2 are listed.")
        self.assertNotContains(answer, "Part 002")
