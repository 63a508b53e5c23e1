"""A map made sharper by its pictures, where little moves and the lowest waves alone cannot tell single frames."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from brisk_core.frames import Film
from brisk_core.master.frame_map import IN_PLACE, FrameMap, Stretch
from brisk_core.master.geometry import Geometry
from brisk_core.master.pairs import paired
from brisk_core.master.similarity import aligned, ssim

_REFINED, _MOST_REFINED = 3, 40  # frames around a place, and stretches, that are looked at by their pictures
_CLEARLY = 0.003  # SSIM a picture by which another place must fit better
_BESIDE, _MOST_BREAKS = 30, 8  # frames to either side of a break, and breaks, that are looked at by their pictures
_MOST_PIECES = 4  # between two stretches of one offset
_SMALL = 6  # frames of the master; what leaps further is told by the waves


@dataclass(frozen=True, slots=True, kw_only=True)
class Pictures:
    """The pictures of both files, as they are held against each other."""

    file: Film
    master: Film
    master_frames: int
    geometry: Geometry
    widest: int  #: samples of a picture

    def likeness(self, pairs: Iterable[tuple[int, int]]) -> list[tuple[int, int, float]]:
        """File frame, master frame and structural similarity of every pair that can be decoded and laid."""
        there = [(frame, place) for frame, place in pairs if 0 <= place < self.master_frames]
        return [
            (pair.own.number, pair.other.number, ssim(*both))
            for pair in paired(self.file, self.master, there, self.widest)
            if (both := aligned(pair, self.geometry, None)) is not None
        ]


def refine_stretches(found: FrameMap, pictures: Pictures) -> FrameMap:
    """Return a map with the stretches in which little moves where their pictures fit best."""
    at = 0
    while at < min(len(found.stretches), _MOST_REFINED):
        stretch = found.stretches[at]
        if stretch.certain:
            at += 1
            continue
        inside = [one for one in range(stretch.start, stretch.end) if found.single[one] >= 0]
        looked = inside[len(inside) // 6 :: max(1, len(inside) // 3)][:3]
        places = {frame: int(found.single[frame]) for frame in looked}
        scores = np.zeros(2 * _REFINED + 1)
        around = [
            (frame, one) for frame, place in places.items() for one in range(place - _REFINED, place + _REFINED + 1)
        ]
        for frame, one, value in pictures.likeness(around):
            scores[one - places[frame] + _REFINED] += value
        shift = int(scores.argmax()) - _REFINED
        if shift and scores.max() - scores[_REFINED] > _CLEARLY * max(len(looked), 1):
            before = len(found.stretches)
            found = _shifted(found, at, shift)
            at -= before - len(found.stretches)
        at += 1
    return found


def refine_breaks(found: FrameMap, pictures: Pictures, cuts: Sequence[int]) -> FrameMap:
    """Return a map with the breaks inside shots, frames lost or held, where the pictures of both sides fit best.

    ``cuts`` are the first frames of the file's shots.
    """
    looked = 0
    for at in range(len(found.stretches) - 1):
        one, other = found.stretches[at], found.stretches[at + 1]
        jump = other.offset - one.offset
        inside = not any(abs(cut - one.end) <= 1 for cut in cuts)
        plain = found.slope == 1 and one.speed == other.speed == 1 and one.end == other.start
        if not (inside and plain and 0 < abs(jump) <= _SMALL and looked < _MOST_BREAKS):
            continue
        looked += 1
        first = max([one.start + 1, one.end - _BESIDE, *(cut for cut in cuts if cut <= one.end)])
        last = min([other.end - 1, one.end + _BESIDE, *(cut for cut in cuts if cut > one.end)])
        sides = [{frame: round(side.place(frame, 1.0)) for frame in range(first, last)} for side in (one, other)]
        values = defaultdict[tuple[int, int], float](float)
        for frame, place, value in pictures.likeness(pair for side in sides for pair in side.items()):
            values[frame, place] = value
        early, late = (np.array([values[pair] for pair in side.items()]) for side in sides)
        sums = np.concatenate([[0.0], np.cumsum(early)]) + np.concatenate([np.cumsum(late[::-1])[::-1], [0.0]])
        best = first + int(sums.argmax())
        if best != one.end and first < best < last and sums.max() - sums[one.end - first] > _CLEARLY:
            found = _break_moved(found, at, best)
    return found


def healed(found: FrameMap, pictures: Pictures) -> FrameMap:
    """Return a map without the pieces between two of one offset whose pictures fit as well where those would have them.

    A picture that was enlarged, or has something laid over it, has other waves, which may be those of frames beside it.
    """
    at = 0
    while at + 2 < len(found.stretches):
        after = next(
            (one for one in range(at + 2, min(at + 2 + _MOST_PIECES, len(found.stretches))) if _one(found, at, one)),
            None,
        )
        if after is None:
            at += 1
            continue
        before = found.stretches[at]
        pieces = found.stretches[at + 1 : after]
        scores = np.zeros(2)
        for piece in pieces:
            for frame in range(
                piece.start + (piece.end - piece.start) // 6, piece.end, max(1, (piece.end - piece.start) // 3)
            ):
                places = [round(one.place(frame, float(found.slope))) for one in (before, piece)]
                likeness = pictures.likeness([(frame, place) for place in places])
                if len(likeness) == 2:
                    scores += [value for place in places for _, one, value in likeness if one == place]
        if scores[0] < scores[1]:
            at += 1
            continue
        last = found.stretches[after]
        found = found.laid(Stretch(start=before.end, end=last.start, offset=before.offset))
    return found


def _one(found: FrameMap, at: int, after: int) -> bool:
    """Do two stretches lie on one line, and what is between them beside it, without a gap?"""
    run = found.stretches[at : after + 1]
    plain = all(one.speed == 1 for one in run) and run[0].offset == run[-1].offset
    return plain and all(one.end == other.start for one, other in pairwise(run))


def _break_moved(found: FrameMap, at: int, frame: int) -> FrameMap:
    """A map whose break after one stretch lies at another frame; what stood out beside it stands in its place."""
    one, other = found.stretches[at], found.stretches[at + 1]
    first, last = min(one.end, frame) - _SMALL, max(one.end, frame) + _SMALL
    stretches = [*found.stretches]
    stretches[at : at + 2] = [replace(one, end=frame), replace(other, start=frame)]
    places, single, kinds = found.places.copy(), found.single.copy(), found.kinds.copy()
    numbers = np.arange(max(first, one.start), min(last, other.end))
    places[numbers] = np.where(numbers < frame, one.places(numbers, 1.0), other.places(numbers, 1.0))
    single[numbers], kinds[numbers] = np.rint(places[numbers]), IN_PLACE
    return replace(found, places=places, single=single, kinds=kinds, stretches=tuple(stretches))


def _shifted(found: FrameMap, at: int, shift: int) -> FrameMap:
    """Return a map with one stretch moved by some frames of the master, as its pictures ask."""
    stretch = found.stretches[at]
    inside = slice(stretch.start, stretch.end)
    places, single, kinds = found.places.copy(), found.single.copy(), found.kinds.copy()
    single[inside] = np.where(single[inside] >= 0, single[inside] + shift, -1)
    expected = np.arange(stretch.start, stretch.end) * float(found.slope) + stretch.offset + shift
    alone = kinds[inside] != IN_PLACE
    pushed = np.zeros(len(expected), np.bool_)  # over a cut by the shift that was wrong
    pushed[: abs(shift)] = pushed[-abs(shift) :] = True
    right = alone & (
        pushed | (np.abs(places[inside] - expected) < 1.5)
    )  # what stood out stands where everything does now
    kinds[inside] = np.where(right, IN_PLACE, kinds[inside])
    places[inside] = np.where(alone & ~right, places[inside], expected)
    moved = replace(stretch, offset=stretch.offset + shift)
    stretches = (*found.stretches[:at], moved, *found.stretches[at + 1 :])
    joined: list[Stretch] = []
    for one in stretches:
        if joined and joined[-1].end == one.start and joined[-1].offset == one.offset:
            joined[-1] = replace(joined[-1], end=one.end)
        else:
            joined.append(one)
    return replace(found, places=places, single=single, kinds=kinds, stretches=tuple(joined))
