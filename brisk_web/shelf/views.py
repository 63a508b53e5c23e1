"""Pages: the shelf of specs, one spec's sheet, its document."""

from __future__ import annotations

import datetime
import json

import yaml
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.utils import timezone
from django.views.decorators.http import require_GET

from brisk_core.facts import Group
from brisk_core.spec import Line
from brisk_web.shelf.models import Spec, SpecVersion


@require_GET
def spec_list(request: HttpRequest) -> HttpResponse:
    """The shelf."""
    wanted = request.GET.get("q", "").strip()
    versions = (
        SpecVersion.objects.filter(published_at__isnull=False)
        .select_related("spec")
        .order_by("spec__name", "-number")
        .distinct("spec__name")
    )
    if wanted:
        versions = versions.filter(spec__name__icontains=wanted)
    context = {"versions": versions[:200], "wanted": wanted, "today": timezone.localdate()}
    return render(request, "shelf/spec_list.html", context)


def _version(slug: str, number: int | None) -> SpecVersion:
    spec = get_object_or_404(Spec, slug=slug)
    if number is None:
        if spec.current is None:
            raise Http404
        return spec.current
    return get_object_or_404(SpecVersion.objects.select_related("spec"), spec=spec, number=number)


@require_GET
def spec_sheet(request: HttpRequest, slug: str) -> HttpResponse:
    """One version of a spec, line by line."""
    asked = request.GET.get("version", "")
    version = _version(slug, int(asked) if asked.isdigit() else None)
    groups: dict[str, list[Line]] = {}
    document = version.parsed()
    for group in Group:
        lines = [line for line in document.lines if line.row.group is group]
        if lines:
            groups[group.value] = lines
    context = {
        "version": version,
        "groups": groups.items(),
        "versions": version.spec.versions.filter(published_at__isnull=False),
        "overdue": bool(version.review_by and version.review_by < timezone.localdate()),
    }
    return render(request, "shelf/spec_sheet.html", context)


@require_GET
def spec_document(request: HttpRequest, slug: str, number: int, kind: str) -> HttpResponse:
    """The document of a version as YAML or JSON."""
    version = _version(slug, number)
    if kind == "json":
        return JsonResponse(version.document)
    if kind != "yaml":
        raise Http404
    text = yaml.safe_dump(_with_dates(version.document), sort_keys=False, allow_unicode=True, width=110)
    return HttpResponse(text, content_type="application/yaml; charset=utf-8")


def _with_dates(document: dict[str, object]) -> dict[str, object]:
    copy: dict[str, object] = json.loads(json.dumps(document))
    for key in ("issued", "review_by"):
        if copy.get(key):
            copy[key] = datetime.date.fromisoformat(str(copy[key]))
    return copy
