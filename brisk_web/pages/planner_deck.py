"""The Planner: which clips a playout deck shows. The whole plan stands in the address."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.views.decorators.http import require_GET

from brisk_web.pages.planning import SCANS, Page, as_json, chosen_files, kept_plans, offered_files, show
from brisk_web.planner.models import Plan
from brisk_web.ui.asking import words

_FIELDS = (
    "size", "rate", "scan", "codecs", "sound", "alpha", "switcher_rate", "counts_fields", "name_length", "name_signs",
    "card",
)  # fmt: skip


_CHOICES = {
    "scan": SCANS,
    "sound": (("any", "either way"), ("there", "must be there"), ("forbidden", "must not be there")),
    "alpha": (("any", "either way"), ("needed", "is needed"), ("none", "is not used")),
    "counts_fields": (("no", "frames"), ("yes", "fields of interlaced clips")),
}


def _asked(form: QueryDict) -> dict[str, Any] | None:
    media = chosen_files(form)
    return {name: words(form, name) for name in _FIELDS if words(form, name)} | {"media": media} if media else None


PAGE = Page(kind=Plan.Kind.DECK, address="planner-deck", template="planner/deck.html", asks=_asked)


@require_GET
def deck(request: HttpRequest) -> HttpResponse:
    """Which clips a deck shows, and what those that vanish need."""
    offered = offered_files(request.GET)
    context: dict[str, Any] = {
        "values": {name: words(request.GET, name) for name in _FIELDS},
        "choices": _CHOICES,
        "offered": offered,
        "by_name": {file.name: file for file, ticked in offered if ticked},
        "plans": kept_plans(Plan.Kind.DECK),
    }
    return show(request, PAGE, context)


@require_GET
def deck_json(request: HttpRequest) -> JsonResponse:
    """The answer as JSON of schema ``brisk-sentry/plan-deck/1``."""
    return as_json(request, PAGE)
