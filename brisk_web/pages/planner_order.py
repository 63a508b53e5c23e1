"""The Planner: the rows that specs allow, the one that harms a picture least first. The plan stands in the address."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.views.decorators.http import require_GET

from brisk_web.edits.models import Timeline
from brisk_web.house.models import in_use
from brisk_web.jobs.models import Deliverable
from brisk_web.pages.planning import SCANS, Page, as_json, ids, kept_plans, show
from brisk_web.planner.models import Plan
from brisk_web.shelf.models import newest_published
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import asked_id, words

_FIELDS = ("size", "rate", "scan", "shape", "enlarge")
_TIMELINES = 100  # offered, the newest
_MOST_SPECS = 60  # of a plan


def _source(form: QueryDict) -> dict[str, str]:
    """The picture that is asked about: typed, or that of a timeline."""
    typed = {name: words(form, name) for name in _FIELDS if words(form, name)}
    timeline = _timeline(form)
    if timeline and not typed.get("size"):
        edit = timeline.edit
        size = "{}x{}".format(*edit.size) if edit.size else ""
        typed = {"size": size, "rate": str(edit.rate), **{name: one for name, one in typed.items() if name != "size"}}
    return typed


def _timeline(form: QueryDict) -> Timeline | None:
    return Timeline.objects.filter(pk=asked_id(form, "timeline")).first()


def _asked(form: QueryDict) -> dict[str, Any] | None:
    source = _source(form)
    return {**source, "versions": ids(form, "versions")[:_MOST_SPECS]} if source else None


PAGE = Page(kind=Plan.Kind.ORDER, address="planner-order", template="planner/order.html", asks=_asked)


@require_GET
def order(request: HttpRequest) -> HttpResponse:
    """The rows that specs allow for a source, drawn to scale."""
    timeline = _timeline(request.GET)
    context: dict[str, Any] = {
        "values": {"rate": "25", "scan": "progressive", **_source(request.GET)},
        "choices": {"scan": SCANS, "enlarge": (("no", "last"), ("yes", "meant on purpose"))},
        "versions": newest_published(),
        "chosen": ids(request.GET, "versions"),
        "timeline": timeline,
        "timelines": in_use(Timeline.objects.select_related("job").order_by("-pk"))[:_TIMELINES],
        "frame": _frame_of(timeline) if timeline else None,
        "plans": kept_plans(Plan.Kind.ORDER),
    }
    return show(request, PAGE, context)


def _frame_of(timeline: Timeline) -> tuple[MediaFile, int] | None:
    """A picture of what a timeline shows: from a master that is held against it, or the newest render of it."""
    held = Deliverable.objects.filter(timeline=timeline)
    masters = MediaFile.objects.filter(pk__in=held.exclude(master=None).values("master"))
    renders = MediaFile.objects.filter(renders__deliverable__in=held).order_by("-pk")
    for file in (*masters.select_related("inspection")[:1], *renders.select_related("inspection")[:5]):
        number = file.inspection.picture_of_it if file.inspection else None
        if number is not None:
            return file, number
    return None


@require_GET
def order_json(request: HttpRequest) -> JsonResponse:
    """The answer as JSON of schema ``brisk-sentry/plan-order/1``."""
    return as_json(request, PAGE)
