"""What a page says when something of the application fails."""

from __future__ import annotations

import sys

from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse
from django.template.loader import render_to_string

_AGAIN_S = 3  # after which the page tries again by itself


def server_error(request: HttpRequest) -> HttpResponse:
    """A database that is away is told as such, and the page tries again; anything else is a mistake of ours."""
    if isinstance(sys.exc_info()[1], OperationalError | InterfaceError):
        answer = HttpResponse(render_to_string("503.html", {"again_s": _AGAIN_S}), status=503)
        answer["Retry-After"] = str(_AGAIN_S)
        return answer
    return HttpResponse(render_to_string("500.html"), status=500)
