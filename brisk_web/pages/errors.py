"""What a page says when something of the application fails."""

from __future__ import annotations

import sys

from django.contrib.auth.models import User
from django.core.exceptions import PermissionDenied
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse
from django.template.loader import render_to_string
from django.views.defaults import permission_denied

from brisk_web.config.logs import number_of_request
from brisk_web.house.services import record

_AGAIN_S = 3  # after which the page tries again by itself


def not_for_this_role(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """What is not for the role of a person, written to the trail."""
    if isinstance(request.user, User):
        says = f"Was refused {request.method} {request.path[:200]!r}, which is not for this role"
        record("person.refused", request.user, says, by=request.user)
    return permission_denied(request, exception or PermissionDenied())


def server_error(request: HttpRequest) -> HttpResponse:
    """A database that is away is told as such, and the page tries again; anything else is a mistake of ours."""
    if isinstance(sys.exc_info()[1], OperationalError | InterfaceError):
        answer = HttpResponse(render_to_string("503.html", {"again_s": _AGAIN_S}), status=503)
        answer["Retry-After"] = str(_AGAIN_S)
        return answer
    return HttpResponse(render_to_string("500.html", {"number": number_of_request()}), status=500)
