"""Pages: the documents that a spec was written from."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from brisk_web.accounts.people import signed_in
from brisk_web.shelf.models import SourceDocument, Spec
from brisk_web.shelf.services import MOST_SOURCE, SourceRefused, attach


@require_POST
@permission_required("shelf.add_specversion", raise_exception=True)
def attach_source(request: HttpRequest, slug: str) -> HttpResponse:
    """Keep a document with a spec."""
    spec = get_object_or_404(Spec, slug=slug)
    upload = request.FILES.get("file")
    if upload is None:
        messages.error(request, "Choose the document that the spec was written from.")
        return redirect("spec", slug)
    try:
        made = attach(spec, upload.name or "document", upload.read(MOST_SOURCE + 1), by=signed_in(request))
    except SourceRefused as error:
        messages.error(request, str(error))
    else:
        messages.success(request, f"{made} is kept with the spec.")
    return redirect("spec", slug)


@require_GET
def source_document(request: HttpRequest, source_id: int) -> HttpResponse:
    """A document as it came: it is saved, never opened inside these pages."""
    found = get_object_or_404(SourceDocument, pk=source_id)
    answer = HttpResponse(bytes(found.data), content_type="application/octet-stream")
    answer["Content-Disposition"] = content_disposition_header(as_attachment=True, filename=found.name) or "attachment"
    return answer
