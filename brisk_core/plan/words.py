"""What people type into a plan, read one field after the other; every mistake is kept with its place."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction
from typing import Any, TypeVar

from brisk_core.errors import Mistake, PlanRefused, ValueRefused
from brisk_core.exact import Timecode, parse_seconds

_FRAMES = re.compile(r"(\d{1,9})\s*frames?")
_CLOCK = re.compile(r"(?:(\d{1,3}):)?(\d{1,3}):(\d{2}(?:\.\d{1,3})?)")
_MOST_DIGITS = 15
_TIMECODE = re.compile(r"\d\d:\d\d:\d\d[:;]\d\d")
Read = TypeVar("Read")


def read_length(text: object, rate: Fraction) -> int:
    """Read a length in frames from ``"15000 frames"``, ``"10:00"``, ``"1:30:00"``, a timecode or a duration."""
    said = str(text).strip()
    if found := _FRAMES.fullmatch(said):
        return int(found[1])
    if _TIMECODE.fullmatch(said):
        return Timecode.parse(said, rate).frames
    if clock := _CLOCK.fullmatch(said):
        seconds = Fraction(clock[3]) + 60 * int(clock[2]) + 3600 * int(clock[1] or 0)
        return round(seconds * rate)
    try:
        return round(parse_seconds(text) * rate)
    except ValueRefused:
        says = f'met {said!r} as a length; expected such as "10:00", "00:10:00:00", "90 s" or "15000 frames"'
        raise ValueRefused(says) from None


def met(value: object) -> str:
    """Return what was met, as mistakes begin: they go on with a semicolon and what is expected."""
    return "is missing" if value is None else f"met {value!r}"


class Reader:
    """Reads fields one by one and keeps every mistake with its place."""

    def __init__(self) -> None:
        self.mistakes: list[Mistake] = []

    def note(self, place: str, says: str) -> None:
        """Keep a mistake."""
        self.mistakes.append(Mistake(place=place, says=says))

    def refuse(self) -> None:
        """Raise ``PlanRefused`` with every mistake, if there are any."""
        if self.mistakes:
            count = len(self.mistakes)
            listed = "; ".join(map(str, self.mistakes))
            raise PlanRefused(f"the plan has {count} mistake{'s' if count != 1 else ''}: {listed}", self.mistakes)

    def take(self, place: str, read: Callable[[Any], Read], value: Any, instead: Read) -> Read:
        """Return what was read, or ``instead`` with the mistake noted."""
        try:
            return read(value)
        except (ValueRefused, ValueError, TypeError, ZeroDivisionError, OverflowError) as error:
            says = str(error) if isinstance(error, ValueRefused) else f"met {value!r}; expected a number"
            self.note(place, f"{met(value)}; {says.partition('; ')[2]}" if value is None else says)
            return instead

    def text(self, place: str, value: Any) -> str:
        """Return a text that has to be there, or an empty one with the mistake noted."""
        if isinstance(value, str) and value.strip():
            return value.strip()
        self.note(place, f"{met(value)}; expected a text")
        return ""

    def known(self, place: str, value: Any, among: Sequence[str]) -> str:
        """Return a word of a list, the first one with the mistake noted."""
        if value in among:
            return str(value)
        self.note(place, f"{met(value)}; expected one of {', '.join(among)}")
        return among[0]

    def only(self, place: str, row: Mapping[str, Any], names: Sequence[str]) -> None:
        """Note names that nobody reads."""
        for name in row:
            if name not in names:
                self.note(place, f"met {name!r}; expected only {', '.join(names)}")


def read_count(value: object) -> int:
    """Read a whole number of at least 0. Raises ``ValueRefused``."""
    said = str(value).strip()
    if isinstance(value, bool) or not said.isascii() or not said.isdigit() or len(said) > _MOST_DIGITS:
        raise ValueRefused(f"met {value!r}; expected a whole number")
    return int(said)


def read_percent(value: object) -> Fraction:
    """Read a percentage from 0 to less than 100, with or without its sign. Raises ``ValueRefused``."""
    try:
        found = Fraction(str(value).strip().removesuffix("%").strip())
    except (ValueError, ZeroDivisionError):
        found = Fraction(-1)
    if not 0 <= found < 100:
        raise ValueRefused(f"met {value!r}; expected a percentage from 0 to less than 100")
    return found


def read_yes(value: object) -> bool:
    """Read yes or no. Raises ``ValueRefused``."""
    if isinstance(value, bool):
        return value
    said = str(value).strip().casefold()
    if said not in ("yes", "true", "no", "false"):
        raise ValueRefused(f"met {value!r}; expected yes or no")
    return said in ("yes", "true")
