from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from brisk_core.small_media import Small, make_small
from brisk_web.checks.models import Check
from brisk_web.jobs import services
from brisk_web.jobs.models import Deliverable, Job, Render
from brisk_web.jobs.suggestions import suggest
from brisk_web.storage.services import register
from brisk_web.testing import HouseMixin, spec_version

EDL = b"""TITLE: CANAL
FCM: NON-DROP FRAME

001  AX       V     C        01:00:00:00 01:00:02:00 10:00:00:00 10:00:02:00
"""


class JobTest(HouseMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.version = spec_version()
        self.job = services.open_job("Canal", by=self.people["operator"])
        self.wide = self.deliverable("Wide", "CANAL_V##.mp4")

    def deliverable(self, name: str, rule: str) -> Deliverable:
        made = Deliverable(job=self.job, name=name, spec_version=self.version, naming_rule=rule)
        return services.add_deliverable(made, by=self.people["operator"])

    def test_a_file_is_offered_to_the_deliverable_its_name_fits(self) -> None:
        found = suggest("CANAL_V03.mp4")
        assert found
        self.assertEqual((found.deliverable, found.attempt), (self.wide, 3))
        self.assertIsNone(suggest("final_final.mp4"))

    def test_a_name_that_nearly_fits_is_offered_with_its_difference(self) -> None:
        self.deliverable("Tall", "CANAL_TALL_EN_V##.mov")
        self.deliverable("Anything", "??_*_MASTER.mxf")
        self.deliverable("Sound", "MIX.wav")
        for name, deliverable, difference in (
            ("canal_v03.mp4", "Wide", "capital and small letters differ"),
            ("CANAL_V03.mov", "Wide", "it ends in .mov, not in .mp4"),
            ("CANAL_EN_V02.mov", "Tall", "the part “TALL” is missing"),
            ("CANAL_TALL_EN_V2.mov", "", ""),
            ("CANAL_V03", "Wide", "it ends in nothing, not in .mp4"),
            ("AB_7_master.mxf", "Anything", "capital and small letters differ"),
            ("TIDEMILL_V03.mp4", "", ""),
            ("MIX.aif", "Sound", "it ends in .aif, not in .wav"),
            ("A_MIX.wav", "", ""),
        ):
            with self.subTest(name):
                found = suggest(name)
                self.assertEqual(
                    (found.deliverable.name, found.difference) if found else ("", ""), (deliverable, difference)
                )
        found = suggest("AB_7_MASTER.mxf")
        self.assertEqual(
            (found.deliverable.name, found.difference, found.attempt) if found else None, ("Anything", "", 1)
        )

    def test_a_joker_among_the_first_letters_of_a_rule_is_one(self) -> None:
        self.deliverable("Joker", "C?NAL_V##.mp4")
        self.deliverable("Letters", "BRIDGE_V##.mp4")
        for name, expected in (
            ("CUNAL_V02.mp4", "Joker"),
            ("bridge_V02.mp4", "Letters"),
            ("BRIDGE_V02.mp4", "Letters"),
        ):
            found = suggest(name)
            self.assertEqual(found.deliverable.name if found else "", expected)

    def test_of_several_rules_that_fit_the_one_due_first_is_offered(self) -> None:
        later = self.deliverable("Late", "CANAL_*.mp4")
        Deliverable.objects.filter(pk=later.pk).update(due_at="2026-12-24T10:00Z")
        sooner = self.deliverable("Soon", "*_V##.mp4")
        Deliverable.objects.filter(pk=sooner.pk).update(due_at="2026-12-23T10:00Z")
        found = suggest("CANAL_V03.mp4")
        self.assertEqual(found.deliverable.name if found else "", "Soon")

    def test_taking_in_counts_attempts_by_name_and_in_order(self) -> None:
        first = services.take_in(self.media("CANAL_V02.mp4", frames=5), self.wide, by=self.people["operator"])
        other = services.take_in(self.media("fixed.mp4", frames=6), self.wide, by=self.people["operator"])
        assert first.render
        assert other.render
        self.assertEqual((first.render.attempt, other.render.attempt), (2, 3))

    def test_a_number_that_is_taken_is_not_given_twice(self) -> None:
        by = self.people["operator"]
        first = services.take_in(self.media("CANAL_V02.mp4", frames=5), self.wide, by=by)
        (self.folder / "shelf" / "again").mkdir()
        make_small(self.folder / "shelf" / "again" / "CANAL_V02.mp4", Small(frames=6))
        other = services.take_in(register(self.root, "again/CANAL_V02.mp4", by=by), self.wide, by=by)
        assert first.render
        assert other.render
        self.assertEqual((first.render.attempt, other.render.attempt), (2, 3))

    def test_a_number_larger_than_a_record_holds_is_no_attempt(self) -> None:
        long = self.deliverable("Long", "CANAL_##########.mp4")
        check = services.take_in(self.media("CANAL_9999999999.mp4", frames=5), long, by=self.people["operator"])
        assert check.render
        self.assertEqual(check.render.attempt, 1)

    def test_a_file_is_taken_in_once(self) -> None:
        file = self.media("CANAL_V01.mp4", frames=5)
        first = services.take_in(file, self.wide, by=self.people["operator"])
        self.assertEqual(services.take_in(file, self.wide, by=self.people["operator"]), first)
        self.assertEqual((Render.objects.count(), Check.objects.count()), (1, 1))

    def test_the_pages_of_a_job(self) -> None:
        services.take_in(self.media("CANAL_V01.mp4", frames=5), self.wide, by=self.people["operator"])
        self.sign_in("viewer")
        self.assertContains(self.client.get("/jobs/"), "Canal")
        page = self.client.get(f"/jobs/{self.job.pk}/")
        self.assertContains(page, "CANAL_V01.mp4")
        self.assertContains(page, "in queue, place 1")
        self.assertNotContains(page, "New deliverable")
        self.assertContains(self.client.get("/"), "Wide")

    def test_an_operator_opens_a_job_imports_an_edit_and_adds_what_is_owed(self) -> None:
        self.sign_in()
        self.client.post("/jobs/new", {"title": "Brass and Tallow"})
        job = Job.objects.get(title="Brass and Tallow")
        file = SimpleUploadedFile("canal.edl", EDL)
        refused = self.client.post(f"/jobs/{job.pk}/timelines/new", {"file": file})
        self.assertContains(refused, "an EDL does not state its frame rate")
        file.seek(0)
        self.client.post(f"/jobs/{job.pk}/timelines/new", {"file": file, "rate": "25", "size": "1920×1080"})
        timeline = job.timelines.get()
        self.assertEqual(timeline.summary, "1920 × 1080, 25, 50 frames from 10:00:00:00")
        fields = {
            "name": "Trailer",
            "spec_version": self.version.pk,
            "timeline": timeline.pk,
            "naming_rule": "T_V##.mp4",
            "range_text": "10:00:00:10-10:00:01:00",
        }
        self.client.post(f"/jobs/{job.pk}/deliverables/new", fields)
        made = job.deliverables.get()
        self.assertEqual((made.range_start, made.range_end, made.range_text), (10, 25, "10:00:00:10 to 10:00:01:00"))

    def test_what_cannot_be_owed_is_said_at_its_field(self) -> None:
        self.sign_in()
        address = f"/jobs/{self.job.pk}/deliverables/new"
        fields = {"name": "Wide", "spec_version": self.version.pk, "naming_rule": "a/b", "range_text": "0-10"}
        page = self.client.post(address, fields)
        self.assertContains(page, "the job has a deliverable &#x27;Wide&#x27; already")
        self.assertContains(page, "as a name pattern; expected 1 to 255 characters without slashes")
        self.assertContains(page, "a range needs a timeline")

    def test_taking_in_from_the_page(self) -> None:
        self.sign_in()
        file = self.media("CANAL_V01.mp4", frames=5)
        page = self.client.get(f"/files/{file.pk}/take-in")
        self.assertContains(page, "looks like")
        answer = self.client.post(f"/files/{file.pk}/take-in", {"deliverable": self.wide.pk})
        check = Check.objects.get()
        self.assertRedirects(answer, f"/checks/{check.pk}/")
        alone = self.client.post(f"/files/{file.pk}/take-in", {"spec_version": self.version.pk})
        self.assertEqual(alone.status_code, 302)
        self.assertContains(self.client.post(f"/files/{file.pk}/take-in"), "Choose a deliverable or a spec.")
