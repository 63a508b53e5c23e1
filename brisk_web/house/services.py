"""Writing of the audit trail, and putting things out of use."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Model
from django.utils import timezone

from brisk_web.house.models import AuditEntry, Retirable


def record(verb: str, target: Model, says: str, *, by: User | None = None) -> AuditEntry:
    """Add an entry, inside the transaction of the action itself. ``by`` is the person, ``None`` for the application."""
    return AuditEntry.objects.create(actor=by, verb=verb, target=target_of(target), says=says)


@transaction.atomic
def retire(row: Retirable, *, by: User | None) -> bool:
    """Put a row out of use; return whether it was in use until now."""
    done = type(row)._default_manager.filter(pk=row.pk, retired_at=None).update(retired_at=timezone.now())
    if done:
        record(f"{row._meta.model_name}.retired", row, f"Put {row} out of use", by=by)
    return bool(done)


@transaction.atomic
def bring_back(row: Retirable, *, by: User | None) -> bool:
    """Bring a row back into use; return whether it was out of use until now."""
    done = type(row)._default_manager.filter(pk=row.pk).exclude(retired_at=None).update(retired_at=None)
    if done:
        record(f"{row._meta.model_name}.brought-back", row, f"Brought {row} back into use", by=by)
    return bool(done)


def target_of(target: Model) -> str:
    """Return how the trail names a row: "specversion:12"."""
    return f"{target._meta.model_name}:{target.pk}"
