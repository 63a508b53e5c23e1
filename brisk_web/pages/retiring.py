"""Putting jobs, deliverables, timelines, files and storage roots out of use, and bringing them back."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib import messages
from django.core.exceptions import PermissionDenied
from django.db.models import Model
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from brisk_web.accounts.people import signed_in
from brisk_web.edits.models import Timeline
from brisk_web.handoff.models import Destination
from brisk_web.house import services
from brisk_web.house.models import Retirable
from brisk_web.jobs.models import Bundle, Deliverable, Job
from brisk_web.planner.models import Plan
from brisk_web.shelf.models import SourceDocument
from brisk_web.storage.models import MediaFile, StorageRoot
from brisk_web.telling.models import Hook
from brisk_web.watching.models import WatchedFolder


@dataclass(frozen=True, slots=True, kw_only=True)
class _Way:
    """How one kind of thing is put out of use."""

    model: type[Retirable]
    permission: str
    says: str  #: what happened, after its name
    back: str  #: the same of bringing it back


_WAYS = {
    "job": _Way(
        model=Job,
        permission="jobs.add_job",
        says="is closed: the Desk no longer asks for what it owes.",
        back="is open again.",
    ),
    "deliverable": _Way(
        model=Deliverable,
        permission="jobs.add_deliverable",
        says="is no longer owed. Its attempts and checks stay.",
        back="is owed again.",
    ),
    "bundle": _Way(
        model=Bundle,
        permission="jobs.add_deliverable",
        says="is no longer offered. What was ordered by it stays.",
        back="is offered again.",
    ),
    "timeline": _Way(
        model=Timeline,
        permission="edits.add_timeline",
        says="is no longer offered. What was judged by it stays.",
        back="is offered again.",
    ),
    "file": _Way(
        model=MediaFile,
        permission="jobs.add_render",
        says="is put away: it no longer waits in the intake. The file itself stays.",
        back="waits in the intake again.",
    ),
    "plan": _Way(
        model=Plan,
        permission="planner.add_plan",
        says="is removed from its job.",
        back="is with its job again.",
    ),
    "destination": _Way(
        model=Destination,
        permission="handoff.keep_destinations",
        says="is no longer offered. What was handed over to it stays.",
        back="is offered again.",
    ),
    "hook": _Way(
        model=Hook,
        permission="telling.keep_hooks",
        says="is no longer told.",
        back="is told again.",
    ),
    "source": _Way(
        model=SourceDocument,
        permission="shelf.add_specversion",
        says="is no longer offered with its spec. It stays kept.",
        back="is offered with its spec again.",
    ),
    "watched": _Way(
        model=WatchedFolder,
        permission="watching.keep_watched",
        says="is no longer watched. What was registered from it stays.",
        back="is watched again.",
    ),
    "root": _Way(
        model=StorageRoot,
        permission="storage.add_storageroot",
        says="is no longer offered. Its folder and the files known in it stay.",
        back="is offered again.",
    ),
}


@require_POST
def retire(request: HttpRequest, kind: str, **ids: int) -> HttpResponse:
    """Put something out of use, or bring it back with ``again``; the answer offers to undo it. ``ids`` holds its id."""
    way = _WAYS[kind]
    if not request.user.has_perm(way.permission):
        raise PermissionDenied
    row = get_object_or_404(way.model._default_manager, pk=next(iter(ids.values())))
    name = row.name if isinstance(row, Deliverable | Plan) else str(row)
    if request.POST.get("again"):
        if services.bring_back(row, by=signed_in(request)):
            messages.success(request, f"{name} {way.back}")
    elif services.retire(row, by=signed_in(request)):
        messages.success(request, f"{name} {way.says}", extra_tags=f"undo:{request.path}")
    return redirect(_home(row))


def _home(row: Model) -> str:
    """The page on which a thing is listed."""
    if isinstance(row, Deliverable | Timeline | Plan):
        return reverse("job", args=[row.job_id])
    if isinstance(row, Destination):
        return reverse("hand-offs")
    if isinstance(row, SourceDocument):
        return reverse("spec", args=[row.spec.slug])
    if isinstance(row, WatchedFolder):
        return reverse("watched-folders")
    if isinstance(row, Hook):
        return reverse("hooks")
    if isinstance(row, Job):
        return reverse("jobs")
    return reverse("desk") if isinstance(row, MediaFile) else reverse("house")
