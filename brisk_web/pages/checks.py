"""The Check page and its data."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_GET

from brisk_core.decide import why_not_waivable
from brisk_core.exact import nominal_frames
from brisk_core.facts import REGISTRY, Inspection, Kind, Stage, keys, value_from_json
from brisk_core.facts import spell as spell_value
from brisk_core.frames import VIEWS
from brisk_core.spec.companions import Companion, CompanionKind, CompanionWeight
from brisk_web.checks.models import Check, Finding
from brisk_web.checks.services import document_of
from brisk_web.handoff.companions import asked_of
from brisk_web.handoff.models import HandOff
from brisk_web.pages import lanes
from brisk_web.pages.first_look import seen_so_far
from brisk_web.pages.places import Guide
from brisk_web.pages.ribbons import SEVERITY, because, ribbon_of, verdict_words
from brisk_web.pages.side_by_side import MOST_FILES, side_address
from brisk_web.pages.ways import Step, Way, one_way, steps_of
from brisk_web.ui.asking import whole
from brisk_web.ui.templatetags.brisk import span_of_time

_NTSC = 1001  # denominator of rates whose label is a rounding
_WITNESS_WORDS = (
    ("declared", "Declared by the wrapper"),
    ("coded", "Coded in the stream"),
    ("observed", "Observed"),
)


#: One transparent pixel (GIF89a), for an image that must have a source.
_NO_PICTURE = "data:image/gif;base64,R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7"
#: Views of a frame and what they are called.
_VIEWS = (
    ("picture", "Picture"),
    ("fields", "Fields"),
    ("levels", "Levels"),
    ("area", "Area"),
    ("difference", "Change"),
    ("alpha", "Alpha"),
)


def _has_alpha(facts: Inspection | None) -> bool:
    return bool(facts and any(said != "none" for said in facts.witnessed(keys.PICTURE_ALPHA).spoken().values()))


def _get(check_id: int) -> Check:
    related = (
        "media_file__inspection",
        "media_file__root",
        "spec_version__spec",
        "timeline",
        "render__deliverable__job",
        "render__deliverable__spec_version",
    )
    return get_object_or_404(Check.objects.select_related(*related), pk=check_id)


@require_GET
def check_page(request: HttpRequest, check_id: int) -> HttpResponse:
    """The verdict with its proof."""
    check = _get(check_id)
    findings = list(check.findings.all())
    inspection = check.media_file.inspection
    facts = inspection.facts if inspection else None
    guide = Guide(check, facts)
    data = _page_data(check, findings, facts, request)
    ribbon = ribbon_of([(finding.group, finding.outcome) for finding in findings])
    way, steps = _way(check)
    said = list(check.comments.filter(retired_at=None).select_related("made_by"))
    context = {
        "check": check,
        "way": way,
        "handoff": _handoff(check),
        "steps": steps if request.user.has_perm("decisions.add_request") else [],
        "poster": _poster(check) if way and data["frames"] and request.user.has_perm("handoff.add_handoff") else None,
        "file": check.media_file,
        "changed": check.media_file.has_changed,
        "inspection": inspection,
        "seen": seen_so_far(check.media_file_id, inspection, seekable=bool(data["frames"])),
        "verdict": check.verdict or "not measured",
        "verdict_words": verdict_words(check),
        "because": because(check.verdict, [(finding.outcome, finding.label) for finding in findings]),
        "ribbon": ribbon,
        "groups": [
            {"cell": cell, "lines": [finding for finding in findings if finding.group == cell.group]} for cell in ribbon
        ],
        "evidence": [
            _evidence(finding, facts, guide) | {"said": [one for one in said if one.line == finding.line]}
            for finding in findings
        ],
        "views": [one for one in _VIEWS if one[0] != "alpha" or _has_alpha(facts)],
        "range_words": _range_words(check),
        "side_by_side": _side_by_side(check),
        "comments": len(said),
        "page_data": data,
        "kept_picture": _kept_picture(request, data),
        "first_picture": f"{data['frame']}{data['begin']}.jpg?view={_view(request)}",
    }
    return render(request, "checks/check.html", context)


def _way(check: Check) -> tuple[Way | None, list[Step]]:
    """Where the deliverable of a check stands and what can be done; nothing for an attempt that is not the newest."""
    attempt = check.render
    if attempt is None or attempt.deliverable.renders.filter(attempt__gt=attempt.attempt).exists():
        return None, []
    way = one_way(attempt.deliverable_id, check.pk, check.verdict)
    steps = steps_of(check.pk, attempt.deliverable_id, way, attempt=attempt.attempt) if check.verdict else []
    return way, steps


def _poster(check: Check) -> Companion | None:
    """The picture that the spec wants beside a render, of which a frame can be one."""
    asked = asked_of(check.render.deliverable) if check.render else ()
    pictures = (one for one in asked if one.kind is CompanionKind.PICTURE and one.weight is not CompanionWeight.NEVER)
    return next(pictures, None)


def _handoff(check: Check) -> HandOff | None:
    """The newest hand-off of this attempt, with what the other side says of it."""
    if check.render is None:
        return None
    return check.render.handoffs.exclude(state=HandOff.State.CANCELLED).select_related("destination").first()


def _kept_picture(request: HttpRequest, data: dict[str, Any]) -> str:
    """The small picture of the very frame that is shown first, an empty one where the scan kept none."""
    kept = data["begin"] in data["kept"] and _view(request) == "picture"
    return f"{data['small']}{data['begin']}.jpg" if kept else _NO_PICTURE


def _side_by_side(check: Check) -> str:
    """The page that holds this file beside the attempts before and after it, the spec and the timeline."""
    files = [check.media_file_id]
    if check.render:
        own = check.render.attempt
        attempts = check.render.deliverable.renders.values_list("attempt", "media_file_id")
        nearest = sorted(attempts, key=lambda one: (abs(one[0] - own), -one[0]))[: MOST_FILES - bool(check.master_id)]
        files = [file for _, file in sorted(nearest, reverse=True)]
    return side_address(files, check.spec_version_id, check.timeline_id, check.master_id)


def _range_words(check: Check) -> str:
    if check.timeline is None:
        return "no timeline"
    return (
        "whole timeline"
        if check.range_start is None
        else f"frames {check.range_start} to {check.range_end} of the timeline"
    )


def _evidence(finding: Finding, facts: Inspection | None, guide: Guide) -> dict[str, Any]:
    """What the evidence card of a finding shows."""
    document, characteristic = finding.document, REGISTRY[finding.characteristic]
    unread = facts.unread.get(characteristic.id) if facts else None
    witnesses = []
    for name, words in _WITNESS_WORDS:
        if not any(witness.value == name for witness in characteristic.witnesses):
            continue
        if name not in document:
            text = f"not measured: {unread}" if unread else "not measured"
        elif characteristic.stage is Stage.CHECK:
            text, words = _agreement_text(document[name], finding), "The file has"
        else:
            value = value_from_json(characteristic.kind, characteristic.per_track, document[name])
            if characteristic.kind is Kind.TEXTS and value and " " in value[0]:
                text = "1 thing, named below" if len(value) == 1 else f"{len(value)} things, named below"
            elif characteristic.kind is Kind.RATE and value is not None and value.denominator == _NTSC:
                text = f"{value.numerator}/{value.denominator}"  # the fraction itself is the proof here
            else:
                text = spell_value(characteristic.kind, characteristic.per_track, value, characteristic.unit)
        place = facts.places.get(characteristic.id, {}).get(name, "") if facts else ""
        witnesses.append({"words": words, "text": text, "place": place})
    return {
        "finding": finding,
        "document": document,
        "characteristic": characteristic,
        "witnesses": witnesses,
        "places": guide.places(document["spans"] or _implied_spans(finding)),
        "waivable": not why_not_waivable(document, lead=True),
    }


def _agreement_text(agreement: dict[str, Any] | None, finding: Finding) -> str:
    return str(finding.document["found"]) if agreement else "not measured"


def _page_data(
    check: Check, findings: Sequence[Finding], facts: Inspection | None, request: HttpRequest
) -> dict[str, Any]:
    """What the script of the page needs."""
    inspection = check.media_file.inspection
    data: dict[str, Any] = {
        "lanes": reverse("check-lanes", args=[check.pk]),
        "state": reverse("check-state", args=[check.pk]),
        "frame": reverse("frame", args=[check.media_file_id, 0]).replace("/0.jpg", "/"),
        "small": reverse("small", args=[check.media_file_id, 0]).replace("/0.jpg", "/"),
        "kept": inspection.small_numbers if inspection else [],
        "strip": reverse("strip", args=[check.media_file_id]),
        "captions": reverse("captions-json", args=[check.pk]) if check.media_file.pairings.exists() else "",
        "clip": reverse("clip", args=[check.media_file_id, 0]).replace("/0.webm", "/"),
        "alpha": _has_alpha(facts),
        "active": bool(inspection and inspection.is_active),
        "judgedAt": check.judged_at.isoformat() if check.judged_at else "",
        "lines": [
            {
                "id": finding.line,
                "outcome": finding.outcome,
                "group": finding.group,
                "spans": finding.document["spans"] or _implied_spans(finding),
                "order": SEVERITY.index(finding.outcome),
            }
            for finding in findings
        ],
        "frames": 0,
        "begin": 0,
    }
    rate = facts[keys.PICTURE_FRAME_RATE] if facts else None
    if facts and rate and lanes.series_of(check):
        start = next(iter(facts.witnessed(keys.WRAPPER_START_TIMECODE).spoken().values()), None)
        data |= {
            "frames": facts[keys.PICTURE_FRAME_COUNT],
            "begin": _begin(request, data["lines"], facts[keys.PICTURE_FRAME_COUNT] or 0),
            "size": facts[keys.PICTURE_SIZE] or [0, 0],
            "fieldOrder": facts[keys.PICTURE_FIELD_ORDER] or "",
            "shape": float(facts[keys.PICTURE_DISPLAY_ASPECT] or Fraction(16, 9)),
            "rate": [rate.numerator, rate.denominator],
            "nominal": nominal_frames(rate),
            "drop": bool(start and start.drop),
            "first": start.frames if start else 0,
        }
    return data


def _begin(request: HttpRequest, lines: list[dict[str, Any]], frames: int) -> int:
    """The frame that is shown first: the one that the address asks for, else the first place of its line, or of the
    line that matters most.
    """
    asked = whole(request.GET.get("frame"))
    if asked is None and lines:
        chosen = next((one for one in lines if one["id"] == request.GET.get("line")), None)
        spans = (chosen or min(lines, key=lambda one: one["order"]))["spans"]
        asked = spans[0]["start"] if spans else 0
    return max(0, min(asked or 0, frames - 1))


def _view(request: HttpRequest) -> str:
    asked = request.GET.get("view", "")
    return asked if asked in VIEWS else "picture"


def _implied_spans(finding: Finding) -> list[dict[str, int]]:
    """Places that a finding without spans points at: the frames a file is too long by."""
    observed = finding.document.get("observed")
    if (
        finding.characteristic == keys.EDIT_LENGTH.id
        and isinstance(observed, dict)
        and (observed.get("difference") or 0) > 0
    ):
        return [{"start": observed["expected"], "end": observed["found"]}]
    return []


@require_GET
def check_state(request: HttpRequest, check_id: int) -> JsonResponse:
    """How far the check is; the page asks while it runs, and fetches itself anew when it was judged again."""
    check = _get(check_id)
    inspection = check.media_file.inspection
    return JsonResponse(
        {
            "judgedAt": check.judged_at.isoformat() if check.judged_at else "",
            "active": bool(inspection and inspection.is_active),
            "state": inspection.state if inspection else "",
            "words": _progress_words(check),
            "share": inspection.share if inspection else 0,
        }
    )


def _progress_words(check: Check) -> str:
    inspection = check.media_file.inspection
    if inspection is None:
        return ""
    if inspection.state == inspection.State.QUEUED and inspection.stage == inspection.Stage.HEADERS:
        return f"in queue, place {inspection.place_in_queue}"
    if inspection.waits_for_scan:
        return f"waits for its scan, place {inspection.place_for_scan}"
    if not inspection.is_active:
        return inspection.state_in_words
    words = f"{inspection.get_stage_display()}, {span_of_time(inspection.elapsed_s)} gone"
    left = inspection.left_s
    return f"{words}, {span_of_time(left)} left" if left is not None else words


@require_GET
def check_lanes(request: HttpRequest, check_id: int) -> JsonResponse:
    """A window of the lanes: ``start`` and ``end`` in frames, ``width`` in columns."""
    check = _get(check_id)
    asked = [whole(request.GET.get(name, default)) for name, default in _WINDOW.items()]
    if None in asked:
        return JsonResponse({"error": "expected whole numbers for start, end and width"}, status=400)
    found = lanes.window(check, *(number for number in asked if number is not None))
    if found is None:
        return JsonResponse({"error": "the packets of this file have not been read"}, status=404)
    return JsonResponse(found)


_WINDOW = {"start": "0", "end": str(1 << 31), "width": "700"}


@require_GET
def check_json(request: HttpRequest, check_id: int) -> JsonResponse:
    """The check as JSON of schema ``brisk-sentry/check/1``."""
    check = _get(check_id)
    document = document_of(check)
    if document is None:
        inspection = check.media_file.inspection
        says = inspection.error if inspection and inspection.error else "the check has not been judged yet"
        return JsonResponse({"error": says}, status=404)
    return JsonResponse(document)
