"""The page of the house: queue and workers, storage roots, people, audit trail."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import lru_cache

from django.conf import settings
from django.contrib import messages
from django.contrib.auth import get_user_model
from django.contrib.auth.decorators import permission_required
from django.db import connection
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST
from procrastinate.contrib.django.models import ProcrastinateWorker

from brisk_core import sandbox
from brisk_core.sandbox import requests
from brisk_web.house import chain
from brisk_web.house.models import AuditEntry
from brisk_web.inspections.models import Inspection
from brisk_web.inspections.services import outdated_files
from brisk_web.pages.queue import how_it_stands
from brisk_web.storage.models import StorageRoot
from brisk_web.ui.paging import newest_first
from brisk_web.work.models import Pause
from brisk_web.work.pausing import PAUSABLE
from brisk_web.work.sweep import SILENT_S

_MOST_ACTIVE = 5  # files that are named; the queue has them all
SILENT = timedelta(seconds=SILENT_S)


@dataclass(frozen=True, slots=True, kw_only=True)
class WorkerRow:
    """One worker as the page shows it."""

    number: int
    seen_at: datetime
    is_silent: bool  #: has it given no sign of life for so long that its work is taken up by others?


def _workers() -> list[WorkerRow]:
    now = timezone.now()
    return [
        WorkerRow(number=one.pk, seen_at=one.last_heartbeat, is_silent=now - one.last_heartbeat > SILENT)
        for one in ProcrastinateWorker.objects.order_by("id")
    ]


def _database_since() -> datetime:
    """When the database was started."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_postmaster_start_time()")
        since: datetime = cursor.fetchone()[0]
    return since


#: What a wall around the reading of files keeps in, by its name among those of the sandbox.
_WALLS = {
    "reading": "reading other files", "writing": "writing elsewhere", "processes": "starting processes",
    "programs": "starting programs", "network": "the network", "namespaces": "leaving its network",
    "signals": "signals to others", "privileges": "gaining rights",
}  # fmt: skip


@lru_cache
def _open_walls() -> tuple[str, ...]:
    """What a process that reads a file could do on this machine and should not; asked once a process, by trying."""
    refused = sandbox.run(requests.Walls(probe=os.path.realpath(settings.BASE_DIR / "manage.py")))["refused"]
    return tuple(words for name, words in _WALLS.items() if not refused.get(name))


@require_GET
def house(request: HttpRequest) -> HttpResponse:
    """What runs, what waits, who is here, what was done."""
    may_see_audit = request.user.has_perm("house.view_auditentry")
    audit = newest_first(request, AuditEntry.objects.select_related("actor"), size=30) if may_see_audit else None
    active = Inspection.objects.filter(state__in=(Inspection.State.QUEUED, Inspection.State.RUNNING))
    standing = how_it_stands()
    context = {
        "workers": _workers(),
        "open_walls": _open_walls(),
        "database_since": _database_since(),
        "waiting": standing.waiting,
        "pauses": [f"{PAUSABLE.get(one.queue, one.queue)} is paused" for one in Pause.now()],
        "active": active.prefetch_related("files").order_by("-urgent", "id")[:_MOST_ACTIVE],
        "troubles": standing.troubles,
        "outdated": outdated_files().count(),
        "roots": StorageRoot.objects.all(),
        "people": get_user_model().objects.filter(is_active=True).prefetch_related("groups").order_by("username"),
        "audit": audit,
        "sealed": chain.head() if may_see_audit else None,
        "refresh_ms": 2000 if active.exists() else 0,
    }
    return render(request, "house/house.html", context)


@require_POST
@permission_required("house.view_auditentry", raise_exception=True)
def verify_trail(request: HttpRequest) -> HttpResponse:
    """Seal what waits and verify the whole audit trail."""
    chain.seal()
    wrong = chain.verify()
    if wrong:
        messages.error(request, f"The audit trail is broken at seal {wrong.number}: {wrong.says}.")
    else:
        number, _ = chain.head()
        messages.success(request, f"The audit trail holds: none of its {number} entries was changed or removed.")
    return redirect("house")


@require_GET
@permission_required("house.view_auditentry", raise_exception=True)
def trail(request: HttpRequest) -> StreamingHttpResponse:
    """The sealed audit trail as lines of JSON."""
    lines = (json.dumps(row, ensure_ascii=False) + "\n" for row in chain.rows())
    answer = StreamingHttpResponse(lines, content_type="application/x-ndjson")
    answer["Content-Disposition"] = 'attachment; filename="audit-trail.jsonl"'
    return answer
