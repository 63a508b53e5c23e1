"""The draft of a spec, made from a good render: what it has becomes lines, and a lead ticks those that stay."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.utils.text import slugify
from django.views.decorators.http import require_http_methods

from brisk_core.facts import Inspection
from brisk_core.spec import FAMILIES, Draft, draft_document, draft_lines, parse_spec
from brisk_web.shelf.models import newest_published
from brisk_web.shelf.services import document_as_yaml
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import words


def _drafts(facts: Inspection | None, family: str) -> list[tuple[Draft, str]]:
    """Lines that a file suggests, with what is required in words."""
    drafts = draft_lines(facts, family, [one.parsed() for one in newest_published()]) if facts else []
    if not drafts:
        return []
    spec = parse_spec(_document(drafts, "Draft", family, "a file"))
    return [(draft, line.condition.required()) for draft, line in zip(drafts, spec.lines, strict=True)]


def _document(drafts: list[Draft], name: str, family: str, source: str) -> dict[str, object]:
    issued = timezone.localdate().isoformat()
    id_ = slugify(name)[:60] or "new-spec"
    return draft_document(drafts, id_=id_, name=name, family=family, source=source, issued=issued)


@require_http_methods(["GET", "POST"])
@permission_required("shelf.add_specversion", raise_exception=True)
def spec_from_file(request: HttpRequest, file_id: int) -> HttpResponse:
    """Choose the lines that a file suggests for a family; they become the document of a new spec, not yet published."""
    file = get_object_or_404(MediaFile.objects.select_related("inspection"), pk=file_id)
    asked = request.POST if request.method == "POST" else request.GET
    family = words(asked, "family")
    family = family if family in FAMILIES else FAMILIES[0]
    drafts = _drafts(file.inspection.facts if file.inspection else None, family)
    if request.method == "POST":
        ticked = set(request.POST.getlist("line"))
        kept = [draft for draft, _ in drafts if draft.id in ticked]
        if not kept:
            return redirect(f"{reverse('spec-from-file', args=[file.pk])}?family={family}&none=1")
        name = words(request.POST, "name")[:100] or "New spec"
        document = _document(kept, name, family, f"What {file.name} has")
        written = {
            "current": None,
            "text": document_as_yaml(document),
            "lines": len(kept),
            "action": reverse("new-spec"),
        }
        return render(request, "shelf/write_spec.html", written)
    context: dict[str, Any] = {
        "file": file,
        "family": family,
        "families": FAMILIES,
        "drafts": drafts,
        "none": "none" in request.GET,
    }
    return render(request, "shelf/from_file.html", context)
