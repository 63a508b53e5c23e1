from unittest import mock

from django.urls import reverse

from brisk_core import sandbox
from brisk_core.errors import UnreadableFile
from brisk_web.checks.services import open_check
from brisk_web.inspections import scanning, services
from brisk_web.inspections.models import Inspection, ScanPart
from brisk_web.storage.models import MediaFile
from brisk_web.testing import QueueTestCase, spec_version


class ScanningTest(QueueTestCase):
    """A scan in parts: cut, taken by workers, joined, cancelled, taken up again."""

    def planned(self, **recipe: object) -> tuple[MediaFile, Inspection]:
        """A file whose packets have been read and whose parts wait."""
        file = self.media(**({"frames": 240, "sound": "aac", "options": {"preset": "ultrafast", "g": "24"}} | recipe))  # type: ignore[arg-type]
        services.read_headers(file.inspection_id)
        services.read_packets(file.inspection_id)
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

    def test_cancelling_stops_every_part_at_once(self) -> None:
        _, inspection = self.planned()
        part = inspection.parts.first()
        assert part

        def ask(verb: str, request: object, **more: object) -> None:
            services.cancel(inspection, by=self.people["operator"])
            self.assertTrue(more["should_stop"]())  # type: ignore[operator]
            raise sandbox.Cancelled("reading was cancelled")

        with mock.patch("brisk_web.inspections.scanning.sandbox.run", side_effect=ask):
            scanning.scan(part.pk)
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

        def crash(verb: str, request: dict[str, object], **more: object) -> object:
            if verb == "scan_part" and request["segment"] == [last.first, last.end]:
                raise UnreadableFile("the reading process crashed (SIGSEGV); the file is damaged or hostile")
            return real(verb, request, **more)  # type: ignore[arg-type]

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
        ScanPart.objects.filter(pk=part.pk).update(state=ScanPart.State.RUNNING, attempt=1)
        self.assertEqual(scanning.take_up_stalled([part.pk]), 1)
        ScanPart.objects.filter(pk=part.pk).update(state=ScanPart.State.RUNNING, attempt=scanning.MOST_ATTEMPTS)
        self.assertEqual(scanning.take_up_stalled([part.pk]), 0)
        part.refresh_from_db()
        self.assertEqual((part.state, part.error), ("failed", "the worker died 3 times while scanning this part"))
        self.work()
        inspection.refresh_from_db()
        self.assertEqual(inspection.state, "done")

    def test_an_overtaken_attempt_writes_nothing(self) -> None:
        _, inspection = self.planned()
        part = inspection.parts.last()
        assert part
        old = scanning._claim(part.pk)
        assert old
        ScanPart.objects.filter(pk=part.pk).update(attempt=old.attempt + 1)
        scanning.finish(old, "")
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
