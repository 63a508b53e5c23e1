"""Tokens of other programs: made, shown once, held against what is sent, ended."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Sequence
from datetime import timedelta

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from brisk_web.house.models import Token, in_use
from brisk_web.house.services import record

#: What a token can be allowed, with its words; each allows no more than its owner may.
SCOPES = {
    "read": "read jobs, files, checks, specs and hand-offs, work plans out",
    "take-in": "open jobs, register files and captions, take them in and have them checked",
    "decide": "ask again, waive, watch, comment, sign and take back",
    "hand-over": "hand over, pause, go on, cancel, look again",
    "order": "publish specs, add deliverables to jobs, import timelines, keep plans",
}
MOST_DAYS = 366
_PREFIX = "brisk-"
_SEEN = timedelta(minutes=1)  # between two notes that a token is used


@transaction.atomic
def make_token(owner: User, name: str, scopes: Sequence[str], days: int) -> tuple[Token, str]:
    """Make a token for a person; return it with its text, which is kept nowhere."""
    text = _PREFIX + secrets.token_urlsafe(32)
    token = Token.objects.create(
        owner=owner,
        name=name,
        digest=_digest(text),
        scopes=[scope for scope in SCOPES if scope in scopes],
        expires_at=timezone.now() + timedelta(days=days),
    )
    record("token.made", token, f"Made the token {name} for {', '.join(token.scopes)}, {days} days", by=owner)
    return token, text


def token_of(text: str) -> Token | None:
    """Return the token that a text is, while it counts: in use, not expired, its owner can sign in."""
    found = in_use(Token.objects.filter(digest=_digest(text), owner__is_active=True, expires_at__gt=timezone.now()))
    token = found.select_related("owner").first()
    if token and (token.used_at is None or timezone.now() - token.used_at > _SEEN):
        Token.objects.filter(pk=token.pk).update(used_at=timezone.now())
    return token


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()
