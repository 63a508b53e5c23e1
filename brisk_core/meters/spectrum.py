"""Detail: the largest size at which nothing of the picture would be lost, found from where its spectrum ends.

A picture enlarged from fewer lines has no detail above a certain frequency: its spectrum falls off a cliff there, while
that of a camera or a soft lens slopes. A sharp picture with detail up to the end shows that the size is its own.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.picture import Picture, Plane
from brisk_core.meters.rows import Rows

_EVERY = 12  # pictures of which one is looked at
_LEAST_LIT = 128  # lines and columns that a part of a picture must have
_FLAT, _STEP = 12, 8  # 8-bit steps within a line of a bar, and samples of which one is looked at
_LENGTH = 256  # samples of a transformed stretch
_BINS = 64  # of the spectrum, up to half the sampling frequency
_LINES = 48  # lines looked at across, columns down
_LEAST_DETAIL = 2.0  # energy of the middle frequencies over that of rounding, as a power of ten, to tell anything
_CLIFF = 0.7  # powers of ten by which the spectrum must fall within _WIDTH bins beyond its slope
_WIDTH = 6
_FIRST, _LAST = 22, 60  # bins between which a cliff is looked for
_LEAST_TOLD = 3
_WHOLE = 0.96  # of half the sampling frequency: the size is the picture's own


class DetailMeter:
    """Where the spectrum ends across and down, as a share of half the sampling frequency."""

    name = "detail"
    row = np.dtype([("across", "f2"), ("down", "f2")])
    looks_back = False

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return both shares; 1 where detail goes to the end, NaN where the picture cannot tell or is not looked at."""
        if not is_looked_at(now.number):
            return np.nan, np.nan
        luma = lit_part(now.luma, now.samples.bits)
        height, width = luma.shape
        luma = luma[height // 8 : height * 7 // 8, width // 8 : width * 7 // 8]
        lines = luma[:: max(1, luma.shape[0] // _LINES)]
        columns = luma[:, :: max(1, luma.shape[1] // _LINES)].T
        bits = now.samples.bits
        return _end(spectrum_of(lines, bits)), _end(spectrum_of(columns, bits))


def lit_part(luma: Plane, bits: int) -> Plane:
    """Return a picture without flat lines and columns at its edges, such as bars."""
    top, bottom, left, right = lit_box(luma, bits)
    return luma[top:bottom, left:right]


def lit_box(luma: Plane, bits: int) -> tuple[int, int, int, int]:
    """Return the lines and columns, first and after the last, between flat ones at the edges of a picture."""
    least = _FLAT << (bits - 8)
    across, down = luma[:, ::_STEP], luma[::_STEP]
    rows = np.flatnonzero(across.max(axis=1).astype(np.int32) - across.min(axis=1) > least)
    columns = np.flatnonzero(down.max(axis=0).astype(np.int32) - down.min(axis=0) > least)
    if not len(rows) or not len(columns) or min(np.ptp(rows), np.ptp(columns)) < _LEAST_LIT:
        return 0, luma.shape[0], 0, luma.shape[1]
    return int(rows[0]), int(rows[-1]) + 1, int(columns[0]), int(columns[-1]) + 1


def is_looked_at(number: int) -> bool:
    """Is the detail of a picture looked at? One in twelve is, each time at another place: motion may keep time."""
    return number % _EVERY == number // _EVERY * 5 % _EVERY


def spectrum_of(lines: NDArray[Any], bits: int = 8) -> NDArray[np.float64] | None:
    """Return the mean power of stretches of lines in ``_BINS`` bins, as powers of ten of 8-bit steps.

    ``None`` for short lines, or none.
    """
    if not lines.size:
        return None
    length = min(_LENGTH, 1 << (lines.shape[1].bit_length() - 1))
    if length < 2 * _BINS:
        return None
    count = lines.shape[1] // length
    cut = np.asarray(lines[:, : count * length], np.float32).reshape(-1, length) / np.float32(1 << (bits - 8))
    window = np.hanning(length).astype(np.float32)
    power = np.abs(np.fft.rfft((cut - cut.mean(axis=1, keepdims=True)) * window, axis=1))[:, 1:] ** 2
    binned = power.mean(axis=0).reshape(_BINS, -1).mean(axis=1)
    return np.asarray(np.log10(binned + 1e-3), np.float64)


def _end(spectrum: NDArray[np.float64] | None) -> float:
    """Return where the spectrum ends: the bin at which it has left its own slope, if it then falls off a cliff.

    Interpolation lets half the amplitude pass at the old limit and falls steeply after it, so the cliff proves that the
    picture was enlarged and the point half way down tells from what.
    """
    if spectrum is None:
        return float("nan")
    floor = float(spectrum[-4:].mean())
    if spectrum[_FIRST - 12 : _FIRST].mean() - floor < _SLOPE_LEAST and floor < _LEAST_DETAIL:
        return float("nan")
    falls = spectrum[:-_WIDTH] - spectrum[_WIDTH:]
    inside = falls[_FIRST : _LAST - _WIDTH + 1] - max(float(np.median(falls[_FIRST - 14 : _FIRST])), 0)
    steepest = _FIRST + int(inside.argmax())
    if inside.max() < _CLIFF:
        slope, short = falls_short(spectrum)
        own = floor > _LEAST_DETAIL and abs(short) <= _SHORT and slope >= _STEEPEST
        return 1.0 if own else float("nan")
    bins = np.log(np.arange(1, _BINS + 1))
    before = slice(_SLOPE_FROM, max(steepest // 2, _SLOPE_FROM + 4))
    slope, level = np.polyfit(bins[before], spectrum[before], 1)
    below = level + min(slope, 0.0) * bins - spectrum
    left = np.flatnonzero(below[before.stop : steepest + _WIDTH] >= _HALF_AMPLITUDE)
    return float(before.stop + left[0] + 1) / _BINS if len(left) else float("nan")


def falls_short(spectrum: NDArray[np.float64]) -> tuple[float, float]:
    """Return the slope of the lower half of a spectrum, and by how many powers of ten its end lies below that slope.

    What interpolation leaves above the old limit is weak, so an enlarged picture falls short of its own slope, and one
    enlarged by three and more has a steep slope and nothing after it.
    """
    bins = np.log(np.arange(1, _BINS + 1))
    slope, level = np.polyfit(bins[_LOWER], spectrum[_LOWER], 1)
    return float(slope), float((slope * bins + level - spectrum)[-5:].mean())


_LOWER = slice(6, 28)
_SHORT, _STEEPEST = 0.35, -1.2  # powers of ten, and slope of a picture that is as fine as its size
_WIDEST_CLIFF = 0.78  # of half the sampling frequency: what ends beyond it is the coder's doing
_AXES_AGREE = 0.08  # of both shares, by which those of an enlarged picture may differ
_SLOPE_LEAST = 0.4
_SLOPE_FROM = 4
_HALF_AMPLITUDE = 0.55  # powers of ten of power: a little under half the amplitude


def judge_detail(rows: Rows, size: tuple[int, int], *, progressive: bool) -> tuple[int, int] | None:
    """Return the effective size, ``None`` where too few pictures can tell; lines are judged in progressive pictures
    only.
    """
    across = _told(rows["across"])
    down = _told(rows["down"]) if progressive else None
    told = [one for one in (across, down) if one is not None]
    if not told:
        return None
    apart = len(told) < 2 or abs(told[0] - told[1]) > _AXES_AGREE * max(told)
    # Lines of a drawing end in one direction, a coder of few bits takes the finest detail of both.
    if min(told) < 1 and (apart or max(told) > _WIDEST_CLIFF):
        return None
    one, other = told[0], told[-1]
    return round(size[0] * one), round(size[1] * (other if progressive else 1.0))


def is_own(shares: NDArray[Any]) -> bool:
    """Do the pictures show detail up to the end of one direction?"""
    return _told(shares) == 1.0


def _told(shares: NDArray[Any]) -> float | None:
    told = shares[~np.isnan(shares)].astype(np.float64)
    if len(told) < _LEAST_TOLD:
        return None
    share = float(np.quantile(told, 0.8))  # the sharpest pictures count, soft ones say nothing against them
    return 1.0 if share >= _WHOLE else share
