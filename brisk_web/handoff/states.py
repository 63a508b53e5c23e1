"""Where a deliverable stands: one state, computed from records by the database, and never stored."""

from __future__ import annotations

from django.db import models
from django.db.models import F, Q, QuerySet

from brisk_web.handoff.models import Standing
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Deliverable


class State(models.TextChoices):
    """The way of a deliverable, in its order."""

    WAITING = "waiting", "waits for a render"
    READING = "reading", "is being looked at"
    DECIDING = "deciding", "to decide"
    ASKED = "asked", "asked again"
    HALF_SIGNED = "half signed", "signed by one of two"
    SIGNED = "signed", "signed"
    SENDING = "sending", "being handed over"
    WITH_THEM = "with them", "with them"
    TAKEN = "taken", "taken"
    REFUSED = "refused", "refused by them"
    WRONG = "wrong", "shown wrongly"


#: States in which a person of the house has to do something.
NEEDS_A_PERSON = (State.DECIDING, State.HALF_SIGNED, State.SIGNED, State.REFUSED, State.WRONG)


def with_state(deliverables: QuerySet[Deliverable]) -> QuerySet[Deliverable]:
    """Add to each deliverable its ``state`` (of ``State``), ``since`` when, and what its newest attempt is like.

    ``newest_render`` is the key of that attempt, ``verdict`` that of its check, ``reading`` the state of its
    inspection; ``None`` and empty texts without an attempt. The database computes them (``Standing``).
    """
    says = [field.name for field in Standing._meta.fields if not field.primary_key]
    return deliverables.annotate(**{name: F(f"standing__{name}") for name in says})


def needs_a_person() -> Q:
    """Rows of ``with_state`` that wait for somebody of the house."""
    return Q(state__in=NEEDS_A_PERSON)


def failing() -> Q:
    """Rows of ``with_state`` whose newest attempt fails, or cannot be read, and has not been asked for anew."""
    return Q(state=State.DECIDING) & (Q(verdict="fail") | Q(reading=Inspection.State.FAILED))
