"""What a machine asks of the house: does it run, and can it work? Open to whoever asks, so it tells of nobody."""

from __future__ import annotations

import shutil
from typing import Any

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import DatabaseError, connection
from django.db.migrations.executor import MigrationExecutor
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_safe
from procrastinate.contrib.django.models import ProcrastinateJob

from brisk_web.work.sweep import count_workers

_migrated: set[str] = set()  # databases that were seen to be up to date: what is done stays done
LEAST_FREE = 1 << 30  #: bytes of the data folder's disk below which uploads and scans fail soon


@require_safe
@never_cache
@login_not_required
def healthz(_: HttpRequest) -> HttpResponse:
    """Does the web run? Nothing else is asked, so whoever starts it again for this does so for no other's fault."""
    return HttpResponse("ok\n", content_type="text/plain; charset=utf-8")


@require_safe
@never_cache
@login_not_required
def readyz(_: HttpRequest) -> JsonResponse:
    """Can the house work? 200 or 503, and each answer in words."""
    free = shutil.disk_usage(settings.DATA_FOLDER).free if settings.DATA_FOLDER.is_dir() else 0
    troubles = [] if free >= LEAST_FREE else ["less than 1 GiB is free where the house keeps its data"]
    told: dict[str, Any] = {"free_bytes": free}
    try:
        troubles += _troubles_of_database(told)
    except DatabaseError:
        troubles.append("the database does not answer")
    ready = not troubles
    return JsonResponse({"ready": ready, "troubles": troubles, **told}, status=200 if ready else 503)


def _troubles_of_database(told: dict[str, Any]) -> list[str]:
    name = str(connection.settings_dict["NAME"])
    if name not in _migrated:
        executor = MigrationExecutor(connection)
        if pending := len(executor.migration_plan(executor.loader.graph.leaf_nodes())):
            return [f"{pending} migration{'s are' if pending > 1 else ' is'} not applied"]
        _migrated.add(name)
    workers = count_workers()
    told["workers"], told["silent_workers"] = workers["alive"], workers["silent"]
    told["waiting"] = ProcrastinateJob.objects.filter(status="todo").count()
    return [] if told["workers"] else ["no worker has given a sign of life lately"]
