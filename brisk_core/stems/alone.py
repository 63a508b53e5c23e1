"""One stem held against what the others leave of the mix, so that it is found again wherever it went.

Beside other sounds a stem of few tones fits at every period of them. With the others taken away, what is left is the
stem itself, and only its own place explains all of it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from itertools import groupby, zip_longest

import numpy as np

from brisk_core.frames import RATE
from brisk_core.stems.ways import BLOCK, FURTHEST, QUIET, WINDOW, Array, Sound, Way, on_channels

_PIECE, _EVERY = 4.0, 5.0  # seconds of the pieces that are placed one by one, and from one to the next
_MOST_PIECES, _LEAST_PIECES = 24, 3
_LOUDEST = 3  # windows by which a whole stem is placed
_EXPLAINED = 0.5  # share of what the others leave that a stem in its place explains
_AS_GOOD, _ROUNDING = 1.5, 1e-6  # what a nearer place may leave over the best one, and what rounding leaves
_QUIETEST = 0.05  # of the greatest energy around: a place with less is none to fit
_LEAST_SLIP = RATE // 2000  # samples
_LEAST_DRIFT, _ON_THE_LINE = 4, 1.5  # samples of a drift over the whole length, and of its pieces from a line
_LEAST_SHARE, _NEARLY_ALL = 0.2, 0.8  # that a stem explains at another speed, and all of them together
_MUCH_BETTER, _BETTER = 3.0, 1.5  # times as much explained at a speed as at others, and as at the own one nearby
_SPEEDS = tuple(Fraction(one) for one in ("25/24", "24/25", "1001/1000", "1000/1001", "1001/960", "960/1001",
                                          "160/147", "147/160"))  # fmt: skip
_FAMILIES = 0.002  # speeds nearer to each other are told apart by what they explain alone

Pair = tuple[Array, Array]  # a piece of a stem (channels, count), and what is left around it


@dataclass(frozen=True, slots=True)
class Fit:
    """Where a piece of a stem lies in what the others leave."""

    late: int  #: samples by which it comes later in its file than in the mix
    explained: float  #: share of what is left there, 0 to 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Motion:
    """How a stem moves against its mix."""

    slips_at: float | None  #: second from which it is elsewhere; ``None`` for a drift from beginning to end
    before: int  #: samples by which it is late before, or at the beginning
    after: int


@dataclass(frozen=True, slots=True)
class Alone:
    """A stem, or several as one, and what the others leave of the mix where they lie and as loud as they are there."""

    mix: Sound
    stems: Sequence[Sound]
    ways: Sequence[Way]
    gains: Sequence[float]
    numbers: Sequence[int]  #: of what is held, among the stems

    @property
    def duration(self) -> float:
        """Seconds."""
        return max(self.stems[number].track.duration for number in self.numbers)

    def own(self, start: float, length: float) -> Array:
        """The stem itself; samples (channels, count)."""
        channels = self.mix.track.channels
        read = [self.stems[number].read(start, length).astype(np.float64) for number in self.numbers]
        return np.asarray(sum(on_channels(one, channels) for one in read))

    def left(self, start: float, length: float) -> Array:
        """What the other stems leave of the mix."""
        rest = self.mix.read(start, length).astype(np.float64)
        for number, (stem, way, gain) in enumerate(zip(self.stems, self.ways, self.gains, strict=True)):
            if number not in self.numbers and gain:
                there = stem.read(start + way.shift / RATE, length).astype(np.float64)
                rest -= gain * on_channels(there, rest.shape[0])
        return rest

    def loudest(self, length: float, every: float, most: int) -> list[float]:
        """Starts in seconds of the loudest pieces of the stem, in the order of time."""
        ends = max(self.duration - length, 0.0)
        starts = np.arange(0.0, ends + 0.01, every).tolist()
        blocks = [sum(each) for each in zip_longest(*(self.ways[one].blocks for one in self.numbers), fillvalue=0.0)]
        powers = [blocks[int(start // BLOCK)] for start in starts if start // BLOCK < len(blocks)]
        kept = [at for at in np.argsort(powers)[::-1][:most].tolist() if powers[at] >= QUIET**2]
        return [starts[at] for at in sorted(kept)]

    def pairs(self, starts: Iterable[float], length: float) -> Iterator[Pair]:
        """Pieces of the stem, each with what is left ``FURTHEST`` around it."""
        for start in starts:
            yield self.own(start, length), self.left(start - FURTHEST, length + 2 * FURTHEST)


def closest(pairs: Iterable[Pair]) -> Fit:
    """Return where a stem explains most of what is left around it, by all pieces together.

    Of places that explain as much, as a sound that comes again has them, the one nearest to no delay counts.
    """
    margin = int(FURTHEST * RATE)
    cross, around_each, own_power = np.zeros(2 * margin + 1), np.zeros(2 * margin + 1), 0.0
    for own, around in pairs:
        count, size = own.shape[1], around.shape[1]  # of all lags that are asked for, none wraps round
        spectrum = np.conj(np.fft.rfft(own, size)) * np.fft.rfft(around, size)
        cross += np.fft.irfft(spectrum.sum(axis=0), size)[: 2 * margin + 1]
        sums = np.concatenate([[0.0], np.cumsum(np.square(around).sum(axis=0))])
        around_each += sums[count : count + 2 * margin + 1] - sums[: 2 * margin + 1]
        own_power += float(np.square(own).sum())
    if not own_power or not around_each.max():
        return Fit(0, 0.0)
    explained = np.square(cross) / (own_power * np.maximum(around_each, _QUIETEST * around_each.max()))
    best = float(explained.max())
    beside = np.maximum(np.roll(explained, 1), np.roll(explained, -1))
    peaks = np.flatnonzero((explained >= beside) & (1 - explained <= _AS_GOOD * (1 - best) + _ROUNDING))
    peaks = peaks if len(peaks) else np.array([explained.argmax()])
    nearest = int(peaks[np.abs(peaks - margin).argmin()])
    return Fit(margin - nearest, min(float(explained[nearest]), 1.0))


def settled(mix: Sound, stems: Sequence[Sound], ways: Sequence[Way], gains: Sequence[float]) -> list[Way]:
    """Place each stem anew, the loudest first, in what the others leave; one that explains little stays where it is."""
    found = list(ways)
    for number in sorted(range(len(stems)), key=lambda one: -ways[one].power):
        if ways[number].power < QUIET**2:
            continue
        alone = Alone(mix, stems, found, gains, [number])
        fit = closest(alone.pairs(alone.loudest(WINDOW, BLOCK, _LOUDEST), WINDOW))
        if fit.explained >= _EXPLAINED:
            found[number] = replace(found[number], shift=fit.late, sure=True)
    return found


def pace_of(alone: Alone, least: float = _LEAST_SHARE) -> tuple[Fraction | None, float]:
    """Return by which factor a stem runs faster than in the mix, of the factors that mistakes of rates make.

    ``None`` stands for the speed of the mix; the second value is the share that the stem explains at that speed.
    ``least`` is the share that it must explain at another.
    """
    own, starts = Fraction(1), alone.loudest(WINDOW, BLOCK, 2)
    explained = {own: _at_speed(alone, own, starts)}
    if explained[own] >= _EXPLAINED:
        return None, explained[own]
    explained |= {speed: _at_speed(alone, speed, starts) for speed in _SPEEDS}
    best = max(explained, key=lambda speed: explained[speed])
    others = [share for speed, share in explained.items() if abs(float(speed / best) - 1) > _FAMILIES]
    is_other = explained[best] > max(least, _MUCH_BETTER * max(others), _BETTER * explained[own])
    return best if is_other and best != own else None, explained[own]


def pace_of_all(mix: Sound, stems: Sequence[Sound], ways: Sequence[Way]) -> Fraction | None:
    """Return by which factor all stems together run faster than the mix, ``None`` where not each of them does."""
    gains, sounding = [0.0] * len(stems), [at for at, way in enumerate(ways) if way.power >= QUIET**2]
    if len(sounding) < 2:
        return None
    every = Alone(mix, stems, ways, gains, sounding)
    speed, _ = pace_of(every, _NEARLY_ALL)
    if speed is None:
        return None
    starts = every.loudest(WINDOW, BLOCK, _LOUDEST)
    whole = _at_speed(every, speed, starts)
    without = (Alone(mix, stems, ways, gains, [one for one in sounding if one != left_out]) for left_out in sounding)
    return speed if all(_at_speed(some, speed, starts) < whole for some in without) else None


def _at_speed(alone: Alone, speed: Fraction, starts: Sequence[float]) -> float:
    """Return the share that a stem explains where it runs faster than the mix."""
    ratio = float(speed)
    places = np.arange(int((WINDOW + 2 * FURTHEST) * RATE)) * ratio

    def pairs() -> Iterator[Pair]:
        for start in starts:
            around = alone.left((start - FURTHEST) * ratio, (WINDOW + 2 * FURTHEST) * ratio)
            whole = np.arange(around.shape[1])
            yield alone.own(start, WINDOW), np.stack([np.interp(places, whole, one) for one in around])

    return closest(pairs()).explained


def motion_of(alone: Alone) -> Motion | None:
    """Return how a stem moves against the mix, ``None`` where it does not, or neither slips nor drifts."""
    starts = alone.loudest(_PIECE, _EVERY, _MOST_PIECES)
    fits = [(start, closest(alone.pairs([start], _PIECE))) for start in starts]
    found = [(start, fit.late) for start, fit in fits if fit.explained >= _EXPLAINED]
    if len(found) < _LEAST_PIECES:
        return None
    times, lates = np.array(found).T
    slope, at_first = np.polyfit(times, lates, 1)
    whole = slope * alone.duration
    if abs(whole) >= _LEAST_DRIFT and np.abs(lates - at_first - slope * times).max() <= _ON_THE_LINE:
        return Motion(slips_at=None, before=round(at_first), after=round(at_first + whole))
    runs = [list(run) for _, run in groupby(found, key=lambda one: round(one[1] / _LEAST_SLIP))]
    if len(runs) != 2 or min(len(run) for run in runs) < 2:
        return None
    before, after = runs
    return Motion(slips_at=float(after[0][0]), before=before[0][1], after=after[0][1])
