"""The chain over the audit trail: every entry is sealed by a hash over itself and over the seal before it.

Entries are written by many transactions at once and become visible out of order, so they are not chained while they
are written: a sweep seals what it sees, in the order in which it sees it. Seals are only ever added, as entries are.
Whoever changes, removes or slips in an entry that was sealed breaks every seal from there on; whoever removes the end
of the chain is found by a head that was kept elsewhere.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from django.db import connection, transaction

from brisk_web.house.models import AuditEntry, AuditSeal

FIRST = "0" * 64  # stands for the seal before the first one
_BATCH = 1000
_LOCK = 0x42726973  # of PostgreSQL's advisory locks: one seals at a time


@dataclass(frozen=True, slots=True, kw_only=True)
class Break:
    """The first place at which the chain does not hold."""

    number: int  #: of the seal
    says: str


def digest_of(entry: AuditEntry, before: str) -> str:
    """Return the seal of an entry: SHA-256 over its fields as JSON and the seal before it, 64 hexadecimal digits."""
    fields = [entry.pk, entry.at.isoformat(), entry.actor_id, entry.verb, entry.target, entry.says, before]
    return hashlib.sha256(json.dumps(fields, ensure_ascii=False).encode()).hexdigest()


def seal() -> int:
    """Seal the entries that are not sealed yet; return how many. Another process that seals now is left to it."""
    sealed = 0
    while True:
        with transaction.atomic():
            with connection.cursor() as cursor:
                cursor.execute("SELECT pg_try_advisory_xact_lock(%s)", [_LOCK])
                if not cursor.fetchone()[0]:
                    return sealed
            last = AuditSeal.objects.order_by("-number").first()
            number, before = (last.number, last.digest) if last else (0, FIRST)
            waiting = list(AuditEntry.objects.filter(seal=None).order_by("id")[:_BATCH])
            seals = []
            for entry in waiting:
                number, before = number + 1, digest_of(entry, before)
                seals.append(AuditSeal(number=number, entry=entry, digest=before))
            AuditSeal.objects.bulk_create(seals)
            sealed += len(seals)
        if len(waiting) < _BATCH:
            return sealed


def head() -> tuple[int, str]:
    """Return the number and the digest of the last seal; 0 and ``FIRST`` for none."""
    last = AuditSeal.objects.order_by("-number").first()
    return (last.number, last.digest) if last else (0, FIRST)


def verify(*, kept: tuple[int, str] | None = None) -> Break | None:
    """Return the first place at which the chain does not hold, ``None`` if it holds.

    ``kept`` is a head that was kept elsewhere: the chain must still contain it.
    """
    before, expected = FIRST, 1
    found_kept = kept is None or kept == (0, FIRST)
    for one in AuditSeal.objects.order_by("number").select_related("entry").iterator(_BATCH):
        if one.number != expected:
            return Break(number=expected, says=f"seal {expected} is missing; {one.number} comes next")
        if one.digest != digest_of(one.entry, before):
            at = f"{one.entry.at:%Y-%m-%d %H:%M:%S}"
            return Break(number=one.number, says=f"entry {one.entry_id} of {at} is not as it was sealed: {one.entry}")
        found_kept = found_kept or (one.number, one.digest) == kept
        before, expected = one.digest, expected + 1
    if not found_kept and kept is not None:
        return Break(number=kept[0], says=f"seal {kept[0]}, which was kept elsewhere, is not in the chain")
    return None


def rows() -> Iterator[dict[str, Any]]:
    """Yield the sealed entries in the order of the chain, as they are exported."""
    sealed = AuditSeal.objects.order_by("number").select_related("entry__actor")
    for one in sealed.iterator(_BATCH):
        yield {
            "number": one.number,
            "entry": one.entry_id,
            "at": one.entry.at.isoformat(),
            "actor": one.entry.actor_id,
            "actor_name": one.entry.actor.get_username() if one.entry.actor else None,
            "verb": one.entry.verb,
            "target": one.entry.target,
            "says": one.entry.says,
            "seal": one.digest,
        }
