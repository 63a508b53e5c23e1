"""Reports as tables for a spreadsheet and as short texts for an e-mail."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from typing import Any

from brisk_core.report.reported import worst_first

_FORMULA = ("=", "+", "-", "@", "\t", "\r")  # what a spreadsheet would take a cell for
_LINE_COLUMNS = ("group", "label", "outcome", "weight", "required", "found", "says", "remedy")
_ROW_COLUMNS = (
    "job",
    "deliverable",
    "attempt",
    "file",
    "checksum",
    "spec",
    "rendered_by",
    "taken_in",
    "verdict",
    "state",
)
_MOST_PLACES = 20


def report_csv(report: Mapping[str, Any]) -> str:
    """Return the lines of one render's report, or the rows of many, as CSV (RFC 4180), with a row of headings.

    A cell that a spreadsheet would take for a formula begins with an apostrophe.
    """
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\r\n")
    if report["kind"] == "render":
        table.writerow([*_LINE_COLUMNS, "places", "waived by", "reason"])
        for line in report["lines"]:
            waived = line.get("waived") or {}
            cells = [
                *(line[key] for key in _LINE_COLUMNS),
                _places(line),
                waived.get("by", ""),
                waived.get("reason", ""),
            ]
            table.writerow([_cell(one) for one in cells])
    else:
        table.writerow([*_ROW_COLUMNS, "signed by", "signed at", "faults"])
        for row in report["rows"]:
            signed = row["signed"] or [{}]
            by = "; ".join(one.get("by", "") for one in signed)
            at = "; ".join(one.get("at", "") for one in signed)
            cells = [*(row[key] for key in _ROW_COLUMNS), by, at, "; ".join(row["faults"])]
            table.writerow([_cell(one) for one in cells])
    return out.getvalue()


def _places(line: Mapping[str, Any]) -> str:
    told = [place["timecode"] for place in line["places"][:_MOST_PLACES]]
    more = len(line["places"]) - _MOST_PLACES
    return "; ".join(told) + (f"; and {more} more" if more > 0 else "")


def _cell(value: Any) -> str:
    text = "" if value is None else str(value)
    number = text.replace(".", "", 1).lstrip("-").isdigit()
    return f"'{text}" if text.startswith(_FORMULA) and not number else text


def report_text(report: Mapping[str, Any]) -> str:
    """Return a short text: what it is, the verdict, what is wrong and where, what was waived, who signed."""
    if report["kind"] != "render":
        return _many_text(report)
    lines = [
        f"{report['job']}, {report['deliverable']}, attempt {report['attempt']}"
        if report["job"]
        else report["file"]["name"],
        f"File: {report['file']['name']} (XXH3-128 {report['file']['checksum'] or 'not taken'})",
        f"Judged by: {report['spec']['name']}, version {report['spec']['version']}",
        f"Verdict: {report['verdict_words']}",
        "",
    ]
    for line in worst_first(report["lines"]):
        if line["outcome"] == "pass":
            continue
        lines.append(f"{line['outcome'].upper()}: {line['label']}. {line['says']}")
        lines += [f"    {place['timecode']} {place['length']}" for place in line["places"][:_MOST_PLACES]]
        if line["outcome"] == "waived":
            lines.append(f"    accepted by {line['waived']['by']}: {line['waived']['reason']}")
    for one in report["decided"]["signatures"]:
        void = f" (void: {one['void']})" if one["void"] else ""
        lines.append(f"Signed by {one['by']}, {one['at']}{void}")
    return "\n".join(lines).rstrip() + "\n"


def _many_text(report: Mapping[str, Any]) -> str:
    counts = report["counts"]
    lines = [
        report["title"],
        f"{counts['deliverables']} deliverables, {counts['attempts']} attempts, {counts['signed']} signed, "
        f"{counts['passed_first_time']} right at the first attempt",
        "",
    ]
    lines += [_row_text(row) for row in report["rows"]]
    return "\n".join(lines).rstrip() + "\n"


def _row_text(row: Mapping[str, Any]) -> str:
    verdict = row["verdict"] or "not judged"
    return f"{row['job']}, {row['deliverable']}, attempt {row['attempt']}: {verdict}, {row['state']}"
