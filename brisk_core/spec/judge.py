"""The judge: an inspection held against a spec, line by line, with what is said, why, and what to change."""

from __future__ import annotations

from collections.abc import Mapping, Set
from dataclasses import dataclass, field, replace
from typing import Any

from brisk_core.captions import Captioned
from brisk_core.edit import Agreement, FrameRange, Timeline, agree, hold
from brisk_core.exact import spell_bit_rate, spell_rate_exactly
from brisk_core.facts import (
    REGISTRY,
    Characteristic,
    Held,
    Inspection,
    JudgedBy,
    Kind,
    Span,
    Stage,
    Unheard,
    Witness,
    keys,
    spell,
)
from brisk_core.packets import PacketSeries, fit_buffer
from brisk_core.spec.against import MASTER_LINES, TIMELINE_LINES
from brisk_core.spec.captioned import CAPTION_IDS, CAPTION_LINES, CaptionVerdicts, with_sidecars
from brisk_core.spec.conditions import (
    Cases,
    Condition,
    Equals,
    FitsBuffer,
    OneOf,
    Present,
    SameAsMaster,
    SameAsTimeline,
    Table,
    WitnessesAgree,
    bounds,
)
from brisk_core.spec.document import Line, Spec, Weight
from brisk_core.spec.finding import Check, Finding, Outcome
from brisk_core.spec.integrity import INTEGRITY
from brisk_core.spec.limits import CaptionLimit
from brisk_core.spec.rule import Unmet
from brisk_core.spec.rules import MET, UNHEARD, asked_value, rule_for
from brisk_core.spec.span_conditions import SpanCondition
from brisk_core.spec.spans import seconds_of, spans_of

#: Of the lines that a timeline brings, those that say nothing where there is nothing to ask.
_ONLY_WHERE_ASKED = ("edit.gaps", "edit.chapters")
_SPEAKERS = {Witness.DECLARED: "the wrapper says", Witness.CODED: "the stream says"}
_OBSERVERS = {
    Stage.HEADERS: "the file shows",
    Stage.WHOLE: "the file shows",
    Stage.PACKETS: "the packets show",
    Stage.PICTURES: "the pictures show",
    Stage.SAMPLES: "the sound shows",
    Stage.CHECK: "the file has",
}


@dataclass(slots=True)
class _Judge:
    inspection: Inspection
    agreements: Mapping[str, Agreement] | None  #: None without a timeline
    series: PacketSeries | None = None
    held: Mapping[str, Held] = field(default_factory=dict)  #: what only a comparison knows
    with_master: bool = False
    captions: CaptionVerdicts | None = None

    def line(self, line: Line) -> Finding:
        """Judge one line."""
        condition = line.condition
        if isinstance(condition, Cases):
            chosen, reason = self.choose(condition)
            if chosen is None:
                return self._unheard(line, condition.required(), reason)
            condition = chosen
        if self._is_on_captions(condition):
            verdicts = self.captions or CaptionVerdicts(None, self.inspection)
            return self._as_held(line, condition, verdicts.of(condition))
        if isinstance(condition, SameAsTimeline):
            return self._against_timeline(line, condition)
        if isinstance(condition, SameAsMaster):
            return self._against_master(line, condition)
        if isinstance(condition, Table):
            return self._by_table(line, condition)
        if isinstance(condition, FitsBuffer):
            return self._by_buffer(line, condition)
        if isinstance(condition, WitnessesAgree):
            return self._by_agreement(line, condition)
        if isinstance(condition, SpanCondition):
            return self._by_places(line, condition)
        if line.row.stage is Stage.CHECK:
            return self._unheard(line, condition.required(), "this engine does not measure it")
        return self._by_witnesses(line, condition)

    def _is_on_captions(self, condition: Condition) -> bool:
        """Is this asked of the text of captions, which facts of the file alone do not answer as well?"""
        if condition.row.id not in CAPTION_IDS:
            return False
        known = self.captions is not None and not isinstance(condition, SpanCondition)
        return known or isinstance(condition, CaptionLimit) or condition.row.stage is Stage.CHECK

    def choose(self, cases: Cases) -> tuple[Condition | None, str]:
        """Return the first case whose facts hold; a fact that nobody knows stops the search, it never passes over."""
        for case in cases.cases:
            values = [(one, self.inspection.best(one.row.id)) for one in case.when]
            unknown = next((one.row for one, value in values if value is None), None)
            if unknown:
                return None, f"which case applies depends on {unknown.label.lower()}, which is not known"
            if all(_holds(one, value) for one, value in values):
                return case.then, ""
        facts = sorted({one.row.id for case in cases.cases for one in case.when})
        met = ", ".join(_spell(self.inspection, id_) for id_ in facts)
        return None, f"the spec has no case for {met}"

    def _by_witnesses(self, line: Line, condition: Condition) -> Finding:
        row = line.row
        witnessed = self.inspection.facts[row.id]
        spoken = witnessed.spoken()
        asked = line.witnesses or _default_witnesses(row, spoken)
        unheard = [witness for witness in asked if witnessed.of(witness) is Unheard.UNHEARD]
        held = {witness: value for witness, value in spoken.items() if witness in asked}
        for witness, value in reversed(held.items()):  # the strongest first
            if not _holds(condition, value):
                return self._unmet(line, condition, witness, value)
        if unheard:
            reason = self.inspection.unread.get(row.id, "it could not be read")
            heard = ", ".join(f"{_speaker(row, one)} {_text(row, value)}" for one, value in held.items())
            return self._unheard(line, condition.required(), f"{reason}{f' ({heard})' if heard else ''}")
        if not held:
            return self._unheard(line, condition.required(), _silence(asked))
        strongest = next(reversed(held.values()))
        return self._finding(
            line,
            Outcome.PASS,
            code=MET,
            required=condition.required(),
            found=_text(row, strongest),
            says=f"As asked: {_witness_words(row, held)}.",
        )

    def integrity(self, spec: Spec, only: Set[str] | None) -> list[Finding]:
        """Judge the integrity lines that apply to this file and that the spec does not ask about in its own way."""
        asked = {line.row.id for line in spec.lines}
        found = []
        for line in INTEGRITY:
            witnessed = self.inspection.facts[line.row.id]
            speaks = witnessed.spoken() or any(witnessed.of(one) is Unheard.UNHEARD for one in Witness)
            if line.row.id not in asked and speaks and (only is None or line.id in only):
                found.append(self.line(line))
        return found

    def against(self, spec: Spec, only: Set[str] | None) -> list[Finding]:
        """Judge the lines that a timeline and a master bring, where the spec does not ask in its own way."""
        asked = {line.row.id for line in spec.lines}
        asked |= {line.condition.twin for line in spec.lines if isinstance(line.condition, SameAsTimeline)}
        lines = [
            *(TIMELINE_LINES if self.agreements is not None else ()),
            *(MASTER_LINES if self.with_master else ()),
            *(CAPTION_LINES if self.captions else ()),
        ]
        found = []
        for line in lines:
            held = self.held.get(line.row.id)
            idle = line.row.id in _ONLY_WHERE_ASKED and (held is None or not held.asked)
            if line.row.id in asked or idle or (line.row.id == "edit.shape" and self._shape_is_ordered(spec)):
                continue
            if only is None or line.id in only:
                found.append(self.line(line))
        return found

    def _shape_is_ordered(self, spec: Spec) -> bool:
        """Does nothing speak of the shape, or does the spec itself order the file's size, whatever its timeline is?"""
        agreement = (self.agreements or {}).get("edit.shape")
        if agreement is None or agreement.agrees is None:
            return True
        size = self.inspection[keys.PICTURE_SIZE]
        sized = (line.condition for line in spec.lines if line.row.id == "picture.size")
        return any(isinstance(one, Equals | OneOf) and one.holds(size) for one in sized)

    def _by_agreement(self, line: Line, condition: WitnessesAgree) -> Finding:
        spoken = self.inspection.facts[line.row.id].spoken()
        if len(spoken) < 2:
            silent = "only one witness speaks" if spoken else "no witness says anything of it"
            if line in INTEGRITY:  # nothing to contradict: a name without a telling extension is no fault
                return self._finding(
                    line,
                    Outcome.PASS,
                    code=MET,
                    required=condition.required(),
                    found=silent,
                    says=f"As asked: {silent}.",
                )
            return self._unheard(line, condition.required(), silent)
        words = "; ".join(f"{_speaker(line.row, one)} {_text(line.row, value)}" for one, value in spoken.items())
        if len(set(map(str, spoken.values()))) == 1:
            return self._finding(
                line, Outcome.PASS, code=MET, required=condition.required(), found=words, says=f"As asked: {words}."
            )
        unmet = Unmet(
            id=line.row.id,
            label=_small(line.row.label),
            condition=condition,
            asked=None,
            found=spoken,
            required=condition.required(),
            found_text=words,
            who="",
        )
        return self._worded(line, unmet, found=words)

    def _by_places(self, line: Line, condition: SpanCondition) -> Finding:
        """Hold the places of every track against a condition on their lengths and where they lie."""
        row = line.row
        value = self.inspection.facts[row.id].observed
        rate, duration = self.inspection[keys.PICTURE_FRAME_RATE], self.inspection[keys.WRAPPER_DURATION]
        if value is None or value is Unheard.UNHEARD:
            return self._unheard(
                line, condition.required(), self.inspection.unread.get(row.id, _silence((Witness.OBSERVED,)))
            )
        if duration is None or (row.kind is Kind.SPANS and rate is None):
            return self._unheard(line, condition.required(), "rate or duration of the file are not known")
        tracks = value if row.per_track else (value,)
        kept = []
        for track in tracks:
            times = [seconds_of(span, rate) for span in track]
            kept.append(tuple(track[number] for number in condition.offending(times, duration)))
        if not any(kept):
            found = _text(row, value)
            return self._finding(
                line, Outcome.PASS, code=MET, required=condition.required(), found=found, says=f"As asked: {found}."
            )
        return self._unmet(line, condition, Witness.OBSERVED, tuple(kept) if row.per_track else kept[0])

    def _by_table(self, line: Line, table: Table) -> Finding:
        """A row holds when every witness that speaks, or that the line asks for, has one of its values."""
        said: list[list[Any]] = []
        for row in table.columns:
            spoken = self.inspection.facts[row.id].spoken()
            values = [value for one, value in spoken.items() if not line.witnesses or one in line.witnesses]
            if not values:
                return self._unheard(line, table.required(), f"{row.label.lower()} is not known")
            said.append(values)
        fits = [
            [all(_holds(cell, value) for value in values) for cell, values in zip(row, said, strict=True)]
            for row in table.rows
        ]
        found = ", ".join(_text(row, values[-1]) for row, values in zip(table.columns, said, strict=True))
        if any(all(one) for one in fits):
            return self._finding(
                line,
                Outcome.PASS,
                code=MET,
                required=table.required(),
                found=found,
                says=f"As asked: {found} is allowed.",
            )
        best = max(range(len(fits)), key=lambda number: sum(fits[number]))
        unmet = Unmet(
            id=line.row.id,
            label=_small(line.label),
            condition=table,
            asked=None,
            found=found,
            required=", ".join(cell.required() for cell in table.rows[best]),
            found_text=found,
            who="the file has",
        )
        return replace(self._worded(line, unmet, found=found), required=table.required())

    def _by_buffer(self, line: Line, condition: FitsBuffer) -> Finding:
        rate = self.inspection[keys.PICTURE_FRAME_RATE]
        if self.series is None or rate is None:
            reason = self.inspection.unread.get("picture.frame_rate", "the sizes of its packets are not at hand")
            return self._unheard(line, condition.required(), reason)
        fit = fit_buffer(self.series, rate, condition.rate, condition.size)
        found = f"needs {fit.smallest:,} bit at {spell_bit_rate(condition.rate)}"
        observed = fit.as_object()
        if fit.fits:
            return self._finding(
                line, Outcome.PASS, code=MET, required=condition.required(), found=found,
                says=f"As asked: it {found}.", observed=observed,
            )  # fmt: skip
        unmet = Unmet(
            id=line.row.id,
            label=_small(line.label),
            condition=condition,
            asked=None,
            found=observed,
            required=condition.required(),
            found_text=f"{fit.smallest:,} bit",
            who="",
            count=len(fit.underflows),
        )
        # Underflows are counted in decode order; the frames shown there are a few places away at most.
        spans = tuple(Span(start=start, end=end, detail="comes too late") for start, end in fit.underflows)
        return replace(self._worded(line, unmet, found=found), observed=observed, spans=spans)

    def _unmet(self, line: Line, condition: Condition, witness: Witness, value: Any) -> Finding:
        row = line.row
        offending = _offending(condition, row, value)
        unmet = Unmet(
            id=row.id,
            label=_small(row.label),
            condition=condition,
            asked=asked_value(condition),
            found=offending,
            required=condition.required(),
            found_text=_one_text(row, offending) if offending is not None else "nothing",
            who=_speaker(row, witness),
            detail=self._detail(row),
        )
        return self._worded(line, unmet, found=_text(row, value))

    def _detail(self, row: Characteristic) -> str:
        """Return what more is known of a characteristic that is not met."""
        damage = self.inspection[keys.WRAPPER_DAMAGE] if row.id == "wrapper.complete" else None
        return damage[0] if damage else ""

    def _worded(self, line: Line, unmet: Unmet, found: str) -> Finding:
        rule = rule_for(unmet)
        outcome = Outcome.FAIL if line.weight is Weight.MUST else Outcome.CAUTION
        why, remedy = rule.explain(unmet)
        return self._finding(
            line,
            outcome,
            code=rule.code,
            required=unmet.required,
            found=found,
            says=rule.say(unmet),
            why=line.why or why or line.why_told,
            remedy=line.remedy or remedy or line.remedy_told,
        )

    def _against_timeline(self, line: Line, condition: SameAsTimeline) -> Finding:
        if self.agreements is None:
            return self._unheard(line, condition.required(), "no timeline was given")
        if condition.twin in self.held:
            return self._as_held(line, condition, self.held[condition.twin])
        agreement = self.agreements.get(condition.twin)
        if agreement is None:
            reason = self.inspection.unread.get("content.cuts", "the pictures have not been scanned")
            return self._unheard(line, condition.required(), reason)
        required = condition.required()
        if agreement.timeline is not None:
            required = spell(agreement.kind, False, agreement.timeline, agreement.unit)
        if condition.tolerance:
            required += f" ± {condition.tolerance}"
        per_track = isinstance(agreement.file, tuple) and agreement.kind is Kind.COUNT
        found = spell(agreement.kind, per_track, agreement.file, agreement.unit)
        if agreement.agrees is None:
            lacking = "the timeline does not say" if agreement.timeline is None else "the file does not say"
            return self._unheard(line, required, lacking, observed=agreement)
        within = agreement.difference is not None and abs(agreement.difference) <= condition.tolerance
        if agreement.agrees or within:
            return self._finding(
                line, Outcome.PASS, code=MET, required=required, found=found, observed=agreement,
                says=f"As the timeline has it: {found}.",
            )  # fmt: skip
        offending = agreement.file
        if per_track:
            offending = next((one for one in agreement.file if one != agreement.timeline), agreement.file[0])
        unmet = Unmet(
            id=condition.twin,
            label=_small(line.label),
            condition=condition,
            asked=agreement.timeline,
            found=offending,
            required=required,
            found_text=spell_rate_exactly(offending)
            if agreement.kind is Kind.RATE
            else spell(agreement.kind, False, offending, "" if agreement.unit == "frames" else agreement.unit),
            who="the file has",
            difference=agreement.difference,
        )
        finding = self._worded(line, unmet, found=found)
        return replace(finding, observed=agreement)

    def _against_master(self, line: Line, condition: SameAsMaster) -> Finding:
        if line.row.id in self.held:
            return self._as_held(line, condition, self.held[line.row.id])
        reason = "it has not been held against the master yet" if self.with_master else "no master was given"
        return self._unheard(line, condition.required(), reason)

    def _as_held(self, line: Line, condition: Condition, held: Held) -> Finding:
        """Put what a comparison found into a finding."""
        told = [one.says for one in held.sentences if one.fault]
        if held.right is None:
            finding = self._unheard(line, held.required, held.found, observed=held)
            return replace(finding, line=line if held.asked else replace(line, weight=Weight.NOTE))
        if held.right:
            says = " ".join([f"As asked: {held.found}.", *(one.says for one in held.sentences)])
            found = self._finding(
                line, Outcome.PASS, code=MET, required=held.required, found=held.found, says=says, observed=held
            )
            return replace(found, spans=held.spans())
        unmet = Unmet(
            id=line.row.id,
            label=_small(line.label),
            condition=condition,
            asked=None,
            found=told,
            required=held.required,
            found_text=held.found,
            who="",
        )
        finding = self._worded(line, unmet, found=held.found)
        remedy = line.remedy or held.remedy or finding.remedy
        return replace(finding, observed=held, spans=held.spans(), remedy=remedy)

    def _unheard(self, line: Line, required: str, reason: str, observed: Any = None) -> Finding:
        return self._finding(
            line,
            Outcome.NOT_MEASURED,
            code=UNHEARD,
            required=required,
            found=reason,
            says=f"Not measured: {reason}.",
            why=line.why_told,
            remedy="",
            observed=observed,
        )

    def _finding(
        self,
        line: Line,
        outcome: Outcome,
        *,
        code: str,
        required: str,
        found: str,
        says: str,
        why: str = "",
        remedy: str = "",
        observed: Any = None,
    ) -> Finding:
        witnessed = self.inspection.facts.get(line.row.id)
        spans = spans_of(line.row, witnessed, self.inspection[keys.PICTURE_FRAME_RATE]) if witnessed else ()
        return Finding(
            line=line,
            outcome=outcome,
            code=code,
            required=required,
            found=found,
            declared=witnessed.declared if witnessed else None,
            coded=witnessed.coded if witnessed else None,
            observed=observed if observed is not None else witnessed.observed if witnessed else None,
            says=says,
            why=why or line.why_told,
            remedy=remedy,
            spans=spans,
        )


def _small(label: str) -> str:
    """Return a label as it stands inside a sentence."""
    return label[:1].lower() + label[1:]


def _speaker(row: Characteristic, witness: Witness) -> str:
    return _SPEAKERS.get(witness, _OBSERVERS[row.stage])


def _default_witnesses(row: Characteristic, spoken: Mapping[Witness, Any]) -> tuple[Witness, ...]:
    if row.judged_by is JudgedBy.OBSERVED:
        return (Witness.OBSERVED,)
    if row.judged_by is JudgedBy.FIRST and spoken:
        return tuple(spoken)[:1]
    return row.speakers


def _holds(condition: Condition, value: Any) -> bool:
    if not condition.row.per_track or condition.row.kind in (Kind.SPANS, Kind.TIMES):
        return condition.holds(value)
    if isinstance(condition, Present):
        return condition.holds(value)
    return bool(value) and all(one is not None and condition.holds(one) for one in value)


def _offending(condition: Condition, row: Characteristic, value: Any) -> Any:
    """Return the value of the first track that does not hold, or the value itself; ``None`` for no track at all."""
    if not row.per_track or not isinstance(value, tuple) or row.kind is Kind.TIMES:
        return value
    return next((one for one in value if one is None or not condition.holds(one)), None)


def _one_text(row: Characteristic, value: Any) -> str:
    if row.kind is Kind.TIMES:
        return _text(row, value)
    if row.kind is Kind.RATE:
        return spell_rate_exactly(value)
    return spell(row.kind, False, value, row.unit)


def _text(row: Characteristic, value: Any) -> str:
    return spell(row.kind, row.per_track, value, row.unit)


def _spell(inspection: Inspection, id_: str) -> str:
    return f"{REGISTRY[id_].label.lower()} {_text(REGISTRY[id_], inspection.best(id_))}"


def _witness_words(row: Characteristic, held: Mapping[Witness, Any]) -> str:
    names = {
        Witness.DECLARED: "declared by the wrapper",
        Witness.CODED: "coded in the stream",
        Witness.OBSERVED: _OBSERVERS[row.stage].replace("the ", "seen in the ", 1).rsplit(" ", 1)[0],
    }
    return ", ".join(names[witness] for witness in held)


def _silence(asked: tuple[Witness, ...]) -> str:
    if asked == (Witness.CODED,):
        return "the stream says nothing of it"
    return "the wrapper says nothing of it" if asked == (Witness.DECLARED,) else "no witness says anything of it"


def judge(
    spec: Spec,
    inspection: Inspection,
    *,
    timeline: Timeline | None = None,
    part: FrameRange | None = None,
    series: PacketSeries | None = None,
    master: Mapping[str, Held] | None = None,
    captioned: Captioned | None = None,
    integrity: bool = True,
    only: Set[str] | None = None,
) -> Check:
    """Judge an inspection by a spec, by a range of a timeline and a master where they are given, and for integrity.

    ``series`` is the packet series of the inspection, for lines that give a buffer; ``master`` is what holding the file
    against its master found, empty while that is not known, and ``None`` without a master; ``captioned`` are the
    captions beside it and in it; ``only`` limits the lines to some ids. Nothing of the file is read.
    """
    captioned = captioned if captioned and captioned.documents else None
    inspection = with_sidecars(inspection, captioned)
    held = {**(hold(inspection, timeline, part) if timeline else {}), **(master or {})}
    worker = _Judge(
        inspection,
        agree(inspection, timeline, part) if timeline else None,
        series,
        held=held,
        with_master=master is not None,
        captions=CaptionVerdicts(captioned, inspection) if captioned else None,
    )
    findings = [worker.line(line) for line in spec.lines if only is None or line.id in only]
    if integrity:
        findings += [*worker.against(spec, only), *worker.integrity(spec, only)]
    return Check(spec=spec, findings=tuple(findings))


def bit_rate_limits(spec: Spec, inspection: Inspection) -> dict[str, int]:
    """Return the bounds that the spec sets for the bits of this file's picture, as far as it sets them.

    ``least`` and ``most`` bound the mean, ``peak`` the most in one second, in bit/s; ``buffer_rate`` (bit/s) and
    ``buffer_size`` (bits) are those of a buffer. Cases are chosen as the judge chooses them.
    """
    worker = _Judge(inspection, None)
    found: dict[str, int] = {}
    for line in spec.lines:
        condition: Condition | None = line.condition
        if isinstance(condition, Cases):
            condition, _ = worker.choose(condition)
        least, most = bounds(condition) if condition else (None, None)
        if line.row.id == "bitrate.average":
            found |= {name: int(value) for name, value in (("least", least), ("most", most)) if value is not None}
        elif line.row.id == "bitrate.peak_1s" and most is not None:
            found["peak"] = int(most)
        elif isinstance(condition, FitsBuffer):
            found |= {"buffer_rate": condition.rate, "buffer_size": condition.size}
    return found
