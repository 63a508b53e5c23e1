"""What the pages of the Planner have in common: a plan stands whole in its address, is answered there, and is kept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse, QueryDict
from django.shortcuts import render

from brisk_core.errors import Mistake, PlanRefused
from brisk_web.house.models import in_use
from brisk_web.jobs.models import Job
from brisk_web.planner.models import Plan
from brisk_web.planner.services import answer, files_of
from brisk_web.shelf.models import SpecVersion, published_by_family
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import asked_id, whole

_JOBS = 200  # offered
SCANS = (("progressive", "progressive"), ("interlaced", "interlaced"))
_LARGEST_ID = (1 << 63) - 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Page:
    """A page of the Planner."""

    kind: str
    address: str  #: its name
    template: str
    asks: Callable[[QueryDict], dict[str, Any] | None]  #: what an address asks; None where it asks nothing yet
    version: Callable[[QueryDict], SpecVersion | None] = lambda _: None


def show(request: HttpRequest, page: Page, context: dict[str, Any]) -> HttpResponse:
    """Answer what the address asks, beside what its form needs."""
    asked = page.asks(request.GET)
    context |= {
        "kind": page.kind,
        "jobs": in_use(Job.objects.all())[:_JOBS],
        "job": context.get("job") or Job.objects.filter(pk__in=ids(request.GET, "job")[:1]).first(),
        "query": request.GET.urlencode(),
    }
    if asked is not None:
        try:
            context["found"] = answer(page.kind, asked, version=page.version(request.GET))
        except PlanRefused as error:
            context["mistakes"] = error.mistakes or [Mistake(place="plan", says=str(error))]
    return render(request, page.template, context)


def as_json(request: HttpRequest, page: Page) -> JsonResponse:
    """The answer as JSON of the schema of its kind, or an object with "error" and "mistakes"."""
    try:
        return JsonResponse(answer(page.kind, page.asks(request.GET) or {}, version=page.version(request.GET)))
    except PlanRefused as error:
        return refusal(error)


def chosen_version(form: QueryDict) -> SpecVersion | None:
    """The published version of a spec that an address names as "spec_version"."""
    return published_by_family().filter(pk=asked_id(form, "spec_version")).first()


def refusal(error: PlanRefused) -> JsonResponse:
    """An object with "error" and, each with its place, "mistakes"."""
    mistakes = [{"place": one.place, "says": one.says} for one in error.mistakes]
    return JsonResponse({"error": str(error), "mistakes": mistakes}, status=400)


def ids(form: QueryDict, name: str) -> list[int]:
    """The primary keys that a parameter holds, each once and in its order."""
    numbers = (whole(one) for one in form.getlist(name))
    return list(dict.fromkeys(one for one in numbers if one is not None and 0 < one <= _LARGEST_ID))


def chosen_files(form: QueryDict) -> list[int]:
    """The files that a plan is about: those that are ticked, or the newest of each deliverable of a job."""
    if chosen := ids(form, "media"):
        return chosen
    job = Job.objects.filter(pk__in=ids(form, "job")[:1]).first()
    return [file.pk for file in files_of(job)] if job else []


def offered_files(form: QueryDict) -> list[tuple[MediaFile, bool]]:
    """The files of a form, each with whether it is ticked: those of the job, and those that the address names."""
    chosen = set(chosen_files(form))
    job = Job.objects.filter(pk__in=ids(form, "job")[:1]).first()
    of_job = files_of(job) if job else []
    others = MediaFile.objects.filter(pk__in=chosen - {file.pk for file in of_job}).order_by("name")
    return [(file, file.pk in chosen) for file in (*of_job, *others)]


def kept_plans(kind: str) -> list[tuple[Plan, tuple[str, ...]]]:
    """The newest plans of a kind that were kept, as their list shows them."""
    plans = in_use(Plan.objects.filter(kind=kind).select_related("job"))[:_PLANS]
    return [(plan, ()) for plan in plans]


_PLANS = 50  # listed
