"""Pages: the way of a deliverable, waiving, watching, signing, taking back."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_GET, require_POST

from brisk_core.decide import share_seen, what_to_watch, why_not_waivable
from brisk_core.facts import Depth, keys
from brisk_core.frames.clip import MOST_SECONDS
from brisk_web.accounts.people import NOT_YOUR_PASSWORD, is_own_password, signed_in
from brisk_web.checks.models import Check, Finding, Waiver
from brisk_web.decisions import services
from brisk_web.decisions.models import Request, Signature, Watching
from brisk_web.handoff.companions import readiness
from brisk_web.handoff.models import HandOff
from brisk_web.handoff.states import with_state
from brisk_web.house.models import Decision
from brisk_web.house.services import DecisionRefused
from brisk_web.jobs.models import Deliverable, Render
from brisk_web.pages.asking_again import decided_check
from brisk_web.pages.jobs import attempt_rows, newest_renders
from brisk_web.pages.places import guide_of
from brisk_web.pages.ways import one_way, way_of
from brisk_web.ui.asking import whole, words


def decisions_of(deliverable: Deliverable) -> list[tuple[str, Decision]]:
    """Return all that was decided about a deliverable, the newest first, each with its kind."""
    people = ("made_by", "taken_back_by")
    of_checks = Waiver.objects.filter(check_record__render__deliverable=deliverable)
    waivers = (of_checks | Waiver.objects.filter(deliverable=deliverable)).select_related(
        *people, "check_record__render"
    )
    found: list[tuple[str, Decision]] = [("waiver", one) for one in waivers]
    for kind, model in (("request", Request), ("watching", Watching), ("signature", Signature)):
        mine = model._default_manager.filter(render__deliverable=deliverable).select_related(*people, "render")
        found += [(kind, one) for one in mine]
    return sorted(found, key=lambda one: (one[1].made_at, one[1].pk), reverse=True)


@require_GET
def deliverable_page(request: HttpRequest, deliverable_id: int) -> HttpResponse:
    """The way of a deliverable: where it stands, its attempts, all that was decided."""
    asked = with_state(Deliverable.objects.select_related("job", "spec_version__spec", "timeline", "assigned_to"))
    found = get_object_or_404(asked.prefetch_related(newest_renders()), pk=deliverable_id)
    attempts = attempt_rows(found)
    check = attempts[0].check if attempts else None
    open_request = Request.objects.filter(render__deliverable=found, taken_back_at=None).first()
    context = {
        "deliverable": found,
        "attempts": attempts,
        "way": way_of(found, check.pk if check else None, verdict=check.verdict if check else None),
        "answered": services.answered(open_request) if open_request else None,
        "decisions": decisions_of(found),
        "along": readiness(found),
        "handoffs": HandOff.objects.filter(render__deliverable=found).select_related("destination", "render"),
    }
    return render(request, "decisions/deliverable.html", context)


def _back_to(row: Decision) -> str:
    if isinstance(row, Waiver) and row.deliverable_id:
        return reverse("deliverable", args=[row.deliverable_id])
    if isinstance(row, Waiver):
        return reverse("check", args=[row.check_record_id])
    if isinstance(row, Request):
        return reverse("request", args=[row.pk])
    if isinstance(row, Watching | Signature):
        return reverse("deliverable", args=[row.render.deliverable_id])
    raise TypeError(row)


@require_POST
def take_back(request: HttpRequest, decision_kind: str, decision_id: int) -> HttpResponse:
    """Take a decision back, with a reason."""
    if decision_kind not in services.KINDS:
        says = f"There is no decision of the kind {decision_kind[:40]!r}."
        return HttpResponse(says, status=404, content_type="text/plain")
    model, permission = services.KINDS[decision_kind]
    if not request.user.has_perm(permission):
        raise PermissionDenied
    row = get_object_or_404(model._default_manager, pk=decision_id)
    try:
        services.take_back(row, words(request.POST, "why"), by=signed_in(request))
    except DecisionRefused as error:
        messages.error(request, str(error))
    else:
        messages.success(request, "Taken back.")
    return redirect(_back_to(row))


# Waiving.


@permission_required("checks.add_waiver", raise_exception=True)
def waive(request: HttpRequest, check_id: int, line: str) -> HttpResponse:
    """Accept what a line found, with a reason: in this check, or in every attempt at the deliverable."""
    check = get_object_or_404(
        Check.objects.select_related("media_file__inspection", "timeline", "render__deliverable__job"), pk=check_id
    )
    finding = get_object_or_404(Finding, check_record=check, line=line)
    mistake = ""
    refused = why_not_waivable(finding.document, lead=request.user.has_perm("checks.waive_must"))
    if request.method == "POST":
        try:
            services.waive(
                check,
                line,
                words(request.POST, "reason"),
                by=signed_in(request),
                whole_deliverable=words(request.POST, "scope") == "deliverable",
                until=_day(words(request.POST, "until")),
            )
            return redirect(f"{reverse('check', args=[check.pk])}?line={line}")
        except DecisionRefused as error:
            mistake = str(error)
    context = {
        "check": check,
        "finding": finding,
        "places": guide_of(check).places(finding.document["spans"]),
        "refused": refused,
        "mistake": "" if mistake == refused else mistake,
        "reason": words(request.POST, "reason"),
        "until": words(request.POST, "until")[:10],
        "whole": words(request.POST, "scope") == "deliverable",
    }
    return render(request, "decisions/waive.html", context, status=422 if mistake else 200)


def _day(text: str) -> date | None:
    if not text:
        return None
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise DecisionRefused(f"“{text[:40]}” is no day; expected a date such as 2026-12-24.") from error


# Watching.


@permission_required("decisions.add_watching", raise_exception=True)
def watch(request: HttpRequest, check_id: int) -> HttpResponse:
    """What to watch of a render; each stretch is played and ticked off."""
    check, attempt = decided_check(check_id)
    mistake = ""
    if request.method == "POST":
        start, end = whole(request.POST.get("start"), -1), whole(request.POST.get("end"), -1)
        line, says = words(request.POST, "line")[:64], words(request.POST, "says")
        try:
            services.watched(attempt, start or 0, end or 0, says=says, line=line, by=signed_in(request))
            return redirect("watch", check.pk)
        except DecisionRefused as error:
            mistake = str(error)
    context = {"check": check, "deliverable": attempt.deliverable, "mistake": mistake} | _to_watch(check, attempt)
    return render(request, "decisions/watch.html", context, status=422 if mistake else 200)


def _to_watch(check: Check, attempt: Render) -> dict[str, Any]:
    """The stretches to watch with who saw them, the lines that only a person can judge, how much was seen."""
    inspection = check.media_file.inspection
    facts = inspection.facts if inspection else None
    frames = services.frames_of(check)
    rate = facts[keys.PICTURE_FRAME_RATE] if facts else None
    if facts is None or rate is None or not frames:
        return {"stretches": [], "frames": 0, "unmeasured": []}
    findings = [one.document for one in check.findings.all()]
    shots = []
    if check.timeline and check.timeline.edit.rate == rate:
        covered = check.timeline.covered(check.range_start, check.range_end)
        shots = [(one.start - covered.start, one.name) for one in check.timeline.edit.shots()]
    stretches = what_to_watch(frames, rate, findings, shots=shots, looked_at=facts.depth is Depth.FULL)
    guide, seen = guide_of(check), services.seen_of(attempt)
    shown = [
        {
            "stretch": one,
            "place": guide.places([{"start": one.start, "end": one.end}]).shown[0],
            "seen": share_seen(seen, [(one.start, one.end)]) == 1,
            "by": sorted({who.by for who in seen if who.start < one.end and who.end > one.start}),
        }
        for one in stretches
    ]
    proposed = [(one.start, one.end) for one in stretches]
    return {
        "stretches": shown,
        "frames": frames,
        "seen_proposed": float(share_seen(seen, proposed)),
        "seen_all": float(share_seen(seen, [(0, frames)])),
        "unmeasured": [row for row in findings if row["outcome"] == "not measured"],
        "words": attempt.watchings.filter(taken_back_at=None).select_related("made_by"),
        "clip": reverse("clip", args=[check.media_file_id, 0]).replace("/0.webm", "/"),
        "rate": float(rate),
        "most_seconds": MOST_SECONDS,
    }


# Signing.


@sensitive_post_parameters("password")
@permission_required("decisions.add_signature", raise_exception=True)
def sign(request: HttpRequest, check_id: int) -> HttpResponse:
    """Sign a render: what stands in the way, or what is signed; the password is asked once more."""
    check, attempt = decided_check(check_id)
    by, mistake = signed_in(request), ""
    blocked = services.why_not_sign(attempt, by=by)
    if request.method == "POST" and not blocked:
        if not is_own_password(request):
            mistake = NOT_YOUR_PASSWORD
        else:
            try:
                services.sign(attempt, words=words(request.POST, "words"), by=by)
                return redirect("deliverable", attempt.deliverable_id)
            except DecisionRefused as error:
                mistake = str(error)
    findings = list(check.findings.all())
    context = {
        "check": check,
        "deliverable": attempt.deliverable,
        "blocked": blocked,
        "mistake": mistake,
        "basis": services.basis_of(attempt),
        "counts": check.counts,
        "waived": [one for one in findings if one.outcome == "waived"],
        "open": [one for one in findings if one.outcome in ("caution", "not measured")],
        "words": words(request.POST, "words"),
        "way": one_way(attempt.deliverable_id, check.pk, check.verdict),
    }
    return render(
        request,
        "decisions/sign.html",
        context,
        status=422 if mistake or (blocked and request.method == "POST") else 200,
    )
