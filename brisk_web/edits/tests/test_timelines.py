import re
from pathlib import Path
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from brisk_core.edit import import_edit
from brisk_core.errors import EditRefused
from brisk_core.samples.timelines import write_wide
from brisk_web.checks.flags import flags_of
from brisk_web.checks.models import Check, Finding
from brisk_web.checks.services import open_check
from brisk_web.edits.models import Timeline
from brisk_web.edits.services import import_timeline
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.jobs.tests.test_jobs import EDL
from brisk_web.testing import HouseMixin, QueueTestCase, spec_version


class TimelinePageTest(HouseMixin, TestCase):
    def timeline(self) -> Timeline:
        path = self.folder / "wide.otio"
        write_wide(path)
        job = Job.objects.create(title="Canal")
        upload = SimpleUploadedFile("wide.otio", path.read_bytes())
        return import_timeline(job, upload, {}, by=self.people["operator"])

    def test_sources_stand_worst_first_with_what_happens_to_them(self) -> None:
        timeline = self.timeline()
        self.sign_in("viewer")
        page = self.client.get(f"/timelines/{timeline.pk}/")
        self.assertContains(page, "8 of them, 4 with trouble on the way")
        self.assertContains(page, "variable frame rate around 28.800 to 25")
        self.assertContains(page, "1280 × 720 enlarged 1.5 times")
        text = page.content.decode()
        self.assertLess(text.index("keys.mov"), text.index("barge.mov"))
        self.assertContains(page, "cell-dropped")

    def test_a_deliverable_is_a_target_of_its_own_and_its_range_is_set(self) -> None:
        timeline = self.timeline()
        deliverable = Deliverable.objects.create(
            job=timeline.job, name="Wide", spec_version=spec_version(), timeline=timeline
        )
        self.sign_in()
        page = self.client.get(f"/timelines/{timeline.pk}/?target={deliverable.pk}")
        self.assertContains(page, "30 to 25: each second 5 left out")
        self.assertNotContains(page, "enlarged")  # the spec orders no size
        form = {"deliverable": deliverable.pk, "in": "10:00:01:00", "out": "10:00:03:00"}
        page = self.client.post(f"/timelines/{timeline.pk}/range", form, follow=True)
        self.assertContains(page, "10:00:01:00 to 10:00:03:00")
        deliverable.refresh_from_db()
        self.assertEqual((deliverable.range_start, deliverable.range_end), (25, 75))
        page = self.client.post(f"/timelines/{timeline.pk}/range", form | {"out": "11:00:00:00"}, follow=True)
        self.assertContains(page, "does not lie inside the timeline")
        self.client.post(f"/timelines/{timeline.pk}/range", form | {"in": "0", "out": "200"})
        deliverable.refresh_from_db()
        self.assertIsNone(deliverable.range_start)
        self.sign_in("viewer")
        self.assertEqual(self.client.post(f"/timelines/{timeline.pk}/range", form).status_code, 403)

    def test_an_edit_has_its_title_or_the_name_of_its_file(self) -> None:
        job = Job.objects.create(title="Canal")
        titled = EDL.decode() if isinstance(EDL, bytes) else EDL
        for title, name in (("x" * 300, "x" * 200), ("", "canal cut.edl")):
            text = re.sub(r"TITLE:.*", f"TITLE: {title}" if title else "", titled)
            upload = SimpleUploadedFile("canal cut.edl", text.encode())
            timeline = import_timeline(job, upload, {"rate": "25"}, by=self.people["operator"])
            self.assertEqual(timeline.name, name if title else timeline.name)
            self.assertEqual(timeline.file_name, "canal cut.edl")
        with mock.patch("brisk_web.edits.services.sandbox.run", side_effect=EditRefused("no")) as asked:
            for name, read in (("canal cut.edl", "canal cut.edl"), (None, "edit")):
                upload = SimpleUploadedFile("x", b"hello")
                upload._name = name  # type: ignore[attr-defined]
                with self.assertRaises(EditRefused):
                    import_timeline(job, upload, {}, by=None)
                self.assertEqual(asked.call_args.args[0].name, read)

    def test_what_is_odd_in_an_edit_stands_on_its_page(self) -> None:
        edl = (
            b"TITLE: CUT\nFCM: NON-DROP FRAME\n\n"
            b"001  AX    V  C  00:00:01:00 00:00:03:00 01:00:00:00 01:00:02:00\n"
            b"002  TAPE  V  C  00:00:05:00 00:00:09:00 01:00:02:00 01:00:04:00\n"
        )
        upload = SimpleUploadedFile("cut.edl", edl)
        job = Job.objects.create(title="Lock")
        timeline = import_timeline(job, upload, {"rate": "25"}, by=self.people["operator"])
        self.sign_in("viewer")
        page = self.client.get(f"/timelines/{timeline.pk}/")
        self.assertContains(page, "1 event is laid out otherwise than written")
        self.assertContains(page, "event 002 takes 100 frames of TAPE and fills 50, without a speed line")
        self.assertNotContains(self.client.get(f"/timelines/{self.timeline().pk}/"), "laid out otherwise")

    def test_a_new_version_tells_what_changed_and_remembers_what_was_said(self) -> None:
        first = self.timeline()
        self.sign_in()
        page = self.client.get(f"/jobs/{first.job_id}/timelines/new")
        self.assertContains(page, 'value="1920×1080"')
        text = self.folder.joinpath("wide.otio").read_text().replace('"Rope"', '"Rope again"')
        upload = SimpleUploadedFile("wide_v10.otio", text.encode())
        page = self.client.post(
            f"/jobs/{first.job_id}/timelines/new", {"file": upload, "replaces": first.pk}, follow=True
        )
        self.assertContains(page, '2 changes against <bdi class="file-name">wide.otio</bdi>')
        self.assertContains(page, "shot “Rope again” is new at 10:00:03:00, 15 frames")
        self.assertContains(page, "shot “Rope” at 10:00:03:00 is gone")


class ExportTest(QueueTestCase):
    def test_findings_stand_as_marks_at_their_place(self) -> None:
        job = Job.objects.create(title="Canal")
        timeline = import_timeline(job, SimpleUploadedFile("a.edl", EDL), {"rate": "25"}, by=self.people["operator"])
        deliverable = Deliverable.objects.create(
            job=job, name="Wide", spec_version=spec_version(), timeline=timeline, range_start=0, range_end=40
        )
        check = take_in(self.media(), deliverable, by=self.people["operator"])
        self.work()
        finding = Finding.objects.filter(check_record=check).exclude(outcome="pass").first()
        assert finding
        finding.document["spans"] = [{"start": 10, "end": 12, "detail": "two frames repeat"}]
        finding.save()
        flag = flags_of(Check.objects.get(pk=check.pk))[0]
        self.assertEqual((flag.start, flag.end, flag.says), (10, 12, "two frames repeat"))
        self.sign_in("viewer")
        edl = self.client.get(f"/timelines/{timeline.pk}/export.edl?check={check.pk}")
        self.assertIn("a_findings.edl", edl["Content-Disposition"])
        self.assertContains(edl, "* LOC: 10:00:00:10 RED")
        otio = self.client.get(f"/timelines/{timeline.pk}/export.otio?check={check.pk}")
        path = Path(self.folder / "back.otio")
        path.write_bytes(otio.content)
        marks = import_edit(path).marks
        self.assertIn((finding.label, 10), [(mark.name, mark.start) for mark in marks])

    def test_a_shot_that_is_missing_fails_the_check_of_its_timeline(self) -> None:
        # A file of one shot against an edit of three: the cuts are not there.
        lines = [
            f"{number:03}  AX  V  C  0{number}:00:00:00 0{number}:00:01:00 10:00:0{number - 1}:00 10:00:0{number}:00"
            for number in (1, 2, 3)
        ]
        text = "TITLE: T\nFCM: NON-DROP FRAME\n\n" + "\n".join(
            f"{line}\n* FROM CLIP NAME: S{number}" for number, line in enumerate(lines, 1)
        )
        job = Job.objects.create(title="Canal")
        upload = SimpleUploadedFile("b.edl", text.encode())
        timeline = import_timeline(job, upload, {"rate": "25"}, by=self.people["operator"])
        check = open_check(self.media(frames=75), spec_version(), timeline=timeline, by=self.people["operator"])
        self.work()
        finding = check.findings.get(characteristic="edit.cuts")
        self.assertEqual(finding.outcome, "fail")
        self.assertIn("The file shows no cut where the timeline has 2", finding.document["says"])
