"""Durations as exact fractions of a second."""

from __future__ import annotations

import re
from fractions import Fraction

from brisk_core.errors import ValueRefused

_PLAIN = re.compile(r"(-?\d{1,12}(?:\.\d{1,9})?)\s*(ms|s|min|h)?")
_FRACTION = re.compile(r"(-?\d{1,18})\s*/\s*(\d{1,18})")
_UNITS = {"ms": Fraction(1, 1000), "s": Fraction(1), "min": Fraction(60), "h": Fraction(3600), None: Fraction(1)}


def parse_seconds(value: object) -> Fraction:
    """Read seconds from ``"10.04 s"``, ``"40 ms"``, ``"1001/100"`` or a number; raises ``ValueRefused`` otherwise."""
    if isinstance(value, Fraction):
        return value
    if isinstance(value, int | float) and not isinstance(value, bool):
        value = str(value)
    if isinstance(value, str):
        text = value.strip()
        if (pair := _FRACTION.fullmatch(text)) and int(pair[2]):
            return Fraction(int(pair[1]), int(pair[2]))
        if plain := _PLAIN.fullmatch(text):
            return Fraction(plain[1]) * _UNITS[plain[2]]
    raise ValueRefused(f'met {value!r} as a duration; expected such as "10 s", "40 ms" or "1001/100"')


def spell_seconds(seconds: Fraction) -> str:
    """Return such as ``10.04 s`` or ``1:02:03.5``; rounded to milliseconds for reading."""
    sign, rest = ("−", -seconds) if seconds < 0 else ("", seconds)
    milliseconds = round(rest * 1000)
    if milliseconds < 60_000:
        text = f"{milliseconds / 1000:.3f}".rstrip("0").rstrip(".")
        return f"{sign}{text} s"
    whole, thousandths = divmod(milliseconds, 1000)
    minutes, second = divmod(whole, 60)
    hours, minute = divmod(minutes, 60)
    tail = f".{thousandths:03}".rstrip("0").rstrip(".")
    return f"{sign}{hours}:{minute:02}:{second:02}{tail}" if hours else f"{sign}{minute}:{second:02}{tail}"
