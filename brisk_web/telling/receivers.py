"""What people are told of, when something is told of below."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.dispatch import receiver
from django.urls import reverse

from brisk_web.checks.events import checks_judged
from brisk_web.decisions.events import signature_voided
from brisk_web.decisions.models import Request, Signature
from brisk_web.handoff.events import answered, not_sent
from brisk_web.handoff.models import HandOff
from brisk_web.house.services import target_of
from brisk_web.jobs.events import assigned
from brisk_web.jobs.models import Deliverable, Render
from brisk_web.telling.models import Notice
from brisk_web.telling.services import tell


@receiver(assigned)
def tell_of_assignment(*, deliverable: Deliverable, by: Any, **_: Any) -> None:
    """Tell somebody that a deliverable is theirs to look after."""
    tell(
        deliverable.assigned_to,
        Notice.Kind.ASSIGNED,
        f"{deliverable} is yours to look after.",
        address=reverse("deliverable", args=[deliverable.pk]),
        about=target_of(deliverable),
        by=by,
    )


@receiver(checks_judged)
def tell_of_answers(*, ids: Sequence[int], **_: Any) -> None:
    """Tell who asked for another render that it has come and was judged."""
    asked_for = Request.objects.filter(taken_back_at=None).values("render__deliverable")
    newer = Render.objects.filter(check_record__in=ids, deliverable__in=asked_for).exclude(check_record__verdict="")
    for render in newer.select_related("deliverable__job", "media_file__inspection", "check_record"):
        inspection = render.media_file.inspection
        if inspection is None or inspection.is_active:
            continue  # its whole verdict is still to come
        before = Request.objects.filter(render__deliverable=render.deliverable, render__attempt__lt=render.attempt)
        asked = before.filter(taken_back_at=None).select_related("made_by").first()
        if asked and not Notice.objects.filter(kind=Notice.Kind.ANSWERED, about=target_of(render)).exists():
            tell(
                asked.made_by,
                Notice.Kind.ANSWERED,
                f"Attempt {render.attempt} at {render.deliverable} is here and judged.",
                address=reverse("request", args=[asked.pk]),
                about=target_of(render),
            )


@receiver(signature_voided)
def tell_of_voiding(*, signature: Signature, **_: Any) -> None:
    """Tell who signed that the signature is void."""
    deliverable = signature.render.deliverable
    tell(
        signature.made_by,
        Notice.Kind.VOIDED,
        f"Your signature under {deliverable} is void: {signature.voided_why}.",
        address=reverse("deliverable", args=[deliverable.pk]),
        about=target_of(signature),
    )


@receiver(answered)
def tell_of_answer(*, handoff: HandOff, **_: Any) -> None:
    """Tell who handed over, and who looks after it, what the other side says."""
    kind = Notice.Kind.TAKEN if handoff.answer == HandOff.Answer.TAKEN else Notice.Kind.REFUSED
    _tell_both(handoff, kind, f"{handoff}: {handoff.in_words}. {handoff.answer_says}")


@receiver(not_sent)
def tell_of_failure(*, handoff: HandOff, **_: Any) -> None:
    """Tell who handed over, and who looks after it, that it could not be sent."""
    _tell_both(handoff, Notice.Kind.NOT_SENT, f"{handoff} could not be sent: {handoff.error}")


def _tell_both(handoff: HandOff, kind: Notice.Kind, says: str) -> None:
    for person in {handoff.made_by, handoff.render.deliverable.assigned_to} - {None}:
        tell(person, kind, says, address=reverse("hand-off", args=[handoff.pk]), about=target_of(handoff))
