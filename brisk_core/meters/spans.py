"""Runs in rows of yes and no."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def runs(
    there: NDArray[np.bool_], *, bridge: NDArray[np.bool_] | None = None, most_bridged: int = 0
) -> list[tuple[int, int]]:
    """Return the half-open runs of true entries.

    Gaps of at most ``most_bridged`` entries that are all true in ``bridge`` join two runs into one.
    """
    edges = np.flatnonzero(np.diff(np.concatenate([[False], there, [False]]).astype(np.int8)))
    found: list[tuple[int, int]] = []
    for start, end in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        gap = start - found[-1][1] if found else 0
        if found and gap <= most_bridged and bridge is not None and bool(bridge[found[-1][1] : start].all()):
            found[-1] = (found[-1][0], end)
        else:
            found.append((start, end))
    return found


def neighbours(values: NDArray[Any], reach: int) -> NDArray[Any]:
    """Return for each entry the ``reach`` entries before and after it, ``(entries, 2 reach)``, NaN beyond the ends."""
    padded = np.concatenate([np.full(reach, np.nan), values.astype(np.float64), np.full(reach, np.nan)])
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1)
    return np.delete(windows, reach, axis=1)
