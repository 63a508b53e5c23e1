"""The Planner: which target rate harms material least. The whole plan stands in the address."""

from __future__ import annotations

from collections import defaultdict
from fractions import Fraction
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.shortcuts import render
from django.views.decorators.http import require_GET

from brisk_core.errors import PlanRefused
from brisk_core.exact import spell_seconds
from brisk_core.plan.rates_document import MOST_SOURCES, USUAL_TARGETS, plan_rates
from brisk_web.edits.models import Timeline
from brisk_web.house.models import in_use
from brisk_web.pages.planner import refusal
from brisk_web.ui.asking import asked_id, rows

_OF_SOURCE = ("name", "rate", "length")
_TIMELINES = 100  # offered, the newest


def _asked(form: QueryDict) -> dict[str, Any]:
    """What a form asks; sources that nothing was filled in for are left out."""
    targets = [one for one in form.getlist("target") if one]
    return {"sources": rows(form, "source", _OF_SOURCE, MOST_SOURCES), "targets": targets}


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


@require_GET
def rates(request: HttpRequest) -> HttpResponse:
    """Targets in order of the harm that they do to some material."""
    form, asked, unknown = request.GET, _asked(request.GET), 0
    timeline = Timeline.objects.filter(pk=asked_id(form, "timeline")).first()
    if timeline and not asked["sources"]:
        asked["sources"], unknown = _of_timeline(timeline)
    filled = asked["sources"]
    context: dict[str, Any] = {
        "rows": [*filled, {}] if len(filled) < MOST_SOURCES else filled,
        "targets": [(one, one in asked["targets"] or not asked["targets"]) for one in USUAL_TARGETS],
        "timeline": timeline,
        "timelines": in_use(Timeline.objects.select_related("job").order_by("-pk"))[:_TIMELINES],
        "unknown": unknown,
    }
    if filled:
        try:
            found = context["found"] = plan_rates(asked)
            of_first = found["targets"][0]["sources"]
            context["total"] = spell_seconds(sum((Fraction(str(row["seconds"])) for row in of_first), Fraction(0)))
        except PlanRefused as error:
            context["mistakes"] = error.mistakes or [str(error)]
    return render(request, "planner/rates.html", context)


@require_GET
def rates_json(request: HttpRequest) -> JsonResponse:
    """The answer as JSON of schema ``brisk-sentry/plan-rates/1``, or an object with "error" and "mistakes"."""
    try:
        return JsonResponse(plan_rates(_asked(request.GET)))
    except PlanRefused as error:
        return refusal(error)
