"""What checks do when something is told of below: they are judged by what is known now."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from django.dispatch import receiver

from brisk_web.captions.events import captions_known
from brisk_web.checks.models import Check
from brisk_web.checks.services import ask_for_all_of, judge, judge_all_of
from brisk_web.edits.events import timeline_changed, timeline_retimed
from brisk_web.edits.models import Timeline
from brisk_web.edits.services import carried_range
from brisk_web.inspections.events import facts_known
from brisk_web.inspections.models import Inspection
from brisk_web.masters.events import comparison_ended
from brisk_web.masters.models import Comparison
from brisk_web.storage.models import MediaFile


@receiver(facts_known)
def judge_by_facts(*, inspection: Inspection, **_: Any) -> None:
    """Judge every check that an inspection speaks for, and ask for the comparisons that are possible now."""
    judge_all_of(inspection)
    ask_for_all_of(inspection)


@receiver(captions_known)
def judge_by_captions(*, media_files: Iterable[MediaFile], **_: Any) -> None:
    """Judge every check of some files."""
    for check in Check.objects.filter(media_file__in=list(media_files)):
        judge(check)


@receiver(timeline_retimed)
def carry_ranges(*, timeline: Timeline, carried: Callable[[int], int], **_: Any) -> None:
    """Give the checks of a timeline the numbers that the frames of their ranges have now."""
    for check in Check.objects.filter(timeline=timeline, range_start__isnull=False):
        check.range_start, check.range_end = carried_range(check.range_start, check.range_end, carried)
        check.save(update_fields=["range_start", "range_end"])


@receiver(timeline_changed)
def judge_by_timeline(*, timeline: Timeline, **_: Any) -> None:
    """Judge the checks that hold files against a timeline."""
    for check in Check.objects.filter(timeline=timeline):
        judge(check)


@receiver(comparison_ended)
def judge_by_comparison(*, comparison: Comparison, **_: Any) -> None:
    """Judge the checks that a comparison speaks for."""
    held = Check.objects.filter(media_file__inspection=comparison.inspection, master__inspection=comparison.master)
    for check in held:
        judge(check)
