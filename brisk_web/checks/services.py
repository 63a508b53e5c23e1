"""Verbs of checks: open one, judge it again."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils import timezone

from brisk_core.report import check_to_json
from brisk_core.spec import judge as judge_facts
from brisk_web.checks.models import Check, Finding
from brisk_web.edits.models import Timeline
from brisk_web.house.services import record
from brisk_web.inspections.models import Inspection
from brisk_web.jobs.models import Render
from brisk_web.shelf.models import SpecVersion
from brisk_web.storage.models import MediaFile


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


@transaction.atomic
def judge(check: Check) -> None:
    """Judge a check by what its inspection knows now; the findings are replaced as a whole."""
    locked = Check.objects.select_for_update(of=("self",)).get(pk=check.pk)
    inspection = locked.media_file.inspection
    facts = inspection.facts if inspection else None
    if facts is None:
        locked.findings.all().delete()
        locked.verdict, locked.counts, locked.judged_at = "", {}, None
        locked.save(update_fields=["verdict", "counts", "judged_at"])
        return
    timeline = locked.timeline
    judged = judge_facts(
        locked.spec_version.parsed(),
        facts,
        timeline=timeline.edit if timeline else None,
        part=timeline.part(locked.range_start, locked.range_end) if timeline else None,
    )
    document = check_to_json(judged, facts)
    locked.findings.all().delete()
    Finding.objects.bulk_create(
        Finding(
            check_record=locked,
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
    )
    locked.verdict, locked.counts, locked.judged_at = document["verdict"], document["counts"], timezone.now()
    locked.save(update_fields=["verdict", "counts", "judged_at"])


def judge_all_of(inspection: Inspection) -> int:
    """Judge every check of every file with this inspection; return how many."""
    checks = Check.objects.filter(media_file__inspection=inspection)
    for check in checks:
        judge(check)
    return len(checks)
