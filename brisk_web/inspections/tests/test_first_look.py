import tempfile
from fractions import Fraction
from functools import cache
from pathlib import Path
from unittest import mock

from django.urls import reverse

from brisk_core import sandbox
from brisk_core.errors import UnreadableFile
from brisk_core.sandbox import requests
from brisk_core.small_media import Small, make_small
from brisk_web.checks.services import open_check
from brisk_web.inspections import scanning, services
from brisk_web.inspections.models import Inspection, ScanPart
from brisk_web.inspections.reading import read_headers, read_packets, take_first_look
from brisk_web.storage.models import MediaFile
from brisk_web.testing import QueueTestCase, spec_version
from brisk_web.work.sweep import sweep

SEEN = {
    "schema": "brisk-sentry/first-look/1",
    "duration": 70.0,
    "pictures": 70,
    "sounds": 60,
    "seen": [
        {"what": "Active area", "says": "the whole picture", "spans": [], "odd": False},
        {"what": "Black", "says": "2 of 70 pictures are black", "spans": [[50.0, 52.0], [61.0, 61.0]], "odd": True},
    ],
    "strip": [[0, 2.9], [1, 8.7]],
}


@cache
def _long_file() -> bytes:
    """A file of 70 s, made once."""
    with tempfile.TemporaryDirectory() as folder:
        recipe = Small(frames=700, rate=Fraction(10), sound="aac", options={"preset": "ultrafast", "g": "10"})
        return make_small(Path(folder) / "long.mp4", recipe).read_bytes()


class FirstLookTest(QueueTestCase):
    """A long file is looked at before it is read whole; a short one is not."""

    def long_file(self) -> tuple[MediaFile, Inspection]:
        """A file of 70 s whose headers have been read."""
        file = self.media(
            "long.mp4", frames=700, rate=Fraction(10), sound="aac", options={"preset": "ultrafast", "g": "10"}
        )
        read_headers.run(file.inspection_id)
        return file, Inspection.objects.get(pk=file.inspection_id)

    def looked_at(self) -> tuple[MediaFile, Inspection]:
        file, inspection = self.long_file()
        take_first_look.run(inspection.pk)
        inspection.refresh_from_db()
        return file, inspection

    def test_what_was_seen_is_there_before_a_byte_is_summed_and_gone_once_all_is_scanned(self) -> None:
        file, inspection = self.long_file()
        self.assertEqual((inspection.stage, inspection.state, inspection.first_look), ("look", "queued", None))
        self.assertIn("taking a first look", inspection.get_stage_display())
        take_first_look.run(inspection.pk)
        inspection.refresh_from_db()
        self.assertEqual((inspection.stage, inspection.state, inspection.checksum), ("checksum", "queued", ""))
        look = inspection.first_look
        assert look
        self.assertEqual((look.duration, len(look.strip)), (70.0, 12))
        self.assertIn("Levels", {one.what for one in look.seen})
        self.sign_in("operator")
        for address in (
            reverse("file", args=[file.pk]),
            reverse("check", args=[open_check(file, spec_version(), by=None).pk]),
        ):
            page = self.client.get(address).content.decode()
            self.assertIn("Seen so far", page)
            self.assertIn(f"/files/{file.pk}/first-look/0.jpg", page)
        picture = self.client.get(reverse("seen-picture", args=[file.pk, 0]))
        self.assertEqual((picture.status_code, picture["Content-Type"]), (200, "image/jpeg"))
        self.assertEqual(b"".join(picture.streaming_content)[:2], b"\xff\xd8")  # type: ignore[attr-defined]
        self.assertEqual(self.client.get(reverse("seen-picture", args=[file.pk, 99])).status_code, 404)
        self.work()
        inspection.refresh_from_db()
        self.assertEqual(
            (inspection.state, inspection.first_look, inspection.look_folder.exists()), ("done", None, False)
        )
        self.assertNotIn("Seen so far", self.client.get(reverse("file", args=[file.pk])).content.decode())

    def test_no_line_is_met_by_it(self) -> None:
        file, inspection = self.looked_at()
        check = open_check(file, spec_version(), by=None)
        outcomes = set(check.findings.filter(characteristic__startswith="content.").values_list("outcome", flat=True))
        self.assertLessEqual(outcomes, {"not measured"})
        self.assertEqual(inspection.facts and inspection.facts.depth.value, "headers")

    def test_a_short_file_is_read_at_once(self) -> None:
        file = self.media()
        read_headers.run(file.inspection_id)
        inspection = Inspection.objects.get(pk=file.inspection_id)
        self.assertEqual((inspection.stage, inspection.look), ("checksum", None))

    def test_where_it_fails_the_reading_goes_on_without(self) -> None:
        _, inspection = self.long_file()
        with (
            mock.patch.object(sandbox, "run", side_effect=UnreadableFile("it broke off")),
            self.assertLogs(level="WARNING"),
        ):
            take_first_look.run(inspection.pk)
        inspection.refresh_from_db()
        self.assertEqual((inspection.stage, inspection.state, inspection.look), ("checksum", "queued", None))
        self.work()
        inspection.refresh_from_db()
        self.assertEqual(inspection.state, "done")

    def test_it_goes_before_what_else_waits_for_a_scan(self) -> None:
        self.assertGreater(take_first_look.priority, max(read_packets.priority, scanning.scan_part.priority))

    def test_one_that_was_cancelled_or_lost_its_worker(self) -> None:
        file, inspection = self.long_file()
        Inspection.objects.filter(pk=inspection.pk).update(state="running", attempt=1, tries=1, beat_at=None)
        sweep()
        self.work()
        inspection.refresh_from_db()
        self.assertEqual(inspection.state, "done")
        waiting = services.inspect_again(MediaFile.objects.get(pk=file.pk), by=None)
        read_headers.run(waiting.pk)
        self.assertTrue(services.cancel(waiting, by=self.people["operator"]))
        take_first_look.run(waiting.pk)
        waiting.refresh_from_db()
        self.assertEqual((waiting.state, waiting.look), ("cancelled", None))

    def test_parts_in_which_something_odd_was_seen_are_taken_first(self) -> None:
        _, inspection = self.long_file()
        for spans, first in (([[50.0, 52.0]], 1), ([[3.0, 9.0]], 0), ([], 0)):
            seen = [SEEN["seen"][0], SEEN["seen"][1] | {"spans": spans}]  # type: ignore[index]
            Inspection.objects.filter(pk=inspection.pk).update(
                look=SEEN | {"seen": seen}, stage="checksum", state="queued"
            )
            with mock.patch.object(scanning.scan_part, "knock") as knock:
                read_packets.run(inspection.pk)
            parts = list(ScanPart.objects.filter(inspection=inspection).exclude(end=0).order_by("first"))
            order = [call.args[0] for call in knock.call_args_list]
            pictures = [pk for pk in order if pk in {part.pk for part in parts}]
            self.assertEqual(pictures[0], parts[first].pk, spans)
            if spans:
                self.assertEqual(order[0], parts[first].pk)

    def test_what_an_operator_reads(self) -> None:
        file, inspection = self.looked_at()
        Inspection.objects.filter(pk=inspection.pk).update(look=SEEN)
        self.sign_in("viewer")
        page = " ".join(self.client.get(reverse("file", args=[file.pk])).content.decode().split())
        self.assertIn("in 70 pictures and at 60 places of the sound, over 1:10.", page)
        self.assertIn('are black: <span class="fig">0:50 to 0:52</span> <span class="fig">1:01</span>', page)
        check = reverse("check", args=[open_check(file, spec_version(), by=None).pk])
        self.assertNotIn('data-at="500"', self.client.get(check).content.decode())
        read_packets.run(inspection.pk)
        self.assertIn('data-at="500"', self.client.get(check).content.decode())  # its frames can be shown from now on

    def test_one_of_another_version_is_not_shown(self) -> None:
        file, inspection = self.long_file()
        Inspection.objects.filter(pk=inspection.pk).update(look=SEEN | {"schema": "brisk-sentry/first-look/9"})
        self.sign_in("viewer")
        page = self.client.get(reverse("file", args=[file.pk]))
        self.assertEqual((page.status_code, "Seen so far" in page.content.decode()), (200, False))

    def test_what_it_writes_stands_in_its_own_folder(self) -> None:
        _, inspection = self.looked_at()
        self.assertEqual(len(list(inspection.look_folder.iterdir())), 12)
        request = requests.FirstLook(url="file:///x.mp4", document={}, small_folder="/y")
        self.assertEqual((request.verb, list(request.reads())), ("first_look", ["/x.mp4"]))
