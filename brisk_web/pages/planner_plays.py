"""The Planner: which players play which files, and planned renders. The whole plan stands in the address."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.views.decorators.http import require_GET

from brisk_core.plan.render import MOST_RENDERS
from brisk_web.pages.planning import Page, as_json, chosen_files, kept_plans, offered_files, show
from brisk_web.planner.models import Plan
from brisk_web.planner.services import players
from brisk_web.ui.asking import rows

_OF_RENDER = (
    "name", "wrapper", "codec", "profile", "level", "size", "rate", "scan", "chroma", "bit_depth", "picture_rate",
    "group", "fast_start", "bytes", "sounds",
)  # fmt: skip


def _renders(form: QueryDict) -> list[dict[str, str]]:
    return rows(form, "render", _OF_RENDER, MOST_RENDERS)


def _asked(form: QueryDict) -> dict[str, Any] | None:
    renders = [{name: value for name, value in row.items() if value} for row in _renders(form)]
    media = chosen_files(form)
    return {"renders": renders, "media": media} if renders or media else None


PAGE = Page(kind=Plan.Kind.PLAYS, address="planner-plays", template="planner/plays.html", asks=_asked)


@require_GET
def plays(request: HttpRequest) -> HttpResponse:
    """A matrix of files and planned renders by players."""
    filled = _renders(request.GET)
    offered = offered_files(request.GET)
    context: dict[str, Any] = {
        "rows": [*filled, {}] if len(filled) < MOST_RENDERS else filled,
        "offered": offered,
        "by_name": {file.name: file for file, ticked in offered if ticked},
        "players": {one.spec.slug: one for one in players()},
        "plans": kept_plans(Plan.Kind.PLAYS),
    }
    return show(request, PAGE, context)


@require_GET
def plays_json(request: HttpRequest) -> JsonResponse:
    """The answer as JSON of schema ``brisk-sentry/plan-plays/1``."""
    return as_json(request, PAGE)
