"""Shots that run at another speed than in the master: the places that their frames show rise by another step.

Each frame of a shot in doubt is looked for around the places of its neighbours; a straight line through the places that
it finds is another speed where it fits clearly better than every line at the speed of the rest.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import replace
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from brisk_core.master.frame_map import FOREIGN, IN_PLACE, LEAST_NOISE, FrameMap, Seen, Stretch, distance

_FEWEST = 4  # frames of a shot whose speed can be told
_MOST = 40  # frames of a shot that are looked up, spread over it
_WINDOW = 4  # times its own length, before and after its neighbours, in which a shot is looked for
_WIDEST = 4000  # frames of the master that are looked through for one shot
_MOST_SHOTS = 60  # shots in doubt that are looked at
_DOUBT = 0.3  # share of frames out of place from which a shot is in doubt
_DRIFT = 2.0  # frames by which a shot must drift from the speed of the rest
_CLEARLY = 0.25  # of the misfit of free frames, by which the speed of the rest must fit worse
_BETTER = 0.25  # of what the speed of the rest fits worse, up to which another speed may
_INSIDE = 0.8  # share of the frames of a line that must lie in the master
_SLOWEST = 0.1  # times the speed of the rest; what moves less stands still
_FEW_PIECES = 3  # of a shot in a map without speeds, up to which they may explain it
_MOST_APART = 8.0  # times the misfit of free frames that one frame may weigh
_AS_GOOD = 1.2  # times the misfit of the best line, up to which a usual speed is as good
#: Speeds that shots are given on purpose.
_USUAL = [Fraction(*one) for one in ((1, 4), (1, 3), (1, 2), (2, 3), (3, 4), (4, 5), (5, 4), (4, 3), (3, 2), (2, 1))]
_USUAL += [Fraction(3), Fraction(4), Fraction(-1), Fraction(-1, 2), Fraction(-2)]


def find_sped(file: Seen, waves: NDArray[np.float32], found: FrameMap, cuts: Sequence[int]) -> list[Stretch]:
    """Return the shots of a file that run at another speed than the rest, in file order.

    ``waves`` are those of the master at the levels of the file, ``(frames, waves)`` in code values; ``cuts`` the first
    frames of the file's shots.
    """
    edges = [0, *(cut for cut in cuts if 0 < cut < len(file)), len(file)]
    shots = [(start, end) for start, end in itertools.pairwise(edges) if end - start >= _FEWEST]
    doubtful = [shot for shot in shots if _in_doubt(found, *shot)][:_MOST_SHOTS]
    if len(doubtful) == len(edges) - 1:
        return []  # nothing else tells the speed of the rest
    return [one for start, end in doubtful if (one := _sped(file, waves, found, start, end)) is not None]


def with_sped(found: FrameMap, sped: Sequence[Stretch]) -> FrameMap:
    """Return a map with some shots at their own speed, in place of whatever it says of their frames."""
    slope = float(found.slope)
    places, kinds = found.places.copy(), found.kinds.copy()
    single, shares = found.single.copy(), found.shares.copy()
    for one in sped:
        inside = slice(one.start, one.end)
        shown = one.places(np.arange(one.start, one.end), slope)
        places[inside], kinds[inside], shares[inside] = shown, IN_PLACE, 0
        single[inside] = np.where(np.abs(shown - np.rint(shown)) < 0.02, np.rint(shown), -1)
    rest = [one for one in found.stretches if not any(two.start <= one.start < two.end for two in sped)]
    stretches = tuple(sorted([*rest, *sped], key=lambda one: one.start))
    return replace(found, places=places, kinds=kinds, single=single, shares=shares, stretches=stretches)


def _in_doubt(found: FrameMap, start: int, end: int) -> bool:
    """Does a shot of the file break, or does what stands beside it, or shows it less than it should at its places?"""
    if np.mean(found.kinds[start:end] != IN_PLACE) > _DOUBT:
        return True
    edges = {edge for one in found.stretches for edge in (one.start, one.end)} - {0, len(found.kinds)}
    return any(start - 1 <= edge <= end + 1 for edge in edges)


def _sped(file: Seen, waves: NDArray[np.float32], found: FrameMap, start: int, end: int) -> Stretch | None:
    """One shot at another speed, ``None`` where it keeps time or tells nothing."""
    slope, length = float(found.slope), end - start
    first, last = _window(found, start, end, len(waves))
    numbers = np.unique(np.linspace(start, end - 1, min(length, _MOST)).round().astype(np.intp))
    apart = np.stack([distance(file.waves[one], waves[first:last]) for one in numbers])
    shot = _Shot(numbers - start, apart)
    even = min(shot.misfit(slope, float(at)) for at in range(-length, last - first))
    if (best := shot.line(slope)) is None:
        return None
    step, at = best
    misfit = shot.misfit(step, at)
    over, over_even = misfit - shot.free, even - shot.free
    if abs(step - slope) * length < _DRIFT or over_even < _CLEARLY * shot.free or over > _BETTER * over_even:
        return None
    # Frames lost or held in one place are told by the map itself, and as well as by a speed.
    mapped = _misfit_of(found, file, waves, numbers, _MOST_APART * shot.free) - shot.free
    pieces = sum(one.start < end and start < one.end for one in found.stretches)
    if pieces <= _FEW_PIECES and over > _BETTER * mapped:
        return None
    return Stretch(start=start, end=end, offset=first + at - step * start, speed=step / slope, certain=True)


def _misfit_of(
    found: FrameMap, file: Seen, waves: NDArray[np.float32], numbers: NDArray[np.intp], most: float
) -> float:
    """The mean misfit of some frames at the places of a map, wherever they lie; ``most`` for one that has none."""
    places = found.places[numbers]
    known = np.isfinite(places)
    at = np.clip(np.rint(places[known]).astype(np.intp), 0, len(waves) - 1)
    apart = np.full(len(numbers), most)
    apart[known] = np.minimum(distance(file.waves[numbers[known]], waves[at]), most)
    return float(apart.mean())


def _window(found: FrameMap, start: int, end: int, frames: int) -> tuple[int, int]:
    """The master frames among which a shot is looked for: around the places of what stands beside it."""
    known = np.flatnonzero((found.kinds != FOREIGN) & np.isfinite(found.places))
    before, after = known[known < start], known[known >= end]
    reach = _WINDOW * (end - start)
    beside = [float(found.places[one]) for one in (*before[-1:], *after[:1])] or [0.0, float(frames)]
    first, last = int(min(beside)) - reach, int(max(beside)) + reach + 1
    if last - first > _WIDEST:  # its neighbours stand far apart: what follows the previous one is the likely place
        first, last = int(beside[0]) - reach, int(beside[0]) + _WIDEST
    return max(first, 0), min(max(last, 1), frames)


class _Shot:
    """Frames of one shot, and how far each is from every frame of the master around it."""

    def __init__(self, numbers: NDArray[np.intp], apart: NDArray[np.float64]) -> None:
        self.numbers = numbers  #: from the shot's first frame
        self.apart = apart  #: a row a frame, a column a frame of the master, in code values
        self.shown = apart.argmin(axis=1).astype(np.float64)
        #: The misfit of frames that may each stand where they fit best.
        self.free = max(float(apart.min(axis=1).mean()), LEAST_NOISE)

    def misfit(self, step: float, at: float) -> float:
        """The mean misfit along a line, each frame at the nearer of the two that it lies between; infinite outside."""
        return self.misfit_at(np.asarray(step * self.numbers + at, np.float64))

    def misfit_at(self, places: NDArray[np.float64]) -> float:
        """The mean misfit at some places, one a frame; NaN for a frame that has none."""
        columns = self.apart.shape[1]
        known = np.nan_to_num(places, nan=-2.0)
        if np.count_nonzero((known > -1) & (known < columns)) < _INSIDE * len(known):
            return float("inf")
        nearest = np.rint(known)
        whole = np.abs(known - nearest) < 0.02
        low = np.where(whole, nearest, np.floor(known)).astype(np.intp)
        high = np.where(whole, nearest, np.floor(known) + 1).astype(np.intp)
        rows = np.arange(len(known))
        one, other = (self.apart[rows, np.clip(place, 0, columns - 1)] for place in (low, high))
        return float(np.minimum(np.minimum(one, other), _MOST_APART * self.free).mean())

    def line(self, slope: float) -> tuple[float, float] | None:
        """Step and begin of the line that fits the frames best; a usual speed where it fits as well as any.

        Every line through the places of two frames that lie well apart is tried.
        """
        pairs = [
            (one, other)
            for one, other in itertools.combinations(range(len(self.numbers)), 2)
            if self.numbers[other] - self.numbers[one] >= self.numbers[-1] / 3
        ]
        candidates = set()
        for one, other in pairs:
            step = float((self.shown[other] - self.shown[one]) / (self.numbers[other] - self.numbers[one]))
            if abs(step) > _SLOWEST * slope:
                candidates.add((step, float(self.shown[one] - step * self.numbers[one])))
        if not candidates:
            return None
        step, at = min(candidates, key=lambda one: self.misfit(*one))
        middle = float(self.numbers[-1]) / 2
        usual = [
            (speed * slope, float(begin))
            for speed in map(float, _USUAL)
            for begin in np.rint(at + (step - speed * slope) * middle) + np.arange(-2, 3)
        ]
        best = min(usual, key=lambda one: self.misfit(*one))
        return best if self.misfit(*best) <= _AS_GOOD * self.misfit(step, at) else (step, at)
