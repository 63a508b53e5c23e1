"""Comments on a check, its lines and its frames."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.contrib.auth.models import User
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from brisk_web.accounts.people import signed_in
from brisk_web.checks.models import Check
from brisk_web.house import services as house
from brisk_web.house.services import DecisionRefused
from brisk_web.pages.places import guide_of
from brisk_web.telling import services
from brisk_web.telling.models import Comment
from brisk_web.ui.asking import whole, words

_RELATED = ("media_file__inspection", "timeline", "spec_version__spec", "render__deliverable__job")
_MOST = 500


@require_GET
def comments(request: HttpRequest, check_id: int) -> HttpResponse:
    """What was said of a check, and a form to say something."""
    check = get_object_or_404(Check.objects.select_related(*_RELATED), pk=check_id)
    asked = {"line": words(request.GET, "line"), "frame": words(request.GET, "frame"), "words": ""}
    return _page(request, check, asked)


@require_POST
@permission_required("telling.add_comment", raise_exception=True)
def add_comment(request: HttpRequest, check_id: int) -> HttpResponse:
    """Say something."""
    check = get_object_or_404(Check.objects.select_related(*_RELATED), pk=check_id)
    asked = {name: words(request.POST, name) for name in ("line", "frame", "words")}
    frame = whole(asked["frame"])
    if asked["frame"] and frame is None:
        return _page(request, check, asked, f"met {asked['frame'][:40]!r} as a frame; expected a whole number")
    try:
        made = services.comment(check, asked["words"], line=asked["line"], frame=frame, by=signed_in(request))
    except DecisionRefused as error:
        return _page(request, check, asked, str(error))
    return redirect(f"{reverse('comments', args=[check.pk])}#comment-{made.pk}")


@require_POST
@permission_required("telling.add_comment", raise_exception=True)
def remove_comment(request: HttpRequest, comment_id: int) -> HttpResponse:
    """Remove a comment, or bring it back with ``again``: whoever made it, or a lead."""
    comment = get_object_or_404(Comment.objects.select_related("made_by"), pk=comment_id)
    person = signed_in(request)
    if comment.made_by != person and not person.has_perm("checks.take_back_any"):
        raise PermissionDenied
    if request.POST.get("again"):
        house.bring_back(comment, by=person)
    elif house.retire(comment, by=person):
        messages.success(request, "The comment is removed.", extra_tags=f"undo:{request.path}")
    return redirect("comments", comment.check_record_id)


def _page(request: HttpRequest, check: Check, asked: dict[str, str], mistake: str = "") -> HttpResponse:
    labels = dict(check.findings.values_list("line", "label"))
    guide = guide_of(check)
    rows: list[dict[str, Any]] = []
    for one in check.comments.select_related("made_by")[:_MOST]:
        timecode = guide.timecode(one.frame) if one.frame is not None else ""
        rows.append({"comment": one, "label": labels.get(one.line, one.line), "timecode": timecode})
    context = {
        "check": check,
        "rows": rows,
        "lines": list(labels.items()),
        "people": User.objects.filter(is_active=True).order_by("username").values_list("username", flat=True)[:100],
        "asked": asked,
        "mistake": mistake,
    }
    return render(request, "checks/comments.html", context, status=422 if mistake else 200)
