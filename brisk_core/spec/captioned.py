"""Lines on captions: held against the limits of the spec, and of the house where the spec gives none."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any

from brisk_core.captions import Captioned, hold_captions, programme_of
from brisk_core.facts import (
    REGISTRY,
    CaptionTrack,
    Held,
    Inspection,
    Kind,
    Sentence,
    Span,
    Stage,
    Unheard,
    Witnessed,
    keys,
)
from brisk_core.spec.conditions import Equals, Present
from brisk_core.spec.document import Spec
from brisk_core.spec.limits import CaptionLimit
from brisk_core.spec.line import INTEGRITY_PREFIX, Condition, Line, Weight

_BURNED = keys.TEXT_BURNED_IN.id
_NONE = "no caption file stands beside it, and it has none inside"
_UNKNOWN = "rate or length of the file are not known"


def _line(name: str, label: str, weight: Weight, why: str = "") -> Line:
    characteristic = REGISTRY[f"text.{name}"]
    flag = characteristic.kind is Kind.FLAG
    return Line(
        id=f"{INTEGRITY_PREFIX}captions-{name.replace('_', '-')}",
        characteristic=characteristic,
        condition=Equals(characteristic, False) if flag else Present(characteristic, wanted=False),
        raw_condition={"equals": False} if flag else {"absent": True},
        weight=weight,
        label=label,
        why=why,
        remedy="",
        witnesses=(),
    )


#: Judged when a file has captions, beside it or inside.
CAPTION_LINES: tuple[Line, ...] = (
    _line(
        "document", "Captions readable", Weight.MUST, "A caption that cannot be read is not shown, or stops the rest."
    ),
    _line(
        "encoding", "Characters of captions", Weight.SHOULD, "Letters of another code turn into signs nobody can read."
    ),
    _line(
        "out_of_range", "Captions inside the programme", Weight.MUST, "Captions outside it belong to another version."
    ),
    _line("rate_mismatch", "Captions in time", Weight.MUST),
    _line("overlap", "One caption at a time", Weight.SHOULD),
    _line("gap", "Gaps between captions", Weight.NOTE),
    _line("reading_speed", "Reading speed", Weight.SHOULD),
    _line("line_length", "Length of caption lines", Weight.SHOULD),
    _line("line_count", "Lines at once", Weight.SHOULD),
    _line("agreement", "Captions inside as beside", Weight.SHOULD, "Viewers of one and the other read another text."),
    _line("burned_in", "Captions apart from the picture", Weight.SHOULD, "Burned in and beside it, they stand twice."),
)
CAPTION_IDS = frozenset(line.characteristic.id for line in CAPTION_LINES)


def caption_lines_of(captioned: Captioned | None) -> tuple[Line, ...]:
    """Return the lines that the captions of a file bring; whether those inside agree with those beside it is asked only
    where there are both.
    """
    kinds = {document.embedded for document in captioned.documents} if captioned else set()
    left_out = set() if len(kinds) == 2 else {keys.TEXT_AGREEMENT.id}
    return tuple(line for line in CAPTION_LINES if line.characteristic.id not in left_out) if kinds else ()


@dataclass(slots=True)
class CaptionVerdicts:
    """What holding the captions of a file gives, by characteristic and condition."""

    captioned: Captioned | None
    inspection: Inspection
    _held: dict[tuple[str, Fraction] | None, Mapping[str, Held]] = field(default_factory=dict)

    def of(self, condition: Condition) -> Held | None:
        """Return what a condition on the text of captions meets; ``None`` where the facts of the file answer it."""
        id_ = condition.characteristic.id
        if id_ not in CAPTION_IDS:
            return None
        programme = programme_of(self.inspection)
        if self.captioned is None:
            if condition.characteristic.stage is not Stage.CHECK and not isinstance(condition, CaptionLimit):
                return None
            return Held(right=None, required=condition.required(), found=_NONE)
        if programme is None:
            return Held(right=None, required=condition.required(), found=_UNKNOWN)
        limit = (id_, condition.limit) if isinstance(condition, CaptionLimit) else None
        if limit not in self._held:
            self._held[limit] = hold_captions(self.captioned, programme, {limit[0]: limit[1]} if limit else None)
        held = self._held[limit][id_]
        return _as_asked(held, condition) if id_ == _BURNED else held


def _as_asked(held: Held, condition: Condition) -> Held:
    """Turn a verdict about captions in the picture round where a spec wants them there."""
    wanted = condition.wanted if isinstance(condition, Present) else condition.holds(True)
    if held.right is None or not wanted:
        return held
    required = "burned in"
    if not held.right:
        return replace(held, right=True, required=required, sentences=())
    says = "Nothing like text comes and goes with the captions: they are not in the picture."
    remedy = "Burn the captions in, and export again."
    fault = Sentence(says=says, frame=None, fault=True)
    return replace(held, right=False, required=required, sentences=(fault,), remedy=remedy)


def caption_limits(spec: Spec) -> dict[str, Fraction]:
    """Return the limits of captions that a spec gives, by id."""
    return {
        line.characteristic.id: line.condition.limit for line in spec.lines if isinstance(line.condition, CaptionLimit)
    }


def with_sidecars(inspection: Inspection, captioned: Captioned | None) -> Inspection:
    """Return the inspection with the caption files beside the media among its captions, and their places."""
    beside = [one for one in captioned.documents if not one.embedded] if captioned else []
    if not beside:
        return inspection
    found = tuple(
        CaptionTrack(kind="sidecar", format=one.format, language=one.language or None, count=len(one.captions))
        for one in beside
    )
    said = inspection.witnessed(keys.TEXT_CAPTIONS)

    def joined(value: Any) -> Any:
        return found if value is None or value is Unheard.UNHEARD else (*value, *found)

    both = replace(said, declared=joined(said.declared), observed=joined(said.observed))
    facts: dict[str, Witnessed[Any]] = {keys.TEXT_CAPTIONS.id: both}
    programme = programme_of(inspection)
    if captioned and programme:  # conditions on places ask for all of them, of tracks and of files
        for id_, held in hold_captions(captioned, programme).items():
            if id_ in inspection.facts and held.right is not None:
                facts[id_] = Witnessed(observed=tuple(Span(**span) for span in held.document))
    return inspection.saying(facts)
