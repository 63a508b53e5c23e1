"""Enlargement by interpolation: the spectrum folds, and how samples follow their neighbours repeats with the old grid.

Folds (``folding``) are looked for first, in each picture and in those of a shot and of the file together. What they do
not tell, factors that fit no whole bin above all, periods may:

An interpolated sample is a mean of source samples around it, and how sharp it can be depends on where between them it
lies. So the mean bend of the samples of each column, or line, rises and falls with the period of the source's grid
(Gallagher 2005, "Detection of linear and cubic interpolation in JPEG compressed images"). The blocks of a coder repeat
as well, but at sixteenths of the sampling frequency; what lies there says nothing.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.folding import (
    Fold,
    FoldTotal,
    Heights,
    Together,
    find_fold,
    folding_of,
    height_near,
    repeats,
    shares_that_fold_at,
)
from brisk_core.meters.kernels import bends_of
from brisk_core.meters.picture import Picture, Plane
from brisk_core.meters.rows import Rows
from brisk_core.meters.spectrum import falls_short, is_looked_at, lit_box, spectrum_of

_LINES = 270  # lines that are looked at
_MOST_BEND = 12.0  # 8-bit steps; edges shall not speak for all
_AROUND = 31  # samples over which the usual bend is taken
_LEAST_BEND, _LEAST_STEP = 0.05, 0.05  # of a usual bend, and 8-bit steps added to those of a column
_FEWEST = 480  # samples in which periods can be told apart
_BINS_AROUND, _BINS_STEP = 81, 16  # of the spectrum, over which the usual height is taken, and from one to the next
_LOWEST = 0.0455  # cycles a sample: enlarged by 1.05
_GRIDS = ((8, 0.009), (16, 0.005))  # samples of coders' blocks, and cycles a sample from their frequencies to keep off
_AT_QUARTER = 0.003  # cycles a sample
_HARMONICS = 4
_BLOCKS = (0.0, 1 / 8, 1 / 4, 3 / 8, 1 / 2)  # frequencies of blocks that shift a peak
_QUARTER, _QUARTER_ABOVE = 25.0, 8.0  # height of a peak at 1/4, and over those of the other frequencies of blocks
_TOLD, _CLEAR = 6.0, 2.0  # height of a peak over the usual, and over what is left besides it
_STANDS = 2.0  # 8-bit steps by which the mean of lines rises and falls with a grid
_AGREE = 0.004  # cycles a sample by which peaks of one enlargement may differ
_MOST_OF = 0.5  # of the pictures of a shot that must agree
_ALONE = 14.0  # height of the peaks of a shot of which one picture only tells
_PHASE = 0.6  # length of the mean of the phases: what moves has no fixed phase
_STEEP, _DROP, _SPECTRUM_LINES = -1.45, 0.65, 4  # slope and fall of a spectrum; every fourth of the lines tells it
_MOST_TWICE = 2.6  # enlargements from which the spectrum is steep
_MOST = 6.0  # times that are told
_FOLDS = 6.0  # height of a fold that tells which of two factors it was
_FOLD_ALONE = 40.0  # height of the fold of a shot of which one picture only tells
_UNKNOWN, _FEW, _MANY = 0, 1, 2  # which of the two factors that share a period
_HALF, _QUARTERS = 1 / 2, 3 / 4  # shares that are told by how all the eighths stand
_SURELY_MANY = 30.0  # height over that of its counterpart, of an enlargement by more than 2
_SAME_FOLD = 0.005  # difference of shares
_MEANT = 0.01  # of a factor, within which a standard size is meant
#: Lines of pictures that material is enlarged from.
STANDARD_LINES = (480, 486, 540, 576, 720, 1080, 1440, 2160)
_STANDARD_SAMPLES = (704, 720, 960, 1280, 1440, 1920, 2048, 2560, 3840)  # of a line, in the same way
_NEAR_LINES = 0.006


class EnlargementMeter:
    """The strongest period of how samples bend, across and down; folds of each picture, and their total."""

    name = "enlargement"
    row = np.dtype(
        [("looked", "u1"), ("which", "u1"), ("across", "f4"), ("across_height", "f2"), ("across_phase", "f2"),
         ("down", "f4"), ("down_height", "f2"), ("down_phase", "f2"),
         ("fold_across", "f4"), ("fold_down", "f4"), ("fold_height", "f2")]
    )  # fmt: skip
    looks_back = False

    def __init__(self) -> None:
        self.total = FoldTotal()

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return for both directions the frequency in cycles a sample, 0 where none stands out, its height and phase;
        before them whether the picture was looked at, and by which of two factors it was enlarged; after them the
        fold.
        """
        if not is_looked_at(now.number):
            return 0, 0, *(0.0,) * 9
        bits = now.samples.bits
        top, bottom, left, right = lit_box(now.luma, bits)
        luma = now.luma[top:bottom, left:right]
        rows, columns = luma[:: max(1, luma.shape[0] // _LINES)], luma[:, :: max(1, luma.shape[1] // _LINES)].T
        across, down = _strongest(rows, bits), _strongest(columns, bits)
        if (across[0] or down[0]) and (repeats(rows) or repeats(columns)):
            across = down = (0.0, 0.0, 0.0)
        folding = folding_of(luma, bits, (left, top))
        heights = folding.heights if folding else None
        fold = find_fold(*heights) if heights else Fold()
        if folding:
            self.total.take(folding, now.number, now.size)
        which = _UNKNOWN
        if found := down[0] or across[0]:
            few, many = (height_near(np.maximum(*heights), at) if heights else 0.0 for at in (1 - found, found))
            if max(few, many) >= _FOLDS:
                which = _MANY if many > few else _FEW
            elif _is_many_times(rows, bits, found):
                which = _MANY
        return 1, which, *across, *down, fold.across, fold.down, min(fold.height, 1000.0)


def _is_many_times(lines: Plane, bits: int, frequency: float) -> bool:
    """Does the spectrum end where that of a picture enlarged by ``1 / frequency`` does, and not by the other factor?"""
    spectrum = spectrum_of(lines[::_SPECTRUM_LINES], bits)
    many, few = 1 / frequency, 1 / (1 - frequency)
    if spectrum is None or not _MOST_TWICE <= many <= _MOST:
        return False
    slope, short = falls_short(spectrum)
    bins = len(spectrum)
    kept = spectrum[int(0.4 * bins / many) : int(0.8 * bins / many)]
    lost = spectrum[int(1.3 * bins / many) : int(0.95 * bins / few)]
    drop = float(kept.mean() - lost.mean()) if len(kept) and len(lost) else 0.0
    return (slope <= _STEEP and short < 0) or drop >= 1 + _DROP * float(np.log2(many / few))


def _strongest(lines: Plane, bits: int) -> tuple[float, float, float]:
    """Return the period of how far samples lie from the middle of their neighbours, or of that over the step to them.

    Texture tells by the first; in drawings, edges that happen to stand in a column count in both parts of the second.
    """
    unit = float(1 << (bits - 8))
    bend, slope, values = (profile / unit for profile in bends_of(lines, int(_MOST_BEND * unit)))
    ways = _period(bend), _period(bend / (slope[1:] + slope[:-1] + _LEAST_STEP))
    found = max(ways, key=lambda one: one[1])
    return (0.0, 0.0, 0.0) if found[0] and _stands(values, found[0]) else found


def _stands(profile: NDArray[np.float64], frequency: float) -> bool:
    """Does the mean of lines rise and fall with a frequency itself? A grid or a screen does so, no enlargement does."""
    window = np.hanning(len(profile))
    wave = np.exp(-2j * np.pi * frequency * np.arange(len(profile)))
    return 2 * float(np.abs(((profile - profile.mean()) * window * wave).sum())) / float(window.sum()) >= _STANDS


def _period(bend: NDArray[np.float64]) -> tuple[float, float, float]:
    """Return frequency, height over what is usual and phase of the period that stands out; zeros where none does."""
    if len(bend) < _FEWEST:
        return 0.0, 0.0, 0.0
    usual = np.convolve(bend, np.ones(_AROUND) / _AROUND, "same")
    ripple = np.clip((bend - usual) / np.maximum(usual, _LEAST_BEND), -1, 1)[_AROUND:-_AROUND]
    transformed = np.fft.rfft(ripple * np.hanning(len(ripple)))
    size = np.abs(transformed)
    padded = np.pad(size, _BINS_AROUND // 2, mode="reflect")
    windows = np.lib.stride_tricks.sliding_window_view(padded, _BINS_AROUND)[::_BINS_STEP]
    bins = np.arange(len(size))
    usual_size = np.interp(bins, bins[::_BINS_STEP], np.median(windows, axis=1))
    height = size / np.maximum(usual_size, 1e-9)
    frequency, off, quarter, blocks = _frequencies(len(ripple))
    told = np.where(off, height, 0.0)
    at = int(told.argmax())
    rest = np.where(_explained(frequency, float(frequency[at])), 0.0, told)
    found = float(told[at]) >= max(_TOLD, _CLEAR * float(rest.max()))
    if not found:
        # Coders that smooth the edges of their blocks leave a quarter to speak for itself: 4 from 3.
        at = int(np.where(quarter, height, 0.0).argmax())
        others = max(float(height[blocks].max()), float(told.max()))
        found = float(height[at]) >= max(_QUARTER, _QUARTER_ABOVE * others)
    if not found:
        return 0.0, 0.0, 0.0
    return float(frequency[at]), min(float(height[at]), 1000.0), float(np.angle(transformed[at]))


@lru_cache(maxsize=4)
def _frequencies(count: int) -> tuple[NDArray[Any], NDArray[Any], NDArray[Any], NDArray[Any]]:
    """Return the frequencies of a spectrum and which are free of blocks, at a quarter, and at the eighths beside it."""
    frequency = np.fft.rfftfreq(count)
    free = frequency > _LOWEST
    for blocks, away in _GRIDS:
        free &= np.abs(frequency * blocks - np.round(frequency * blocks)) / blocks > away
    near = [np.abs(frequency - one) < _AT_QUARTER for one in (1 / 4, 1 / 8, 3 / 8)]
    return frequency, free, near[0], near[1] | near[2]


def _explained(frequency: NDArray[Any], peak: float) -> NDArray[np.bool_]:
    """Return which frequencies belong to a peak: its harmonics, and both shifted by the blocks of a coder."""
    found = np.zeros(len(frequency), np.bool_)
    for harmonic, block, way in itertools.product(range(1, _HARMONICS + 1), _BLOCKS, (1, -1)):
        at = (harmonic * peak * way + block) % 1
        found |= np.abs(frequency - min(at, 1 - at)) < 2 * _AGREE
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class Enlarged:
    """A stretch of pictures that was enlarged."""

    start: int
    end: int  #: first picture after
    factor: float  #: lines over lines of the source; 1 where lines are as they were
    across: float  #: samples of a line over those of the source

    def is_like(self, other: Enlarged) -> bool:
        """Was it enlarged by the same?"""
        return max(abs(self.factor - other.factor), abs(self.across - other.across)) < _MEANT

    def is_part_of(self, other: Enlarged) -> bool:
        """Was it enlarged by the same in each direction that tells?"""
        ways = ((self.factor, other.factor), (self.across, other.across))
        return all(mine == 1 or abs(mine - theirs) < _MEANT for mine, theirs in ways)


def find_enlarged(
    rows: Rows, cuts: NDArray[np.intp], size: tuple[int, int], total: FoldTotal, *, fields: bool = False
) -> tuple[Enlarged, ...]:
    """Return the shots whose pictures were enlarged, neighbours by the same factor together; ``size`` is theirs.

    A fold, or the same period in both directions, must be told of most pictures of a shot that were looked at and tell,
    or of its pictures together, or of all of the file together. Where lines belong to two moments (``fields``), only
    the samples of a line tell.
    """
    count = len(rows)
    shots = list(itertools.pairwise([0, *cuts.tolist(), count]))
    totals = [total.together(size, start, end if end < count else None) for start, end in shots]
    told = [_of_shot(rows[start:end], start, size[1], fields=fields) for start, end in shots]
    for at, (shot, seen) in enumerate(zip(shots, totals, strict=True)):
        together = _together(seen, shot, size, fields=fields)
        one = told[at]
        if one is None or (together is not None and 1 in (one.factor, one.across) and one.is_part_of(together)):
            told[at] = together or one
    whole = _together(total.together(size), (0, count), size, fields=fields)
    if whole is not None:
        for at, ((start, end), seen) in enumerate(zip(shots, totals, strict=True)):
            if told[at] is None and _shows(seen, whole):
                told[at] = replace(whole, start=start, end=end)
        halves = total.together(size, 0, count // 2), total.together(size, count // 2)
        if not any(told) and all(_shows(half, whole) for half in halves):
            return (whole,)
    found: list[Enlarged] = []
    for one in told:
        if one is None:
            continue
        if found and found[-1].end == one.start and found[-1].is_like(one):
            one = replace(found.pop(), end=one.end)
        found.append(one)
    return tuple(found)


def _together(seen: Together | None, shot: tuple[int, int], size: tuple[int, int], *, fields: bool) -> Enlarged | None:
    """Return what the pictures of a shot show together."""
    if seen is None:
        return None
    start, end = shot
    fold = (replace(seen, down=np.zeros_like(seen.down)) if fields else seen).find()
    if not fold.height:
        return None
    if fold.across == fold.down:
        both = np.minimum(seen.across, seen.down)
        factor = _factor_together(both, seen.known, fold.down, size[1], STANDARD_LINES)
        return Enlarged(start=start, end=end, factor=factor, across=factor)
    return Enlarged(
        start=start,
        end=end,
        factor=_factor_together(seen.down, seen.known, fold.down, size[1], STANDARD_LINES),
        across=_factor_together(seen.across, seen.known, fold.across, size[0], _STANDARD_SAMPLES),
    )


def _factor_together(heights: Heights, known: float, share: float, count: int, standard: Sequence[int]) -> float:
    """Return the enlargement of pictures that fold at a share of their ``count`` lines, or samples of a line: of those
    that fold there too and show at least half of what is ``known`` at their own share, that of a standard size, else
    this one; 1 for none.
    """
    if not share:
        return 1.0
    if share in (_HALF, _QUARTERS):
        return 1 / share
    height = height_near(heights, share)
    ways = [one for one in shares_that_fold_at(share) if one == share or height_near(heights, one) >= known / 2]
    # A coder's blocks of eight samples shift what is strong.
    ways += [one for one in (share - 1 / 8, share + 1 / 8) if height_near(heights, one) >= height / 2]
    # What lies high is the first that a coder of few bits takes away.
    if share < _HALF and height < _SURELY_MANY * height_near(heights, 1 - share):
        ways.append(1 - share)
    meant = [(way, near) for way in ways for near in standard if abs(near - count * way) <= _NEAR_LINES * near]
    if not meant:
        return 1 / share
    return count / max(meant, key=lambda one: height_near(heights, one[0]))[1]


def _shows(seen: Together | None, whole: Enlarged) -> bool:
    """Do the pictures of a stretch show together by what those of the whole file were enlarged?"""
    return seen is not None and all(
        height_near(of, 1 / factor) >= seen.known
        for of, factor in ((seen.across, whole.across), (seen.down, whole.factor))
        if factor > 1
    )


def of_most(enlarged: Sequence[Enlarged], count: int) -> Enlarged | None:
    """Return the enlargement of more than half of so many pictures, if there is one."""
    longest = max(enlarged, key=lambda one: one.end - one.start, default=None)
    return longest if longest is not None and longest.end - longest.start > count / 2 else None


def _of_shot(rows: Rows, start: int, lines: int, *, fields: bool) -> Enlarged | None:
    looked = rows[rows["looked"] > 0]
    if fold := _fold_of(looked):
        across, down = (1 / share if share else 1.0 for share in fold)
        # Of one direction, 2 is not told from 4/3, by which interlaced pictures are enlarged most.
        if not fields or across not in (1.0, 2.0):
            return Enlarged(start=start, end=start + len(rows), factor=1.0 if fields else down, across=across)
    if fields:
        return None
    told = _period_of(looked)
    if told is None:
        return None
    factor = _factor(*told, lines)
    return Enlarged(start=start, end=start + len(rows), factor=factor, across=factor)


def _fold_of(looked: Rows) -> tuple[float, float] | None:
    """Return the shares across and down at which most pictures of a shot fold."""
    told = looked[looked["fold_height"] > 0]
    if not len(told):
        return None
    shares = np.stack([told["fold_across"], told["fold_down"]]).astype(np.float64)
    meant = np.median(shares, axis=1)
    agree = (np.abs(shares - meant[:, None]) <= _SAME_FOLD).all(axis=0)
    if agree.sum() < max(_MOST_OF * len(told), _MOST_OF * len(looked) / 2):
        return None
    if agree.sum() == 1 and float(told["fold_height"][agree][0]) < _FOLD_ALONE:
        return None
    return float(meant[0]), float(meant[1])


def _period_of(looked: Rows) -> tuple[float, int] | None:
    """Return the period that most pictures of a shot tell, and which of its two factors it is."""
    across, down = (looked[name].astype(np.float64) for name in ("across", "down"))
    told = (across > 0) & (np.abs(across - down) <= _AGREE)
    if not told.any():
        return None
    frequency = float(np.median(down[told]))
    agree = told & (np.abs(down - frequency) <= _AGREE)
    if agree.sum() <= _MOST_OF * len(looked) / 2 or agree.sum() < _MOST_OF * np.count_nonzero(across + down > 0):
        return None
    heights = np.minimum(looked["across_height"], looked["down_height"])[agree]
    if agree.sum() == 1 and float(heights[0]) < _ALONE:
        return None
    phases = [
        abs(np.exp(1j * looked[name][agree].astype(np.float64)).mean()) for name in ("across_phase", "down_phase")
    ]
    return (frequency, int(np.bincount(looked["which"][agree]).argmax())) if min(phases) >= _PHASE else None


def _factor(frequency: float, which: int, lines: int) -> float:
    """Return the enlargement that a period belongs to: of the two that share it the one that the spectrum tells, or
    that a standard size was.
    """
    few = 1 / (1 - frequency)
    ways = [few] + ([1 / frequency] if 1 / frequency <= _MOST else [])
    if which != _UNKNOWN:
        ways = ways[-1:] if which == _MANY else ways[:1]
    for way in ways:
        near = min(STANDARD_LINES, key=lambda one: abs(one - lines / way))
        if abs(near - lines / way) <= _NEAR_LINES * near:
            return lines / near
    return ways[0]
