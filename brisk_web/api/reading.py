"""Calls that only read."""

from __future__ import annotations

from collections.abc import Callable
from http import HTTPStatus
from typing import Any, TypeVar

from django.db.models import Model, OuterRef, QuerySet, Subquery
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from ninja import Query

from brisk_web.api import schemas
from brisk_web.api.access import READ, caller
from brisk_web.api.problems import Problem
from brisk_web.api.router import router
from brisk_web.checks.models import Check
from brisk_web.checks.services import document_of
from brisk_web.handoff.models import Destination, HandOff
from brisk_web.handoff.states import State, with_state
from brisk_web.house.models import in_use
from brisk_web.jobs.models import Deliverable, Job, Render, owed
from brisk_web.storage.models import MediaFile

Row = TypeVar("Row", bound=Model)

_MOST_ROWS, _LARGEST = 100, (1 << 63) - 1
BEFORE: Any = Query(_LARGEST, ge=1, le=_LARGEST, description="rows whose id is smaller")  # type: ignore[type-arg]  # a class to mypy, a function when it runs
LIMIT: Any = Query(50, ge=1, le=_MOST_ROWS)  # type: ignore[type-arg]


def page_of(
    request: HttpRequest, rows: QuerySet[Row], told: Callable[[Row], dict[str, Any]], before: int, limit: int
) -> dict[str, Any]:
    """Return a page of rows, the newest first, and the address of the next one."""
    found = list(rows.filter(pk__lt=before).order_by("-pk")[: limit + 1])
    following = None
    if len(found) > limit:
        query = request.GET.copy()
        query["before"], query["limit"] = str(found[limit - 1].pk), str(limit)
        following = f"{request.path}?{query.urlencode()}"
    return {"rows": [told(row) for row in found[:limit]], "next": following}


def told_job(job: Job) -> dict[str, Any]:
    """A job as a call gives it."""
    return {
        "id": job.pk, "title": job.title, "kind_of_work": job.kind_of_work, "closed": job.retired_at is not None,
    }  # fmt: skip


def told_file(file: MediaFile) -> dict[str, Any]:
    """A file as a call gives it."""
    inspection = file.inspection
    return {
        "id": file.pk, "name": file.name, "root": file.root.name, "path": file.path, "size": file.size,
        "reading": inspection.state if inspection else "", "error": inspection.error if inspection else "",
    }  # fmt: skip


def told_check(check: Check) -> dict[str, Any]:
    """A check as a call gives it."""
    return {
        "id": check.pk,
        "file": check.media_file_id,
        "attempt": check.render.attempt if check.render else None,
        "deliverable": check.render.deliverable_id if check.render else None,
        "spec": check.spec_version.spec.slug,
        "version": check.spec_version.number,
        "verdict": check.verdict,
        "counts": check.counts,
        "judged_at": check.judged_at,
        "document": reverse("api-check-document", args=[check.pk]),
    }


def told_deliverable(row: Deliverable) -> dict[str, Any]:
    """A row of ``deliverables`` as a call gives it."""
    state, check = row.state, row.newest_check  # type: ignore[attr-defined]  # of ``deliverables``
    return {
        "id": row.pk, "job": row.job_id, "name": row.name, "spec": row.spec_version.spec.slug,
        "version": row.spec_version.number, "due_at": row.due_at, "state": state, "says": State(state).label,
        "since": row.since, "check": check,  # type: ignore[attr-defined]
    }  # fmt: skip


def told_hand_off(row: HandOff) -> dict[str, Any]:
    """A hand-off as a call gives it."""
    return {
        "id": row.pk, "name": row.name, "destination": row.destination.name, "state": row.state,
        "says": row.error or row.says or row.in_words, "answer": row.answer, "answer_says": row.answer_says,
    }  # fmt: skip


def checks() -> QuerySet[Check]:
    """Checks with what is told of them."""
    return Check.objects.select_related("spec_version__spec", "render__deliverable")


def deliverables() -> QuerySet[Deliverable]:
    """Deliverables with what is told of them."""
    newest = Check.objects.filter(render=OuterRef("standing__newest_render")).values("pk")[:1]
    return with_state(Deliverable.objects.select_related("spec_version__spec")).annotate(newest_check=Subquery(newest))


def files_told() -> QuerySet[MediaFile]:
    """Files with what is told of them."""
    return MediaFile.objects.select_related("root", "inspection").defer("inspection__document")


@router.get("/jobs", response=schemas.Page, summary="Jobs")
def jobs(request: HttpRequest, title: str = "", before: int = BEFORE, limit: int = LIMIT) -> dict[str, Any]:
    """The jobs whose title holds some words."""
    caller(request, READ)
    rows = Job.objects.filter(title__icontains=_plain(title)) if title else Job.objects.all()
    return page_of(request, rows, told_job, before, limit)


@router.get("/jobs/{int:job_id}", response=schemas.JobTold, summary="A job")
def job(request: HttpRequest, job_id: int) -> dict[str, Any]:
    """One job."""
    caller(request, READ)
    return told_job(get_object_or_404(Job, pk=job_id))


@router.get("/deliverables", response=schemas.Page, summary="What is owed")
def owed_deliverables(
    request: HttpRequest, job: int | None = None, state: str = "", before: int = BEFORE, limit: int = LIMIT
) -> dict[str, Any]:
    """What jobs owe, of one job, or in one state: waiting, reading, deciding, asked, signed, taken, refused."""
    caller(request, READ)
    rows = owed(deliverables())
    rows = rows.filter(job=job) if job is not None else rows
    rows = rows.filter(standing__state=_plain(state)) if state else rows
    return page_of(request, rows, told_deliverable, before, limit)


@router.get("/deliverables/{int:deliverable_id}", response=schemas.DeliverableTold, summary="A deliverable")
def deliverable(request: HttpRequest, deliverable_id: int) -> dict[str, Any]:
    """Where one deliverable stands."""
    caller(request, READ)
    return told_deliverable(get_object_or_404(deliverables(), pk=deliverable_id))


@router.get("/files", response=schemas.Page, summary="Files")
def files(request: HttpRequest, name: str = "", before: int = BEFORE, limit: int = LIMIT) -> dict[str, Any]:
    """The files that are known, of one name or all."""
    caller(request, READ)
    rows = files_told().filter(name=_plain(name)) if name else files_told()
    return page_of(request, rows, told_file, before, limit)


@router.get("/files/{int:file_id}", response=schemas.FileTold, summary="A file")
def file(request: HttpRequest, file_id: int) -> dict[str, Any]:
    """One file, and how far it is read."""
    caller(request, READ)
    return told_file(get_object_or_404(files_told(), pk=file_id))


@router.get("/checks", response=schemas.Page, summary="Checks")
def all_checks(
    request: HttpRequest, file: int | None = None, before: int = BEFORE, limit: int = LIMIT
) -> dict[str, Any]:
    """The checks, of one file or all."""
    caller(request, READ)
    return page_of(
        request, checks().filter(media_file=file) if file is not None else checks(), told_check, before, limit
    )


@router.get("/checks/{int:check_id}", response=schemas.CheckTold, summary="A check")
def check(request: HttpRequest, check_id: int) -> dict[str, Any]:
    """Where one check stands; it is judged as far as its file is known."""
    caller(request, READ)
    return told_check(get_object_or_404(checks(), pk=check_id))


@router.get("/checks/{int:check_id}/document", url_name="check-document", summary="A check, whole")
def check_document(request: HttpRequest, check_id: int) -> HttpResponse:
    """The check as ``brisk-sentry/check/1`` has it, by what was judged last."""
    caller(request, READ)
    document = document_of(get_object_or_404(checks().select_related("media_file__inspection"), pk=check_id))
    if document is None:
        raise Problem(HTTPStatus.CONFLICT, "The check has not been judged yet.")
    return JsonResponse(document)


@router.get("/hand-offs", response=schemas.Page, summary="Hand-offs")
def hand_offs(request: HttpRequest, before: int = BEFORE, limit: int = LIMIT) -> dict[str, Any]:
    """What was handed over."""
    caller(request, READ)
    return page_of(request, HandOff.objects.select_related("destination"), told_hand_off, before, limit)


@router.get("/hand-offs/{int:handoff_id}", response=schemas.HandOffTold, summary="A hand-off")
def hand_off(request: HttpRequest, handoff_id: int) -> dict[str, Any]:
    """One hand-off and what the other side says."""
    caller(request, READ)
    return told_hand_off(get_object_or_404(HandOff.objects.select_related("destination"), pk=handoff_id))


@router.get("/destinations", response=list[str], summary="Destinations")
def destinations(request: HttpRequest) -> list[str]:
    """The names of the destinations that are offered."""
    caller(request, READ)
    return [one.name for one in in_use(Destination.objects.order_by("name")) if one.takes_renders]


def newest_render(deliverable: Deliverable) -> Render | None:
    """The newest attempt at a deliverable."""
    return deliverable.renders.order_by("-attempt").first()


def _plain(text: str) -> str:
    """A text without the zero bytes that the database has no place for."""
    return text.replace("\0", "")
