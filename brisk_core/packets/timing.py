"""Presentation times: the exact rate, whether it is constant, where steps are missing."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from brisk_core.exact import STANDARD_RATES, spell_seconds
from brisk_core.facts import Span
from brisk_core.packets.series import NO_TIME

#: A step longer than this many frame periods is a gap; between 1 and this a variable frame rate is at work.
GAP_PERIODS = Fraction(3, 2)
_MOST_GAPS = 1000  # kept; the count beyond is named in the last one's detail
#: A rate is only tried when the mean lies this near, which spares the search among far ones.
_NEAR = Fraction(1, 50)


@dataclass(frozen=True, slots=True, kw_only=True)
class RateFit:
    """The rate that presentation times show."""

    rate: Fraction  #: frames a second: a standard one that fits every time, else the mean
    mean_step: Fraction  #: ticks
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
    return RateFit(
        rate=rate,
        mean_step=Fraction(int(pts[-1] - pts[0]), len(pts) - 1),
        standard=bool(fitting),
        constant=constant,
        smallest_step=smallest,
        largest_step=largest,
    )


def find_gaps(pts: NDArray[np.int64], rate: Fraction, time_base: Fraction) -> tuple[Span, ...]:
    """Return the frames after which the next one comes late: steps of more than ``GAP_PERIODS`` frame periods."""
    limit = GAP_PERIODS / (rate * time_base)
    steps = np.diff(pts)
    late = np.flatnonzero(steps > float(limit))
    details = []
    for index in late[:_MOST_GAPS]:
        step = int(steps[index]) * time_base
        missing = round(step * rate) - 1
        room = f", room for {missing} more" if missing > 0 else ""
        details.append(f"{spell_seconds(step)} to the next frame{room}")
    return _spans(late, details)


def _spans(places: NDArray[np.intp], details: list[str]) -> tuple[Span, ...]:
    """Return spans of one frame each, at most ``_MOST_GAPS``; the last one names how many more there are."""
    spans = [
        Span(start=int(place), end=int(place) + 1, detail=detail)
        for place, detail in zip(places[:_MOST_GAPS].tolist(), details, strict=False)
    ]
    if len(places) > _MOST_GAPS:
        last = spans[-1]
        spans[-1] = Span(
            start=last.start, end=last.end, detail=f"{last.detail}; {len(places) - _MOST_GAPS} more places"
        )
    return tuple(spans)


def find_duplicates(pts: NDArray[np.int64]) -> tuple[Span, ...]:
    """Return the frames, in presentation order, that share their presentation time with the one before."""
    places = np.flatnonzero(np.diff(pts) == 0) + 1
    return _spans(places, ["the same time as the frame before"] * min(len(places), _MOST_GAPS))


def find_disorder(pts: NDArray[np.int64], dts: NDArray[np.int64]) -> tuple[Span, ...]:
    """Return the packets, in decode order, whose decode time goes back or lies after their presentation time.

    Packets without a decode time are passed over.
    """
    known = np.flatnonzero(dts != NO_TIME)
    if not len(known):
        return ()
    steps = np.diff(dts[known], prepend=dts[known[:1]])
    back = known[steps < 0]
    late = known[(dts[known] > pts[known]) & (pts[known] != NO_TIME)]
    places = np.union1d(back, late)
    came_back = set(back[:_MOST_GAPS].tolist())
    details = [
        "decode time goes back" if place in came_back else "decoded after it should be shown"
        for place in places[:_MOST_GAPS].tolist()
    ]
    return _spans(places, details)
