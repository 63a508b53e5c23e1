"""What the house writes to its logs: a line of text, or one of JSON, each with the number of its request."""

from __future__ import annotations

import logging
import re
import time
import uuid
from collections.abc import Callable
from contextvars import ContextVar
from typing import Any

from django.http import HttpRequest, HttpResponse
from pythonjsonlogger.core import RESERVED_ATTRS
from pythonjsonlogger.json import JsonFormatter

HEADER = "X-Request-ID"
_NUMBER = re.compile(r"[A-Za-z0-9._-]{8,64}")  # of a request, that a proxy may have given
_current: ContextVar[str] = ContextVar("request", default="")
log = logging.getLogger("brisk_web.requests")


def number_of_request() -> str:
    """Return the number of the request that is answered, empty outside of one."""
    return _current.get()


class OfRequest(logging.Filter):
    """Gives every record the number of the request in which it was made."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Name the request; no record is left out."""
        number = _current.get()
        record.request_id = number
        record.in_request = f" [{number}]" if number else ""
        return True


class AsJson(JsonFormatter):
    """A record as one line of JSON: time in UTC, level, logger, message, request, and what went wrong."""

    def __init__(self) -> None:
        super().__init__(
            "%(levelname)s %(name)s %(message)s %(request_id)s",
            timestamp="time",
            reserved_attrs=[*RESERVED_ATTRS, "request", "in_request"],  # Django puts the request itself beside some
            rename_fields={"levelname": "level", "name": "logger", "request_id": "request", "exc_info": "trace"},
        )


class Requests:
    """Gives each request a number, or keeps the one that a proxy gave; answers with it, and notes how it went.

    What is noted holds no query and no body, as those may hold what nobody else should read.
    """

    def __init__(self, answer: Callable[[HttpRequest], HttpResponse]) -> None:
        self._answer = answer

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer a request."""
        given = request.headers.get(HEADER, "")
        number = given if _NUMBER.fullmatch(given) else uuid.uuid4().hex
        kept, began = _current.set(number), time.monotonic()
        try:
            response = self._answer(request)
            took = round((time.monotonic() - began) * 1000)
            more: dict[str, Any] = {"method": request.method, "status": response.status_code, "milliseconds": took}
            log.info("%s %s: %s in %s ms", request.method, request.path, response.status_code, took, extra=more)
            response[HEADER] = number
            return response
        finally:
            _current.reset(kept)
