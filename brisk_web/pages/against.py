"""The page Against the master, and choosing one."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from brisk_core.exact import nominal_frames
from brisk_core.facts import Held, keys
from brisk_core.facts import Inspection as Facts
from brisk_core.master import held_of
from brisk_core.report import AttemptsTold, JudgedLine, tell_attempts
from brisk_web.accounts.people import signed_in
from brisk_web.checks.models import Check
from brisk_web.checks.services import pair_of
from brisk_web.jobs.models import Render
from brisk_web.jobs.services import choose_master
from brisk_web.masters import services
from brisk_web.masters.models import Comparison
from brisk_web.storage.models import MediaFile
from brisk_web.ui.asking import asked_id

_OFFERED = 60  # newest files in the list of files to compare with
_NAMES = (
    (keys.MASTER_MAP.id, "Frames"),
    (keys.MASTER_GEOMETRY.id, "Picture"),
    (keys.MASTER_LEVEL_CURVE.id, "Levels"),
    (keys.MASTER_SIMILARITY.id, "Similarity"),
    (keys.MASTER_SOUND.id, "Sound"),
)
#: A shift that a missing shot before it explains is no fault of the shot itself.
_STATES = {"in place": "pass", "early": "pass", "late": "pass", "missing": "fail"}


def _get(check_id: int) -> Check:
    related = (
        "media_file__inspection",
        "timeline",
        "spec_version__spec",
        "render__deliverable__job",
        "master__inspection",
    )
    return get_object_or_404(Check.objects.select_related(*related), pk=check_id)


def _other(request: HttpRequest, check: Check) -> MediaFile | None:
    """The file to hold against: the one asked for, else the master of the deliverable."""
    if request.GET.get("with"):
        return get_object_or_404(MediaFile.objects.select_related("inspection"), pk=asked_id(request.GET, "with"))
    return check.master


@require_GET
def against(request: HttpRequest, check_id: int) -> HttpResponse:
    """Where each frame of the master went, and how like it the file is."""
    check = _get(check_id)
    other = _other(request, check)
    pair = pair_of(check, other)
    comparison = services.find(pair) if pair else None
    attempt = _attempt(check, other)
    context: dict[str, Any] = {
        "check": check,
        "file": check.media_file,
        "other": other,
        "other_title": f"attempt {attempt.attempt}" if attempt else "master",
        "attempt": attempt,
        "is_master": other is not None and other == check.master,
        "comparison": comparison,
        "offered": _offered(check, other),
    }
    if comparison and comparison.state == Comparison.State.DONE and comparison.document:
        context |= _found(check, other, comparison.document)
        context["attempts"] = _between(check, other, comparison.document) if other else None
    return render(request, "masters/against.html", context)


def _between(check: Check, other: MediaFile, document: dict[str, Any]) -> AttemptsTold | None:
    """What changed from the earlier to the later of two attempts, ``None`` when the other file is no attempt."""
    attempt = check.render.deliverable.renders.filter(media_file=other).first() if check.render else None
    if check.render is None or attempt is None or not document["found"]:
        return None
    own, others = _judged(check), _judged(attempt.check_record)
    earlier_is_master = attempt.attempt < check.render.attempt
    scans = [file.inspection.load_scan() if file.inspection else None for file in (check.media_file, other)]
    return tell_attempts(
        max(check.render.attempt, attempt.attempt),
        others if earlier_is_master else own,
        own if earlier_is_master else others,
        document,
        (scans[0], scans[1]),
        earlier_is_master=earlier_is_master,
    )


def _judged(check: Check) -> list[JudgedLine]:
    return [
        JudgedLine(
            id=finding.line,
            label=finding.label,
            group=finding.group,
            outcome=finding.outcome,
            spans=tuple((span["start"], span["end"]) for span in finding.document["spans"]),
        )
        for finding in check.findings.exclude(characteristic__startswith="master.")
    ]


def _attempt(check: Check, other: MediaFile | None) -> Render | None:
    """The other file as an attempt at the same deliverable, if it is one."""
    if other is None or check.render is None:
        return None
    return check.render.deliverable.renders.filter(media_file=other).first()


def _offered(check: Check, other: MediaFile | None) -> list[MediaFile]:
    """Files to compare with: attempts at the same deliverable first, then the newest."""
    attempts = (
        [render.media_file for render in check.render.deliverable.renders.select_related("media_file")]
        if check.render
        else []
    )
    newest = MediaFile.objects.filter(inspection__state="done").order_by("-pk")[:_OFFERED]
    found = {file.pk: file for file in (*attempts, *newest)}
    found.pop(check.media_file_id, None)
    if other:
        found.pop(other.pk, None)
    return list(found.values())


def _found(check: Check, other: MediaFile | None, document: dict[str, Any]) -> dict[str, Any]:
    """What the page shows of a finished comparison."""
    held = held_of(document)
    told = []
    for id_, label in _NAMES:
        one = held[id_]
        outcome = outcome_of(one)
        faults = [
            {"says": said.says, "frame": said.frame}
            for said in one.sentences
            if said.fault or outcome in ("pass", "caution")
        ]
        told.append({"label": label, "outcome": outcome, "found": one.found, "sentences": faults, "id": id_})
    shots = (held[keys.MASTER_MAP.id].document or {}).get("shots", [])
    likes = document.get("shot_similarity") or [None] * len(shots)
    rows = [
        row | {"like": like, "outcome": _outcome(row), "name": row["name"] or f"Shot {row['number']}"}
        for row, like in zip(shots, likes, strict=False)
    ]
    return {"told": told, "shots": rows, "page_data": _page_data(check, other, document, rows)}


def outcome_of(held: Held) -> str:
    """Return what a mark shows of something that only a comparison knows."""
    if held.right is None:
        return "not measured"
    if not held.right:
        return "fail"
    return "caution" if held.look else "pass"


def _outcome(row: dict[str, Any]) -> str:
    if row["outside"]:
        return "waived"
    if row["alone"] and row["state"] != "missing":
        return "caution"
    return _STATES.get(row["state"], "caution")


def _page_data(
    check: Check, other: MediaFile | None, document: dict[str, Any], shots: list[dict[str, Any]]
) -> dict[str, Any]:
    """What the script of the page needs."""
    assert other is not None  # noqa: S101 - there is a comparison
    data: dict[str, Any] = {
        "found": document["found"],
        "file": _side(check.media_file),
        "master": _side(other),
        "map": document["held"][keys.MASTER_MAP.id]["document"],
        "curve": document["held"][keys.MASTER_LEVEL_CURVE.id]["document"],
        "geometry": document["held"][keys.MASTER_GEOMETRY.id]["document"],
        "worst": (document["held"][keys.MASTER_SIMILARITY.id]["document"] or {}).get("worst", []),
        "ordered": document.get("ordered"),
        "shots": shots,
    }
    return data


def _side(file: MediaFile) -> dict[str, Any]:
    facts: Facts | None = file.inspection.facts if file.inspection else None
    rate = (facts[keys.PICTURE_FRAME_RATE] if facts else None) or Fraction(25)
    start = next(iter(facts.witnessed(keys.WRAPPER_START_TIMECODE).spoken().values()), None) if facts else None
    return {
        "frame": reverse("frame", args=[file.pk, 0]).replace("/0.jpg", "/"),
        "frames": (facts[keys.PICTURE_FRAME_COUNT] if facts else None) or 0,
        "size": (facts[keys.PICTURE_SIZE] if facts else None) or [16, 9],
        "rate": float(rate),
        "nominal": nominal_frames(rate),
        "drop": bool(start and start.drop),
        "first": start.frames if start else 0,
    }


@require_POST
@permission_required("checks.add_check", raise_exception=True)
def compare(request: HttpRequest, check_id: int) -> HttpResponse:
    """Hold a check's file against another file."""
    check = _get(check_id)
    other = get_object_or_404(MediaFile.objects.select_related("inspection"), pk=asked_id(request.POST, "with"))
    if request.POST.get("master") and check.render:
        choose_master(check.render.deliverable, other, by=signed_in(request))
        check.refresh_from_db()
    pair = pair_of(check, other)
    if pair:
        services.ask_again(pair, by=signed_in(request))
    return redirect(f"{reverse('against', args=[check.pk])}?with={other.pk}")


@require_POST
@permission_required("checks.add_check", raise_exception=True)
def cancel(request: HttpRequest, check_id: int, comparison_id: int) -> HttpResponse:
    """Stop a comparison."""
    comparison = get_object_or_404(Comparison, pk=comparison_id)
    services.cancel(comparison, by=signed_in(request))
    return redirect("against", check_id)


@require_GET
def comparison_state(request: HttpRequest, comparison_id: int) -> JsonResponse:
    """How far a comparison is."""
    comparison = get_object_or_404(Comparison, pk=comparison_id)
    words = comparison.state_in_words
    if comparison.state == Comparison.State.RUNNING and comparison.total:
        words = f"{comparison.done} of {comparison.total} pictures compared"
    return JsonResponse({"active": comparison.is_active, "words": words, "share": comparison.share})


@require_GET
def against_json(request: HttpRequest, comparison_id: int) -> JsonResponse:
    """The comparison as JSON of schema ``brisk-sentry/against/1``."""
    comparison = get_object_or_404(Comparison, pk=comparison_id)
    if comparison.document is None:
        return JsonResponse({"error": comparison.error or "the comparison is not done"}, status=404)
    return JsonResponse(comparison.document)
