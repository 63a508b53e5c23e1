"""Conditions of a line: what a value must be.

Most test one value and say what they require; ``cases`` choose a condition by other facts, and some look at more than
one value and judge a line in a way of their own. ``condition_reader`` reads them.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any, ClassVar

from brisk_core.edit import Agreement
from brisk_core.exact import spell_bit_rate, spell_bit_rate_exactly, spell_rate_exactly
from brisk_core.facts import REGISTRY, Characteristic, Inspection, Kind, Span, Witness, keys, spell
from brisk_core.packets import fit_buffer
from brisk_core.spec.line import Condition, Finding, Hearing, Line, Unmet, silence, small, speaker, text_of
from brisk_core.spec.patterns import NamePattern
from brisk_core.spec.values import rank, rank_found, same

#: Characteristics of the file that a line may hold against the timeline, and the characteristic that does it.
TIMELINE_TWINS = {
    keys.PICTURE_SIZE.id: keys.EDIT_SIZE.id,
    keys.PICTURE_FRAME_RATE.id: keys.EDIT_FRAME_RATE.id,
    keys.PICTURE_SCAN.id: keys.EDIT_SCAN.id,
    keys.PICTURE_PIXEL_ASPECT.id: keys.EDIT_PIXEL_ASPECT.id,
    keys.PICTURE_FRAME_COUNT.id: keys.EDIT_LENGTH.id,
    keys.PICTURE_DISPLAY_ASPECT.id: keys.EDIT_SHAPE.id,
    keys.CONTENT_CUTS.id: keys.EDIT_CUTS.id,
    keys.CONTENT_BLACK.id: keys.EDIT_GAPS.id,
    keys.TEXT_CHAPTERS.id: keys.EDIT_CHAPTERS.id,
    keys.WRAPPER_START_TIMECODE.id: keys.EDIT_START_TIMECODE.id,
    keys.SOUND_SAMPLE_RATE.id: keys.EDIT_SAMPLE_RATE.id,
}


@dataclass(frozen=True, slots=True)
class Equals(Condition):
    """The value itself."""

    value: Any

    def holds(self, value: Any) -> bool:
        return same(self.characteristic, self.value, value)

    def required(self) -> str:
        return self._spell(self.value)

    @property
    def asked(self) -> Any:
        return self.value

    def orders(self, value: Any) -> bool:
        return self.holds(value)


@dataclass(frozen=True, slots=True)
class OneOf(Condition):
    """One of several values."""

    values: tuple[Any, ...]

    def holds(self, value: Any) -> bool:
        return any(same(self.characteristic, one, value) for one in self.values)

    def required(self) -> str:
        spelled = [self._spell(value) for value in self.values]
        return spelled[0] if len(spelled) == 1 else f"{', '.join(spelled[:-1])} or {spelled[-1]}"

    @property
    def asked(self) -> Any:
        return self.values[0] if len(self.values) == 1 else None

    def orders(self, value: Any) -> bool:
        return self.holds(value)


@dataclass(frozen=True, slots=True)
class Within(Condition):
    """At least, at most, or both; both ends count."""

    least: Any = None
    most: Any = None

    def holds(self, value: Any) -> bool:
        met = rank_found(self.characteristic, value)
        if met is None:  # such as level "Main" of another codec, where a number is asked for
            return False
        return (self.least is None or met >= rank(self.characteristic, self.least)) and (
            self.most is None or met <= rank(self.characteristic, self.most)
        )

    def required(self) -> str:
        if self.least is None:
            return f"≤ {self._spell(self.most)}"
        if self.most is None:
            return f"≥ {self._spell(self.least)}"
        return f"{self._spell(self.least)} to {self._spell(self.most)}"

    @property
    def bounds(self) -> tuple[Any, Any]:
        return self.least, self.most


@dataclass(frozen=True, slots=True)
class Near(Condition):
    """A value give or take a tolerance; the edge counts."""

    value: Any
    tolerance: Any

    def holds(self, value: Any) -> bool:
        return bool(abs(Fraction(str(value)) - self.value) <= self.tolerance)

    def required(self) -> str:
        # A difference of rates is no rate that has a name.
        give = f"{float(self.tolerance):g}" if self.characteristic.kind is Kind.RATE else self._spell(self.tolerance)
        return f"{self._spell(self.value)} ± {give}"

    @property
    def bounds(self) -> tuple[Any, Any]:
        return self.value - self.tolerance, self.value + self.tolerance


@dataclass(frozen=True, slots=True)
class Present(Condition):
    """Something is there: a value, at least one track, one chapter, one place."""

    wanted: bool = True

    def holds(self, value: Any) -> bool:
        there = bool(value) if isinstance(value, tuple | list | dict | str) else value is not None
        if self.characteristic.kind is Kind.TIMES and self.characteristic.per_track:
            there = any(value)
        if self.characteristic.id == keys.SOUND_TRACKS.id:
            there = value > 0
        if self.characteristic.id == keys.PICTURE_ALPHA.id:
            there = value != "none"
        return there is self.wanted

    def holds_for(self, value: Any) -> bool:
        return self.holds(value)  # no track at all is an answer as well

    def of_silence(self, line: Line, hearing: Hearing, asked: tuple[Witness, ...]) -> Finding:
        if self.wanted:
            return Condition.of_silence(self, line, hearing, asked)
        return hearing.met(line, self.required(), "none", says=f"As asked: {silence(self.characteristic, asked)}.")

    def required(self) -> str:
        return "present" if self.wanted else "none"


@dataclass(frozen=True, slots=True)
class Matches(Condition):
    """A text fits a name pattern."""

    pattern: NamePattern

    def holds(self, value: Any) -> bool:
        return self.pattern.matches(str(value))

    def required(self) -> str:
        return self.pattern.text


@dataclass(frozen=True, slots=True)
class SameAsTimeline(Condition):
    """As the timeline has it; a length may differ by some frames."""

    tolerance: int = 0  #: frames, for lengths

    @property
    def answers(self) -> str:
        """The ``edit.*`` characteristic that answers."""
        return TIMELINE_TWINS.get(self.characteristic.id, self.characteristic.id)

    def required(self) -> str:
        return "as the timeline" + (f" ± {self.tolerance} frames" if self.tolerance else "")

    def judge(self, line: Line, hearing: Hearing) -> Finding:
        if hearing.agreements is None:
            return hearing.unheard(line, self.required(), "no timeline was given")
        if self.answers in hearing.held:
            return hearing.as_held(line, hearing.held[self.answers])
        agreement = hearing.agreements.get(self.answers)
        if agreement is None:
            reason = hearing.inspection.unread.get(keys.CONTENT_CUTS.id, "the pictures have not been scanned")
            return hearing.unheard(line, self.required(), reason)
        required = self.required()
        if agreement.timeline is not None:
            required = spell(agreement.kind, False, agreement.timeline, agreement.unit)
        if self.tolerance:
            required += f" ± {self.tolerance}"
        if agreement.agrees is None:
            lacking = "the timeline does not say" if agreement.timeline is None else "the file does not say"
            return hearing.unheard(line, required, lacking, observed=agreement)
        per_track = isinstance(agreement.file, tuple) and agreement.kind is Kind.COUNT
        found = spell(agreement.kind, per_track, agreement.file, agreement.unit)
        within = agreement.difference is not None and abs(agreement.difference) <= self.tolerance
        if agreement.agrees or within:
            says = f"As the timeline has it: {found}."
            return hearing.met(line, required, found, says=says, observed=agreement)
        unmet = self._differs(line, agreement, required, per_track=per_track)
        return hearing.worded(line, unmet, found=found, observed=agreement)

    def _differs(self, line: Line, agreement: Agreement, required: str, *, per_track: bool) -> Unmet:
        offending = agreement.file
        if per_track:
            offending = next((one for one in agreement.file if one != agreement.timeline), agreement.file[0])
        unit = "" if agreement.unit == "frames" else agreement.unit
        is_rate = agreement.kind is Kind.RATE
        return Unmet(
            id=self.answers,
            label=small(line.label),
            condition=self,
            asked=agreement.timeline,
            found=offending,
            required=required,
            found_text=spell_rate_exactly(offending) if is_rate else spell(agreement.kind, False, offending, unit),
            who="the file has",
            difference=agreement.difference,
        )


@dataclass(frozen=True, slots=True)
class SameAsMaster(Condition):
    """As the master has it."""

    def required(self) -> str:
        return "as the master"

    def judge(self, line: Line, hearing: Hearing) -> Finding:
        if self.characteristic.id in hearing.held:
            return hearing.as_held(line, hearing.held[self.characteristic.id])
        reason = "it has not been held against the master yet" if hearing.with_master else "no master was given"
        return hearing.unheard(line, self.required(), reason)


@dataclass(frozen=True, slots=True)
class WitnessesAgree(Condition):
    """All witnesses that speak say the same, whatever it is."""

    def required(self) -> str:
        return "the same by every witness"

    def judge(self, line: Line, hearing: Hearing) -> Finding:
        characteristic = self.characteristic
        spoken = hearing.inspection.facts[characteristic.id].spoken()
        if len(spoken) < 2:
            silent = "only one witness speaks" if spoken else "no witness says anything of it"
            if line.is_integrity:  # nothing to contradict: a name without a telling extension is no fault
                return hearing.met(line, self.required(), silent)
            return hearing.unheard(line, self.required(), silent)
        words = "; ".join(
            f"{speaker(characteristic, one)} {text_of(characteristic, value)}" for one, value in spoken.items()
        )
        if len(set(map(str, spoken.values()))) == 1:
            return hearing.met(line, self.required(), words)
        unmet = Unmet(
            id=characteristic.id,
            label=small(characteristic.label),
            condition=self,
            asked=None,
            found=spoken,
            required=self.required(),
            found_text=words,
            who="",
        )
        return hearing.worded(line, unmet, found=words)


@dataclass(frozen=True, slots=True)
class FitsBuffer(Condition):
    """The stream fits a decoder's buffer that fills at a rate (ISO/IEC 14496-10, Annex C; 13818-2, Annex C)."""

    needs_series: ClassVar[bool] = True
    rate: int  #: bits a second
    size: int  #: bits

    def required(self) -> str:
        return f"fits {self.size:,} bit at {spell_bit_rate_exactly(self.rate)}"

    def judge(self, line: Line, hearing: Hearing) -> Finding:
        if hearing.series is None or hearing.rate is None:
            reason = hearing.inspection.unread.get(
                keys.PICTURE_FRAME_RATE.id, "the sizes of its packets are not at hand"
            )
            return hearing.unheard(line, self.required(), reason)
        fit = fit_buffer(hearing.series, hearing.rate, self.rate, self.size)
        found = f"needs {fit.smallest:,} bit at {spell_bit_rate(self.rate)}"
        observed = fit.as_object()
        if fit.fits:
            return hearing.met(line, self.required(), found, says=f"As asked: it {found}.", observed=observed)
        unmet = Unmet(
            id=self.characteristic.id,
            label=small(line.label),
            condition=self,
            asked=None,
            found=observed,
            required=self.required(),
            found_text=f"{fit.smallest:,} bit",
            who="",
            count=len(fit.underflows),
        )
        # Underflows are counted in decode order; the frames shown there are a few places away at most.
        spans = tuple(Span(start=start, end=end, detail="comes too late") for start, end in fit.underflows)
        return replace(hearing.worded(line, unmet, found=found, observed=observed), spans=spans)


@dataclass(frozen=True, slots=True)
class Table(Condition):
    """Only certain combinations of several characteristics are allowed, one a row."""

    columns: tuple[Characteristic, ...]
    rows: tuple[tuple[Condition, ...], ...]  #: conditions in the order of the columns

    def required(self) -> str:
        names = [column.label.lower() for column in self.columns]
        return f"one of {len(self.rows)} combinations of {', '.join(names[:-1])} and {names[-1]}"

    def judge(self, line: Line, hearing: Hearing) -> Finding:
        """A row holds when every witness that speaks, or that the line asks for, has one of its values."""
        said: list[list[Any]] = []
        for column in self.columns:
            spoken = hearing.inspection.facts[column.id].spoken()
            values = [value for one, value in spoken.items() if not line.witnesses or one in line.witnesses]
            if not values:
                return hearing.unheard(line, self.required(), f"{column.label.lower()} is not known")
            said.append(values)
        fits = [
            [all(cell.holds_for(value) for value in values) for cell, values in zip(row, said, strict=True)]
            for row in self.rows
        ]
        found = ", ".join(text_of(column, values[-1]) for column, values in zip(self.columns, said, strict=True))
        if any(all(one) for one in fits):
            return hearing.met(line, self.required(), found, says=f"As asked: {found} is allowed.")
        nearest = self.rows[max(range(len(fits)), key=lambda number: sum(fits[number]))]
        unmet = Unmet(
            id=self.characteristic.id,
            label=small(line.label),
            condition=self,
            asked=None,
            found=found,
            required=", ".join(cell.required() for cell in nearest),
            found_text=found,
            who="the file has",
        )
        return hearing.worded(line, unmet, found=found, required=self.required())


def applies(when: tuple[Condition, ...], inspection: Inspection) -> tuple[bool | None, Characteristic | None]:
    """Return whether conditions of facts all hold; ``None`` with a fact that nobody knows, where it hangs on that."""
    unknown = None
    for one in when:
        value = inspection.best(one.characteristic.id)
        if value is None:
            unknown = unknown or one.characteristic
        elif not one.holds_for(value):
            return False, None
    return (None, unknown) if unknown else (True, None)


@dataclass(frozen=True, slots=True)
class Case:
    """One case: when all these hold, this is required; an empty ``when`` is otherwise."""

    when: tuple[Condition, ...]
    then: Condition


@dataclass(frozen=True, slots=True)
class Cases(Condition):
    """The first case that applies decides."""

    cases: tuple[Case, ...]

    def required(self) -> str:
        return "by " + ", ".join(sorted({one.characteristic.label.lower() for case in self.cases for one in case.when}))

    def chosen(self, inspection: Inspection) -> tuple[Condition | None, str]:
        """A fact that nobody knows stops the search, it never passes over."""
        for case in self.cases:
            holds, unknown = applies(case.when, inspection)
            if unknown:
                return None, f"which case applies depends on {unknown.label.lower()}, which is not known"
            if holds:
                return case.then, ""
        facts = sorted({one.characteristic.id for case in self.cases for one in case.when})
        met = ", ".join(
            f"{REGISTRY[id_].label.lower()} {text_of(REGISTRY[id_], inspection.best(id_))}" for id_ in facts
        )
        return None, f"the spec has no case for {met}"

    def judge(self, line: Line, hearing: Hearing) -> Finding:
        condition, reason = self.chosen(hearing.inspection)
        if condition is None:
            return hearing.unheard(line, self.required(), reason)
        return condition.judge(line, hearing)
