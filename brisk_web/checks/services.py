"""Verbs of checks: open one, judge it again."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone

from brisk_core.facts import Inspection as Facts
from brisk_core.report import check_to_json
from brisk_core.spec import Spec as Document
from brisk_core.spec import judge as judge_facts
from brisk_web.checks.models import Check, Finding
from brisk_web.edits.models import Timeline
from brisk_web.house.services import record
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Deliverable, Render
from brisk_web.shelf.models import SpecVersion
from brisk_web.storage.models import MediaFile

_BATCH = 200  # checks judged again in one transaction


@transaction.atomic
def open_check(
    media_file: MediaFile,
    spec_version: SpecVersion,
    *,
    timeline: Timeline | None = None,
    range_start: int | None = None,
    range_end: int | None = None,
    render: Render | None = None,
    by: Any = None,
) -> Check:
    """Open a check of a file by a spec version and a range, and judge it as far as the file is known."""
    check = Check.objects.create(
        media_file=media_file,
        spec_version=spec_version,
        timeline=timeline,
        range_start=range_start,
        range_end=range_end,
        render=render,
    )
    record("check.opened", check, f"Opened a check of {check}", by=by)
    judge(check)
    return check


def judged_document(check: Check, *, spec: Document | None = None, facts: Facts | None = None) -> dict[str, Any] | None:
    """Return the check as ``brisk-sentry/check/1`` has it, by what is known now; ``None`` while nothing is known.

    ``spec`` takes the place of the check's own version, and ``facts`` spare reading the inspection anew.
    """
    inspection = check.media_file.inspection
    known = facts or (inspection.facts if inspection else None)
    if known is None:
        return None
    spec = spec or check.spec_version.parsed()
    timeline = check.timeline
    judged = judge_facts(
        spec,
        known,
        timeline=timeline.edit if timeline else None,
        part=timeline.part(check.range_start, check.range_end) if timeline else None,
        series=inspection.load_series() if inspection and spec.needs_series else None,
    )
    return check_to_json(judged, known)


def _findings(check: Check, document: dict[str, Any]) -> list[Finding]:
    return [
        Finding(
            check_record=check,
            position=position,
            line=row["line"],
            label=row["label"],
            group=row["group"],
            characteristic=row["characteristic"],
            outcome=row["outcome"],
            weight=row["weight"],
            code=row["code"],
            document=row,
        )
        for position, row in enumerate(document["findings"])
    ]


@transaction.atomic
def judge(check: Check) -> None:
    """Judge a check by what its inspection knows now; the findings are replaced as a whole."""
    locked = Check.objects.select_for_update(of=("self",)).get(pk=check.pk)
    document = judged_document(locked)
    locked.findings.all().delete()
    if document is None:
        locked.verdict, locked.counts, locked.judged_at = "", {}, None
    else:
        Finding.objects.bulk_create(_findings(locked, document))
        locked.verdict, locked.counts, locked.judged_at = document["verdict"], document["counts"], timezone.now()
    locked.save(update_fields=["verdict", "counts", "judged_at"])


def judge_all_of(inspection: Inspection) -> int:
    """Judge every check of every file with this inspection; return how many."""
    checks = Check.objects.filter(media_file__inspection=inspection)
    for check in checks:
        judge(check)
    return len(checks)


@dataclass(frozen=True, slots=True, kw_only=True)
class Trial:
    """What a version of a spec would say of a check that an older version judged."""

    check: Check
    document: dict[str, Any]
    changed: list[dict[str, str]]  #: lines whose outcome changes: label, before, after; empty texts for no line


def behind(version: SpecVersion) -> QuerySet[Check]:
    """Return the checks by older versions of this version's spec."""
    return Check.objects.filter(spec_version__spec=version.spec, spec_version__number__lt=version.number)


def trials(version: SpecVersion, checks: Iterable[Check]) -> Iterator[Trial]:
    """Judge checks by a version without writing anything and without reading any file."""
    spec = version.parsed()
    facts: dict[int, Facts | None] = {}
    for check in checks:
        inspection = check.media_file.inspection
        if inspection is None:
            continue
        if inspection.pk not in facts:
            facts[inspection.pk] = inspection.facts
        document = judged_document(check, spec=spec, facts=facts[inspection.pk])
        if document is not None:
            yield Trial(check=check, document=document, changed=_changes(check, document))


def _changes(check: Check, document: dict[str, Any]) -> list[dict[str, str]]:
    before = {finding.line: finding for finding in check.findings.all()}
    after = {row["line"]: row for row in document["findings"]}
    found = []
    for line in before | after:
        old, new = before.get(line), after.get(line)
        outcomes = (old.outcome if old else "", new["outcome"] if new else "")
        if outcomes[0] != outcomes[1]:
            label = new["label"] if new else old.label if old else line
            found.append({"label": label, "before": outcomes[0], "after": outcomes[1]})
    return found


def judge_again(version: SpecVersion, *, by: Any) -> int:
    """Judge every check by an older version of a spec by this one; return how many. No file is read again.

    Deliverables that are owed by an older version are owed by this one from then on, so that their next attempt is
    judged alike.
    """
    done = 0
    waiting = list(behind(version).values_list("pk", flat=True))
    for at in range(0, len(waiting), _BATCH):
        with transaction.atomic():
            done += _judge_batch(version, waiting[at : at + _BATCH])
    owed = Deliverable.objects.filter(spec_version__spec=version.spec, spec_version__number__lt=version.number)
    owed.update(spec_version=version)
    if done:
        record(
            "spec.judged-again",
            version,
            f"Judged {done} {'check' if done == 1 else 'checks'} again by {version}",
            by=by,
        )
    return done


def _judge_batch(version: SpecVersion, ids: list[int]) -> int:
    checks = list(
        Check.objects.select_for_update(of=("self",))
        .select_related("media_file__inspection", "timeline")
        .prefetch_related("findings")
        .filter(pk__in=ids)
    )
    now, created, stale = timezone.now(), [], []
    for trial in trials(version, checks):
        check, document = trial.check, trial.document
        kept = {finding.line: finding for finding in check.findings.all()}
        fresh = _findings(check, document)
        same = {
            one.line
            for one in fresh
            if one.line in kept and (kept[one.line].document, kept[one.line].position) == (one.document, one.position)
        }
        stale += [finding.pk for line, finding in kept.items() if line not in same]
        created += [one for one in fresh if one.line not in same]
        check.verdict, check.counts, check.judged_at = document["verdict"], document["counts"], now
    for check in checks:
        check.spec_version = version
    Finding.objects.filter(pk__in=stale).delete()
    Finding.objects.bulk_create(created)
    Check.objects.bulk_update(checks, ["spec_version", "verdict", "counts", "judged_at"])
    return len(checks)
