"""Verbs of telling: tell a person something, mark what was read, keep how somebody wants to be told, comment."""

from __future__ import annotations

import logging
import re
from collections.abc import Mapping
from datetime import datetime, time, timedelta
from smtplib import SMTPException
from zoneinfo import ZoneInfo

from django.conf import settings
from django.contrib.auth.models import User
from django.core.mail import send_mail
from django.db import transaction
from django.urls import reverse
from django.utils import timezone

from brisk_core.facts import keys
from brisk_web.accounts.zones import zone_name_of
from brisk_web.checks.models import Check
from brisk_web.house.services import DecisionRefused, name_of, record, target_of
from brisk_web.telling.models import Comment, Letter, Notice, Quiet, Wish
from brisk_web.work.sweep import mender

log = logging.getLogger(__name__)

_LONGEST_COMMENT = 4000
_MOST_FRAMES = 100_000_000
_NAMED = re.compile(r"(?<![\w@])@([\w.+-]{1,150})")


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
        until = quiet_until(person, timezone.now())
        if until is not None:
            Letter.objects.create(person=person, says=says, not_before=until)
        else:
            transaction.on_commit(lambda: _mail(person.email, says), robust=True)


def quiet_until(person: User, now: datetime) -> datetime | None:
    """Return when a person's quiet hours end that it is in now; ``None`` where they are not quiet."""
    quiet = Quiet.objects.filter(person=person).first()
    if quiet is None or quiet.begins == quiet.ends:
        return None
    local = now.astimezone(ZoneInfo(zone_name_of(person)))
    clock = local.time()
    over_midnight = quiet.begins > quiet.ends
    began, goes_on = clock >= quiet.begins, clock < quiet.ends
    if not ((began or goes_on) if over_midnight else (began and goes_on)):
        return None
    day = local.date() + timedelta(days=over_midnight and clock >= quiet.begins)
    return datetime.combine(day, quiet.ends, tzinfo=local.tzinfo)


@mender
def send_letters() -> int:
    """Send the mails whose quiet hours are over; return how many."""
    sent = 0
    while True:
        with transaction.atomic():
            waiting = Letter.objects.filter(not_before__lte=timezone.now()).select_for_update(skip_locked=True)
            letter = waiting.select_related("person").order_by("pk").first()
            if letter is None:
                return sent
            letter.delete()
        _mail(letter.person.email, letter.says)
        sent += 1


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
def comment(check: Check, words: str, *, line: str = "", frame: int | None = None, by: User) -> Comment:
    """Say something of a check, of one of its lines or of a frame, and tell whom it names by ``@``.

    Raises ``DecisionRefused`` without words, for a line that the check has not, and for a frame behind its end.
    """
    words = words.strip()
    if not words:
        raise DecisionRefused("Say something.")
    if len(words) > _LONGEST_COMMENT:
        raise DecisionRefused(f"met {len(words):,} letters; expected at most {_LONGEST_COMMENT:,}")
    if line and not check.findings.filter(line=line).exists():
        raise DecisionRefused(f"The check has no line {line[:40]!r}.")
    frames = _frames_of(check)
    if frame is not None and (frame < 0 or (frames is not None and frame >= frames) or frame > _MOST_FRAMES):
        last = f"0 to {frames - 1}" if frames else "the frames of the file"
        raise DecisionRefused(f"met frame {frame}; expected one of {last}")
    made = Comment.objects.create(check_record=check, line=line, frame=frame, words=words, made_by=by)
    record("comment.made", made, f"Commented on {check}: {words}", by=by)
    before = f"{name_of(by)} names you beside {check.media_file.name}: "
    for person in named_in(words):
        tell(
            person,
            Notice.Kind.NAMED,
            before + words,
            address=f"{reverse('comments', args=[check.pk])}#comment-{made.pk}",
            about=target_of(made),
            by=by,
        )
    return made


def _frames_of(check: Check) -> int | None:
    inspection = check.media_file.inspection
    facts = inspection.facts if inspection else None
    return facts[keys.PICTURE_FRAME_COUNT] if facts else None


def named_in(words: str) -> list[User]:
    """Return the people whom a text names by ``@`` and the name that they sign in with."""
    names = {name.rstrip(".") for name in _NAMED.findall(words)}
    return list(User.objects.filter(username__in=names, is_active=True).order_by("username"))


@transaction.atomic
def keep_quiet(person: User, begins: time | None, ends: time | None) -> None:
    """Keep a person's quiet hours; none where either is missing."""
    if begins is None or ends is None:
        Quiet.objects.filter(person=person).delete()
    else:
        Quiet.objects.update_or_create(person=person, defaults={"begins": begins, "ends": ends})


@transaction.atomic
def keep_wishes(person: User, wishes: Mapping[str, tuple[bool, bool]]) -> None:
    """Keep how a person wants to be told of each kind: in the house, by mail."""
    for kind, (in_house, by_mail) in wishes.items():
        Wish.objects.update_or_create(person=person, kind=kind, defaults={"in_house": in_house, "by_mail": by_mail})
