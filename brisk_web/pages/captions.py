"""The page of a file's captions: every caption with its line and what is wrong with it, and pairing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from brisk_core.captions import (
    EXTENSIONS,
    Captioned,
    CaptionRow,
    Programme,
    is_caption_name,
    list_captions,
    programme_of,
    reading_speed,
)
from brisk_core.exact import Timecode
from brisk_core.spec import caption_limits
from brisk_web.accounts.people import signed_in
from brisk_web.captions import services
from brisk_web.captions.models import CaptionFile, Pairing
from brisk_web.checks.models import Check
from brisk_web.pages.ribbons import SEVERITY
from brisk_web.storage.services import StorageRefused, keep
from brisk_web.ui.asking import asked_id, words
from brisk_web.ui.paging import Page, by_number

_ROWS = 200  # captions on a page
_MOST_DRAWN = 20_000  # captions that the lane is sent
_LARGEST = 32 << 20  # bytes of an upload
_OFFERED = 60  # newest caption files in the list


def _get(check_id: int) -> Check:
    related = (
        "media_file__inspection",
        "media_file__root",
        "spec_version__spec",
        "render__deliverable__job",
    )
    return get_object_or_404(Check.objects.select_related(*related), pk=check_id)


def _programme(check: Check) -> Programme | None:
    inspection = check.media_file.inspection
    facts = inspection.facts if inspection else None
    return programme_of(facts) if facts else None


def _rows(check: Check, captioned: Captioned | None, programme: Programme | None) -> list[CaptionRow]:
    if captioned is None or programme is None:
        return []
    return list_captions(captioned, programme, caption_limits(check.spec_version.parsed()))


@dataclass(frozen=True, slots=True, kw_only=True)
class _Shown:
    """One row of the page."""

    row: CaptionRow
    start: str
    end: str
    frame: int  #: inside the file
    speed: float  #: characters a second
    outcome: str  #: the worst of its faults
    faults: list[tuple[str, str]]  #: outcome and what is said


def _outcomes(check: Check) -> dict[str, str]:
    """How the lines on captions were judged, by characteristic."""
    found = check.findings.filter(characteristic__startswith="text.").values_list("characteristic", "outcome")
    return dict(found)


def _worst(row: CaptionRow, outcomes: dict[str, str]) -> str:
    met = [outcomes.get(id_, "fail") for id_, _ in row.faults]
    return min(met, key=SEVERITY.index, default="pass")


def _shown(row: CaptionRow, programme: Programme, outcomes: dict[str, str]) -> _Shown:
    placed = row.placed
    return _Shown(
        row=row,
        start=_label(placed.start, programme),
        end=_label(placed.end, programme),
        frame=min(max(placed.start, 0), programme.frames - 1),
        speed=float(reading_speed(placed.caption)),
        outcome=_worst(row, outcomes),
        faults=[(outcomes.get(id_, "fail"), says) for id_, says in row.faults],
    )


def _label(frame: int, programme: Programme) -> str:
    """Return a frame as the programme's timecode, with a sign before its start."""
    start = programme.start or Timecode(frames=0, rate=programme.rate)
    if start.frames + frame < 0:
        return f"−{Timecode(frames=-frame, rate=programme.rate)}"
    return str(start.plus(frame))


@require_GET
def captions_page(request: HttpRequest, check_id: int) -> HttpResponse:
    """Every caption by the line of its file, those with a fault first where that is asked."""
    check = _get(check_id)
    captioned, programme = services.captioned_for(check.media_file), _programme(check)
    rows = _rows(check, captioned, programme)
    faulty = [row for row in rows if row.faults]
    only_faulty = request.GET.get("show", "faulty" if faulty else "all") == "faulty"
    wanted_words = words(request.GET, "q")
    wanted = faulty if only_faulty else rows
    if wanted_words:
        wanted = [row for row in wanted if wanted_words.casefold() in row.placed.caption.text.casefold()]
    page = by_number(request, wanted, _ROWS)
    outcomes = _outcomes(check)
    pairings = list(check.media_file.pairings.select_related("captions__source", "look"))
    context: dict[str, Any] = {
        "check": check,
        "file": check.media_file,
        "pairings": [_pairing(one) for one in pairings],
        "page": Page(
            rows=[_shown(row, programme, outcomes) for row in page.rows] if programme else [],
            following=page.following,
            first=page.first,
        ),
        "count": len(rows),
        "faulty": len(faulty),
        "only_faulty": only_faulty,
        "words": wanted_words,
        "several": len(captioned.documents) > 1 if captioned else False,
        "waits": any(one.captions.is_active for one in pairings),
        "remarks": [
            {"name": document.name, "counts": document.counts, "remark": remark}
            for document in (captioned.documents if captioned else ())
            for remark in document.remarks
        ][:_ROWS],
        "offered": CaptionFile.objects.filter(source__isnull=False)
        .exclude(pairings__media_file=check.media_file)
        .order_by("-pk")[:_OFFERED],
    }
    return render(request, "captions/captions.html", context)


def _pairing(pairing: Pairing) -> dict[str, Any]:
    """What the head of the page shows of one caption file."""
    document = pairing.captions.parsed
    seen = pairing.seen
    look = getattr(pairing, "look", None)
    place = "not looked for in the picture yet"
    if look is not None and look.state == look.State.FAILED:
        place = f"could not be looked for in the picture: {look.error}"
    if seen is not None:
        words = {True: "burned into the picture as well", False: "apart from the picture"}
        place = seen.reason if seen.verdict is None else words[seen.verdict]
    return {"pairing": pairing, "captions": pairing.captions, "document": document, "place": place}


@require_GET
def captions_json(request: HttpRequest, check_id: int) -> JsonResponse:
    """The captions of a check on frames, for its lane: start, end, text, line, faults and the worst outcome."""
    check = _get(check_id)
    outcomes = _outcomes(check)
    rows = _rows(check, services.captioned_for(check.media_file), _programme(check))
    tracks: dict[str, list[list[Any]]] = {}
    for row in rows[:_MOST_DRAWN]:
        placed = row.placed
        faults = [says for _, says in row.faults]
        what = [placed.start, placed.end, placed.caption.text, placed.caption.place, faults, _worst(row, outcomes)]
        tracks.setdefault(row.document.name, []).append(what)
    return JsonResponse({"tracks": [{"name": name, "captions": found} for name, found in tracks.items()]})


@require_POST
@permission_required("checks.add_check", raise_exception=True)
def add_captions(request: HttpRequest, check_id: int) -> HttpResponse:
    """Put a caption file beside the file of a check: one that is known, or a fresh one."""
    check = _get(check_id)
    upload = request.FILES.get("file")
    try:
        if upload is not None:
            if (upload.size or 0) > _LARGEST:
                raise StorageRefused(f"{upload.name} has {upload.size} bytes; expected at most {_LARGEST} of captions")
            if not is_caption_name(upload.name or ""):
                known = ", ".join(EXTENSIONS)
                raise StorageRefused(f"met {upload.name!r} as a caption file; expected a name that ends in {known}")
            source = keep(upload.name or "", upload.read(), by=signed_in(request))
            captions = services.take_in(source, by=signed_in(request))
        else:
            asked = request.POST if "captions" in request.POST else request.GET  # an undo names them in its address
            captions = get_object_or_404(CaptionFile, pk=asked_id(asked, "captions"), source__isnull=False)
        services.pair(check.media_file, captions, by=signed_in(request))
    except StorageRefused as error:
        messages.error(request, str(error))
    return redirect("captions", check.pk)


@require_POST
@permission_required("checks.add_check", raise_exception=True)
def drop_captions(request: HttpRequest, check_id: int, pairing_id: int) -> HttpResponse:
    """Remove a caption file from the file of a check."""
    check = _get(check_id)
    pairing = get_object_or_404(
        Pairing.objects.select_related("captions", "media_file"),
        pk=pairing_id,
        media_file=check.media_file,
        captions__source__isnull=False,
    )
    again = f"{reverse('add-captions', args=[check.pk])}?captions={pairing.captions_id}"
    services.part(pairing, by=signed_in(request))
    says = f"{pairing.captions.name} is no longer beside {check.media_file.name}. The caption file itself stays."
    messages.success(request, says, extra_tags=f"undo:{again}")
    return redirect(reverse("captions", args=[check.pk]))
