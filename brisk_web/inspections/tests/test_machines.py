import io
import os
import shutil
import signal
import subprocess
import sys
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from unittest import mock

import s3fs
from django.conf import settings
from django.core.management import CommandError, call_command
from django.db import connection
from django.test import override_settings
from django.urls import reverse

from brisk_core.facts import Depth, keys
from brisk_core.inspect import inspect
from brisk_core.reading import Source
from brisk_core.small_media import Small, make_small
from brisk_web.captions.models import CaptionFile
from brisk_web.handoff.tests.servers import StoreInReach
from brisk_web.inspections import keeping
from brisk_web.inspections.keeping import tidy_series
from brisk_web.inspections.models import Inspection
from brisk_web.masters import services as masters
from brisk_web.masters.models import Comparison
from brisk_web.masters.services import Pair
from brisk_web.storage import house_data, services, shared
from brisk_web.storage.models import HouseData, MediaFile, Upload
from brisk_web.storage.places import PlaceRefused, check_place
from brisk_web.storage.services import StorageRefused
from brisk_web.testing import QueueTestCase
from brisk_web.work.models import Work
from brisk_web.work.sweep import sweep


class MachinesTest(StoreInReach, QueueTestCase):
    """The web and its workers on machines with data folders of their own, which share a bucket."""

    scans_for_real = True

    def setUp(self) -> None:
        super().setUp()
        override = override_settings(SHARED=f"s3://{self.store.bucket}/house")
        override.enable()
        self.addCleanup(override.disable)

    def send(self, path: Path, name: str) -> MediaFile:
        upload = services.open_upload(name, path.stat().st_size, by=self.people["operator"])
        with path.open("rb") as body:
            file = services.append(upload, 0, body, path.stat().st_size).file
        assert file
        return file

    def start_worker(self, machine: str) -> subprocess.Popen[bytes]:
        """Start a worker of every queue on a machine with its own data folder."""
        database = connection.settings_dict
        url = "postgresql://{USER}:{PASSWORD}@{HOST}:{PORT}/{NAME}".format(**database)
        own = {"DATABASE_URL": url, "BRISK_DATA": str(self.folder / machine), "BRISK_SHARED": settings.SHARED}
        return subprocess.Popen(
            [sys.executable, "manage.py", "work", "headers,scan,conclude", "--name", machine],
            cwd=settings.BASE_DIR,
            env=os.environ | own,
            start_new_session=True,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )

    @contextmanager
    def worker(self, machine: str) -> Iterator[None]:
        """A worker that is killed in the end."""
        process = self.start_worker(machine)
        try:
            yield
        finally:
            os.killpg(process.pid, signal.SIGKILL)
            process.wait(30)

    def wait_for(
        self, what: Callable[[], Any], seconds: float = 180, meanwhile: Callable[[], Any] | None = None
    ) -> None:
        """Wait until something holds; ``meanwhile`` is done every five seconds, as the watch of a house does."""
        now = time.monotonic()
        deadline, again = now + seconds, now + 5
        while not what():
            now = time.monotonic()
            self.assertLess(now, deadline, "it did not happen")
            if meanwhile and now > again:
                meanwhile()
                again = now + 5
            time.sleep(0.1)

    @contextmanager
    def at(self, machine: str) -> Iterator[None]:
        """Do things on another machine."""
        with override_settings(DATA_FOLDER=self.folder / machine):
            yield

    def names(self) -> list[str]:
        return sorted(name.removeprefix("house/series/") for name in self.store.names() if "/series/" in name)

    def test_two_workers_read_a_film_of_which_one_is_killed(self) -> None:
        film = make_small(
            self.folder / "film.mp4", Small(frames=600, sound="aac", options={"preset": "ultrafast", "g": "50"})
        )
        file = self.send(film, "film.mp4")
        self.assertTrue(file.url.startswith(f"{settings.SHARED}/renders/"))
        parts = Inspection.objects.get().parts
        with self.worker("first"):
            self.wait_for(lambda: parts.filter(state=Work.State.DONE).exists())
        self.assertTrue(parts.filter(state__in=Work.ACTIVE).exists())
        shutil.rmtree(self.folder / "first")
        sweep(silent_s=0, forgotten_s=0)
        with self.worker("second"):
            # A worker that is killed between fetching a task and claiming its row leaves it to the watch.
            self.wait_for(lambda: Inspection.objects.get().is_over, meanwhile=sweep)
            pk = Inspection.objects.get().pk
            self.wait_for(lambda: self.names() == [f"{pk}-scan.npz", f"{pk}-small.tar", f"{pk}.npz"])
        inspection = Inspection.objects.get()
        self.assertEqual((inspection.state, inspection.error), ("done", ""))
        facts, alone = inspection.facts, inspect(Source.at_path(str(film)), Depth.FULL).inspection
        assert facts
        for key in (keys.PICTURE_FRAME_COUNT, keys.SOUND_LOUDNESS, keys.CONTENT_UNREADABLE, keys.CONTENT_ACTIVE_AREA):
            self.assertEqual(facts[key], alone[key], key.id)

    def test_pages_show_what_workers_made_elsewhere(self) -> None:
        file = self.send(make_small(self.folder / "a.mp4", Small(sound="aac")), "a.mp4")
        with self.at("far"):
            self.work()
        self.assertFalse((settings.DATA_FOLDER / "series").exists())
        self.sign_in()
        inspection = Inspection.objects.get()
        self.assertIn(0, inspection.small_numbers)
        for name, number in (("frame", 3), ("small", 0)):
            answer = self.client.get(reverse(name, args=[file.pk, number]))
            self.assertEqual((answer.status_code, answer["Content-Type"]), (200, "image/jpeg"), name)
        scan, series = inspection.load_scan(), inspection.load_series()
        assert scan
        assert series
        self.assertEqual((len(scan.pictures), len(series)), (50, 50))
        with mock.patch("brisk_web.storage.shared._asked", side_effect=AssertionError("asked again")):
            self.assertTrue(inspection.has_series and inspection.has_scan and inspection.small_numbers)
        inspection.files.update(inspection=None)
        inspection.delete()
        self.assertEqual(tidy_series(), 4)  # the archive of the pictures lies in the store alone, its folder here alone
        self.assertEqual((self.names(), list((settings.DATA_FOLDER / "series").iterdir())), ([], []))

    def test_copies_that_nobody_wanted_for_a_day_are_forgotten_here_alone(self) -> None:
        self.send(make_small(self.folder / "a.mp4", Small()), "a.mp4")
        self.work()
        inspection = Inspection.objects.get()
        here = settings.DATA_FOLDER / "series"
        (here / "999-parts").mkdir()
        for days, left in ((0.5, 4), (2, 0)):
            later = time.time() + 86_400 * days
            with mock.patch.object(keeping, "_forgotten_at", -1e9), mock.patch("time.time", return_value=later):
                keeping.forget_copies()
            self.assertEqual(len(list(here.iterdir())), left, days)
        self.assertEqual(
            self.names(), [f"{inspection.pk}-scan.npz", f"{inspection.pk}-small.tar", f"{inspection.pk}.npz"]
        )
        self.assertTrue(inspection.has_scan and inspection.small_numbers)
        Inspection.objects.update(state="running")
        with mock.patch.object(keeping, "_forgotten_at", -1e9), mock.patch("time.time", return_value=later):
            self.assertEqual(keeping.forget_copies(), 0)
            with override_settings(SHARED=""):
                Inspection.objects.update(state="done")
                self.assertEqual(keeping.forget_copies(), 0)

    def test_files_that_machines_read_are_held_against_each_other_on_a_third(self) -> None:
        one = self.send(make_small(self.folder / "a.mp4", Small()), "a.mp4")
        other = self.send(
            make_small(self.folder / "b.mp4", Small(options={"preset": "ultrafast", "crf": "30"})), "b.mp4"
        )
        with self.at("far"):
            self.work()
        pair = Pair(own=Inspection.objects.get(files=one), master=Inspection.objects.get(files=other))
        masters.ask(pair)
        with self.at("third"):
            self.work()
        comparison = Comparison.objects.get()
        self.assertEqual((comparison.state, comparison.error), ("done", ""))

    def test_captions_that_came_with_a_form_are_read_elsewhere(self) -> None:
        text = b"1\n00:00:01,000 --> 00:00:02,000\nThe lock is open.\n"
        services.keep("a.srt", text, by=self.people["operator"])
        with self.at("far"):
            self.work()
        captions = CaptionFile.objects.get()
        self.assertEqual((captions.error, len(captions.document["captions"])), ("", 1))

    def test_an_upload_is_put_into_the_store_once(self) -> None:
        upload = services.open_upload("a.bin", 6, by=self.people["operator"])
        says = "cannot put a.bin into Uploads .shared.: no way there"
        away = mock.patch("s3fs.S3FileSystem.put_file", side_effect=OSError("no way there"))
        with away, self.assertRaisesRegex(StorageRefused, says):
            services.append(upload, 0, io.BytesIO(b"abcdef"), 6)
        Upload.objects.update(touched_at="2020-01-01T00:00Z")
        self.assertEqual(services.finish_uploads(), 1)
        file = MediaFile.objects.get()
        self.assertFalse(upload.part_path.exists())
        file.require_unchanged()
        with mock.patch("s3fs.S3FileSystem.put_file", side_effect=AssertionError("put again")):
            upload.refresh_from_db()
            self.assertEqual(services.finish(upload).file, file)

    def test_a_store_that_is_away_fails_the_reading_with_a_sentence(self) -> None:
        make_small(self.folder / "shelf" / "a.mp4", Small())
        services.register(self.root, "a.mp4")
        s3fs.S3FileSystem.clear_instance_cache()
        with mock.patch.dict(os.environ, {"AWS_ENDPOINT_URL": "http://127.0.0.1:1", "AWS_MAX_ATTEMPTS": "1"}):
            self.work()
            inspection = Inspection.objects.get()
            self.assertEqual(inspection.state, "failed")
            self.assertIn("the store that the machines of this house share does not answer", inspection.error)
            self.assertEqual(inspection.small_numbers, [])
            self.sign_in()
            self.assertEqual(self.client.get(reverse("file", args=[inspection.files.get().pk])).status_code, 200)

    def test_no_root_holds_the_shared_store(self) -> None:
        with override_settings(PLACES=(f"s3://{self.store.bucket}",)):
            for below in ("", "/house", "/house/series"):
                with self.assertRaisesRegex(PlaceRefused, "which is or holds the house's own data"):
                    check_place(f"s3://{self.store.bucket}{below}")
            self.assertTrue(check_place(f"s3://{self.store.bucket}/housekeeping"))

    def test_what_is_newer_in_the_store_is_brought_again(self) -> None:
        path = settings.DATA_FOLDER / "series" / "7.npz"
        path.parent.mkdir(parents=True)
        path.write_bytes(b"as it was")
        shared.share(path)
        with self.at("far"):
            there = settings.DATA_FOLDER / "series" / "7.npz"
            shared.bring(there)
            self.assertEqual(there.read_bytes(), b"as it was")
            there.write_bytes(b"as it is now")
            shared.share(there)
        shared.bring(path)
        self.assertEqual(path.read_bytes(), b"as it is now")
        with mock.patch("s3fs.S3FileSystem.get_file", side_effect=AssertionError("brought again")):
            shared.bring(path)
        shared.drop(path)
        shared.bring(path)
        self.assertFalse(path.exists())


class DataFolderTest(QueueTestCase):
    """A worker that would not find what the others made does not begin."""

    def test_a_worker_with_another_data_folder_does_not_begin(self) -> None:
        with mock.patch("brisk_web.work.management.commands.work.call_command") as begun:
            call_command("work", "scan")  # of a house that was never prepared
            house_data.settle()
            call_command("work", "scan")
            self.assertEqual(begun.call_count, 2)
            with override_settings(DATA_FOLDER=self.folder / "another"):
                with self.assertRaisesRegex(
                    CommandError, "another is not the data folder of this house; set BRISK_DATA"
                ):
                    call_command("work", "scan")
                with self.assertRaisesRegex(house_data.OtherDataFolder, "--new-data begins with this one"):
                    house_data.settle()
                self.assertFalse((self.folder / "another").exists())
            with (
                override_settings(SHARED="s3://bucket/house"),
                self.assertRaisesRegex(CommandError, "met BRISK_SHARED=s3://bucket/house; expected no BRISK_SHARED"),
            ):
                call_command("work", "scan")
            self.assertEqual(begun.call_count, 2)

    def test_with_a_shared_store_every_folder_will_do(self) -> None:
        with override_settings(SHARED="s3://bucket/house"):
            house_data.settle()
            with override_settings(DATA_FOLDER=self.folder / "another"):
                self.assertEqual(house_data.reaches_the_others(), "")
        self.assertIn("expected BRISK_SHARED=s3://bucket/house", house_data.reaches_the_others())

    def test_a_lost_folder_is_replaced_knowingly(self) -> None:
        house_data.settle()
        known = HouseData.objects.get().pk
        (settings.DATA_FOLDER / "house").write_text(str(uuid.uuid4()))
        with self.assertRaises(house_data.OtherDataFolder):
            house_data.settle()
        house_data.settle(new=True)
        self.assertEqual((house_data.reaches_the_others(), HouseData.objects.get().pk), ("", known))
