"""The Planner: what each codec would weigh. The whole plan stands in the address."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.views.decorators.http import require_GET

from brisk_web.pages.planner import WRAPPER_WORDS
from brisk_web.pages.planning import SCANS, Page, as_json, kept_plans, show
from brisk_web.planner.models import Plan
from brisk_web.ui.asking import words

_FIELDS = ("size", "rate", "scan", "length", "wrapper", "free")
_AT_FIRST = {"size": "1920x1080", "rate": "25", "scan": "progressive", "wrapper": "mov", "sounds": "pcm 24 bit"}


def _asked(form: QueryDict) -> dict[str, Any] | None:
    if "length" not in form:
        return None
    asked: dict[str, Any] = {name: words(form, name) for name in _FIELDS if words(form, name)}
    return asked | {"sounds": [one.strip() for one in words(form, "sounds").split(",") if one.strip()]}


PAGE = Page(kind=Plan.Kind.SIZES, address="planner-sizes", template="planner/sizes.html", asks=_asked)


@require_GET
def sizes(request: HttpRequest) -> HttpResponse:
    """What each codec would weigh."""
    names = (*_FIELDS, "sounds")
    context: dict[str, Any] = {
        "values": _AT_FIRST | {name: words(request.GET, name) for name in names if name in request.GET},
        "choices": {"scan": SCANS, "wrapper": list(WRAPPER_WORDS.items())},
        "plans": kept_plans(Plan.Kind.SIZES),
    }
    return show(request, PAGE, context)


@require_GET
def sizes_json(request: HttpRequest) -> JsonResponse:
    """The answer as JSON of schema ``brisk-sentry/plan-sizes/1``."""
    return as_json(request, PAGE)
