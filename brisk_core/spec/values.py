"""Values in a spec: read by the kind of their characteristic, compared exactly."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from brisk_core.errors import ValueRefused
from brisk_core.exact import parse_area, parse_bit_rate, parse_bytes, parse_rate, parse_ratio, parse_seconds, parse_size
from brisk_core.facts import Characteristic, Kind, keys

ORDERED = {Kind.RATE, Kind.RATIO, Kind.SECONDS, Kind.COUNT, Kind.NUMBER, Kind.BYTES, Kind.BIT_RATE}
#: Kinds that can only be present or absent, or agree with the timeline.
UNCOMPARED = {Kind.SPANS, Kind.TIMES, Kind.OBJECT, Kind.TRACKS, Kind.CHAPTERS, Kind.CAPTIONS}
_LEVEL = re.compile(r"\d{1,2}(\.\d)?")


_LARGEST = 10**18  # of the numbers of a spec; infinite ones, and what is no number, are not at most that


def _count(value: object) -> int:
    if isinstance(value, int) and not isinstance(value, bool):
        return value
    raise ValueRefused(f"met {value!r}; expected a whole number")


def _number(value: object) -> Fraction:
    if isinstance(value, int | float) and not isinstance(value, bool) and abs(value) <= _LARGEST:
        return Fraction(str(value))
    raise ValueRefused(f"met {value!r}; expected a number")


def _flag(value: object) -> bool:
    if isinstance(value, bool):
        return value
    raise ValueRefused(f"met {value!r}; expected true or false")


def _text(value: object) -> str:
    if isinstance(value, str) and value.strip():
        return value.strip()
    if isinstance(value, int | float) and not isinstance(value, bool) and abs(value) <= _LARGEST:
        return f"{value:g}"
    raise ValueRefused(f"met {value!r}; expected a text")


def _texts(value: object) -> tuple[str, ...]:
    if isinstance(value, list) and all(isinstance(one, str) for one in value):
        return tuple(value)
    raise ValueRefused(f"met {value!r}; expected a list of texts")


_READ: dict[Kind, Callable[[object], Any]] = {
    Kind.TEXT: _text,
    Kind.TIMECODE: _text,  # a label; its rate is the file's
    Kind.FLAG: _flag,
    Kind.COUNT: _count,
    Kind.NUMBER: _number,
    Kind.BYTES: parse_bytes,
    Kind.BIT_RATE: parse_bit_rate,
    Kind.RATE: parse_rate,
    Kind.RATIO: parse_ratio,
    Kind.SECONDS: parse_seconds,
    Kind.SIZE: parse_size,
    Kind.AREA: parse_area,
    Kind.TEXTS: _texts,
}


def read_value(characteristic: Characteristic, value: object) -> Any:
    """Read one value of a spec for this characteristic; raises ``ValueRefused``."""
    if characteristic.kind is Kind.CHOICE:
        if value not in characteristic.choices:
            raise ValueRefused(f"met {value!r}; expected one of {', '.join(characteristic.choices)}")
        return value
    if characteristic.kind in UNCOMPARED:
        raise ValueRefused(
            f"{characteristic.label.lower()} cannot be compared with a value;"
            " expected present, absent or same_as_timeline"
        )
    return _READ[characteristic.kind](value)


def is_ordered(characteristic: Characteristic) -> bool:
    """Can values of this characteristic be larger and smaller? Levels of codecs can, by their numbers, and sizes."""
    return (
        characteristic.kind in ORDERED or characteristic.kind is Kind.SIZE or characteristic.id == keys.PICTURE_LEVEL.id
    )


@dataclass(frozen=True, slots=True)
class Sides:
    """A size as it is compared: large enough is what is so in width and in height."""

    width: int
    height: int

    def __ge__(self, other: Sides) -> bool:
        return self.width >= other.width and self.height >= other.height

    def __le__(self, other: Sides) -> bool:
        return other >= self

    def __lt__(self, other: Sides) -> bool:
        return not self >= other

    def __gt__(self, other: Sides) -> bool:
        return not self <= other


def rank(characteristic: Characteristic, value: Any) -> Any:
    """Return the value as it is compared by size; raises ``ValueRefused`` for a level without a number."""
    if characteristic.kind is Kind.SIZE:
        return Sides(*value)
    if characteristic.id != keys.PICTURE_LEVEL.id:
        return value
    if _LEVEL.fullmatch(str(value)):
        return Fraction(str(value))
    raise ValueRefused(f"met level {value!r}; expected a number such as 4.1")


def rank_found(characteristic: Characteristic, value: Any) -> Any:
    """Return a value of a file as it is compared by size, ``None`` for one that has no place in the order."""
    try:
        return rank(characteristic, value)
    except ValueRefused:
        return None


def _plain(text: str) -> str:
    return re.sub(r"[^a-z0-9]", "", text.casefold())


def same(characteristic: Characteristic, asked: Any, found: Any) -> bool:
    """Are two values of a characteristic the same? Texts are compared without case, spaces and punctuation."""
    if characteristic.kind is Kind.TIMECODE:
        return str(asked) == str(found)
    if characteristic.kind is Kind.TEXT and characteristic.id not in (keys.FILE_NAME.id, keys.PICTURE_CODEC_LABEL.id):
        return _plain(str(asked)) == _plain(str(found))
    if characteristic.kind is Kind.NUMBER:
        return bool(asked == Fraction(str(found)))
    return bool(asked == found)
