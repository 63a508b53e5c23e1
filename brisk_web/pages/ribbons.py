"""Ribbons: the worst finding of each group of characteristics."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass

from brisk_core.facts import Group
from brisk_web.checks.models import Check, Finding

#: From worst to best.
SEVERITY = ("fail", "caution", "not measured", "waived", "pass")

_NOTED = {
    "fail": "{count} note{s} not met",
    "caution": "{count} note{s} with caution",
    "not measured": "{count} of {lines} lines could not be measured",
}
_MOST_NAMED = 3  # lines named beside a verdict
_VERBS = (
    ("fail", "fails", "fail"),
    ("not measured", "is not measured", "are not measured"),
    ("caution", "gives caution", "give caution"),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Cell:
    """One cell of a ribbon."""

    group: str
    outcome: str
    passed: int
    lines: int


def worst(outcomes: Iterable[str]) -> str:
    """Return the worst of some outcomes."""
    return min(outcomes, key=SEVERITY.index)


def ribbon_of(rows: Iterable[tuple[str, str]]) -> list[Cell]:
    """Return the cells of (group, outcome) rows, in the order of the registry's groups."""
    by_group: dict[str, list[str]] = defaultdict(list)
    for group, outcome in rows:
        by_group[group].append(outcome)
    return [
        Cell(
            group=group.value,
            outcome=worst(by_group[group.value]),
            passed=by_group[group.value].count("pass"),
            lines=len(by_group[group.value]),
        )
        for group in Group
        if group.value in by_group
    ]


def ribbons_of(checks: Iterable[Check]) -> dict[int, tuple[list[Cell], list[str]]]:
    """Return the ribbon of each of several checks, and the labels of the lines that decide its verdict, at most three
    and none for a pass, by the check's id, in one query.
    """
    known = {check.pk: check for check in checks}
    rows: dict[int, list[tuple[str, str]]] = defaultdict(list)
    labels: dict[int, list[str]] = defaultdict(list)
    found = Finding.objects.filter(check_record__in=known).order_by("position")
    for check_id, group, outcome, label in found.values_list("check_record_id", "group", "outcome", "label"):
        rows[check_id].append((group, outcome))
        if outcome == known[check_id].verdict != "pass" and len(labels[check_id]) < _MOST_NAMED:
            labels[check_id].append(label)
    return {check_id: (ribbon_of(pairs), labels[check_id]) for check_id, pairs in rows.items()}


def because(verdict: str, lines: Iterable[tuple[str, str]]) -> str:
    """Return the labels of the lines that decide a verdict, or that a pass leaves open, by (outcome, label)."""
    known = list(lines)
    open_ones = [outcome for outcome in SEVERITY if outcome not in ("pass", "waived")]
    deciding = verdict if verdict in open_ones else next((one for one in open_ones if (one in dict(known))), "")
    labels = [label for outcome, label in known if outcome == deciding]
    more = len(labels) - _MOST_NAMED
    return ", ".join(labels[:_MOST_NAMED]) + (f" and {more} more" if more > 0 else "")


def verdict_words(check: Check) -> str:
    """Return the verdict in words, such as "3 of 46 lines fail"."""
    lines = sum(check.counts.values())
    if not check.verdict:
        return "not judged yet"
    for outcome, one, many in _VERBS:
        if count := check.counts.get(outcome, 0):
            if check.verdict == "pass":  # what is open are notes, which do not count
                return "passes; " + _NOTED[outcome].format(count=count, lines=lines, s="" if count == 1 else "s")
            return f"{count} of {lines} lines {one if count == 1 else many}"
    if waived := check.counts.get("waived", 0):
        return f"{lines - waived} of {lines} lines pass, {waived} waived"
    return f"all {lines} lines pass"
