"""The full scan of an inspection: cut into parts that any worker takes, joined when the last one is done."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from typing import Any

from django.db import transaction
from django.db.models import F
from django.utils import timezone

from brisk_core import sandbox
from brisk_core.errors import UnreadableFile
from brisk_core.packets import PacketSeries
from brisk_core.scan import plan_segments
from brisk_web.inspections.models import Inspection, ScanPart

MOST_ATTEMPTS = 3  # tries at one part when workers die in it; then its pictures count as unreadable
_LEAST_PARTS = 2  # of a file that is long enough: one machine scans in two processes


def plan(inspection: Inspection, series: PacketSeries | None) -> list[ScanPart]:
    """Write the parts of a scan and queue them; returns them, none for a file without pictures and sound."""
    from brisk_web.inspections.tasks import scan_part_task

    facts = inspection.facts
    sound = bool(facts and facts.best("sound.tracks"))
    segments = plan_segments(series, _LEAST_PARTS) if series is not None else []
    length = float(facts.best("wrapper.duration") or 0) if facts else 0.0
    rows = [ScanPart(first=one.first, end=one.end, total=one.length) for one in segments]
    if sound and len(rows) == 1:
        rows[0].sound = True
    elif sound:
        rows.insert(0, ScanPart(sound=True, total=max(round(length), 1)))
    inspection.parts.all().delete()
    for number, row in enumerate(rows):
        row.inspection, row.number = inspection, number
    parts = ScanPart.objects.bulk_create(rows)
    for part in parts:
        scan_part_task.defer(part_id=part.pk)
    return parts


def _claim(part_id: int) -> ScanPart | None:
    """Take a part for this worker; ``None`` when there is nothing to do."""
    with transaction.atomic():
        part = ScanPart.objects.select_for_update().select_related("inspection").filter(pk=part_id).first()
        if part is None or part.is_over or not part.inspection.is_scanning:
            return None
        if part.inspection.waits_for_scan:  # the pace is told from here on, not from the wait before
            Inspection.objects.filter(pk=part.inspection_id).update(stage_started_at=timezone.now())
        part.attempt += 1
        part.state = ScanPart.State.RUNNING
        part.done = 0
        part.save()
        return part


def _mine(part: ScanPart) -> Any:
    """The part's row as long as this attempt is the newest and the scan goes on."""
    scanning = {"inspection__stage": Inspection.Stage.SCAN, "inspection__state": Inspection.State.RUNNING}
    return ScanPart.objects.filter(pk=part.pk, attempt=part.attempt, **scanning)


def scan(part_id: int) -> None:
    """Scan one part; a part that cannot be scanned keeps its reason and the others go on."""
    part = _claim(part_id)
    if part is None:
        return
    inspection = part.inspection
    facts = inspection.facts
    media_file = inspection.files.select_related("root").order_by("id").first()
    if media_file is None or facts is None:
        finish(part, "the file's record is gone")
        return
    inspection.parts_folder.mkdir(parents=True, exist_ok=True)
    request = {
        "url": media_file.url,
        "series_path": str(inspection.series_path) if part.end else None,
        "segment": [part.first, part.end] if part.end else None,
        "sound": part.sound,
        "pictures_path": str(part.pictures_path),
        "sound_path": str(inspection.sound_path),
        "full": facts.is_full_range,
        "duration": float(facts.best("wrapper.duration") or 0),
    }
    try:
        sandbox.run("scan_part", request, progress=_reporter(part), should_stop=lambda: not _mine(part).exists())
    except sandbox.Cancelled:
        return
    except UnreadableFile as error:
        finish(part, str(error))
        return
    finish(part, "")


def _reporter(part: ScanPart) -> Callable[[int, int], None]:
    def report(done: int, total: int) -> None:
        _mine(part).update(done=min(done, part.total))

    return report


def finish(part: ScanPart, error: str) -> None:
    """End a part; the last one to end has the scan put together."""
    from brisk_web.inspections.tasks import conclude_task

    with transaction.atomic():
        inspection = Inspection.objects.select_for_update().get(pk=part.inspection_id)
        state = ScanPart.State.FAILED if error else ScanPart.State.DONE
        if not _mine(part).update(state=state, error=error, done=F("total")):
            return
        if not inspection.parts.exclude(state__in=ScanPart.OVER).exists():
            conclude_task.defer(inspection_id=inspection.pk)


def joined(inspection: Inspection, should_stop: Callable[[], bool]) -> dict[str, Any]:
    """Return the document of the inspection to its full depth, from its parts.

    Raises ``UnreadableFile`` when not one part could be scanned.
    """
    parts = list(inspection.parts.all())
    if parts and all(part.state == ScanPart.State.FAILED for part in parts):
        raise UnreadableFile(parts[0].error)
    pictures = [part for part in parts if part.end]
    request = {
        "document": inspection.document,
        "series_path": str(inspection.series_path) if pictures else None,
        "segments": [[part.first, part.end] for part in pictures],
        "pictures": [str(part.pictures_path) if part.pictures_path.exists() else None for part in pictures],
        "sound_path": str(inspection.sound_path) if inspection.sound_path.exists() else None,
        "scan_path": str(inspection.scan_path),
    }
    document: dict[str, Any] = sandbox.run("conclude", request, should_stop=should_stop)
    return document


def clear(inspection: Inspection) -> None:
    """Remove what the parts left."""
    inspection.parts.all().delete()
    shutil.rmtree(inspection.parts_folder, ignore_errors=True)


def take_up_stalled(part_ids: list[int]) -> int:
    """Queue parts again whose worker died; give up on one that killed too many. Return how many were queued."""
    from brisk_web.inspections.tasks import scan_part_task

    queued = 0
    for part in ScanPart.objects.filter(pk__in=part_ids, state=ScanPart.State.RUNNING):
        if part.attempt >= MOST_ATTEMPTS:
            finish(part, f"the worker died {part.attempt} times while scanning this part")
            continue
        scan_part_task.defer(part_id=part.pk)
        queued += 1
    return queued


def started() -> dict[str, Any]:
    """Return the fields of an inspection whose scan begins."""
    return {
        "state": Inspection.State.RUNNING,
        "stage": Inspection.Stage.SCAN,
        "stage_started_at": timezone.now(),
        "done": 0,
        "total": 0,
    }
