"""Waivers: a fault that a person accepted. They cover one value of one line, and end when it is another."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from brisk_core.decide.digests import digest_of
from brisk_core.facts import keys
from brisk_core.spec import Outcome, Weight, counts_of, verdict_of

#: Characteristics that say that a file is damaged: nobody can accept what nobody can see the extent of.
_DAMAGE = {
    keys.WRAPPER_COMPLETE.id,
    keys.CONTENT_UNREADABLE.id,
    keys.SOUND_UNREADABLE.id,
}
_OPEN = (Outcome.FAIL.value, Outcome.CAUTION.value)


@dataclass(frozen=True, slots=True, kw_only=True)
class Waiver:
    """One waiver, as far as judging needs it."""

    line: str  #: id of the line
    value: str  #: what it covers, as ``value_of`` gives it
    reason: str
    by: str  #: name of who gave it
    until: date | None = None  #: the last day it stands; ``None`` for no end


@dataclass(frozen=True, slots=True, kw_only=True)
class Applied:
    """A check's document with its waivers in it."""

    document: dict[str, Any]
    unused: tuple[Waiver, ...]  #: that cover nothing of it, because the line passes or has another value


def value_of(finding: Mapping[str, Any]) -> str:
    """Return a mark of what a finding found, of what was asked and of its places: 64 hexadecimal digits."""
    said = {
        "asked": finding["condition"],
        "code": finding["code"],
        "found": finding["found"],
        "places": [[span["start"], span["end"]] for span in finding["spans"]],
    }
    return digest_of(said)


def why_not_waivable(finding: Mapping[str, Any], *, lead: bool) -> str:
    """Return why somebody cannot waive a finding, as a sentence; "" if they can. ``lead``: do they lead the house?"""
    outcome = finding["outcome"]
    if outcome == Outcome.NOT_MEASURED.value:
        return "What was not measured cannot be waived. Somebody can look at it and say what they saw."
    if outcome == Outcome.WAIVED.value:
        return "This line is waived already."
    if outcome not in _OPEN:
        return "This line passes; there is nothing to waive."
    if finding["characteristic"] in _DAMAGE:
        return "A damaged file cannot be waived: what is behind the damage cannot be judged. Have it rendered again."
    if finding["weight"] == Weight.MUST.value and outcome == Outcome.FAIL.value and not lead:
        return "Only a lead can waive a line that must be met."
    return ""


def apply_waivers(document: Mapping[str, Any], waivers: Iterable[Waiver], *, today: date) -> Applied:
    """Return a check's document in which the findings that waivers cover are waived, with counts and verdict anew.

    ``document`` is one of ``brisk-sentry/check/1``; it is left as it is. A waiver covers nothing after its last day,
    and nothing but the value it was given for. A waived finding keeps what it was as ``waived.was``.
    """
    known = list(waivers)
    standing = {(one.line, one.value): one for one in known if one.until is None or one.until >= today}
    used: list[Waiver] = []
    rows: list[dict[str, Any]] = []
    for row in document["findings"]:
        waiver = standing.get((row["line"], value_of(row))) if row["outcome"] in _OPEN else None
        if waiver is None or row["characteristic"] in _DAMAGE:
            rows.append(row)
            continue
        used.append(waiver)
        rows.append(row | {"outcome": Outcome.WAIVED.value, "waived": _told(waiver, row["outcome"])})
    unused = tuple(one for one in known if one not in used)
    return Applied(document={**document, "findings": rows} | _verdict(rows), unused=unused)


def _told(waiver: Waiver, was: str) -> dict[str, Any]:
    until = waiver.until.isoformat() if waiver.until else None
    return {"was": was, "by": waiver.by, "reason": waiver.reason, "until": until}


def _verdict(rows: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    return {
        "verdict": verdict_of((row["outcome"], row["weight"]) for row in rows),
        "counts": counts_of(row["outcome"] for row in rows),
    }
