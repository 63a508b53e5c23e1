"""Do captions belong where they stand? Their starts held against onsets of the sound and cuts of the picture.

Speech begins when captions do, and good captions change with the shot. The starts are laid on both at every
offset and at the rates that are mixed up; a place that fits far better than all others, by its distance in standard
deviations from what chance gives, is where they belong.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from brisk_core.scan.series import CUT, ScanSeries

GRID = 20  #: places a second at which offsets are tried
FURTHEST = 120.0  #: seconds of offset that are tried
_LEAST_CAPTIONS = 8  # fewer say nothing
_SURE = 7.0  # standard deviations; the best of 80,000 places by chance reaches 4.5
_BEST = 0.8  # what any other place may reach of the best one
_ONSET = 6.0  # dB above all of the 0.4 s before
_FLOOR = -60.0  # dBFS below which sound counts as silence
_NEAR = 0.15  # seconds; a bump this wide (standard deviation) stands at each onset and cut
_ASIDE = 1.5  # seconds around the best place that belong to it

#: Rates that a copy of the programme may have had when its captions were timed.
_RATES = (Fraction(24000, 1001), Fraction(24), Fraction(25), Fraction(30000, 1001), Fraction(30))
_AS_GOOD = 0.9  # what the times as they are must reach of another rate's best, to be preferred


@dataclass(frozen=True, slots=True)
class Evidence:
    """What of the programme tells where captions belong."""

    onsets: NDArray[np.float64]  #: seconds at which sound begins
    cuts: NDArray[np.float64]  #: seconds at which shots begin
    duration: float  #: seconds


@dataclass(frozen=True, slots=True)
class Fit:
    """Where captions fit best."""

    timed_at: Fraction  #: frames a second of the copy that they were timed for
    offset: float  #: seconds to add after bringing them to the programme's rate
    strength: float  #: standard deviations above chance


def evidence_of(scan: ScanSeries, rate: Fraction) -> Evidence:
    """Return onsets of all sound tracks together and the cuts of the picture."""
    cuts = np.flatnonzero(scan.pictures["marks"] & CUT) / float(rate)
    onsets: list[NDArray[np.float64]] = []
    for track, start in zip(scan.sounds, scan.starts, strict=True):
        level = np.maximum(np.nan_to_num(track["level"].astype(np.float64), nan=_FLOOR, neginf=_FLOOR), _FLOOR)
        onsets.append(_onsets(level) / 10 + start)
    joined = np.unique(np.concatenate(onsets)) if onsets else np.zeros(0)
    return Evidence(onsets=joined, cuts=cuts, duration=len(scan.pictures) / float(rate))


def _onsets(level: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the rows, ten a second, at which sound begins after 0.4 s of less: a sentence, not its syllables."""
    if len(level) < 6:
        return np.zeros(0)
    before = np.maximum.reduce([np.roll(level, lag) for lag in (1, 2, 3, 4)])
    rises = np.maximum(level, np.roll(level, -1)) - before >= _ONSET
    rises[:4] = rises[-1] = False
    return np.flatnonzero(rises & ~np.roll(rises, 1)).astype(np.float64)


def timed_like(rate: Fraction) -> Fraction:
    """Return the rate that a programme is captioned at: 50 pictures a second are timed like 25."""
    return rate / 2 if rate > 30 else rate


def fit(starts: Sequence[float], evidence: Evidence, rate: Fraction) -> Fit | None:
    """Return where captions fit in a programme of ``rate``, ``None`` where neither sound nor cuts tell."""
    if len(starts) < _LEAST_CAPTIONS:
        return None
    bumps = [_bumps(places, evidence.duration) for places in (evidence.onsets, evidence.cuts)]
    channels = [one for one in bumps if one is not None]
    if not channels:
        return None
    times, reach = np.asarray(starts, np.float64), int(FURTHEST * GRID)
    shown = timed_like(rate)
    scored = {}
    for timed_at in (shown, *(one for one in _RATES if one != shown)):
        scaled = times * float(timed_at / shown)
        scored[timed_at] = sum(_scores(scaled, channel, reach) for channel in channels) / np.sqrt(len(channels))
    timed_at = max(scored, key=lambda one: float(scored[one].max()))
    if scored[shown].max() >= _AS_GOOD * scored[timed_at].max():
        timed_at = shown
    scores = scored[timed_at]
    at, aside = int(scores.argmax()), int(_ASIDE * GRID)
    strength = float(scores[at])
    elsewhere = np.delete(scores, np.arange(max(at - aside, 0), min(at + aside + 1, len(scores))))
    if strength < _SURE or float(elsewhere.max()) > _BEST * strength:
        return None
    return Fit(timed_at=timed_at, offset=(at - reach) / GRID, strength=strength)


def _bumps(places: NDArray[np.float64], duration: float) -> NDArray[np.float64] | None:
    """Return a series with a bump at each place, of mean 0 and deviation 1; ``None`` for too few to tell."""
    if len(places) < _LEAST_CAPTIONS:
        return None
    count = int(duration * GRID) + 1
    found = np.zeros(count)
    width = int(4 * _NEAR * GRID)
    for step in range(-width, width + 1):
        at = np.round(places * GRID).astype(int) + step
        inside = (at >= 0) & (at < count)
        height = np.exp(-0.5 * ((at[inside] / GRID - places[inside]) / _NEAR) ** 2)
        np.maximum.at(found, at[inside], height)
    deviation = found.std()
    return (found - found.mean()) / deviation if deviation > 1e-6 else None


def _scores(times: NDArray[np.float64], channel: NDArray[np.float64], reach: int) -> NDArray[np.float64]:
    """Return the sum of a series over all starts at every offset, in standard deviations of what chance gives."""
    at = np.round(times * GRID).astype(int)
    span = len(channel) + 2 * reach
    train = np.zeros(span)
    inside = (at > -reach) & (at < len(channel) + reach)
    np.add.at(train, at[inside] + reach, 1.0)
    size = 1 << (2 * span).bit_length()
    # scores[reach + d] = sum over starts of channel[start + d]
    product = np.fft.irfft(np.conj(np.fft.rfft(train, size)) * np.fft.rfft(channel, size), size)
    lags = np.arange(-reach, reach + 1)
    deviation = np.sqrt(max((train**2).sum(), 1.0))
    return np.asarray(product[(lags - reach) % size] / deviation)
