"""Which specs take a value: asked of the lines themselves, those of tables and cases among them."""

from __future__ import annotations

import enum
from collections.abc import Iterator
from typing import Any

from brisk_core.errors import ValueRefused
from brisk_core.facts import REGISTRY, Characteristic, Kind
from brisk_core.spec.conditions import Cases, Equals, OneOf, Table
from brisk_core.spec.document import Spec
from brisk_core.spec.line import Condition, Line, Weight
from brisk_core.spec.values import read_value

_YES, _NO = ("yes", "true"), ("no", "false")


class Taking(enum.Enum):
    """What a line makes of a value."""

    TAKES = "takes it"
    SOMETIMES = "takes it in some cases"
    REFUSES = "refuses it"
    UNKNOWN = "cannot be told from the value alone"


def read_asked(characteristic: Characteristic, text: str) -> Any:
    """Read a value as a person types it: ``59.94``, ``1920x1080``, ``yes``. Raises ``ValueRefused``."""
    said = text.strip()
    if characteristic.kind is Kind.FLAG and said.lower() in (*_YES, *_NO):
        return said.lower() in _YES
    for read in (int, float):
        try:
            return read_value(characteristic, read(said))
        except (ValueError, ValueRefused):  # not a number, or not one of this kind
            continue
    return read_value(characteristic, said)


def who_takes(spec: Spec, characteristic: Characteristic, value: Any) -> Iterator[tuple[Line, Taking]]:
    """Yield the lines of a spec that ask about a characteristic, with what they make of one value of it."""
    for line in spec.lines:
        cells = [*_cells(line.condition, characteristic)]
        if cells:
            yield line, _taking([_lets_through(cell, value) for cell in cells], whole=not _chooses(line.condition))


def named_values(spec: Spec, id_: str) -> list[Any]:
    """Return the values of a characteristic that a spec names one by one, in its order and each once.

    Empty where it does not ask, or asks for a range only. Lines of weight note are not heard.
    """
    found: list[Any] = []
    for line in spec.lines:
        if line.weight is Weight.NOTE:
            continue
        for cell in _cells(line.condition, REGISTRY[id_]):
            values = [cell.value] if isinstance(cell, Equals) else cell.values if isinstance(cell, OneOf) else []
            found += [value for value in values if value not in found]
    return found


def _cells(condition: Condition, characteristic: Characteristic) -> Iterator[Condition]:
    """The conditions on a characteristic that a line can come to."""
    match condition:
        case Cases():
            for case in condition.cases:
                yield from _cells(case.then, characteristic)
        case Table():
            for row in condition.rows:
                yield from (
                    cell for cell, column in zip(row, condition.columns, strict=True) if column.id == characteristic.id
                )
        case _ if condition.characteristic.id == characteristic.id:
            yield condition


def _chooses(condition: Condition) -> bool:
    return isinstance(condition, Cases | Table)


def _lets_through(condition: Condition, value: Any) -> bool | None:
    """Does one value pass, of one track or of the file? ``None`` where it takes more than a value to tell."""
    shown = (value,) if condition.characteristic.per_track else value
    try:
        return condition.holds_for(shown)
    except (NotImplementedError, TypeError, AttributeError):
        return None


def _taking(passes: list[bool | None], *, whole: bool) -> Taking:
    if any(passes):
        return Taking.TAKES if whole or all(passes) else Taking.SOMETIMES
    return Taking.UNKNOWN if None in passes else Taking.REFUSES
