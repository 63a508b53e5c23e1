"""The judge: an inspection held against a spec, line by line, with what is said, why, and what to change."""

from __future__ import annotations

import enum
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from brisk_core.edit import Agreement, FrameRange, Timeline, agree
from brisk_core.exact import spell_rate_exactly
from brisk_core.facts import REGISTRY, Characteristic, Inspection, JudgedBy, Kind, Span, Stage, Unheard, Witness, spell
from brisk_core.spec.conditions import Cases, Condition, Present, SameAsTimeline, bounds
from brisk_core.spec.document import Line, Spec, Weight
from brisk_core.spec.rules import MET, UNHEARD, Unmet, asked_value, rule_for


class Outcome(enum.Enum):
    """The outcome of one line."""

    PASS = "pass"  # noqa: S105 - a finding, not a password
    FAIL = "fail"
    CAUTION = "caution"
    NOT_MEASURED = "not measured"
    WAIVED = "waived"


class Verdict(enum.Enum):
    """The outcome of a check."""

    PASS = "pass"  # noqa: S105
    FAIL = "fail"
    CAUTION = "caution"
    NOT_MEASURED = "not measured"


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


@dataclass(frozen=True, slots=True, kw_only=True)
class Check:
    """A file judged."""

    spec: Spec
    findings: tuple[Finding, ...]  #: in the order of the spec's lines

    @property
    def counts(self) -> dict[str, int]:
        """Lines by outcome, every outcome named."""
        met = Counter(finding.outcome for finding in self.findings)
        return {outcome.value: met[outcome] for outcome in Outcome}

    @property
    def verdict(self) -> Verdict:
        """Fail over not measured over caution over pass; lines of weight note do not count."""
        counted = {finding.outcome for finding in self.findings if finding.line.weight is not Weight.NOTE}
        for outcome in (Outcome.FAIL, Outcome.NOT_MEASURED, Outcome.CAUTION):
            if outcome in counted:
                return Verdict(outcome.value)
        return Verdict.PASS


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
    findings: list[Finding] = field(default_factory=list)

    def line(self, line: Line) -> Finding:
        """Judge one line."""
        condition = line.condition
        if isinstance(condition, Cases):
            chosen, reason = self.choose(condition)
            if chosen is None:
                return self._unheard(line, condition.required(), reason)
            condition = chosen
        if isinstance(condition, SameAsTimeline):
            return self._against_timeline(line, condition)
        if line.row.stage is Stage.CHECK:
            return self._unheard(line, condition.required(), "this engine does not measure it")
        return self._by_witnesses(line, condition)

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
        held = {witness: spoken[witness] for witness in asked if witness in spoken}
        for witness in (Witness.OBSERVED, Witness.CODED, Witness.DECLARED):
            if witness in held and not _holds(condition, held[witness]):
                return self._unmet(line, condition, witness, held[witness])
        if unheard:
            reason = self.inspection.unread.get(row.id, "it could not be read")
            heard = ", ".join(f"{_SPEAKERS.get(w, _OBSERVERS[row.stage])} {_text(row, v)}" for w, v in held.items())
            return self._unheard(line, condition.required(), f"{reason}{f' ({heard})' if heard else ''}")
        if not held:
            return self._unheard(line, condition.required(), _silence(asked))
        witness = max(held, key=list(Witness).index)
        return self._finding(
            line,
            Outcome.PASS,
            code=MET,
            required=condition.required(),
            found=_text(row, held[witness]),
            says=f"As asked: {_witness_words(row, held)}.",
        )

    def _unmet(self, line: Line, condition: Condition, witness: Witness, value: Any) -> Finding:
        row = line.row
        offending = _offending(condition, row, value)
        unmet = Unmet(
            id=row.id,
            label=row.label[:1].lower() + row.label[1:],
            condition=condition,
            asked=asked_value(condition),
            found=offending,
            required=condition.required(),
            found_text=_one_text(row, offending) if offending is not None else "nothing",
            who=_SPEAKERS.get(witness, _OBSERVERS[row.stage]),
        )
        return self._worded(line, unmet, found=_text(row, value))

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
            why=line.why or why or line.row.definition,
            remedy=line.remedy or remedy,
        )

    def _against_timeline(self, line: Line, condition: SameAsTimeline) -> Finding:
        if self.agreements is None:
            return self._unheard(line, condition.required(), "no timeline was given")
        agreement = self.agreements.get(condition.twin)
        if agreement is None:
            return self._unheard(line, condition.required(), "this engine does not measure it")
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
            label=line.label[:1].lower() + line.label[1:],
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

    def _unheard(self, line: Line, required: str, reason: str, observed: Any = None) -> Finding:
        return self._finding(
            line,
            Outcome.NOT_MEASURED,
            code=UNHEARD,
            required=required,
            found=reason,
            says=f"Not measured: {reason}.",
            why=line.why or line.row.definition,
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
        spans = witnessed.best if witnessed and line.row.kind is Kind.SPANS and not line.row.per_track else None
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
            why=why or line.why or line.row.definition,
            remedy=remedy,
            spans=spans or (),
        )


def _default_witnesses(row: Characteristic, spoken: Mapping[Witness, Any]) -> tuple[Witness, ...]:
    if row.judged_by is JudgedBy.OBSERVED:
        return (Witness.OBSERVED,)
    if row.judged_by is JudgedBy.FIRST:
        return tuple(spoken)[:1] or tuple(witness for witness in Witness if witness in row.witnesses)
    return tuple(witness for witness in Witness if witness in row.witnesses)


def _holds(condition: Condition, value: Any) -> bool:
    if not condition.row.per_track or condition.row.kind is Kind.SPANS:
        return condition.holds(value)
    if isinstance(condition, Present):
        return condition.holds(value)
    return bool(value) and all(one is not None and condition.holds(one) for one in value)


def _offending(condition: Condition, row: Characteristic, value: Any) -> Any:
    """Return the value of the first track that does not hold, or the value itself; ``None`` for no track at all."""
    if not row.per_track or not isinstance(value, tuple):
        return value
    return next((one for one in value if one is None or not condition.holds(one)), None)


def _one_text(row: Characteristic, value: Any) -> str:
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
    spec: Spec, inspection: Inspection, *, timeline: Timeline | None = None, part: FrameRange | None = None
) -> Check:
    """Judge an inspection by a spec, and by a range of a timeline where one is given."""
    worker = _Judge(inspection, agree(inspection, timeline, part) if timeline else None)
    return Check(spec=spec, findings=tuple(worker.line(line) for line in spec.lines))


def bit_rate_limits(spec: Spec, inspection: Inspection) -> dict[str, int]:
    """Return the bounds in bits a second that the spec sets for this file's picture, as far as it sets them.

    ``least`` and ``most`` bound the mean, ``peak`` the most in one second. Cases are chosen as the judge chooses them.
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
    return found
