"""What every page's shell needs of notices."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.http import HttpRequest
from django.utils.functional import SimpleLazyObject

from brisk_web.telling.models import Notice


def unread(request: HttpRequest) -> dict[str, Any]:
    """Return how many notices the person has not read, counted when it is shown."""
    return {"unread_notices": SimpleLazyObject(lambda: unread_of(request.user))}


def unread_of(person: object) -> int:
    """Return how many notices a person has not read; none for nobody."""
    return Notice.objects.filter(person=person, read_at=None).count() if isinstance(person, User) else 0
