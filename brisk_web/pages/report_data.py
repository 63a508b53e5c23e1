"""Reports gathered from records: one render, a job, a period."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from datetime import date
from typing import Any

from django.db.models import F, Q, QuerySet
from django.utils import timezone

from brisk_core.facts import REGISTRY, keys, spell
from brisk_core.facts import Inspection as Facts
from brisk_core.report import lane_of, many_report, render_report
from brisk_web.checks.models import Check, Finding
from brisk_web.decisions.models import Request, Signature, Watching
from brisk_web.handoff.states import State, with_state
from brisk_web.house.services import name_of
from brisk_web.jobs.models import Deliverable, Job, Render
from brisk_web.pages import lanes
from brisk_web.pages.places import Guide, Place
from brisk_web.pages.ribbons import verdict_words
from brisk_web.shelf.models import version_words

_LANE_COLUMNS = 240
_MEGA = 1_000_000
#: What stands at the head of a report, as far as the file says it.
_HEADLINE = (
    keys.WRAPPER_FORMAT, keys.PICTURE_CODEC, keys.PICTURE_SIZE, keys.PICTURE_FRAME_RATE, keys.PICTURE_SCAN,
    keys.PICTURE_CHROMA, keys.PICTURE_BIT_DEPTH, keys.PICTURE_FRAME_COUNT, keys.BITRATE_AVERAGE, keys.SOUND_CODEC,
    keys.SOUND_LAYOUT, keys.SOUND_SAMPLE_RATE,
)  # fmt: skip


def report_of_check(check: Check) -> dict[str, Any]:
    """Return the report of one check, of schema ``brisk-sentry/report/1``."""
    inspection = check.media_file.inspection
    facts = inspection.facts if inspection else None
    findings = list(check.findings.all())
    guide = Guide(check, facts)
    rows = [one.document for one in findings]
    deliverable = check.render.deliverable if check.render else None
    return render_report(
        rows,
        about={
            "job": deliverable.job.title if deliverable else "",
            "deliverable": deliverable.name if deliverable else "",
            "attempt": check.render.attempt if check.render else None,
            "file": {
                "name": check.media_file.name,
                "size": check.media_file.size,
                "checksum": inspection.checksum if inspection else "",
            },
            "spec": {
                "id": check.spec_version.spec.slug,
                "name": check.spec_version.spec.name,
                "version": check.spec_version.number,
            },
            "range": _range_words(check),
            "verdict_words": verdict_words(check),
            "engine": check.engine,
            "judged_at": check.judged_at.isoformat() if check.judged_at else "",
        },
        verdict=check.verdict,
        counts=check.counts,
        facts=_headline(facts),
        places={row["line"]: [_place(one) for one in guide.places(row["spans"]).shown] for row in rows if row["spans"]},
        decided=_decided(check),
        lanes=_lanes(check, rows),
    )


def _range_words(check: Check) -> str:
    if check.timeline is None:
        return "no timeline"
    if check.range_start is None:
        return f"{check.timeline.name}, whole timeline"
    return f"{check.timeline.name}, frames {check.range_start} to {check.range_end}"


def _place(place: Place) -> dict[str, Any]:
    return {
        "start": place.start,
        "timecode": place.timecode,
        "shot": place.shot,
        "length": place.length,
        "detail": place.detail,
    }


def _headline(facts: Facts | None) -> list[tuple[str, str]]:
    if facts is None:
        return []
    found = []
    for key in _HEADLINE:
        characteristic, value = REGISTRY[key.id], facts.best(key.id)
        if value is not None:
            said = spell(characteristic.kind, characteristic.per_track, value, characteristic.unit)
            found.append((characteristic.label, said))
    return found


def _decided(check: Check) -> dict[str, Any]:
    if check.render is None:
        return {"state": "", "signatures": [], "requests": [], "watched": []}
    attempt = check.render
    state = with_state(Deliverable.objects.filter(pk=attempt.deliverable_id)).get()
    newest = state.newest_render == attempt.pk  # type: ignore[attr-defined]
    signatures = Signature.objects.filter(render=attempt, taken_back_at=None).select_related("made_by")
    requests = Request.objects.filter(render=attempt, taken_back_at=None).select_related("made_by")
    watched = Watching.objects.filter(render=attempt, taken_back_at=None).select_related("made_by")
    return {
        "state": State(state.state).label if newest else "a newer attempt is there",  # type: ignore[attr-defined]
        "signatures": [
            {
                "by": name_of(one.made_by),
                "at": one.made_at.isoformat(),
                "digest": one.digest,
                "words": one.words,
                "void": one.voided_why,
            }
            for one in signatures
        ],
        "requests": [
            {
                "by": name_of(one.made_by),
                "at": one.made_at.isoformat(),
                "points": list(one.points.values_list("label", flat=True)),
            }
            for one in requests
        ],
        "watched": [
            {"by": name_of(one.made_by), "start": one.start, "end": one.end, "says": one.says, "line": one.line}
            for one in watched
        ],
    }


def _lanes(check: Check, rows: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Bit rate, levels and loudness along the file, with the places of what fails marked."""
    shown = lanes.window(check, 0, 1 << 31, _LANE_COLUMNS)
    if shown is None:
        return []
    frames = shown["frames"]
    faults = [
        (span["start"] / frames, min(span["end"], frames) / frames)
        for row in rows
        if row["outcome"] == "fail"
        for span in row["spans"][:_LANE_COLUMNS]
        if span["start"] < frames
    ]
    scale = [[low / _MEGA, high / _MEGA] for low, high in shown["rates"]]
    limits = [(f"{name} {value / _MEGA:g} Mb/s", value / _MEGA) for name, value in shown["limits"].items()]
    made = [lane_of("Bit rate", "Mb/s", scale, limits=limits, marks=faults)] if scale else []
    scan = shown["scan"] or {}
    if scan.get("change"):
        made.append(lane_of("Change of picture", "code", scan["change"], marks=faults))
    for number, track in enumerate(scan.get("sound", []), 1):
        target = scan.get("loudness_target") or []
        words = [(f"{value:g} LUFS", value) for value in dict.fromkeys(target)]
        name = "Loudness" if len(scan["sound"]) == 1 else f"Loudness {number}"
        made.append(lane_of(name, "LUFS", track["short"], limits=words))
    return made


# Many renders.


def report_of_job(job: Job) -> dict[str, Any]:
    """Return the report of a job: every attempt at what it owes."""
    return many_report("job", job.title, rows_of_attempts(Render.objects.filter(deliverable__job=job)), period=None)


def report_of_period(first: date, last: date, wanted: str) -> dict[str, Any]:
    """Return the report of what was taken in from one day to another, of titles, deliverables and specs by a word."""
    title = f"{first:%-d %B %Y} to {last:%-d %B %Y}" + (f", “{wanted}”" if wanted else "")
    renders = taken_in_between(first, last, wanted)
    return many_report("period", title, rows_of_attempts(renders), period=(first.isoformat(), last.isoformat()))


def taken_in_between(first: date, last: date, wanted: str) -> QuerySet[Render]:
    """Return the attempts that were taken in from one day to another, by a word."""
    found = Render.objects.filter(taken_in_at__date__gte=first, taken_in_at__date__lte=last)
    if wanted:
        found = found.filter(
            Q(deliverable__name__icontains=wanted)
            | Q(deliverable__job__title__icontains=wanted)
            | Q(deliverable__spec_version__spec__name__icontains=wanted)
        )
    return found


def by_job(renders: QuerySet[Render]) -> QuerySet[Render]:
    """Return attempts in the order of a report."""
    return renders.order_by("deliverable__job__title", "deliverable__name", "-attempt")


def rows_of_attempts(renders: QuerySet[Render]) -> list[dict[str, Any]]:
    """Return the rows of a report of attempts, as ``many_report`` takes them."""
    attempts = list(
        by_job(renders).values(
            "pk", "deliverable_id", "attempt", "taken_in_at", job=F("deliverable__job__title"),
            named=F("deliverable__name"), rendered_by=F("deliverable__rendered_by"), file=F("media_file__name"),
            checksum=F("media_file__inspection__checksum"), verdict=F("check_record__verdict"),
            counts=F("check_record__counts"), spec=F("check_record__spec_version__spec__name"),
            version=F("check_record__spec_version__number"),
        )
    )  # fmt: skip
    numbers = [one["pk"] for one in attempts]
    standing = with_state(Deliverable.objects.filter(pk__in={one["deliverable_id"] for one in attempts}))
    told = standing.values_list("newest_render", "state")  # type: ignore[misc]  # both are annotated
    states = {newest: State(state).label for newest, state in told}
    faults, signed = _faults(numbers), _signed(numbers)
    return [
        {
            "job": one["job"],
            "deliverable": one["named"],
            "attempt": one["attempt"],
            "file": one["file"],
            "checksum": one["checksum"] or "",
            "spec": version_words(one["spec"], one["version"]),
            "rendered_by": one["rendered_by"],
            "taken_in": timezone.localtime(one["taken_in_at"]).isoformat(timespec="minutes"),
            "verdict": one["verdict"],
            "counts": one["counts"],
            "state": states.get(one["pk"], "a newer attempt is there"),
            "signed": signed[one["pk"]],
            "faults": faults[one["pk"]],
        }
        for one in attempts
    ]


def _faults(attempts: Sequence[int]) -> dict[int, list[str]]:
    found: dict[int, list[str]] = defaultdict(list)
    rows = Finding.objects.filter(check_record__render__in=attempts, outcome__in=("fail", "caution"))
    for render_id, label in rows.order_by("position").values_list("check_record__render_id", "label"):
        found[render_id].append(label)
    return found


def _signed(attempts: Sequence[int]) -> dict[int, list[dict[str, str]]]:
    found: dict[int, list[dict[str, str]]] = defaultdict(list)
    rows = Signature.objects.filter(render__in=attempts, taken_back_at=None, voided_at=None)
    for one in rows.select_related("made_by"):
        found[one.render_id].append({"by": name_of(one.made_by), "at": one.made_at.isoformat(timespec="minutes")})
    return found
