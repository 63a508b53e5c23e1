"""Loudness of a programme: ITU-R BS.1770-5, EBU R 128, Tech 3341 (meters) and Tech 3342 (range)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.hops import FINE

_OFFSET = -0.691  # BS.1770-5, annex 1, equation 2
_BLOCK, _SHORT = 4, 30  # hops of the 400 ms block and of the 3 s window
_ABSOLUTE, _RELATIVE = -70.0, -10.0  # LUFS and LU; BS.1770-5, annex 1
_RANGE_RELATIVE = -20.0  # LU; Tech 3342, 3.1
_RANGE_LOW, _RANGE_HIGH = 0.10, 0.95


@dataclass(frozen=True, slots=True, kw_only=True)
class Loudness:
    """Loudness of one programme; ``None`` where nothing is louder than the gate or the programme is too short."""

    integrated: float | None  #: LUFS
    range: float | None  #: LU
    short_max: float | None  #: LUFS, over 3 s
    momentary_max: float | None  #: LUFS, over 400 ms
    momentary: NDArray[np.float32]  #: LUFS at the end of each hop, -inf for silence
    short: NDArray[np.float32]  #: LUFS over the 3 s before the end of each hop


def power_of(rows: NDArray[Any], weights: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the weighted mean square of each hop."""
    lengths = np.maximum(rows["length"].astype(np.float64), 1)
    return np.asarray((rows["energy"] * weights).sum(axis=1) / lengths, np.float64)


def steps_of(rows: NDArray[Any], weights: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the weighted mean square of each fine step of each hop, ``(hops, FINE)``."""
    lengths = np.maximum(rows["length"].astype(np.float64), 1)[:, None] / FINE
    return np.asarray((rows["steps"] * weights[:, None]).sum(axis=1) / lengths, np.float64)


def measure_loudness(
    power: NDArray[np.float64], full: NDArray[np.bool_] | None = None, steps: NDArray[np.float64] | None = None
) -> Loudness:
    """Measure from the weighted mean square of each hop; hops that are not whole (``full`` false) are left out.

    ``steps``, the mean squares of the fine steps of the hops, let the windows of the two maxima begin at each step;
    without them they begin at each hop, and a short sound that lies across two of them is read too low.
    """
    if full is not None:
        power = power[full]
        steps = None if steps is None else steps[full]
    blocks, shorts = _means(power, _BLOCK), _means(power, _SHORT)
    momentary, short = _lufs(blocks), _lufs(shorts)
    return Loudness(
        integrated=_gated(blocks, momentary),
        range=loudness_range(shorts, short),
        short_max=_most(short) if steps is None else _loudest(steps.ravel(), _SHORT * FINE),
        momentary_max=_most(momentary) if steps is None else _loudest(steps.ravel(), _BLOCK * FINE),
        momentary=_lined_up(momentary, len(power)),
        short=_lined_up(short, len(power)),
    )


def _means(power: NDArray[np.float64], length: int) -> NDArray[np.float64]:
    if len(power) < length:
        return np.zeros(0)
    windows = np.lib.stride_tricks.sliding_window_view(power, length)
    return np.asarray(windows.mean(axis=1), np.float64)


def _loudest(steps: NDArray[np.float64], length: int) -> float | None:
    """Return the level of the loudest window of a length, by running sums: windows are as long as hundreds of steps."""
    total = np.concatenate([[0.0], np.cumsum(steps)])
    loudest = float((total[length:] - total[:-length]).max(initial=0)) / length
    return _most(_lufs(np.array([loudest])))


def _lufs(power: NDArray[np.float64]) -> NDArray[np.float64]:
    with np.errstate(divide="ignore"):
        return np.asarray(_OFFSET + 10 * np.log10(power), np.float64)


def _gated(blocks: NDArray[np.float64], levels: NDArray[np.float64]) -> float | None:
    heard = blocks[levels > _ABSOLUTE]
    if not len(heard):
        return None
    gate = float(_lufs(heard.mean())) + _RELATIVE
    return float(_lufs(blocks[(levels > _ABSOLUTE) & (levels > gate)].mean()))


def loudness_range(shorts: NDArray[np.float64], levels: NDArray[np.float64]) -> float | None:
    """Return the range in LU from mean squares of 3 s windows and their levels in LUFS (Tech 3342, 3.1)."""
    heard = shorts[levels > _ABSOLUTE]
    if not len(heard):
        return None
    gate = float(_lufs(heard.mean())) + _RANGE_RELATIVE
    kept = np.sort(levels[(levels > _ABSOLUTE) & (levels > gate)])
    low, high = (kept[round((len(kept) - 1) * share)] for share in (_RANGE_LOW, _RANGE_HIGH))
    return float(high - low)


def _most(levels: NDArray[np.float64]) -> float | None:
    most = float(levels.max(initial=-np.inf))
    return most if np.isfinite(most) else None


def _lined_up(levels: NDArray[np.float64], count: int) -> NDArray[np.float32]:
    return np.concatenate([np.full(count - len(levels), -np.inf), levels]).astype(np.float32)
