"""Verbs of masters: choose one, hold a file against it, take up what a dead worker left."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db import transaction
from django.utils import timezone

from brisk_core import sandbox
from brisk_core.errors import UnreadableFile
from brisk_core.facts import Depth, Held
from brisk_core.master import ordered_frames, shot_names
from brisk_core.version import ENGINE
from brisk_web.checks.models import Check
from brisk_web.edits.models import Timeline
from brisk_web.house.services import record
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Deliverable
from brisk_web.masters.models import Comparison
from brisk_web.storage.models import MediaFile

MOST_ATTEMPTS = 3  # tries at one comparison when workers die in it
_LIMITS = sandbox.Limits(wall_s=1800, processor_s=3600)


def master_of(check: Check) -> MediaFile | None:
    """Return the file that a check's deliverable is held against, never the checked file itself."""
    master = check.render.deliverable.master if check.render else None
    return master if master is not None and master.pk != check.media_file_id else None


@transaction.atomic
def choose_master(deliverable: Deliverable, master: MediaFile | None, *, by: Any) -> None:
    """Set or drop the master of a deliverable; what was compared with another one stays and is no longer judged."""
    deliverable.master = master
    deliverable.save(update_fields=["master"])
    says = f"Chose {master.name} as the master of {deliverable}" if master else f"Dropped the master of {deliverable}"
    record("master.chosen", deliverable, says, by=by)


def _is_whole(inspection: Inspection | None) -> bool:
    """Have pictures and sound been scanned?"""
    facts = inspection.facts if inspection and inspection.state == Inspection.State.DONE else None
    return bool(facts and facts.depth is Depth.FULL and inspection and inspection.load_scan())


def _ordered(check: Check, master: Inspection) -> tuple[int, int] | None:
    """The frames of the master that a check's range asks for, ``None`` for all of them."""
    facts = master.facts
    if check.timeline is None or check.range_start is None or facts is None:
        return None
    rate, frames = facts.best("picture.frame_rate"), facts.best("picture.frame_count")
    if not rate or not frames:
        return None
    part = check.timeline.part(check.range_start, check.range_end)
    return ordered_frames(check.timeline.edit, part, rate, frames)


def find(check: Check, master: MediaFile) -> Comparison | None:
    """Return the comparison of a check's file with a master by this engine, ``None`` when there is none."""
    own, other = check.media_file.inspection, master.inspection
    if own is None or other is None:
        return None
    ordered = _ordered(check, other) or (None, None)
    return Comparison.objects.filter(
        inspection=own, master=other, ordered_start=ordered[0], ordered_end=ordered[1], engine=ENGINE
    ).first()


def compare(check: Check, master: MediaFile) -> Comparison | None:
    """Queue the comparison of a check's file with a master; return it, or ``None`` while either is not scanned."""
    from brisk_web.masters.tasks import compare_task

    own, other = check.media_file.inspection, master.inspection
    if own is None or other is None or own == other or not (_is_whole(own) and _is_whole(other)):
        return None
    ordered = _ordered(check, other) or (None, None)
    with transaction.atomic():
        comparison, new = Comparison.objects.get_or_create(
            inspection=own,
            master=other,
            ordered_start=ordered[0],
            ordered_end=ordered[1],
            engine=ENGINE,
            defaults={"timeline": check.timeline},
        )
        again = comparison.state in (Comparison.State.FAILED, Comparison.State.CANCELLED)
        if again:
            Comparison.objects.filter(pk=comparison.pk).update(state=Comparison.State.QUEUED, error="", done=0)
            comparison.refresh_from_db()
        if new or again:
            compare_task.defer(comparison_id=comparison.pk)
    return comparison


def held_for(check: Check) -> dict[str, Held] | None:
    """Return what a judge needs of a check's master: ``None`` without one, nothing while it is not known."""
    master = master_of(check)
    if master is None:
        return None
    comparison = compare(check, master)
    return comparison.held if comparison else {}


def checks_with(comparison: Comparison) -> Iterable[Check]:
    """Return the checks that a comparison speaks for."""
    return Check.objects.filter(
        media_file__inspection=comparison.inspection, render__deliverable__master__inspection=comparison.master
    ).select_related("media_file__inspection", "timeline", "render__deliverable__master__inspection")


def run(comparison_id: int) -> bool:
    """Do a comparison; return whether it came to an end of its own."""
    comparison = _claim(comparison_id)
    if comparison is None:
        return False
    sides = {"file": comparison.inspection, "master": comparison.master}
    request: dict[str, Any] = {}
    for name, inspection in sides.items():
        media_file = inspection.files.select_related("root").order_by("id").first()
        if media_file is None:
            return _finish(comparison, error=f"the record of the {name} is gone")
        request[name] = {
            "url": media_file.url,
            "document": inspection.document,
            "series_path": str(inspection.series_path),
            "scan_path": str(inspection.scan_path),
        }
    if comparison.ordered_start is not None:
        request["ordered"] = [comparison.ordered_start, comparison.ordered_end]
    request["names"] = _names(comparison.timeline, comparison.master)
    mine = Comparison.objects.filter(pk=comparison.pk, attempt=comparison.attempt, state=Comparison.State.RUNNING)
    try:
        document = sandbox.run(
            "against",
            request,
            limits=_LIMITS,
            progress=lambda done, total: mine.update(done=done, total=total) and None,
            should_stop=lambda: not mine.exists(),
        )
    except sandbox.Cancelled:
        return False
    except UnreadableFile as error:
        return _finish(comparison, error=str(error))
    return _finish(comparison, document=document)


def _names(timeline: Timeline | None, master: Inspection) -> list[tuple[int, str]]:
    facts = master.facts
    rate = facts.best("picture.frame_rate") if facts else None
    return shot_names(timeline.edit, rate) if timeline and rate else []


def _claim(comparison_id: int) -> Comparison | None:
    with transaction.atomic():
        comparison = Comparison.objects.select_for_update(of=("self",)).filter(pk=comparison_id).first()
        if comparison is None or not comparison.is_active:
            return None
        comparison.attempt += 1
        comparison.state = Comparison.State.RUNNING
        comparison.done = 0
        comparison.save()
        return comparison


def _finish(comparison: Comparison, *, document: dict[str, Any] | None = None, error: str = "") -> bool:
    """End a comparison, if this attempt is still the newest."""
    state = Comparison.State.FAILED if error else Comparison.State.DONE
    mine = Comparison.objects.filter(pk=comparison.pk, attempt=comparison.attempt, state=Comparison.State.RUNNING)
    return bool(mine.update(state=state, document=document, error=error, finished_at=timezone.now()))


def give_up(comparison_id: int, says: str) -> None:
    """End a comparison in which this application itself failed, so that nobody waits for it."""
    active = Comparison.objects.filter(pk=comparison_id, state=Comparison.State.RUNNING)
    active.update(state=Comparison.State.FAILED, error=says, finished_at=timezone.now())


def cancel(comparison: Comparison, *, by: Any) -> None:
    """Stop a comparison that waits or runs; its worker sees it within a second."""
    active = (Comparison.State.QUEUED, Comparison.State.RUNNING)
    if Comparison.objects.filter(pk=comparison.pk, state__in=active).update(state=Comparison.State.CANCELLED):
        record("comparison.cancelled", comparison, f"Cancelled {comparison}", by=by)


def take_up_stalled(comparison_ids: list[int]) -> int:
    """Queue comparisons again whose worker died; give up on one that killed too many. Return how many were queued."""
    from brisk_web.masters.tasks import compare_task

    queued = 0
    for comparison in Comparison.objects.filter(pk__in=comparison_ids, state=Comparison.State.RUNNING):
        if comparison.attempt >= MOST_ATTEMPTS:
            give_up(comparison.pk, f"the worker died {comparison.attempt} times while comparing")
            continue
        compare_task.defer(comparison_id=comparison.pk)
        queued += 1
    return queued
