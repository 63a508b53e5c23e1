"""The draft of a spec, made from a good render: each fact that specs of its family usually ask about becomes a line
that the render itself passes.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from math import ceil, floor, log10
from typing import Any

from brisk_core.errors import SpecRefused
from brisk_core.facts import REGISTRY, Characteristic, Inspection, Kind, Stage, keys, value_to_json
from brisk_core.spec.document import SPEC_FORMAT, Spec, parse_spec
from brisk_core.spec.judge import judge
from brisk_core.spec.line import Outcome

_USUAL = 0.5  # share of the specs of a family that ask about a fact
_HEADROOM, _ROOM_FOR_SIZE, _AROUND = 1.1, 1.25, 0.2  # over a peak; over a size; around an average bit rate
_LOUDNESS_TOLERANCE = 1  # LU, of EBU R 128 for live programmes
_WORDS = {Kind.TEXT, Kind.CHOICE, Kind.FLAG, Kind.RATE, Kind.RATIO, Kind.SIZE, Kind.TIMECODE, Kind.COUNT}
#: Counts and numbers of which less is as good.
_AT_MOST = {
    keys.GOP_LONGEST.id, keys.PICTURE_B_FRAMES.id, keys.PICTURE_REF_FRAMES.id, keys.PICTURE_LEVEL.id,
    keys.CONTENT_OUTSIDE_NARROW.id, keys.SOUND_TRUE_PEAK.id,
}  # fmt: skip
_NEVER = {keys.FILE_NAME.id, keys.FILE_CHECKSUM.id}  # of this very file


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """A line that a file suggests."""

    characteristic: Characteristic
    condition: dict[str, Any]  #: as a spec document has it
    share: float  #: of the specs of the family that ask about it

    @property
    def id(self) -> str:
        """The id of the line."""
        return self.characteristic.id.replace(".", "-").replace("_", "-")

    @property
    def raw(self) -> dict[str, Any]:
        """The line as a spec document has it."""
        return {"id": self.id, "characteristic": self.characteristic.id, "condition": self.condition}


def draft_lines(inspection: Inspection, family: str, specs: Iterable[Spec]) -> list[Draft]:
    """Return the lines that a file suggests for a family, in the order of the registry.

    Those are the facts that half of the family's specs ask about (of all specs, for a family without any); what the
    file itself would not pass is left out, and so is what only a timeline or a master can tell.
    """
    of_family = [one for one in specs if one.family == family] or list(specs)
    asked = Counter(id_ for spec in of_family for id_ in {line.characteristic.id for line in spec.lines})
    found = []
    for id_, characteristic in REGISTRY.items():
        share = asked[id_] / len(of_family) if of_family else 0.0
        if share >= _USUAL and id_ not in _NEVER and characteristic.stage is not Stage.CHECK:
            condition = _condition(characteristic, inspection.best(id_))
            if condition is not None:
                found.append(Draft(characteristic=characteristic, condition=condition, share=share))
    passed = _passed(found, inspection)
    return [draft for draft in found if draft.id in passed]


def draft_document(
    drafts: Sequence[Draft], *, id_: str, name: str, family: str, source: str, issued: str
) -> dict[str, Any]:
    """Return a spec document of some lines."""
    head = {"brisk_spec": SPEC_FORMAT, "id": id_, "name": name, "family": family, "source": source, "issued": issued}
    return head | {"lines": [draft.raw for draft in drafts]}


def _passed(drafts: Sequence[Draft], inspection: Inspection) -> set[str]:
    """The ids of lines that the file passes; each is read for itself, so that none spoils another."""
    passed = set()
    for draft in drafts:
        document = draft_document(
            [draft], id_="draft", name="Draft", family="web", source="a file", issued="2000-01-01"
        )
        try:
            check = judge(parse_spec(document), inspection, integrity=False)
        except SpecRefused:
            continue
        passed |= {one.line.id for one in check.findings if one.line.id == draft.id and one.outcome is Outcome.PASS}
    return passed


def _condition(characteristic: Characteristic, value: Any) -> dict[str, Any] | None:
    """The condition that a value suggests; ``None`` where it suggests none."""
    if value is None:
        return None
    if characteristic.kind in (Kind.SPANS, Kind.TIMES):
        nothing = not any(value) if characteristic.per_track else not value
        return {"absent": True} if nothing else None
    if characteristic.kind is Kind.TEXTS:
        return None if value else {"absent": True}
    if characteristic.per_track:
        values = {one for one in value if one is not None}
        if not value or len(values) != len({*value}):  # a track that says nothing
            return None
        if len(values) > 1:
            worst = max(values) if characteristic.id in _AT_MOST else None
            return None if worst is None else _of_one(characteristic, worst)
        value = values.pop()
    return _of_one(characteristic, value)


def _of_one(characteristic: Characteristic, value: Any) -> dict[str, Any] | None:
    if characteristic.id == keys.SOUND_PROGRAMME_LOUDNESS.id:
        return {"near": {"value": round(value), "tolerance": _LOUDNESS_TOLERANCE}}
    if characteristic.id == keys.SOUND_TRUE_PEAK.id:
        return {"at_most": ceil(2 * value) / 2}
    if characteristic.id == keys.CONTENT_OUTSIDE_NARROW.id:
        return {"at_most": max(1, ceil(_HEADROOM * value))}
    if characteristic.id == keys.BITRATE_AVERAGE.id:
        return {
            "between": [f"{_round(value * (1 - _AROUND), floor)} bit/s", f"{_round(value * (1 + _AROUND), ceil)} bit/s"]
        }
    if characteristic.kind is Kind.BIT_RATE:
        return {"at_most": f"{_round(value * _HEADROOM, ceil)} bit/s"}
    if characteristic.kind is Kind.BYTES:
        return {"at_most": f"{_round(value * _ROOM_FOR_SIZE, ceil)} B"}
    if characteristic.kind not in _WORDS:
        return None
    raw = value_to_json(characteristic.kind, False, value)
    if characteristic.kind is Kind.TIMECODE:
        raw = raw["timecode"]
    elif characteristic.kind is Kind.SIZE:
        raw = f"{value[0]}x{value[1]}"
    return {"at_most" if characteristic.id in _AT_MOST else "equals": raw}


def _round(value: float, way: Any) -> int:
    """Two digits that count."""
    step = 10 ** max(floor(log10(value)) - 1, 0) if value > 0 else 1
    return int(way(value / step) * step)
