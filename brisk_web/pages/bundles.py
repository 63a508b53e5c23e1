"""Pages of bundles: several deliverables ordered in one step, and the house's own bundles."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.utils.dateparse import parse_datetime
from django.views.decorators.http import require_http_methods

from brisk_core.errors import Mistake, PlanRefused
from brisk_core.plan.bundle import MOST_DELIVERABLES, Ordered
from brisk_web.accounts.people import signed_in
from brisk_web.edits.models import Timeline
from brisk_web.house.models import in_use
from brisk_web.jobs.bundles import Wanted, bundle_at, keep_bundle, order, sources, text_of, wanted_of
from brisk_web.jobs.models import Bundle, Job
from brisk_web.jobs.services import JobRefused
from brisk_web.ui.asking import asked_id, rows, words

_OF_ROW = ("name", "spec", "naming_rule", "due_at", "range", "language", "two_sign")
_EXAMPLE = """bundle: 1
name: Both uploads
deliverables:
  - { name: Wide, spec: pebbleview-wide, due_in: "3 d" }
  - { name: Tall, spec: pebbleview-tall, due_in: "3 d" }
"""


@require_http_methods(["GET", "POST"])
@permission_required("jobs.add_deliverable", raise_exception=True)
def several(request: HttpRequest, job_id: int) -> HttpResponse:
    """Order several deliverables at once: from a bundle, or as another job owes them."""
    job = get_object_or_404(Job, pk=job_id)
    timelines = in_use(Timeline.objects.filter(job=job))
    chosen, mistake = words(request.GET, "source"), ""
    wanted: list[Wanted] = []
    picked: set[str] = set()
    timeline = None
    if request.method == "POST":
        timeline = timelines.filter(pk=asked_id(request.POST, "timeline")).first()
        wanted = _typed(request.POST)
        picked = set(request.POST.getlist("pick"))
        ticked = [one for number, one in enumerate(wanted) if str(number) in picked]
        try:
            made = order(job, ticked, timeline, by=signed_in(request))
        except JobRefused as refused:
            mistake = str(refused)
        else:
            messages.success(request, f"{len(made)} deliverable{'s' if len(made) != 1 else ''} added.")
            return redirect("job", job.pk)
    elif chosen:
        try:
            bundle = bundle_at(chosen)
        except PlanRefused as refused:
            bundle, mistake = None, str(refused)
        if bundle is None:
            mistake = mistake or "There is no such bundle any more."
        else:
            wanted = wanted_of(bundle)
            picked = {str(number) for number in range(len(wanted))}
    context: dict[str, Any] = {
        "job": job, "sources": sources(), "chosen": chosen, "wanted": list(enumerate(wanted)), "mistake": mistake,
        "timelines": timelines, "timeline": timeline or (timelines.first() if timelines.count() == 1 else None),
        "picked": picked,
        "bundles": in_use(Bundle.objects.all()),
    }  # fmt: skip
    return render(request, "jobs/several.html", context, status=400 if mistake and request.method == "POST" else 200)


def _typed(form: QueryDict) -> list[Wanted]:
    """The rows of the form as they were filled in."""
    found = []
    for row in rows(form, "row", _OF_ROW, MOST_DELIVERABLES):
        ordered = Ordered(
            name=row["name"], spec=row["spec"], naming_rule=row["naming_rule"], range=row["range"],
            language=row["language"][:20], two_sign=row["two_sign"] == "yes",
        )  # fmt: skip
        found.append(Wanted(ordered=ordered, due_at=_moment(row["due_at"])))
    return found


def _moment(text: str) -> datetime | None:
    try:
        found = parse_datetime(text)
    except ValueError:
        return None
    return timezone.make_aware(found) if found and timezone.is_naive(found) else found


@require_http_methods(["GET", "POST"])
@permission_required("jobs.add_deliverable", raise_exception=True)
def write_bundle(request: HttpRequest, bundle_id: int | None = None) -> HttpResponse:
    """Write a bundle of the house: a new one, maybe from what a job owes, or one that is changed."""
    bundle = get_object_or_404(Bundle, pk=bundle_id) if bundle_id is not None else Bundle()
    job = Job.objects.filter(pk=asked_id(request.GET, "job")).first()
    text = bundle.text or (text_of(job) if job else _EXAMPLE)
    mistakes: list[Mistake] = []
    if request.method == "POST":
        text = request.POST.get("document", "").replace("\x00", "")
        try:
            kept = keep_bundle(bundle, text, by=signed_in(request))
        except PlanRefused as refused:
            mistakes = list(refused.mistakes) or [Mistake(place="bundle", says=str(refused))]
        except JobRefused as refused:
            mistakes = [Mistake(place="name", says=str(refused))]
        else:
            messages.success(request, f"The bundle {kept} is kept.")
            return redirect("change-bundle", kept.pk)
    context = {"bundle": bundle, "text": text, "mistakes": mistakes}
    return render(request, "jobs/bundle.html", context, status=400 if mistakes else 200)
