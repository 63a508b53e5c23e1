"""Verbs of telling: tell a person something, mark what was read, keep how somebody wants to be told."""

from __future__ import annotations

import logging
from collections.abc import Mapping
from smtplib import SMTPException

from django.conf import settings
from django.contrib.auth.models import User
from django.core.mail import send_mail
from django.db import transaction
from django.utils import timezone

from brisk_web.telling.models import Notice, Wish

log = logging.getLogger(__name__)


@transaction.atomic
def tell(
    person: User | None, kind: Notice.Kind, says: str, *, address: str, about: str, by: User | None = None
) -> None:
    """Tell a person something, once while it is unread; nobody is told of what they did themselves (``by``)."""
    if person is None or person == by or not person.is_active:
        return
    wish = Wish.objects.filter(person=person, kind=kind).first()
    if wish is None or wish.in_house:
        told = {"says": says, "address": address, "at": timezone.now()}
        Notice.objects.update_or_create(person=person, kind=kind, about=about, read_at=None, defaults=told)
    if wish is not None and wish.by_mail and person.email:
        transaction.on_commit(lambda: _mail(person.email, says), robust=True)


def _mail(address: str, says: str) -> None:
    try:
        send_mail(f"Brisk Sentry: {says.splitlines()[0][:120]}", says, settings.DEFAULT_FROM_EMAIL, [address])
    except (OSError, SMTPException):
        log.exception("a notice could not be sent to %s", address)


def mark_read(person: User, *, only: int | None = None) -> int:
    """Mark a person's notices as read, or one of them; return how many were."""
    unread = Notice.objects.filter(person=person, read_at=None)
    if only is not None:
        unread = unread.filter(pk=only)
    return unread.update(read_at=timezone.now())


@transaction.atomic
def keep_wishes(person: User, wishes: Mapping[str, tuple[bool, bool]]) -> None:
    """Keep how a person wants to be told of each kind: in the house, by mail."""
    for kind, (in_house, by_mail) in wishes.items():
        Wish.objects.update_or_create(person=person, kind=kind, defaults={"in_house": in_house, "by_mail": by_mail})
