"""What people are told because a date comes near: what they look after is due, a spec is to be reviewed."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.contrib.auth.models import User
from django.db.models import Q
from django.urls import reverse
from django.utils import timezone

from brisk_web.handoff.states import State, with_state
from brisk_web.house.models import in_use
from brisk_web.house.services import target_of
from brisk_web.jobs.models import Deliverable
from brisk_web.shelf.models import newest_by_due
from brisk_web.telling.models import Notice
from brisk_web.telling.services import tell
from brisk_web.work.sweep import mender

_BEFORE = timedelta(days=1)
_SETTLED = (State.TAKEN, State.WITH_THEM, State.SENDING)


@mender
def tell_of_due() -> int:
    """Tell who looks after something, once for each date, that it is due within a day; return how many were told."""
    now = timezone.now()
    near = in_use(Deliverable.objects.filter(due_at__gt=now, due_at__lte=now + _BEFORE, job__retired_at=None))
    near = near.exclude(assigned_to=None).select_related("job", "assigned_to")
    told = 0
    open_ones: Any = with_state(near).filter(~Q(state__in=_SETTLED))
    for deliverable in open_ones:
        about = f"{target_of(deliverable)}@{deliverable.due_at:%Y%m%d%H%M}"
        says = f"{deliverable} is due at {timezone.localtime(deliverable.due_at):%H:%M on %d %b}."
        address = reverse("deliverable", args=[deliverable.pk])
        told += _tell_once(deliverable.assigned_to, Notice.Kind.DUE, says, address, about)
    return told


@mender
def tell_of_reviews() -> int:
    """Tell the leads, once for each date, that a spec is due for review; return how many were told."""
    due: list[Any] = list(newest_by_due(timezone.localdate()))
    if not due:
        return 0
    allowed = Q(groups__permissions__codename="add_specversion", groups__permissions__content_type__app_label="shelf")
    leads = list(User.objects.filter(allowed, is_active=True).distinct())
    told = 0
    for version in due:
        about = f"{target_of(version)}@{version.due:%Y%m%d}"
        says = f"{version} was to be reviewed by {version.due:%d %b %Y}."
        address = reverse("spec", args=[version.spec.slug])
        told += sum(_tell_once(lead, Notice.Kind.REVIEW, says, address, about) for lead in leads)
    return told


def _tell_once(person: User | None, kind: Notice.Kind, says: str, address: str, about: str) -> bool:
    if person is None or Notice.objects.filter(person=person, kind=kind, about=about).exists():
        return False
    tell(person, kind, says, address=address, about=about)
    return True
