"""The page of what comes along with a deliverable: words, poster, captions, papers; where each stands."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from brisk_core.handoff.companions import Ready
from brisk_core.spec.companions import CompanionKind
from brisk_web.accounts.people import signed_in
from brisk_web.handoff.companions import (
    CompanionRefused,
    bring_file,
    bring_words,
    readiness,
    remove,
    take_poster,
)
from brisk_web.handoff.models import Brought
from brisk_web.house.models import in_use
from brisk_web.jobs.models import Deliverable
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import whole

_MOST_PICTURES = 12  # offered as a poster
_SHOWN = {"jpeg": "image/jpeg", "png": "image/png"}  # in the page; all others are saved


@dataclass(frozen=True, slots=True, kw_only=True)
class CompanionRow:
    """A companion as the page shows it."""

    ready: Ready
    brought: Brought | None

    @property
    def enters(self) -> str:
        """How it is brought: words, tags, file, or captions, which stand beside the render."""
        if self.ready.companion.weight.value == "never":
            return ""
        kind = self.ready.companion.kind
        return kind.value if kind in (CompanionKind.TEXT, CompanionKind.TAGS, CompanionKind.CAPTIONS) else "file"


@require_GET
def companions_page(request: HttpRequest, deliverable_id: int) -> HttpResponse:
    """What comes along with a deliverable, and where each stands."""
    deliverable = get_object_or_404(Deliverable.objects.select_related("job", "spec_version__spec"), pk=deliverable_id)
    brought = {one.asked: one for one in in_use(deliverable.brought.all())}
    rows = [CompanionRow(ready=one, brought=brought.get(one.companion.id)) for one in readiness(deliverable)]
    newest = deliverable.renders.select_related("media_file__inspection", "check_record").first()
    context = {
        "deliverable": deliverable,
        "rows": rows,
        "ready": sum(row.ready.outcome == "pass" for row in rows),
        "newest": newest,
        "pictures": _pictures(newest.media_file) if newest else [],
    }
    return render(request, "handoff/companions.html", context)


def _pictures(file: MediaFile) -> list[int]:
    """Frames of which a small picture is kept, some of them, spread over the file."""
    kept = file.inspection.small_numbers if file.inspection else []
    step = max(len(kept) / _MOST_PICTURES, 1)
    return [kept[int(number * step)] for number in range(min(len(kept), _MOST_PICTURES))]


@require_POST
@permission_required("handoff.add_handoff", raise_exception=True)
def bring_companion(request: HttpRequest, deliverable_id: int, slug: str) -> HttpResponse:
    """Bring words, a file, or a poster: a frame of the newest render."""
    deliverable, by = get_object_or_404(Deliverable, pk=deliverable_id), signed_in(request)
    upload, frame = request.FILES.get("file"), whole(request.POST.get("frame"))
    try:
        if upload is not None:
            bring_file(deliverable, slug, upload, by=by)
        elif frame is not None and 0 <= frame < 10**8:
            take_poster(deliverable, slug, frame, by=by)
        elif "text" in request.POST:
            bring_words(deliverable, slug, request.POST["text"], by=by)
        else:
            messages.error(request, "Choose a file first.")
    except CompanionRefused as error:
        messages.error(request, str(error))
    return redirect("companions", deliverable.pk)


@require_POST
@permission_required("handoff.add_handoff", raise_exception=True)
def remove_companion(request: HttpRequest, brought_id: int) -> HttpResponse:
    """Let something no longer come along."""
    brought = get_object_or_404(Brought.objects.select_related("deliverable"), pk=brought_id)
    remove(brought, by=signed_in(request))
    return redirect("companions", brought.deliverable_id)


@require_GET
def companion_file(request: HttpRequest, brought_id: int) -> HttpResponseBase:
    """A file that comes along: pictures are shown, all else is saved."""
    brought = get_object_or_404(Brought, pk=brought_id)
    if not brought.is_here:
        raise Http404
    shown = _SHOWN.get(brought.facts.get("format", ""))
    return FileResponse(
        brought.path.open("rb"),
        as_attachment=shown is None,
        filename=brought.name,
        content_type=shown or "application/octet-stream",
    )
