"""Bursts: parts of the picture that are suddenly another picture and as suddenly right again.

A changed bit that decodes is noticed by no decoder. It leaves a part of the picture wrong in one picture alone, where
nothing is predicted from it, or until the next random access point, where decoding begins anew. Nothing that was filmed
ends just there; so a part that changes by a leap at a random access point, and leapt away inside the group before, was
damaged. Small leaps are a coder's own: it touches up its picture at random access points. What is torn into blocks as
it leaps was damaged wherever it ends.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.change import changes_whole
from brisk_core.meters.motion import find_turns
from brisk_core.meters.picture import Picture, Small
from brisk_core.meters.rows import Rows
from brisk_core.meters.spans import neighbours
from brisk_core.meters.torn import torn_blocks

_LEAP = 8.0  # 8-bit steps by which a cell changes over what those around it change by before or after
_OVER = 1.5  # times that change
_AROUND = np.ones((3, 3), np.uint8)  # cells from which a moving detail may come
_EDGE = 255  # of a box: the picture's width and height
_NO_BOX = (0, 0, 0, 0)


class BurstMeter:
    """Cells that leap from the picture before, cells that leapt into the picture before and rest now, and cells that
    differed in the picture before alone.
    """

    name = "bursts"
    row = np.dtype(
        [("rose", "u2"), ("lit", "u2"), ("fell", "u2"), ("brighter", "u2"), ("darker", "u2"),
         ("rose_box", "u1", 4), ("fell_box", "u1", 4), ("torn", "u2")]
    )  # fmt: skip
    looks_back = True

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return counts of cells that rose, of those that rose and are brighter, that fell, that were brighter or
        darker for one picture, the boxes of those that rose and fell (left, top, right, bottom, in 255ths), and how
        many blocks are torn.

        What rose and is torn is of this picture; the others are of the one before it. All are 0 for the first two.
        """
        if len(before) < 2:
            return (0, 0, 0, 0, 0, _NO_BOX, _NO_BOX, 0)
        three = [picture.coding_cells for picture in (*before[-2:], now)]
        found = leaps(*three)
        rose, lit = found[:2]
        looks_torn = rose >= _LEAST_TORN and min(lit, rose - lit) >= _BOTH_AT_ALL * rose
        return (*found, torn_blocks(now, before[-1]) if looks_torn else 0)


def leaps(earlier: Small, middle: Small, now: Small) -> tuple[Any, ...]:
    """Return counts and boxes of three pictures that follow one another, as cells (rows, columns) of 8-bit values."""
    step, last_step = cv2.absdiff(now, middle), cv2.absdiff(middle, earlier)
    rose = step > _OVER * cv2.dilate(last_step, _AROUND) + _LEAP
    fell = last_step > _OVER * cv2.dilate(step, _AROUND) + _LEAP
    over = cv2.dilate(cv2.absdiff(now, earlier), _AROUND) * _OVER + _LEAP
    alone = np.minimum(step, last_step) > over
    return (
        _count(rose), _count(rose & (now > middle)), _count(fell), _count(alone & (middle > now)),
        _count(alone & (middle < now)), _box(rose), _box(fell),
    )  # fmt: skip


def _count(cells: NDArray[np.bool_]) -> int:
    return min(int(np.count_nonzero(cells)), 65535)


def _box(cells: NDArray[np.bool_]) -> tuple[int, int, int, int]:
    """The box around some cells: left, top, right and bottom in 255ths of the picture."""
    down, across = np.flatnonzero(cells.any(axis=1)), np.flatnonzero(cells.any(axis=0))
    if not len(down):
        return _NO_BOX
    height, width = cells.shape
    return (
        int(across[0] * _EDGE // width), int(down[0] * _EDGE // height),
        -int(-(across[-1] + 1) * _EDGE // width), -int(-(down[-1] + 1) * _EDGE // height),
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Entry:
    """A random access point, as pictures are shown."""

    first: int  #: the first of the pictures that are shown before it and decoded after it
    at: int


class BurstKind(StrEnum):
    """By what a burst is known to be damage."""

    ALONE = "alone"  #: in one or two pictures alone
    UNTIL_ENTRY = "until entry"  #: it leaps back with a random access point
    TORN = "torn"  #: into the blocks of the coder


@dataclass(frozen=True, slots=True, kw_only=True)
class Burst:
    """A stretch in which a part of the picture was another one."""

    start: int  #: first picture of it
    end: int  #: picture after the last; where it is torn, the random access point at which it ends at the latest
    kind: BurstKind


_LEAST = 2  # cells
_LEAST_ALONE = 3
_LEAST_TORN = 4
_BOTH_WAYS = 0.25  # of the cells that must be brighter, and darker: a flash or a spark is one of them
_LONGEST_ALONE = 2  # pictures in a row; what flies through the picture is elsewhere in each
_NEAR = 4  # pictures around in which nothing else may be alone
_OFTEN = 0.02  # of the pictures: what happens more often belongs to the programme
_FEW = 6  # places that a short file may have all the same
_SHORTEST_GROUP = 4  # pictures; below it a leap at a random access point says nothing
_CHANCE = 0.02  # expected leaps at random access points by chance, for each that is met
_COMPARABLE = 2  # times fewer cells
_USUAL, _OVER_USUAL = 90, 2  # percentile of all pictures that is usual, and times it that a leap needs
_RESTLESS, _RESTLESS_AROUND = 60, 24  # percentile of the pictures to either side, and their number, that is usual there
_STANDS = 4  # pictures of a page before it is turned, at least
_REFRESHED = 16.0  # steps of the waves by which a coder may touch up a still picture
_RESTS, _BACK = 0.05, 0.25  # of the leap: what a picture that stands may move by, and what may be left of it afterwards
_BOTH_AT_ALL = 0.1  # of the cells that leap, those that must get brighter, and darker


def shaken_pictures(motion: Rows, change: Rows) -> NDArray[np.bool_]:
    """Return of which pictures the whole went there and back: a camera that shakes."""
    return find_turns(motion) & changes_whole(change)


def find_bursts(
    rows: Rows,
    entries: Sequence[Entry],
    cuts: Sequence[int] | NDArray[np.intp],
    *,
    shaken: NDArray[np.bool_] | None = None,
    waves: NDArray[np.int16] | None = None,
    smooth: bool = False,
) -> tuple[Burst, ...]:
    """Return bursts in the order of the file; ``entries`` are its random access points in that order, and ``cuts`` the
    first pictures of shots, and whatever else leaps of itself. ``shaken`` is of ``shaken_pictures``; ``waves``, the
    lowest of each picture in 128ths of a code value (8-bit), tell a page that is turned from one that comes back;
    ``smooth`` says that the coder leaves no edges of blocks, however few bits it has.
    """
    near_cut = np.zeros(len(rows) + 1, np.bool_)
    for at in (0, len(rows), *(int(cut) for cut in cuts)):
        near_cut[max(at - 1, 0) : at + 2] = True
    calm = ~near_cut[: len(rows)] if shaken is None else ~(near_cut[: len(rows)] | shaken)
    until_entry = [one for one in _until_entry(rows, entries, near_cut) if waves is None or _comes_back(one, waves)]
    ended = [*until_entry, *_alone(rows, calm)]
    torn = [
        one
        for one in (_torn(rows, entries) if smooth else ())
        if not any(other.start <= one.start < other.end for other in ended)
    ]
    found = sorted([*ended, *torn], key=lambda one: (one.start, -one.end))
    kept: list[Burst] = []
    for one in found:
        if kept and one.start < kept[-1].end:  # the same damage, which leapt more than once
            sure = one.kind if kept[-1].kind is BurstKind.ALONE else kept[-1].kind
            kept[-1] = replace(kept[-1], end=max(kept[-1].end, one.end), kind=sure)
        else:
            kept.append(one)
    return tuple(kept)


def _until_entry(rows: Rows, entries: Sequence[Entry], near_cut: NDArray[np.bool_]) -> Iterator[Burst]:
    """Bursts that end at a random access point which came when it was due."""
    groups = list(pairwise(entries))
    due = _usual_length([end.at - start.at for start, end in groups])
    if due < _SHORTEST_GROUP:
        return
    leaps = _Leaps.of(rows, near_cut)
    met: list[Burst] = []
    inside = np.zeros(len(rows), np.bool_)  # a group that is damaged, and the one before, from which damage may come
    ends = np.zeros(len(rows), np.bool_)
    for start, end in groups:
        ends[end.first : end.at + 1] = True
        if end.at - start.at < due:
            continue  # the coder put it there because the picture changes
        ended = met[-1].end if met else -1
        if burst := leaps.between(start.first, end, ended):
            met.append(burst)
            inside[max(start.first - due, 0) : end.at + 1] = True
    outside = leaps.fell[~inside & ~ends & ~near_cut[: len(rows)] & (leaps.fell >= _LEAST)]
    for one in met:
        alike = np.count_nonzero(outside * _COMPARABLE >= leaps.fell[one.end])
        if alike * ends.mean() < _CHANCE * len(met):
            yield one


def _comes_back(burst: Burst, waves: NDArray[np.int16]) -> bool:
    """Is the picture after a burst what it was before? Told where both stand still; what moves is believed to be."""
    before, inside = waves[max(burst.start - _STANDS, 0) : burst.start], waves[burst.start : burst.end]
    if min(len(before), len(inside)) < _STANDS:
        return True
    after = waves[burst.end].astype(np.float64)
    leap = float(np.linalg.norm(inside[0] - before[-1].astype(np.float64)))
    moves = max(float(np.linalg.norm(part - part[0].astype(np.float64), axis=1).max()) for part in (before, inside))
    return moves > _RESTS * leap or float(np.linalg.norm(after - before[-1])) < max(_BACK * leap, _REFRESHED)


def _usual_length(lengths: Sequence[int]) -> int:
    """The length that most groups have, else the longest; 0 for none."""
    for length, count in Counter(lengths).most_common(1):
        return length if count * 2 >= len(lengths) else max(lengths)
    return 0


@dataclass(frozen=True, slots=True, kw_only=True)
class _Leaps:
    """Pictures in which a part leaps away, and those in which it leaps back."""

    rose: NDArray[np.int64]  #: cells, by picture
    fell: NDArray[np.int64]
    away: NDArray[np.bool_]
    back: NDArray[np.bool_]
    away_boxes: NDArray[np.uint8]
    back_boxes: NDArray[np.uint8]

    @classmethod
    def of(cls, rows: Rows, near_cut: NDArray[np.bool_]) -> _Leaps:
        """Find those that stand out from what leaps in the file anyway."""
        rose, fell = rows["rose"].astype(np.int64), np.append(rows["fell"][1:], 0).astype(np.int64)
        both = np.minimum(rows["lit"].astype(np.int64), rose - rows["lit"]) >= _BOTH_AT_ALL * rose
        away, back = (many >= _LEAST + _OVER_USUAL * _usual_leaps(many) for many in (rose, fell))
        kept = ~near_cut[: len(rows)]
        return cls(
            rose=rose,
            fell=fell,
            away=away & both & kept,
            back=back & kept,
            away_boxes=rows["rose_box"],
            back_boxes=np.vstack([rows["fell_box"][1:], [_NO_BOX]]),
        )

    def between(self, start: int, entry: Entry, ended: int) -> Burst | None:
        """The burst from a picture on that ends at a random access point, or with the pictures that lead to it."""
        ends = [at for at in range(entry.first, min(entry.at + 1, len(self.fell))) if self.back[at]]
        if not ends:
            return None
        end = max(ends, key=lambda at: int(self.fell[at]))
        away = [
            at
            for at in range(start, end)
            if at != ended and self.away[at] and _overlap(self.away_boxes[at], self.back_boxes[end])
        ]
        if not away:
            return None
        return Burst(start=max(away, key=lambda at: int(self.rose[at])), end=end, kind=BurstKind.UNTIL_ENTRY)


def _usual_leaps(many: NDArray[np.int64]) -> NDArray[np.float64]:
    """How many cells leap anyway at each picture: in the whole file, or around it in a restless shot, as of fire."""
    around = neighbours(many.astype(np.float64), _RESTLESS_AROUND)
    around[np.isnan(around).all(axis=1)] = 0
    beside = np.nanpercentile(around, _RESTLESS, axis=1)
    return np.asarray(np.maximum(np.percentile(many, _USUAL), beside), np.float64)


def _alone(rows: Rows, calm: NDArray[np.bool_]) -> Iterator[Burst]:
    """Pictures of which a part differs from both beside them, which are alike, where nothing else makes it differ."""
    brighter, darker = (np.append(rows[name][1:], 0).astype(np.int64) for name in ("brighter", "darker"))
    there = brighter + darker
    numbers = np.flatnonzero(there >= _LEAST)
    if len(numbers) > max(_FEW, _OFTEN * len(rows)):
        return
    for start, end in _in_a_row(numbers):
        beside = numbers[(numbers >= start - _NEAR) & (numbers < end + _NEAR)]
        both = np.minimum(brighter[start:end], darker[start:end])
        clear = (there[start:end] >= _LEAST_ALONE) & (both >= _BOTH_WAYS * there[start:end])
        lonely = end - start <= _LONGEST_ALONE and len(beside) == end - start and calm[start:end].all()
        if lonely and clear.any():
            yield Burst(start=start, end=end, kind=BurstKind.ALONE)


def _torn(rows: Rows, entries: Sequence[Entry]) -> Iterator[Burst]:
    """Pictures of which a part is torn into blocks, each until the random access point after it."""
    numbers = np.flatnonzero(rows["torn"])
    if len(numbers) > max(_FEW, _OFTEN * len(rows)):
        return  # the programme is drawn of blocks
    for number in numbers.tolist():
        end = next((entry.at for entry in entries if entry.at > number), len(rows))
        yield Burst(start=number, end=end, kind=BurstKind.TORN)


def _in_a_row(numbers: NDArray[np.intp]) -> list[tuple[int, int]]:
    breaks = np.flatnonzero(np.diff(numbers) > 1) + 1
    return [(int(run[0]), int(run[-1]) + 1) for run in np.split(numbers, breaks) if len(run)]


def _overlap(one: NDArray[np.uint8], other: NDArray[np.uint8]) -> bool:
    """Do two boxes (left, top, right, bottom) share a part of the picture?"""
    a, b = one.astype(int), other.astype(int)
    return bool(a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3])
