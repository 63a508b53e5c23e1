"""Files beside each other, beside the spec and the timeline: what differs, and what agrees.

A row is a line of the spec, or a characteristic that no line asks about. A row differs when the files (or the timeline
and a file) do not say the same, or when a line is not met by every file.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from brisk_core.captions import Captioned
from brisk_core.edit import Agreement, FrameRange, Timeline, agree
from brisk_core.facts import REGISTRY, Characteristic, Group, Inspection, keys, spell
from brisk_core.spec import Check, Finding, Spec, judge
from brisk_core.spec.conditions import TIMELINE_TWINS

#: Known for every file and different for every file: a row of them says nothing.
_OWN_TO_A_FILE = {keys.FILE_NAME.id, keys.FILE_CHECKSUM.id}


@dataclass(frozen=True, slots=True, kw_only=True)
class Compared:
    """One file to compare."""

    inspection: Inspection
    covered: FrameRange | None = None  #: the range of the timeline that it covers
    captioned: Captioned | None = None  #: its captions
    kind_of_work: str | None = None  #: what its order says


@dataclass(frozen=True, slots=True, kw_only=True)
class Cell:
    """What one file has."""

    text: str  #: spelled, empty for nothing
    outcome: str  #: of the line, empty where no line asks


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """One line or characteristic over all columns."""

    id: str  #: of the line, or of the characteristic
    label: str
    required: str  #: by the spec, empty where it does not ask
    timeline: str  #: empty where it does not say
    cells: tuple[Cell, ...]  #: in the order of the files
    differs: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class RowGroup:
    """The rows of one group of characteristics."""

    name: str
    differing: tuple[Row, ...]
    agreeing: tuple[Row, ...]


def compare(files: Sequence[Compared], *, spec: Spec | None = None, timeline: Timeline | None = None) -> list[RowGroup]:
    """Return the rows by group, in the order of the registry's groups; rows without any value are left out."""
    checks = [
        judge(
            spec,
            file.inspection,
            timeline=timeline,
            covered=file.covered,
            captioned=file.captioned,
            kind_of_work=file.kind_of_work or None,
        )
        for file in files
        if spec
    ]
    agreements = _own_words(timeline, files[0]) if timeline and files else {}
    groups = []
    for group in Group:
        rows = _line_rows(checks, group, agreements)
        asked = {line.characteristic.id for line in spec.lines} if spec else set()
        for id_, characteristic in REGISTRY.items():
            if characteristic.group is group and id_ not in asked | _OWN_TO_A_FILE:
                rows.append(_fact_row(characteristic, files, agreements))
        kept = [
            characteristic
            for characteristic in rows
            if characteristic.required or characteristic.timeline or any(cell.text for cell in characteristic.cells)
        ]
        if kept:
            groups.append(
                RowGroup(
                    name=group.value,
                    differing=tuple(characteristic for characteristic in kept if characteristic.differs),
                    agreeing=tuple(characteristic for characteristic in kept if not characteristic.differs),
                )
            )
    return groups


def _line_rows(checks: Sequence[Check], group: Group, agreements: dict[str, Agreement]) -> list[Row]:
    """One row for each line in this group; lines beside the spec's own may not apply to every file."""
    by_line = [{finding.line.id: finding for finding in check.findings} for check in checks]
    lines = {finding.line.id: finding for check in checks for finding in check.findings}
    rows = []
    for id_, first in lines.items():
        line = first.line
        if line.characteristic.group is not group:
            continue
        cells = tuple(_line_cell(found.get(id_)) for found in by_line)
        on_timeline = _timeline_text(line.characteristic.id, agreements)
        met = all(cell.outcome in ("pass", "") for cell in cells)
        same = len({cell.text for cell in cells}) == 1
        rows.append(
            Row(
                id=line.id,
                label=line.label,
                required=first.required,
                timeline=on_timeline,
                cells=cells,
                differs=not (met and (same or line.characteristic.id == keys.FILE_NAME.id)),
            )
        )
    return rows


def _line_cell(finding: Finding | None) -> Cell:
    if finding is None:
        return Cell(text="", outcome="")
    text = "not measured" if finding.outcome.value == "not measured" else finding.found
    return Cell(text=text, outcome=finding.outcome.value)


def _fact_row(characteristic: Characteristic, files: Sequence[Compared], agreements: dict[str, Agreement]) -> Row:
    """One row for a characteristic that no line asks about."""
    values = [
        file.inspection.best(characteristic.id) if characteristic.id in file.inspection.facts else None
        for file in files
    ]
    cells = tuple(Cell(text=_text(characteristic, value), outcome="") for value in values)
    on_timeline = _timeline_text(characteristic.id, agreements) if characteristic.id in TIMELINE_TWINS else ""
    said = {cell.text for cell in cells} | ({on_timeline} if on_timeline else set())
    return Row(
        id=characteristic.id,
        label=characteristic.label,
        required="",
        timeline=on_timeline,
        cells=cells,
        differs=len(said) > 1,
    )


def _text(characteristic: Characteristic, value: Any) -> str:
    return "" if value is None else spell(characteristic.kind, characteristic.per_track, value, characteristic.unit)


def _own_words(timeline: Timeline, file: Compared) -> dict[str, Agreement]:
    """What the timeline says for itself: its length at its own rate, whatever the rate of a file."""
    agreements = agree(file.inspection, timeline, file.covered)
    length = (file.covered or FrameRange.whole(timeline)).length
    return agreements | {keys.EDIT_LENGTH.id: replace(agreements[keys.EDIT_LENGTH.id], timeline=length)}


def _timeline_text(id_: str, agreements: dict[str, Agreement]) -> str:
    agreement = agreements.get(TIMELINE_TWINS.get(id_, id_))
    if agreement is None or agreement.timeline is None:
        return ""
    return spell(agreement.kind, False, agreement.timeline, agreement.unit)
