"""Detail: the largest size at which nothing of the picture would be lost, found from where its spectrum ends.

A picture enlarged from fewer lines has no detail above a certain frequency: its spectrum falls off a cliff there, while
that of a camera or a soft lens slopes. A sharp picture with detail up to the end shows that the size is its own.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.picture import Picture
from brisk_core.meters.rows import Rows

_EVERY = 12  # pictures between two that are looked at
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
        if now.number % _EVERY:
            return np.nan, np.nan
        width, height = now.size
        luma = now.luma[height // 8 : height * 7 // 8, width // 8 : width * 7 // 8]
        lines = luma[:: max(1, luma.shape[0] // _LINES)]
        columns = luma[:, :: max(1, luma.shape[1] // _LINES)].T
        return _end(_spectrum(lines)), _end(_spectrum(columns))


def _spectrum(lines: NDArray[Any]) -> NDArray[np.float64] | None:
    """Return the mean power of stretches of lines in ``_BINS`` bins, as powers of ten; ``None`` for short lines."""
    length = min(_LENGTH, 1 << (lines.shape[1].bit_length() - 1))
    if length < 2 * _BINS:
        return None
    count = lines.shape[1] // length
    cut = np.asarray(lines[:, : count * length], np.float32).reshape(-1, length)
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
        return 1.0 if floor > _LEAST_DETAIL else float("nan")
    bins = np.log(np.arange(1, _BINS + 1))
    before = slice(_SLOPE_FROM, max(steepest // 2, _SLOPE_FROM + 4))
    slope, level = np.polyfit(bins[before], spectrum[before], 1)
    below = level + min(slope, 0.0) * bins - spectrum
    left = np.flatnonzero(below[before.stop : steepest + _WIDTH] >= _HALF_AMPLITUDE)
    return float(before.stop + left[0] + 1) / _BINS if len(left) else float("nan")


_SLOPE_LEAST = 0.4
_SLOPE_FROM = 4
_HALF_AMPLITUDE = 0.55  # powers of ten of power: a little under half the amplitude


def judge_detail(rows: Rows, size: tuple[int, int], *, progressive: bool) -> tuple[int, int] | None:
    """Return the effective size, ``None`` where too few pictures can tell; lines are judged in progressive pictures
    only.
    """
    across = _told(rows["across"])
    down = _told(rows["down"]) if progressive else None
    if across is None and down is None:
        return None
    one = across if across is not None else down
    other = down if down is not None else across
    assert one is not None  # noqa: S101 - one of the two is
    assert other is not None  # noqa: S101
    return round(size[0] * one), round(size[1] * (other if progressive else 1.0))


def _told(shares: NDArray[Any]) -> float | None:
    told = shares[~np.isnan(shares)].astype(np.float64)
    if len(told) < _LEAST_TOLD:
        return None
    share = float(np.quantile(told, 0.8))  # the sharpest pictures count, soft ones say nothing against them
    return 1.0 if share >= _WHOLE else share
