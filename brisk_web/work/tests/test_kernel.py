"""The kernel, held by one kind of work in the place of all: two workers, kills, cancels and races."""

from __future__ import annotations

import errno
import threading
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from typing import Any
from unittest import mock

from django.conf import settings
from django.db import OperationalError, connection, transaction
from django.db.models import F, Q
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateJob
from psycopg.errors import DiskFull

from brisk_core import sandbox
from brisk_core.errors import UnreadableFile
from brisk_web.house.models import AuditEntry
from brisk_web.stems.adding_up import add_up
from brisk_web.stems.models import StemCheck
from brisk_web.storage.models import MediaFile
from brisk_web.testing import QueueTestCase
from brisk_web.work import kernel, sweep
from brisk_web.work.kernel import FIRST, KINDS, MOST_TRIES, Claim, Overtaken
from brisk_web.work.pausing import PauseRefused, go_on, pause
from brisk_web.work.room import LEAST_ROOM


class KernelTest(QueueTestCase):
    """Rows are the truth, a task is only a knock on the door."""

    def setUp(self) -> None:
        super().setUp()
        file = MediaFile.objects.create(root=self.root, path="a.wav", name="a.wav", size=1, modified_ns=1)
        self.row = StemCheck.objects.create(mix=file)
        self.done: list[int] = []

    def doing(self, do: Any = None) -> Any:
        """Let the work be ``do``; by itself it notes its row and ends."""

        def note(claim: Claim[StemCheck]) -> None:
            self.done.append(claim.row.pk)
            claim.end(document={"right": True})

        return mock.patch.object(add_up, "do", do or note)

    def state(self) -> tuple[str, int, int]:
        self.row.refresh_from_db()
        return self.row.state, self.row.attempt, self.row.tries

    def age(self, **more: Any) -> None:
        """Let the row have waited for a minute."""
        StemCheck.objects.update(queued_at="2026-01-01T00:00Z", **more)

    def jobs(self) -> int:
        return ProcrastinateJob.objects.filter(status="todo", task_name=add_up.name).count()

    def ranks(self) -> list[int]:
        return list(ProcrastinateJob.objects.filter(status="todo").order_by("pk").values_list("priority", flat=True))

    def test_what_goes_first_is_taken_before_all_others_and_in_its_turn_again(self) -> None:
        other = StemCheck.objects.create(mix=self.row.mix)
        with mock.patch.object(add_up, "first", Q(mix_track=7)):
            for row in (self.row, other):
                add_up.knock(row.pk)
            self.assertEqual(self.ranks(), [add_up.priority, add_up.priority])
            StemCheck.objects.filter(pk=other.pk).update(mix_track=7)
            add_up.rank_again(StemCheck.objects.filter(pk=other.pk))
            self.assertEqual(self.ranks(), [add_up.priority, add_up.priority + FIRST])
            with self.doing():
                self.work()
            self.assertEqual(self.done, [other.pk, self.row.pk])
            add_up.queue(other)
            self.assertEqual(self.ranks(), [add_up.priority + FIRST])  # whenever it waits again
            StemCheck.objects.update(mix_track=None)
            add_up.rank_again(StemCheck.objects.all())
            self.assertEqual(self.ranks(), [add_up.priority])

    def test_in_a_paused_queue_nothing_is_begun_and_nothing_is_lost(self) -> None:
        other = StemCheck.objects.create(mix=self.row.mix)
        add_up.knock(self.row.pk)
        self.assertTrue(pause("scan", by=self.people["lead"]))
        self.assertFalse(pause("scan", by=self.people["lead"]))
        add_up.knock(other.pk)
        with self.doing():
            self.work()
            self.age()
            self.assertEqual(sweep.sweep().knocked, 0)
            self.work()
            self.assertEqual((self.done, self.jobs(), self.state()), ([], 0, ("queued", 0, 0)))
            self.assertTrue(go_on("scan", by=self.people["lead"]))
            self.assertFalse(go_on("scan", by=self.people["lead"]))
            self.work()
        self.assertEqual(self.done, [self.row.pk, other.pk])
        self.assertEqual(
            [entry.verb for entry in AuditEntry.objects.filter(verb__startswith="queue.").order_by("pk")],
            ["queue.paused", "queue.went-on"],
        )

    def test_what_runs_when_its_queue_is_paused_goes_on_to_its_end(self) -> None:
        def paused_meanwhile(claim: Claim[StemCheck]) -> None:
            pause("scan", by=self.people["lead"])
            claim.progress(1, 2)
            claim.end(document={})

        add_up.knock(self.row.pk)
        with self.doing(paused_meanwhile):
            self.work()
        self.assertEqual(self.state()[0], "done")

    def test_a_worker_that_dies_in_a_paused_queue_leaves_its_row_waiting(self) -> None:
        StemCheck.objects.update(state="running", attempt=1, tries=1, beat_at="2026-01-01T00:00Z")
        pause("scan", by=self.people["lead"])
        self.assertEqual(sweep.sweep().taken_up, 1)
        with self.doing():
            self.work()
            self.assertEqual((self.done, self.state()[0]), ([], "queued"))
            go_on("scan", by=self.people["lead"])
            self.work()
        self.assertEqual(self.done, [self.row.pk])

    def test_queues_that_others_wait_for_cannot_be_paused(self) -> None:
        for name in ("conclude", "watch", "", "scan "):
            with self.assertRaisesRegex(PauseRefused, "expected one of scan, handoff"):
                pause(name, by=self.people["lead"])

    def test_a_knock_is_heard_after_the_commit_and_never_before(self) -> None:
        with transaction.atomic():
            add_up.knock(self.row.pk)
            self.assertEqual(self.jobs(), 0)
        self.assertEqual(self.jobs(), 1)
        with self.assertRaises(KeyError), transaction.atomic():
            add_up.knock(self.row.pk)
            raise KeyError
        self.assertEqual(self.jobs(), 1)
        with self.doing():
            self.work()
        self.assertEqual((self.done, self.state()), ([self.row.pk], ("done", 1, 1)))

    def test_a_knock_from_inside_a_worker_waits_for_the_commit_as_well(self) -> None:
        seen: list[int] = []
        other = StemCheck.objects.create(mix=self.row.mix)

        def plant(claim: Claim[StemCheck]) -> None:
            if claim.row.pk == self.row.pk:
                with transaction.atomic():
                    add_up.knock(other.pk)
                    seen.append(self.jobs())
                    claim.end()
            else:
                seen.append(-1)
                claim.end()

        with self.doing(plant):
            add_up.knock(self.row.pk)
            self.work()
        self.assertEqual(seen, [0, -1])

    def test_progress_is_written_a_few_times_a_second_and_always_at_its_end(self) -> None:
        claim = add_up.claim(self.row.pk)
        assert claim
        for done in (1, 2, 3):
            claim.progress(done, 9)
        self.row.refresh_from_db()
        self.assertEqual((self.row.done, self.row.total), (1, 9))
        claim.progress(9, 9)
        self.row.refresh_from_db()
        self.assertEqual(self.row.done, 9)

    def test_a_doubled_task_does_nothing(self) -> None:
        for _ in range(3):
            add_up.knock(self.row.pk)
        with self.doing():
            self.work()
            add_up.run(self.row.pk)
        self.assertEqual((self.done, self.state()), ([self.row.pk], ("done", 1, 1)))

    def test_of_two_workers_at_one_row_one_gets_it(self) -> None:
        start = threading.Barrier(8)

        def run(_: int) -> bool:
            try:
                start.wait()
                return add_up.claim(self.row.pk) is not None
            finally:
                connection.close()

        with ThreadPoolExecutor(8) as pool:
            got = list(pool.map(run, range(8)))
        self.assertEqual((got.count(True), self.state()), (1, ("running", 1, 1)))

    def test_a_lost_task_is_found_and_one_that_is_there_is_left_alone(self) -> None:
        add_up.knock(self.row.pk)
        self.age()
        self.assertEqual(sweep.sweep().knocked, 0)
        self.lose_tasks()
        self.assertEqual(sweep.sweep().knocked, 1)
        self.assertEqual(sweep.sweep().knocked, 0)
        with self.doing():
            self.work()
        self.assertEqual(self.state(), ("done", 1, 1))

    def test_a_row_that_has_just_been_queued_is_given_time(self) -> None:
        self.assertEqual(sweep.sweep().knocked, 0)
        self.assertEqual(sweep.sweep(forgotten_s=0).knocked, 1)

    def test_a_worker_killed_between_fetching_and_claiming_leaves_a_row_that_is_found(self) -> None:
        add_up.knock(self.row.pk)
        with connection.cursor() as cursor:  # fetched by a worker that is gone
            cursor.execute("UPDATE procrastinate_jobs SET status = 'doing', worker_id = NULL")
        self.age()
        self.assertEqual(sweep.sweep().knocked, 0)  # the task may be running yet
        self.run_sweep_task()
        self.assertEqual(self.jobs(), 1)
        with self.doing():
            self.work()
        self.assertEqual(self.state(), ("done", 1, 1))

    def run_sweep_task(self) -> None:
        """Do the periodic task itself, in a worker."""
        from brisk_web.work.tasks import sweep_task

        with ThreadPoolExecutor(1) as pool:  # a worker of its own queue: what it knocks for stays
            pool.submit(lambda: sweep_task.defer(timestamp=0)).result()
            pool.submit(self._work, ["watch"]).result()

    def pauses(self) -> list[int]:
        """Seconds that the tasks which nobody took yet have to wait, to the nearest ten."""
        waiting = ProcrastinateJob.objects.filter(status="todo", task_name=add_up.name).order_by("id")
        times = [job.scheduled_at for job in waiting]
        return [round((at - timezone.now()).total_seconds(), -1) if at else 0 for at in times]

    def test_a_dead_worker_is_followed_by_others_later_each_time_and_every_try_is_counted_by_itself(self) -> None:
        for tries in range(1, MOST_TRIES + 1):
            claim = add_up.claim(self.row.pk)
            assert claim
            self.assertEqual(sweep.sweep().taken_up, 0)  # it has just given a sign of life
            StemCheck.objects.update(beat_at="2026-01-01T00:00Z")
            swept = sweep.sweep()
            self.assertEqual((swept.taken_up, swept.given_up), (1, 0) if tries < MOST_TRIES else (0, 1))
            with self.assertRaises(Overtaken):
                claim.end(document={})
        self.assertEqual(self.state(), ("failed", 5, 5))
        self.assertEqual(self.row.error, "the worker died 5 times while adding up")
        self.assertEqual(self.pauses(), [0, 0, 30, 120])

    def set_back(self, hours: int) -> None:
        """Let the clock of the database have been set back: all that it wrote lies ahead."""
        later = timedelta(hours=hours)
        StemCheck.objects.update(queued_at=F("queued_at") + later, beat_at=F("beat_at") + later)
        with connection.cursor() as cursor:
            cursor.execute(
                "UPDATE procrastinate_jobs SET scheduled_at = scheduled_at + make_interval(hours => %s)", [hours]
            )

    def test_what_is_lost_is_found_when_the_clock_was_set_back(self) -> None:
        claim = add_up.claim(self.row.pk)
        assert claim
        self.set_back(1)
        self.assertEqual(sweep.sweep().taken_up, 0)  # its worker may live and gives a sign within seconds
        StemCheck.objects.update(beat_at=F("beat_at") - timedelta(seconds=sweep.SILENT_S))
        self.assertEqual(sweep.sweep().taken_up, 1)
        self.assertEqual(self.jobs(), 1)
        ProcrastinateJob.objects.all().delete()  # the task is lost, and the row waits since an hour from now
        self.set_back(1)
        self.assertEqual(sweep.sweep().knocked, 0)
        StemCheck.objects.update(queued_at=F("queued_at") - timedelta(seconds=sweep.FORGOTTEN_S))
        self.assertEqual(sweep.sweep().knocked, 1)

    def test_tasks_that_wait_do_not_wait_an_hour_more(self) -> None:
        for wait_s in (30, 120):
            add_up.knock(self.row.pk, wait_s)
        sweep.sweep()
        self.assertEqual(self.pauses(), [30, 120])
        self.set_back(1)
        sweep.sweep()
        self.assertEqual(self.pauses(), [0, 0])

    def test_a_worker_that_died_before_the_clock_was_set_back_is_told_silent(self) -> None:
        ahead = timezone.now() + timedelta(days=1)
        with connection.cursor() as cursor:
            cursor.execute("INSERT INTO procrastinate_workers (last_heartbeat) VALUES (%s)", [ahead])
        sweep.sweep()
        late = timezone.now() + timedelta(seconds=sweep.SILENT_S + 1)
        with mock.patch.object(sweep.timezone, "now", return_value=late):
            self.assertEqual(sweep.count_workers(), {"alive": 0, "silent": 1})

    def test_what_was_interrupted_is_tried_again_and_given_up_after_five(self) -> None:
        def interrupted(claim: Claim[StemCheck]) -> None:
            self.done.append(claim.row.pk)
            raise sandbox.Interrupted("the machine is stopped")

        with self.doing(interrupted):
            add_up.run(self.row.pk)
            self.assertEqual((self.state(), self.row.error), (("queued", 1, 1), ""))
            self.work()
            for done, pause in ((3, 30), (4, 120)):
                self.assertEqual((self.state(), len(self.done)), (("queued", done, done), done))
                self.assertEqual((self.pauses(), sweep.sweep(forgotten_s=-1).knocked), ([pause], 0))
                with connection.cursor() as cursor:
                    cursor.execute("UPDATE procrastinate_jobs SET scheduled_at = NULL")
                self.work()
        self.assertEqual((self.state(), len(self.done)), (("failed", 5, 5), 5))
        self.assertEqual(self.row.error, "the worker died 5 times while adding up")

    def test_work_that_finds_the_disk_full_waits_and_nothing_counts_as_a_try(self) -> None:
        full = OperationalError("could not extend file")
        full.__cause__ = DiskFull("could not extend file")
        for at, error in enumerate((OSError(errno.ENOSPC, "full"), full, sandbox.NoRoom("full")), 1):
            with self.doing(mock.Mock(side_effect=error)):
                add_up.run(self.row.pk)
            self.assertEqual((self.state(), self.row.error), (("queued", at, 0), ""), error)
        self.assertEqual(self.pauses(), [30, 30, 30])
        for error in (OSError(errno.EIO, "broken"), OperationalError("away")):
            StemCheck.objects.update(state="queued")
            with self.doing(mock.Mock(side_effect=error)), self.assertRaises(type(error)):
                add_up.run(self.row.pk)
            self.assertEqual(self.state()[0], "failed", error)

    def test_while_the_disk_is_full_nothing_is_begun_or_given_up(self) -> None:
        settings.DATA_FOLDER.mkdir(exist_ok=True)
        tight = mock.patch("brisk_web.work.room.shutil.disk_usage", return_value=mock.Mock(free=LEAST_ROOM - 1))
        with tight, self.doing():
            add_up.run(self.row.pk)
            self.assertEqual((self.state(), self.done, self.pauses()), (("queued", 0, 0), [], [30]))
            StemCheck.objects.update(state="running", tries=MOST_TRIES, beat_at="2026-01-01T00:00Z")
            self.assertEqual(sweep.sweep().given_up, 0)
            self.assertEqual(self.state()[0], "running")
        StemCheck.objects.update(tries=MOST_TRIES - 1)
        with self.doing():
            self.assertEqual(sweep.sweep().taken_up, 1)
            with connection.cursor() as cursor:
                cursor.execute("UPDATE procrastinate_jobs SET scheduled_at = NULL")
            self.work()
        self.assertEqual((self.state()[0], len(self.done)), ("done", 1))

    def test_what_was_cancelled_before_it_was_interrupted_stays_cancelled(self) -> None:
        def interrupted(claim: Claim[StemCheck]) -> None:
            kernel.cancel(claim.row)
            raise sandbox.Interrupted("the machine is stopped")

        with self.doing(interrupted):
            add_up.run(self.row.pk)
        self.assertEqual(self.state()[0], "cancelled")

    def test_a_row_that_is_asked_for_again_has_all_its_tries(self) -> None:
        StemCheck.objects.update(state="failed", tries=3, attempt=5, error="x")
        self.row.refresh_from_db()
        self.assertTrue(add_up.queue(self.row))
        self.assertFalse(add_up.queue(self.row))  # it waits already
        self.assertEqual((self.state(), self.row.error), (("queued", 5, 0), ""))
        with self.doing():
            self.work()
        self.assertEqual(self.state(), ("done", 6, 1))

    def test_asking_and_progress_are_signs_of_life(self) -> None:
        claim = add_up.claim(self.row.pk)
        assert claim
        for sign in (lambda: claim.progress(1, 2), claim.should_stop):
            StemCheck.objects.update(beat_at="2026-01-01T00:00Z")
            claim._beat = claim._reported = 0.0
            sign()
            self.assertEqual(sweep.sweep().taken_up, 0)
        self.row.refresh_from_db()
        self.assertEqual((self.row.done, self.row.total), (1, 2))

    def test_a_row_that_its_worker_is_just_ending_is_not_swept(self) -> None:
        claim = add_up.claim(self.row.pk)
        assert claim
        StemCheck.objects.update(beat_at="2026-01-01T00:00Z")
        inside, outside = threading.Event(), threading.Event()

        def end() -> None:
            try:
                with transaction.atomic():
                    claim.end(document={})
                    inside.set()
                    outside.wait(10)
            finally:
                connection.close()

        with ThreadPoolExecutor(1) as pool:
            ending = pool.submit(end)
            inside.wait(10)
            self.assertEqual(sweep.sweep().taken_up, 0)
            outside.set()
            ending.result()
        self.assertEqual(self.state()[0], "done")

    def test_cancelling_stops_what_waits_and_what_runs_and_nothing_else(self) -> None:
        self.assertTrue(kernel.cancel(self.row))
        self.assertFalse(kernel.cancel(self.row))
        self.assertIsNone(add_up.claim(self.row.pk))
        add_up.queue(self.row)

        def cancelled_while(claim: Claim[StemCheck]) -> None:
            self.assertFalse(claim.should_stop())
            kernel.cancel(StemCheck.objects.get(pk=claim.row.pk))
            self.assertTrue(claim.should_stop())
            with self.assertRaises(Overtaken):
                claim.progress(2, 2)
            raise sandbox.Cancelled("reading was cancelled")

        with self.doing(cancelled_while):
            self.work()
        self.assertEqual((self.state()[0], self.row.document), ("cancelled", None))
        StemCheck.objects.update(state="done")
        self.assertFalse(kernel.cancel(self.row))
        self.assertEqual(self.state()[0], "done")

    def test_refusals_end_with_their_sentence_and_mistakes_with_ours(self) -> None:
        def refuse(claim: Claim[StemCheck]) -> None:
            raise UnreadableFile("it is broken")

        def err(claim: Claim[StemCheck]) -> None:
            raise KeyError("x")

        def forget(claim: Claim[StemCheck]) -> None:
            return

        mistake = "a mistake of this application stopped adding up; the worker's log has it"
        for do, says in ((refuse, "it is broken"), (err, mistake), (forget, mistake)):
            with self.doing(do):
                try:
                    add_up.run(self.row.pk)
                except (KeyError, RuntimeError):
                    self.assertEqual(says, mistake)
            self.assertEqual((self.state()[0], self.row.error), ("failed", says))
            add_up.queue(self.row)

    def test_who_waits_is_told_in_the_transaction_of_the_result(self) -> None:
        told: list[str] = []

        def fail_to_tell(row: StemCheck) -> None:
            told.append(row.state)
            raise KeyError("the listener fails")

        with self.doing(), mock.patch.object(add_up, "ended", fail_to_tell), self.assertRaises(KeyError):
            add_up.run(self.row.pk)
        # The result was rolled back with it; the row has failed and says so, and nobody waits for it.
        self.assertEqual((told, self.state()[0], self.row.document), (["done", "failed"], "failed", None))
        with mock.patch.object(add_up, "ended", lambda row: told.append(row.state)), self.doing():
            add_up.queue(self.row)
            self.work()
        self.assertEqual((told[2:], self.state()[0]), (["done"], "done"))

    def test_menders_are_called_and_counted(self) -> None:
        with mock.patch.object(sweep, "MENDERS", [lambda: 2, lambda: 1]):
            self.assertEqual(sweep.sweep().mended, 3)

    def test_every_row_of_work_belongs_to_a_kind(self) -> None:
        from django.apps import apps

        from brisk_web.inspections.models import Inspection
        from brisk_web.work.models import Work

        models = {model for model in apps.get_models() if issubclass(model, Work)}
        self.assertEqual({kind.model for kind in KINDS}, models)
        stages = {stage for kind in KINDS if kind.model is Inspection for stage in kind.stages}
        self.assertEqual(stages, set(Inspection.Stage) - {Inspection.Stage.SCAN})  # that stage is its parts' own
        self.assertEqual(len({kind.name for kind in KINDS}), len(KINDS))
