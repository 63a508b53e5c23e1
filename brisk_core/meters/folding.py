"""How a spectrum folds: the share of samples that an enlarged picture really has.

Enlarging by r copies the spectrum of the smaller picture to every multiple of 1/r cycles a sample, and no kernel takes
the copies away wholly. So what is left at a frequency a stands in a fixed relation to what is at 1/r - a, and in no
other picture are two frequencies bound to each other (spectral correlation of cyclostationary signals: Gardner 1991,
"Exploitation of spectral redundancy in cyclostationary signals"). Blocks of a coder bind frequencies as well, all that
lie an eighth of the sampling frequency apart: there, a fold has to stand out over the other eighths.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

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


@dataclass(frozen=True, slots=True)
class Fold:
    """The fold of a picture."""

    across: float = 0.0  #: samples of the smaller picture for each of a line; 0 where none is seen
    down: float = 0.0  #: the same of lines
    height: float = 0.0  #: over the usual, of the lower of both, or of the one


Heights = NDArray[np.float32]  # by the sum of two bins: how much such frequencies are bound, over the usual


def heights_of(luma: Plane, bits: int) -> tuple[Heights, Heights] | None:
    """Return the heights across and down of a picture of so many bits a sample; small pictures have none."""
    height, width = luma.shape
    across = _heights(luma[:: max(1, height // _LINES)], bits)
    down = _heights(luma[:, :: max(1, width // _LINES)].T, bits)
    return None if across is None or down is None else (across, down)


def find_fold(across: Heights, down: Heights) -> Fold:
    """Return the fold of a picture."""
    both = np.minimum(across, down)
    at = _of_both(both)
    if at:
        return Fold(at / _LENGTH, at / _LENGTH, float(both[at]))
    one, other = _of_one(across), _of_one(down)
    found = [float(heights[at]) for heights, at in ((across, one), (down, other)) if at]
    return Fold(one / _LENGTH, other / _LENGTH, min(found, default=0.0))


def folds_at(heights: tuple[Heights, Heights], share: float) -> float:
    """Return the height of a fold that is looked for, in the direction that shows more: at this share, or beside it."""
    at = round(share * _LENGTH)
    return float(np.maximum(*heights)[max(at - 1, 0) : at + 2].max())


def _heights(lines: Plane, bits: int) -> Heights | None:
    """Return how much frequencies are bound whose bins have each sum, over what is usual in this picture."""
    count = lines.shape[1] // _LENGTH
    cut = np.asarray(lines[:, : count * _LENGTH], np.float32).reshape(-1, _LENGTH) / np.float32(1 << (bits - 8))
    if len(cut) < _LEAST_STRETCHES:
        return None
    window = np.hanning(_LENGTH).astype(np.float32)
    seen = np.fft.rfft((cut - cut.mean(axis=1, keepdims=True)) * window, axis=1).astype(np.complex64)
    seen /= np.sqrt((np.abs(seen[:, _FINE:]) ** 2).mean(axis=1, keepdims=True)) + np.float32(_QUIET)
    seen /= np.sqrt((np.abs(seen) ** 2).mean(axis=0)) + np.float32(1e-9)
    bound = np.abs(seen.T @ seen / len(seen)) ** 2
    first, second, sums, pairs = _pairs()
    heights = np.bincount(sums, bound[first, second], _LENGTH + 1).astype(np.float32)
    heights /= np.maximum(pairs, 1)
    return heights / max(float(np.median(heights[_free()])), 1e-9)


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
