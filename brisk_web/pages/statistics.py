"""Statistics of a period: which lines fail, whose renders, in which week, and how long it takes to sign."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db.models import Avg, Count, DurationField, ExpressionWrapper, F, Min, OuterRef, Q, Subquery
from django.db.models.functions import TruncWeek

from brisk_web.checks.models import Finding
from brisk_web.decisions.models import Signature
from brisk_web.jobs.models import Render
from brisk_web.pages.report_data import taken_in_between

_MOST_LINES = 15
_FAILS = Q(check_record__verdict="fail")


@dataclass(frozen=True, slots=True, kw_only=True)
class Share:
    """How many of some attempts fail."""

    label: str
    attempts: int
    failing: int

    @property
    def width(self) -> str:
        """The share on a bar of 100 units."""
        return f"{100 * self.failing / self.attempts:.1f}" if self.attempts else "0"


@dataclass(frozen=True, slots=True, kw_only=True)
class Statistics:
    """What a period was like."""

    attempts: int
    deliverables: int
    passed_first_time: int  #: deliverables whose first attempt, in the period, passes
    first_attempts: int
    hours_to_sign: float | None  #: from taking a render in to the first signature that stands, in the mean
    lines: list[dict[str, Any]]  #: label, spec, times, what fails most often first
    houses: list[Share]
    weeks: list[Share]

    @property
    def first_time_share(self) -> float:
        """How many of the first attempts pass, 0 to 1."""
        return self.passed_first_time / self.first_attempts if self.first_attempts else 0.0


def statistics_of(first: date, last: date, wanted: str) -> Statistics:
    """Return the statistics of what was taken in from one day to another, by a word."""
    taken = taken_in_between(first, last, wanted)
    lowest = (
        Render.objects.filter(deliverable=OuterRef("deliverable")).values("deliverable").annotate(low=Min("attempt"))
    )
    firsts = taken.filter(attempt=Subquery(lowest.values("low")[:1]))
    signed = Signature.objects.filter(render__in=taken, taken_back_at=None, voided_at=None)
    waited = ExpressionWrapper(F("made_at") - F("render__taken_in_at"), output_field=DurationField())
    mean = signed.aggregate(mean=Avg(waited))["mean"]
    lines = (
        Finding.objects.filter(check_record__render__in=taken, outcome="fail")
        .values("label", spec=F("check_record__spec_version__spec__name"))
        .annotate(times=Count("pk"))
        .order_by("-times", "label")[:_MOST_LINES]
    )
    return Statistics(
        attempts=taken.count(),
        deliverables=taken.values("deliverable").distinct().count(),
        passed_first_time=firsts.filter(check_record__verdict="pass").count(),
        first_attempts=firsts.count(),
        hours_to_sign=mean.total_seconds() / 3600 if mean is not None else None,
        lines=[dict(row) for row in lines],
        houses=[
            Share(label=row["house"] or "not said", attempts=row["attempts"], failing=row["failing"])
            for row in taken.values(house=F("deliverable__rendered_by"))
            .annotate(attempts=Count("pk"), failing=Count("pk", filter=_FAILS))
            .order_by("-attempts", "house")
        ],
        weeks=[
            Share(label=f"{row['week']:%-d %b}", attempts=row["attempts"], failing=row["failing"])
            for row in taken.annotate(week=TruncWeek("taken_in_at"))
            .values("week")
            .annotate(attempts=Count("pk"), failing=Count("pk", filter=_FAILS))
            .order_by("week")
        ],
    )
