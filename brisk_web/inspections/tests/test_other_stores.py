import os
from pathlib import Path
from unittest import mock

import s3fs
from django.test import override_settings
from django.urls import reverse

from brisk_core.errors import UnreadableFile
from brisk_core.facts import inspection_from_json
from brisk_core.small_media import Small, make_small
from brisk_web.checks.services import open_check
from brisk_web.handoff.doors import DoorClosed, DoorRefused
from brisk_web.handoff.models import Destination, HandOff
from brisk_web.handoff.sending import _local
from brisk_web.handoff.tests.servers import StoreInReach
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Deliverable, Job, Render
from brisk_web.jobs.services import take_in
from brisk_web.storage.models import MediaFile, StorageRoot
from brisk_web.storage.services import StorageRefused, add_root, browse, list_files, names_beside, register
from brisk_web.testing import QueueTestCase, spec_version
from brisk_web.watching.models import WatchedFolder
from brisk_web.watching.services import look


class ObjectStorageTest(StoreInReach, QueueTestCase):
    """A root in object storage: its files are read by ranges, by children that reach nobody themselves."""

    scans_for_real = True

    def setUp(self) -> None:
        super().setUp()
        address = f"s3://{self.store.bucket}"
        with override_settings(PLACES=(address,)):
            self.bring(make_small(self.folder / "a.mp4", Small(sound="aac")), "a.mp4")
            self.bucket: StorageRoot = add_root("Bucket", f"{address}/in", by=self.people["lead"])

    def bring(self, path: Path, name: str) -> None:
        self.store.client.put_object(Bucket=self.store.bucket, Key=f"in/{name}", Body=path.read_bytes())

    def test_from_the_bucket_to_the_verdict_and_its_frames(self) -> None:
        self.assertEqual([(one.name, one.is_folder) for one in browse(self.bucket)], [("a.mp4", False)])
        file = register(self.bucket, "a.mp4", by=self.people["operator"])
        self.assertGreater(file.modified_ns, 0)
        check = open_check(file, spec_version(), by=self.people["operator"])
        here = self.media("here.mp4", sound="aac")
        self.work()
        found, known = (Inspection.objects.get(files=one) for one in (file, here))
        self.assertEqual((found.state, found.error), ("done", ""))
        facts = [inspection_from_json(one.document) for one in (found, known)]
        for id_ in ("picture.frame_count", "picture.codec", "sound.loudness", "file.checksum"):
            self.assertEqual(facts[0].best(id_), facts[1].best(id_), id_)
        check.refresh_from_db()
        self.assertIn(check.verdict, ("pass", "fail", "caution", "not measured"))
        self.sign_in()
        frame = self.client.get(reverse("frame", args=[file.pk, 3]))
        self.assertEqual((frame.status_code, frame["Content-Type"].split("/")[0]), (200, "image"))

    def test_an_object_that_was_written_over_is_another_file(self) -> None:
        file = register(self.bucket, "a.mp4", by=self.people["operator"])
        file.require_unchanged()
        MediaFile.objects.filter(pk=file.pk).update(
            modified_ns=file.modified_ns - 5_000_000_000
        )  # as of five seconds before
        file.refresh_from_db()
        with self.assertRaisesRegex(UnreadableFile, "was changed, moved or removed"):
            file.require_unchanged()
        self.assertNotEqual(register(self.bucket, "a.mp4").pk, file.pk)
        self.store.clear()
        with self.assertRaisesRegex(UnreadableFile, "was changed, moved or removed"):
            file.require_unchanged()
        with self.assertRaises(StorageRefused):
            register(self.bucket, "a.mp4")

    def test_a_folder_of_it_is_watched(self) -> None:
        Deliverable.objects.create(
            job=Job.objects.create(title="Canal"), name="Wide", spec_version=spec_version(), naming_rule="W_V##.mp4"
        )
        watched = WatchedFolder.objects.create(root=self.bucket, from_now_on=False, settle_s=5)
        self.bring(self.folder / "a.mp4", "june/W_V02.mp4")
        self.assertEqual(set(list_files(self.bucket, "", most=9)), {"a.mp4", "june/W_V02.mp4"})
        first = Render.objects.count()
        look(watched)
        WatchedFolder.objects.get().seen.update(changed_at=watched.added_at.replace(year=2020))
        self.assertEqual(look(WatchedFolder.objects.get()), 2)
        self.assertEqual((first, Render.objects.get().attempt), (0, 2))

    def test_it_is_fetched_to_be_handed_over(self) -> None:
        file = register(self.bucket, "a.mp4", by=self.people["operator"])
        wide = Deliverable.objects.create(
            job=Job.objects.create(title="Canal"), name="Wide", spec_version=spec_version()
        )
        take_in(file, wide, by=self.people["operator"])
        there = Destination.objects.create(name="Box", kind="folder", address=str(self.folder / "box"))
        handoff = HandOff.objects.create(
            render=Render.objects.get(), destination=there, name="a.mp4", made_by=self.people["lead"]
        )
        told: list[int] = []
        path = _local(handoff, told.append)
        self.assertEqual(path.read_bytes(), (self.folder / "a.mp4").read_bytes())
        self.assertEqual(told[-1], file.size)
        self.assertEqual(_local(handoff, told.append), path)
        path.unlink()
        full = mock.patch("shutil.disk_usage", return_value=mock.Mock(free=1 << 30))
        with full, self.assertRaisesRegex(DoorClosed, "There is no room here for a.mp4 on its way"):
            _local(handoff, told.append)
        self.store.clear()
        with self.assertRaisesRegex(DoorRefused, "a.mp4 is no longer where it was"):
            _local(handoff, told.append)
        with mock.patch.dict(os.environ, {"AWS_ENDPOINT_URL": "http://127.0.0.1:1", "AWS_MAX_ATTEMPTS": "1"}):
            s3fs.S3FileSystem.clear_instance_cache()
            with self.assertRaisesRegex(DoorClosed, "The store in which a.mp4 lies does not answer"):
                _local(handoff, told.append)
        self.assertEqual(list(path.parent.iterdir()), [])

    def test_a_store_that_does_not_answer_is_told(self) -> None:
        file = register(self.bucket, "a.mp4", by=self.people["operator"])
        s3fs.S3FileSystem.clear_instance_cache()
        with mock.patch.dict(os.environ, {"AWS_ENDPOINT_URL": "http://127.0.0.1:1", "AWS_MAX_ATTEMPTS": "1"}):
            with self.assertRaisesRegex(UnreadableFile, "does not answer"):
                file.require_unchanged()
            for asked in (
                lambda: browse(self.bucket),
                lambda: register(self.bucket, "a.mp4"),
                lambda: list_files(self.bucket, "", most=9),
            ):
                with self.assertRaisesRegex(StorageRefused, "cannot (list|look at) .*[Cc]onnect"):
                    asked()
            self.assertEqual(names_beside(file), [])
            look(watched := WatchedFolder.objects.create(root=self.bucket))
            watched.refresh_from_db()
            self.assertIn("cannot look at Bucket", watched.trouble)
            self.sign_in()
            self.assertEqual(self.client.get(reverse("browse-root", args=[self.bucket.pk])).status_code, 200)
            self.work()
        self.assertEqual(Inspection.objects.get().state, "failed")
        self.assertIn("a.mp4 lies in a store that does not answer", Inspection.objects.get().error)
