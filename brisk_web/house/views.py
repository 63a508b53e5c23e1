"""The page of the house: queue and workers, storage roots, people, audit trail."""

from __future__ import annotations

from django.contrib.auth import get_user_model
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET
from procrastinate.contrib.django.models import ProcrastinateJob, ProcrastinateWorker

from brisk_web.house.models import AuditEntry
from brisk_web.inspections.models import Inspection
from brisk_web.inspections.services import outdated_files
from brisk_web.storage.models import StorageRoot
from brisk_web.ui.paging import newest_first


@require_GET
def house(request: HttpRequest) -> HttpResponse:
    """What runs, what waits, who is here, what was done."""
    may_see_audit = request.user.has_perm("house.view_auditentry")
    audit = newest_first(request, AuditEntry.objects.select_related("actor"), size=30) if may_see_audit else None
    active = Inspection.objects.filter(state__in=(Inspection.State.QUEUED, Inspection.State.RUNNING))
    context = {
        "workers": ProcrastinateWorker.objects.order_by("id"),
        "waiting": ProcrastinateJob.objects.filter(status="todo").count(),
        "active": active.prefetch_related("files").order_by("id")[:50],
        "outdated": outdated_files().count(),
        "roots": StorageRoot.objects.all(),
        "people": get_user_model().objects.filter(is_active=True).prefetch_related("groups").order_by("username"),
        "audit": audit,
        "refresh_ms": 2000 if active.exists() else 0,
    }
    return render(request, "house/house.html", context)
