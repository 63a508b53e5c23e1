"""Groups of pictures: lengths, openness, pattern, runs of B pictures."""

from __future__ import annotations

import itertools
from collections import Counter
from dataclasses import dataclass

import numpy as np

from brisk_core.packets.series import PacketSeries

_B = ord("B")


@dataclass(frozen=True, slots=True, kw_only=True)
class Groups:
    """What the order of picture types shows."""

    longest: int  #: frames, counted in presentation order
    shortest: int  #: frames; the last group, which the end cuts, counts only when it is the only one
    open: bool | None  #: None where picture types are not read
    pattern: str | None  #: in presentation order from each random access point; None where types are not read
    b_run: int | None  #: the longest run of B pictures in presentation order


def find_groups(series: PacketSeries, closed_groups: dict[int, bool]) -> Groups | None:
    """Return the groups of a stream, ``None`` when it has no random access point.

    ``closed_groups`` gives the closed_gop flag where the stream codes one, by packet index: leading pictures of a
    closed group need only what follows them.
    """
    starts = np.flatnonzero(series.random_access)
    if not len(starts):
        return None
    shown = np.flatnonzero(series.random_access[series.presentation_order])
    lengths = np.diff(np.concatenate([shown, [len(series)]]))
    types_read = bool((series.types != ord("?")).all())
    inner = lengths[:-1] if len(lengths) > 1 else lengths
    return Groups(
        longest=int(lengths.max()),
        shortest=int(inner.min()),
        open=_is_open(series, starts, closed_groups) if types_read else None,
        pattern=_pattern(series) if types_read else None,
        b_run=_longest_run(series) if types_read else None,
    )


def _is_open(series: PacketSeries, starts: np.ndarray, closed_groups: dict[int, bool]) -> bool:
    """Is any picture after a later random access point shown before it, in a group not coded as closed?"""
    bounds = [*starts.tolist(), len(series)]
    for start, end in itertools.pairwise(bounds):
        if closed_groups.get(start):
            continue
        if (series.pts[start + 1 : end] < series.pts[start]).any():
            return True
    return False


def _pattern(series: PacketSeries) -> str:
    order = series.presentation_order
    letters = bytes(series.types[order]).decode("ascii")
    starts = np.flatnonzero(series.random_access[order]).tolist()
    bounds = [*starts, len(letters)]
    strings = [letters[start:end] for start, end in itertools.pairwise(bounds)]
    counted = Counter(strings[:-1] or strings)
    most = max(counted.values())
    return next(string for string in strings if counted.get(string) == most)


def _longest_run(series: PacketSeries) -> int:
    is_b = series.types[series.presentation_order] == _B
    edges = np.flatnonzero(np.diff(np.concatenate([[False], is_b, [False]]).astype(np.int8)))
    return int((edges[1::2] - edges[::2]).max()) if len(edges) else 0


def mean_bits_by_type(series: PacketSeries) -> dict[str, int]:
    """Return the mean bits of a picture by its type, I, P and B as far as types are read."""
    found = {}
    for letter in "IPB":
        sizes = series.sizes[series.types == ord(letter)]
        if len(sizes):
            found[letter] = round(float(sizes.mean(dtype=np.float64)) * 8)
    return found
