"""Frames that waves do not find in the master, or at another speed, looked at again by their pictures before anybody
calls them so.

A logo in one shot, another grade or a picture that was enlarged there changes the waves of the shot as much as another
picture would. Where its pictures are the master's but for that, it is in place.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from brisk_core.frames import Grey
from brisk_core.master.frame_map import FOREIGN, FrameMap, Stretch, runs_of
from brisk_core.master.geometry import Geometry, find_geometry
from brisk_core.master.pairs import Pair, paired
from brisk_core.master.refining import Pictures
from brisk_core.master.similarity import aligned

_MOST_RUNS, _LOOKED = 16, 4  # runs, and frames of each, that are looked at
_SHORTEST = 4  # frames of a run
_ALIKE, _FEWEST_ALIKE = 0.9, 3  # correlation of a frame with its place, and frames that must have it
_DETAIL = 3.0  # code values of a picture's spread, below which it says nothing


@dataclass(frozen=True, slots=True, kw_only=True)
class LaidOtherwise:
    """Frames of the file in which the master's picture lies otherwise than in the rest."""

    start: int  #: frames of the file
    end: int
    geometry: Geometry


@dataclass(frozen=True, slots=True, kw_only=True)
class TakenBack:
    """What pictures say of frames that waves do not find."""

    found: FrameMap  #: with those in place whose pictures are the master's
    alike: tuple[tuple[int, int], ...] = ()  #: runs of them, which are other in something else
    otherwise: tuple[LaidOtherwise, ...] = ()


def taken_back(found: FrameMap, pictures: Pictures) -> TakenBack:
    """Look at the frames that are nowhere in the master by waves, where their neighbours would have them."""
    alike: list[tuple[int, int]] = []
    otherwise: list[LaidOtherwise] = []
    runs = [run for run in runs_of(found.kinds == FOREIGN) if run[1] - run[0] >= _SHORTEST]
    runs += [
        (one.start, one.end)
        for one in found.stretches
        if one.speed != 1 and not _are_alike(_pairs(one, found, pictures), pictures.geometry)
    ]
    for start, end in sorted(runs)[:_MOST_RUNS]:
        beside = [one for one in found.stretches if one.speed == 1 and (one.end == start or one.start == end)]
        for offset in dict.fromkeys(one.offset for one in beside):
            place = Stretch(start=start, end=end, offset=offset)
            pairs = _pairs(place, found, pictures)
            if _are_alike(pairs, pictures.geometry):
                found = found.laid(place)
                alike.append((start, end))
                break
            own = _of_its_own(pairs, pictures.geometry)
            if own is not None:
                found = found.laid(place, compared=False)
                otherwise.append(LaidOtherwise(start=start, end=end, geometry=own))
                break
    return TakenBack(found=found, alike=tuple(alike), otherwise=tuple(otherwise))


def _pairs(place: Stretch, found: FrameMap, pictures: Pictures) -> list[Pair]:
    """Some frames of a run beside the frames of the master that would stand there."""
    steps = (np.arange(_LOOKED) + 0.5) * (place.end - place.start) / _LOOKED
    frames = sorted({place.start + int(step) for step in steps})
    wanted = [(frame, round(place.place(frame, float(found.slope)))) for frame in frames]
    inside = [pair for pair in wanted if 0 <= pair[1] < pictures.master_frames]
    return list(paired(pictures.file, pictures.master, inside, pictures.widest))


def _are_alike(pairs: Sequence[Pair], geometry: Geometry) -> bool:
    """Are most of some pictures, each by itself, those of the master, whatever their levels?"""
    alike = [_correlation(*both) for pair in pairs if (both := aligned(pair, geometry, None)) is not None]
    return len(alike) >= _FEWEST_ALIKE and sum(one >= _ALIKE for one in alike) >= _FEWEST_ALIKE


def _correlation(one: Grey, other: Grey) -> float:
    """Correlation of two pictures; 0 where one of them has nothing to hold on to."""
    spreads = float(one.std()), float(other.std())
    if min(spreads) < _DETAIL:
        return 0.0
    return float(np.mean((one - one.mean()) * (other - other.mean()))) / (spreads[0] * spreads[1])


def _of_its_own(pairs: Sequence[Pair], geometry: Geometry) -> Geometry | None:
    """How the master lies in some pictures, where it lies otherwise than in the rest of the file."""
    found = find_geometry(pairs, geometry.file_size, geometry.master_size)
    return found if found is not None and _are_alike(pairs, found) else None
