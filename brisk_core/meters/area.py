"""The active area: where there is ever picture, and the bars around it.

A line or column carries picture once it has been lit in any picture for half of what the fullest one is: a picture
between bars at its sides lights no line whole. Captions and logos in a bar never light half a line; they are reported
apart. Bars that come and go show as hard edges that move.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.picture import Picture, Plane
from brisk_core.meters.rows import Rows
from brisk_core.meters.spans import runs

_LIT = 8  # 8-bit steps above black from which a sample is lit
_HALF = 0.5  # of the fullest line's share that must be lit once
_LEAST_LIT = 0.1  # share of the fullest line below which all is dark
_SPECK = 0.004  # share of a line that may be lit in a bar: noise
_LETTERS = 0.01  # share from which something stands in a bar
_LINE_STEP = 16  # lines between those in which columns are looked at
_STRIP, _STRIP_EVERY = 16, 192  # columns in which lines are looked at
_WIDE = 512  # narrower pictures are looked at whole
_EVERY = 2  # pictures between two that are looked at
_NOT_TOLD, _NOT_LOOKED = 0xFFFF, 0xFFFE
_LEAST_MOVE = 4  # lines or columns by which an edge must move
_LEAST_FRAMES = 8  # pictures it must stay there
_TOUCHES = 0.5  # share of the file's width or height that is lit inside bars: a small light in a dark scene is none
_ALL_SHARE = 0.98  # of width or height from which an edge is no bar but a soft border


class AreaTotal:
    """The largest share of each line and column that was ever lit, by picture size."""

    def __init__(self) -> None:
        self.lines: dict[tuple[int, int], NDArray[np.float32]] = {}
        self.columns: dict[tuple[int, int], NDArray[np.float32]] = {}

    def take(self, lit: tuple[NDArray[np.float32], NDArray[np.float32]], size: tuple[int, int]) -> None:
        """Add a picture's lit shares of lines and of columns."""
        for kept, shares in ((self.lines, lit[0]), (self.columns, lit[1])):
            kept[size] = np.maximum(kept[size], shares) if size in kept else shares

    def join(self, later: AreaTotal) -> None:
        """Add the segment that follows."""
        for size, lines in later.lines.items():
            self.take((lines, later.columns[size]), size)


def lit_shares(picture: Picture) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Return the share of each line, and of each column, that is lit."""
    threshold = picture.samples.black + _LIT
    luma = picture.luma
    scaled = threshold * (1 << (picture.samples.bits - 8))
    width = luma.shape[1]
    lines = _lit(_columns(luma) if width >= _WIDE else luma, scaled, 1)
    columns = _lit(luma[_LINE_STEP // 2 % luma.shape[0] :: _LINE_STEP], scaled, 0)
    return lines, columns


def _columns(luma: Plane) -> Plane:
    """Strips of some columns at full height."""
    height, width = luma.shape
    count = width // _STRIP_EVERY
    strides = (luma.strides[0], _STRIP_EVERY * luma.itemsize, luma.itemsize)
    kept = np.lib.stride_tricks.as_strided(luma[:, _STRIP_EVERY // 2 :], (height, count, _STRIP), strides)
    return np.ascontiguousarray(kept).reshape(height, count * _STRIP)


def _lit(samples: Plane, threshold: float, along: int) -> NDArray[np.float32]:
    over = cv2.threshold(np.ascontiguousarray(samples), threshold, 1, cv2.THRESH_BINARY)[1]
    return np.asarray(cv2.reduce(over, along, cv2.REDUCE_AVG, dtype=cv2.CV_32F), np.float32).ravel()


class AreaMeter:
    """Hard edges of the lit area in each picture, and the total over all of them."""

    name = "area"
    row = np.dtype([("top", "u2"), ("bottom", "u2"), ("left", "u2"), ("right", "u2")])
    looks_back = False

    def __init__(self) -> None:
        self.total = AreaTotal()

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return the first lit line, the line after the last, the same of columns; 65535 where no hard edge is seen."""
        if now.number % _EVERY:
            return (_NOT_LOOKED,) * 4
        lit = lit_shares(now)
        self.total.take(lit, now.size)
        top, bottom = _hard_edges(lit[0])
        left, right = _hard_edges(lit[1])
        return top, bottom, left, right


def _carrying(lit: NDArray[np.float32]) -> NDArray[np.intp]:
    """Numbers of the lines that carry picture, none where all is dark."""
    most = float(lit.max(initial=0))
    return np.flatnonzero(lit >= _HALF * most) if most >= _LEAST_LIT else np.zeros(0, np.intp)


def _hard_edges(lit: NDArray[np.float32]) -> tuple[int, int]:
    inside = _carrying(lit)
    if not len(inside):
        return _NOT_TOLD, _NOT_TOLD
    first, end = int(inside[0]), int(inside[-1]) + 1
    hard_first = first == 0 or lit[: max(first - 2, 0)].max(initial=0) <= _SPECK
    hard_end = end == len(lit) or lit[end + 2 :].max(initial=0) <= _SPECK
    return (first if hard_first else _NOT_TOLD), (end if hard_end else _NOT_TOLD)


@dataclass(frozen=True, slots=True, kw_only=True)
class AreaVerdict:
    """The active area of a file."""

    area: tuple[int, int, int, int] | None  #: x, y, width, height in luma samples; None when too little is lit
    bars: str | None  #: none, top-bottom, sides, all
    in_bars: tuple[str, ...]  #: bars that carry something all the same, such as captions
    changes: tuple[tuple[int, int, str], ...]  #: half-open spans in which the bars are others


def judge_area(rows: Rows, total: AreaTotal) -> AreaVerdict:
    """Decide the active area, of the picture size that was met most when there are several."""
    if not total.lines:
        return AreaVerdict(area=None, bars=None, in_bars=(), changes=())
    size = max(total.lines, key=lambda one: one[0] * one[1])
    lines, columns = total.lines[size], total.columns[size]
    down, across = _carrying(lines), _carrying(columns)
    if not len(down) or not len(across):
        return AreaVerdict(area=None, bars=None, in_bars=(), changes=())
    top, bottom = _edges(lines, int(down[0]), int(down[-1]) + 1)
    left, right = _edges(columns, int(across[0]), int(across[-1]) + 1)
    if not _is_filled(lines[top:bottom], (right - left) / size[0]) or not _is_filled(
        columns[left:right], (bottom - top) / size[1]
    ):
        return AreaVerdict(area=None, bars=None, in_bars=(), changes=())
    edges = {
        "top": lines[: max(top - 2, 0)],
        "bottom": lines[bottom + 2 :],
        "left": columns[: max(left - 2, 0)],
        "right": columns[right + 2 :],
    }
    return AreaVerdict(
        area=(left, top, right - left, bottom - top),
        bars=_bars(size, left, top, right, bottom),
        in_bars=tuple(name for name, part in edges.items() if len(part) and float(part.max()) > _LETTERS),
        changes=_changes(rows, (top, bottom, left, right)),
    )


def _is_filled(lit: NDArray[np.float32], share: float) -> bool:
    """Was the area ever full of picture? Words on black have edges too, but they are none of a picture."""
    return float(np.median(lit)) >= _FILLED * share


_FILLED = 0.5


def _edges(lit: NDArray[np.float32], first: int, end: int) -> tuple[int, int]:
    """Return where bars end: a line or two at the border that are never lit are none, nor is black around something
    that has no straight edge, such as a face in the dark.
    """
    before, after = lit[max(first - _BESIDE, 0) : max(first - _BORDER, 0)], lit[end + _BORDER : end + _BESIDE]
    begins = len(before) > 0 and float(np.median(before)) <= _LETTERS
    ends = len(after) > 0 and float(np.median(after)) <= _LETTERS
    return (first if begins else 0), (end if ends else len(lit))


_BORDER = 2
_BESIDE = 8  # lines beside an edge that are dark where a bar begins; words in a bar stand further off


def _bars(size: tuple[int, int], left: int, top: int, right: int, bottom: int) -> str:
    sides = right - left < _ALL_SHARE * size[0]
    flat = bottom - top < _ALL_SHARE * size[1]
    return {(False, False): "none", (False, True): "top-bottom", (True, False): "sides", (True, True): "all"}[
        sides, flat
    ]


def _held(edges: NDArray[np.int64]) -> NDArray[np.int64]:
    """Edges with those of the picture before where a picture was not looked at."""
    looked = np.flatnonzero(edges != _NOT_LOOKED)
    if not len(looked):
        return np.full_like(edges, _NOT_TOLD)
    at = np.searchsorted(looked, np.arange(len(edges)), "right") - 1
    return np.where(at >= 0, edges[looked[np.maximum(at, 0)]], _NOT_TOLD)


def _changes(rows: Rows, whole: tuple[int, int, int, int]) -> tuple[tuple[int, int, str], ...]:
    """Spans in which two opposite edges stand further in than the file's own, at the same place for a while."""
    found = []
    for first, end, own_first, own_end, name in (
        ("top", "bottom", whole[0], whole[1], "bars above and below"),
        ("left", "right", whole[2], whole[3], "bars at the sides"),
    ):
        one, other = (_held(rows[name].astype(np.int64)) for name in (first, end))
        told = (one != _NOT_TOLD) & (other != _NOT_TOLD)
        inner = told & (one - own_first >= _LEAST_MOVE) & (own_end - other >= _LEAST_MOVE)
        even = np.abs((one - own_first) - (own_end - other)) <= _LEAST_MOVE
        even &= (other - one) >= _TOUCHES * (own_end - own_first)
        for start, stop in runs(inner & even):
            if stop - start >= _LEAST_FRAMES:
                found.append((start, stop, f"{name}, {int(one[start]) - own_first} deep"))
    return tuple(sorted(found))
