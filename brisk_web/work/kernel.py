"""Kinds of work: how a row is queued, claimed by one worker, written, handed on, ended, cancelled.

A kind is made by the decorator ``work``::

    @work("scan", Comparison, doing="comparing", ended=comparison_ended)
    def compare(claim: Claim[Comparison]) -> None:
        claim.end(document=hold(claim.row, claim.progress, claim.should_stop))

Everything that is written goes through the claim, which is fenced: once another try has begun, or somebody cancelled,
it raises ``Overtaken`` and nothing is written.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any, Generic, TypeVar

from django.db import connection, transaction
from django.db.models import BigIntegerField, Exists, F, OuterRef, Q, QuerySet
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast, Now
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.tasks import Task
from procrastinate.types import TimeDeltaParams

from brisk_core.errors import CoreError
from brisk_core.sandbox import Cancelled, Interrupted
from brisk_web.work.models import Pause, Work
from brisk_web.work.room import LATER_S, has_room, is_of_room

log = logging.getLogger(__name__)

MOST_TRIES = 5  # at one stage of one row when workers die in it; then it has failed
# Seconds before the tries after the first. Two deaths may be one accident of the machine; later ones outwait it.
PAUSES_S = (0, 0, 30, 120)
_BEAT_S = 3.0  # seconds between two signs of life
_REPORT_S = 0.3  # seconds between two writes of progress
_MISTAKE = "a mistake of this application stopped {doing}; the worker's log has it"
_DIED = "the worker died {tries} times while {doing}"

FIRST = 50  #: by which a task goes before others of its kind, and before all other kinds
_RANK = "UPDATE procrastinate_jobs SET priority = %s WHERE status = 'todo' AND task_name = %s AND args->>'pk' = %s"

Row = TypeVar("Row", bound=Work)


class Overtaken(Exception):
    """Another try has taken this work over, or somebody cancelled it; nothing more may be written."""


@dataclass(kw_only=True)
class Kind(Generic[Row]):
    """A kind of work: rows of one model, or those of them at some stages."""

    model: type[Row]
    do: Callable[[Claim[Row]], None]
    queue_name: str
    priority: int  #: tasks with a higher one are taken first
    doing: str  #: completes "the worker died 5 times while ..."
    stages: tuple[str, ...] = ()  #: values of the model's ``stage`` that are this kind's; none for a model without
    only_while: Q = field(default_factory=Q)  #: rows are claimed and written only while this holds
    related: tuple[str, ...] = ()  #: fetched along when a row is claimed
    first: Q | None = None  #: rows that go before all others of their queue
    ended: Callable[[Row], Any] | None = None  #: called in the transaction of every end but a cancelled one
    name: str = field(init=False)  #: of the task: where the work is written
    task: Task[Any, Any, Any] = field(init=False)

    def __post_init__(self) -> None:
        self.name = f"{self.do.__module__}.{self.do.__qualname__}"
        self.task = app.task(name=self.name, queue=self.queue_name, pass_context=False)(self.run)
        KINDS.append(self)

    def rows(self) -> QuerySet[Row]:
        """Return the rows of this kind."""
        found = self.model._default_manager.filter(self.only_while)
        return found.filter(stage__in=self.stages) if self.stages else found

    def is_of(self, row: Work) -> bool:
        """Is a row of this kind's model at a stage that is this kind's?"""
        return not self.stages or getattr(row, "stage", None) in self.stages

    # Queueing.

    def knock(self, pk: int, wait_s: int = 0) -> None:
        """Put a task for a row into the queue once the transaction is committed; a sweep does so if this fails.

        With ``wait_s`` no worker takes it for so many seconds.
        """

        def defer() -> None:
            later: TimeDeltaParams | None = {"seconds": wait_s} if wait_s else None
            self.task.configure(priority=self._rank(pk), schedule_in=later).defer(pk=pk)

        transaction.on_commit(defer, robust=True)

    def _rank(self, pk: int) -> int:
        goes_first = self.first is not None and self.model._default_manager.filter(self.first, pk=pk).exists()
        return self.priority + (FIRST if goes_first else 0)

    def rank_again(self, rows: QuerySet[Row]) -> None:
        """Let waiting rows go first, or in their turn, as they say by now; inside the transaction that changed them."""
        for pk in rows.filter(state=Work.State.QUEUED).values_list("pk", flat=True):
            with connection.cursor() as cursor:
                cursor.execute(_RANK, [self._rank(pk), self.name, str(pk)])

    def queue(self, row: Row, **values: Any) -> bool:
        """Let a row wait, from the beginning; return whether it does. One that waits or runs already is left alone."""
        waits = self.let_wait(self.model._default_manager.exclude(state__in=Work.ACTIVE), row.pk, **values)
        if waits:
            row.refresh_from_db()
        return waits

    def let_wait(self, rows: QuerySet[Row], pk: int, **values: Any) -> bool:
        """Let a row wait for this kind with all its tries, if it is one of ``rows``; return whether it was."""
        fresh = {"state": Work.State.QUEUED, "tries": 0, "done": 0, "error": "", "finished_at": None}
        with transaction.atomic():
            if not rows.filter(pk=pk).update(queued_at=Now(), **fresh | values):
                return False
            self.knock(pk)
        return True

    # Doing.

    def run(self, pk: int) -> None:
        """Do the work of a row, if it waits for it; what a worker calls. In a paused queue it goes on waiting, and
        while the disk is full.
        """
        if Pause.now().filter(queue=self.queue_name).exists():
            return
        if not has_room():
            self.knock(pk, LATER_S)
            return
        claim = self.claim(pk)
        if claim is None:
            return
        try:
            self.do(claim)
            claim.require_end()
        except Cancelled:
            log.info("%s: %s was stopped", self.name, claim.row)
        except Overtaken as overtaken:
            log.info("%s", overtaken)
        except Exception as error:
            self._not_done(claim, error)

    def _not_done(self, claim: Claim[Row], error: Exception) -> None:
        """Let a row wait again where what stopped its work says nothing of it, else end it as failed."""
        if is_of_room(error):
            log.warning("%s: %s waits for room on the disk: %s", self.name, claim.row, error)
            self._wait_for_room(claim.row)
        elif isinstance(error, Interrupted):
            log.warning("%s: %s is tried again: %s", self.name, claim.row, error)
            self.take_up(claim.row)
        elif isinstance(error, CoreError):
            self._fail(claim, str(error))
        else:
            self._fail(claim, _MISTAKE.format(doing=self.doing))
            raise error  # the worker writes it to its log

    def _wait_for_room(self, row: Row) -> None:
        """Queue a row again whose work found the disk full; that was no try. A sweep does so if this fails too."""
        self._queue_again(row, LATER_S, tries=F("tries") - 1)

    def _queue_again(self, row: Row, wait_s: int, **values: Any) -> bool:
        """Let a row wait again that still runs by this try, its task ``wait_s`` seconds; return whether it does."""
        mine = self.rows().filter(pk=row.pk, attempt=row.attempt, state=Work.State.RUNNING)
        if not mine.update(state=Work.State.QUEUED, queued_at=Now(), done=0, **values):
            return False
        self.knock(row.pk, wait_s)
        return True

    def _fail(self, claim: Claim[Row], says: str) -> None:
        """End as failed; where telling it fails as well, the row is ended all the same, so that nobody waits for it."""
        try:
            claim.fail(says)
        except Overtaken as overtaken:
            log.info("%s", overtaken)
        except Exception:
            log.exception("%s: the failure of %s could not be told", self.name, claim.row)
            with suppress(Overtaken):
                claim.write(state=Work.State.FAILED, error=says, finished_at=Now())

    def claim(self, pk: int) -> Claim[Row] | None:
        """Take a waiting row for this worker; ``None`` when it does not wait, or is another kind's by now."""
        with transaction.atomic():
            # The row is locked by itself: a condition over others is looked at once it is ours.
            locked = self.model._default_manager.select_for_update(of=("self",)).filter(pk=pk).first()
            if locked is None or not self.rows().filter(pk=pk, state=Work.State.QUEUED).exists():
                return None
            self.model._default_manager.filter(pk=pk).update(
                state=Work.State.RUNNING,
                attempt=F("attempt") + 1,
                tries=F("tries") + 1,
                started_at=locked.started_at or Now(),
                beat_at=Now(),
                done=0,
            )
            return Claim(kind=self, row=self.model._default_manager.select_related(*self.related).get(pk=pk))

    # Ending from outside.

    def take_up(self, row: Row) -> bool:
        """Queue a row again whose worker or reader died, or give up on one that killed too many; tell if it waits."""
        if row.tries >= MOST_TRIES:
            claim = Claim(kind=self, row=row)
            self._fail(claim, _DIED.format(tries=row.tries, doing=self.doing))
            return False
        return self._queue_again(row, PAUSES_S[min(max(row.tries, 1), len(PAUSES_S)) - 1])

    def silent(self, seconds: float) -> QuerySet[Row]:
        """Return the running rows whose worker has given no sign of life for ``seconds``."""
        return self.rows().filter(state=Work.State.RUNNING).exclude(beat_at__gt=Now() - timedelta(seconds=seconds))

    def forgotten(self, seconds: float) -> QuerySet[Row]:
        """Return the rows that have waited for ``seconds`` and have no task that knocks for them."""
        knocking = ProcrastinateJob.objects.filter(task_name=self.name, status__in=("todo", "doing")).annotate(
            row=Cast(KeyTextTransform("pk", "args"), BigIntegerField())
        )
        waiting = self.rows().filter(state=Work.State.QUEUED).exclude(queued_at__gt=Now() - timedelta(seconds=seconds))
        return waiting.exclude(Exists(knocking.filter(row=OuterRef("pk"))))


#: Every kind of work that is registered, in the order of import.
KINDS: list[Kind[Any]] = []


@dataclass(kw_only=True)
class Claim(Generic[Row]):
    """One worker's try at a row."""

    kind: Kind[Row]
    row: Row
    _beat: float = field(default_factory=time.monotonic)
    _reported: float = 0.0

    def _mine(self) -> QuerySet[Row]:
        """The row, as long as this try is the newest and nobody ended it."""
        mine = self.kind.model._default_manager.filter(self.kind.only_while, pk=self.row.pk, attempt=self.row.attempt)
        return mine.filter(state=Work.State.RUNNING)

    def write(self, **values: Any) -> None:
        """Write fields; raises ``Overtaken`` when this try is no longer the newest, or was cancelled."""
        if not self._mine().update(**values):
            raise Overtaken(f"{self.kind.name}: try {self.row.attempt} at {self.row} was overtaken")

    def progress(self, done: int, total: int) -> None:
        """Write how far the work is, a few times a second at most."""
        now = time.monotonic()
        if now - self._reported >= _REPORT_S or done >= total:
            self._reported = self._beat = now
            self.write(done=done, total=total, beat_at=Now())

    def should_stop(self) -> bool:
        """Has somebody cancelled it, or has another try begun? Asking is a sign of life."""
        now = time.monotonic()
        if now - self._beat >= _BEAT_S:
            self._beat = now
            return not self._mine().update(beat_at=Now())
        return not self._mine().exists()

    def require_end(self) -> None:
        """Raise ``RuntimeError`` when the work returned and left its row running."""
        if self.kind.rows().filter(pk=self.row.pk, attempt=self.row.attempt, state=Work.State.RUNNING).exists():
            raise RuntimeError(f"{self.kind.name} returned without an end")

    def end(self, **values: Any) -> None:
        """End as done, with what was found, and tell those who wait for it in the same transaction."""
        self._over(Work.State.DONE, values | {"error": ""})

    def fail(self, says: str, **values: Any) -> None:
        """End as failed, with a sentence; what was known before stays."""
        self._over(Work.State.FAILED, values | {"error": says})

    def _over(self, state: str, values: dict[str, Any]) -> None:
        with transaction.atomic():
            self.write(state=state, finished_at=Now(), **values)
            self.row.refresh_from_db()
            if self.kind.ended:
                self.kind.ended(self.row)

    def pass_on(self, to: Kind[Row], **values: Any) -> None:
        """Let the row wait for its next stage, which ``values`` name; inside a transaction with what is told of it."""
        self.write(state=Work.State.QUEUED, queued_at=Now(), tries=0, done=0, total=0, **values)
        self.row.refresh_from_db()
        to.knock(self.row.pk)


def work(
    queue: str,
    model: type[Row],
    *,
    doing: str,
    priority: int = 0,
    stages: Iterable[str] = (),
    only_while: Q | None = None,
    related: Iterable[str] = (),
    first: Q | None = None,
    ended: Callable[[Row], Any] | None = None,
) -> Callable[[Callable[[Claim[Row]], None]], Kind[Row]]:
    """Register a kind of work; see ``Kind`` for what the arguments mean."""

    def register(do: Callable[[Claim[Row]], None]) -> Kind[Row]:
        return Kind(
            model=model,
            do=do,
            queue_name=queue,
            priority=priority,
            doing=doing,
            stages=tuple(stages),
            only_while=only_while or Q(),
            related=tuple(related),
            first=first,
            ended=ended,
        )

    return register


def cancel(row: Work) -> bool:
    """Stop a row that waits or runs; its worker sees it within a second. Return whether there was anything to stop."""
    rows = type(row)._default_manager.filter(pk=row.pk, state__in=Work.ACTIVE)
    stopped = bool(rows.update(state=Work.State.CANCELLED, finished_at=Now()))
    row.refresh_from_db()
    return stopped
