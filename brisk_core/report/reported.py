"""Reports of schema ``brisk-sentry/report/1``: one render, or many of a job or of a period.

A report holds records and nothing of the moment it is written in, so that the same records give the same bytes. Page,
PDF, CSV and text are all made from it.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Mapping, Sequence
from importlib import resources
from typing import Any

REPORT_SCHEMA = "brisk-sentry/report/1"
_MOST_FREQUENT = 12
_ORDER = ("fail", "caution", "not measured", "waived", "pass")


def render_report(
    findings: Sequence[Mapping[str, Any]],
    *,
    about: Mapping[str, Any],
    verdict: str,
    counts: Mapping[str, int],
    facts: Sequence[tuple[str, str]],
    places: Mapping[str, Sequence[Mapping[str, Any]]],
    decided: Mapping[str, Any],
    lanes: Sequence[Mapping[str, Any]],
) -> dict[str, Any]:
    """Return the report of one render.

    ``findings`` are as ``brisk-sentry/check/1`` has them; ``about`` names job, deliverable, attempt, file, checksum,
    spec, range; ``facts`` are labels with values; ``places`` tell by line where, in words (``timecode``, ``shot``,
    ``length``, ``detail``, ``start``); ``decided`` holds state, signatures, requests and what was watched; ``lanes``
    are drawings as ``lane_of`` makes them.
    """
    lines = [_line(row, places.get(row["line"], ())) for row in findings]
    return {
        "schema": REPORT_SCHEMA,
        "kind": "render",
        **about,
        "verdict": verdict,
        "counts": dict(counts),
        "facts": [{"label": label, "value": value} for label, value in facts],
        "lines": lines,
        "waived": [line for line in lines if line["outcome"] == "waived"],
        "not_measured": [line for line in lines if line["outcome"] == "not measured"],
        "decided": dict(decided),
        "lanes": [dict(lane) for lane in lanes],
    }


def _line(row: Mapping[str, Any], places: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    kept = ("line", "label", "group", "outcome", "weight", "required", "found", "says", "why", "remedy")
    waived = {"waived": row["waived"]} if "waived" in row else {}
    return {key: row[key] for key in kept} | waived | {"places": [dict(place) for place in places]}


def worst_first(lines: Sequence[Mapping[str, Any]]) -> list[Mapping[str, Any]]:
    """Return lines of a report, the worst outcome first, each outcome in the order of the spec."""
    return sorted(lines, key=lambda line: _ORDER.index(line["outcome"]))


def many_report(
    kind: str, title: str, rows: Sequence[Mapping[str, Any]], *, period: tuple[str, str] | None
) -> dict[str, Any]:
    """Return the report of a job or of a period.

    ``kind`` is "job" or "period". Each row is one attempt: ``job``, ``deliverable``, ``attempt``, ``file``,
    ``checksum``, ``spec``, ``rendered_by``, ``taken_in``, ``verdict``, ``counts``, ``state``, ``signed`` (by, at), and
    ``faults``: labels of lines that failed or gave caution. ``period`` are first and last day in ISO form.
    """
    newest, first = _ends(rows)
    faults = Counter(fault for row in rows for fault in row["faults"])
    return {
        "schema": REPORT_SCHEMA,
        "kind": kind,
        "title": title,
        "period": {"from": period[0], "to": period[1]} if period else None,
        "counts": {
            "deliverables": len(newest),
            "attempts": len(rows),
            "signed": sum(bool(row["signed"]) for row in newest),
            "passed_first_time": sum(row["verdict"] == "pass" for row in first),
        },
        "frequent_faults": [
            {"label": label, "times": times}
            for label, times in sorted(faults.items(), key=lambda one: (-one[1], one[0]))[:_MOST_FREQUENT]
        ],
        "rows": [dict(row) for row in rows],
    }


def _ends(rows: Sequence[Mapping[str, Any]]) -> tuple[list[Mapping[str, Any]], list[Mapping[str, Any]]]:
    """The newest and the first attempt at each deliverable."""
    newest: dict[tuple[str, str], Mapping[str, Any]] = {}
    first: dict[tuple[str, str], Mapping[str, Any]] = {}
    for row in sorted(rows, key=lambda one: one["attempt"]):
        key = (row["job"], row["deliverable"])
        newest[key] = row
        first.setdefault(key, row)
    return list(newest.values()), list(first.values())


def report_schema() -> dict[str, Any]:
    """Return the JSON Schema (2020-12) of a report."""
    text = (resources.files("brisk_core.report") / "report_1.schema.json").read_text(encoding="utf-8")
    schema: dict[str, Any] = json.loads(text)
    return schema
