"""Verbs of checks: open one, judge it again."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence, Set
from dataclasses import dataclass
from itertools import islice
from typing import TYPE_CHECKING, Any

from django.contrib.auth.models import User
from django.db import connection, transaction
from django.db.models import Q, QuerySet
from django.utils import timezone

from brisk_core.decide import Waiver as Covers
from brisk_core.decide import apply_waivers
from brisk_core.facts import Held
from brisk_core.facts import Inspection as Facts
from brisk_core.report import CHECK_SCHEMA, check_to_json
from brisk_core.spec import EVERY_FILE, counts_of, lines_that_differ, verdict_of
from brisk_core.spec import Spec as Document
from brisk_core.spec import judge as judge_facts
from brisk_core.version import ENGINE
from brisk_web.captions.services import captioned_for, with_captions
from brisk_web.checks.events import checks_judged, version_applied
from brisk_web.checks.models import Check, Finding, Waiver
from brisk_web.edits.models import Timeline
from brisk_web.house.services import name_of, record
from brisk_web.inspections.models import Inspection
from brisk_web.masters import services as masters
from brisk_web.masters.services import Pair
from brisk_web.shelf.models import SpecVersion
from brisk_web.shelf.services import house_words
from brisk_web.storage.models import MediaFile

if TYPE_CHECKING:
    from brisk_web.jobs.models import Render

#: What a judge needs of a check, fetched along with it.
_EVIDENCE = ("media_file__inspection", "spec_version__spec", "timeline", "master__inspection")
_BATCH = 200  # checks judged again in one transaction


@transaction.atomic
def open_check(
    media_file: MediaFile,
    spec_version: SpecVersion,
    *,
    timeline: Timeline | None = None,
    range_start: int | None = None,
    range_end: int | None = None,
    master: MediaFile | None = None,
    render: Render | None = None,
    kind_of_work: str = "",
    by: User | None = None,
) -> Check:
    """Open a check of a file by a spec version, a range and a master, and judge it as far as the file is known."""
    check = Check.objects.create(
        media_file=media_file,
        spec_version=spec_version,
        timeline=timeline,
        range_start=range_start,
        range_end=range_end,
        master=None if master == media_file else master,
        render=render,
        kind_of_work=kind_of_work,
    )
    record("check.opened", check, f"Opened a check of {check}", by=by)
    judge(check)
    ask_for_comparison(check)
    return check


@transaction.atomic
def order_as(checks: QuerySet[Check], kind_of_work: str) -> int:
    """Tell checks which kind of work was ordered; those whose specs ask for it are judged again. Return how many."""
    told = list(checks.exclude(kind_of_work=kind_of_work).select_related(*_EVIDENCE))
    checks.filter(pk__in=[check.pk for check in told]).update(kind_of_work=kind_of_work)
    asked = [check for check in told if check.spec_version.parsed().asks_kind_of_work]
    for check in asked:
        judge(check)
    return len(asked)


@transaction.atomic
def hold_against(check: Check, master: MediaFile | None) -> None:
    """Give a check the file that it is held against, or none; a file is never held against itself."""
    check.master = None if master is not None and master.pk == check.media_file_id else master
    check.save(update_fields=["master"])
    judge(check)
    ask_for_comparison(Check.objects.select_related(*_EVIDENCE).get(pk=check.pk))  # what is known of both by now


def pair_of(check: Check, master: MediaFile | None) -> Pair | None:
    """Return a check's file and another, with the range that is ordered, as a pair; ``None`` while either is unread."""
    own, other = check.media_file.inspection, master.inspection if master else None
    if own is None or other is None:
        return None
    return Pair(own=own, master=other, timeline=check.timeline, start=check.range_start, end=check.range_end)


def ask_for_comparison(check: Check) -> None:
    """Have a check's file held against its master, once both are scanned, if nobody has asked for it yet."""
    pair = pair_of(check, check.master)
    if pair:
        masters.ask(pair)


def held_for(check: Check) -> dict[str, Held] | None:
    """Return what a judge needs of a check's master: ``None`` without one, nothing while it is not known."""
    if check.master is None:
        return None
    pair = pair_of(check, check.master)
    comparison = masters.find(pair) if pair else None
    return comparison.held if comparison else {}


def judged_document(check: Check) -> dict[str, Any] | None:
    """Return the check as ``brisk-sentry/check/1`` has it, by what is known now; ``None`` while nothing is known."""
    inspection = check.media_file.inspection
    known = inspection.facts if inspection else None
    if known is None:
        return None
    spec = check.spec_version.parsed().in_words_of(house_words())
    return _judged(check, spec, known, waivers_of(check), None)


def _judged(
    check: Check, spec: Document, known: Facts, waivers: Iterable[Waiver], only: Set[str] | None
) -> dict[str, Any]:
    """Judge what is known by a spec in the house's words; ``only`` limits the lines to some ids."""
    inspection, timeline = check.media_file.inspection, check.timeline
    judged = judge_facts(
        spec,
        known,
        timeline=timeline.edit if timeline else None,
        covered=timeline.covered(check.range_start, check.range_end) if timeline else None,
        series=inspection.load_series() if inspection and spec.needs_series else None,
        master=held_for(check),
        captioned=captioned_for(check.media_file),
        kind_of_work=check.kind_of_work or None,
        only=only,
    )
    covers = [_covers(waiver) for waiver in waivers]
    return apply_waivers(check_to_json(judged, known), covers, today=timezone.localdate()).document


def document_of(check: Check) -> dict[str, Any] | None:
    """Return a check as it was judged last, of schema ``brisk-sentry/check/1``; ``None`` before that."""
    inspection = check.media_file.inspection
    if not check.verdict or inspection is None:
        return None
    version = check.spec_version
    return {
        "schema": CHECK_SCHEMA,
        "engine": inspection.engine,
        "file": {"name": check.media_file.name, "size": check.media_file.size},
        "spec": {"id": version.spec.slug, "name": version.spec.name, "version": version.number},
        "verdict": check.verdict,
        "counts": check.counts,
        "findings": [finding.document for finding in check.findings.all()],
    }


def waivers_of(check: Check) -> QuerySet[Waiver]:
    """Return the waivers that have not been taken back and speak for a check: its own and those of its deliverable."""
    if check.pk is None:
        return Waiver.objects.none()
    mine = Q(check_record=check) | Q(deliverable__renders__check_record=check)
    return Waiver.objects.filter(mine, taken_back_at=None).select_related("made_by")


def _covers(waiver: Waiver) -> Covers:
    return Covers(
        line=waiver.line, value=waiver.value, reason=waiver.reason, by=name_of(waiver.made_by), until=waiver.until
    )


def _finding(check: Check, position: int, row: dict[str, Any]) -> Finding:
    return Finding(
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


@transaction.atomic
def judge(check: Check) -> None:
    """Judge a check by what its inspection knows now; the findings are replaced as a whole."""
    locked = Check.objects.select_for_update(of=("self",)).select_related(*_EVIDENCE).get(pk=check.pk)
    document = judged_document(locked)
    locked.findings.all().delete()
    if document is None:
        locked.verdict, locked.counts, locked.judged_at = "", {}, None
    else:
        place = {line: position for position, line in enumerate(_order(locked.spec_version.parsed()))}
        _write(_finding(locked, place[row["line"]], row) for row in document["findings"])
        locked.verdict, locked.counts, locked.judged_at = document["verdict"], document["counts"], timezone.now()
        locked.engine = ENGINE
    locked.save(update_fields=["verdict", "counts", "judged_at", "engine"])
    checks_judged.send(sender=Check, ids=[locked.pk])


def judge_all_of(inspection: Inspection) -> int:
    """Judge every check of every file with this inspection, and of every file it is the master of; return how many."""
    checks = Check.objects.filter(Q(media_file__inspection=inspection) | Q(master__inspection=inspection))
    for check in checks:
        judge(check)
    return len(checks)


def ask_for_all_of(inspection: Inspection) -> None:
    """Ask for every comparison in which this inspection is one of the two."""
    held = Check.objects.filter(master__isnull=False).select_related(*_EVIDENCE)
    for check in held.filter(Q(media_file__inspection=inspection) | Q(master__inspection=inspection)):
        ask_for_comparison(check)


@dataclass(frozen=True, slots=True, kw_only=True)
class Trial:
    """What a spec would say of a check that another version judged, or of a file that none did."""

    check: Check  #: not saved for a file that is tried by itself
    document: dict[str, Any]
    changed: list[dict[str, str]]  #: lines whose outcome changes: label, before, after; empty texts for no line

    @property
    def turned(self) -> bool:
        """Does the verdict change?"""
        return bool(self.check.verdict) and self.check.verdict != self.document["verdict"]


def behind(version: SpecVersion) -> QuerySet[Check]:
    """Return the checks by older versions of this version's spec."""
    return Check.objects.filter(spec_version__spec=version.spec, spec_version__number__lt=version.number)


def judged_by(
    spec: Document, checks: Iterable[Check], only: Set[str] | None = None
) -> Iterator[tuple[Check, dict[str, Any]]]:
    """Judge checks by another spec; yield each with its document. Nothing is written, no file read.

    What is asked for each is asked for some at once: captions, waivers, words.
    """
    spec = spec.in_words_of(house_words())
    facts: dict[int, Facts | None] = {}
    waiting = iter(checks)
    while some := list(islice(waiting, _BATCH)):
        with_captions([check.media_file for check in some])
        waivers = _waivers_by_check(some)
        for check in some:
            inspection = check.media_file.inspection
            if inspection is None:
                continue
            if inspection.pk not in facts:
                facts[inspection.pk] = inspection.facts
            known = facts[inspection.pk]
            if known is not None:
                yield check, _judged(check, spec, known, waivers.get(check.pk, ()), only)


def _waivers_by_check(checks: Sequence[Check]) -> dict[int, list[Waiver]]:
    """Return by check what ``waivers_of`` would for each of some checks."""
    saved = [check for check in checks if check.pk is not None]
    owed = dict(Check.objects.filter(pk__in=[one.pk for one in saved]).values_list("pk", "render__deliverable"))
    mine = Q(check_record__in=saved) | Q(deliverable__in=set(owed.values()) - {None})
    found: dict[int, list[Waiver]] = {}
    for waiver in Waiver.objects.filter(mine, taken_back_at=None).select_related("made_by"):
        for check in saved:
            if waiver.check_record_id == check.pk or (
                waiver.deliverable_id and waiver.deliverable_id == owed[check.pk]
            ):
                found.setdefault(check.pk, []).append(waiver)
    return found


def trials(spec: Document, checks: Iterable[Check]) -> Iterator[Trial]:
    """Say of each check what a spec would change; nothing is written and no file read."""
    for check, document in judged_by(spec, checks):
        yield Trial(check=check, document=document, changed=_changes(check, document))


def trials_of_files(spec: Document, files: Iterable[MediaFile]) -> Iterator[Trial]:
    """Say of each file what a spec would make of it by itself: the lines that do not pass."""
    for check, document in judged_by(spec, (Check(media_file=file) for file in files)):
        open_lines = [row for row in document["findings"] if row["outcome"] != "pass"]
        changed = [{"label": row["label"], "before": "", "after": row["outcome"]} for row in open_lines]
        yield Trial(check=check, document=document, changed=changed)


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


def judge_again(version: SpecVersion, *, by: User | None) -> int:
    """Judge every check by an older version of a spec by this one; return how many. No file is read again.

    Only lines that differ between the versions are judged anew; the others stand. Deliverables that are owed by an
    older version are owed by this one from then on (``version_applied``), so that their next attempt is judged alike.
    """
    done = 0
    for older in version.spec.versions.filter(number__lt=version.number):
        differ, dropped = lines_that_differ(older.parsed(), version.parsed())
        waiting = list(Check.objects.filter(spec_version=older).order_by("pk").values_list("pk", flat=True))
        for at in range(0, len(waiting), _BATCH):
            with transaction.atomic():
                done += _judge_batch(version, waiting[at : at + _BATCH], differ, dropped)
    version_applied.send(sender=SpecVersion, version=version)
    if done:
        how_many = "1 check" if done == 1 else f"{done} checks"
        record("spec.judged-again", version, f"Judged {how_many} again by {version}", by=by)
    return done


def _judge_batch(version: SpecVersion, ids: list[int], differ: Set[str], dropped: Set[str]) -> int:
    """Judge some checks of one older version anew; those that another engine judged are judged whole."""
    checks = list(
        Check.objects.select_for_update(of=("self",))
        .select_related("media_file__inspection", "timeline", "master__inspection")
        .filter(pk__in=ids)
    )
    Check.objects.filter(pk__in=ids).update(spec_version=version)
    current = [check for check in checks if check.engine == ENGINE]
    for check in checks:
        check.spec_version = version
        if check.engine != ENGINE:
            judge(check)
    place = {line: position for position, line in enumerate(_order(version.parsed()))}
    known = [check.pk for check in current]
    Finding.objects.filter(check_record__in=known, line__in=differ | dropped).delete()
    fresh = [
        _finding(check, place[row["line"]], row)
        for check, document in judged_by(version.parsed(), current, differ)
        for row in document["findings"]
    ]
    _write(fresh)
    _put_in_place(known, place)
    _count_anew(current)
    checks_judged.send(sender=Check, ids=known)
    return len(checks)


def _write(findings: Iterable[Finding]) -> None:
    """Copy new findings in; they get no key here. ``bulk_create`` spends a fifth of judging again on quoting them."""
    fields = [field for field in Finding._meta.concrete_fields if not field.primary_key]
    quoted = connection.ops.quote_name
    into = f"COPY {quoted(Finding._meta.db_table)} ({', '.join(quoted(str(one.column)) for one in fields)}) FROM STDIN"
    with connection.wrap_database_errors, connection.cursor() as cursor, cursor.cursor.copy(into) as copy:
        for finding in findings:
            copy.write_row([field.get_db_prep_save(field.pre_save(finding, add=True), connection) for field in fields])


def _order(spec: Document) -> list[str]:
    return [line.id for line in (*spec.lines, *EVERY_FILE)]


def _put_in_place(ids: list[int], place: dict[str, int]) -> None:
    """Give the findings of some checks the order of their spec's lines."""
    moved = Finding.objects.filter(check_record__in=ids).values_list("line", "position").distinct()
    for line in {line for line, position in moved if place.get(line) != position}:
        Finding.objects.filter(check_record__in=ids, line=line).update(position=place[line])


def _count_anew(checks: list[Check]) -> None:
    """Write verdicts and counts of checks by their findings."""
    met: dict[int, list[tuple[str, str]]] = defaultdict(list)
    found = Finding.objects.filter(check_record__in=[check.pk for check in checks])
    for check_id, outcome, weight in found.values_list("check_record_id", "outcome", "weight"):
        met[check_id].append((outcome, weight))
    alike: dict[tuple[str, tuple[tuple[str, int], ...]], list[int]] = defaultdict(list)
    for check_id, lines in met.items():
        counts = counts_of(outcome for outcome, _ in lines)
        alike[verdict_of(lines), tuple(counts.items())].append(check_id)
    now = timezone.now()
    for (verdict, pairs), ids in alike.items():  # many checks share a verdict and its counts: one statement for them
        Check.objects.filter(pk__in=ids).update(verdict=verdict, counts=dict(pairs), judged_at=now)
