"""The sweep: finds what was lost when a worker, a task or a transaction was, and sets it going again."""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta

from django.db import connection, transaction
from django.db.models import Count, Q
from django.db.models.functions import Now
from django.utils import timezone
from procrastinate.contrib.django.models import ProcrastinateWorker

from brisk_web.work.kernel import KINDS, PAUSES_S
from brisk_web.work.models import Pause, Work
from brisk_web.work.room import LATER_S, has_room

log = logging.getLogger(__name__)

SILENT_S = 30.0  # a worker that has given no sign of life for so long is dead
_AHEAD_S = 5.0  # by how much a sign of life may lie ahead of the database's clock
FORGOTTEN_S = 10.0  # a row that has waited so long has had time for its task to be put into the queue

#: What upper applications mend by themselves at every sweep; each returns how many things it mended.
MENDERS: list[Callable[[], int]] = []


@dataclass(frozen=True, slots=True, kw_only=True)
class Swept:
    """What one sweep did."""

    taken_up: int  #: rows of dead workers that wait again
    given_up: int  #: rows that killed too many workers
    knocked: int  #: rows that waited without a task
    mended: int  #: what menders did


def count_workers() -> dict[str, int]:
    """Return how many workers gave a sign of life lately (``alive``) and how many did not (``silent``)."""
    lately = Q(last_heartbeat__gte=timezone.now() - timedelta(seconds=SILENT_S))
    return ProcrastinateWorker.objects.aggregate(alive=Count("pk", filter=lately), silent=Count("pk", filter=~lately))


def mender(mend: Callable[[], int]) -> Callable[[], int]:
    """Register a function that is called at every sweep."""
    MENDERS.append(mend)
    return mend


def sweep(*, silent_s: float = SILENT_S, forgotten_s: float = FORGOTTEN_S) -> Swept:
    """Look at the rows of every kind of work; set going again what waits without a task or runs without a worker.

    While the disk is full nothing is: it would fail again, and count as a try.
    """
    if not has_room():
        log.warning("sweep: there is no room on the disk; all waits")
        return Swept(taken_up=0, given_up=0, knocked=0, mended=0)
    _bring_to_now()
    taken_up = given_up = knocked = 0
    paused = set(Pause.now().values_list("queue", flat=True))
    for kind in KINDS:
        for pk in list(kind.silent(silent_s).values_list("pk", flat=True)):
            with transaction.atomic():
                # A row that its worker is just ending is locked by it, and so not silent at all.
                row = kind.silent(silent_s).select_for_update(of=("self",), skip_locked=True).filter(pk=pk).first()
                if row is None:
                    continue
                if kind.take_up(row):
                    taken_up += 1
                else:
                    given_up += 1
        if kind.queue_name in paused:
            continue  # its rows wait without tasks, until it goes on
        for pk in list(kind.forgotten(forgotten_s).order_by("queued_at").values_list("pk", flat=True)):
            kind.knock(pk)
            knocked += 1
    swept = Swept(taken_up=taken_up, given_up=given_up, knocked=knocked, mended=sum(mend() for mend in MENDERS))
    if any((taken_up, given_up, knocked, swept.mended)):
        log.warning("sweep: %s", swept)
    return swept


def _bring_to_now() -> None:
    """Bring times that lie ahead to now, as they do once the clock of the database was set back.

    Else a worker that died then would pass for alive, and its rows for under way, until the clock is there again.
    """
    ahead = timedelta(seconds=_AHEAD_S)
    for model in {kind.model for kind in KINDS}:
        rows = model._default_manager
        rows.filter(state=Work.State.RUNNING, beat_at__gt=Now() + ahead).update(beat_at=Now())
        rows.filter(state=Work.State.QUEUED, queued_at__gt=Now() + ahead).update(queued_at=Now())
    with connection.cursor() as cursor:
        cursor.execute(_WORKERS, [_AHEAD_S])
        cursor.execute(_TASKS, [[kind.name for kind in KINDS], max(*PAUSES_S, LATER_S) + _AHEAD_S])


_WORKERS = """
    UPDATE procrastinate_workers SET last_heartbeat = now() WHERE last_heartbeat > now() + make_interval(secs => %s)
"""
_TASKS = """
    UPDATE procrastinate_jobs SET scheduled_at = now()
    WHERE status = 'todo' AND task_name = ANY(%s) AND scheduled_at > now() + make_interval(secs => %s)
"""
