"""What is written to the trail of people coming and going, and of acts in the administration."""

from __future__ import annotations

from typing import Any

from axes.helpers import get_client_ip_address
from django.contrib.admin.models import ADDITION, CHANGE, DELETION, LogEntry
from django.contrib.auth import get_user_model
from django.contrib.auth.models import User
from django.contrib.auth.signals import user_logged_in, user_logged_out, user_login_failed
from django.db.models.signals import post_save
from django.dispatch import receiver
from django.http import HttpRequest

from brisk_web.house.models import AuditEntry
from brisk_web.house.services import record

_DONE = {ADDITION: "Added", CHANGE: "Changed", DELETION: "Deleted"}
_LONGEST_NAME = 60


def _from(request: HttpRequest | None) -> str:
    return f" from {get_client_ip_address(request)}" if request is not None else ""


def _plain(text: object) -> str:
    return "".join(sign if sign.isprintable() else " " for sign in str(text)[:_LONGEST_NAME])


@receiver(user_logged_in, dispatch_uid="trail-signed-in")
def write_signed_in(sender: object, request: HttpRequest | None, user: User, **_: Any) -> None:
    """A person has signed in."""
    record("person.signed-in", user, f"Signed in{_from(request)}", by=user)


@receiver(user_logged_out, dispatch_uid="trail-signed-out")
def write_signed_out(sender: object, request: HttpRequest | None, user: User | None, **_: Any) -> None:
    """A person has signed out, or their session has ended."""
    if user is not None:
        record("person.signed-out", user, f"Signed out{_from(request)}", by=user)


@receiver(user_login_failed, dispatch_uid="trail-refused")
def write_refused(sender: object, credentials: dict[str, Any], request: HttpRequest | None = None, **_: Any) -> None:
    """Somebody was not let in; how many of them there can be is bounded by the throttles."""
    name = _plain(credentials.get("username", ""))
    known = get_user_model().objects.filter(username=credentials.get("username", "")).first()
    target = f"user:{known.pk}" if known else "user:unknown"
    AuditEntry.objects.create(verb="person.refused", target=target, says=f"Refused to sign in {name!r}{_from(request)}")


@receiver(post_save, sender=LogEntry, dispatch_uid="trail-admin")
def write_admin(sender: object, instance: LogEntry, created: bool, **_: Any) -> None:
    """Something was done in the administration."""
    if created:
        kind = instance.content_type.model if instance.content_type else "row"
        done = _DONE.get(instance.action_flag, "Touched")
        AuditEntry.objects.create(
            actor_id=instance.user_id,
            verb="admin.acted",
            target=f"{kind}:{instance.object_id}",
            says=f"{done} {kind} {_plain(instance.object_repr)} in the administration",
        )
