"""What decisions do when something is told of below: a signature that no longer stands for what is there is void."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.dispatch import receiver

from brisk_web.checks.events import checks_judged
from brisk_web.decisions.services import end_waivers, void_what_changed
from brisk_web.jobs.models import Render
from brisk_web.work.sweep import mender


@receiver(checks_judged)
def void_by_judging(*, ids: Sequence[int], **_: Any) -> None:
    """Hold the signatures under renders whose checks were judged against what is known now."""
    void_what_changed(Render.objects.filter(check_record__in=ids, signatures__isnull=False).distinct())


mender(end_waivers)
