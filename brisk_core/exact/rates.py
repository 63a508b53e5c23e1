"""Frame rates as exact fractions.

A rate is a ``fractions.Fraction`` of frames (never fields) a second. Nominal labels such as ``29.97`` name the exact
fraction 30000/1001 (SMPTE ST 170, ST 12-1); any other decimal stands for itself, so 28.8 stays 144/5.
"""

from __future__ import annotations

import enum
import re
from fractions import Fraction

from brisk_core.errors import ValueRefused


class RateFamily(enum.Enum):
    """Rates that convert into one another by whole repeats, without blending pictures."""

    FILM = "film"  # 24 and its doubles
    FILM_1001 = "film/1.001"  # 24000/1001 and its doubles
    TWENTY_FIVE = "25"
    THIRTY = "30"
    THIRTY_1001 = "30/1.001"


#: Rates that standards name, with their family and the label people write.
STANDARD_RATES: dict[Fraction, tuple[RateFamily, str]] = {
    Fraction(12): (RateFamily.FILM, "12"),
    Fraction(12000, 1001): (RateFamily.FILM_1001, "11.988"),
    Fraction(25, 2): (RateFamily.TWENTY_FIVE, "12.5"),
    Fraction(15000, 1001): (RateFamily.THIRTY_1001, "14.985"),
    Fraction(15): (RateFamily.THIRTY, "15"),
    Fraction(24000, 1001): (RateFamily.FILM_1001, "23.976"),
    Fraction(24): (RateFamily.FILM, "24"),
    Fraction(25): (RateFamily.TWENTY_FIVE, "25"),
    Fraction(30000, 1001): (RateFamily.THIRTY_1001, "29.97"),
    Fraction(30): (RateFamily.THIRTY, "30"),
    Fraction(48000, 1001): (RateFamily.FILM_1001, "47.952"),
    Fraction(48): (RateFamily.FILM, "48"),
    Fraction(50): (RateFamily.TWENTY_FIVE, "50"),
    Fraction(60000, 1001): (RateFamily.THIRTY_1001, "59.94"),
    Fraction(60): (RateFamily.THIRTY, "60"),
    Fraction(96): (RateFamily.FILM, "96"),
    Fraction(100): (RateFamily.TWENTY_FIVE, "100"),
    Fraction(120000, 1001): (RateFamily.THIRTY_1001, "119.88"),
    Fraction(120): (RateFamily.THIRTY, "120"),
}

_LABELS = {label: rate for rate, (_, label) in STANDARD_RATES.items()} | {
    "23.98": Fraction(24000, 1001),
    "47.95": Fraction(48000, 1001),
}
_FRACTION = re.compile(r"(\d{1,9})\s*/\s*(\d{1,9})")
_DECIMAL = re.compile(r"\d{1,4}(?:\.\d{1,6})?")

#: How far a measured rate may lie from a standard one and still be called by it. Half the distance between a rate and
#: its 1001/1000 neighbour is 5 in 10,000, so one in 10,000 can never confuse the two.
STANDARD_TOLERANCE = Fraction(1, 10_000)

#: The rates this application can speak about; beyond them a number is a mistake, not a rate.
LOWEST_RATE = Fraction(1, 1000)
HIGHEST_RATE = Fraction(1000)


def parse_rate(value: object) -> Fraction:
    """Read a rate from ``25``, ``"30000/1001"`` or a label such as ``"29.97"``; exact.

    Raises ``ValueRefused`` for anything else, and for rates outside 1/1000 to 1000 frames a second.
    """
    rate: Fraction | None = None
    if isinstance(value, Fraction):
        rate = value
    elif isinstance(value, int | float) and not isinstance(value, bool):
        value = str(value)
    if isinstance(value, str):
        text = value.strip().removesuffix("fps").strip()
        if text.endswith(".0"):
            text = text[:-2]
        if pair := _FRACTION.fullmatch(text):
            if int(pair[2]):
                rate = Fraction(int(pair[1]), int(pair[2]))
        elif _DECIMAL.fullmatch(text):
            rate = _LABELS.get(text) or Fraction(text)
    if rate is None:
        raise ValueRefused(
            f'met {value!r} as a frame rate; expected frames a second such as 25, "30000/1001" or "29.97"'
        )
    if not LOWEST_RATE <= rate <= HIGHEST_RATE:
        raise ValueRefused(f"met {value!r} as a frame rate; expected between 1/1000 and 1000 frames a second")
    return rate


def rate_family(rate: Fraction) -> RateFamily | None:
    """Return the family of a standard rate, ``None`` for any other."""
    entry = STANDARD_RATES.get(rate)
    return entry[0] if entry else None


def nearest_standard_rate(measured: Fraction, tolerance: Fraction = STANDARD_TOLERANCE) -> Fraction | None:
    """Return the standard rate within ``tolerance`` (a share of the rate), ``None`` for a non-standard rate."""
    nearest = min(STANDARD_RATES, key=lambda rate: abs(rate - measured))
    return nearest if abs(nearest - measured) <= nearest * tolerance else None


def rate_of_steps(mean: Fraction, smallest: int, largest: int, time_base: Fraction) -> Fraction:
    """Return the standard rate whose period every step matches within one tick, else the mean.

    ``mean`` is frames a second, ``smallest`` and ``largest`` are the steps met, in ticks of ``time_base`` seconds.
    """
    nearest = nearest_standard_rate(mean)
    if nearest is None:
        return mean
    period = 1 / (nearest * time_base)
    return nearest if abs(period - smallest) <= 1 and abs(period - largest) <= 1 else mean


def spell_rate(rate: Fraction) -> str:
    """Return what a person reads: ``25``, ``29.97`` for 30000/1001, ``28.8 (non-standard)`` where no standard fits."""
    entry = STANDARD_RATES.get(rate)
    if entry:
        return entry[1]
    if nearest_standard_rate(rate) is None:
        return f"{float(rate):.3f}".rstrip("0").rstrip(".") + " (non-standard)"
    return f"{rate.numerator}/{rate.denominator}" if rate.denominator != 1 else str(rate.numerator)


def spell_rate_exactly(rate: Fraction) -> str:
    """Return a rate with its fraction where its label is a rounding: ``23.976 (24000/1001)``."""
    label = spell_rate(rate)
    return f"{label} ({rate.numerator}/{rate.denominator})" if rate.denominator == 1001 else label
