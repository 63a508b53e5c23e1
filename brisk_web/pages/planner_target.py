"""The Planner: what the other side makes of files, and of planned renders. The whole plan stands in the address."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.views.decorators.http import require_GET

from brisk_core.plan.render import MOST_RENDERS
from brisk_web.pages.planning import Page, as_json, chosen_files, chosen_version, kept_plans, offered_files, show
from brisk_web.planner.models import Plan
from brisk_web.planner.services import with_ladders
from brisk_web.ui.asking import rows, words

_OF_RENDER = ("name", "wrapper", "codec", "size", "rate", "scan", "chroma", "length", "bytes")


def _renders(form: QueryDict) -> list[dict[str, str]]:
    return rows(form, "render", _OF_RENDER, MOST_RENDERS)


def _asked(form: QueryDict) -> dict[str, Any] | None:
    renders = [{name: value for name, value in row.items() if value} for row in _renders(form)]
    media = chosen_files(form)
    if not renders and not media:
        return None
    screen = words(form, "screen")
    return {"renders": renders, "media": media} | ({"screen": screen} if screen else {})


PAGE = Page(
    kind=Plan.Kind.TARGET, address="planner-target", template="planner/target.html", asks=_asked, version=chosen_version
)


@require_GET
def target(request: HttpRequest) -> HttpResponse:
    """What becomes of files and planned renders at the place of a spec that holds a ladder."""
    filled = _renders(request.GET)
    offered = offered_files(request.GET)
    version, newest = chosen_version(request.GET), with_ladders()
    context: dict[str, Any] = {
        "rows": [*filled, {}] if len(filled) < MOST_RENDERS else filled,
        "offered": offered,
        "by_name": {file.name: file for file, ticked in offered if ticked},
        "version": version,
        "versions": newest if version is None or version in newest else [version, *newest],
        "screen": words(request.GET, "screen"),
        "plans": kept_plans(Plan.Kind.TARGET),
    }
    return show(request, PAGE, context)


@require_GET
def target_json(request: HttpRequest) -> JsonResponse:
    """The answer as JSON of schema ``brisk-sentry/plan-target/1``."""
    return as_json(request, PAGE)
