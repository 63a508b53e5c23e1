"""What hand-offs do when something is told of below: copies that were waited for are judged."""

from __future__ import annotations

from typing import Any

from django.dispatch import receiver

from brisk_web.handoff.looking import ask_for_look
from brisk_web.handoff.models import HandOff
from brisk_web.inspections.events import facts_known
from brisk_web.inspections.models import Inspection
from brisk_web.masters.events import comparison_ended
from brisk_web.masters.models import Comparison


@receiver(facts_known)
def look_by_facts(*, inspection: Inspection, **_: Any) -> None:
    """Look again where a copy has been inspected."""
    if not inspection.is_active:
        _look_at(inspection)


@receiver(comparison_ended)
def look_by_comparison(*, comparison: Comparison, **_: Any) -> None:
    """Look again where a copy has been held against what was signed."""
    _look_at(comparison.inspection)


def _look_at(inspection: Inspection) -> None:
    waiting = HandOff.objects.filter(answer="", copies__media_file__inspection=inspection, copies__outcome="")
    for handoff in waiting.distinct():
        ask_for_look(handoff)
