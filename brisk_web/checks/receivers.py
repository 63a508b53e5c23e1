"""What checks do when something is told of below: they are judged by what is known now."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.dispatch import receiver

from brisk_web.captions.events import captions_known
from brisk_web.checks.models import Check
from brisk_web.checks.services import ask_for_all_of, judge, judge_all_of
from brisk_web.edits.events import timeline_changed
from brisk_web.edits.models import Timeline
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
