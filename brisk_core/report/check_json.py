"""The JSON of a check, schema ``brisk-sentry/check/1``."""

from __future__ import annotations

from typing import Any

from brisk_core.edit import Agreement
from brisk_core.facts import Held, Inspection, Unheard, Witness, value_to_json
from brisk_core.spec import Check, Finding
from brisk_core.version import ENGINE

_WITNESSES = tuple(witness.value for witness in Witness)
CHECK_SCHEMA = "brisk-sentry/check/1"


def finding_to_json(finding: Finding) -> dict[str, Any]:
    """Return one finding; a witness that could not be heard is left out."""
    characteristic = finding.line.characteristic
    said: dict[str, Any] = {}
    for name in _WITNESSES:
        value = getattr(finding, name)
        if value is Unheard.UNHEARD:
            continue
        if isinstance(value, Agreement):
            said[name] = value.to_json()
        elif isinstance(value, Held):
            said[name] = value.document
        else:
            said[name] = value_to_json(characteristic.kind, characteristic.per_track, value)
    return {
        "line": finding.line.id,
        "label": finding.line.label,
        "group": characteristic.group.value,
        "characteristic": characteristic.id,
        "outcome": finding.outcome.value,
        "weight": finding.line.weight.value,
        "condition": finding.line.raw_condition,
        "required": finding.required,
        "found": finding.found,
        **said,
        "spans": [
            {"start": span.start, "end": span.end} | ({"detail": span.detail} if span.detail else {})
            for span in finding.spans
        ],
        "code": finding.code,
        "says": finding.says,
        "why": finding.why,
        "remedy": finding.remedy,
    }


def check_to_json(check: Check, inspection: Inspection) -> dict[str, Any]:
    """Return the whole check."""
    return {
        "schema": CHECK_SCHEMA,
        "engine": ENGINE,
        "file": {"name": inspection.file_name, "size": inspection.file_size},
        "spec": {"id": check.spec.id, "name": check.spec.name},
        "verdict": check.verdict.value,
        "counts": check.counts,
        "findings": [finding_to_json(finding) for finding in check.findings],
    }
