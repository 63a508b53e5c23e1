from dataclasses import replace
from typing import Any
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db.models import F
from procrastinate.contrib.django.models import ProcrastinateJob

from brisk_core.facts import Witnessed, keys
from brisk_web.checks.models import Check
from brisk_web.checks.services import held_for, judge, pair_of
from brisk_web.edits.services import import_timeline
from brisk_web.house.models import AuditEntry
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import choose_master, take_in
from brisk_web.jobs.tests.test_jobs import EDL
from brisk_web.masters import services
from brisk_web.masters.comparing import compare
from brisk_web.masters.models import Comparison
from brisk_web.storage.models import MediaFile
from brisk_web.testing import SPEC, QueueTestCase, spec_version
from brisk_web.work.kernel import MOST_TRIES
from brisk_web.work.sweep import sweep


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
        choose_master(deliverable, master, by=self.people["operator"])
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
        choose_master(deliverable, self.media("master.mp4"), by=self.people["operator"])
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        pair = pair_of(check, deliverable.master)
        assert pair
        self.assertIsNone(services.ask(pair))
        self.assertIsNone(services.ask_again(pair, by=self.people["operator"]))
        self.assertEqual(held_for(check), {})
        self.assertEqual(Comparison.objects.count(), 0)

    def test_asking_again_gives_the_comparison_that_is_known(self) -> None:
        deliverable = self.owed()
        choose_master(deliverable, self.media("master.mp4"), by=self.people["operator"])
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        self.work()
        check = Check.objects.get(pk=check.pk)
        deliverable = Deliverable.objects.get(pk=deliverable.pk)
        pair = pair_of(check, deliverable.master)
        assert pair
        known = Comparison.objects.get()
        self.assertEqual((services.ask(pair), services.ask_again(pair, by=None)), (known, known))
        self.assertEqual(Comparison.objects.get().state, "done")
        part = replace(pair, start=0, end=10)
        self.assertIsNotNone(part.key()["ordered_start"])
        facts = pair.master.facts
        assert facts
        for unknown in (keys.PICTURE_FRAME_COUNT, keys.PICTURE_FRAME_RATE):
            known = {id_: one for id_, one in facts.facts.items() if id_ != unknown.id}
            with mock.patch.object(Inspection, "facts", replace(facts, facts={**known, unknown.id: Witnessed()})):
                self.assertIsNone(part.key()["ordered_start"])

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
        self.assertFalse(services.cancel(comparison, by=None), "it is cancelled already")
        self.work()
        comparison.refresh_from_db()
        self.assertEqual((comparison.state, comparison.document), ("cancelled", None))
        page = self.client.get(f"/checks/{check.pk}/against/?with={master.pk}")
        self.assertContains(page, "was cancelled")

    def test_a_comparison_that_fails_is_not_queued_again_until_a_person_asks(self) -> None:
        deliverable = self.owed()
        master = self.media("master.mp4")
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        self.work()
        (self.folder / "shelf" / "master.mp4").rename(self.folder / "shelf" / "moved.mp4")
        choose_master(deliverable, master, by=self.people["operator"])
        self.work()
        comparison = Comparison.objects.get()
        self.assertEqual((comparison.state, comparison.attempt), ("failed", 1))
        self.assertEqual(set(self.lines(check).values()), {"not measured"})
        judge(check)
        self.work()
        comparison.refresh_from_db()
        self.assertEqual((comparison.state, comparison.attempt), ("failed", 1))
        (self.folder / "shelf" / "moved.mp4").rename(self.folder / "shelf" / "master.mp4")
        self.sign_in()
        self.client.post(f"/checks/{check.pk}/against/compare", {"with": master.pk})
        self.work()
        comparison.refresh_from_db()
        self.assertEqual((comparison.state, comparison.attempt), ("done", 2))
        self.assertEqual(self.lines(check)["master.map"], "fail")
        asked = (
            AuditEntry.objects.filter(verb="comparison.asked").order_by("pk").values_list("actor__username", flat=True)
        )
        self.assertEqual(list(asked), [None, "operator"])
        says = AuditEntry.objects.filter(verb="comparison.asked").order_by("pk").values_list("says", flat=True)
        self.assertEqual(
            list(says), ["Asked to hold a.mp4 against master.mp4", "Asked again to hold a.mp4 against master.mp4"]
        )

    def test_the_result_and_the_judgement_are_written_together_or_not_at_all(self) -> None:
        deliverable = self.owed()
        choose_master(deliverable, self.media("master.mp4"), by=self.people["operator"])
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        with mock.patch.object(compare, "claim", return_value=None):
            self.work()
        comparison = Comparison.objects.get()
        killed = mock.patch("brisk_web.checks.receivers.judge", side_effect=SystemExit("killed"))
        with killed, self.assertRaises(SystemExit):
            compare.run(comparison.pk)
        comparison.refresh_from_db()
        self.assertEqual((comparison.state, comparison.document), ("running", None))
        self.assertEqual(sweep(silent_s=-1).taken_up, 1)
        self.work()
        comparison.refresh_from_db()
        self.assertEqual((comparison.state, self.lines(check)["master.map"]), ("done", "fail"))

    def test_looking_at_what_a_newer_version_would_say_queues_nothing(self) -> None:
        deliverable = self.owed()
        choose_master(deliverable, self.media("master.mp4"), by=self.people["operator"])
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        self.work()
        Comparison.objects.update(state="cancelled", document=None)
        spec_version(SPEC.replace("equals: 25", "equals: 30"))
        self.sign_in("lead")
        page = self.client.get("/specs/small/judge-again")
        self.assertContains(page, "a.mp4")
        judge(check)
        self.assertEqual(Comparison.objects.get().state, "cancelled")
        self.assertFalse(ProcrastinateJob.objects.filter(status="todo").exists())

    def test_a_file_is_never_its_own_master(self) -> None:
        deliverable = self.owed()
        file = self.media("a.mp4", frames=48)
        choose_master(deliverable, file, by=self.people["operator"])
        check = take_in(file, deliverable, by=self.people["operator"])
        other = take_in(self.media("b.mp4", frames=47), deliverable, by=self.people["operator"])
        self.assertEqual((check.master, other.master), (None, file))
        choose_master(deliverable, other.media_file, by=self.people["operator"])
        check.refresh_from_db()
        other.refresh_from_db()
        self.assertEqual((check.master, other.master), (other.media_file, None))
        self.work()
        self.assertEqual(self.lines(other), {})
        self.assertEqual(Comparison.objects.filter(inspection=F("master")).count(), 0)
        pair = pair_of(Check.objects.get(pk=check.pk), MediaFile.objects.get(pk=file.pk))
        assert pair
        self.assertIsNone(services.ask(pair))

    def test_a_dead_worker_is_followed_by_another_three_times_at_most(self) -> None:
        deliverable = self.owed()
        master = self.media("master.mp4")
        check = take_in(self.media("a.mp4", frames=48), deliverable, by=self.people["operator"])
        self.work()
        pair = pair_of(Check.objects.get(pk=check.pk), MediaFile.objects.get(pk=master.pk))
        assert pair
        comparison = services.ask(pair)
        assert comparison
        Comparison.objects.filter(pk=comparison.pk).update(state="running", tries=MOST_TRIES - 1)
        self.assertEqual(sweep().taken_up, 1)
        Comparison.objects.filter(pk=comparison.pk).update(state="running", tries=MOST_TRIES)
        self.assertEqual(sweep().given_up, 1)
        comparison.refresh_from_db()
        self.assertEqual((comparison.state, "died 5 times" in comparison.error), ("failed", True))
