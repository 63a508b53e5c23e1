"""Telling other programs of what happens: signed messages by HTTP, sent again until they are answered."""

from __future__ import annotations

import hashlib
import hmac
import json
import random
from datetime import timedelta
from typing import Any

import requests
from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import F, Q
from django.db.models.functions import Now
from django.db.models.signals import post_save
from django.dispatch import receiver
from django.utils import timezone

from brisk_web.handoff.secrets import SecretLost, seal, unseal
from brisk_web.house.models import AuditEntry, in_use
from brisk_web.house.services import record
from brisk_web.telling.models import Hook, Message
from brisk_web.work.kernel import Claim, work
from brisk_web.work.models import Work
from brisk_web.work.tidying import Removal, keeper, rows_to_remove

#: What another program can be told of: verbs of the audit trail, and what they mean.
EVENTS: dict[str, str] = {
    "render.taken-in": "A render was taken in",
    "request.made": "Another render was asked for",
    "waiver.given": "Something was waived",
    "render.signed": "A render was signed",
    "signature.voided": "A signature is void",
    "handoff.sent": "A render was sent and verified",
    "handoff.failed": "A render could not be sent",
    "handoff.taken": "The other side took it",
    "handoff.refused": "The other side refused it",
    "handoff.wrong": "The other side shows something else",
    "deliverable.added": "A deliverable is owed",
    "spec.published": "A spec was published",
    "comment.made": "Somebody commented",
}
TRY = "hook.tried"  # the event of a message that a person sends to try an address
SCHEMA = "brisk-sentry/event/1"
_PAUSES_S = (5, 30, 120, 600, 3600, 3600, 3600, 3600)  # before each try that follows a failure
_TIMEOUT_S = 10
_LONGEST_ANSWER = 300
_KEPT = timedelta(days=30)


@receiver(post_save, sender=AuditEntry)
def tell_hooks(*, instance: AuditEntry, created: bool, **_: Any) -> None:
    """Queue a message for every address that wants to hear of what was just recorded."""
    if created and instance.verb in EVENTS:
        for hook in in_use(Hook.objects.filter(events__contains=[instance.verb])):
            queue(hook, instance.verb, instance.says, instance.target, instance.actor)


@transaction.atomic
def queue(hook: Hook, event: str, says: str, target: str, by: User | None) -> Message:
    """Queue a message."""
    document = {
        "schema": SCHEMA, "event": event, "at": timezone.now().isoformat(), "says": says, "target": target,
        "by": by.get_username() if by else None,
    }  # fmt: skip
    message = Message.objects.create(hook=hook, event=event, document=document)
    send_message.knock(message.pk)
    return message


@transaction.atomic
def keep_hook(hook: Hook, *, secret: str, by: User) -> Hook:
    """Save an address that was filled in; an empty secret leaves the one it has."""
    verb, says = ("added", "Added") if hook.pk is None else ("changed", "Changed")
    if secret:
        hook.secret = seal(secret)
    hook.save()
    record(f"hook.{verb}", hook, f"{says} the address {hook} that is told of what happens", by=by)
    return hook


def signature_of(secret: str, moment: str, body: bytes) -> str:
    """Return the HMAC (RFC 2104, SHA-256) over a moment, a dot and a body, in hexadecimal."""
    return hmac.new(secret.encode(), moment.encode() + b"." + body, hashlib.sha256).hexdigest()


@work(
    "handoff",
    Message,
    doing="telling another program",
    priority=3,
    only_while=Q(not_before=None) | Q(not_before__lte=Now()),
    related=("hook",),
)
def send_message(claim: Claim[Message]) -> None:
    """Send a message; whoever takes it answers with a status of 200 to 299."""
    message = claim.row
    if message.hook.retired_at:
        claim.fail("the address was removed")
        return
    try:
        secret = unseal(message.hook.secret)
    except SecretLost as error:
        claim.fail(str(error))
        return
    body = json.dumps(message.document, ensure_ascii=False, sort_keys=True).encode()
    moment = str(int(timezone.now().timestamp()))
    headers = {"Content-Type": "application/json", "Brisk-Message": str(message.pk), "Brisk-Moment": moment}
    if secret:
        headers["Brisk-Signature"] = f"hmac-sha256 {signature_of(secret, moment, body)}"
    status, says = _post(message.hook.url, body, headers)
    if status is not None and 200 <= status < 300:
        claim.end(status=status, says=says, failures=0)
        return
    if message.failures >= len(_PAUSES_S):
        claim.write(status=status, says=says)
        claim.fail(f"given up after {message.failures + 1} tries")
        return
    pause = _PAUSES_S[message.failures] * random.uniform(0.8, 1.2)  # noqa: S311 - spreads tries
    later = timezone.now() + timedelta(seconds=pause)
    claim.write(
        state=Work.State.QUEUED, queued_at=Now(), tries=0, not_before=later, failures=F("failures") + 1, status=status,
        says=says,
    )  # fmt: skip


def _post(url: str, body: bytes, headers: dict[str, str]) -> tuple[int | None, str]:
    """Return status and beginning of the answer; no status where nobody answered."""
    try:
        answer = requests.post(url, data=body, headers=headers, timeout=_TIMEOUT_S, allow_redirects=False, stream=True)
        with answer:
            content = answer.raw.read(_LONGEST_ANSWER, decode_content=True)
    except requests.Timeout:
        return None, f"no answer within {_TIMEOUT_S} seconds"
    except (requests.RequestException, OSError, ValueError):
        return None, "nobody answers at this address"
    text = content.decode("utf-8", "replace")
    return answer.status_code, "".join(sign if sign.isprintable() else " " for sign in text)


@keeper("Messages to other programs", f"{_KEPT.days} days after they were made, once they have ended")
def remove_messages() -> Removal:
    """Messages that ended long ago."""
    return rows_to_remove(Message.objects.filter(state__in=Work.OVER, created_at__lt=timezone.now() - _KEPT))
