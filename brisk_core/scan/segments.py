"""Segments of a file that can be decoded apart: from random access point to random access point."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from brisk_core.packets import PacketSeries

_LEAST_PICTURES = 100  # of a segment: opening and seeking cost about a second
_MOST_PICTURES = 1500  # of a segment where random access points allow: what is done is kept when a worker dies


@dataclass(frozen=True, slots=True)
class Segment:
    """Pictures ``first`` to ``end`` (not included) in presentation order."""

    first: int
    end: int

    @property
    def length(self) -> int:
        """Number of pictures."""
        return self.end - self.first


def plan_segments(series: PacketSeries, least: int = 1) -> list[Segment]:
    """Cut a file at random access points into segments of about the same length, at least ``least`` where it is long
    enough.
    """
    count = len(series)
    wanted = max(least, -(-count // _MOST_PICTURES))
    wanted = max(1, min(wanted, count // _LEAST_PICTURES))
    presented = series.presented_pts()
    entries = np.unique(np.searchsorted(presented, series.pts[series.random_access]))
    bounds = [0]
    for number in range(1, wanted):
        target = count * number // wanted
        later = entries[(entries > bounds[-1]) & (entries >= target)]
        if len(later) and int(later[0]) < count:
            bounds.append(int(later[0]))
    bounds.append(count)
    return [Segment(first, end) for first, end in pairwise(bounds) if end > first]


def settled_from(series: PacketSeries, segment: Segment) -> int:
    """Return the presentation time from which on a decoder that began at a segment needs nothing from before it.

    That is its start for the first segment; else the random access point after the one that it begins at, for streams
    whose groups may refer across it.
    """
    presented = series.presented_pts()
    if not segment.first:
        return int(presented[0])
    entries = np.sort(series.pts[series.random_access])
    later = entries[entries > presented[segment.first]]
    return int(later[0]) if later.size else int(presented[-1]) + 1


def until_random_access(series: PacketSeries, number: int) -> int:
    """Return the number of the first picture after ``number`` that is not made from it: that of a random access point,
    or the end of the file.
    """
    presented = series.presented_pts()
    entries = np.sort(np.searchsorted(presented, series.pts[series.random_access]))
    later = entries[entries > number]
    return int(later[0]) if later.size else len(series)
