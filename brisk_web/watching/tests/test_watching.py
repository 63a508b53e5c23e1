import os
import shutil
from datetime import timedelta
from pathlib import Path
from unittest import mock

from django.db import OperationalError
from django.test import TestCase
from django.utils import timezone

from brisk_core.small_media import Small, make_small
from brisk_web.house.models import AuditEntry
from brisk_web.house.services import bring_back, retire
from brisk_web.jobs.models import Deliverable, Job, Render
from brisk_web.jobs.services import take_in
from brisk_web.storage.models import MediaFile, StorageRoot
from brisk_web.testing import HouseMixin, QueueTestCase, spec_version
from brisk_web.watching import services, settling
from brisk_web.watching.models import SeenFile, WatchedFolder
from brisk_web.watching.services import WatchRefused, keep_watched, look, look_everywhere
from brisk_web.watching.settling import is_being_written

State = SeenFile.State


class WatchedMixin(HouseMixin):
    def setUp(self) -> None:
        super().setUp()
        self.shelf = self.folder / "shelf"
        (self.shelf / "in").mkdir()
        self.now = timezone.now()

    def watch(self, folder: str = "in", **asked: object) -> WatchedFolder:
        asked = {"from_now_on": False, **asked}
        return keep_watched(WatchedFolder(root=self.root, folder=folder, **asked), by=self.people["lead"])

    def bring(self, path: str, data: bytes = b"\x00" * 100) -> Path:
        target = self.shelf / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(data)
        return target

    def later(self, watched: WatchedFolder, seconds: float = 60) -> int:
        self.now += timedelta(seconds=seconds)
        watched.refresh_from_db()
        return look(watched, self.now)

    def states(self, watched: WatchedFolder) -> dict[str, str]:
        return dict(watched.seen.values_list("path", "state"))


class WatchingTest(WatchedMixin, TestCase):
    def test_a_file_is_registered_once_it_has_settled(self) -> None:
        watched = self.watch()
        path = self.bring("in/a.mp4")
        self.assertEqual(self.later(watched, 0), 0)
        self.assertEqual(self.later(watched, 29), 0)
        path.write_bytes(b"\x00" * 200)  # it still grows
        self.assertEqual([self.later(watched, 29), self.later(watched, 29)], [0, 0])
        self.assertEqual(self.later(watched, 2), 1)
        self.assertEqual(self.later(watched), 0)
        file = MediaFile.objects.get()
        self.assertEqual((file.path, file.size), ("in/a.mp4", 200))
        self.assertIsNotNone(file.inspection)
        self.assertEqual(self.states(watched), {"in/a.mp4": "registered"})

    def test_what_somebody_still_writes_waits_however_long_it_is_the_same(self) -> None:
        watched = self.watch()
        path = self.bring("in/a.mp4")
        self.later(watched)
        with path.open("ab"):
            self.assertEqual(self.later(watched), 0)
            self.assertEqual(watched.seen.get().says, "somebody still writes it")
        self.assertEqual(self.later(watched), 1)

    def test_what_the_system_tells_of_writers(self) -> None:
        path = self.bring("in/a.mp4")
        self.assertIs(is_being_written(str(path)), False)
        with path.open("rb"):
            self.assertIs(is_being_written(str(path)), False)
        with path.open("r+b"):
            self.assertIs(is_being_written(str(path)), True)
        self.assertIsNone(is_being_written(str(path) + "-not-there"))
        with mock.patch("fcntl.fcntl", side_effect=PermissionError):
            self.assertIsNone(is_being_written(str(path)))
        # Shares of a network refuse leases of files that nobody writes.
        device = path.stat().st_dev
        mounts = self.folder / "mounts"
        for kind, told in (("nfs4", None), ("cifs", None), ("fuse.sshfs", None), ("ext4", True)):
            mounts.write_text(f"36 35 {os.major(device)}:{os.minor(device)} / /in rw shared:1 - {kind} there rw\n")
            with mock.patch.object(settling, "_MOUNTS", mounts), mock.patch("fcntl.fcntl", side_effect=BlockingIOError):
                self.assertIs(is_being_written(str(path)), told, kind)

    def test_what_lies_there_already_is_left_or_received(self) -> None:
        self.bring("in/old.mp4")
        watched = self.watch(from_now_on=True)
        self.later(watched, 0)
        self.bring("in/new.mp4")
        self.later(watched)
        self.assertEqual(self.later(watched), 1)
        self.assertEqual(self.states(watched), {"in/old.mp4": "left", "in/new.mp4": "registered"})
        self.bring("in/old.mp4", b"\x01" * 300)  # written over, it is new
        self.later(watched)
        self.assertEqual(self.later(watched), 1)

    def test_names_that_are_not_asked_for_hidden_and_unfinished_ones_are_left(self) -> None:
        watched = self.watch(names="*.mp4 *_V??.mov")
        for name in ("a.MP4", "b.txt", ".c.mp4", "d_V01.mov", "e.mov", "deep/er/f.mp4", ".hidden/g.mp4", "h.mp4.part"):
            self.bring(f"in/{name}")
        self.later(watched, 0)
        self.assertEqual(self.later(watched), 3)
        self.assertEqual(set(self.states(watched)), {"in/a.MP4", "in/d_V01.mov", "in/deep/er/f.mp4"})

    def test_what_a_look_comes_to_twice_at_once_is_registered_once(self) -> None:
        watched = self.watch()
        self.bring("in/a.mp4")
        self.later(watched, 0)
        stale = services._Look(watched, *services._listed(watched), self.now + timedelta(seconds=60)).note()
        self.assertEqual(self.later(watched), 1)
        for seen in stale:
            services._receive(seen, watched)
        self.assertEqual(MediaFile.objects.count(), 1)
        self.assertEqual(AuditEntry.objects.filter(verb="file.registered").count(), 1)

    def test_moved_gone_come_back_and_written_again(self) -> None:
        watched = self.watch()
        for name in ("a.mp4", "b.mp4", "c.mp4"):
            self.bring(f"in/{name}", name.encode() * 20)
        self.later(watched, 0)
        self.assertEqual(self.later(watched), 3)
        (self.shelf / "in" / "done").mkdir()
        shutil.move(self.shelf / "in" / "a.mp4", self.shelf / "in" / "done" / "a.mp4")
        shutil.move(self.shelf / "in" / "b.mp4", self.folder / "b.mp4")
        self.bring("in/c.mp4", b"anew" * 30)
        self.assertEqual(self.later(watched), 0)
        self.assertEqual(
            self.states(watched), {"in/done/a.mp4": "registered", "in/b.mp4": "gone", "in/c.mp4": "arriving"}
        )
        moved = MediaFile.objects.get(name="a.mp4")
        self.assertEqual((moved.path, moved.has_changed), ("in/done/a.mp4", False))
        self.assertEqual(AuditEntry.objects.filter(verb="file.moved").count(), 1)
        shutil.move(self.folder / "b.mp4", self.shelf / "in" / "b.mp4")
        self.assertEqual(self.later(watched), 1)  # what was written again is another file
        self.assertEqual(self.states(watched)["in/b.mp4"], "registered")
        self.assertEqual(MediaFile.objects.filter(name="c.mp4").count(), 2)
        self.assertEqual(MediaFile.objects.count(), 4)

    def test_two_alike_are_not_taken_for_one_that_moved(self) -> None:
        watched = self.watch()
        for folder in ("one", "two"):
            os.utime(self.bring(f"in/{folder}/a.mp4"), (1_700_000_000, 1_700_000_000))
        self.later(watched, 0)
        self.later(watched)
        (self.shelf / "in" / "three").mkdir()
        shutil.move(self.shelf / "in/one/a.mp4", self.shelf / "in/three/a.mp4")
        (self.shelf / "in/two/a.mp4").unlink()
        self.later(watched)
        self.assertEqual(
            self.states(watched), {"in/one/a.mp4": "gone", "in/two/a.mp4": "gone", "in/three/a.mp4": "arriving"}
        )

    def test_a_folder_that_cannot_be_reached_says_so_and_loses_nothing(self) -> None:
        watched, other = self.watch(), None
        self.bring("in/a.mp4")
        self.later(watched, 0)
        (self.shelf / "other").mkdir()
        other = self.watch("other")
        self.bring("other/b.mp4")
        shutil.move(self.shelf / "in", self.shelf / "away")
        self.assertEqual(look_everywhere(self.now + timedelta(seconds=60)), 0)
        self.assertEqual(look_everywhere(self.now + timedelta(seconds=120)), 1)  # the others are looked at
        watched.refresh_from_db()
        self.assertEqual(watched.trouble, "there is no folder “in” in Shelf")
        self.assertEqual(self.states(watched), {"in/a.mp4": "arriving"})
        shutil.move(self.shelf / "away", self.shelf / "in")
        self.assertEqual(look_everywhere(self.now + timedelta(seconds=180)), 1)
        watched.refresh_from_db()
        self.assertEqual((watched.trouble, other.trouble), ("", ""))

    def test_what_is_out_of_use_is_not_looked_at(self) -> None:
        watched = self.watch()
        self.bring("in/a.mp4")
        self.later(watched, 0)
        for row in (watched, self.root):
            retire(row, by=None)
            self.assertEqual(look_everywhere(self.now + timedelta(seconds=60)), 0)
            bring_back(row, by=None)
        self.assertEqual(look_everywhere(self.now + timedelta(seconds=60)), 1)

    def test_many_files_are_received_some_at_a_time_and_none_is_left(self) -> None:
        watched = self.watch()
        for number in range(250):
            self.bring(f"in/{number:03}.srt", b"1\n00:00:01,000 --> 00:00:02,000\nA\n")
        self.later(watched, 0)
        self.assertEqual([self.later(watched) for _ in range(4)], [100, 100, 50, 0])

    def test_files_that_wait_keep_nobody_from_their_turn(self) -> None:
        watched = self.watch()
        for number in range(5):
            self.bring(f"in/empty_{number}.mp4", b"")
        self.later(watched, 0)
        self.bring("in/whole.mp4")
        self.later(watched)
        with mock.patch.object(services, "MOST_AT_ONCE", 2):
            self.assertEqual(self.later(watched), 1)

    def test_a_mistake_over_one_file_stops_no_other(self) -> None:
        watched = self.watch()
        for name in ("a.mp4", "b.mp4"):
            self.bring(f"in/{name}")
        self.later(watched, 0)
        plain = services.register

        def failing(root: StorageRoot, path: str) -> MediaFile:
            if path.endswith("a.mp4"):
                raise ZeroDivisionError
            return plain(root, path)

        with mock.patch.object(services, "register", failing), self.assertLogs("brisk_web.watching", "ERROR"):
            self.assertEqual(self.later(watched), 1)
        self.assertEqual(self.states(watched), {"in/a.mp4": "refused", "in/b.mp4": "registered"})
        with (
            mock.patch.object(services._Look, "note", side_effect=ZeroDivisionError),
            self.assertLogs("brisk_web.watching", "ERROR"),
        ):
            self.assertEqual(look_everywhere(self.now), 0)
        watched.refresh_from_db()
        self.assertIn("a mistake of ours", watched.trouble)
        self.assertEqual(look_everywhere(self.now), 0)
        watched.refresh_from_db()
        self.assertEqual(watched.trouble, "")

    def test_a_database_that_is_busy_is_no_file_s_fault(self) -> None:
        watched = self.watch()
        self.bring("in/a.mp4")
        self.later(watched, 0)
        with (
            mock.patch.object(services, "register", side_effect=OperationalError("deadlock")),
            self.assertRaises(OperationalError),
        ):
            self.later(watched)
        self.assertEqual(self.states(watched), {"in/a.mp4": "arriving"})
        self.assertEqual(self.later(watched), 1)

    def test_what_went_long_ago_is_forgotten_and_its_record_stays(self) -> None:
        watched = self.watch()
        for name in ("a.mp4", "b.mp4", "c.mp4"):
            self.bring(f"in/{name}", name.encode() * 9)
        self.later(watched, 0)
        self.later(watched)
        for name in ("a.mp4", "b.mp4"):
            (self.shelf / "in" / name).unlink()
        self.later(watched)
        watched.seen.filter(path__in=("in/a.mp4", "in/c.mp4")).update(changed_at=self.now - timedelta(days=200))
        self.assertEqual(services.forget_gone(), 1)
        self.assertEqual(self.states(watched), {"in/b.mp4": "gone", "in/c.mp4": "registered"})
        self.assertEqual(MediaFile.objects.count(), 3)

    def test_names_that_cannot_be_kept_and_links_that_lead_out_are_told(self) -> None:
        watched = self.watch()
        raw = os.fsencode(self.shelf / "in") + b"/\xff\xfe.mp4"
        Path(os.fsdecode(raw)).write_bytes(b"x")
        (self.folder / "outside.mp4").write_bytes(b"x")
        (self.shelf / "in" / "link.mp4").symlink_to(self.folder / "outside.mp4")
        (self.shelf / "in" / "around").symlink_to(self.shelf / "in")
        self.bring("in/empty.mp4", b"")
        self.later(watched, 0)
        self.assertEqual(self.later(watched), 0)
        said = dict(watched.seen.values_list("path", "says"))
        self.assertEqual(said["in/\ufffd\ufffd.mp4"], "its name is not text in UTF-8; rename it")
        self.assertIn("leads out of", said["in/link.mp4"])
        self.assertEqual(said["in/empty.mp4"], "it is empty so far")
        self.assertEqual(len(said), 3)

    def test_folders_that_cannot_be_watched(self) -> None:
        self.watch()
        for folder in ("", "in", "in/deeper", "nowhere", "../outside", "/etc", "a\x00"):
            (self.shelf / "in" / "deeper").mkdir(exist_ok=True)
            with self.assertRaises(WatchRefused, msg=repr(folder)):
                self.watch(folder)
        (self.shelf / "inside").mkdir()
        self.watch("inside")  # only its name begins alike
        self.assertEqual(WatchedFolder.objects.count(), 2)

    def test_too_many_files_are_told(self) -> None:
        watched = self.watch()
        for number in range(4):
            self.bring(f"in/{number}.mp4")
        with mock.patch.object(services, "MOST_FILES", 3):
            self.assertEqual(self.later(watched), 0)
        watched.refresh_from_db()
        self.assertIn("met more than 3 files", watched.trouble)


class TakingInTest(WatchedMixin, TestCase):
    def setUp(self) -> None:
        super().setUp()
        self.job = Job.objects.create(title="Canal")
        self.wide = self.owe("Wide", "OLP_WIDE_V##.mp4")

    def owe(self, name: str, rule: str) -> Deliverable:
        return Deliverable.objects.create(job=self.job, name=name, spec_version=spec_version(), naming_rule=rule)

    def received(self, name: str, **asked: object) -> SeenFile:
        watched = WatchedFolder.objects.first() or self.watch(**asked)
        self.bring(f"in/{name}")
        self.later(watched)
        self.later(watched)
        return watched.seen.get(path=f"in/{name}")

    def test_a_name_that_fits_one_rule_is_taken_in(self) -> None:
        seen = self.received("OLP_WIDE_V03.mp4")
        render = Render.objects.get()
        self.assertEqual((render.deliverable, render.attempt, render.taken_in_by), (self.wide, 3, None))
        self.assertEqual(seen.says, f"taken in as {render}")
        self.assertEqual(render.check_record.verdict, "")

    def test_others_wait_for_a_person_and_say_why(self) -> None:
        self.owe("Wide again", "OLP_WIDE_V0?.mp4")
        says = {
            name: self.received(name).says for name in ("OLP_WIDE_V03.mp4", "olp_wide_v04.mp4", "else.mp4", "a.srt")
        }
        self.assertEqual(Render.objects.count(), 0)
        self.assertEqual(MediaFile.objects.count(), 4)
        self.assertIn("fits the naming rules of 2 deliverables", says["OLP_WIDE_V03.mp4"])
        self.assertIn("capital and small letters differ", says["olp_wide_v04.mp4"])
        self.assertIn("waits in the intake", says["else.mp4"])
        self.assertEqual(says["a.srt"], "")

    def test_nothing_is_taken_in_where_that_is_not_asked(self) -> None:
        self.assertEqual(self.received("OLP_WIDE_V03.mp4", takes_in=False).says, "")
        self.assertEqual(Render.objects.count(), 0)

    def test_what_a_person_took_in_before_stays_as_it_is(self) -> None:
        other = self.owe("Tall", "")
        watched = self.watch()
        self.bring("in/OLP_WIDE_V03.mp4")
        self.later(watched, 0)
        from brisk_web.storage.services import register

        take_in(register(self.root, "in/OLP_WIDE_V03.mp4"), other, by=self.people["operator"])
        self.later(watched)
        self.assertEqual([one.deliverable for one in Render.objects.all()], [other])
        self.assertEqual(watched.seen.get().says, "it was taken in before")


class WholeWayTest(WatchedMixin, QueueTestCase):
    def test_from_the_folder_to_the_verdict(self) -> None:
        Deliverable.objects.create(
            job=Job.objects.create(title="Canal"), name="Wide", spec_version=spec_version(), naming_rule="W_V##.mp4"
        )
        make_small(self.shelf / "in" / "W_V01.mp4", Small())
        watched = self.watch()
        self.later(watched, 0)
        self.later(watched)
        self.work()
        self.assertIn(Render.objects.get().check_record.verdict, ("pass", "fail", "caution", "not measured"))
