"""Who asks: the person behind a request."""

from __future__ import annotations

from django.contrib.auth import authenticate
from django.contrib.auth.models import User
from django.core.exceptions import PermissionDenied
from django.db.models import QuerySet
from django.http import HttpRequest


def signed_in(request: HttpRequest) -> User:
    """Return the person who is signed in; raises ``PermissionDenied`` when nobody is."""
    if not isinstance(request.user, User):
        raise PermissionDenied
    return request.user


NOT_YOUR_PASSWORD = "This is not your password."  # noqa: S105 - a sentence


def is_password_of(person: User, sent: str, request: HttpRequest) -> bool:
    """Is this the password of a person? Wrong ones count as those of signing in."""
    return authenticate(request, username=person.get_username(), password=sent) == person


def is_own_password(request: HttpRequest) -> bool:
    """Is the password that a page was sent that of the person who is signed in?"""
    return is_password_of(signed_in(request), request.POST.get("password", ""), request)


def people_here() -> QuerySet[User]:
    """Return the people who can sign in, by name."""
    return User.objects.filter(is_active=True).order_by("first_name", "username")
