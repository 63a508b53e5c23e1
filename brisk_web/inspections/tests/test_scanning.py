from datetime import timedelta
from unittest import mock

from django.urls import reverse
from django.utils import timezone

from brisk_core import sandbox
from brisk_core.errors import UnreadableFile
from brisk_core.sandbox import requests
from brisk_core.version import ENGINE
from brisk_web.checks.services import open_check
from brisk_web.house.models import AuditEntry
from brisk_web.inspections import scanning, services
from brisk_web.inspections.models import Inspection, ScanPart
from brisk_web.inspections.reading import read_headers, read_packets
from brisk_web.storage.models import MediaFile
from brisk_web.storage.services import register
from brisk_web.testing import QueueTestCase, spec_version
from brisk_web.work.kernel import MOST_TRIES, Overtaken
from brisk_web.work.sweep import sweep


class ScanningTest(QueueTestCase):
    """A scan in parts: cut, taken by workers, joined, cancelled, taken up again."""

    scans_for_real = True

    def planned(self, **recipe: object) -> tuple[MediaFile, Inspection]:
        """A file whose packets have been read and whose parts wait."""
        file = self.media(**({"frames": 240, "sound": "aac", "options": {"preset": "ultrafast", "g": "24"}} | recipe))  # type: ignore[arg-type]
        read_headers.run(file.inspection_id)
        read_packets.run(file.inspection_id)
        inspection = Inspection.objects.get(pk=file.inspection_id)
        return file, inspection

    def test_a_long_file_is_cut_at_random_access_points_and_its_sound_is_a_part(self) -> None:
        _, inspection = self.planned()
        rows = list(inspection.parts.values_list("first", "end", "sound", "total"))
        self.assertEqual(rows[0], (0, 0, True, 10))
        self.assertEqual([row[0] % 24 for row in rows[1:]], [0, 0])
        self.assertEqual((rows[1][0], rows[-1][1], rows[1][1]), (0, 240, rows[2][0]))
        self.assertTrue(inspection.is_scanning)
        self.assertTrue(inspection.waits_for_scan)
        self.assertEqual((inspection.place_for_scan, inspection.share), (1, 0.0))

    def test_a_short_file_is_one_part(self) -> None:
        _, inspection = self.planned(frames=50)
        self.assertEqual(list(inspection.parts.values_list("first", "end", "sound")), [(0, 50, True)])

    def test_parts_are_scanned_joined_and_cleared(self) -> None:
        file, inspection = self.planned()
        check = open_check(file, spec_version(), by=None)
        self.work()
        inspection.refresh_from_db()
        assert inspection.facts
        self.assertEqual((inspection.state, inspection.facts.depth.value), ("done", "full"))
        self.assertEqual(inspection.facts.facts["picture.scan"].observed, "progressive")
        self.assertEqual(inspection.facts.unread.get("sound.loudness"), None)
        scan = inspection.load_scan()
        assert scan
        self.assertEqual((len(scan.pictures), len(scan.sounds)), (240, 1))
        self.assertEqual((inspection.parts.count(), inspection.parts_folder.exists()), (0, False))
        check.refresh_from_db()
        self.assertTrue(check.verdict)

    def test_how_long_a_scan_takes_is_told_from_what_such_scans_took(self) -> None:
        self.media("first.mp4", frames=240, sound="aac", options={"preset": "ultrafast", "g": "24"})
        self.work()
        first = Inspection.objects.get()
        assert first.pace
        self.assertTrue(0 < first.pace * 240 <= first.elapsed_s)
        Inspection.objects.update(pace=0.5)
        _, inspection = self.planned(frames=200)
        ScanPart.objects.filter(inspection=inspection).update(state="running", attempt=1)
        total = sum(inspection.parts.values_list("total", flat=True))
        for done, gone, left in ((0, 1, 100.0), (total // 20, 5, 0.5 * 95 + 0.5 * 95), (total // 2, 30, 30.0)):
            inspection.stage_started_at = timezone.now() - timedelta(seconds=gone)
            ScanPart.objects.filter(pk=inspection.parts.last().pk).update(done=done)
            self.assertAlmostEqual(inspection.left_s or 0, left, delta=left / 20)
        ScanPart.objects.update(done=0)
        Inspection.objects.filter(pk=first.pk).update(pace=None)
        self.assertIsNone(inspection.left_s)

    def test_a_scan_that_was_taken_up_again_tells_no_pace(self) -> None:
        _, inspection = self.planned()
        ScanPart.objects.filter(inspection=inspection).update(attempt=1)
        self.work()
        inspection.refresh_from_db()
        self.assertEqual((inspection.state, inspection.pace), ("done", None))

    def test_cancelling_stops_every_part_at_once(self) -> None:
        _, inspection = self.planned()
        part = inspection.parts.first()
        assert part

        def ask(request: object, **more: object) -> None:
            services.cancel(inspection, by=self.people["operator"])
            self.assertTrue(more["should_stop"]())  # type: ignore[operator]
            raise sandbox.Cancelled("reading was cancelled")

        with mock.patch("brisk_web.inspections.scanning.sandbox.run", side_effect=ask):
            scanning.scan_part.run(part.pk)
        inspection.refresh_from_db()
        self.assertEqual(inspection.state, "cancelled")
        with mock.patch("brisk_web.inspections.scanning.sandbox.run") as run:
            self.work()
        run.assert_not_called()

    def test_a_part_that_cannot_be_scanned_leaves_the_others_their_truth(self) -> None:
        _, inspection = self.planned()
        last = inspection.parts.last()
        assert last
        real = sandbox.run

        def crash(request: requests.Request[object], **more: object) -> object:
            if isinstance(request, requests.ScanPart) and request.segment == (last.first, last.end):
                raise UnreadableFile("the reading process crashed (SIGSEGV); the file is damaged or hostile")
            return real(request, **more)  # type: ignore[arg-type]

        with mock.patch("brisk_web.inspections.scanning.sandbox.run", side_effect=crash):
            self.work()
        inspection.refresh_from_db()
        assert inspection.facts
        self.assertEqual(inspection.state, "done")
        lost = inspection.facts.best("content.unreadable")
        self.assertEqual([(span.start, span.end) for span in lost], [(last.first, 240)])

    def test_when_no_part_can_be_scanned_the_inspection_fails_with_the_sentence(self) -> None:
        _, inspection = self.planned(frames=50)
        with mock.patch("brisk_web.inspections.scanning.sandbox.run", side_effect=UnreadableFile("it is broken")):
            self.work()
        inspection.refresh_from_db()
        self.assertEqual((inspection.state, inspection.error), ("failed", "it is broken"))
        self.assertIsNotNone(inspection.document)  # what packets showed stays

    def test_a_part_whose_worker_died_is_queued_again_and_given_up_after_three(self) -> None:
        _, inspection = self.planned()
        part = inspection.parts.last()
        assert part
        ScanPart.objects.filter(pk=part.pk).update(state=ScanPart.State.RUNNING, attempt=1, tries=1)
        self.assertEqual(sweep().taken_up, 1)
        ScanPart.objects.filter(pk=part.pk).update(state=ScanPart.State.RUNNING, tries=MOST_TRIES)
        self.assertEqual(sweep().given_up, 1)
        part.refresh_from_db()
        self.assertEqual((part.state, part.error), ("failed", "the worker died 5 times while scanning this part"))
        self.work()
        inspection.refresh_from_db()
        self.assertEqual(inspection.state, "done")

    def test_parts_whose_tasks_were_lost_are_found(self) -> None:
        _, inspection = self.planned()
        self.lose_tasks()
        self.work()
        inspection.refresh_from_db()
        self.assertTrue(inspection.is_scanning)
        self.assertEqual(sweep(forgotten_s=0).knocked, inspection.parts.count())
        self.work()
        inspection.refresh_from_db()
        self.assertEqual(inspection.state, "done")

    def test_a_scan_whose_conclusion_was_lost_is_put_together(self) -> None:
        _, inspection = self.planned(frames=50)
        self.work()
        Inspection.objects.update(state="running", stage="scan")  # as an older version could leave it
        self.assertEqual(sweep().mended, 1)
        self.work()
        inspection.refresh_from_db()
        self.assertEqual(inspection.state, "done")

    def test_a_kill_while_concluding_costs_one_try_of_that_stage(self) -> None:
        _, inspection = self.planned(frames=50)
        with mock.patch.object(scanning.conclude, "claim", return_value=None):
            self.work()
        inspection.refresh_from_db()
        self.assertEqual((inspection.state, inspection.stage, inspection.tries), ("queued", "conclude", 0))
        for tries in (1, 2):
            self.assertTrue(scanning.conclude.claim(inspection.pk))
            inspection.refresh_from_db()
            self.assertEqual(inspection.tries, tries)
            self.assertEqual(sweep(silent_s=-1).taken_up, 1)
        self.work()
        inspection.refresh_from_db()
        self.assertEqual((inspection.state, inspection.tries), ("done", 3))

    def test_cancelling_what_is_done_writes_nothing(self) -> None:
        file = self.media(frames=20)
        self.work()
        inspection = Inspection.objects.get(pk=file.inspection_id)
        self.sign_in()
        self.client.post(reverse("cancel-inspection", args=[inspection.pk]), {"file": file.pk})
        inspection.refresh_from_db()
        self.assertEqual(inspection.state, "done")
        self.assertFalse(AuditEntry.objects.filter(verb="inspection.cancelled").exists())

    def test_the_first_of_many_files_is_done_before_the_last_is_read(self) -> None:
        files = [self.media(f"{number}.mp4", frames=4 + number) for number in range(5)]
        self.work()
        first, last = (Inspection.objects.get(files=file) for file in (files[0], files[-1]))
        assert first.finished_at
        assert last.stage_started_at
        self.assertLess(first.finished_at, last.stage_started_at)
        self.assertEqual(Inspection.objects.filter(state="done").count(), 5)
        done = Inspection.objects.order_by("finished_at").values_list("files__name", flat=True)
        self.assertEqual(list(done), [file.name for file in files])

    def test_contents_are_not_adopted_from_another_engine(self) -> None:
        first = self.media(frames=20)
        self.work()
        Inspection.objects.update(engine="0.1.0")
        (self.folder / "shelf" / "b.mp4").write_bytes((self.folder / "shelf" / "a.mp4").read_bytes())
        second = register(self.root, "b.mp4", by=None)
        self.work()
        for file in (first, second):
            file.refresh_from_db()
        self.assertNotEqual(first.inspection_id, second.inspection_id)
        self.assertEqual(Inspection.objects.get(pk=second.inspection_id).engine, ENGINE)

    def test_an_overtaken_attempt_writes_nothing(self) -> None:
        _, inspection = self.planned()
        part = inspection.parts.last()
        assert part
        old = scanning.scan_part.claim(part.pk)
        assert old
        ScanPart.objects.filter(pk=part.pk).update(attempt=old.row.attempt + 1)
        with self.assertRaises(Overtaken):
            old.end()
        part.refresh_from_db()
        self.assertEqual(part.state, "running")

    def test_files_of_an_older_engine_are_read_again_on_request(self) -> None:
        self.media(frames=50)
        self.work()
        Inspection.objects.update(engine="0.1.0")
        self.sign_in("lead")
        self.assertContains(self.client.get(reverse("house")), "read by an older engine")
        self.client.post(reverse("inspect-outdated"))
        self.work()
        self.assertFalse(services.outdated_files().exists())
        self.sign_in("viewer")
        self.assertEqual(self.client.post(reverse("inspect-outdated")).status_code, 403)
