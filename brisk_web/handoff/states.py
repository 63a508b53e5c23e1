"""Where a deliverable stands: one state, computed from records by the database, and never stored."""

from __future__ import annotations

from django.db import models
from django.db.models import Case, Count, Exists, F, IntegerField, OuterRef, Q, QuerySet, Subquery, Value, When
from django.db.models.functions import Coalesce

from brisk_web.decisions.models import Request, Signature, standing
from brisk_web.handoff.models import HandOff
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Deliverable, Render

_ACTIVE = (Inspection.State.QUEUED, Inspection.State.RUNNING)


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


_AWAY = (State.SENDING, State.WITH_THEM, State.TAKEN, State.REFUSED, State.WRONG)
#: States in which a person of the house has to do something.
NEEDS_A_PERSON = (State.DECIDING, State.HALF_SIGNED, State.SIGNED, State.REFUSED, State.WRONG)


def with_state(deliverables: QuerySet[Deliverable]) -> QuerySet[Deliverable]:
    """Add to each deliverable its ``state`` (of ``State``), ``since`` when, and what its newest attempt is like.

    ``newest_render`` is the key of that attempt, ``verdict`` that of its check, ``reading`` the state of its
    inspection; each is ``None`` without an attempt.
    """
    newest = Render.objects.filter(deliverable=OuterRef("pk")).order_by("-attempt")
    asked = Request.objects.filter(render=OuterRef("newest_render"), taken_back_at=None).order_by("-made_at")
    signed = standing(Signature.objects.filter(render=OuterRef("newest_render")))
    sent = HandOff.objects.filter(render=OuterRef("newest_render")).exclude(state=HandOff.State.CANCELLED)
    sent = sent.order_by("-pk")
    signers = signed.order_by().values("render").annotate(count=Count("made_by", distinct=True)).values("count")
    return (
        deliverables.annotate(
            newest_render=Subquery(newest.values("pk")[:1]),
            verdict=Subquery(newest.values("check_record__verdict")[:1]),
            reading=Subquery(newest.values("media_file__inspection__state")[:1]),
            taken_in=Subquery(newest.values("taken_in_at")[:1]),
            judged=Subquery(newest.values("check_record__judged_at")[:1]),
        )
        .annotate(
            asked=Exists(asked),
            asked_at=Subquery(asked.values("made_at")[:1]),
            signers=Coalesce(Subquery(signers, output_field=IntegerField()), 0),
            signed_at=Subquery(signed.order_by("-made_at").values("made_at")[:1]),
            sending=Subquery(sent.values("state")[:1]),
            answer=Subquery(sent.values("answer")[:1]),
            sent_at=Subquery(sent.annotate(at=Coalesce("answered_at", "finished_at", "created_at")).values("at")[:1]),
        )
        .annotate(
            state=Case(
                When(newest_render=None, then=Value(State.WAITING)),
                When(answer="taken", then=Value(State.TAKEN)),
                When(answer="refused", asked=False, then=Value(State.REFUSED)),
                When(answer="wrong", asked=False, then=Value(State.WRONG)),
                When(sending=HandOff.State.DONE, asked=False, then=Value(State.WITH_THEM)),
                When(sending__isnull=False, asked=False, then=Value(State.SENDING)),
                When(signers__gte=2, then=Value(State.SIGNED)),
                When(signers=1, two_sign=False, then=Value(State.SIGNED)),
                When(asked=True, then=Value(State.ASKED)),
                When(signers=1, then=Value(State.HALF_SIGNED)),
                When(reading__in=_ACTIVE, then=Value(State.READING)),
                default=Value(State.DECIDING),
                output_field=models.CharField(),
            ),
        )
        .annotate(
            since=Case(
                When(state__in=_AWAY, then=F("sent_at")),
                When(state__in=(State.SIGNED, State.HALF_SIGNED), then=F("signed_at")),
                When(state=State.ASKED, then=F("asked_at")),
                When(state=State.DECIDING, then=Coalesce(F("judged"), F("taken_in"))),
                When(state=State.READING, then=F("taken_in")),
                default=None,
                output_field=models.DateTimeField(null=True),
            )
        )
    )


def needs_a_person() -> Q:
    """Rows of ``with_state`` that wait for somebody of the house."""
    return Q(state__in=NEEDS_A_PERSON)


def failing() -> Q:
    """Rows of ``with_state`` whose newest attempt fails, or cannot be read, and has not been asked for anew."""
    return Q(state=State.DECIDING) & (Q(verdict="fail") | Q(reading=Inspection.State.FAILED))
