"""Writing of the audit trail, and putting things out of use."""

from __future__ import annotations

from collections.abc import Sequence

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Model
from django.utils import timezone

from brisk_web.house.models import AuditEntry, Decision, Defaults, Retirable


class DecisionRefused(Exception):
    """A decision that cannot be made or taken back, with a sentence."""


def record(verb: str, target: Model, says: str, *, by: User | None = None) -> AuditEntry:
    """Add an entry, inside the transaction of the action itself. ``by`` is the person, ``None`` for the application."""
    return AuditEntry.objects.create(actor=by, verb=verb, target=target_of(target), says=says)


def defaults() -> Defaults:
    """Return what new things of the house begin with; nothing is said where nobody has said anything yet."""
    return Defaults.objects.first() or Defaults()


@transaction.atomic
def keep_defaults(row: Defaults, changed: Sequence[str], *, by: User | None) -> None:
    """Keep what new things begin with from now on; ``changed`` are the labels of what is different."""
    row.pk = 1
    row.save()
    record("house.defaults-changed", row, f"Changed what new things begin with: {', '.join(changed)}", by=by)


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


@transaction.atomic
def take_back(row: Decision, why: str, *, lead: bool, by: User) -> None:
    """Take a decision back; it stays on record. ``lead``: may this person take back what others decided?

    Raises ``DecisionRefused`` without a reason, for what was taken back already, and for what others decided.
    """
    if not why.strip():
        raise DecisionRefused("Say why it is taken back.")
    if row.made_by_id != by.pk and not lead:
        raise DecisionRefused(f"Only {name_of(row.made_by)} or a lead can take this back.")
    mine = type(row)._default_manager.filter(pk=row.pk, taken_back_at=None)
    if not mine.update(taken_back_at=timezone.now(), taken_back_by=by, taken_back_why=why.strip()):
        raise DecisionRefused("It was taken back already.")
    row.refresh_from_db()
    record(f"{row._meta.model_name}.taken-back", row, f"Took back {row}: {why.strip()}", by=by)


def name_of(person: User) -> str:
    """Return how a person is called on pages and in records."""
    return person.get_full_name() or person.get_username()


def target_of(target: Model) -> str:
    """Return how the trail names a row: "specversion:12"."""
    return f"{target._meta.model_name}:{target.pk}"
