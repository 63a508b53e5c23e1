"""How a spectrum folds: the share of samples that an enlarged picture really has.

Enlarging by r copies the spectrum of the smaller picture to every multiple of 1/r cycles a sample, and no kernel takes
the copies away wholly. So what is left at a frequency a stands in a fixed relation to what is at 1/r - a, and in no
other picture are two frequencies bound to each other (spectral correlation of cyclostationary signals: Gardner 1991,
"Exploitation of spectral redundancy in cyclostationary signals"). Blocks of a coder bind frequencies as well, all that
lie an eighth of the sampling frequency apart: there, a fold has to stand out over the other eighths.

What a coder of few bits leaves is too little in one picture. The grid of the smaller picture stands at one place, so
its folds have one phase in all pictures and add up, while those of chance cancel out (``FoldTotal``).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.picture import Plane

_LENGTH = 240  # samples of a stretch: most factors between standard sizes fold at a whole bin of it
_LINES = 128  # that are looked at
_LEAST_STRETCHES = 96
_HALF = _LENGTH // 2
_LOWEST, _TOP = 8, _HALF - 1  # bins that take part
_NEAREST, _FURTHEST = 6, 46  # bins between two frequencies of a fold
_FEWEST_PAIRS = 4
_QUIET = 3.0  # 8-bit steps added to the fine detail of a stretch, by which it is evened out
_FINE = 30  # bin from which detail is fine
_SMALLEST, _LARGEST = 40, 231  # sums of bins: enlarged by 6 and by 1.04
_EIGHTH, _SIXTEENTH, _OFF = 30, 15, 3  # bins of a coder's blocks, and to keep off
_BOTH, _ONE = 10.0, 60.0  # heights over the usual of a fold in both directions, and of one in one direction only
_ONE_SMALLEST = 80  # sum of bins of a fold in one direction only: patterns of few samples repeat as well
_TWICE, _TWICE_HEIGHT, _TWICE_ONE = 1.7, 20.0, 4.0  # over the eighths beside it
_FOURFOLD, _FOURFOLD_HEIGHT = 2.5, 20.0
_OF_BLOCKS = 0.3  # of the sum that coders of few bits leave of their blocks, which hides nothing higher
_LINE_AROUND, _LINE_OVER = 8, 8.0  # bins on either side, and times their middle power, over which one is a line
_LINES_SHARE = 0.8  # of the power above the lowest bins that lies in lines: a drawn pattern, which tells nothing
_STANDING = 0.75  # share of the power of a frequency that has one phase in all lines
_STANDING_MANY, _STANDING_BINS = 0.5, 0.1  # the same of more than so many frequencies: a pattern
_OF_MIDDLE = 4.0  # times the middle one of the pairs of a sum, to which their mean is cut
_OUTSTANDS = 3.0  # times the usual, to which what binds two bins is cut: one line of a pattern shall not be a fold
_BLOCK = 24  # pictures that are kept together
_FEWEST_TOGETHER = 3  # pictures looked at
_TOGETHER_BOTH, _TOGETHER_ONE = 20.0, 60.0  # heights of the fold of pictures together, in both directions and in one
_BOTH_EACH, _ONE_EACH = 1.5, 6.0  # the same for each picture that was looked at
_KNOWN, _KNOWN_EACH = 10.0, 0.75  # the same where something else tells of a fold
_TOGETHER_HALF, _OVER_BESIDE, _OVER_FIFTH, _OVER_FIRST = 60.0, 6.0, 0.5, 3.0  # of a fold at the half, over the eighths
_TOGETHER_LARGEST = 0.89  # share of samples; beyond it there are too few pairs of bins


@dataclass(frozen=True, slots=True)
class Fold:
    """The fold of a picture."""

    across: float = 0.0  #: samples of the smaller picture for each of a line; 0 where none is seen
    down: float = 0.0  #: the same of lines
    height: float = 0.0  #: over the usual, of the lower of both, or of the one


Heights = NDArray[np.float32]  # by the sum of two bins: how much such frequencies are bound, over the usual
Bound = NDArray[np.complex64]  # the same with its phase, from which it can be added up; chance has the power 1


@dataclass(frozen=True, slots=True)
class Folding:
    """How the frequencies of one picture are bound, across and down."""

    heights: tuple[Heights, Heights]
    bound: Bound  #: (2, sums)


def folding_of(luma: Plane, bits: int, corner: tuple[int, int] = (0, 0)) -> Folding | None:
    """Return how a picture of so many bits a sample folds; small pictures do not tell.

    ``corner`` is the place of its first sample in the whole picture, by which phases are told.
    """
    height, width = luma.shape
    across = _bindings(luma[:: _odd(height // _LINES)], bits, corner[0])
    down = _bindings(luma[:, :: _odd(width // _LINES)].T, bits, corner[1])
    if across is None or down is None:
        return None
    return Folding((across[0], down[0]), np.stack([across[1], down[1]]))


def _odd(step: int) -> int:
    """Return the step from one line to the next: an odd one, as sensors have a chequered pattern of colours."""
    return max(1, step | 1)


def find_fold(across: Heights, down: Heights) -> Fold:
    """Return the fold of a picture."""
    both = np.minimum(across, down)
    at = _of_both(both)
    if at:
        return Fold(at / _LENGTH, at / _LENGTH, float(both[at]))
    one, other = _of_one(across), _of_one(down)
    found = [float(heights[at]) for heights, at in ((across, one), (down, other)) if at]
    return Fold(one / _LENGTH, other / _LENGTH, min(found, default=0.0))


def _bindings(lines: Plane, bits: int, first_sample: int) -> tuple[Heights, Bound] | None:
    """Return how much frequencies are bound whose bins have each sum, over what is usual in this picture."""
    count = lines.shape[1] // _LENGTH
    cut = np.asarray(lines[:, : count * _LENGTH], np.float32).reshape(-1, _LENGTH) / np.float32(1 << (bits - 8))
    if len(cut) < _LEAST_STRETCHES:
        return None
    nothing = np.zeros(_LENGTH + 1, np.float32), np.zeros(_LENGTH + 1, np.complex64)
    if repeats(lines):
        return nothing
    window = np.hanning(_LENGTH).astype(np.float32)
    seen = np.fft.rfft((cut - cut.mean(axis=1, keepdims=True)) * window, axis=1).astype(np.complex64)
    if _is_pattern((np.abs(seen) ** 2).mean(axis=0)):
        return nothing
    seen /= np.sqrt((np.abs(seen[:, _FINE:]) ** 2).mean(axis=1, keepdims=True)) + np.float32(_QUIET)
    seen /= np.sqrt((np.abs(seen) ** 2).mean(axis=0)) + np.float32(1e-9)
    standing = np.abs(seen.mean(axis=0)) ** 2  # the share of each frequency that has one phase in all lines
    if float(np.quantile(standing[_LOWEST:_HALF], 1 - _STANDING_BINS)) > _STANDING_MANY:
        return nothing  # much of it stands at one place in all lines, such as bricks do
    steady = np.convolve(np.concatenate([standing, standing[-2::-1]]) > _STANDING, np.ones(3), "same") > 0
    first, second, sums, pairs = _pairs()
    bound = (seen.T @ seen / len(seen))[first, second]
    powers = np.abs(bound) ** 2
    chance = 1 / len(seen)  # that frequencies which have nothing to do with each other seem bound
    usual = max(float(np.median(powers)) / _MEDIAN, chance)
    bound *= np.minimum(1, _OUTSTANDS * np.sqrt(usual / np.maximum(powers, 1e-12)))
    # A fold of the sum s has the phase of the grid at the first sample, which turns by s / _LENGTH a sample.
    turned = np.exp(-2j * np.pi * np.arange(_LENGTH + 1) * first_sample / _LENGTH)
    together = np.bincount(sums, bound.real, _LENGTH + 1) + 1j * np.bincount(sums, bound.imag, _LENGTH + 1)
    together *= turned / np.sqrt(np.maximum(pairs, 1))
    together /= np.sqrt(max(float(np.median(np.abs(together[_free()]) ** 2)) / _MEDIAN, chance))
    together[steady] = 0
    return _heights(powers, steady, chance), together.astype(np.complex64)


def _heights(powers: NDArray[np.float32], steady: NDArray[np.bool_], chance: float) -> Heights:
    """Return the mean of the powers of each sum, over what is usual, where many pairs have a part in it."""
    _, _, sums, pairs = _pairs()
    heights = np.bincount(sums, powers, _LENGTH + 1).astype(np.float32)
    heights /= np.maximum(pairs, 1)
    sums_there, middles = _middles()
    ranked = powers[np.lexsort((powers, sums))]
    middle = np.zeros(_LENGTH + 1, np.float32)
    middle[sums_there] = ranked[middles]
    heights = np.asarray(np.minimum(heights, _OF_MIDDLE * middle), np.float32)
    heights[steady] = 0
    heights /= max(float(np.median(heights[_free()])), chance)
    return heights


def repeats(lines: Plane) -> bool:
    """Does what is drawn come again and again along lines, such as tiles and stripes? It has few frequencies, whatever
    was done to it, and their sums fall on one another as those of a fold do.
    """
    chosen = np.asarray(lines[::_EVERY], np.float32)
    bends = np.diff(chosen, 2, axis=1)
    width = bends.shape[1]
    power = (np.abs(np.fft.rfft(bends, 2 * width, axis=1)) ** 2).sum(axis=0)
    alike = np.fft.irfft(power)[: 3 * width // 4]
    if alike[0] <= 0:
        return False
    alike *= width / (alike[0] * (width - np.arange(len(alike))))
    return bool(alike[_SHORTEST:].max(initial=0.0) >= _REPEATS)


def _is_pattern(power: NDArray[np.float32]) -> bool:
    """Does the power of a picture stand at a few frequencies?"""
    around = np.lib.stride_tricks.sliding_window_view(power[_LOWEST - _LINE_AROUND :], 2 * _LINE_AROUND + 1)
    lines = power[_LOWEST : _LOWEST + len(around)]
    usual = np.minimum(lines, _LINE_OVER * np.median(around, axis=1))
    return bool(usual.sum() < (1 - _LINES_SHARE) * lines.sum())


_EVERY = 4  # of the lines, which tell whether something repeats
_SHORTEST, _REPEATS = 20, 0.6  # samples after which it comes again, and how alike it must be
_MEDIAN = float(np.log(2))  # of the power of chance whose mean is 1


@lru_cache(maxsize=1)
def _pairs() -> tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.intp], NDArray[np.intp]]:
    """Return the bins of all pairs that take part, their sums, and how many pairs each sum has."""
    first, second = np.nonzero(np.ones((_HALF + 1, _HALF + 1), np.bool_))
    apart = second - first
    near = (apart >= _NEAREST) & (apart < _FURTHEST) & (first >= _LOWEST) & (second <= _TOP)
    first, second = first[near], second[near]
    sums = first + second
    pairs = np.bincount(sums, minlength=_LENGTH + 1)
    enough = pairs[sums] >= _FEWEST_PAIRS
    return first[enough], second[enough], sums[enough], np.where(pairs >= _FEWEST_PAIRS, pairs, 0)


@dataclass(frozen=True, slots=True)
class Together:
    """What pictures show of folds together."""

    across: Heights
    down: Heights
    looked: int  #: pictures

    def least(self, height: float, each: float) -> float:
        """Return a height from which a fold counts, that grows with the pictures: what is enlarged in a small part of
        them, such as a caption, shall not speak for them however long it stands.
        """
        return max(height, each * self.looked)

    @property
    def known(self) -> float:
        """Height that is enough at a place where something else tells of a fold."""
        return self.least(_KNOWN, _KNOWN_EACH)

    def find(self) -> Fold:
        """Return the fold that stands out. One direction alone tells nothing where blocks of coders are."""
        both = np.minimum(self.across, self.down)
        if at := _peak(both, self.least(_TOGETHER_BOTH, _BOTH_EACH)) or self._half(both):
            return Fold(at / _LENGTH, at / _LENGTH, float(both[at]))
        least = self.least(_TOGETHER_ONE, _ONE_EACH)
        one, other = (_peak(heights, least, _ONE_SMALLEST) for heights in (self.across, self.down))
        # Where one direction tells for sure, less is asked of the other at the same place.
        if one and not other and height_near(self.down, one / _LENGTH) >= self.known:
            other = one
        if other and not one and height_near(self.across, other / _LENGTH) >= self.known:
            one = other
        found = [height_near(of, at / _LENGTH) for of, at in ((self.across, one), (self.down, other)) if at]
        return Fold(one / _LENGTH, other / _LENGTH, min(found, default=0.0))

    def _half(self, heights: Heights) -> int:
        """Return the sum of pictures enlarged by 2, or by 4/3 (which fold at the half and both quarters), from the
        lower height of both directions; 0 where they were not.
        """
        first, second, third, half, fifth, sixth = (float(heights[place * _EIGHTH]) for place in range(1, 7))
        beside = max(_OVER_BESIDE * first, _OVER_BESIDE * third, _OVER_FIFTH * fifth)
        if half < max(self.least(_TOGETHER_HALF, _ONE_EACH), beside):
            return 0
        if second >= max(self.known, _OVER_FIRST * first, _OVER_FIRST * third):
            return 6 * _EIGHTH if sixth >= _OVER_FIFTH * half else 0
        return 4 * _EIGHTH if half > sixth else 0


class FoldTotal:
    """What the pictures of a scan show of folds together: sums over blocks of pictures, by picture size."""

    def __init__(self) -> None:
        self._blocks: dict[tuple[int, int], dict[int, Bound]] = {}
        self._looked: dict[tuple[int, int], dict[int, int]] = {}

    def take(self, folding: Folding, number: int, size: tuple[int, int]) -> None:
        """Add picture ``number`` of a size."""
        self._add(folding.bound, number // _BLOCK, size, 1)

    def _add(self, bound: Bound, block: int, size: tuple[int, int], looked: int) -> None:
        blocks, counts = self._blocks.setdefault(size, {}), self._looked.setdefault(size, {})
        blocks[block] = blocks[block] + bound if block in blocks else bound
        counts[block] = counts.get(block, 0) + looked

    def join(self, later: FoldTotal) -> None:
        """Add the segment that follows."""
        for size, blocks in later._blocks.items():
            for block, bound in blocks.items():
                self._add(bound, block, size, later._looked[size][block])

    def together(self, size: tuple[int, int], start: int = 0, end: int | None = None) -> Together | None:
        """Return what the pictures of a size from ``start`` to ``end`` (not included) show, or to the last one.

        Blocks count that lie there whole. ``None`` where too few of their pictures were looked at.
        """
        blocks = self._blocks.get(size, {})
        last = max(blocks, default=-1) + 1 if end is None else end // _BLOCK
        inside = [at for at in range(-(-start // _BLOCK), last) if at in blocks]
        looked = sum(self._looked[size][at] for at in inside)
        if looked < _FEWEST_TOGETHER:
            return None
        power = np.abs(sum(blocks[at] for at in inside)) ** 2
        usual = np.median(power[:, _free()], axis=1, keepdims=True) / _MEDIAN
        across, down = (power / np.maximum(usual, looked)).astype(np.float32)
        return Together(across, down, looked)

    def to_arrays(self) -> dict[str, NDArray[Any]]:
        """Return everything that ``from_arrays`` needs, as arrays by name."""
        return {
            f"folds{part}_{width}_{height}": array
            for (width, height), blocks in self._blocks.items()
            for part, array in (
                ("", np.stack(list(blocks.values()))),
                ("at", np.array([(at, self._looked[width, height][at]) for at in blocks], np.int64)),
            )
        }

    def from_arrays(self, arrays: Mapping[str, NDArray[Any]]) -> None:
        """Take over what ``to_arrays`` gave."""
        for name in arrays:
            if name.startswith("foldsat_"):
                width, height = (int(number) for number in name.split("_")[1:])
                for (block, looked), bound in zip(
                    arrays[name].tolist(), arrays[f"folds_{width}_{height}"], strict=True
                ):
                    self._add(bound, block, (width, height), looked)


def height_near(heights: Heights, share: float) -> float:
    """Return the height of a fold at a share of samples, or beside it."""
    at = round(share * _LENGTH)
    return float(heights[max(at - 1, 0) : at + 2].max())


def shares_that_fold_at(share: float) -> tuple[float, ...]:
    """Return the shares of samples of pictures that fold at this one as well: all multiples of their own, from either
    end.
    """
    return tuple(one for one in (share, 1 - share, (1 + share) / 2, 1 - share / 2) if one <= _TOGETHER_LARGEST)


def _peak(heights: Heights, least: float, smallest: int = _SMALLEST) -> int:
    """Return the sum at which heights stand out, 0 where they do not."""
    free = _free()
    free = free[(free >= smallest) & (free <= _TOGETHER_LARGEST * _LENGTH)]
    at = int(free[heights[free].argmax()])
    return at if heights[at] >= least else 0


@lru_cache(maxsize=1)
def _middles() -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Return the sums of bins that there are, and where the middle pair of each stands when pairs are ranked by sum and
    then by power.
    """
    there, counts = np.unique(_pairs()[2], return_counts=True)
    return there, np.cumsum(counts) - counts + counts // 2


@lru_cache(maxsize=1)
def _free() -> NDArray[np.intp]:
    """Return the sums that blocks do not touch."""
    sums = np.arange(_SMALLEST, _LARGEST)
    off = sums % _SIXTEENTH
    return sums[np.minimum(off, _SIXTEENTH - off) >= _OFF]


def _of_both(heights: Heights) -> int:
    """Return the sum at which both directions fold, from the lower height of both; 0 where they do not."""
    free = _free()
    at = int(free[heights[free].argmax()])
    if heights[at] >= _BOTH and heights[at] >= heights[2 * _EIGHTH] / 4:
        return at
    first, second, third, half, fifth, sixth = (float(heights[place * _EIGHTH]) for place in range(1, 7))
    if half >= max(_TWICE_HEIGHT, _TWICE * third, _TWICE * fifth, second, _OF_BLOCKS * sixth):
        return 4 * _EIGHTH
    return 2 * _EIGHTH if second >= max(_FOURFOLD_HEIGHT, _FOURFOLD * first, _FOURFOLD * third) else 0


def _of_one(heights: Heights) -> int:
    """Return the sum at which one direction folds for itself; 0 where it does not."""
    free = _free()
    free = free[free >= _ONE_SMALLEST]
    at = int(free[heights[free].argmax()])
    if heights[at] >= _ONE:
        return at
    half, beside = float(heights[4 * _EIGHTH]), max(float(heights[place * _EIGHTH]) for place in (2, 3, 5, 6))
    return 4 * _EIGHTH if half >= max(_ONE, _TWICE_ONE * beside) else 0
