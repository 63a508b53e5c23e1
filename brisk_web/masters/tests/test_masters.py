from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile

from brisk_web.checks.models import Check
from brisk_web.edits.services import import_timeline
from brisk_web.house.models import AuditEntry
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.jobs.tests.test_jobs import EDL
from brisk_web.masters import services
from brisk_web.masters.models import Comparison
from brisk_web.storage.models import MediaFile
from brisk_web.testing import QueueTestCase, spec_version


class MastersTest(QueueTestCase):
    def owed(self, **more: Any) -> Deliverable:
        job = Job.objects.create(title="Canal")
        timeline = import_timeline(job, SimpleUploadedFile("a.edl", EDL), {"rate": "25"}, by=self.people["operator"])
        return Deliverable.objects.create(job=job, name="Wide", spec_version=spec_version(), timeline=timeline, **more)

    def lines(self, check: Check) -> dict[str, str]:
        found = check.findings.filter(characteristic__startswith="master.")
        return {finding.characteristic: finding.outcome for finding in found}

    def test_every_attempt_is_held_against_the_master_of_its_deliverable(self) -> None:
        deliverable = self.owed()
        master = self.media("master.mp4")
        services.choose_master(deliverable, master, by=self.people["operator"])
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        self.work()
        check.refresh_from_db()
        comparison = Comparison.objects.get()
        self.assertEqual((comparison.state, comparison.error), ("done", ""))
        self.assertEqual(self.lines(check)["master.map"], "fail")
        finding = check.findings.get(characteristic="master.map")
        self.assertIn("2 frames are missing at the tail", finding.document["says"])
        self.assertEqual(finding.document["observed"]["stretches"], [[0, 48, 0.0]])
        self.assertTrue(AuditEntry.objects.filter(verb="master.chosen").exists())

    def test_the_lines_wait_until_both_are_scanned_and_never_pass_before(self) -> None:
        deliverable = self.owed()
        services.choose_master(deliverable, self.media("master.mp4"), by=self.people["operator"])
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        self.assertIsNone(services.compare(check, deliverable.master))
        self.assertEqual(services.held_for(check), {})
        self.assertEqual(Comparison.objects.count(), 0)

    def test_the_page_finds_no_master_then_waits_then_shows(self) -> None:
        deliverable = self.owed()
        master = self.media("master.mp4")
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        self.work()
        self.sign_in()
        page = self.client.get(f"/checks/{check.pk}/against/")
        self.assertContains(page, "Choose the file to compare with")
        answer = self.client.post(f"/checks/{check.pk}/against/compare", {"with": master.pk})
        self.assertRedirects(answer, f"/checks/{check.pk}/against/?with={master.pk}")
        page = self.client.get(f"/checks/{check.pk}/against/?with={master.pk}")
        self.assertContains(page, "in queue")
        self.work()
        page = self.client.get(f"/checks/{check.pk}/against/?with={master.pk}")
        self.assertContains(page, "2 frames are missing at the tail")
        comparison = Comparison.objects.get()
        self.assertEqual(
            self.client.get(f"/comparisons/{comparison.pk}.json").json()["schema"], "brisk-sentry/against/1"
        )
        self.assertFalse(self.client.get(f"/comparisons/{comparison.pk}/state").json()["active"])
        self.assertEqual(self.lines(check), {})  # compared once, but it is not the master

    def test_making_it_the_master_judges_every_attempt(self) -> None:
        deliverable = self.owed()
        master = self.media("master.mp4")
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        self.work()
        self.sign_in()
        self.client.post(f"/checks/{check.pk}/against/compare", {"with": master.pk, "master": "yes"})
        self.assertEqual(set(self.lines(check).values()), {"not measured"})
        self.work()
        self.assertEqual(self.lines(check)["master.map"], "fail")
        page = self.client.get(f"/checks/{check.pk}/against/")
        self.assertContains(page, "Against the master")

    def test_a_viewer_compares_nothing_and_a_cancelled_comparison_ends(self) -> None:
        deliverable = self.owed()
        master = self.media("master.mp4")
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        self.work()
        self.sign_in("viewer")
        self.assertEqual(self.client.post(f"/checks/{check.pk}/against/compare", {"with": master.pk}).status_code, 403)
        self.sign_in()
        self.client.post(f"/checks/{check.pk}/against/compare", {"with": master.pk})
        comparison = Comparison.objects.get()
        self.client.post(f"/checks/{check.pk}/against/{comparison.pk}/cancel")
        self.work()
        comparison.refresh_from_db()
        self.assertEqual((comparison.state, comparison.document), ("cancelled", None))
        page = self.client.get(f"/checks/{check.pk}/against/?with={master.pk}")
        self.assertContains(page, "was cancelled")

    def test_a_dead_worker_is_followed_by_another_three_times_at_most(self) -> None:
        deliverable = self.owed()
        master = self.media("master.mp4")
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        self.work()
        comparison = services.compare(Check.objects.get(pk=check.pk), MediaFile.objects.get(pk=master.pk))
        assert comparison
        Comparison.objects.filter(pk=comparison.pk).update(state="running", attempt=2)
        self.assertEqual(services.take_up_stalled([comparison.pk]), 1)
        Comparison.objects.filter(pk=comparison.pk).update(attempt=3)
        self.assertEqual(services.take_up_stalled([comparison.pk]), 0)
        comparison.refresh_from_db()
        self.assertEqual((comparison.state, "died 3 times" in comparison.error), ("failed", True))
