"""What meters need of millions of samples, taken in one pass while they are in the processor's cache.

The loops themselves are in ``compiled``, which is loaded by the first that measures: its compiler takes a second to
load, and reading headers needs none of it.
"""

from __future__ import annotations

import importlib
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

BAND = 6  #: lines of a band
BLOCK = 16  #: columns of a block in which differences are looked at; it is a band high
NOISE = 6  #: 8-bit steps of alternation that are noise of camera or coder

Plane = NDArray[Any]  #: (height, width) of uint8 or uint16
Bands = NDArray[np.uint8]  #: (lines, width), bands one below the other
Blocks = NDArray[np.float32]  #: (bands, blocks across), means rounded to 8-bit steps


@lru_cache(maxsize=1)
def _compiled() -> Any:
    return importlib.import_module("brisk_core.meters.compiled")


def count_outside(plane: Plane, floor: int, ceiling: int) -> tuple[int, int, int, int]:
    """Return smallest and largest value, how many lie below ``floor`` and how many above ``ceiling``."""
    if not plane.size:
        raise ValueError("met a plane without samples; expected some")
    kind = plane.dtype.type
    found: tuple[int, int, int, int] = _compiled().count_outside(
        in_lines(plane), plane.shape[1], kind(floor), kind(ceiling)
    )
    return found


class Compared(NamedTuple):
    """How the bands of two pictures differ, in 8-bit steps."""

    #: How three weaves of their fields alternate from line to line, (3, bands, blocks): the fields of the present one,
    #: its top field with the previous bottom field, and the previous top field with its bottom field.
    weaves: NDArray[np.float32]
    changed: Blocks  #: mean difference
    top: int  #: sum of the differences of top lines
    bottom: int  #: of bottom lines
    samples: int  #: in the lines of each


def compare_bands(now: Bands, previous: Bands) -> Compared:
    """Compare the bands of two pictures of one size.

    A sample alternates by what it lies above or below both its neighbours, less ``NOISE``. Lines at the edges of a
    band have neighbours of another one and do not count, nor do columns that fill no block.
    """
    _require_alike(now, previous)
    weaves, changed, top, bottom = _compiled().compare_bands(_filled(now), _filled(previous))
    return Compared(weaves, changed, top, bottom, now.size // 2)


def weigh_weaves(
    weaves: NDArray[np.float32], least: tuple[float, float, float], shares: tuple[float, float, float]
) -> tuple[float, float, float]:
    """Return the weights of blocks that show one moment, two with the top field first, two with the bottom field first.

    ``weaves`` are those of ``Compared``. A block counts by how much its strongest weave alternates over its weakest,
    from the first of ``least`` on; where those above the second weigh at least the third together, only they do. It
    shows one moment where its own weave has up to the first of ``shares`` of that and the other two are alike up to
    the third, two moments where they differ by the second.
    """
    found: tuple[float, float, float] = _compiled().weigh_weaves(weaves, least, shares)
    return found


def detail_of_bands(bands: Bands) -> Blocks:
    """Return the mean step from sample to sample plus that from line to line of the top field, each rounded."""
    found: Blocks = _compiled().detail_of_bands(_filled(bands))
    return found


def fit_between(
    first: Bands, between: Bands, last: Bands, step: int, moves: float, least: float
) -> tuple[float, float]:
    """Fit lines ``step`` apart of a picture as a blend of two others, over samples that differ by more than ``moves``.

    Returns the weight of ``last`` and the mean of what is left, over that of the motion; NaN where not even the share
    ``least`` of the samples moves.
    """
    _require_alike(first, between, last)
    found: tuple[float, float] = _compiled().fit_between(first, between, last, step, moves, least)
    return found


def bends_of(lines: Plane, most: int) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Return of lines of samples, by column: the mean bend and the mean step to the next sample, both at most ``most``,
    and the mean value.
    """
    bends, steps, values = _compiled().bends_of(np.ascontiguousarray(lines), most)
    return bends, steps, values


def _require_alike(*bands: Bands) -> None:
    """Raise ``ValueError`` unless all bands have one shape: compiled loops read on past the end of a smaller one."""
    shapes = {one.shape for one in bands}
    if len(shapes) > 1:
        raise ValueError(f"met bands of {len(shapes)} shapes, {sorted(shapes)}; expected one")


def in_lines(plane: Plane) -> Plane:
    """Return a plane as whole lines of memory, of which only its width may be read; a copy where it has gaps."""
    height, _ = plane.shape
    stride, step = plane.strides
    if step != plane.itemsize or stride < step * plane.shape[1] or stride % step:
        return np.ascontiguousarray(plane)
    return np.lib.stride_tricks.as_strided(plane, (height, stride // step))


def _filled(bands: Bands) -> Bands:
    """Return bands that hold a block at least: a tiny picture goes on as it ends."""
    lines, width = bands.shape
    if lines >= BAND and width >= BLOCK:
        return bands
    return np.pad(bands, ((0, max(BAND - lines, 0)), (0, max(BLOCK - width, 0))), mode="edge")
