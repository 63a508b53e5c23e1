"""Frames of a file that stand where the master moves, one or some, while everything else is in place.

The lowest waves and structural similarity hardly tell one frame of a slow move from the next; that nothing changes from
one to the next where the master does is plain to see.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.master.frame_map import REPEATED, FrameMap, Stretch, runs_of
from brisk_core.master.pairs import paired
from brisk_core.master.refining import Pictures
from brisk_core.master.similarity import aligned
from brisk_core.meters.spans import neighbours

_STANDS, _LEAST = 0.45, 0.4  # of the usual step, up to which a frame stands, and code values of a usual step
_AROUND = 12  # frames to either side that are usual
_MOVES = 0.5  # of its usual step, from which the master moves there
_CLEARLY, _GRAIN = 0.6, 2.5  # of how far it is from its place, and samples over which grain is taken away
_MOST_LOOKED = 60  # runs
_SETTLES = 3  # frames after a cut
_LONGEST = 50  # frames; what stands longer is a freeze of its own


def with_standing(
    found: FrameMap,
    own: NDArray[np.void],
    other: NDArray[np.void],
    pictures: Pictures,
    cuts: Sequence[int] = (),
) -> FrameMap:
    """Return the map with frames that stand where the master moves, in place but for that.

    ``own`` and ``other`` are rows of the scans of both, in presentation order; ``cuts`` the file's own. Only where what
    follows lies as late as what comes before: where frames were held and the rest moved on, the map says so itself.
    """
    if found.slope != 1:
        return found
    step, usual = _steps(own)
    still = (step < _STANDS * usual) & (usual > _LEAST)
    for cut in (0, *cuts):  # a coder begins a shot with pictures that it copies
        still[cut : cut + _SETTLES] = False
    theirs, their_usual = _steps(other)
    looked = 0
    for start, end in runs_of(still):
        before, after = (_at(found, at) for at in (start - 1, end))
        if before is None or after is None or before.offset != after.offset or end - start > _LONGEST:
            continue
        places = before.places(np.arange(start, end), 1.0).astype(np.intp)
        if places[0] < 0 or places[-1] >= len(theirs):
            continue
        moves = (theirs[places] > _MOVES * their_usual[places]).all()
        if moves and looked < _MOST_LOOKED:
            looked += 1
            if _shows_the_previous(pictures, end - 1, int(places[0]) - 1, int(places[-1])):
                held = Stretch(start=start, end=end, offset=before.offset)
                found = found.laid(held, REPEATED, compared=False)
    return found


def _shows_the_previous(pictures: Pictures, frame: int, previous: int, place: int) -> bool:
    """Is a frame clearly more like the master's before a run than like its place? Grain, which changes all frames
    alike, and what a coder leaves of it are taken away.
    """
    if previous < 0:
        return False
    pairs = paired(pictures.file, pictures.master, [(frame, previous), (frame, place)], pictures.widest)
    apart = [
        float(np.mean(np.square(cv2.GaussianBlur(own - laid, (0, 0), _GRAIN))))
        for pair in pairs
        if (both := aligned(pair, pictures.geometry, None)) is not None
        for own, laid in [both]
    ]
    return len(apart) == 2 and apart[0] < _CLEARLY * apart[1]


def _steps(rows: NDArray[np.void]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """How much each picture differs from the one before, code values, and how much is usual around it."""
    step = np.nan_to_num(rows["change"].astype(np.float64))
    around = neighbours(step, _AROUND)
    around[np.isnan(around).all(axis=1)] = 0.0
    return step, np.asarray(np.nanmedian(around, axis=1), np.float64)


def _at(found: FrameMap, frame: int) -> Stretch | None:
    return next((one for one in found.stretches if one.start <= frame < one.end and one.speed == 1), None)
