"""Where a file has no sound and its master has, or the other way round, by the levels of both from end to end.

Windows are laid at places; levels are known ten times a second for the whole of both files.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from brisk_core.master.frame_map import runs_of

_ROWS = 10  # a second
_NOTHING = -120.0  # dBFS
_HEARD, _QUIET = -50.0, -65.0  # dBFS from which there is sound, and below which there is none
_QUIETER = 35.0  # dB by which the quiet one must lie below the other
_LEAST = 3  # rows

Floats = NDArray[np.float64]
Spans = tuple[tuple[float, float], ...]  #: seconds of the file, first and first after


def levels_of(tracks: Sequence[NDArray[np.void]], starts: Sequence[float], seconds: float) -> Floats:
    """Return the level of the loudest track in dBFS, ten times a second from the first picture on."""
    found = np.full(max(int(seconds * _ROWS), 0), _NOTHING)
    for rows, start in zip(tracks, starts, strict=True):
        level = np.nan_to_num(rows["level"].astype(np.float64), nan=_NOTHING, neginf=_NOTHING)
        first = round(start * _ROWS)
        begin, end = max(first, 0), min(first + len(level), len(found))
        if end > begin:
            found[begin:end] = np.maximum(found[begin:end], level[begin - first : end - first])
    return found


def stretches_without(file: Floats, master: Floats, place: Callable[[Floats], Floats]) -> tuple[Spans, Spans]:
    """Return the stretches in which the file has no sound and the master has, and those in which it is the reverse.

    ``place`` gives the second of the master whose sound belongs at seconds of the file, NaN where none does.
    """
    rows = place((np.arange(len(file)) + 0.5) / _ROWS) * _ROWS
    known = np.isfinite(rows)
    at = np.clip(np.nan_to_num(rows), 0, max(len(master) - 1, 0)).astype(np.intp)
    inside = known & (rows >= 0) & (rows < len(master))
    if not len(master) or not len(file):
        return (), ()
    spans = []
    for quiet, heard, on_master in ((file, master, True), (master, file, False)):
        most, least = _around(quiet, np.max), _around(heard, np.min)
        most, least = (most, least[at]) if on_master else (most[at], least)
        bare = inside & (least > _HEARD) & (most < _QUIET) & (most < least - _QUIETER)
        spans.append(
            tuple(
                # The rows beside a stretch are left out where they hold an end of it.
                (max(start - 1, 0) / _ROWS, min(end + 1, len(file)) / _ROWS)
                for start, end in runs_of(bare)
                if end - start >= _LEAST
            )
        )
    return spans[0], spans[1]


def _around(values: Floats, of: Callable[..., Floats]) -> Floats:
    """The most or the least of each value and those beside it."""
    padded = np.pad(values, 1, mode="edge")
    return np.asarray(of(np.lib.stride_tricks.sliding_window_view(padded, 3), axis=1), np.float64)
