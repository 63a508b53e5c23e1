"""Where a person is signed in: seen, and ended."""

from __future__ import annotations

import hashlib
import re
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from django.contrib.auth import SESSION_KEY
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.db import transaction
from django.utils import timezone

from brisk_web.accounts.signing_in import SEEN, SIGNED_IN_FROM
from brisk_web.house.services import record

#: Parts of what a browser says of itself, the first that is met tells; none of them names a person.
_BROWSERS = (
    ("Edg", "Edge"),
    ("OPR", "Opera"),
    ("Firefox", "Firefox"),
    ("Chrom", "Chrome"),
    ("Safari", "Safari"),
)
_SYSTEMS = (
    ("iPhone", "iPhone"),
    ("iPad", "iPad"),
    ("Android", "Android"),
    ("Windows", "Windows"),
    ("Mac OS", "macOS"),
    ("Linux", "Linux"),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class SignedIn:
    """A session of a person."""

    name: str  #: by which it is ended; the key itself is shown to nobody
    device: str  #: such as "Firefox on Linux"; empty where it is not known
    address: str  #: that it was begun from; empty where it is not known
    since: datetime | None  #: when it was begun
    seen: datetime | None  #: when its person acted last
    is_this: bool  #: is it the one that asks?


def sessions_of(person: User, this: str | None = None) -> list[SignedIn]:
    """Return where a person is signed in, the one that acted last first; ``this`` is the key of the asking session."""
    found = []
    for key, told in _open_sessions(person):
        begun = told.get(SIGNED_IN_FROM) or {}
        found.append(
            SignedIn(
                name=name_of_session(key),
                device=device_in_words(str(begun.get("agent", ""))),
                address=str(begun.get("address", "")),
                since=_moment(begun.get("at")),
                seen=_moment(told.get(SEEN)),
                is_this=key == this,
            )
        )
    return sorted(found, key=lambda one: (not one.is_this, -(one.seen.timestamp() if one.seen else 0)))


@transaction.atomic
def end_session(person: User, name: str) -> bool:
    """End one of a person's own sessions; return whether there was one of that name."""
    keys = [key for key, _ in _open_sessions(person) if name_of_session(key) == name]
    if not Session.objects.filter(pk__in=keys).delete()[0]:
        return False
    record("person.session-ended", person, "Ended a session of their own", by=person)
    return True


@transaction.atomic
def end_other_sessions(person: User, this: str | None) -> int:
    """End all of a person's sessions but one; return how many."""
    keys = [key for key, _ in _open_sessions(person) if key != this]
    ended = Session.objects.filter(pk__in=keys).delete()[0]
    if ended:
        record("person.session-ended", person, f"Ended {ended} other sessions of their own", by=person)
    return ended


def end_every_session(person: User) -> int:
    """End wherever a person is signed in; return how many sessions there were."""
    return Session.objects.filter(pk__in=[key for key, _ in _open_sessions(person)]).delete()[0]


def name_of_session(key: str) -> str:
    """Return a name for a session that does not give its key away."""
    return hashlib.sha256(f"brisk session {key}".encode()).hexdigest()[:16]


def device_in_words(agent: str) -> str:
    """Return browser and system of what a browser says of itself, its first words where neither is known."""
    browser, system = (next((words for part, words in table if part in agent), "") for table in (_BROWSERS, _SYSTEMS))
    if browser and system:
        return f"{browser} on {system}"
    return browser or system or re.sub(r"[^\w .,/()-]", "", agent)[:40]


def _open_sessions(person: User) -> list[tuple[str, dict[str, Any]]]:
    now = timezone.now()
    told = ((one.pk, one.get_decoded()) for one in Session.objects.filter(expire_date__gt=now))
    return [(key, data) for key, data in told if data.get(SESSION_KEY) == str(person.pk)]


def _moment(seconds: object) -> datetime | None:
    return datetime.fromtimestamp(seconds, UTC) if isinstance(seconds, int | float) else None
