"""Calls that change something: each does what a button of a page does, by the same verb."""

from __future__ import annotations

from http import HTTPStatus
from typing import Any

from django.db import IntegrityError
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Status

from brisk_core.decide import Point, points_of
from brisk_core.facts import REGISTRY, keys
from brisk_web.accounts.people import is_password_of
from brisk_web.api import schemas
from brisk_web.api.access import DECIDE, HAND_OVER, TAKE_IN, caller
from brisk_web.api.problems import Problem
from brisk_web.api.reading import checks, files_told, newest_render, told_check, told_file, told_hand_off, told_job
from brisk_web.api.router import router
from brisk_web.checks.models import Check
from brisk_web.checks.services import open_check
from brisk_web.decisions import services as decisions
from brisk_web.handoff import services as handing
from brisk_web.handoff.models import Destination, HandOff
from brisk_web.house.models import Decision, in_use
from brisk_web.house.services import name_of
from brisk_web.jobs import services as jobs
from brisk_web.jobs.models import Deliverable, Render
from brisk_web.shelf.services import newest_of
from brisk_web.storage.models import MediaFile, StorageRoot
from brisk_web.storage.services import register


def _told(kind: str, row: Decision) -> dict[str, Any]:
    return {"kind": kind, "id": row.pk, "by": name_of(row.made_by), "at": row.made_at}


def _decided(check_id: int) -> tuple[Check, Render]:
    check = get_object_or_404(
        Check.objects.select_related("media_file__inspection", "render__deliverable__job"), pk=check_id
    )
    if check.render is None:
        raise Problem(HTTPStatus.CONFLICT, "This file was taken in for no deliverable.")
    return check, check.render


@router.post("/jobs", response={201: schemas.JobTold}, summary="Open a job")
def open_job(request: HttpRequest, asked: schemas.NewJob) -> Status[dict[str, Any]]:
    """Open a job."""
    by = caller(request, TAKE_IN, "jobs.add_job")
    kinds = REGISTRY[keys.ORDER_KIND.id].choices
    if asked.kind_of_work and asked.kind_of_work not in kinds:
        says = f"met {asked.kind_of_work!r} as a kind of work; expected one of {', '.join(kinds)}"
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, says)
    try:
        return Status(201, told_job(jobs.open_job(asked.title, kind_of_work=asked.kind_of_work, by=by)))
    except IntegrityError as error:
        raise Problem(HTTPStatus.CONFLICT, f"There is a job {asked.title!r} already.") from error


@router.post("/files", response={201: schemas.FileTold}, summary="Register a file")
def register_file(request: HttpRequest, asked: schemas.NewFile) -> Status[dict[str, Any]]:
    """Register a file of a storage root; it is read at once. The same file again gives the one that is known."""
    by = caller(request, TAKE_IN, "storage.add_mediafile")
    root = in_use(StorageRoot.objects.filter(name=asked.root)).first()
    if root is None:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, f"There is no storage root {asked.root!r}.")
    file = register(root, asked.path, by=by)
    return Status(201, told_file(files_told().get(pk=file.pk)))


@router.post("/files/{int:file_id}/attempts", response={201: schemas.CheckTold}, summary="Take a file in")
def take_in(request: HttpRequest, file_id: int, asked: schemas.TakeIn) -> Status[dict[str, Any]]:
    """Take a file in as the next attempt at a deliverable; the answer is its check."""
    by = caller(request, TAKE_IN, "jobs.add_render")
    file = get_object_or_404(MediaFile, pk=file_id)
    deliverable = Deliverable.objects.select_related("job").filter(pk=asked.deliverable).first()
    if deliverable is None:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, f"There is no deliverable {asked.deliverable}.")
    return Status(201, told_check(checks().get(pk=jobs.take_in(file, deliverable, by=by).pk)))


@router.post("/checks", response={201: schemas.CheckTold}, summary="Check a file by a spec")
def check_by_spec(request: HttpRequest, asked: schemas.NewCheck) -> Status[dict[str, Any]]:
    """Judge a file by a spec alone."""
    by = caller(request, TAKE_IN, "jobs.add_render")
    file, version = MediaFile.objects.filter(pk=asked.file).first(), newest_of(asked.spec)
    if file is None or version is None:
        missing = f"file {asked.file}" if file is None else f"spec {asked.spec!r}"
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, f"There is no {missing}.")
    return Status(201, told_check(checks().get(pk=open_check(file, version, by=by).pk)))


@router.post("/checks/{int:check_id}/requests", response={201: schemas.DecisionTold}, summary="Ask again")
def ask_again(request: HttpRequest, check_id: int, asked: schemas.NewRequest) -> Status[dict[str, Any]]:
    """Ask for another render; nobody is written to, the page of the request has its text."""
    by = caller(request, DECIDE, "decisions.add_request")
    check, attempt = _decided(check_id)
    offered = points_of([one.document for one in check.findings.all()])
    points = offered
    if asked.points is not None:
        places = {one.line: one.places for one in offered}
        points = [
            Point(
                line=one.line if one.line in places else "",
                label=one.label,
                found=one.found,
                change=one.change,
                places=places.get(one.line, ()),
            )
            for one in asked.points
        ]
    return Status(201, _told("request", decisions.ask_again(attempt, points, words=asked.words, sent_to="", by=by)))


@router.post("/checks/{int:check_id}/waivers", response={201: schemas.DecisionTold}, summary="Waive")
def waive(request: HttpRequest, check_id: int, asked: schemas.NewWaiver) -> Status[dict[str, Any]]:
    """Accept what a line found."""
    by = caller(request, DECIDE, "checks.add_waiver")
    check = get_object_or_404(Check.objects.select_related("render__deliverable__job"), pk=check_id)
    row = decisions.waive(
        check, asked.line, asked.reason, by=by, whole_deliverable=asked.whole_deliverable, until=asked.until
    )
    return Status(201, _told("waiver", row))


@router.post("/checks/{int:check_id}/watchings", response={201: schemas.DecisionTold}, summary="Watch")
def watch(request: HttpRequest, check_id: int, asked: schemas.NewWatching) -> Status[dict[str, Any]]:
    """Keep that the token's owner watched some frames, and what they saw."""
    by = caller(request, DECIDE, "decisions.add_watching")
    _, attempt = _decided(check_id)
    row = decisions.watched(attempt, asked.start, asked.end, says=asked.says, line=asked.line, by=by)
    return Status(201, _told("watching", row))


@router.post("/checks/{int:check_id}/signatures", response={201: schemas.DecisionTold}, summary="Sign")
def sign(request: HttpRequest, check_id: int, asked: schemas.NewSignature) -> Status[dict[str, Any]]:
    """Sign the newest attempt over what is known of it now."""
    by = caller(request, DECIDE, "decisions.add_signature")
    _, attempt = _decided(check_id)
    if not is_password_of(by, asked.password, request):
        raise Problem(HTTPStatus.FORBIDDEN, "This is not the password of the token's owner.")
    return Status(201, _told("signature", decisions.sign(attempt, words=asked.words, by=by)))


@router.post("/decisions/{kind}/{int:decision_id}/taking-back", response=schemas.DecisionTold, summary="Take back")
def take_back(request: HttpRequest, kind: str, decision_id: int, asked: schemas.TakenBack) -> dict[str, Any]:
    """Take a decision back, with a reason; both stay on record."""
    if kind not in decisions.KINDS:
        says = f"There is no kind {kind[:40]!r}; expected one of {', '.join(decisions.KINDS)}."
        raise Problem(HTTPStatus.NOT_FOUND, says)
    model, permission = decisions.KINDS[kind]
    by = caller(request, DECIDE, permission)
    row = get_object_or_404(model._default_manager, pk=decision_id)
    decisions.take_back(row, asked.why, by=by)
    return _told(kind, row)


@router.post("/deliverables/{int:deliverable_id}/hand-offs", response={201: schemas.HandOffTold}, summary="Hand over")
def hand_over(request: HttpRequest, deliverable_id: int, asked: schemas.NewHandOff) -> Status[dict[str, Any]]:
    """Send the newest render, which is signed, to a destination."""
    by = caller(request, HAND_OVER, "handoff.add_handoff")
    render = newest_render(get_object_or_404(Deliverable, pk=deliverable_id))
    destination = in_use(Destination.objects.filter(name=asked.destination)).first()
    if destination is None:
        raise Problem(HTTPStatus.UNPROCESSABLE_ENTITY, f"There is no destination {asked.destination!r}.")
    if render is None:
        raise Problem(HTTPStatus.CONFLICT, "There is no render yet.")
    return Status(201, told_hand_off(handing.hand_over(render, destination, by=by)))


@router.post("/hand-offs/{int:handoff_id}/{action}", response=schemas.HandOffTold, summary="Change a hand-off")
def change_hand_off(request: HttpRequest, handoff_id: int, action: str) -> dict[str, Any]:
    """``pause``, ``go-on``, ``cancel``, or ``look`` again."""
    by = caller(request, HAND_OVER, "handoff.add_handoff")
    if action not in handing.CHANGES:
        says = f"There is no {action[:40]!r}; expected one of {', '.join(handing.CHANGES)}."
        raise Problem(HTTPStatus.NOT_FOUND, says)
    row = get_object_or_404(HandOff.objects.select_related("destination"), pk=handoff_id)
    handing.CHANGES[action](row, by=by)
    row.refresh_from_db()
    return told_hand_off(row)
