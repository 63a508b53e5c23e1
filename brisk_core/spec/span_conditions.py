"""Conditions on places: how much of something is allowed, how long at once, and where."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from brisk_core.errors import ValueRefused
from brisk_core.exact import parse_seconds, spell_seconds
from brisk_core.facts import Characteristic, Kind, Unheard, Witness, keys
from brisk_core.spec.line import Condition, Finding, Hearing, Line, silence, text_of
from brisk_core.spec.spans import seconds_of

Place = tuple[Fraction, Fraction]  #: half-open, in seconds from the first picture


@dataclass(frozen=True, slots=True)
class SpanCondition(Condition):
    """A condition on all places of one kind."""

    def offending(self, places: Sequence[Place], duration: Fraction) -> list[int]:
        """Return the numbers of the places that are not allowed; ``duration`` of the file in seconds."""
        raise NotImplementedError

    def judge(self, line: Line, hearing: Hearing) -> Finding:
        """Hold the places of every track against the lengths and the parts of the file that are allowed."""
        characteristic = self.characteristic
        value = hearing.inspection.facts[characteristic.id].observed
        duration = hearing.inspection[keys.WRAPPER_DURATION]
        if value is None or value is Unheard.UNHEARD:
            reason = hearing.inspection.unread.get(characteristic.id, silence(characteristic, (Witness.OBSERVED,)))
            return hearing.unheard(line, self.required(), reason)
        if duration is None or (characteristic.kind is Kind.SPANS and hearing.rate is None):
            return hearing.unheard(line, self.required(), "rate or duration of the file are not known")
        kept = []
        for track in value if characteristic.per_track else (value,):
            times = [seconds_of(span, hearing.rate) for span in track]
            kept.append(tuple(track[number] for number in self.offending(times, duration)))
        if not any(kept):
            return hearing.met(line, self.required(), text_of(characteristic, value))
        return self.unmet(line, hearing, Witness.OBSERVED, tuple(kept) if characteristic.per_track else kept[0])


@dataclass(frozen=True, slots=True)
class InAll(SpanCondition):
    """All places together are at most so long."""

    most: Fraction  #: seconds

    def offending(self, places: Sequence[Place], duration: Fraction) -> list[int]:
        whole = sum((end - start for start, end in places), Fraction(0))
        return list(range(len(places))) if whole > self.most else []

    def required(self) -> str:
        return f"at most {spell_seconds(self.most)} in all"


@dataclass(frozen=True, slots=True)
class NoneLonger(SpanCondition):
    """No place is longer."""

    most: Fraction  #: seconds

    def offending(self, places: Sequence[Place], duration: Fraction) -> list[int]:
        return [number for number, (start, end) in enumerate(places) if end - start > self.most]

    def required(self) -> str:
        return f"none longer than {spell_seconds(self.most)}"


@dataclass(frozen=True, slots=True)
class OnlyAtEnds(SpanCondition):
    """Places lie inside the first or the last seconds of the file."""

    head: Fraction  #: seconds from the start
    tail: Fraction  #: seconds before the end

    def offending(self, places: Sequence[Place], duration: Fraction) -> list[int]:
        return [
            number for number, (start, end) in enumerate(places) if end > self.head and start < duration - self.tail
        ]

    def required(self) -> str:
        return f"only in the first {spell_seconds(self.head)} or the last {spell_seconds(self.tail)}"


def _must_be_places(characteristic: Characteristic) -> None:
    if characteristic.kind not in (Kind.SPANS, Kind.TIMES):
        raise ValueRefused(f"works on places only; {characteristic.id} is a {characteristic.kind.value}")


def read_in_all(_: object, characteristic: Characteristic, value: object, __: str) -> Condition:
    """Read ``at_most_in_all``."""
    _must_be_places(characteristic)
    return InAll(characteristic, most=parse_seconds(value))


def read_none_longer(_: object, characteristic: Characteristic, value: object, __: str) -> Condition:
    """Read ``none_longer_than``."""
    _must_be_places(characteristic)
    return NoneLonger(characteristic, most=parse_seconds(value))


def read_only_at_ends(_: object, characteristic: Characteristic, value: object, __: str) -> Condition:
    """Read ``only_at_ends``: ``head`` and ``tail``, at least one of the two."""
    _must_be_places(characteristic)
    if not isinstance(value, dict) or not value or not set(value) <= {"head", "tail"}:
        raise ValueRefused(f"needs head, tail or both, each a length; got {value!r}")
    return OnlyAtEnds(
        characteristic, head=parse_seconds(value.get("head", "0 s")), tail=parse_seconds(value.get("tail", "0 s"))
    )


SPAN_READERS: dict[str, Callable[[Any, Characteristic, object, str], Condition]] = {
    "at_most_in_all": read_in_all,
    "none_longer_than": read_none_longer,
    "only_at_ends": read_only_at_ends,
}
