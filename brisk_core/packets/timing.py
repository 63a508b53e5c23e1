"""Presentation times: the exact rate, whether it is constant, where steps are missing."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from brisk_core.exact import STANDARD_RATES, spell_seconds
from brisk_core.facts import Span

#: A step longer than this many frame periods is a gap; between 1 and this a wandering rate is at work.
GAP_PERIODS = Fraction(3, 2)
_MOST_GAPS = 1000  # kept; the count beyond is named in the last one's detail
#: A rate is only tried when the mean lies this near, which spares the search among far ones.
_NEAR = Fraction(1, 50)


@dataclass(frozen=True, slots=True, kw_only=True)
class RateFit:
    """The rate that presentation times show."""

    rate: Fraction  #: frames a second: a standard one that fits every time, else the mean
    standard: bool
    constant: bool  #: every step within one tick of the period
    smallest_step: int  #: ticks
    largest_step: int  #: ticks


def _spread(pts: NDArray[np.int64], rate: Fraction, time_base: Fraction) -> Fraction:
    """Return how far times stray from an even grid of this rate: largest minus smallest residual, in ticks."""
    period = 1 / (rate * time_base)
    up, down = period.numerator, period.denominator
    residual = (pts - pts[0]) * down - np.arange(len(pts), dtype=np.int64) * up
    return Fraction(int(residual.max() - residual.min()), down)


def fit_rate(pts: NDArray[np.int64], time_base: Fraction) -> RateFit | None:
    """Return the exact standard rate that fits all times within half a tick, else the mean.

    ``pts`` are presentation times in ticks, ascending; fewer than two, or no time passing, give ``None``. Half a tick
    to either side of a grid is a spread of at most one tick. Among several rates that fit, as happens with few frames
    on a coarse clock, the one nearest to the mean is taken.
    """
    if len(pts) < 2 or pts[-1] == pts[0]:
        return None
    steps = np.diff(pts)
    smallest, largest = int(steps.min()), int(steps.max())
    mean = (len(pts) - 1) / (int(pts[-1] - pts[0]) * time_base)
    fitting = [
        rate for rate in STANDARD_RATES if abs(rate - mean) <= rate * _NEAR and _spread(pts, rate, time_base) <= 1
    ]
    rate = min(fitting, key=lambda candidate: (_spread(pts, candidate, time_base), abs(candidate - mean)), default=mean)
    period = 1 / (rate * time_base)
    constant = abs(period - smallest) <= 1 and abs(period - largest) <= 1
    return RateFit(rate=rate, standard=bool(fitting), constant=constant, smallest_step=smallest, largest_step=largest)


def find_gaps(pts: NDArray[np.int64], rate: Fraction, time_base: Fraction) -> tuple[Span, ...]:
    """Return the frames after which the next one comes late: steps of more than ``GAP_PERIODS`` frame periods."""
    limit = GAP_PERIODS / (rate * time_base)
    steps = np.diff(pts)
    late = np.flatnonzero(steps > float(limit))
    spans = []
    for index in late[:_MOST_GAPS]:
        step = int(steps[index]) * time_base
        missing = round(step * rate) - 1
        detail = f"{spell_seconds(step)} to the next frame"
        if missing > 0:
            detail += f", room for {missing} more"
        spans.append(Span(start=int(index), end=int(index) + 1, detail=detail))
    if len(late) > _MOST_GAPS:
        last = spans[-1]
        spans[-1] = Span(start=last.start, end=last.end, detail=f"{last.detail}; {len(late) - _MOST_GAPS} more places")
    return tuple(spans)
