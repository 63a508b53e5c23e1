"""The bell: what one was told, and how one wants to be told."""

from __future__ import annotations

from datetime import time

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_GET, require_POST

from brisk_web.accounts.people import signed_in
from brisk_web.telling.context import unread_of
from brisk_web.telling.models import Notice, Quiet, Wish
from brisk_web.telling.services import keep_quiet, keep_wishes, mark_read
from brisk_web.ui.asking import words
from brisk_web.ui.paging import newest_first

_ROWS = 40


@require_GET
def notices(request: HttpRequest) -> HttpResponse:
    """What the person was told, the newest first."""
    person = signed_in(request)
    wishes = {one.kind: one for one in Wish.objects.filter(person=person)}
    context = {
        "page": newest_first(request, Notice.objects.filter(person=person), _ROWS),
        "kinds": [(kind, label, wishes.get(kind)) for kind, label in Notice.Kind.choices],
        "has_mail": bool(person.email),
        "quiet": Quiet.objects.filter(person=person).first(),
    }
    return render(request, "pages/notices.html", context)


@require_GET
@never_cache
def unread(request: HttpRequest) -> JsonResponse:
    """How many notices are not read yet; the rail asks now and then."""
    return JsonResponse({"unread": unread_of(signed_in(request))})


@require_POST
def open_notice(request: HttpRequest, notice_id: int) -> HttpResponse:
    """Go where a notice leads, and count it as read."""
    person = signed_in(request)
    notice = get_object_or_404(Notice, pk=notice_id, person=person)
    mark_read(person, only=notice.pk)
    leads_home = url_has_allowed_host_and_scheme(notice.address, allowed_hosts=None)
    return redirect(notice.address if leads_home else "notices")


@require_POST
def read_notices(request: HttpRequest) -> HttpResponse:
    """Count all notices as read."""
    mark_read(signed_in(request))
    return redirect("notices")


@require_POST
def keep_wishes_page(request: HttpRequest) -> HttpResponse:
    """Keep how the person wants to be told of each kind of thing."""
    chosen = {
        kind: (words(request.POST, f"house {kind}") == "on", words(request.POST, f"mail {kind}") == "on")
        for kind in Notice.Kind.values
    }
    person = signed_in(request)
    keep_wishes(person, chosen)
    begins, ends = (words(request.POST, name).strip() for name in ("quiet_from", "quiet_to"))
    try:
        keep_quiet(person, _clock(begins), _clock(ends))
    except ValueError:
        messages.error(request, f"met {begins[:20]!r} to {ends[:20]!r} as quiet hours; expected such as 22:00 to 07:00")
    else:
        messages.success(request, "Saved.")
    return redirect("notices")


def _clock(text: str) -> time | None:
    """A time of day; raises ``ValueError``."""
    return time.fromisoformat(text) if text else None
