"""The Planner: what fits under a cap. The whole plan stands in the address; it can be kept with a job."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from brisk_core.errors import Mistake, PlanRefused
from brisk_core.plan.bits_document import MOST_FILES, PICTURE_CODECS
from brisk_web.accounts.people import signed_in
from brisk_web.house.models import in_use
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.planner.models import Plan
from brisk_web.planner.services import answer, keep
from brisk_web.shelf.models import SpecVersion, published_by_family
from brisk_web.ui.asking import asked_id, rows, words

#: What each wrapper is called.
WRAPPER_WORDS = {
    "mp4": "MP4",
    "mov": "MOV",
    "mp4-fragmented": "MP4 in fragments",
    "mpeg-ts": "Transport stream",
    "mpeg-ps": "Program stream",
    "mpeg-ps-packs": "Program stream, a pack each 2,048 bytes",
    "mpeg-ps-disc": "Program stream of a disc",
    "matroska": "Matroska",
    "webm": "WebM",
    "mxf-op1a": "MXF OP1a",
}
_OF_PLAN = ("cap", "reserve", "wrapper", "codec", "group", "picture_rate")
_OF_FILE = ("name", "length", "rate", "size", "sounds", "texts", "weight")
_AT_FIRST = {"reserve": "2", "wrapper": "mp4", "codec": "avc", "group": "2 s"}
_MOST_PLANS = 50  # listed


def _asked(form: QueryDict) -> dict[str, Any]:
    """What a form asks, as the core reads it; what was left empty is left out."""
    asked: dict[str, Any] = {name: words(form, name) for name in _OF_PLAN if words(form, name)}
    files = []
    for row in rows(form, "file", _OF_FILE, MOST_FILES):
        file: dict[str, Any] = {name: value for name, value in row.items() if value and name != "sounds"}
        file["sounds"] = [one.strip() for one in row["sounds"].split(",") if one.strip()]
        files.append(file)
    return asked | {"files": files}


def _query(asked: dict[str, Any], version: SpecVersion | None) -> str:
    """The address that asks a plan again."""
    pairs = [(name, str(asked[name])) for name in _OF_PLAN if name in asked]
    for row in asked["files"]:
        texts = row | {"sounds": ", ".join(row.get("sounds", []))}
        pairs += [(f"file_{name}", str(texts.get(name, ""))) for name in _OF_FILE]
    return urlencode([*pairs, *([("spec_version", version.pk)] if version else [])])


def _version(form: QueryDict) -> SpecVersion | None:
    return published_by_family().filter(pk=asked_id(form, "spec_version")).first()


def _of_deliverable(deliverable: Deliverable) -> tuple[dict[str, str], SpecVersion]:
    """The row of a file that answers a deliverable: its name, and length, rate and size of its timeline."""
    row = {"name": deliverable.name, "sounds": "aac 192 kb/s"}
    if deliverable.timeline:
        edit = deliverable.timeline.edit
        covered = deliverable.timeline.covered(deliverable.range_start, deliverable.range_end)
        rate = edit.rate
        row |= {"length": f"{covered.end - covered.start} frames", "rate": str(rate)}
        if edit.size:
            row["size"] = "{}x{}".format(*edit.size)
    return row, deliverable.spec_version


@require_GET
def bits(request: HttpRequest) -> HttpResponse:
    """What fits under a cap, for one file or several that share it."""
    form, version = request.GET, _version(request.GET)
    values = _AT_FIRST | {name: words(form, name) for name in _OF_PLAN if name in form}
    filled = rows(form, "file", _OF_FILE, MOST_FILES)
    deliverable = Deliverable.objects.filter(pk=asked_id(form, "deliverable")).select_related("timeline", "job").first()
    if deliverable and not filled:
        row, version = _of_deliverable(deliverable)
        filled = [row]
    context: dict[str, Any] = {
        "values": values,
        "rows": [*filled, {}] if len(filled) < MOST_FILES else filled,
        "version": version,
        "versions": published_by_family(),
        "wrappers": WRAPPER_WORDS.items(),
        "codecs": PICTURE_CODECS,
        "job": deliverable.job if deliverable else Job.objects.filter(pk=asked_id(form, "job")).first(),
        "jobs": in_use(Job.objects.all())[:200],
        "plans": [(plan, ()) for plan in in_use(Plan.objects.select_related("job"))[:_MOST_PLANS]],
    }
    if "cap" in form:
        asked = _asked(form)
        context["query"] = _query(asked, version)
        try:
            context["found"] = answer(asked, version)
        except PlanRefused as error:
            context["mistakes"] = error.mistakes or [Mistake(place="plan", says=str(error))]
    return render(request, "planner/bits.html", context)


@require_GET
def bits_json(request: HttpRequest) -> JsonResponse:
    """The answer as JSON of schema ``brisk-sentry/plan-bits/1``, or an object with "error" and "mistakes"."""
    try:
        return JsonResponse(answer(_asked(request.GET), _version(request.GET)))
    except PlanRefused as error:
        return refusal(error)


def refusal(error: PlanRefused) -> JsonResponse:
    """An object with "error" and, each with its place, "mistakes"."""
    mistakes = [{"place": one.place, "says": one.says} for one in error.mistakes]
    return JsonResponse({"error": str(error), "mistakes": mistakes}, status=400)


@require_POST
@permission_required("planner.add_plan", raise_exception=True)
def keep_plan(request: HttpRequest) -> HttpResponse:
    """Keep a plan with a job."""
    job = get_object_or_404(in_use(Job.objects.all()), pk=asked_id(request.POST, "job"))
    asked = _asked(request.POST)
    version = _version(request.POST)
    name = words(request.POST, "name")[:200] or "Bits"
    try:
        return redirect("plan", keep(job, name, asked, version, by=signed_in(request)).pk)
    except PlanRefused:
        return redirect(f"{reverse('planner')}?{_query(asked, version)}&job={job.pk}")  # the mistakes are told there


@require_GET
def plan_page(request: HttpRequest, plan_id: int) -> HttpResponse:
    """A plan that was kept, as it was answered then."""
    plan = get_object_or_404(Plan.objects.select_related("job", "spec_version__spec", "kept_by"), pk=plan_id)
    again = f"{reverse('planner')}?{_query(plan.asked, plan.spec_version)}&job={plan.job_id}"
    return render(request, "planner/plan.html", {"plan": plan, "found": plan.document, "again": again})


@require_GET
def plan_json(request: HttpRequest, plan_id: int) -> JsonResponse:
    """A plan that was kept, as JSON of schema ``brisk-sentry/plan-bits/1``."""
    return JsonResponse(get_object_or_404(Plan, pk=plan_id).document)
