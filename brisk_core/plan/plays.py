"""Plays: what a player makes of a file, or of a render that is planned. A player's profile is a spec of family
``player``, and a cell is a verdict of the one judge by it.
"""

from __future__ import annotations

import enum
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from brisk_core.facts import Inspection
from brisk_core.packets import PacketSeries
from brisk_core.plan.render import read_renders
from brisk_core.plan.words import Reader
from brisk_core.spec import Check, Finding, Outcome, Spec, Weight, judge, shelf_specs

PLAYS_SCHEMA = "brisk-sentry/plan-plays/1"
PLAYER_FAMILY = "player"
_SILENT = "the plan does not say"


class Plays(enum.Enum):
    """What a player makes of a file."""

    PLAYS = "plays"
    CONVERTED = "plays after conversion"
    REFUSED = "refused"
    NOT_KNOWN = "not known"


@dataclass(frozen=True, slots=True, kw_only=True)
class Cell:
    """One file on one player."""

    plays: Plays
    reasons: tuple[Finding, ...]  #: findings that say why, in the order of the profile
    remarks: tuple[Finding, ...]  #: unmet lines of weight note
    check: Check


def played(profile: Spec, inspection: Inspection, series: PacketSeries | None = None) -> Cell:
    """Return what a player makes of a file: an unmet must is a refusal, an unmet should a conversion.

    What could not be measured leaves the cell *not known*, unless something that was measured refuses the file.
    """
    check = judge(profile, inspection, series=series, integrity=False)
    by_weight = {
        weight: [one for one in check.findings if one.line.weight is weight and one.outcome is not Outcome.PASS]
        for weight in Weight
    }
    must, should = by_weight[Weight.MUST], by_weight[Weight.SHOULD]
    refusals = [one for one in must if one.outcome is Outcome.FAIL]
    unknown = [one for one in (*must, *should) if one.outcome is Outcome.NOT_MEASURED]
    conversions = [one for one in should if one.outcome is not Outcome.NOT_MEASURED]
    plays, reasons = Plays.PLAYS, list[Finding]()
    for kind, findings in ((Plays.REFUSED, refusals), (Plays.NOT_KNOWN, unknown), (Plays.CONVERTED, conversions)):
        if findings:
            plays, reasons = kind, findings
            break
    remarks = [one for one in by_weight[Weight.NOTE] if one.outcome is not Outcome.NOT_MEASURED]
    return Cell(plays=plays, reasons=tuple(reasons), remarks=tuple(remarks), check=check)


def shipped_profiles() -> list[Spec]:
    """Return the player profiles that are shipped, by name."""
    return sorted((one for one in shelf_specs().values() if one.family == PLAYER_FAMILY), key=lambda one: one.name)


def plan_plays(
    asked: Mapping[str, Any], profiles: Sequence[Spec], files: Sequence[tuple[str, Inspection]] = ()
) -> dict[str, Any]:
    """Return what each player makes of each file and of each planned render of ``asked["renders"]``.

    Raises ``PlanRefused`` with every mistake and its place.
    """
    reader = Reader()
    reader.only("plan", asked, ("renders",))
    planned = read_renders(reader, asked, beside=bool(files))
    reader.refuse()
    columns = [{"id": one.id, "name": one.name, "source": one.source} for one in profiles]
    rows = [_row(name, one, profiles, planned=False) for name, one in files]
    rows += [_row(name, one, profiles, planned=True) for name, one in planned]
    return {"schema": PLAYS_SCHEMA, "asked": dict(asked), "players": columns, "rows": rows}


def _row(name: str, inspection: Inspection, profiles: Sequence[Spec], *, planned: bool) -> dict[str, Any]:
    cells = {profile.id: _told(played(profile, inspection), planned=planned) for profile in profiles}
    counts = {kind.value: sum(cell["plays"] == kind.value for cell in cells.values()) for kind in Plays}
    return {"name": name, "planned": planned, "cells": cells, "counts": counts}


def _told(cell: Cell, *, planned: bool) -> dict[str, Any]:
    return {
        "plays": cell.plays.value,
        "reasons": [_finding(one, planned=planned) for one in cell.reasons],
        "remarks": [_finding(one, planned=planned) for one in cell.remarks],
    }


def _finding(one: Finding, *, planned: bool) -> dict[str, str]:
    """A reason; of a render that is planned nobody looked, the plan is silent."""
    silent = planned and one.outcome is Outcome.NOT_MEASURED
    return {
        "line": one.line.id,
        "label": one.line.label,
        "required": one.required,
        "found": _SILENT if silent else one.found,
        "says": f"Not known: {_SILENT}." if silent else one.says,
        "remedy": one.remedy,
    }
