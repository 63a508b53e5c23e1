from datetime import date

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.urls import reverse

from brisk_web.checks.models import Check
from brisk_web.decisions.models import Request
from brisk_web.edits.services import import_timeline
from brisk_web.handoff.models import Destination, HandOff
from brisk_web.house.models import AuditEntry
from brisk_web.house.services import record
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.jobs.tests.test_jobs import EDL
from brisk_web.shelf.models import Review
from brisk_web.storage.models import MediaFile
from brisk_web.testing import HouseMixin, spec_version


class TrailsTest(HouseMixin, TestCase):
    """What happened to one thing: what was done with it and with what belongs to it, and nothing else."""

    def setUp(self) -> None:
        super().setUp()
        by = self.people["operator"]
        self.version = spec_version()
        self.job, self.other_job = Job.objects.create(title="Canal"), Job.objects.create(title="Mill")
        timeline = import_timeline(self.job, SimpleUploadedFile("a.edl", EDL), {"rate": "25"}, by=by)
        self.wide, self.tall = (
            Deliverable.objects.create(job=self.job, name=name, spec_version=self.version, timeline=timeline)
            for name in ("Wide", "Tall")
        )
        self.file, self.other = self.media("a.mp4", frames=4), self.media("b.mp4", frames=5)
        self.check, self.of_tall = take_in(self.file, self.wide, by=by), take_in(self.other, self.tall, by=by)
        for name, check in (("first", self.check), ("second", self.of_tall)):
            self.decide(name, check)
        record(
            "spec.reviewed",
            Review.objects.create(version=self.version, by=by, next_by=date(2027, 1, 1)),
            "Reviewed it",
            by=by,
        )
        self.sign_in("viewer")

    def decide(self, name: str, check: Check) -> None:
        by = self.people["operator"]
        record("request.made", Request.objects.create(render=check.render, made_by=by), f"Asked {name} again", by=by)
        there = Destination.objects.create(name=name, kind="folder", address=str(self.folder / name))
        handoff = HandOff.objects.create(render=check.render, destination=there, name="a", made_by=by)
        record("handoff.begun", handoff, f"Handed {name} over", by=by)

    def told(self, name: str, *named: object) -> str:
        answer = self.client.get(reverse(name, args=named))
        self.assertEqual(answer.status_code, 200)
        return answer.content.decode()

    def test_of_a_file_and_of_a_deliverable(self) -> None:
        for page in (self.told("file-trail", self.file.pk), self.told("deliverable-trail", self.wide.pk)):
            for says in ("Asked first again", "Handed first over"):
                self.assertIn(says, page)
            for says in ("second", "Reviewed it"):
                self.assertNotIn(says, page)
        self.assertIn("Queued the inspection of a.mp4", self.told("file-trail", self.file.pk))

    def test_of_a_job_everything_it_owes(self) -> None:
        page = self.told("job-trail", self.job.pk)
        self.assertIn("Handed first over", page)
        self.assertIn("Handed second over", page)
        self.assertIn("Nothing yet.", self.told("job-trail", self.other_job.pk))

    def test_of_a_spec_its_versions_and_reviews(self) -> None:
        page = self.told("spec-trail", self.version.spec.slug)
        self.assertIn("Reviewed it", page)
        self.assertNotIn("Asked first again", page)

    def test_the_newest_first_by_pages(self) -> None:
        for number in range(70):
            record("file.registered", self.file, f"Touched {number:02}")
        first = self.told("file-trail", self.file.pk)
        self.assertLess(first.index("Touched 69"), first.index("Touched 68"))
        self.assertNotIn("Touched 09", first)
        last = AuditEntry.objects.get(says="Touched 10").pk
        self.assertIn(
            "Touched 09",
            self.client.get(f"{reverse('file-trail', args=[self.file.pk])}?before={last}").content.decode(),
        )

    def test_each_has_its_link_and_what_is_not_there_is_a_404(self) -> None:
        for page, trail, named in (
            ("file", "file-trail", self.file.pk), ("deliverable", "deliverable-trail", self.wide.pk),
            ("job", "job-trail", self.job.pk), ("spec", "spec-trail", self.version.spec.slug),
        ):  # fmt: skip
            self.assertIn(reverse(trail, args=[named]), self.told(page, named))
            gone = "gone" if page == "spec" else MediaFile.objects.count() + 10_000
            self.assertEqual(self.client.get(reverse(trail, args=[gone])).status_code, 404)

    def test_queries_do_not_grow(self) -> None:
        self.told("job-trail", self.job.pk)
        with self.assertNumQueries(17):
            self.told("job-trail", self.job.pk)
        for number in range(3):
            self.decide(f"more {number}", self.check)
        with self.assertNumQueries(17):
            self.told("job-trail", self.job.pk)
