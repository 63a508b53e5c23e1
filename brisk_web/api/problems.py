"""What went wrong, as RFC 9457 has it: ``application/problem+json`` with the sentence that a page would show."""

from __future__ import annotations

import json
from http import HTTPStatus
from typing import Any

from django.http import HttpResponse

TYPE = "application/problem+json"


class Problem(Exception):
    """An answer that is no success."""

    def __init__(self, status: int, detail: str, **more: Any) -> None:
        super().__init__(detail)
        self.status, self.detail, self.more = status, detail, more


def problem(status: int, detail: str, **more: Any) -> HttpResponse:
    """Return the answer; ``detail`` is a sentence, ``more`` stands beside it."""
    body = {"type": "about:blank", "title": HTTPStatus(status).phrase, "status": status, "detail": detail, **more}
    answer = HttpResponse(json.dumps(body, ensure_ascii=False), content_type=TYPE, status=status)
    if status == HTTPStatus.UNAUTHORIZED:
        answer["WWW-Authenticate"] = "Bearer"
    return answer
