"""Who calls: a token, its scopes, and the permissions of its owner."""

from __future__ import annotations

from http import HTTPStatus

from django.contrib.auth.models import User
from django.http import HttpRequest
from ninja.security import HttpBearer

from brisk_web.api.problems import Problem
from brisk_web.house.models import Token
from brisk_web.house.tokens import SCOPES, token_of

READ, TAKE_IN, DECIDE, HAND_OVER, ORDER = SCOPES


class ByToken(HttpBearer):
    """A token in the header ``Authorization: Bearer …``."""

    def authenticate(self, request: HttpRequest, token: str) -> Token | None:
        """Return the token, and be its owner for the rest of the call."""
        found = token_of(token)
        if found:
            request.user = found.owner
        return found


def caller(request: HttpRequest, scope: str, *permissions: str) -> User:
    """Return the person in whose name a call is made; raises ``Problem`` where token or person may not do it."""
    token: Token = request.auth  # type: ignore[attr-defined]  # set by ``ByToken``
    if scope not in token.scopes:
        raise Problem(HTTPStatus.FORBIDDEN, f"This token is not for it; it would need the scope {scope}.", scope=scope)
    owner: User = token.owner
    if not owner.has_perms(permissions):
        raise Problem(HTTPStatus.FORBIDDEN, f"{owner.get_username()} may not do this.")
    return owner
