"""A line of a spec, what its condition is, and the hearing in which a condition judges itself.

These belong together: a line has a condition, a condition judges a line in a hearing, and the outcome is a finding.
"""

from __future__ import annotations

import enum
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from typing import Any, ClassVar, Protocol

from brisk_core.edit import Agreement
from brisk_core.exact import spell_bit_rate_exactly, spell_rate_exactly
from brisk_core.facts import (
    Characteristic,
    Held,
    Inspection,
    JudgedBy,
    Kind,
    Span,
    Stage,
    Unheard,
    Witness,
    Witnessed,
    keys,
    spell,
)
from brisk_core.packets import PacketSeries
from brisk_core.spec.reasons import Reason, reason_for
from brisk_core.spec.spans import spans_of

INTEGRITY_PREFIX = "integrity-"  # of the ids of lines that every file is judged by, see ``integrity``
#: Codes of findings that no rule words.
MET = "met"
UNHEARD = "not-measured"
_SPEAKERS = {Witness.DECLARED: "the wrapper says", Witness.CODED: "the stream says"}
_OBSERVERS = {
    Stage.HEADERS: "the file shows",
    Stage.WHOLE: "the file shows",
    Stage.PACKETS: "the packets show",
    Stage.PICTURES: "the pictures show",
    Stage.SAMPLES: "the sound shows",
    Stage.CHECK: "the file has",
    Stage.ORDER: "the order says",
}


class Weight(enum.Enum):
    """How much a line counts."""

    MUST = "must"  # unmet is a fail
    SHOULD = "should"  # unmet is a caution
    NOTE = "note"  # unmet is a caution that does not touch the verdict


class Outcome(enum.Enum):
    """The outcome of one line."""

    PASS = "pass"  # noqa: S105 - a finding, not a password
    FAIL = "fail"
    CAUTION = "caution"
    NOT_MEASURED = "not measured"
    WAIVED = "waived"


@dataclass(frozen=True, slots=True)
class Condition:
    """A requirement on a characteristic; it judges lines that have it."""

    needs_series: ClassVar[bool] = False  #: the sizes of all packets, beside the facts
    characteristic: Characteristic

    def holds(self, value: Any) -> bool:
        """Is the requirement met by this value (of one track, where values are by track)?"""
        raise NotImplementedError

    def required(self) -> str:
        """Return what is asked for, as a person reads it."""
        raise NotImplementedError

    @property
    def answers(self) -> str:
        """Id of the characteristic that this answers, so that no other line needs to."""
        return self.characteristic.id

    @property
    def asked(self) -> Any:
        """The one value asked for, ``None`` when there are several or none."""
        return None

    @property
    def bounds(self) -> tuple[Any, Any]:
        """The smallest and the largest value that is allowed, ``None`` where no bound is set."""
        return None, None

    def orders(self, value: Any) -> bool:
        """Does it name this very value, alone or among a few?"""
        return False

    def chosen(self, inspection: Inspection) -> tuple[Condition | None, str]:
        """Return the condition that applies to a file, or ``None`` and the reason why none does."""
        return self, ""

    def judge(self, line: Line, hearing: Hearing) -> Finding:
        """Judge a line: as the captions have it where it asks of captions, else by its witnesses."""
        held = hearing.of_captions(self)
        if held is not None:
            return hearing.as_held(line, held)
        if self.characteristic.stage is Stage.CHECK:
            return hearing.unheard(line, self.required(), "this engine does not measure it")
        return self._by_witnesses(line, hearing)

    def holds_for(self, value: Any) -> bool:
        """Is the requirement met by the value of a characteristic, every track of it?"""
        if not self.characteristic.per_track or self.characteristic.kind in (Kind.SPANS, Kind.TIMES):
            return self.holds(value)
        return bool(value) and all(one is not None and self.holds(one) for one in value)

    def unmet(self, line: Line, hearing: Hearing, witness: Witness, value: Any) -> Finding:
        """Return the finding that a witness said a value that is not allowed."""
        offending = self._offending(value)
        return hearing.worded(
            line,
            Unmet(
                id=self.characteristic.id,
                label=small(self.characteristic.label),
                condition=self,
                asked=self.asked,
                found=offending,
                required=self.required(),
                found_text=_one_text(self.characteristic, offending) if offending is not None else "nothing",
                who=speaker(self.characteristic, witness),
                detail=hearing.detail(self.characteristic),
            ),
            found=text_of(self.characteristic, value),
        )

    def _by_witnesses(self, line: Line, hearing: Hearing) -> Finding:
        characteristic = self.characteristic
        witnessed = hearing.inspection.facts[characteristic.id]
        spoken = witnessed.spoken()
        asked = line.witnesses or _default_witnesses(characteristic, spoken)
        unheard = [witness for witness in asked if witnessed.of(witness) is Unheard.UNHEARD]
        held = {witness: value for witness, value in spoken.items() if witness in asked}
        for witness, value in reversed(held.items()):  # the strongest first
            if not self.holds_for(value):
                return self.unmet(line, hearing, witness, value)
        if unheard:
            reason = hearing.inspection.unread.get(characteristic.id, "it could not be read")
            heard = ", ".join(
                f"{speaker(characteristic, one)} {text_of(characteristic, value)}" for one, value in held.items()
            )
            return hearing.unheard(line, self.required(), f"{reason}{f' ({heard})' if heard else ''}")
        if not held:
            return self.of_silence(line, hearing, asked)
        strongest = next(reversed(held.values()))
        says = f"As asked: {_witness_words(characteristic, held)}."
        return hearing.met(line, self.required(), text_of(characteristic, strongest), says=says)

    def of_silence(self, line: Line, hearing: Hearing, asked: tuple[Witness, ...]) -> Finding:
        """Return the finding where all witnesses were heard and none has anything to say."""
        return hearing.unheard(line, self.required(), silence(self.characteristic, asked))

    def _offending(self, value: Any) -> Any:
        """Return the value of the first track that does not hold, or the value itself; ``None`` for no track at all."""
        if not self.characteristic.per_track or not isinstance(value, tuple) or self.characteristic.kind is Kind.TIMES:
            return value
        return next((one for one in value if one is None or not self.holds(one)), None)

    def _spell(self, value: Any) -> str:
        if self.characteristic.kind is Kind.BIT_RATE:
            return spell_bit_rate_exactly(value)
        return spell(self.characteristic.kind, False, value, self.characteristic.unit)


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """One requirement."""

    id: str
    characteristic: Characteristic
    condition: Condition
    raw_condition: Mapping[str, Any]  #: as written
    weight: Weight
    label: str
    why: str  #: empty where the spec gives none
    remedy: str  #: empty where the spec gives none
    witnesses: tuple[Witness, ...]  #: who is held against the condition; empty for the characteristic's own rule
    reason: Reason | None = None  #: the house's own words, where neither spec nor rule gives any

    @property
    def is_integrity(self) -> bool:
        """Is it a line that every file is judged by, whatever the spec asks?"""
        return self.id.startswith(INTEGRITY_PREFIX)

    @property
    def why_told(self) -> str:
        """Why the line is there: the spec's own words, else those of the house, else the general reason."""
        return self.why or (self.reason or reason_for(self.characteristic)).why

    @property
    def remedy_told(self) -> str:
        """What to change when it is unmet: the spec's own words, else those of the house, else the general remedy."""
        return self.remedy or (self.reason or reason_for(self.characteristic)).remedy.format(
            required=in_prose(self.condition.required())
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Unmet:
    """A line that is not met, as the rules see it."""

    id: str  #: characteristic
    label: str  #: in small letters, as it stands inside a sentence
    condition: Condition
    asked: Any  #: the one value asked for, None where there are several or none
    found: Any  #: the offending value
    required: str  #: spelled
    found_text: str  #: spelled
    who: str  #: "the wrapper says", "the packets show", ...
    difference: int | None = None  #: frames, for a length
    detail: str = ""  #: what more is known, a sentence without its full stop
    count: int = 0  #: places, for a buffer


@dataclass(frozen=True, slots=True, kw_only=True)
class Worded:
    """An unmet line in words."""

    code: str  #: stable code of the rule that speaks
    says: str
    why: str
    remedy: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """The outcome of one line in one check."""

    line: Line
    outcome: Outcome
    code: str  #: stable code of the rule that speaks
    required: str  #: spelled
    found: str  #: spelled, of the witness that decides
    declared: Any
    coded: Any
    observed: Any  #: for ``edit.*`` an ``Agreement``
    says: str
    why: str
    remedy: str
    spans: tuple[Span, ...] = ()


class CaptionAnswers(Protocol):
    """What is known of the captions of a file."""

    def of(self, condition: Condition) -> Held | None:
        """Return what a condition on captions meets; ``None`` where the facts of the file answer it."""


@dataclass(slots=True)
class Hearing:
    """All that conditions may ask while they judge, and how their answers become findings."""

    inspection: Inspection
    captions: CaptionAnswers
    word: Callable[[Unmet], Worded]
    agreements: Mapping[str, Agreement] | None  #: None without a timeline
    series: PacketSeries | None = None
    held: Mapping[str, Held] = field(default_factory=dict)  #: what only a comparison knows
    with_master: bool = False

    @property
    def rate(self) -> Fraction | None:
        """Frames a second of the file."""
        return self.inspection[keys.PICTURE_FRAME_RATE]

    def of_captions(self, condition: Condition) -> Held | None:
        """Return what captions have to say to a condition, ``None`` where it does not ask them."""
        return self.captions.of(condition)

    def detail(self, characteristic: Characteristic) -> str:
        """Return what more is known of a characteristic that is not met."""
        damage = self.inspection[keys.WRAPPER_DAMAGE] if characteristic.id == keys.WRAPPER_COMPLETE.id else None
        return damage[0] if damage else ""

    def met(self, line: Line, required: str, found: str, *, says: str = "", observed: Any = None) -> Finding:
        """Return a pass."""
        return self._finding(
            line,
            Outcome.PASS,
            Worded(code=MET, says=says or f"As asked: {found}.", why="", remedy=""),
            required=required,
            found=found,
            observed=observed,
        )

    def unheard(self, line: Line, required: str, reason: str, *, observed: Any = None) -> Finding:
        """Return that the line is not measured, and why."""
        return self._finding(
            line,
            Outcome.NOT_MEASURED,
            Worded(code=UNHEARD, says=f"Not measured: {reason}.", why="", remedy=""),
            required=required,
            found=reason,
            observed=observed,
        )

    def worded(self, line: Line, unmet: Unmet, *, found: str, required: str = "", observed: Any = None) -> Finding:
        """Return a fail, or a caution by the weight of the line, in the words of the rules."""
        words = self.word(unmet)
        return self._finding(
            line,
            Outcome.FAIL if line.weight is Weight.MUST else Outcome.CAUTION,
            replace(words, why=line.why or words.why, remedy=line.remedy or words.remedy or line.remedy_told),
            required=required or unmet.required,
            found=found,
            observed=observed,
        )

    def as_held(self, line: Line, held: Held) -> Finding:
        """Put what a comparison found into a finding."""
        if held.right is None:
            finding = self.unheard(line, held.required, held.found, observed=held)
            return replace(finding, line=line if held.asked else replace(line, weight=Weight.NOTE))
        if held.right:
            says = " ".join([f"As asked: {held.found}.", *(one.says for one in held.sentences)])
            finding = self.met(line, held.required, held.found, says=says, observed=held)
            if held.look:
                finding = replace(finding, outcome=Outcome.CAUTION, remedy=line.remedy or held.remedy or finding.remedy)
            return replace(finding, spans=held.spans())
        unmet = Unmet(
            id=line.characteristic.id,
            label=small(line.label),
            condition=line.condition,
            asked=None,
            found=[one.says for one in held.sentences if one.fault],
            required=held.required,
            found_text=held.found,
            who="",
        )
        finding = self.worded(line, unmet, found=held.found, observed=held)
        return replace(finding, spans=held.spans(), remedy=line.remedy or held.remedy or finding.remedy)

    def _finding(
        self, line: Line, outcome: Outcome, words: Worded, *, required: str, found: str, observed: Any
    ) -> Finding:
        witnessed = self.inspection.facts.get(line.characteristic.id)
        spans = spans_of(line.characteristic, witnessed, self.rate) if witnessed else ()
        said = witnessed or Witnessed()
        return Finding(
            line=line,
            outcome=outcome,
            code=words.code,
            required=required,
            found=found,
            declared=said.declared,
            coded=said.coded,
            observed=observed if observed is not None else said.observed,
            says=words.says,
            why=words.why or line.why_told,
            remedy=words.remedy,
            spans=spans,
        )


def small(label: str) -> str:
    """Return a label as it stands inside a sentence."""
    return label[:1].lower() + label[1:]


def in_prose(required: str) -> str:
    """Return what is required as it stands inside a sentence: at most and at least in words."""
    return required.replace("≤", "at most").replace("≥", "at least")


def speaker(characteristic: Characteristic, witness: Witness) -> str:
    """Return who says a value, as a sentence begins with it."""
    if characteristic.stage is Stage.ORDER:
        return _OBSERVERS[Stage.ORDER]
    return _SPEAKERS.get(witness, _OBSERVERS[characteristic.stage])


def text_of(characteristic: Characteristic, value: Any) -> str:
    """Return a value of a characteristic, all its tracks, as a person reads it."""
    return spell(characteristic.kind, characteristic.per_track, value, characteristic.unit)


def silence(characteristic: Characteristic, asked: tuple[Witness, ...]) -> str:
    """Return that none of some witnesses says anything of a characteristic."""
    if characteristic.stage is Stage.ORDER:
        return Stage.ORDER.value
    if asked == (Witness.CODED,):
        return "the stream says nothing of it"
    return "the wrapper says nothing of it" if asked == (Witness.DECLARED,) else "no witness says anything of it"


def _default_witnesses(characteristic: Characteristic, spoken: Mapping[Witness, Any]) -> tuple[Witness, ...]:
    if characteristic.judged_by is JudgedBy.OBSERVED:
        return (Witness.OBSERVED,)
    if characteristic.judged_by is JudgedBy.FIRST and spoken:
        return tuple(spoken)[:1]
    return characteristic.speakers


def _one_text(characteristic: Characteristic, value: Any) -> str:
    if characteristic.kind is Kind.TIMES:
        return text_of(characteristic, value)
    if characteristic.kind is Kind.RATE:
        return spell_rate_exactly(value)
    return spell(characteristic.kind, False, value, characteristic.unit)


def _witness_words(characteristic: Characteristic, held: Mapping[Witness, Any]) -> str:
    names = {
        Witness.DECLARED: "said by the order" if characteristic.stage is Stage.ORDER else "declared by the wrapper",
        Witness.CODED: "coded in the stream",
        Witness.OBSERVED: _OBSERVERS[characteristic.stage].replace("the ", "seen in the ", 1).rsplit(" ", 1)[0],
    }
    return ", ".join(names[witness] for witness in held)
