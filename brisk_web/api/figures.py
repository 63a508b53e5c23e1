"""Figures for a program that watches over machines, in the text format of Prometheus; read with a token."""

from __future__ import annotations

import shutil
from collections.abc import Iterator

from django.conf import settings
from django.contrib.auth.decorators import login_not_required
from django.db import connection
from django.db.models import Count, Min, Sum
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_safe
from procrastinate.contrib.django.models import ProcrastinateJob
from prometheus_client import CollectorRegistry
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.exposition import choose_encoder

from brisk_core.version import ENGINE
from brisk_web.api.access import READ
from brisk_web.house.tokens import token_of
from brisk_web.storage.models import Upload
from brisk_web.work.kernel import KINDS
from brisk_web.work.models import Work
from brisk_web.work.sweep import count_workers

_WAITING = "todo"  # the status of a task of the queue that nobody has taken


class House:
    """What the house has to do, who does it and what room is left, read from the database when it is asked."""

    def collect(self) -> Iterator[GaugeMetricFamily]:
        """Yield the figures."""
        yield _one("brisk_engine_info", "The engine that inspects and judges.", {"version": ENGINE}, 1)
        yield from _queues()
        yield from _work()
        yield _workers()
        yield from _uploads()
        free = shutil.disk_usage(settings.DATA_FOLDER).free if settings.DATA_FOLDER.is_dir() else 0
        yield _one("brisk_data_free_bytes", "Bytes free where the house keeps its data.", {}, free)
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_database_size(current_database())")
            yield _one("brisk_database_bytes", "Bytes that the database takes.", {}, cursor.fetchone()[0])


def _one(name: str, says: str, labels: dict[str, str], value: float) -> GaugeMetricFamily:
    family = GaugeMetricFamily(name, says, labels=list(labels))
    family.add_metric(list(labels.values()), value)
    return family


def _queues() -> Iterator[GaugeMetricFamily]:
    tasks = GaugeMetricFamily("brisk_tasks", "Tasks that wait (todo) or are done (doing).", labels=["queue", "status"])
    oldest = GaugeMetricFamily("brisk_oldest_task_seconds", "How long the first task has waited.", labels=["queue"])
    now = timezone.now()
    counted = ProcrastinateJob.objects.filter(status__in=(_WAITING, "doing")).values("queue_name", "status")
    for row in counted.annotate(count=Count("pk", distinct=True), since=Min("procrastinateevent__at")).order_by(
        "queue_name"
    ):
        tasks.add_metric([row["queue_name"], row["status"]], row["count"])
        if row["status"] == _WAITING and row["since"]:
            oldest.add_metric([row["queue_name"]], (now - row["since"]).total_seconds())
    yield tasks
    yield oldest


def _work() -> Iterator[GaugeMetricFamily]:
    rows = GaugeMetricFamily("brisk_work", "Work by what it is and how it stands.", labels=["kind", "state"])
    for model in sorted({kind.model for kind in KINDS}, key=lambda model: model._meta.label_lower):
        counted = dict(model._default_manager.values_list("state").annotate(Count("pk")).order_by())
        for state in Work.State.values:
            rows.add_metric([model._meta.label_lower, state], counted.get(state, 0))
    yield rows


def _workers() -> GaugeMetricFamily:
    family = GaugeMetricFamily("brisk_workers", "Workers that gave a sign of life lately, or none.", labels=["state"])
    for state, count in count_workers().items():
        family.add_metric([state], count)
    return family


def _uploads() -> Iterator[GaugeMetricFamily]:
    begun = Upload.objects.filter(file=None).aggregate(count=Count("pk"), arrived=Sum("offset"))
    yield _one("brisk_uploads", "Uploads that have begun and are not whole.", {}, begun["count"])
    yield _one("brisk_uploads_bytes", "Bytes that have arrived of them.", {}, begun["arrived"] or 0)


@require_safe
@never_cache
@login_not_required
def figures(request: HttpRequest) -> HttpResponse:
    """The figures, to a token that may read; 401 to anybody else."""
    scheme, _, text = request.headers.get("Authorization", "").partition(" ")
    token = token_of(text.strip()) if scheme.casefold() == "bearer" and text else None
    if token is None or READ not in token.scopes:
        answer = HttpResponse("expected Authorization: Bearer and a token with the scope read\n", status=401)
        answer["Content-Type"], answer["WWW-Authenticate"] = "text/plain; charset=utf-8", "Bearer"
        return answer
    registry = CollectorRegistry()
    registry.register(House())
    encode, kind = choose_encoder(request.headers.get("Accept", ""))
    return HttpResponse(encode(registry), content_type=kind)
