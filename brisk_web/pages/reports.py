"""Pages: reports of a render, a job, a period, as page, PDF, JSON, CSV and text; and the statistics of the house."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import date, timedelta
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.utils import timezone
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET

from brisk_core.report import lane_svg, report_csv, report_schema, report_text, worst_first
from brisk_web.checks.models import Check
from brisk_web.jobs.models import Job, Render
from brisk_web.pages.printing import kept_picture, pdf_answer, pdf_of
from brisk_web.pages.report_data import (
    by_job,
    report_of_check,
    report_of_job,
    report_of_period,
    rows_of_attempts,
    taken_in_between,
)
from brisk_web.pages.statistics import statistics_of
from brisk_web.ui.asking import words
from brisk_web.ui.paging import by_number

_MOST_PICTURES = 6
_MONTH = timedelta(days=30)
_ROWS_SHOWN = 100  # of a report on one page
_MOST_PRINTED = 500  # attempts of one PDF, which takes half a minute
_RELATED = (
    "media_file__inspection", "media_file__root", "spec_version__spec", "timeline", "render__deliverable__job",
)  # fmt: skip


def _check(check_id: int) -> Check:
    return get_object_or_404(Check.objects.select_related(*_RELATED), pk=check_id)


def _of_check(check: Check) -> dict[str, Any]:
    """The report of a check as its page and its PDF show it."""
    report = report_of_check(check)
    open_lines = [one for one in worst_first(report["lines"]) if one["outcome"] != "pass"]
    pictures: list[dict[str, str]] = []
    for line in open_lines:
        place = line["places"][0] if line["places"] else None
        source = kept_picture(check.media_file.inspection, place["start"]) if place else ""
        if place and source and len(pictures) < _MOST_PICTURES:
            pictures.append({"source": source, "label": line["label"], "timecode": place["timecode"]})
    return {
        "report": report,
        "check": check,
        "open": open_lines,
        "passed": [one for one in report["lines"] if one["outcome"] == "pass"],
        "pictures": pictures,
        "drawings": [lane_svg(lane) for lane in report["lanes"]],
    }


@require_GET
def check_report(request: HttpRequest, check_id: int) -> HttpResponse:
    """One attempt reported for a client."""
    return render(request, "reports/check.html", _of_check(_check(check_id)))


def _check_pdf(check: Check) -> HttpResponse:
    context = _of_check(check)
    report = context["report"]
    attached = [("report.json", _bytes(report), "The report as JSON of schema brisk-sentry/report/1")]
    name = f"{check.media_file.name.rpartition('/')[2]}_report.pdf"
    made = pdf_of("reports/check_print.html", context, attached=attached, written=check.judged_at)
    return pdf_answer(made, name)


def _many_pdf(report: dict[str, Any]) -> HttpResponse:
    count = len(report["rows"])
    if count > _MOST_PRINTED:
        says = f"This report has {count:,} attempts; a PDF holds {_MOST_PRINTED} at most. Take CSV or JSON instead."
        return HttpResponse(says, status=400, content_type="text/plain; charset=utf-8")
    attached = [("report.json", _bytes(report), "The report as JSON of schema brisk-sentry/report/1")]
    return pdf_answer(pdf_of("reports/many_print.html", {"report": report}, attached=attached), "report.pdf")


def _bytes(report: dict[str, Any]) -> bytes:
    return json.dumps(report, ensure_ascii=False, indent=1).encode()


#: How a report goes out, by the ending of its address.
_WAYS: dict[str, tuple[Callable[[dict[str, Any]], str | bytes], str]] = {
    "json": (_bytes, "application/json"),
    "csv": (report_csv, "text/csv; charset=utf-8"),
    "txt": (report_text, "text/plain; charset=utf-8"),
}


def _file(report: dict[str, Any], kind: str, stem: str) -> HttpResponse:
    write, content_type = _WAYS[kind]
    answer = HttpResponse(write(report), content_type=content_type)
    if kind != "txt":
        answer["Content-Disposition"] = content_disposition_header(True, f"{stem}.{kind}") or "attachment"
    return answer


@require_GET
def check_report_file(request: HttpRequest, check_id: int, kind: str) -> HttpResponse:
    """One attempt reported, in PDF, JSON, CSV or text."""
    check = _check(check_id)
    if kind == "pdf":
        return _check_pdf(check)
    return _file(report_of_check(check), kind, f"{check.media_file.name.rpartition('/')[2]}_report")


@require_GET
def job_report(request: HttpRequest, job_id: int) -> HttpResponse:
    """The report of a job: what it owes, every attempt, what was wrong most often."""
    job = get_object_or_404(Job, pk=job_id)
    report = report_of_job(job)
    page = by_number(request, report["rows"], _ROWS_SHOWN)
    context = {"report": report | {"rows": page.rows}, "page": page, "job": job}
    return render(request, "reports/job.html", context)


@require_GET
def job_report_file(request: HttpRequest, job_id: int, kind: str) -> HttpResponse:
    """The report of a job as PDF, JSON, CSV or text."""
    report = report_of_job(get_object_or_404(Job, pk=job_id))
    return _many_pdf(report) if kind == "pdf" else _file(report, kind, "job_report")


def _period(request: HttpRequest) -> tuple[date, date, str, list[str]]:
    """The days and the word that an address asks for, the last thirty days for none; what was wrong with them."""
    today, mistakes = timezone.localdate(), []
    days = []
    for name, default in (("from", today - _MONTH), ("to", today)):
        text = words(request.GET, name)
        try:
            days.append(date.fromisoformat(text) if text else default)
        except ValueError:
            mistakes.append(f"“{text[:40]}” is no day; expected a date such as 2026-03-31.")
            days.append(default)
    first, last = days
    if first > last:
        mistakes.append("The first day comes after the last one; they were exchanged.")
        first, last = last, first
    return first, last, words(request.GET, "q")[:100], mistakes


@require_GET
def reports(request: HttpRequest) -> HttpResponse:
    """What was taken in over a period, and the statistics of it."""
    first, last, wanted, mistakes = _period(request)
    page = by_number(request, by_job(taken_in_between(first, last, wanted)), _ROWS_SHOWN)
    context = {
        "report": {"rows": rows_of_attempts(Render.objects.filter(pk__in=[one.pk for one in page.rows]))},
        "page": page,
        "statistics": statistics_of(first, last, wanted),
        "first": first.isoformat(),
        "last": last.isoformat(),
        "wanted": wanted,
        "mistakes": mistakes,
        "query": request.GET.urlencode(),
    }
    return render(request, "reports/period.html", context)


@require_GET
def period_report_file(request: HttpRequest, kind: str) -> HttpResponse:
    """The report of a period as PDF, JSON, CSV or text."""
    first, last, wanted, mistakes = _period(request)
    if mistakes:
        return HttpResponse("\n".join(mistakes), status=400, content_type="text/plain; charset=utf-8")
    report = report_of_period(first, last, wanted)
    return _many_pdf(report) if kind == "pdf" else _file(report, kind, f"report_{first}_{last}")


@require_GET
def schema(request: HttpRequest) -> JsonResponse:
    """The JSON Schema of reports."""
    return JsonResponse(report_schema())
