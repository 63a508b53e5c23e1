"""The Planner: which target rate harms material least. The whole plan stands in the address."""

from __future__ import annotations

from collections import defaultdict
from fractions import Fraction
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.views.decorators.http import require_GET

from brisk_core.plan.rates_document import MOST_SOURCES, USUAL_TARGETS
from brisk_web.edits.models import Timeline
from brisk_web.house.models import in_use
from brisk_web.pages.planning import Page, as_json, kept_plans, show
from brisk_web.planner.models import Plan
from brisk_web.ui.asking import asked_id, rows

_OF_SOURCE = ("name", "rate", "length")
_TIMELINES = 100  # offered, the newest


def _sources(form: QueryDict) -> list[dict[str, str]]:
    """The material of a form; rows that nothing was filled in for are left out."""
    return rows(form, "source", _OF_SOURCE, MOST_SOURCES)


def _targets(form: QueryDict) -> list[str]:
    return [one for one in form.getlist("target") if one]


def _asked(form: QueryDict) -> dict[str, Any] | None:
    """What a form asks: its own material, or that of a timeline."""
    sources = _sources(form)
    timeline = _timeline(form)
    if not sources and timeline:
        sources = _of_timeline(timeline)[0]
    return {"sources": sources, "targets": _targets(form)} if sources else None


def _timeline(form: QueryDict) -> Timeline | None:
    return Timeline.objects.filter(pk=asked_id(form, "timeline")).first()


def _of_timeline(timeline: Timeline) -> tuple[list[dict[str, str]], int]:
    """Each rate that a timeline's pictures come from and how long it is seen; and how many clips say no rate."""
    edit = timeline.edit
    seen: dict[Fraction, Fraction] = defaultdict(Fraction)
    unknown = 0
    for event in (event for lane in edit.picture_lanes for event in lane.events if event.kind == "clip"):
        rate = edit.sources[event.source].rate if event.source is not None else None
        if rate is None:
            unknown += 1
        else:
            seen[rate] += (event.end - event.start) / edit.rate
    longest = sorted(seen.items(), key=lambda one: -one[1])
    return [{"name": "", "rate": str(rate), "length": f"{float(seconds):g} s"} for rate, seconds in longest], unknown


PAGE = Page(kind=Plan.Kind.RATES, address="planner-rates", template="planner/rates.html", asks=_asked)


@require_GET
def rates(request: HttpRequest) -> HttpResponse:
    """Targets in order of the harm that they do to some material."""
    form, filled, unknown = request.GET, _sources(request.GET), 0
    timeline, chosen = _timeline(form), _targets(form)
    if timeline and not filled:
        filled, unknown = _of_timeline(timeline)
    context: dict[str, Any] = {
        "rows": [*filled, {}] if len(filled) < MOST_SOURCES else filled,
        "targets": [(one, one in chosen or not chosen) for one in USUAL_TARGETS],
        "timeline": timeline,
        "timelines": in_use(Timeline.objects.select_related("job").order_by("-pk"))[:_TIMELINES],
        "unknown": unknown,
        "plans": kept_plans(Plan.Kind.RATES),
    }
    return show(request, PAGE, context)


@require_GET
def rates_json(request: HttpRequest) -> JsonResponse:
    """The answer as JSON of schema ``brisk-sentry/plan-rates/1``."""
    return as_json(request, PAGE)
