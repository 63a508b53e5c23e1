"""What jobs do when something is told of below."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.dispatch import receiver

from brisk_web.checks.events import version_applied
from brisk_web.edits.events import timeline_retimed
from brisk_web.edits.models import Timeline
from brisk_web.edits.services import carried_range
from brisk_web.jobs.models import Deliverable
from brisk_web.shelf.models import SpecVersion


@receiver(version_applied)
def owe_by_version(*, version: SpecVersion, **_: Any) -> None:
    """Owe what is owed by an older version of a spec by this one."""
    older = Deliverable.objects.filter(spec_version__spec=version.spec, spec_version__number__lt=version.number)
    older.update(spec_version=version)


@receiver(timeline_retimed)
def carry_ranges(*, timeline: Timeline, carried: Callable[[int], int], **_: Any) -> None:
    """Give the deliverables of a timeline the numbers that the frames of their ranges have now."""
    for deliverable in Deliverable.objects.filter(timeline=timeline, range_start__isnull=False):
        start, end = carried_range(deliverable.range_start, deliverable.range_end, carried)
        Deliverable.objects.filter(pk=deliverable.pk).update(range_start=start, range_end=end)
