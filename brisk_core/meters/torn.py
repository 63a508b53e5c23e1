"""Parts of a picture that are torn into the blocks of its coder from one picture to the next.

What a decoder makes of changed bits has sharp steps on the grid on which coders predict and transform, almost
everywhere in the part that changed, with detail between them, and that part had none of them a moment before. Nothing
that is filmed or drawn has that: an inset or a box has a few such steps at its edges, a panel of boxes is flat between
them, and what is drawn of blocks had them before.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.kernels import BAND, BLOCK
from brisk_core.meters.picture import Picture

_GRID = 8  # samples; blocks of all coders begin on it
_BESIDE = (-4, -3, -2, 2, 3, 4)  # samples from a line of the grid at which steps are its surroundings
_CHANGED, _OVER_MEDIAN = 8.0, 2.0  # 8-bit steps that a block changes by, and times what most blocks do
_LEAST = 20  # blocks of the bands
_STEPS = 1.6  # steps on the grid over steps beside it
_CLEAR, _LINES = 1.5, 0.45  # times its surroundings that a line of the grid stands out by, and how many of them must
_BEFORE = 1.4  # as ``_STEPS``, of the same place one picture earlier
_BUSY = 1.0  # 8-bit steps between the lines of the grid
_FLAT = 0.5  # 8-bit steps that surroundings count as at least


def torn_blocks(now: Picture, previous: Picture) -> int:
    """Return how many blocks of the bands are torn, 0 where too few are; both pictures have one size."""
    changed = now.against(previous).changed
    hot = changed > max(_CHANGED, _OVER_MEDIAN * float(np.median(changed))) if changed.size else np.zeros((0, 0), bool)
    there = int(np.count_nonzero(hot))
    if there < _LEAST:
        return 0
    width = hot.shape[1] * BLOCK
    lines = hot.shape[0] * BAND
    inside = np.repeat(np.repeat(hot, BAND, axis=0), BLOCK, axis=1)[:, 1:]
    steps = [np.abs(np.diff(one.bands[:lines, :width].astype(np.int16), axis=1)) * inside for one in (now, previous)]
    looked_at = inside.sum(axis=0)
    ratio, share, between = _on_grid(np.maximum(steps[0] - steps[1], 0).sum(axis=0), looked_at)
    if ratio < _STEPS or share < _LINES or between < _BUSY:
        return 0
    before, *_ = _on_grid(steps[1].sum(axis=0), looked_at)
    return there if before < _BEFORE else 0


def _on_grid(steps: NDArray[np.int64], looked_at: NDArray[np.int64]) -> tuple[float, float, float]:
    """Return mean steps on the grid over those beside it, the share of the grid's lines that stand out, and the steps
    beside most of them.

    ``steps`` are sums by column, of as many lines as ``looked_at`` says.
    """
    grid = np.arange(_GRID - 1, len(steps) - max(_BESIDE), _GRID)
    grid = grid[looked_at[grid] >= BAND]
    if not len(grid):
        return 0.0, 0.0, 0.0
    mean = steps / np.maximum(looked_at, 1)
    on, beside = mean[grid], np.mean([mean[grid + away] for away in _BESIDE], axis=0)
    least = np.maximum(beside, _FLAT)
    return float(on.sum() / least.sum()), float(np.mean(on > _CLEAR * least)), float(np.median(beside))
