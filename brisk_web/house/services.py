"""Writing of the audit trail."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db.models import Model

from brisk_web.house.models import AuditEntry


def record(verb: str, target: Model, says: str, *, by: User | None = None) -> AuditEntry:
    """Add an entry, inside the transaction of the action itself. ``by`` is the person, ``None`` for the application."""
    return AuditEntry.objects.create(actor=by, verb=verb, target=target_of(target), says=says)


def target_of(target: Model) -> str:
    """Return how the trail names a row: "specversion:12"."""
    return f"{target._meta.model_name}:{target.pk}"
