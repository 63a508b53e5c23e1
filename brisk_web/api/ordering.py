"""Calls about what is ordered and said: specs, deliverables, captions, comments and plans, by the verbs of pages."""

from __future__ import annotations

import base64
from http import HTTPStatus
from typing import Any

from django.core.exceptions import ValidationError
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.validators import validate_email
from django.db import IntegrityError, transaction
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Status

from brisk_core.edit import EditHints, parse_range
from brisk_core.errors import PlanRefused, SpecRefused
from brisk_core.spec import NamePattern
from brisk_web.accounts.people import people_here
from brisk_web.api import schemas
from brisk_web.api.access import DECIDE, ORDER, READ, TAKE_IN, caller
from brisk_web.api.problems import Problem
from brisk_web.api.reading import BEFORE, LIMIT, deliverables, page_of, told_deliverable
from brisk_web.api.router import router
from brisk_web.captions import services as captions
from brisk_web.captions.models import CaptionFile
from brisk_web.checks.models import Check
from brisk_web.edits.models import Timeline
from brisk_web.edits.services import assumed_here, import_timeline
from brisk_web.house.models import in_use
from brisk_web.house.services import name_of
from brisk_web.jobs import services as jobs
from brisk_web.jobs.models import Deliverable, Job
from brisk_web.planner.models import Plan
from brisk_web.planner.services import answer, keep
from brisk_web.shelf.models import SpecVersion, newest_by_due
from brisk_web.shelf.services import Overtaken, newest_of, publish, read_text, text_of
from brisk_web.storage.models import MediaFile
from brisk_web.telling.models import Comment
from brisk_web.telling.services import comment

_UNPROCESSABLE = HTTPStatus.UNPROCESSABLE_ENTITY


def _told_spec(version: SpecVersion) -> dict[str, Any]:
    return {
        "id": version.pk, "spec": version.spec.slug, "name": version.spec.name, "family": version.spec.family,
        "version": version.number, "lines": version.line_count, "review_by": version.review_by,
    }  # fmt: skip


def _told_comment(row: Comment) -> dict[str, Any]:
    return {
        "id": row.pk, "line": row.line, "frame": row.frame, "words": row.words, "by": name_of(row.made_by),
        "at": row.made_at,
    }  # fmt: skip


def _told_captions(row: CaptionFile) -> dict[str, Any]:
    return {"id": row.pk, "name": row.name, "file": row.source_id, "reading": row.state}


def _with_places(error: SpecRefused | PlanRefused) -> Problem:
    mistakes = [{"place": one.place, "says": one.says} for one in error.mistakes]
    return Problem(_UNPROCESSABLE, str(error), mistakes=mistakes)


def _version_of(slug: str, number: int | None = None) -> SpecVersion:
    found = newest_of(slug)
    if found is not None and number is not None:
        found = found.spec.versions.filter(number=number, published_at__isnull=False).first()
    if found is None:
        which = f"version {number} of the spec" if number is not None else "spec"
        raise Problem(_UNPROCESSABLE, f"There is no {which} {slug!r}.")
    return found


@router.get("/specs", response=schemas.Page, summary="Specs")
def specs(request: HttpRequest, before: int = BEFORE, limit: int = LIMIT) -> dict[str, Any]:
    """The newest version of each spec; ``id`` is that of the version."""
    caller(request, READ)
    return page_of(request, newest_by_due(), _told_spec, before, limit)


@router.get("/specs/{slug:name}", response=schemas.SpecText, summary="A spec")
def spec(request: HttpRequest, name: str, version: int | None = None) -> dict[str, Any]:
    """One spec as people write it, its newest version or another."""
    caller(request, READ)
    try:
        found = _version_of(name, version)
    except Problem as error:
        raise Problem(HTTPStatus.NOT_FOUND, error.detail) from error
    return {**_told_spec(found), "text": text_of(found)}


@router.post("/specs", response={200: schemas.SpecTold, 201: schemas.SpecTold}, summary="Publish a spec")
def publish_spec(request: HttpRequest, asked: schemas.NewSpec) -> Status[dict[str, Any]]:
    """Publish a document as the next version of its spec; the same document again gives the version that has it.

    A spec that is known asks for ``after``, so that nobody's version is written over unseen.
    """
    by = caller(request, ORDER, "shelf.add_specversion")
    try:
        document = read_text(asked.text)
        known = newest_of(document.id)
        version = publish(document, text=asked.text, by=by, after=asked.after if asked.after is not None else 0)
    except SpecRefused as error:
        raise _with_places(error) from error
    except Overtaken as error:
        number = error.current.number
        says = f"There is version {number} of {document.id!r}; expected after={number}, once it has been read."
        raise Problem(HTTPStatus.CONFLICT, says, version=number) from error
    return Status(201 if known != version else 200, _told_spec(version))


@router.post(
    "/jobs/{int:job_id}/deliverables", response={201: schemas.DeliverableTold}, summary="Add a deliverable to a job"
)
def add_deliverable(request: HttpRequest, job_id: int, asked: schemas.NewDeliverable) -> Status[dict[str, Any]]:
    """Add what a job owes."""
    by = caller(request, ORDER, "jobs.add_deliverable")
    job = get_object_or_404(in_use(Job.objects.all()), pk=job_id)
    version = _version_of(asked.spec, asked.version)
    said = asked.dict(exclude_unset=True, exclude={"name", "spec", "version", "timeline", "range", "looked_after_by"})
    fields = jobs.deliverable_defaults() | {name: value for name, value in said.items() if value is not None}
    row = Deliverable(job=job, name=asked.name, spec_version=version, **fields)
    if row.naming_rule:
        NamePattern(row.naming_rule)
    if row.rendered_by_email:
        try:
            validate_email(row.rendered_by_email)
        except ValidationError as error:
            says = f"met {row.rendered_by_email!r} as rendered_by_email; expected an e-mail address"
            raise Problem(_UNPROCESSABLE, says) from error
    if asked.looked_after_by:
        row.assigned_to = people_here().filter(username=asked.looked_after_by).first()
        if row.assigned_to is None:
            raise Problem(_UNPROCESSABLE, f"There is nobody called {asked.looked_after_by!r}.")
    _set_timeline(row, asked)
    try:
        with transaction.atomic():
            jobs.add_deliverable(row, by=by)
    except IntegrityError as error:
        raise Problem(HTTPStatus.CONFLICT, f"The job has a deliverable {asked.name!r} already.") from error
    return Status(201, told_deliverable(deliverables().get(pk=row.pk)))


def _set_timeline(row: Deliverable, asked: schemas.NewDeliverable) -> None:
    if asked.timeline is None:
        if asked.range:
            raise Problem(_UNPROCESSABLE, "A range needs a timeline.")
        return
    row.timeline = in_use(Timeline.objects.filter(job=row.job, pk=asked.timeline)).first()
    if row.timeline is None:
        raise Problem(_UNPROCESSABLE, f"The job has no timeline {asked.timeline}.")
    if asked.range:
        covered = parse_range(asked.range, row.timeline.edit)
        row.range_start, row.range_end = covered.start, covered.end


@router.get("/files/{int:file_id}/captions", response=list[schemas.CaptionsTold], summary="Captions of a file")
def captions_of(request: HttpRequest, file_id: int) -> list[dict[str, Any]]:
    """The caption files and the text tracks that belong to a file."""
    caller(request, READ)
    file = get_object_or_404(MediaFile, pk=file_id)
    return [_told_captions(one.captions) for one in file.pairings.select_related("captions").order_by("pk")]


@router.post(
    "/files/{int:file_id}/captions", response={201: schemas.CaptionsTold}, summary="Put captions beside a file"
)
def add_captions(request: HttpRequest, file_id: int, asked: schemas.NewPairing) -> Status[dict[str, Any]]:
    """Say that a registered caption file belongs to a file; its checks are judged by it."""
    by = caller(request, TAKE_IN, "checks.add_check")
    file = get_object_or_404(MediaFile, pk=file_id)
    found = CaptionFile.objects.filter(source=asked.captions).first()
    if found is None:
        raise Problem(_UNPROCESSABLE, f"There is no caption file {asked.captions}.")
    captions.pair(file, found, by=by)
    return Status(201, _told_captions(found))


@router.get("/checks/{int:check_id}/comments", response=schemas.Page, summary="Comments")
def comments(request: HttpRequest, check_id: int, before: int = BEFORE, limit: int = LIMIT) -> dict[str, Any]:
    """What was said of a check, but for what was removed."""
    caller(request, READ)
    rows = in_use(get_object_or_404(Check, pk=check_id).comments.select_related("made_by"))
    return page_of(request, rows, _told_comment, before, limit)


@router.post("/checks/{int:check_id}/comments", response={201: schemas.CommentTold}, summary="Comment")
def add_comment(request: HttpRequest, check_id: int, asked: schemas.NewComment) -> Status[dict[str, Any]]:
    """Say something of a check, of one of its lines or of a frame."""
    by = caller(request, DECIDE, "telling.add_comment")
    check = get_object_or_404(Check.objects.select_related("media_file__inspection"), pk=check_id)
    return Status(201, _told_comment(comment(check, asked.words, line=asked.line, frame=asked.frame, by=by)))


@router.get("/jobs/{int:job_id}/timelines", response=schemas.Page, summary="Timelines of a job")
def timelines(request: HttpRequest, job_id: int, before: int = BEFORE, limit: int = LIMIT) -> dict[str, Any]:
    """The edits of a job, as they were imported."""
    caller(request, READ)
    rows = in_use(get_object_or_404(Job, pk=job_id).timelines.all())
    return page_of(request, rows, _told_timeline, before, limit)


@router.post(
    "/jobs/{int:job_id}/timelines", response={201: schemas.TimelineTold}, summary="Import a timeline into a job"
)
def add_timeline(request: HttpRequest, job_id: int, asked: schemas.NewTimeline) -> Status[dict[str, Any]]:
    """Import an edit; what does not fit its record time is told as remarks."""
    by = caller(request, ORDER, "edits.add_timeline")
    job = get_object_or_404(in_use(Job.objects.all()), pk=job_id)
    before = in_use(job.timelines.filter(pk=asked.replaces)).first() if asked.replaces else None
    if asked.replaces and before is None:
        raise Problem(_UNPROCESSABLE, f"The job has no timeline {asked.replaces}.")
    hints = asked.dict(include={"rate", "size", "scan", "pixel_aspect", "sample_rate"})
    given = {name: value for name, value in hints.items() if value}
    EditHints.from_json(given)
    row = import_timeline(
        job, SimpleUploadedFile(asked.name, _edit_bytes(asked)), given, assumed=assumed_here(), replaces=before, by=by
    )
    return Status(201, _told_timeline(row))


def _edit_bytes(asked: schemas.NewTimeline) -> bytes:
    if (asked.text is None) == (asked.base64 is None):
        met = "both" if asked.text is not None else "neither"
        raise Problem(_UNPROCESSABLE, f"met {met} text and base64; expected one of them")
    if asked.text is not None:
        return asked.text.encode("utf-8", "replace")
    try:
        return base64.b64decode(asked.base64 or "", validate=True)
    except ValueError as error:
        raise Problem(_UNPROCESSABLE, f"base64 cannot be read: {error}") from error


def _told_timeline(row: Timeline) -> dict[str, Any]:
    edit = row.edit
    return {
        "id": row.pk, "name": row.name, "file_name": row.file_name, "rate": str(edit.rate),
        "start": str(edit.start) if edit.start else None, "frames": edit.length, "remarks": list(edit.remarks),
        "replaces": row.replaces_id,
    }  # fmt: skip


@router.post("/plans", response={200: dict[str, Any]}, summary="Work a plan out")
def work_out(request: HttpRequest, asked: schemas.NewPlan) -> dict[str, Any]:
    """Answer a plan, as the Planner does; nothing is kept."""
    caller(request, READ)
    question, version = _asked_of(asked)
    try:
        return answer(asked.kind, question, version=version)
    except PlanRefused as error:
        raise _with_places(error) from error


def _asked_of(asked: schemas.NewPlan) -> tuple[dict[str, Any], SpecVersion | None]:
    """What a plan asks, with the files that are named apart, and the spec that it is held against."""
    if asked.kind not in Plan.Kind.values:
        raise Problem(
            _UNPROCESSABLE, f"met {asked.kind[:40]!r} as a plan; expected one of {', '.join(Plan.Kind.values)}"
        )
    version = _version_of(asked.spec) if asked.spec else None
    rest = {name: value for name, value in asked.asked.items() if name not in ("media", "versions", "job")}
    return rest | ({"media": asked.files} if asked.files else {}), version


@router.post("/jobs/{int:job_id}/plans", response={201: schemas.PlanTold}, summary="Keep a plan with a job")
def keep_plan(request: HttpRequest, job_id: int, asked: schemas.NewKeptPlan) -> Status[dict[str, Any]]:
    """Work a plan out and keep it with a job, with its answer of now."""
    by = caller(request, ORDER, "planner.add_plan")
    job = get_object_or_404(in_use(Job.objects.all()), pk=job_id)
    question, version = _asked_of(asked)
    name = asked.name or Plan.Kind(asked.kind).label
    try:
        return Status(201, _told_plan(keep(job, name, question, version, by=by, kind=asked.kind)))
    except PlanRefused as error:
        raise _with_places(error) from error


@router.get("/jobs/{int:job_id}/plans", response=schemas.Page, summary="Plans of a job")
def plans(request: HttpRequest, job_id: int, before: int = BEFORE, limit: int = LIMIT) -> dict[str, Any]:
    """The plans that are kept with a job, each with its answer of then."""
    caller(request, READ)
    rows = in_use(get_object_or_404(Job, pk=job_id).plans.select_related("spec_version__spec"))
    return page_of(request, rows, _told_plan, before, limit)


def _told_plan(row: Plan) -> dict[str, Any]:
    return {
        "id": row.pk, "kind": row.kind, "name": row.name, "kept_at": row.kept_at, "document": row.document,
        "spec": row.spec_version.spec.slug if row.spec_version else None,
    }  # fmt: skip
