"""A map by the cuts alone, for pictures that were cut or fitted so that no signature holds: tall from wide."""

from __future__ import annotations

import itertools

import numpy as np

from brisk_core.edit.cut_train import Observed, lay_cuts
from brisk_core.edit.ranges import FrameRange
from brisk_core.edit.timeline import Event, Lane, Timeline
from brisk_core.master.frame_map import FOREIGN, IN_PLACE, FrameMap, Stretch

_FEWEST = 2  # cuts that must lie on cuts of the master
_SHARE = 0.8  # of the cuts of the file
_LEAPS = 0.2  # of the cuts in place that may begin at another offset


def map_by_cuts(file: Observed, master: Observed) -> FrameMap | None:
    """Return the map that the cuts give, ``None`` where they do not lie on those of the master."""
    starts = [0, *master.cuts]
    ends = [*master.cuts, master.frames]
    events = tuple(
        Event(kind="clip", name="", start=start, end=end, source=number)
        for number, (start, end) in enumerate(zip(starts, ends, strict=True))
        if end > start
    )
    lane = Lane(kind="picture", name="", events=events)
    timeline = Timeline(name="", rate=master.rate, start=None, length=master.frames, lanes=(lane,))
    cuts = np.array(timeline.cuts, np.int64)
    if len(cuts) < _FEWEST or len(file.cuts) < _FEWEST:
        return None
    laid = lay_cuts(timeline, FrameRange.whole(timeline), file, cuts, np.zeros((len(cuts), 2), np.int64))
    places = np.rint(laid.expected + laid.offsets)
    hits = laid.seen & (places > 0) & (places < file.frames)
    leaps = np.count_nonzero(np.diff(laid.offsets[hits])) if hits.any() else 0
    if laid.speed != 1 or hits.sum() < max(_FEWEST, _SHARE * len(file.cuts)) or leaps > _LEAPS * hits.sum():
        return None
    slope = master.rate / file.rate * laid.speed
    offsets = np.full(file.frames, np.nan)
    rows = np.flatnonzero(hits)
    edges = [0, *(int(places[row]) for row in rows[1:]), file.frames]
    for row, start, end in zip(rows, edges, edges[1:], strict=False):
        offsets[start:end] = -float(laid.offsets[row]) * float(slope)
    numbers = np.arange(file.frames)
    found = float(slope) * numbers + offsets
    kinds = np.where((found < 0) | (found >= master.frames) | np.isnan(found), FOREIGN, IN_PLACE).astype(np.uint8)
    breaks = np.flatnonzero((np.diff(offsets) != 0) | (np.diff(kinds) != 0)) + 1
    bounds = [0, *breaks.tolist(), file.frames]
    stretches = tuple(
        Stretch(start=start, end=end, offset=float(offsets[start]))
        for start, end in itertools.pairwise(bounds)
        if kinds[start] == IN_PLACE
    )
    return FrameMap(
        slope=slope,
        places=np.where(kinds == FOREIGN, np.nan, found),
        kinds=kinds,
        shares=np.zeros(file.frames, np.float32),
        single=np.where(kinds == FOREIGN, -1, np.rint(np.nan_to_num(found))).astype(np.int64),
        stretches=stretches,
        gain=1.0,
        noise=0.0,
        moving=0.0,
        ways=(0.0, 0.0),
    )
