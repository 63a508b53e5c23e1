"""Two specs line by line: what was added and removed, and which lines became stricter or looser.

That is decided by the conditions: a line is stricter when every value that it lets through was let through before, and
not the other way round. Where that cannot be proved the line is only told to be another one.
"""

from __future__ import annotations

import enum
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from brisk_core.errors import ValueRefused
from brisk_core.facts import Kind, keys
from brisk_core.spec.conditions import (
    Cases,
    Equals,
    FitsBuffer,
    Near,
    OneOf,
    Present,
    SameAsTimeline,
    Table,
    Within,
)
from brisk_core.spec.document import Spec
from brisk_core.spec.line import Condition, Line, Weight
from brisk_core.spec.span_conditions import InAll, NoneLonger, OnlyAtEnds
from brisk_core.spec.values import rank

_WEIGHTS = (Weight.NOTE, Weight.SHOULD, Weight.MUST)
_MOST_COUNTED = 100  # whole numbers of a range that are tried one by one
#: Characteristics of which a value may say that there is nothing.
_SAYS_NONE = (keys.SOUND_TRACKS.id, keys.PICTURE_ALPHA.id)


class Change(enum.Enum):
    """What happened to a line."""

    ADDED = "added"
    REMOVED = "removed"
    STRICTER = "stricter"
    LOOSER = "looser"
    OTHER = "another requirement"
    WORDED = "worded anew"
    SAME = "the same"


@dataclass(frozen=True, slots=True, kw_only=True)
class LineChange:
    """A line of two specs; one side is missing for a line that was added or removed."""

    change: Change
    old: Line | None
    new: Line | None

    @property
    def line(self) -> Line:
        """The line as it is now, else as it was."""
        found = self.new or self.old
        assert found is not None  # noqa: S101 - one of both is always there
        return found


def compare_specs(old: Spec, new: Spec) -> tuple[LineChange, ...]:
    """Return every line of two specs, in the order of the new one, then those that it no longer has.

    Lines belong together that have id and characteristic in common, else those of one characteristic, in order.
    """
    pairs = _paired(old, new)
    partners = {id(one): other for other, one in pairs}
    kept = {id(other) for other, _ in pairs}
    found = [_change(partners.get(id(line)), line) for line in new.lines]
    return (
        *found,
        *(LineChange(change=Change.REMOVED, old=line, new=None) for line in old.lines if id(line) not in kept),
    )


def _paired(old: Spec, new: Spec) -> list[tuple[Line, Line]]:
    pairs: list[tuple[Line, Line]] = []
    left, right = list(old.lines), list(new.lines)
    for alike in (
        lambda one, other: (one.id, one.characteristic.id) == (other.id, other.characteristic.id),
        lambda one, other: one.characteristic.id == other.characteristic.id,
    ):
        for line in list(right):
            partner = next((one for one in left if alike(one, line)), None)
            if partner is not None:
                pairs.append((partner, line))
                left.remove(partner)
                right.remove(line)
    return pairs


def _change(old: Line | None, new: Line) -> LineChange:
    if old is None:
        return LineChange(change=Change.ADDED, old=None, new=new)
    directions = {_of_conditions(old.condition, new.condition), _of_weights(old, new), _of_witnesses(old, new)}
    directions.discard(Change.SAME)
    if not directions:
        worded = (old.label, old.why_told, old.remedy_told) != (new.label, new.why_told, new.remedy_told)
        return LineChange(change=Change.WORDED if worded else Change.SAME, old=old, new=new)
    return LineChange(change=directions.pop() if len(directions) == 1 else Change.OTHER, old=old, new=new)


def _of_conditions(old: Condition, new: Condition) -> Change:
    wider, narrower = covers(new, old), covers(old, new)
    if wider and narrower:
        return Change.SAME
    return Change.STRICTER if narrower else Change.LOOSER if wider else Change.OTHER


def _of_weights(old: Line, new: Line) -> Change:
    was, now = _WEIGHTS.index(old.weight), _WEIGHTS.index(new.weight)
    return Change.SAME if was == now else Change.STRICTER if now > was else Change.LOOSER


def _of_witnesses(old: Line, new: Line) -> Change:
    """More witnesses that must agree are stricter; the characteristic's own rule cannot be held against a choice."""
    was, now = set(old.witnesses), set(new.witnesses)
    if was == now:
        return Change.SAME
    if not was or not now:
        return Change.OTHER
    return Change.STRICTER if now > was else Change.LOOSER if now < was else Change.OTHER


def covers(wide: Condition, narrow: Condition) -> bool:
    """Does every value that ``narrow`` lets through pass ``wide`` as well? False where that cannot be proved."""
    if wide == narrow:
        return True
    if isinstance(narrow, Cases) or isinstance(wide, Cases):
        return _covers_cases(wide, narrow)
    if wide.characteristic.id != narrow.characteristic.id:
        return False
    values = _values(narrow)
    if values is not None:
        return all(_passes(wide, value) for value in values)
    match wide, narrow:
        case (Within() | Near(), Within() | Near()):
            return _covers_range(wide, narrow)
        case (Present(wanted=True), Within() | Near()):
            return wide.characteristic.id not in _SAYS_NONE
        case (Table(), Table()):
            return wide.columns == narrow.columns and all(
                any(all(map(covers, row, other)) for row in wide.rows) for other in narrow.rows
            )
        case (SameAsTimeline(), SameAsTimeline()):
            return wide.tolerance >= narrow.tolerance
        case (FitsBuffer(), FitsBuffer()):
            return wide.rate >= narrow.rate and wide.size >= narrow.size
        case (InAll(), InAll()) | (NoneLonger(), NoneLonger() | InAll()):
            return bool(wide.most >= narrow.most)  # type: ignore[attr-defined]  # each of them has it
        case (InAll() | NoneLonger() | OnlyAtEnds(), Present(wanted=False)):
            return True  # no place at all is never too many
        case (OnlyAtEnds(), OnlyAtEnds()):
            return wide.head >= narrow.head and wide.tail >= narrow.tail
        case _:
            return False


def _covers_cases(wide: Condition, narrow: Condition) -> bool:
    if isinstance(wide, Cases) and isinstance(narrow, Cases):
        same = [one.when for one in wide.cases] == [one.when for one in narrow.cases]
        return same and all(covers(one.then, other.then) for one, other in zip(wide.cases, narrow.cases, strict=True))
    if isinstance(narrow, Cases):
        return all(covers(wide, one.then) for one in narrow.cases)
    # Without a last case for all else there are files that no case is for, and those do not pass.
    assert isinstance(wide, Cases)  # noqa: S101 - one of both is
    return any(not one.when for one in wide.cases) and all(covers(one.then, narrow) for one in wide.cases)


def _values(condition: Condition) -> tuple[Any, ...] | None:
    """The values that a condition lets through, where they can be counted."""
    least, most = condition.bounds
    if least is not None and least == most and condition.characteristic.id != keys.PICTURE_LEVEL.id:
        return (least,)
    match condition:
        case Equals():
            return (condition.value,)
        case OneOf():
            return condition.values
        case Within() if condition.characteristic.kind is Kind.COUNT and least is not None and most is not None:
            return tuple(range(least, most + 1)) if most - least < _MOST_COUNTED else None
        case _:
            return None


def _passes(condition: Condition, value: Any) -> bool:
    """Does a value, of one track or of the file, pass?"""
    if isinstance(condition, Present) and condition.characteristic.per_track:
        return condition.wanted
    try:
        return condition.holds(value)
    except (NotImplementedError, TypeError, ValueError, ArithmeticError, ValueRefused):
        return False


def _covers_range(wide: Condition, narrow: Condition) -> bool:
    (least, most), (low, high) = (tuple(_ranks(one)) for one in (wide, narrow))
    try:
        below = least is None or (low is not None and low >= least)
        above = most is None or (high is not None and high <= most)
    except TypeError:  # such as levels of two codecs
        return False
    return bool(below and above)


def _ranks(condition: Condition) -> Iterator[Any]:
    for bound in condition.bounds:
        try:
            yield None if bound is None else rank(condition.characteristic, bound)
        except ValueRefused:
            yield object()  # has no place in any order
