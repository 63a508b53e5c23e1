import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from fractions import Fraction
from typing import Any
from unittest import mock

from django.conf import settings
from django.db import connection
from procrastinate.contrib.django.models import ProcrastinateJob

from brisk_core import sandbox
from brisk_web.checks.models import Finding
from brisk_web.checks.services import open_check
from brisk_web.inspections import services
from brisk_web.inspections.models import Inspection
from brisk_web.inspections.reading import read_headers
from brisk_web.storage.models import MediaFile
from brisk_web.storage.services import register
from brisk_web.testing import SILENT_INTEGRITY, QueueTestCase, spec_version
from brisk_web.work.kernel import MOST_TRIES, Overtaken
from brisk_web.work.sweep import sweep


class InspectionTest(QueueTestCase):
    scans_for_real = True

    def test_a_file_is_read_and_its_check_judged(self) -> None:
        file = self.media()
        check = open_check(file, spec_version(), by=self.people["operator"])
        self.assertEqual((check.verdict, check.findings.count()), ("", 0))
        self.work()
        file.refresh_from_db()
        check.refresh_from_db()
        assert file.inspection
        self.assertEqual((file.inspection.state, len(file.inspection.checksum)), ("done", 32))
        self.assertEqual(check.verdict, "fail")
        outcomes = dict(check.findings.values_list("line", "outcome"))
        own = {"rate": "pass", "codec": "pass", "index-first": "fail", "length": "not measured"}
        self.assertEqual(outcomes, own | {f"integrity-{name}": "pass" for name in SILENT_INTEGRITY})
        self.assertTrue(file.inspection.series_path.exists())

    def test_headers_alone_are_judged_already(self) -> None:
        file = self.media()
        check = open_check(file, spec_version(), by=None)
        read_headers.run(file.inspection_id)
        outcomes = dict(check.findings.values_list("line", "outcome"))
        self.assertEqual((outcomes["rate"], outcomes["codec"]), ("not measured", "pass"))

    def test_the_same_bytes_are_read_once(self) -> None:
        first = self.media("a.mp4")
        self.work()
        (self.folder / "shelf" / "b.mp4").write_bytes((self.folder / "shelf" / "a.mp4").read_bytes())
        second = register(self.root, "b.mp4", by=None)
        check = open_check(second, spec_version(), by=None)
        with mock.patch("brisk_web.inspections.reading.sandbox.run", wraps=sandbox.run) as run:
            self.work()
        self.assertEqual([call.args[0].verb for call in run.call_args_list], ["inspect", "digest"])
        self.assertEqual(run.call_args_list[0].args[0].depth, "headers")
        first.refresh_from_db()
        second.refresh_from_db()
        self.assertEqual(first.inspection_id, second.inspection_id)
        self.assertEqual(Inspection.objects.count(), 1)
        check.refresh_from_db()
        self.assertEqual(check.verdict, "fail")

    def test_a_file_that_cannot_be_read_fails_with_its_sentence(self) -> None:
        (self.folder / "shelf" / "a.mp4").write_text("hello")
        file = register(self.root, "a.mp4", by=None)
        self.work()
        file.refresh_from_db()
        assert file.inspection
        self.assertEqual(file.inspection.state, "failed")
        self.assertEqual(file.inspection.error, "this is no media file that is known: it is plain text")

    def test_a_waiting_inspection_is_cancelled_at_once_and_not_read(self) -> None:
        file = self.media()
        assert file.inspection
        services.cancel(file.inspection, by=self.people["operator"])
        with mock.patch("brisk_web.inspections.reading.sandbox.run") as run:
            self.work()
        run.assert_not_called()
        file.inspection.refresh_from_db()
        self.assertEqual(file.inspection.state, "cancelled")

    def test_a_running_inspection_stops_when_asked(self) -> None:
        file = self.media()

        def ask(request: object, **more: Any) -> None:
            services.cancel(Inspection.objects.get(), by=self.people["operator"])
            self.assertTrue(more["should_stop"]())
            raise sandbox.Cancelled("reading was cancelled")

        with mock.patch("brisk_web.inspections.reading.sandbox.run", side_effect=ask):
            read_headers.run(file.inspection_id)
        self.assertEqual(Inspection.objects.get().state, "cancelled")

    def test_inspect_again_reads_anew_for_every_file_with_these_bytes(self) -> None:
        file = self.media()
        self.work()
        file.refresh_from_db()
        old = file.inspection_id
        services.inspect_again(file, by=self.people["operator"])
        self.work()
        file.refresh_from_db()
        assert file.inspection
        self.assertNotEqual(file.inspection_id, old)
        self.assertEqual(file.inspection.state, "done")

    def test_an_overtaken_attempt_writes_nothing(self) -> None:
        file = self.media()
        slow = read_headers.claim(file.inspection_id)
        Inspection.objects.update(state="queued")
        fast = read_headers.claim(file.inspection_id)
        assert slow
        assert fast
        with self.assertRaisesRegex(Overtaken, "try 1 at inspection .* was overtaken"):
            slow.write(error="too late")
        self.assertTrue(slow.should_stop())
        fast.write(done=5)
        self.assertEqual(Inspection.objects.get().error, "")

    def test_work_that_is_queued_in_a_transaction_that_fails_is_not_queued(self) -> None:
        with mock.patch("brisk_web.storage.services.record", side_effect=RuntimeError), self.assertRaises(RuntimeError):
            self.media()
        self.assertEqual((ProcrastinateJob.objects.count(), MediaFile.objects.count()), (0, 0))


class KilledWorkerTest(QueueTestCase):
    """A worker of its own process is killed in the middle of an inspection."""

    scans_for_real = True

    def start_worker(self) -> subprocess.Popen[bytes]:
        database = connection.settings_dict
        url = "postgresql://{USER}:{PASSWORD}@{HOST}:{PORT}/{NAME}".format(**database)
        environment = os.environ | {"DATABASE_URL": url, "BRISK_DATA": str(settings.DATA_FOLDER)}
        return subprocess.Popen(
            [sys.executable, "manage.py", "procrastinate", "worker", "-q", "headers,scan", "-p", "0.2"],
            cwd=settings.BASE_DIR,
            env=environment,
            start_new_session=True,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )

    def wait_for(self, what: Any, seconds: float = 60) -> None:
        deadline = time.monotonic() + seconds
        while not what():
            self.assertLess(time.monotonic(), deadline, "it did not happen")
            time.sleep(0.1)

    def register_as_it_is(self, file: MediaFile) -> None:
        """Let the record of a file say what lies there now."""
        now = os.stat(file.url)
        MediaFile.objects.filter(pk=file.pk).update(size=now.st_size, modified_ns=int(now.st_mtime * 1_000_000_000))

    def ended_while_it_read(self, file: MediaFile, end: Callable[[subprocess.Popen[bytes]], None]) -> Inspection:
        """Let a worker read a file, and end it while it takes the checksum; return what is known then."""
        path = self.folder / "shelf" / file.path
        size = path.stat().st_size
        os.truncate(path, size + (40 << 30))  # trailing nothing: the checksum takes long enough to be ended in
        self.register_as_it_is(file)
        worker = self.start_worker()
        try:
            self.wait_for(lambda: Inspection.objects.get().done > 0)
        finally:
            end(worker)
            worker.wait(30)
        os.truncate(path, size)
        self.register_as_it_is(file)
        return Inspection.objects.get()

    def test_a_killed_inspection_is_taken_up_again_and_recorded_once(self) -> None:
        file = self.media(container_options={"movflags": "+faststart"})
        check = open_check(file, spec_version(), by=None)
        inspection = self.ended_while_it_read(file, lambda worker: worker.send_signal(signal.SIGKILL))
        self.assertEqual((inspection.state, inspection.stage), ("running", "checksum"))
        self.assertEqual(sweep(silent_s=0).taken_up, 1)
        self.work()
        inspection.refresh_from_db()
        self.assertEqual((inspection.state, inspection.attempt), ("done", 4))
        self.assertEqual(Finding.objects.filter(check_record=check).count(), 4 + len(SILENT_INTEGRITY))
        self.assertEqual(MediaFile.objects.count(), 1)

    def test_a_house_that_is_stopped_while_it_reads_a_file_says_nothing_of_the_file(self) -> None:
        file = self.media(container_options={"movflags": "+faststart"})
        inspection = self.ended_while_it_read(file, lambda worker: os.killpg(worker.pid, signal.SIGTERM))
        self.assertEqual((inspection.state, inspection.stage, inspection.error), ("queued", "checksum", ""))
        self.work()
        inspection.refresh_from_db()
        self.assertEqual(inspection.state, "done")

    def test_a_file_that_kills_every_worker_is_given_up(self) -> None:
        file = self.media()
        Inspection.objects.update(state="running", tries=MOST_TRIES)
        self.assertEqual(sweep().given_up, 1)
        inspection = Inspection.objects.get(pk=file.inspection_id)
        self.assertEqual(
            (inspection.state, inspection.error), ("failed", "the worker died 5 times while reading this file")
        )

    def test_a_mistake_of_the_application_ends_an_inspection_with_a_sentence(self) -> None:
        file = self.media()
        with mock.patch("brisk_web.inspections.contents.index_facts", side_effect=KeyError("a mistake")):
            self.work()
        inspection = Inspection.objects.get(pk=file.inspection_id)
        self.assertEqual(inspection.state, "failed")
        self.assertIn("a mistake of this application", inspection.error)

    def test_what_a_file_says_is_kept_however_absurd(self) -> None:
        base = Fraction(1, 90000)  # the encoder takes its time base for its rate
        file = self.media(time_base=base, times=lambda number: number * 3003 + number % 3)
        self.work()
        file.refresh_from_db()
        assert file.inspection
        assert file.inspection.facts
        self.assertEqual(file.inspection.state, "done")
        self.assertEqual(file.inspection.facts.facts["picture.frame_rate"].coded, 90000)
