"""Who asks: the person behind a request."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.core.exceptions import PermissionDenied
from django.db.models import QuerySet
from django.http import HttpRequest


def signed_in(request: HttpRequest) -> User:
    """Return the person who is signed in; raises ``PermissionDenied`` when nobody is."""
    if not isinstance(request.user, User):
        raise PermissionDenied
    return request.user


def people_here() -> QuerySet[User]:
    """Return the people who can sign in, by name."""
    return User.objects.filter(is_active=True).order_by("first_name", "username")
