"""Places of a characteristic in seconds and in frames."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Any

from brisk_core.facts import Characteristic, Kind, Span, TimeSpan, Unheard, Witnessed


def seconds_of(span: Span | TimeSpan, rate: Fraction | None) -> tuple[Fraction, Fraction]:
    """Return a place in seconds."""
    if isinstance(span, TimeSpan):
        return Fraction(str(span.start)), Fraction(str(span.end))
    period = 1 / rate if rate else Fraction(1)
    return span.start * period, span.end * period


def spans_of(characteristic: Characteristic, witnessed: Witnessed[Any], rate: Fraction | None) -> tuple[Span, ...]:
    """Return the places of a characteristic in frames; those of the sound of every track, each with its track."""
    value = witnessed.observed
    if value is None or value is Unheard.UNHEARD or characteristic.kind not in (Kind.SPANS, Kind.TIMES):
        return ()
    if characteristic.kind is Kind.SPANS and not characteristic.per_track:
        return tuple(value)
    if rate is None:
        return ()
    found = []
    for number, track in enumerate(value if characteristic.per_track else (value,), 1):
        for one in track:
            start = max(math.floor(one.start * rate), 0)
            found.append(Span(start=start, end=max(math.ceil(one.end * rate), start + 1), detail=f"track {number}"))
    return tuple(found)
