"""Page: what happened to one thing, from the audit trail."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from django.db.models import Model, Q
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET

from brisk_web.checks.models import Check, Waiver
from brisk_web.decisions.models import Point, Signature, Watching
from brisk_web.decisions.models import Request as AskedAgain
from brisk_web.handoff.models import Brought, HandOff
from brisk_web.house.models import AuditEntry
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Deliverable, Job, Render
from brisk_web.shelf.models import Review, SourceDocument, Spec, SpecVersion
from brisk_web.stems.models import StemCheck
from brisk_web.storage.models import MediaFile
from brisk_web.telling.models import Comment
from brisk_web.ui.paging import newest_first

_SHOWN = 60  # entries of a page

#: Rows that belong to a render, and how each names it.
_OF_RENDER: tuple[tuple[type[Model], str], ...] = (
    (Check, "render"), (AskedAgain, "render"), (Point, "request__render"), (Watching, "render"), (Signature, "render"),
    (HandOff, "render"), (Waiver, "check_record__render"), (Comment, "check_record__render"),
)  # fmt: skip


def _through_renders(way: str) -> tuple[tuple[type[Model], str], ...]:
    """Rows that belong to a thing by its renders; ``way`` is how a render names it."""
    return ((Render, way), *((model, f"{render}__{way}") for model, render in _OF_RENDER))


@dataclass(frozen=True, slots=True, kw_only=True)
class _Kind:
    """A kind of thing whose trail is shown."""

    model: type[Model]
    key: str  #: field by which its address names it
    page: str  #: name of its page's address
    belongs: tuple[tuple[type[Model], str], ...]  #: rows that belong to it, and how each names it


_KINDS = {
    "file": _Kind(
        model=MediaFile,
        key="pk",
        page="file",
        belongs=(
            (Inspection, "files"), (Check, "media_file"), (Waiver, "check_record__media_file"),
            (Comment, "check_record__media_file"), (StemCheck, "mix"), *_through_renders("media_file"),
        ),
    ),
    "deliverable": _Kind(
        model=Deliverable,
        key="pk",
        page="deliverable",
        belongs=((Waiver, "deliverable"), (Brought, "deliverable"), *_through_renders("deliverable")),
    ),
    "job": _Kind(
        model=Job,
        key="pk",
        page="job",
        belongs=(
            (Deliverable, "job"), (Waiver, "deliverable__job"), (Brought, "deliverable__job"),
            *_through_renders("deliverable__job"),
        ),
    ),
    "spec": _Kind(
        model=Spec,
        key="slug",
        page="spec",
        belongs=((SpecVersion, "spec"), (SourceDocument, "spec"), (Review, "version__spec")),
    ),
}  # fmt: skip


@require_GET
def what_happened(request: HttpRequest, kind: str, **named: Any) -> HttpResponse:
    """Everything that was done with one thing and with what belongs to it, the newest first."""
    meant = _KINDS[kind]
    thing = get_object_or_404(meant.model._default_manager.all(), **{meant.key: next(iter(named.values()))})
    entries = AuditEntry.objects.filter(target__in=list(_targets(meant, thing))).select_related("actor")
    context = {
        "thing": thing,
        "kind": kind,
        "address": reverse(meant.page, args=list(named.values())),
        "entries": newest_first(request, entries, size=_SHOWN),
    }
    return render(request, "house/what_happened.html", context)


def _targets(kind: _Kind, thing: Model) -> Iterator[str]:
    """How the trail names a thing and what belongs to it."""
    yield f"{kind.model._meta.model_name}:{thing.pk}"
    ways: dict[type[Model], Q] = {}
    for model, way in kind.belongs:
        ways[model] = ways.get(model, Q()) | Q(**{way: thing})
    for model, belongs in ways.items():
        for pk in model._default_manager.filter(belongs).order_by().distinct().values_list("pk", flat=True):
            yield f"{model._meta.model_name}:{pk}"
