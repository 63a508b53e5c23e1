"""Presentation times: the exact rate, whether it is constant, where steps are missing."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from brisk_core.exact import STANDARD_RATES, spell_seconds
from brisk_core.facts import Span
from brisk_core.packets.series import NO_TIME

#: A step longer than this many frame periods is a gap; between 1 and this a variable frame rate is at work.
GAP_PERIODS = Fraction(3, 2)
_MOST_GAPS = 1000  # kept; the count beyond is named in the last one's detail
#: A rate is only tried when the mean lies this near, which spares the search among far ones.
_NEAR = Fraction(1, 50)
_COARSEST = Fraction(1, 500)  # seconds; times are rounded to milliseconds at most
_FEW = 0.05  # of all steps that may differ while the others tell the rate
_FILM = (Fraction(24000, 1001), Fraction(24))
_FIELDS_OF_TWO = 5  # fields that two frames of film take
_AROUND = 4  # steps to either side that say what is usual where the rate varies


@dataclass(frozen=True, slots=True, kw_only=True)
class RateFit:
    """The rate that presentation times show."""

    rate: Fraction  #: frames a second: a standard one that fits every time, or all but a few, else the mean
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
    to either side of a grid is a spread of at most one tick; times that were rounded to a coarser clock before, such
    as milliseconds on a clock of 90 kHz, are held against that one. Among several rates that fit, as happens with few
    frames on a coarse clock, the one nearest to the mean is taken. Where a few steps are longer or shorter than all
    others, the others tell the rate.
    """
    if len(pts) < 2 or pts[-1] == pts[0]:
        return None
    steps = np.diff(pts)
    smallest, largest = int(steps.min()), int(steps.max())
    mean = (len(pts) - 1) / ((int(pts[-1]) - int(pts[0])) * time_base)
    tick = _rounding(steps, time_base)
    fitting = _fitting(pts, mean, time_base, tick)
    alike = _but_for_a_few(steps, tick)
    if not fitting and alike is not None:
        even = pts[0] + np.concatenate(([0], np.cumsum(steps[alike])))
        mean_of_alike = len(steps[alike]) / (int(even[-1] - even[0]) * time_base)
        fitting = _fitting(even, mean_of_alike, time_base, tick * (1 + len(steps) - int(alike.sum())))
    rate = fitting[0] if fitting else mean
    period = 1 / (rate * time_base)
    constant = abs(period - smallest) <= tick and abs(period - largest) <= tick
    return RateFit(
        rate=rate,
        mean_step=Fraction(int(pts[-1]) - int(pts[0]), len(pts) - 1),
        standard=bool(fitting),
        constant=constant,
        smallest_step=smallest,
        largest_step=largest,
    )


def fit_pulldown(pts: NDArray[np.int64], time_base: Fraction) -> RateFit | None:
    """Return the rate of film whose frames are shown for two and three fields in turn, ``None`` for other times.

    Streams that ask for it by their repeat flags (ISO/IEC 13818-2, 6.3.10) may carry such times, or even ones.
    """
    steps = np.diff(pts)
    for rate in _FILM:
        field = 2 / (5 * rate * time_base)
        fields = np.rint(steps / float(field))
        turns = len(steps) > 1 and bool((fields[1:] + fields[:-1] == _FIELDS_OF_TWO).all())
        if turns and _spread(pts[::2], rate / 2, time_base) <= 1:
            return RateFit(
                rate=rate,
                mean_step=Fraction(int(pts[-1]) - int(pts[0]), len(steps)),
                standard=True,
                constant=True,
                smallest_step=int(steps.min()),
                largest_step=int(steps.max()),
            )
    return None


def _rounding(steps: NDArray[np.int64], time_base: Fraction) -> int:
    """Return the ticks of the clock that the times were rounded to: 1, or those of a coarser one that they all keep."""
    coarser = int(np.gcd.reduce(steps))
    return coarser if len(np.unique(steps)) > 1 and coarser * time_base <= _COARSEST else 1


def _fitting(pts: NDArray[np.int64], mean: Fraction, time_base: Fraction, tolerance: int) -> list[Fraction]:
    """Return the standard rates near a mean whose grid the times keep to, the best one first."""
    near = [rate for rate in STANDARD_RATES if abs(rate - mean) <= rate * _NEAR]
    spreads = {rate: _spread(pts, rate, time_base) for rate in near}
    fitting = [rate for rate in near if spreads[rate] <= tolerance]
    return sorted(fitting, key=lambda rate: (spreads[rate], abs(rate - mean)))


def _but_for_a_few(steps: NDArray[np.int64], tick: int) -> NDArray[np.bool_] | None:
    """Return which steps are like most, ``None`` where those that are not are more than a few."""
    alike = np.abs(steps - np.median(steps)) <= tick
    others = len(steps) - int(alike.sum())
    return alike if 0 < others <= len(steps) * _FEW else None


def find_gaps(pts: NDArray[np.int64], rate: Fraction, time_base: Fraction) -> tuple[Span, ...]:
    """Return the frames after which the next one comes late: steps of more than ``GAP_PERIODS`` frame periods.

    Where the rate varies, a step is late only beside the steps around it: a slower stretch is no row of gaps.
    """
    limit = GAP_PERIODS / (rate * time_base)
    steps = np.diff(pts)
    late = np.flatnonzero(steps > float(limit))
    if len(late):
        padded = np.pad(steps, _AROUND, mode="reflect" if len(steps) > _AROUND else "edge")
        usual = np.median(sliding_window_view(padded, 2 * _AROUND + 1)[late], axis=1)
        late = late[steps[late] > float(GAP_PERIODS) * usual]
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
