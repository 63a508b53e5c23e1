"""Pages: Jobs, Job, and taking a render in."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.db.models import Prefetch
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET

from brisk_core.facts import keys
from brisk_core.handoff.companions import Ready
from brisk_web.accounts.people import signed_in
from brisk_web.checks.models import Check
from brisk_web.checks.services import open_check
from brisk_web.handoff.companions import readiness_of
from brisk_web.handoff.states import with_state
from brisk_web.house.models import in_use, retired
from brisk_web.inspections.models import Inspection
from brisk_web.jobs import services
from brisk_web.jobs.models import Deliverable, Job, Render, owed
from brisk_web.jobs.suggestions import suggest
from brisk_web.pages.job_forms import DeliverableForm, JobForm
from brisk_web.pages.ribbons import Cell, ribbons_of, verdict_words
from brisk_web.pages.side_by_side import side_address
from brisk_web.pages.ways import Way, way_of
from brisk_web.planner.models import Plan
from brisk_web.planner.services import disagreements
from brisk_web.shelf.models import SpecVersion, published_by_family
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import asked_id, words
from brisk_web.ui.paging import due_first

REFRESH_MS = 1500  #: while something runs


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """A deliverable as Desk and Job show it."""

    deliverable: Deliverable
    render: Render | None  #: the newest attempt
    check: Check | None
    inspection: Inspection | None
    ribbon: list[Cell]
    says: str  #: the state in words
    because: str  #: the lines that decide it, by label
    outcome: str  #: colours the words; empty for none
    picture: str = ""  #: address of the small picture that stands for the file; empty for none
    way: Way | None = None  #: where the deliverable stands, for the newest attempt
    missing: tuple[Ready, ...] = ()  #: what should come along and does not, or is not as asked

    @property
    def is_active(self) -> bool:
        """Does work run or wait for this row?"""
        return self.inspection is not None and self.inspection.is_active


def newest_renders() -> Prefetch[str]:
    """Attempts of deliverables, the newest first, with all that a row shows."""
    renders = (
        Render.objects.select_related("media_file__inspection", "check_record")
        .defer("media_file__inspection__document")
        .order_by("-attempt")
    )
    return Prefetch("renders", queryset=renders)


def rows_of(deliverables: list[Deliverable]) -> list[Row]:
    """Return the rows of some deliverables of ``with_state`` by their newest attempts."""
    newest = [next(iter(deliverable.renders.all()), None) for deliverable in deliverables]
    checks = [one.check_record for one in newest if one]
    ribbons = ribbons_of(checks)
    along = readiness_of(deliverables)
    return [
        replace(
            _row(deliverable, one, ribbons),
            way=_way(deliverable, one),
            missing=tuple(ready for ready in along.get(deliverable.pk, ()) if ready.outcome != "pass"),
        )
        for deliverable, one in zip(deliverables, newest, strict=True)
    ]


def attempt_rows(deliverable: Deliverable) -> list[Row]:
    """Return a row for each attempt at a deliverable, the newest first."""
    attempts = list(deliverable.renders.all())
    checks = [one.check_record for one in attempts]
    ribbons = ribbons_of(checks)
    return [_row(deliverable, one, ribbons) for one in attempts]


def _way(deliverable: Deliverable, newest: Render | None) -> Way:
    check = newest.check_record if newest else None
    return way_of(deliverable, check.pk if check else None, verdict=check.verdict if check else None)


def _row(
    deliverable: Deliverable,
    newest: Render | None,
    ribbons: dict[int, tuple[list[Cell], list[str]]],
) -> Row:
    if newest is None:
        return Row(
            deliverable=deliverable, render=None, check=None, inspection=None, ribbon=[], says="no render yet",
            because="", outcome="",
        )  # fmt: skip
    check, inspection = newest.check_record, newest.media_file.inspection
    says, outcome = verdict_words(check), check.verdict
    if inspection and inspection.state == Inspection.State.FAILED:
        says, outcome = "the file cannot be read", "fail"
    ribbon, deciding = ribbons.get(check.pk, ([], []))
    return Row(
        deliverable=deliverable,
        render=newest,
        check=check,
        inspection=inspection,
        ribbon=ribbon,
        says=says,
        because=", ".join(deciding),
        outcome=outcome,
        picture=_picture(newest.media_file_id, inspection),
    )


def _picture(file_id: int, inspection: Inspection | None) -> str:
    number = inspection.picture_of_it if inspection else None
    return "" if number is None else reverse("small", args=[file_id, number])


@require_GET
def job_list(request: HttpRequest) -> HttpResponse:
    """All jobs with what they owe."""
    wanted, closed = words(request.GET, "q"), words(request.GET, "show") == "closed"
    known = retired(Job.objects.all()) if closed else in_use(Job.objects.all())
    jobs = known.prefetch_related("deliverables", "timelines")
    if wanted:
        jobs = jobs.filter(title__icontains=wanted)
    return render(
        request,
        "jobs/job_list.html",
        {
            "jobs": jobs[:200],
            "wanted": wanted,
            "closed": closed,
            "closed_count": retired(Job.objects.all()).count(),
        },
    )


@permission_required("jobs.add_job", raise_exception=True)
def new_job(request: HttpRequest) -> HttpResponse:
    """Open a job."""
    form = JobForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        return redirect("job", services.open_job(by=signed_in(request), **form.fields_of_job()).pk)
    return render(request, "jobs/form.html", {"form": form, "heading": "New job", "action": "Open the job"})


@permission_required("jobs.add_job", raise_exception=True)
def change_job(request: HttpRequest, job_id: int) -> HttpResponse:
    """Give a job another title or kind of work."""
    found = get_object_or_404(Job, pk=job_id)
    form = JobForm(request.POST or None, instance=found)
    if request.method == "POST" and form.is_valid():
        judged = services.change_job(found, by=signed_in(request), **form.fields_of_job())
        if judged:
            says = "1 check that asks for it was" if judged == 1 else f"{judged} checks that ask for it were"
            messages.success(request, f"{says} judged again.")
        return redirect("job", found.pk)
    context = {"form": form, "heading": f"Change {form.initial['title']}", "action": "Save", "job": found}
    return render(request, "jobs/form.html", context)


@require_GET
def job(request: HttpRequest, job_id: int) -> HttpResponse:
    """A job: its timelines, its deliverables with every attempt."""
    found = get_object_or_404(Job, pk=job_id)
    owed_here = in_use(found.deliverables.all())
    page = due_first(
        request,
        with_state(owed_here)
        .select_related("job", "spec_version__spec", "timeline", "assigned_to")
        .defer("spec_version__document", "spec_version__source")
        .prefetch_related(newest_renders()),
    )
    deliverables: list[Deliverable] = page.rows
    attempts = [attempt for deliverable in deliverables for attempt in deliverable.renders.all()]
    checks = [attempt.check_record for attempt in attempts]
    ribbons = ribbons_of(checks)
    grid: list[dict[str, Any]] = [
        {
            "deliverable": deliverable,
            "way": _way(deliverable, next(iter(deliverable.renders.all()), None)),
            "side_by_side": side_address(
                [attempt.media_file_id for attempt in deliverable.renders.all()],
                deliverable.spec_version_id,
                deliverable.timeline_id,
            ),
            "attempts": [_row(deliverable, attempt, ribbons) for attempt in deliverable.renders.all()],
        }
        for deliverable in deliverables
    ]
    active = any(row.is_active for entry in grid for row in entry["attempts"])
    return render(
        request,
        "jobs/job.html",
        {
            "job": found,
            "timelines": in_use(found.timelines.all()),
            "plans": _plans_of(found),
            "motion": _motion_of(found),
            "grid": grid,
            "page": page,
            "count": owed_here.count() if page.following or page.first else len(deliverables),
            "retired": [
                *(("deliverable", "retire-deliverable", one) for one in retired(found.deliverables.all())),
                *(("timeline", "retire-timeline", one) for one in retired(found.timelines.all())),
                *(("plan", "retire-plan", one) for one in retired(found.plans.all())),
            ],
            "refresh_ms": REFRESH_MS if active else 0,
        },
    )


def _motion_of(job: Job) -> list[float]:
    """The least and the greatest motion that was measured in the renders of a job, in percent; empty for none."""
    observed = f"document__characteristics__{keys.CONTENT_MOTION.id}__observed"
    measured = Inspection.objects.filter(files__renders__deliverable__job=job).values_list(observed, flat=True)
    found = [value for value in measured.distinct() if isinstance(value, int | float)]
    return [min(found), max(found)] if found else []


def _plans_of(job: Job) -> list[tuple[Plan, list[str]]]:
    """The plans of a job, each with what its renders go beyond."""
    plans = list(in_use(job.plans.all()))
    owing = in_use(job.deliverables.prefetch_related(newest_renders())) if plans else ()
    newest = {one.name: next(iter(one.renders.all()), None) for one in owing}
    rendered = {name: attempt.media_file for name, attempt in newest.items() if attempt}
    return [(plan, disagreements(plan, rendered)) for plan in plans]


@permission_required("jobs.add_deliverable", raise_exception=True)
def new_deliverable(request: HttpRequest, job_id: int) -> HttpResponse:
    """Add a deliverable to a job."""
    found = get_object_or_404(Job, pk=job_id)
    form = DeliverableForm(request.POST or None, job=found)
    if request.method == "POST" and form.is_valid():
        services.add_deliverable(form.save(commit=False), by=signed_in(request))
        return redirect("job", found.pk)
    context = {"form": form, "heading": "New deliverable", "action": "Add it", "job": found}
    return render(request, "jobs/form.html", context)


@permission_required("jobs.add_deliverable", raise_exception=True)
def change_deliverable(request: HttpRequest, deliverable_id: int) -> HttpResponse:
    """Change a deliverable; what was taken in for it can be judged again."""
    found = get_object_or_404(Deliverable.objects.select_related("job", "timeline"), pk=deliverable_id)
    form = DeliverableForm(request.POST or None, job=found.job, instance=found)
    if request.method == "POST" and form.is_valid():
        judged = services.change_deliverable(
            form.save(commit=False), attempts_too=form.cleaned_data["attempts_too"], by=signed_in(request)
        )
        again = f" {judged} attempt{' was' if judged == 1 else 's were'} judged again." if judged else ""
        messages.success(request, f"{found.name} is changed.{again}")
        return redirect("job", found.job_id)
    context = {"form": form, "heading": f"Change {form.initial['name']}", "action": "Save", "job": found.job}
    return render(request, "jobs/form.html", context)


@permission_required("jobs.add_render", raise_exception=True)
def take_in(request: HttpRequest, file_id: int) -> HttpResponse:
    """Take a file in for a deliverable, or check it by a spec alone."""
    file = get_object_or_404(MediaFile.objects.select_related("inspection"), pk=file_id)
    if request.method == "POST":
        if request.POST.get("deliverable"):
            deliverable = get_object_or_404(Deliverable, pk=asked_id(request.POST, "deliverable"))
            return redirect("check", services.take_in(file, deliverable, by=signed_in(request)).pk)
        if request.POST.get("spec_version"):
            version = get_object_or_404(SpecVersion, pk=asked_id(request.POST, "spec_version"))
            return redirect("check", open_check(file, version, by=signed_in(request)).pk)
        messages.error(request, "Choose a deliverable or a spec.")
    offered = owed(Deliverable.objects.all()).order_by("job__title", "name")
    context = {
        "file": file,
        "suggestion": suggest(file.name),
        "deliverables": offered.values("pk", "name", "job__title"),
        "versions": published_by_family(),
    }
    return render(request, "jobs/take_in.html", context)
