"""The Desk: what needs a person now, in order of due time; beside it the intake."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.db.models import Count, Exists, Min, OuterRef, Q
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.http import require_GET

from brisk_web.accounts.people import signed_in
from brisk_web.captions.models import CaptionFile
from brisk_web.checks.models import Check
from brisk_web.handoff.states import State, failing, needs_a_person, with_state
from brisk_web.house.models import in_use
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Deliverable, Job, Render, owed
from brisk_web.jobs.suggestions import Suggestion, suggest_all
from brisk_web.pages.jobs import REFRESH_MS, newest_renders, rows_of
from brisk_web.pages.queue import trouble_of_room
from brisk_web.shelf.models import newest_by_due
from brisk_web.stems.models import StemCheck, StemPart
from brisk_web.storage.models import MediaFile, StorageRoot, Upload
from brisk_web.ui.asking import words
from brisk_web.ui.paging import due_first, newest_first
from brisk_web.watching.models import WatchedFolder
from brisk_web.work.models import Pause
from brisk_web.work.pausing import PAUSABLE

_JOBS_OFFERED = 200  # to an edit that is dropped, the newest
_INTAKE_ROWS = 8  # files without a deliverable shown at once
_MOST_TROUBLED = 3  # watched folders that are named
_SOON = timedelta(hours=24)
_ACTIVE = (Inspection.State.QUEUED, Inspection.State.RUNNING)


@dataclass(frozen=True, slots=True, kw_only=True)
class IntakeRow:
    """A file that belongs to no deliverable yet, with what its name suggests."""

    file: MediaFile
    suggestion: Suggestion | None


def _ways(request: HttpRequest) -> dict[str, tuple[str, Q]]:
    """The parts of the Desk: the words of each, and what belongs to it."""
    by = signed_in(request)
    mine = Render.objects.filter(taken_in_by=by).values("deliverable")
    return {
        "": ("Open", ~Q(state=State.TAKEN)),
        "waiting": ("Waiting for you", needs_a_person()),
        "failing": ("Failing", failing()),
        "due": ("Due within a day", Q(due_at__lt=timezone.now() + _SOON)),
        "mine": ("Mine", Q(pk__in=mine) | Q(assigned_to=by)),
        "empty": ("Without a render", Q(state=State.WAITING)),
        "asked": ("Asked again", Q(state=State.ASKED)),
        "signed": ("Signed", Q(state__in=(State.SIGNED, State.SENDING))),
        "with-them": ("With them", Q(state__in=(State.WITH_THEM, State.REFUSED, State.WRONG))),
        "taken": ("Taken", Q(state=State.TAKEN)),
    }


@require_GET
def desk(request: HttpRequest) -> HttpResponse:
    """What needs a person now, in order of due time; beside it the intake."""
    ways, chosen, wanted = _ways(request), words(request.GET, "show"), words(request.GET, "q")
    chosen = chosen if chosen in ways else ""
    asked = with_state(owed(Deliverable.objects.all()))
    if wanted:
        asked = asked.filter(Q(name__icontains=wanted) | Q(job__title__icontains=wanted))
    counts = asked.aggregate(
        next_due=Min("due_at", filter=Q(due_at__gt=timezone.now()) & ~Q(state=State.TAKEN)),
        **{f"count_{key}": Count("pk", filter=one) for key, (_, one) in ways.items()},
    )
    page = due_first(
        request,
        asked.filter(ways[chosen][1])
        .select_related("job", "spec_version__spec", "assigned_to")
        .defer("spec_version__document")
        .prefetch_related(newest_renders()),
    )
    running, room = Inspection.objects.filter(state__in=_ACTIVE).count(), trouble_of_room()
    context: dict[str, Any] = {
        "rows": rows_of(page.rows),
        "page": page,
        "wanted": wanted,
        "chosen": chosen,
        "ways": [
            {"key": key, "label": label, "count": counts[f"count_{key}"]}
            for key, (label, _) in ways.items()
            if counts[f"count_{key}"] or key in ("", chosen)
        ],
        "waiting": counts["count_waiting"],
        "running": running,
        "next_due": counts["next_due"],
        "unfinished": Upload.objects.filter(owner=signed_in(request), file=None).order_by("created_at"),
        "open_jobs": in_use(Job.objects.order_by("-pk"))[:_JOBS_OFFERED],
        "roots": in_use(StorageRoot.objects.filter(takes_uploads=False)),
        "pauses": [PAUSABLE.get(one.queue, one.queue) for one in Pause.now()],
        "troubles": [room] if room and room.stops else [],
        "troubled": in_use(WatchedFolder.objects.exclude(trouble="").select_related("root"))[:_MOST_TROUBLED],
        "reviews_due": newest_by_due(timezone.localdate()).count() if _keeps_specs(request) else 0,
        "refresh_ms": REFRESH_MS if running else 0,
    }
    return render(request, "jobs/desk.html", context | _intake(request))


def _keeps_specs(request: HttpRequest) -> bool:
    return request.user.has_perm("shelf.add_specversion")


def _intake(request: HttpRequest) -> dict[str, Any]:
    """Files that belong to nothing yet: a page of them, and how many there are."""
    # Each asked for by itself, so that the newest rows are found without looking at all files.
    belongs = [
        Exists(model.objects.filter(**{field: OuterRef("pk")}))
        for model, field in (
            (Render, "media_file"), (Check, "media_file"), (CaptionFile, "source"),
            (StemCheck, "mix"), (StemPart, "media_file"),
        )
    ]  # fmt: skip
    waiting = (
        MediaFile.objects.filter(*[~one for one in belongs]).select_related("inspection").defer("inspection__document")
    )
    away = words(request.GET, "intake") == "away"
    counts = waiting.aggregate(waits=Count("pk", filter=Q(retired_at=None)), away=Count("retired_at"))
    waiting = waiting.exclude(retired_at=None) if away else in_use(waiting)
    page = newest_first(request, waiting, _INTAKE_ROWS)
    found = suggest_all(file.name for file in page.rows)
    rows = [IntakeRow(file=file, suggestion=found[file.name]) for file in page.rows]
    return {
        "intake": rows,
        "intake_page": page,
        "intake_count": counts["away" if away else "waits"],
        "away": away,
        "away_count": counts["away"],
    }
