"""Limits of captions: how fast, how long, how many, how close."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from brisk_core.captions import LIMITS
from brisk_core.errors import ValueRefused
from brisk_core.facts import Characteristic
from brisk_core.spec.conditions import Condition, ConditionReader

_LARGEST = 1000
_FROM_BELOW = ("text.gap",)  # more is better


@dataclass(frozen=True, slots=True)
class CaptionLimit(Condition):
    """Every caption keeps to a limit."""

    limit: Fraction  #: in the unit of its characteristic

    def required(self) -> str:
        word = "at least" if self.row.id in _FROM_BELOW else "at most"
        return f"{word} {float(self.limit):g} {self.row.unit}"


def _read(row: Characteristic, value: object) -> Condition:
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 < value <= _LARGEST:
        raise ValueRefused(f"met {value!r}; expected a number of {row.unit}, above 0 and at most {_LARGEST}")
    return CaptionLimit(row, limit=Fraction(str(value)))


def read_at_most(reader: ConditionReader, row: Characteristic, value: object, place: str) -> Condition:
    """Read ``at_most``, also of captions."""
    if row.id not in LIMITS:
        return reader.at_most(row, value, place)
    if row.id in _FROM_BELOW:
        raise ValueRefused(f"{row.label.lower()} have a least length; expected at_least")
    return _read(row, value)


def read_at_least(reader: ConditionReader, row: Characteristic, value: object, place: str) -> Condition:
    """Read ``at_least``, also of captions."""
    if row.id not in LIMITS:
        return reader.at_least(row, value, place)
    if row.id not in _FROM_BELOW:
        raise ValueRefused(f"{row.label.lower()} has a most; expected at_most")
    return _read(row, value)


LIMIT_READERS: dict[str, Callable[[Any, Characteristic, object, str], Condition]] = {
    "at_most": read_at_most,
    "at_least": read_at_least,
}
