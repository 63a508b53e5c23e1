"""Parts of a picture that are torn into the blocks of its coder from one picture to the next.

What a decoder makes of changed bits has sharp steps on the grid on which coders predict and transform, almost
everywhere in the part that changed, with detail between them; that part had none of them a moment before, and the rest
of the picture has fewer. Nothing that is filmed or drawn has that: an inset or a box has a few such steps at its edges,
a panel of boxes is flat between them, and what is drawn of blocks had them before. Coders that do not smooth the edges
of blocks make such steps of whatever is new; of them it says nothing.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.kernels import BAND, BLOCK
from brisk_core.meters.picture import Picture

_GRID = 8  # samples; blocks of all coders begin on it
_BESIDE = (-4, -3, -2, 2, 3, 4)  # samples from a line of the grid at which steps are its surroundings
_CHANGED, _OVER_MEDIAN = 8.0, 2.0  # 8-bit steps that a block changes by, and times what most blocks do
_LEAST, _MANY = 20, 60  # blocks of the bands
_STEPS, _STEPS_OF_FEW = 1.75, 2.2  # steps on the grid over steps beside it, and over that of the rest of the picture
_CLEAR = 1.5  # times its surroundings that a line of the grid stands out by
_LINES, _LINES_OF_FEW = 0.46, 0.55  # of them that must
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
    steps, earlier = (np.abs(np.diff(one.bands[:lines, :width].astype(np.int16), axis=1)) for one in (now, previous))
    looked_at = inside.sum(axis=0)
    ratio, share, between = _on_grid((np.maximum(steps - earlier, 0) * inside).sum(axis=0), looked_at)
    steps_needed, lines_needed = (_STEPS, _LINES) if there >= _MANY else (_STEPS_OF_FEW, _LINES_OF_FEW)
    if ratio < steps_needed or share < lines_needed or between < _BUSY:
        return 0
    before, *_ = _on_grid((earlier * inside).sum(axis=0), looked_at)
    elsewhere, *_ = _on_grid((steps * ~inside).sum(axis=0), lines - looked_at)
    return there if before < _BEFORE and ratio >= steps_needed * elsewhere else 0


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
