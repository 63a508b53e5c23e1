"""Limits of captions: how fast, how long, how many, how close."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from brisk_core.errors import ValueRefused
from brisk_core.facts import Characteristic, keys
from brisk_core.spec.line import Condition

_LARGEST = 1000
_FROM_BELOW = (keys.TEXT_GAP.id,)  # more is better


@dataclass(frozen=True, slots=True)
class CaptionLimit(Condition):
    """Every caption keeps to a limit."""

    limit: Fraction  #: in the unit of its characteristic

    def required(self) -> str:
        word = "at least" if self.characteristic.id in _FROM_BELOW else "at most"
        return f"{word} {float(self.limit):g} {self.characteristic.unit}"


def read_limit(characteristic: Characteristic, value: object, *, least: bool) -> CaptionLimit:
    """Read ``at_least`` or ``at_most`` of a characteristic of captions that has a limit."""
    if least and characteristic.id not in _FROM_BELOW:
        raise ValueRefused(f"{characteristic.label.lower()} has a most; expected at_most")
    if not least and characteristic.id in _FROM_BELOW:
        raise ValueRefused(f"{characteristic.label.lower()} have a least length; expected at_least")
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 < value <= _LARGEST:
        raise ValueRefused(f"met {value!r}; expected a number of {characteristic.unit}, above 0 and at most {_LARGEST}")
    return CaptionLimit(characteristic, limit=Fraction(str(value)))
