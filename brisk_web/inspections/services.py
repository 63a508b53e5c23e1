"""Verbs of inspections: begin, read (in the worker), cancel, begin again."""

from __future__ import annotations

import logging
from typing import Any

from django.db import transaction
from django.db.models import F, Q, QuerySet
from django.utils import timezone

from brisk_core import sandbox
from brisk_core.errors import UnreadableFile
from brisk_core.version import ENGINE
from brisk_web.house.services import record
from brisk_web.inspections import scanning
from brisk_web.inspections.finding import index_facts
from brisk_web.inspections.models import Inspection
from brisk_web.storage.models import MediaFile

log = logging.getLogger(__name__)

MOST_ATTEMPTS = 3  # tries at one inspection when workers die in it; then it has failed


class Fenced(Exception):
    """Another attempt has taken this inspection over; nothing more may be written."""


@transaction.atomic
def begin(media_file: MediaFile, *, by: Any = None) -> Inspection:
    """Queue the inspection of a file that has none."""
    from brisk_web.inspections.tasks import read_headers_task

    inspection = Inspection.objects.create(engine=ENGINE)
    MediaFile.objects.filter(pk=media_file.pk).update(inspection=inspection)
    media_file.inspection = inspection
    record("inspection.queued", inspection, f"Queued the inspection of {media_file.name}", by=by)
    read_headers_task.defer(inspection_id=inspection.pk)
    return inspection


@transaction.atomic
def inspect_again(media_file: MediaFile, *, by: Any) -> Inspection:
    """Queue a fresh inspection of a file, whatever is known of it; one that is still active is answered as it is."""
    old = media_file.inspection
    if old is not None and old.is_active:
        return old
    if old is not None:
        # The new one takes the place of the old for every file with the same bytes; the old makes room in the key.
        Inspection.objects.filter(pk=old.pk).update(checksum="")
    inspection = begin(media_file, by=by)
    if old is not None:
        MediaFile.objects.filter(inspection=old).update(inspection=inspection)
    return inspection


def outdated_files() -> QuerySet[MediaFile]:
    """Files whose inspection was made by an older engine and is not running."""
    active = (Inspection.State.QUEUED, Inspection.State.RUNNING)
    return (
        MediaFile.objects.exclude(inspection__engine=ENGINE)
        .exclude(inspection__state__in=active)
        .filter(inspection__isnull=False)
    )


def inspect_outdated(*, by: Any) -> int:
    """Queue a fresh inspection of every file that an older engine read; return how many inspections were queued."""
    queued: set[int] = set()
    for media_file in outdated_files().select_related("inspection").order_by("id"):
        if media_file.inspection_id not in queued:
            queued.add(media_file.inspection_id)
            inspect_again(media_file, by=by)
    return len(queued)


@transaction.atomic
def cancel(inspection: Inspection, *, by: Any) -> None:
    """Ask a waiting or running inspection to stop; a waiting one stops at once, and so do the parts of a scan."""
    Inspection.objects.filter(pk=inspection.pk).update(cancel_requested=True)
    at_once = Q(state=Inspection.State.QUEUED) | Q(state=Inspection.State.RUNNING, stage=Inspection.Stage.SCAN)
    Inspection.objects.filter(at_once, pk=inspection.pk).update(
        state=Inspection.State.CANCELLED, finished_at=timezone.now()
    )
    record("inspection.cancelled", inspection, f"Cancelled {inspection}", by=by)


class Attempt:
    """One worker's try at a stage of an inspection. Every write is fenced by the attempt's number."""

    def __init__(self, inspection_id: int) -> None:
        self.inspection_id = inspection_id
        self.number = 0
        self._reported = 0.0

    def take(self, stage: str) -> Inspection | None:
        """Claim the inspection for this attempt; ``None`` when there is nothing to do."""
        with transaction.atomic():
            inspection = Inspection.objects.select_for_update().filter(pk=self.inspection_id).first()
            if inspection is None or not inspection.is_active:
                return None
            now = timezone.now()
            if inspection.cancel_requested:
                self._close(inspection, Inspection.State.CANCELLED, "")
                return None
            inspection.attempt = F("attempt") + 1
            inspection.state = Inspection.State.RUNNING
            inspection.stage = stage
            inspection.started_at = inspection.started_at or now
            inspection.stage_started_at = now
            inspection.done = inspection.total = 0
            inspection.save()
            inspection.refresh_from_db()
            self.number = inspection.attempt
            return inspection

    def write(self, **values: Any) -> None:
        """Write fields; raises ``Fenced`` when this attempt is no longer the newest."""
        written = Inspection.objects.filter(pk=self.inspection_id, attempt=self.number).update(**values)
        if not written:
            raise Fenced(f"inspection {self.inspection_id}: attempt {self.number} was overtaken")

    def progress(self, done: int, total: int) -> None:
        """Write how far the stage is."""
        self.write(done=done, total=total)

    def should_stop(self) -> bool:
        """Has somebody asked to cancel, or has another attempt taken over?"""
        return not Inspection.objects.filter(
            pk=self.inspection_id, attempt=self.number, cancel_requested=False
        ).exists()

    def start_stage(self, stage: str) -> None:
        """Go on to the next stage."""
        self.write(stage=stage, stage_started_at=timezone.now(), done=0, total=0)

    def fail(self, says: str) -> None:
        """End as failed, with a sentence; what was known before stays."""
        self.write(state=Inspection.State.FAILED, error=says, finished_at=timezone.now())

    def cancelled(self) -> None:
        """End as cancelled."""
        self.write(state=Inspection.State.CANCELLED, finished_at=timezone.now())

    @staticmethod
    def _close(inspection: Inspection, state: str, says: str) -> None:
        inspection.state, inspection.error, inspection.finished_at = state, says, timezone.now()
        inspection.save()


def _take(attempt: Attempt, stage: str) -> tuple[Inspection | None, MediaFile | None]:
    """Claim a stage and find a file with the contents; nothing of either when there is nothing to do."""
    inspection = attempt.take(stage)
    if inspection is None:
        return None, None
    media_file = inspection.files.select_related("root").order_by("id").first()
    if media_file is None:
        attempt.fail("the file's record is gone")
    return inspection, media_file


def _tell(inspection: Inspection) -> None:
    """Make what is known of an inspection found and judged."""
    from brisk_web.captions.services import notice
    from brisk_web.checks.services import judge_all_of

    index_facts(inspection)
    judge_all_of(inspection)
    notice(inspection)


def read_headers(inspection_id: int) -> None:
    """The first task: headers in a second or so, so that the page has something true to show; then queue the rest."""
    from brisk_web.inspections.tasks import read_packets_task

    attempt = Attempt(inspection_id)
    inspection, media_file = _take(attempt, Inspection.Stage.HEADERS)
    if inspection is None or media_file is None:
        return
    try:
        document = sandbox.run(
            "inspect",
            {"url": media_file.url, "name": media_file.name, "depth": "headers"},
            limits=sandbox.Limits(wall_s=120, processor_s=120),
            should_stop=attempt.should_stop,
        )
    except sandbox.Cancelled:
        _stop(attempt)
        return
    except UnreadableFile as error:
        _end_failed(attempt, inspection, str(error))
        return
    with transaction.atomic():
        attempt.write(document=document, state=Inspection.State.QUEUED, stage=Inspection.Stage.CHECKSUM)
        inspection.refresh_from_db()
        _tell(inspection)
        read_packets_task.defer(inspection_id=inspection_id)


def read_packets(inspection_id: int) -> None:
    """The second task: checksum and packets, then queue the scan. Contents that are known are not read again."""
    from brisk_web.inspections.tasks import conclude_task

    attempt = Attempt(inspection_id)
    inspection, media_file = _take(attempt, Inspection.Stage.CHECKSUM)
    if inspection is None or media_file is None:
        return
    try:
        checksum = sandbox.run(
            "digest", {"url": media_file.url}, progress=attempt.progress, should_stop=attempt.should_stop
        )
        if known := _same_contents(checksum, inspection):
            _adopt(attempt, inspection, known)
            return
        attempt.start_stage(Inspection.Stage.PACKETS)
        inspection.series_path.parent.mkdir(parents=True, exist_ok=True)
        document = sandbox.run(
            "inspect",
            {
                "url": media_file.url,
                "name": media_file.name,
                "depth": "packets",
                "checksum": checksum,
                "series_path": str(inspection.series_path),
            },
            progress=attempt.progress,
            should_stop=attempt.should_stop,
        )
    except sandbox.Cancelled:
        _stop(attempt)
        return
    except UnreadableFile as error:
        _end_failed(attempt, inspection, str(error))
        return
    with transaction.atomic():
        if known := _same_contents(checksum, inspection):  # two files with the same bytes were read at once
            _adopt(attempt, inspection, known)
            return
        attempt.write(document=document, checksum=checksum, error="", **scanning.started())
        inspection.refresh_from_db()
        _tell(inspection)
        if not scanning.plan(inspection, inspection.load_series()):
            conclude_task.defer(inspection_id=inspection_id)


def conclude(inspection_id: int) -> None:
    """The last task: join the parts of the scan, and judge by everything that is known now."""
    attempt = Attempt(inspection_id)
    inspection = attempt.take(Inspection.Stage.CONCLUDE)
    if inspection is None:
        return
    try:
        document = scanning.joined(inspection, attempt.should_stop)
    except sandbox.Cancelled:
        _stop(attempt)
        return
    except UnreadableFile as error:
        _end_failed(attempt, inspection, str(error))
        return
    with transaction.atomic():
        if known := _same_contents(inspection.checksum, inspection):
            scanning.clear(inspection)
            _adopt(attempt, inspection, known)
            return
        attempt.write(document=document, state=Inspection.State.DONE, error="", finished_at=timezone.now())
        inspection.refresh_from_db()
        scanning.clear(inspection)
        _tell(inspection)


def _stop(attempt: Attempt) -> None:
    try:
        attempt.cancelled()
    except Fenced:
        log.info("inspection %s was overtaken", attempt.inspection_id)


def _end_failed(attempt: Attempt, inspection: Inspection, says: str) -> None:
    with transaction.atomic():
        attempt.fail(says)
        inspection.refresh_from_db()
        _tell(inspection)


def _same_contents(checksum: str, inspection: Inspection) -> Inspection | None:
    return (
        Inspection.objects.filter(checksum=checksum, engine=inspection.engine, state=Inspection.State.DONE)
        .exclude(pk=inspection.pk)
        .first()
    )


@transaction.atomic
def _adopt(attempt: Attempt, inspection: Inspection, known: Inspection) -> None:
    """Point the files of this inspection at the one that already holds their contents, and drop this one."""
    attempt.write(state=Inspection.State.CANCELLED, finished_at=timezone.now())
    MediaFile.objects.filter(inspection=inspection).update(inspection=known)
    record("inspection.shared", known, f"The same contents are known from {known}; nothing was read again")
    inspection.delete()
    _tell(known)


def give_up(inspection_id: int) -> None:
    """End an inspection in which this application itself failed, so that nobody waits for it."""
    Inspection.objects.filter(pk=inspection_id, state=Inspection.State.RUNNING).update(
        state=Inspection.State.FAILED,
        error="a mistake of this application stopped the reading; the worker's log has it",
        finished_at=timezone.now(),
    )


def take_up_stalled(inspection_ids: list[int]) -> int:
    """Queue inspections again whose worker died; give up on one that killed too many. Return how many were queued."""
    from brisk_web.inspections.tasks import task_for_stage

    queued = 0
    for inspection in Inspection.objects.filter(pk__in=inspection_ids, state=Inspection.State.RUNNING):
        with transaction.atomic():
            if inspection.attempt >= MOST_ATTEMPTS:
                Inspection.objects.filter(pk=inspection.pk, attempt=inspection.attempt).update(
                    state=Inspection.State.FAILED,
                    error=f"the worker died {inspection.attempt} times while reading this file",
                    finished_at=timezone.now(),
                )
                continue
            task_for_stage(inspection.stage).defer(inspection_id=inspection.pk)
            queued += 1
    return queued
