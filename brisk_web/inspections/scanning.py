"""The full scan of an inspection: cut into parts that any worker takes, joined when the last one is over."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from django.db import transaction
from django.db.models import Count, F, Max, Q, Sum
from django.utils import timezone

from brisk_core import sandbox
from brisk_core.errors import UnreadableFile
from brisk_core.facts import keys
from brisk_core.packets import PacketSeries
from brisk_core.sandbox import requests
from brisk_core.scan import plan_segments
from brisk_web.inspections.contents import adopt, enter, file_with, same_contents, tell
from brisk_web.inspections.keeping import forget_copies
from brisk_web.inspections.models import Inspection, ScanPart, packed
from brisk_web.storage import shared
from brisk_web.work.kernel import Claim, work
from brisk_web.work.models import Pause, Work
from brisk_web.work.sweep import mender

_LEAST_PARTS = 2  # of a file that is long enough: one machine scans in two processes
_SCANNING = Q(inspection__stage=Inspection.Stage.SCAN, inspection__state=Inspection.State.RUNNING)


def plan(inspection: Inspection, series: PacketSeries | None) -> list[ScanPart]:
    """Write the parts of a scan and queue them; returns them, none for a file without pictures and sound."""
    facts = inspection.facts
    sound = bool(facts and facts[keys.SOUND_TRACKS])
    segments = plan_segments(series, _LEAST_PARTS) if series is not None else []
    length = float(facts[keys.WRAPPER_DURATION] or 0) if facts else 0.0
    rows = [ScanPart(first=one.first, end=one.end, total=one.length) for one in segments]
    if sound and len(rows) == 1:
        rows[0].sound = True
    elif sound:
        rows.insert(0, ScanPart(sound=True, total=max(round(length), 1)))
    inspection.parts.all().delete()
    for number, row in enumerate(rows):
        row.inspection, row.number = inspection, number
    parts = ScanPart.objects.bulk_create(rows)
    for part in sorted(parts, key=lambda part: -_suspicion(part, inspection, length)):
        scan_part.knock(part.pk)
    return parts


def _suspicion(part: ScanPart, inspection: Inspection, length: float) -> float:
    """Share of a part's pictures in which the first look saw something odd; parts are taken by it."""
    look, frames = inspection.first_look, inspection.facts and inspection.facts[keys.PICTURE_FRAME_COUNT]
    if look is None or not frames or not part.end or not length:
        return 0.0
    first, end = (frame * length / frames for frame in (part.first, part.end))
    inside = [(max(start, first), min(stop, end)) for start, stop in look.odd_spans]
    return sum(stop - start + _SINGLE_S for start, stop in inside if stop >= start) / (end - first)


_SINGLE_S = 1.0  # that a single picture stands for


def _part_over(part: ScanPart) -> None:
    """Have the scan put together once its last part is over."""
    _conclude_if_over(part.inspection_id)


@transaction.atomic
def _conclude_if_over(pk: int) -> bool:
    """Let an inspection wait to be put together, if all its parts are over; return whether it does."""
    inspection = Inspection.objects.select_for_update().get(pk=pk)
    if inspection.parts.filter(state__in=Work.ACTIVE).exists():
        return False
    scanning = Inspection.objects.filter(stage=Inspection.Stage.SCAN, state=Inspection.State.RUNNING)
    return conclude.let_wait(scanning, pk, stage=Inspection.Stage.CONCLUDE, pace=_pace(inspection))


def _pace(inspection: Inspection) -> float | None:
    """Seconds that one picture took, of a scan whose parts went through at the first try."""
    parts = inspection.parts.aggregate(
        pictures=Sum(F("end") - F("first")), tries=Max("attempt"), failed=Count("pk", filter=~Q(state=Work.State.DONE))
    )
    if not inspection.stage_started_at or not parts["pictures"] or parts["failed"] or parts["tries"] != 1:
        return None
    if Pause.fell_into("scan", inspection.stage_started_at):
        return None
    pace: float = (timezone.now() - inspection.stage_started_at).total_seconds() / parts["pictures"]
    return pace


# Parts go before the packets of other files, so that what was begun is finished first.
@work(
    "scan",
    ScanPart,
    doing="scanning this part",
    priority=10,
    only_while=_SCANNING,
    related=("inspection",),
    first=Q(inspection__urgent=True),
    ended=_part_over,
)
def scan_part(claim: Claim[ScanPart]) -> None:
    """Scan one part of a file's pictures or sound; one that cannot be scanned keeps its reason, the others go on."""
    forget_copies()
    part = claim.row
    inspection = part.inspection
    facts = inspection.facts
    if not inspection.parts.filter(attempt__gt=0).exclude(pk=part.pk).exists() and part.attempt == 1:
        # The pace is told from here on, not from the wait before.
        Inspection.objects.filter(pk=inspection.pk).update(stage_started_at=timezone.now())
    if facts is None:
        raise UnreadableFile("its headers have not been read")
    media_file = file_with(inspection)
    if part.end:
        shared.bring(inspection.series_path)
    inspection.parts_folder.mkdir(parents=True, exist_ok=True)
    request = requests.ScanPart(
        url=media_file.url,
        series_path=str(inspection.series_path) if part.end else None,
        segment=(part.first, part.end) if part.end else None,
        sound=part.sound,
        pictures_path=str(part.pictures_path),
        sound_path=str(inspection.sound_path),
        full=facts.is_full_range,
        duration=float(facts[keys.WRAPPER_DURATION] or 0),
        small_folder=str(inspection.small_folder),
    )

    def report(done: int, total: int) -> None:
        claim.progress(min(done, part.total), part.total)

    sandbox.run(request, progress=report, should_stop=claim.should_stop)
    if part.end:
        shared.share(part.pictures_path)
        shared.share_folder(inspection.small_folder, part.packed_pictures)
    if part.sound:
        shared.share(inspection.sound_path)
    claim.end(done=F("total"))


@work(
    "conclude",
    Inspection,
    doing="putting the scan together",
    priority=20,
    stages=[Inspection.Stage.CONCLUDE],
    first=Q(urgent=True),
    ended=tell,
)
def conclude(claim: Claim[Inspection]) -> None:
    """Join the parts of the scan, and tell everything that is known now."""
    forget_copies()
    inspection = claim.row
    media_file = enter(claim, Inspection.Stage.CONCLUDE)
    document = joined(inspection, media_file.url, claim.should_stop)
    with transaction.atomic():
        if known := same_contents(inspection.checksum, inspection):
            clear(inspection)
            adopt(claim, known)
            return
        claim.end(document=document)
        clear(inspection)


@mender
def conclude_forgotten() -> int:
    """Have scans put together whose parts are all over and whose conclusion was lost; return how many."""
    scanning = Inspection.objects.filter(stage=Inspection.Stage.SCAN, state=Inspection.State.RUNNING)
    over = scanning.exclude(parts__state__in=Work.ACTIVE)
    return sum(_conclude_if_over(pk) for pk in list(over.values_list("pk", flat=True)))


def joined(inspection: Inspection, url: str, should_stop: Callable[[], bool]) -> dict[str, Any]:
    """Return the document of the inspection to its full depth, from its parts; ``url`` is a file with its contents.

    Raises ``UnreadableFile`` when not one part could be scanned.
    """
    parts = list(inspection.parts.all())
    if inspection.document is None:
        raise UnreadableFile("its headers have not been read")
    if parts and all(part.state == Work.State.FAILED for part in parts):
        raise UnreadableFile(parts[0].error)
    pictures = [part for part in parts if part.end]
    _gather(inspection, pictures)
    request = requests.Conclude(
        url=url,
        document=inspection.document,
        series_path=str(inspection.series_path) if pictures else None,
        segments=[(part.first, part.end) for part in pictures],
        pictures=[str(part.pictures_path) if part.pictures_path.exists() else None for part in pictures],
        sound_path=str(inspection.sound_path) if inspection.sound_path.exists() else None,
        scan_path=str(inspection.scan_path),
        small_folder=str(inspection.small_folder),
    )
    document = sandbox.run(request, should_stop=should_stop)
    if inspection.scan_path.exists():
        shared.share(inspection.scan_path)
    shared.share_folder(inspection.small_folder, packed(inspection.small_folder))
    return document


def _gather(inspection: Inspection, pictures: list[ScanPart]) -> None:
    """Have here what workers of other machines measured."""
    if pictures:
        shared.bring(inspection.series_path)
    shared.bring(inspection.sound_path)
    for part in pictures:
        shared.bring(part.pictures_path)
        shared.bring_folder(inspection.small_folder, part.packed_pictures)


def clear(inspection: Inspection) -> None:
    """Remove what the parts and the first look left, folders once the transaction is committed."""
    inspection.parts.all().delete()
    for path in (inspection.parts_folder, inspection.look_folder, packed(inspection.look_folder)):
        transaction.on_commit(partial(shared.drop, path))
