"""Pages: asking an editor for another render, and the request as page, PDF, text and marks on the edit."""

from __future__ import annotations

from smtplib import SMTPException
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.contrib.auth.decorators import permission_required
from django.core.exceptions import ValidationError
from django.core.mail import send_mail
from django.core.validators import validate_email
from django.http import HttpRequest, HttpResponse, QueryDict
from django.http.response import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from brisk_core.decide import Point as Asked
from brisk_core.decide import points_of, request_text
from brisk_web.accounts.people import signed_in
from brisk_web.checks.flags import flags_of
from brisk_web.checks.models import Check
from brisk_web.decisions import services
from brisk_web.decisions.models import Point, Request
from brisk_web.house.services import DecisionRefused
from brisk_web.jobs.models import Render
from brisk_web.pages.places import Place, guide_of
from brisk_web.pages.printing import kept_picture, pdf_answer, pdf_of
from brisk_web.pages.timelines import edit_file
from brisk_web.ui.asking import rows, words

_SPARE = 2  # empty rows for points that a person adds
_MOST_POINTS = 200
_FIELDS = ("line", "label", "found", "change", "keep")


def decided_check(check_id: int) -> tuple[Check, Render]:
    """Return a check that was made for a deliverable, and its attempt; raises ``Http404`` for another one."""
    related = ("media_file__inspection", "spec_version__spec", "timeline", "render__deliverable__job")
    check = get_object_or_404(Check.objects.select_related(*related), pk=check_id)
    if check.render is None:
        raise Http404("This file was taken in for no deliverable.")
    return check, check.render


def _spans(places: list[Any] | tuple[tuple[int, int], ...]) -> list[dict[str, Any]]:
    return [{"start": start, "end": end} for start, end in places]


@permission_required("decisions.add_request", raise_exception=True)
def ask_again(request: HttpRequest, check_id: int) -> HttpResponse:
    """Ask for another render: what fails and gives caution, to be edited, left out, added to."""
    check, attempt = decided_check(check_id)
    deliverable = attempt.deliverable
    offered = points_of([one.document for one in check.findings.all()])
    entry: dict[str, Any] = {
        "words": words(request.POST, "words"),
        "sent_to": words(request.POST, "sent_to") if request.method == "POST" else deliverable.rendered_by_email,
    }
    mistakes = []
    if request.method == "POST":
        mistakes = _mistakes(entry["sent_to"])
        chosen = _points(request.POST, {one.line: one.places for one in offered})
        try:
            if not mistakes:
                made = services.ask_again(attempt, chosen, by=signed_in(request), **entry)
                _send(request, made)
                return redirect("request", made.pk)
        except DecisionRefused as error:
            mistakes = [str(error)]
        offered = chosen
    guide = guide_of(check)
    context = {
        "check": check,
        "entry": entry,
        "mistakes": mistakes,
        "points": [(point, guide.places(_spans(point.places))) for point in offered],
        "spare": range(_SPARE),
        "attempt": deliverable.next_attempt,
        "deliverable": deliverable,
    }
    return render(request, "decisions/ask.html", context, status=422 if mistakes else 200)


def _mistakes(sent_to: str) -> list[str]:
    if sent_to:
        try:
            validate_email(sent_to)
        except ValidationError:
            return [f"“{sent_to[:80]}” is no e-mail address."]
    return []


def _points(asked: QueryDict, places: dict[str, tuple[tuple[int, int], ...]]) -> list[Asked]:
    """The points of the form that are kept; those without a word are left out."""
    return [
        Asked(
            line=row["line"] if row["line"] in places else "",
            label=(row["label"] or "Point")[:200],
            found=row["found"],
            change=row["change"],
            places=places.get(row["line"], ()),
        )
        for row in rows(asked, "point", _FIELDS, _MOST_POINTS)
        if row["keep"] != "no" and (row["label"] or row["found"] or row["change"])
    ]


def _send(request: HttpRequest, made: Request) -> None:
    """Send a request by e-mail, where an address was given; a post office that does not answer is told."""
    if not made.sent_to:
        return
    deliverable = made.render.deliverable
    subject = " ".join(f"{deliverable}: please render attempt {deliverable.next_attempt}".split())  # one line
    try:
        send_mail(subject, _text(made), settings.DEFAULT_FROM_EMAIL, [made.sent_to])
    except (OSError, SMTPException) as error:
        messages.error(request, f"The request is kept, but could not be sent to {made.sent_to}: {error}")
    else:
        messages.success(request, f"Sent to {made.sent_to}.")


def _get(request_id: int) -> Request:
    related = (
        "made_by", "taken_back_by", "render__deliverable__job", "render__media_file__inspection",
        "render__check_record__timeline", "render__check_record__media_file__inspection",
    )  # fmt: skip
    return get_object_or_404(Request.objects.select_related(*related), pk=request_id)


def _shown(made: Request) -> list[dict[str, Any]]:
    """The points of a request with their places, and the frame that stands for each."""
    guide = guide_of(made.render.check_record)
    return [
        {
            "point": point,
            "places": guide.places(_spans(point.places)),
            "frame": point.places[0][0] if point.places else None,
        }
        for point in made.points.all()
    ]


def _place_words(place: Place) -> str:
    shot = f", “{place.shot}”" if place.shot else ""
    return f"{place.timecode}{shot}, {place.length}"


def _text(made: Request) -> str:
    told = []
    for entry in _shown(made):
        more = entry["places"].more
        said = [_place_words(place) for place in entry["places"].shown] + ([f"and {more} more places"] if more else [])
        told.append((entry["point"].asked, said))
    file_name, attempt = made.render.media_file.name, made.render.attempt + 1
    return request_text(str(made.render.deliverable), file_name, made.words, told, attempt=attempt)


def _context(made: Request) -> dict[str, Any]:
    answered = services.answered(made)
    answers = {point.pk: ticked for point, ticked in answered.points} if answered else {}
    shown = [entry | {"answer": answers.get(entry["point"].pk)} for entry in _shown(made)]
    return {
        "asked": made,
        "check": made.render.check_record,
        "deliverable": made.render.deliverable,
        "points": shown,
        "answered": answered,
    }


@require_GET
def request_page(request: HttpRequest, request_id: int) -> HttpResponse:
    """A request, and what the next attempt made of it."""
    return render(request, "decisions/request.html", _context(_get(request_id)))


@require_GET
def request_pdf(request: HttpRequest, request_id: int) -> HttpResponse:
    """A request as PDF, with its pictures."""
    made = _get(request_id)
    context = _context(made)
    inspection = made.render.media_file.inspection
    for entry in context["points"]:
        entry["picture"] = kept_picture(inspection, entry["frame"]) if entry["frame"] is not None else ""
    return pdf_answer(pdf_of("decisions/request_print.html", context), f"{_stem(made)}.pdf")


@require_GET
def request_text_file(request: HttpRequest, request_id: int) -> HttpResponse:
    """A request as text to paste."""
    return HttpResponse(_text(_get(request_id)), content_type="text/plain; charset=utf-8")


@require_GET
def request_marks(request: HttpRequest, request_id: int, kind: str) -> HttpResponse:
    """The points of a request as marks on the edit, as OTIO or as an EDL."""
    made = _get(request_id)
    check = made.render.check_record
    if check.timeline is None:
        raise Http404("The deliverable has no timeline to put marks on.")
    lines = set(made.points.exclude(line="").values_list("line", flat=True))
    return edit_file(check.timeline, flags_of(check, only=lines), kind, _stem(made))


def _stem(made: Request) -> str:
    """The name of what a request goes out as, without the ending."""
    return f"{made.render.media_file.name.rpartition('/')[2].rpartition('.')[0]}_request"


@require_POST
@permission_required("decisions.add_request", raise_exception=True)
def answer_point(request: HttpRequest, point_id: int) -> HttpResponse:
    """Say of a point what a person saw in the next attempt."""
    point = get_object_or_404(Point, pk=point_id)
    try:
        services.answer_by_hand(point, words(request.POST, "answer"), by=signed_in(request))
    except DecisionRefused as error:
        messages.error(request, str(error))
    return redirect("request", point.request_id)
