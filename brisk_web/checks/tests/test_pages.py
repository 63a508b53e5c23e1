from typing import Any

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import SimpleTestCase

from brisk_web.captions.models import CaptionFile
from brisk_web.checks.models import Check
from brisk_web.checks.services import open_check
from brisk_web.edits.services import import_timeline
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.jobs.services import take_in
from brisk_web.jobs.tests.test_jobs import EDL
from brisk_web.pages.lanes import columns
from brisk_web.storage.services import register
from brisk_web.testing import SILENT_INTEGRITY, QueueTestCase, spec_version


class CheckPageTest(QueueTestCase):
    def check(self, **recipe: Any) -> Check:
        job = Job.objects.create(title="Canal")
        timeline = import_timeline(job, SimpleUploadedFile("a.edl", EDL), {"rate": "25"}, by=self.people["operator"])
        return open_check(self.media(**recipe), spec_version(), timeline=timeline, by=self.people["operator"])

    def test_the_page_opens_at_once_and_fills_itself(self) -> None:
        check = self.check()
        self.sign_in("viewer")
        page = self.client.get(f"/checks/{check.pk}/")
        self.assertContains(page, "The lines appear as soon as its headers are known")
        state = self.client.get(f"/checks/{check.pk}/state").json()
        self.assertEqual((state["active"], state["words"], state["judgedAt"]), (True, "in queue, place 1", ""))
        self.assertEqual(self.client.get(f"/checks/{check.pk}.json").status_code, 404)
        self.work()
        page = self.client.get(f"/checks/{check.pk}/")
        self.assertContains(page, "1 of 15 lines fails")
        self.assertContains(page, "The index stands after the media")
        self.assertFalse(self.client.get(f"/checks/{check.pk}/state").json()["active"])

    def test_the_json_is_that_of_the_command_line(self) -> None:
        check = self.check()
        self.work()
        self.sign_in("viewer")
        document = self.client.get(f"/checks/{check.pk}.json").json()
        self.assertEqual((document["schema"], document["verdict"]), ("brisk-sentry/check/1", "fail"))
        own, integrity = ["rate", "codec", "index-first", "length"], [f"integrity-{name}" for name in SILENT_INTEGRITY]
        edit = ["integrity-edit-cuts", "integrity-edit-shots"]  # a timeline was given
        self.assertEqual([row["line"] for row in document["findings"]], own + edit + integrity)
        inspection = self.client.get(f"/files/{check.media_file_id}/inspection.json").json()
        self.assertEqual(inspection["schema"], "brisk-sentry/inspection/1")
        self.assertEqual(inspection["file"]["name"], "a.mp4")

    def test_one_frame_too_long_points_at_that_frame(self) -> None:
        check = self.check(frames=51, container_options={"movflags": "+faststart"})
        self.work()
        self.sign_in("viewer")
        page = self.client.get(f"/checks/{check.pk}/")
        self.assertContains(page, '{"start": 50, "end": 51}')

    def test_lanes_and_frames(self) -> None:
        check = self.check()
        self.sign_in("viewer")
        self.assertEqual(self.client.get(f"/checks/{check.pk}/lanes").status_code, 404)
        self.work()
        lanes = self.client.get(f"/checks/{check.pk}/lanes?start=10&end=30&width=500").json()
        self.assertEqual((lanes["start"], lanes["end"], lanes["frames"], len(lanes["sizes"])), (10, 30, 50, 20))
        self.assertEqual(len(lanes["types"]), 20)
        self.assertEqual(lanes["edit"]["length"], 50.0)
        self.assertEqual(self.client.get(f"/checks/{check.pk}/lanes?start=x").status_code, 400)
        frame = self.client.get(f"/files/{check.media_file_id}/frames/49.jpg")
        self.assertEqual(frame["Content-Type"], "image/jpeg")
        self.assertEqual(b"".join(frame.streaming_content)[:2], b"\xff\xd8")
        beyond = self.client.get(f"/files/{check.media_file_id}/frames/50.jpg")
        self.assertEqual(
            (beyond.status_code, beyond.content.decode()), (404, "there is no frame 50; the file has 50 frames")
        )

    def test_a_file_that_cannot_be_read_says_so_on_the_page(self) -> None:
        (self.folder / "shelf" / "b.mp4").write_text("hello")
        check = open_check(register(self.root, "b.mp4"), spec_version(), by=None)
        self.work()
        self.sign_in("viewer")
        page = self.client.get(f"/checks/{check.pk}/")
        self.assertContains(page, "this is no media file that is known: it is plain text")
        self.assertContains(page, "not judged yet")

    def test_names_are_shown_escaped(self) -> None:
        check = self.check(name="<b>x.mp4")
        self.sign_in("viewer")
        self.assertContains(self.client.get(f"/checks/{check.pk}/"), "&lt;b&gt;x.mp4")


class SideBySideTest(QueueTestCase):
    def test_two_files_beside_the_spec(self) -> None:
        first, second = (
            self.media("a.mp4"),
            self.media("b.mp4", frames=40, container_options={"movflags": "+faststart"}),
        )
        self.work()
        self.sign_in("viewer")
        page = self.client.get(f"/side-by-side/?files={first.pk},{second.pk}&spec={spec_version().pk}")
        rows = {row.id: row for group in page.context["groups"] for row in group.differing}
        self.assertEqual([cell.outcome for cell in rows["index-first"].cells], ["fail", "pass"])
        self.assertEqual([cell.text for cell in rows["picture.frame_count"].cells], ["50", "40"])
        self.assertContains(page, "more rows agree, unfold")
        self.assertContains(page, f"?spec={spec_version().pk}&amp;files={second.pk}")

    def test_a_range_is_held_to_as_on_the_check_page(self) -> None:
        job = Job.objects.create(title="Canal")
        timeline = import_timeline(job, SimpleUploadedFile("a.edl", EDL), {"rate": "25"}, by=None)
        file, version = self.media(frames=15), spec_version()
        check = open_check(file, version, timeline=timeline, range_start=10, range_end=25)
        self.work()
        self.assertEqual(check.findings.get(line="length").outcome, "pass")
        self.sign_in("viewer")
        page = self.client.get(f"/side-by-side/?files={file.pk}&spec={version.pk}&timeline={timeline.pk}")
        rows = {row.id: row for group in page.context["groups"] for row in (*group.differing, *group.agreeing)}
        self.assertEqual([cell.outcome for cell in rows["length"].cells], ["pass"])

    def test_a_file_is_added_and_no_more_than_four_are_shown(self) -> None:
        files = [self.media(f"{number}.mp4", frames=4 + number) for number in range(5)]
        self.work()
        self.sign_in("viewer")
        text = ",".join(str(file.pk) for file in files)
        self.assertEqual(len(self.client.get(f"/side-by-side/?files={text}").context["columns"]), 4)
        page = self.client.get(f"/side-by-side/?files={files[0].pk}&add={files[1].pk}")
        self.assertEqual([column.file for column in page.context["columns"]], files[:2])

    def test_renders_of_the_job_are_offered_first_then_masters_and_never_captions(self) -> None:
        job, version = Job.objects.create(title="Canal"), spec_version()
        wide, tall = (Deliverable.objects.create(job=job, name=name, spec_version=version) for name in ("Wide", "Tall"))
        first, second, tall_one, stray, master = (
            self.media(f"{name}.mp4", frames=4 + at) for at, name in enumerate(("w1", "w2", "t1", "stray", "master"))
        )
        (self.folder / "shelf" / "w1.srt").write_text("1\n00:00:00,000 --> 00:00:01,000\nHello\n")
        captions = register(self.root, "w1.srt", by=self.people["operator"])
        CaptionFile.objects.get_or_create(source=captions, defaults={"name": "w1.srt"})
        wide.master = master
        wide.save()
        for file in (first, second):
            check = take_in(file, wide)
        take_in(tall_one, tall)
        self.work()
        self.sign_in("viewer")
        page = self.client.get(f"/side-by-side/?files={second.pk}&spec={version.pk}")
        offered = {name: [number for number, _ in entries] for name, entries in page.context["offered"]}
        self.assertEqual(list(offered), ["Renders of the same job", "Masters", "Other files"])
        self.assertEqual(set(offered["Renders of the same job"]), {first.pk, tall_one.pk})
        self.assertEqual(offered["Masters"], [master.pk])
        self.assertEqual(offered["Other files"], [stray.pk])
        beside = self.client.get(self.client.get(f"/checks/{check.pk}/").context["side_by_side"])
        titles = [column.title for column in beside.context["columns"]]
        self.assertEqual(titles, ["Master", "Attempt 1", "Attempt 2"])

    def test_nothing_chosen_and_nothing_read(self) -> None:
        self.sign_in("viewer")
        self.assertContains(self.client.get("/side-by-side/"), "Choose a file to begin with.")
        file = self.media()
        self.assertContains(
            self.client.get(f"/side-by-side/?files={file.pk}"),
            '<bdi class="file-name">a.mp4</bdi> has not been read yet.',
        )


class ColumnTest(SimpleTestCase):
    def test_smallest_and_largest_of_every_column(self) -> None:
        values = np.arange(1000)
        found = columns(values, 100, 900, 80)
        self.assertEqual((len(found), found[0], found[-1]), (80, [100, 109], [890, 899]))
        self.assertEqual(columns(values, 0, 3, 80), [[0, 0], [1, 1], [2, 2]])

    def test_no_peak_is_lost_in_an_hour(self) -> None:
        values = np.zeros(90_000, dtype=np.int64)
        values[54_321] = 7
        found = columns(values, 0, 90_000, 700)
        self.assertEqual(max(high for _, high in found), 7)
        self.assertEqual(sum(high == 7 for _, high in found), 1)
