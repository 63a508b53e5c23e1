"""Reading of conditions: a mapping with one key, such as ``{"between": ["8 Mb/s", "16 Mb/s"]}``, mistakes reported."""

from __future__ import annotations

import difflib
from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from brisk_core.captions import LIMITS
from brisk_core.errors import Mistake, ValueRefused
from brisk_core.exact import parse_bit_rate, parse_bits
from brisk_core.facts import REGISTRY, Characteristic, Kind, Stage, keys
from brisk_core.spec.conditions import (
    TIMELINE_TWINS,
    Case,
    Cases,
    Equals,
    FitsBuffer,
    Matches,
    Near,
    OneOf,
    Present,
    SameAsMaster,
    SameAsTimeline,
    Table,
    Within,
    WitnessesAgree,
)
from brisk_core.spec.limits import read_limit
from brisk_core.spec.line import Condition
from brisk_core.spec.patterns import NamePattern
from brisk_core.spec.span_conditions import SPAN_READERS
from brisk_core.spec.values import is_ordered, rank, read_value

Read = TypeVar("Read")


class _Unreadable(Exception):
    """A condition with a mistake that has been reported."""


class ConditionReader:
    """Reads conditions and collects every mistake with its place."""

    def __init__(self) -> None:
        self.mistakes: list[Mistake] = []
        self._readers: dict[str, _Reader] = _READERS | SPAN_READERS

    def read(self, characteristic: Characteristic, raw: object, place: str, *, inner: bool = False) -> Condition | None:
        """Return the condition, or ``None`` after noting what is wrong with it."""
        if not isinstance(raw, dict) or len(raw) != 1:
            met = f"{len(raw)} keys ({', '.join(map(str, raw))})" if isinstance(raw, dict) else repr(raw)
            self.note(place, f"met {met} as a condition; expected one of {', '.join(self._readers)} with its value")
            return None
        name, value = next(iter(raw.items()))
        reader = self._readers.get(name)
        if reader is None:
            self.note(place, f"met condition {name!r}; expected one of {', '.join(self._readers)}")
            return None
        if name in _OUTERMOST and inner:
            self.note(place, f"met {name} inside cases; expected a plain condition")
            return None
        try:
            return reader(self, characteristic, value, place)
        except _Unreadable:
            return None
        except ValueRefused as error:
            self.note(place, f'"{name}": {error}')
            return None

    def note(self, place: str, says: str) -> None:
        """Keep a mistake."""
        self.mistakes.append(Mistake(place=place, says=says))

    def taken(self, read: Callable[[Any], Read], raw: Mapping[str, Any], name: str, place: str) -> Read | None:
        """Return a field of a mapping as it is read; ``None`` without it, or after noting what is wrong with it."""
        try:
            return read(raw[name]) if name in raw else None
        except ValueRefused as error:
            self.note(f"{place}, {name}", str(error))
            return None

    def equals(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        return Equals(characteristic, read_value(characteristic, value))

    def one_of(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        if not isinstance(value, list) or not value:
            raise ValueRefused(f"needs a list with at least one value; got {value!r}")
        return OneOf(characteristic, tuple(read_value(characteristic, one) for one in value))

    def between(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        self._must_be_ordered(characteristic)
        if not isinstance(value, list) or len(value) != 2:
            raise ValueRefused(f"needs two values, lowest first; got {value!r}")
        least, most = (read_value(characteristic, one) for one in value)
        if rank(characteristic, least) > rank(characteristic, most):
            raise ValueRefused(f"needs two values, lowest first; got {value!r}")
        return Within(characteristic, least=least, most=most)

    def at_least(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        return self._bounded(characteristic, value, least=True)

    def at_most(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        return self._bounded(characteristic, value, least=False)

    def _bounded(self, characteristic: Characteristic, value: object, *, least: bool) -> Condition:
        """A bound on one side; the limits of captions are read as such."""
        if characteristic.id in LIMITS:
            return read_limit(characteristic, value, least=least)
        self._must_be_ordered(characteristic)
        bound = read_value(characteristic, value)
        rank(characteristic, bound)  # refuses a value that has no place in the order
        return Within(characteristic, least=bound) if least else Within(characteristic, most=bound)

    def near(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        self._must_be_ordered(characteristic)
        if not isinstance(value, dict) or set(value) != {"value", "tolerance"}:
            raise ValueRefused(f"needs a value and a tolerance, {{ value: ..., tolerance: ... }}; got {value!r}")
        middle, tolerance = read_value(characteristic, value["value"]), read_value(characteristic, value["tolerance"])
        if tolerance < 0:
            raise ValueRefused(f"needs a tolerance of at least 0; got {value['tolerance']!r}")
        return Near(characteristic, value=middle, tolerance=tolerance)

    def present(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        return Present(characteristic, wanted=self._must_be_true(value))

    def absent(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        return Present(characteristic, wanted=not self._must_be_true(value))

    def matches(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        if characteristic.kind is not Kind.TEXT:
            raise ValueRefused(f"works on texts only; {characteristic.id} is a {characteristic.kind.value}")
        return Matches(characteristic, NamePattern(value if isinstance(value, str) else ""))

    def same_as_timeline(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        tolerance = 0
        if isinstance(value, dict) and set(value) == {"tolerance"}:
            tolerance = value["tolerance"]
            if not isinstance(tolerance, int) or isinstance(tolerance, bool) or tolerance < 0:
                raise ValueRefused(f"needs a tolerance in whole frames; got {tolerance!r}")
        else:
            self._must_be_true(value)
        condition = SameAsTimeline(characteristic, tolerance=tolerance)
        if not condition.answers.startswith("edit."):
            raise ValueRefused(
                f"a timeline has no {characteristic.label.lower()}; it has {', '.join(sorted(TIMELINE_TWINS))}"
            )
        return condition

    def same_as_master(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        self._must_be_true(value)
        if not characteristic.id.startswith("master."):
            raise ValueRefused(f"works on what a master answers only (master.*); {characteristic.id} is another")
        return SameAsMaster(characteristic)

    def cases(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        if not isinstance(value, list) or not value:
            raise ValueRefused(f"needs a list of cases; got {value!r}")
        found = [self._case(characteristic, raw, f"{place}, case {number}") for number, raw in enumerate(value, 1)]
        if any(case is None for case in found):
            raise _Unreadable
        return Cases(characteristic, tuple(case for case in found if case))

    def _case(self, characteristic: Characteristic, raw: object, place: str) -> Case | None:
        if isinstance(raw, dict) and set(raw) == {"otherwise"}:
            then = self.read(characteristic, raw["otherwise"], place, inner=True)
            return Case(when=(), then=then) if then else None
        if not isinstance(raw, dict) or set(raw) != {"when", "then"}:
            self.note(place, f"met {raw!r}; expected when (facts and their conditions) and then, or otherwise")
            return None
        when = self.read_when(raw["when"], place)
        then = self.read(characteristic, raw["then"], f"{place}, then", inner=True)
        return Case(when=when, then=then) if when and then else None

    def read_when(self, raw: object, place: str) -> tuple[Condition, ...] | None:
        """Return conditions of facts in the order of their ids, or ``None`` after noting what is wrong with them."""
        if not isinstance(raw, dict) or not raw:
            self.note(f"{place}, when", f"met {raw!r}; expected at least one fact and its condition")
            return None
        conditions: list[Condition | None] = []
        for id_, inner in sorted(raw.items(), key=lambda item: str(item[0])):
            other = REGISTRY.get(str(id_))
            if other is None:
                self.note(place, f"met characteristic {id_!r}; {nearest_ids(str(id_))}")
                conditions.append(None)
            elif other.stage is Stage.CHECK:
                self.note(place, f"met {other.id} in when; expected what is known of a file before it is judged")
                conditions.append(None)
            else:
                conditions.append(self.read(other, inner, f'{place}, when "{id_}"', inner=True))
        found = tuple(condition for condition in conditions if condition)
        return found if len(found) == len(conditions) else None

    def witnesses_agree(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        self._must_be_true(value)
        if len(characteristic.witnesses) < 2:
            raise ValueRefused(f"needs a characteristic with several witnesses; {characteristic.id} has one")
        return WitnessesAgree(characteristic)

    def fits_buffer(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        if characteristic.id != keys.BITRATE_BUFFER.id:
            raise ValueRefused(f"works on bitrate.buffer only; met {characteristic.id}")
        if not isinstance(value, dict) or set(value) != {"rate", "size"}:
            raise ValueRefused(f"needs a rate and a size; got {value!r}")
        rate, size = parse_bit_rate(value["rate"]), parse_bits(value["size"])
        if not rate or not size:
            raise ValueRefused(f"needs a rate and a size above 0; got {value!r}")
        return FitsBuffer(characteristic, rate=rate, size=size)

    def table(self, characteristic: Characteristic, value: object, place: str) -> Condition:
        if not isinstance(value, dict) or set(value) != {"columns", "rows"}:
            raise ValueRefused(f"needs columns and rows; got {value!r}")
        columns, rows = value["columns"], value["rows"]
        if (
            not isinstance(columns, list)
            or len(columns) < 2
            or characteristic.id not in columns
            or len(set(map(str, columns))) < len(columns)
        ):
            raise ValueRefused(
                f"needs at least two different columns, one of them {characteristic.id}; got {columns!r}"
            )
        found = [REGISTRY.get(str(one)) for one in columns]
        for id_, column in zip(columns, found, strict=True):
            if column is None:
                self.note(place, f"met characteristic {id_!r} as a column; {nearest_ids(str(id_))}")
        if not isinstance(rows, list) or not rows:
            raise ValueRefused(f"needs at least one row; got {rows!r}")
        known = tuple(column for column in found if column)
        if len(known) < len(columns):
            raise _Unreadable
        return Table(
            characteristic,
            columns=known,
            rows=tuple(self._row(known, raw, number) for number, raw in enumerate(rows, 1)),
        )

    def _row(self, columns: tuple[Characteristic, ...], raw: object, number: int) -> tuple[Condition, ...]:
        """Read one row of a table: a value or a list of allowed values for each column."""
        if not isinstance(raw, list) or len(raw) != len(columns):
            raise ValueRefused(f"row {number}: met {raw!r}; expected {len(columns)} values")
        cells: list[Condition] = []
        for column, cell in zip(columns, raw, strict=True):
            try:
                values = cell if isinstance(cell, list) and column.kind not in (Kind.SIZE, Kind.AREA) else [cell]
                cells.append(OneOf(column, tuple(read_value(column, one) for one in values)))
            except ValueRefused as error:
                raise ValueRefused(f"row {number}, {column.id}: {error}") from error
        return tuple(cells)

    @staticmethod
    def _must_be_ordered(characteristic: Characteristic) -> None:
        if not is_ordered(characteristic):
            raise ValueRefused(
                f"{characteristic.label.lower()} has no order of size; expected equals, one_of, present or absent"
            )

    @staticmethod
    def _must_be_true(value: object) -> bool:
        if value is not True:
            raise ValueRefused(f"needs true; got {value!r}")
        return True


_Reader = Callable[["ConditionReader", Characteristic, object, str], Condition]
_READERS: dict[str, _Reader] = {
    "equals": ConditionReader.equals,
    "one_of": ConditionReader.one_of,
    "between": ConditionReader.between,
    "at_least": ConditionReader.at_least,
    "at_most": ConditionReader.at_most,
    "near": ConditionReader.near,
    "present": ConditionReader.present,
    "absent": ConditionReader.absent,
    "matches": ConditionReader.matches,
    "same_as_timeline": ConditionReader.same_as_timeline,
    "same_as_master": ConditionReader.same_as_master,
    "witnesses_agree": ConditionReader.witnesses_agree,
    "fits_buffer": ConditionReader.fits_buffer,
    "table": ConditionReader.table,
    "cases": ConditionReader.cases,
}


#: Conditions that look at more than one value of one witness and so stand alone.
_OUTERMOST = {"cases", "table", "witnesses_agree", "fits_buffer"}


def nearest_ids(met: str) -> str:
    """Return "expected ..." with the ids that look most like the one met."""
    near = difflib.get_close_matches(met, REGISTRY, n=3, cutoff=0.5)
    return f"expected {' or '.join(near)}" if near else "expected an id of the registry, such as picture.frame_rate"
