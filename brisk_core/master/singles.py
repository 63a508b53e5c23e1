"""Single frames that do not show their place, where the waves of the map cannot tell: held, or blended from two.

The waves of a picture halfway between two others in a steady pan are those of the picture itself, and those of a fine
texture hardly change from one to the next. The steps from picture to picture tell where to look, the pictures what it
is: held against the master's at their place and beside it.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.frames import Grey
from brisk_core.master.frame_map import BLENDED, IN_PLACE, OTHER, REPEATED, FrameMap
from brisk_core.master.similarity import Similarity, ssim

_STANDS_OUT, _LEAST_DROP = 8.0, 0.02  # spreads and SSIM below the usual at which a picture is looked at closely
_MOST_LOOKED = 60
_FEW_TRIED = 6
_MUST_GAIN = 0.3  # of what a picture lacks in likeness that a blend or another picture must bring
_AS_GOOD = 0.003  # SSIM by which a blend must be more like a frame than one picture alone
_SOFTNESS = (0.6, 1.0, 1.6)  # samples
_SHARES, _BETWEEN = (0.2, 0.5, 0.8), (0.35, 0.65)  # of a blend that are tried, and then beside the best
_BESIDE = 20  # frames to either side among which a likeness is usual
_STEPS_BESIDE = 12  # frames to either side among which a step is usual
_MOVES = 0.3  # code values from one picture of the master to the next, from which a step tells
_ODD_STEP, _STEP_SPREADS = np.log(1.5), 6.0  # of a step against the master's, and spreads, from which it is odd

#: Gives the luma of a frame of the file and of the master's frames around its place, laid and levelled alike.
Look = Callable[[int], tuple[Grey, list[Grey]] | None]


def doubtful_steps(found: FrameMap, own: NDArray[np.void], other: NDArray[np.void]) -> list[int]:
    """Return the frames in place to which the file steps clearly more or less than the master does there.

    ``own`` and ``other`` are rows of the scans of both, in presentation order. The oddest come first.
    """
    if found.slope != 1:
        return []
    there = (found.kinds[1:] == IN_PLACE) & (found.kinds[:-1] == IN_PLACE) & (np.diff(found.places) == 1)
    frames = np.flatnonzero(there) + 1
    places = np.minimum(found.places[frames].astype(np.intp), len(other) - 1)  # the last one may stand a little longer
    odd: dict[int, float] = {}
    for field in ("change", "residual"):
        step, usual = own[field][frames].astype(np.float64), other[field][places].astype(np.float64)
        told = np.isfinite(step) & np.isfinite(usual) & (other["change"][places] > _MOVES)
        ratio = np.full(len(found.kinds), np.nan)
        ratio[frames[told]] = np.log((step[told] + 1e-2) / (usual[told] + 1e-2))
        for frame, off in _out_of_line(ratio):
            odd[frame] = max(odd.get(frame, 0.0), off)
    return sorted(odd, key=lambda one: -odd[one])


def _out_of_line(values: NDArray[np.float64]) -> list[tuple[int, float]]:
    """The numbers of the values that stand out from those beside them, and by how much."""
    padded = np.pad(values, _STEPS_BESIDE, constant_values=np.nan)
    windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * _STEPS_BESIDE + 1)
    known = np.flatnonzero(np.isfinite(values) & (np.isfinite(windows).sum(axis=1) > _STEPS_BESIDE / 2))
    middle = np.nanmedian(windows[known], axis=1)
    spread = 1.5 * np.nanmedian(np.abs(windows[known] - middle[:, None]), axis=1)
    off = np.abs(values[known] - middle)
    far = off > np.maximum(_ODD_STEP, _STEP_SPREADS * spread)
    return [(int(frame), float(much)) for frame, much in zip(known[far], off[far], strict=True)]


def find_singles(
    similarity: Similarity, look: Look, doubtful: Iterable[int] = (), blends: Sequence[int] = ()
) -> dict[int, int]:
    """Return the frames of the file that show another picture than their place, and their kinds of ``FrameMap.kinds``.

    ``look`` gives a picture of the file and those of the master from one before to one after its place. ``doubtful``
    are frames that their steps make doubtful; ``blends`` those that the file's own scan takes for blends: where most of
    a few of them turn out to be, all are.
    """
    by_frame = {row.frame: row.ssim for row in similarity.rows}
    values = np.array(list(by_frame.values()))
    usual = float(np.median(values))
    spread = 1.5 * float(np.median(np.abs(values - usual)))
    odd = {frame: usual for frame, value in by_frame.items() if value < usual - max(_STANDS_OUT * spread, _LEAST_DROP)}
    doubts = set(doubtful)
    for frame in doubts & by_frame.keys():
        beside = [
            by_frame[one] for one in range(frame - _BESIDE, frame + _BESIDE + 1) if one in by_frame.keys() - doubts
        ]
        local = float(np.median(beside)) if len(beside) > 2 else usual
        if by_frame[frame] < local - _LEAST_DROP:
            odd[frame] = local
    found: dict[int, int] = {}
    for frame in sorted(odd, key=lambda one: by_frame[one] - odd[one])[:_MOST_LOOKED]:
        kind = _kind_of(look, frame, by_frame[frame], _MUST_GAIN * (odd[frame] - by_frame[frame]))
        if kind != IN_PLACE:
            found[frame] = kind
    tried = [frame for frame in blends if frame in by_frame and frame not in found]
    tried = tried[:: max(1, len(tried) // _FEW_TRIED)][:_FEW_TRIED]
    better = [
        frame
        for frame in tried
        if _kind_of(look, frame, by_frame[frame], _MUST_GAIN * (1 - by_frame[frame])) == BLENDED
    ]
    if tried and len(better) > len(tried) / 2:
        found |= dict.fromkeys(blends, BLENDED)
    return found


def _kind_of(look: Look, frame: int, likeness: float, gain: float) -> int:
    """What a frame shows that is so like its place: a blend or another picture must be more like it by a gain.

    A blend is softer than its parts, and so is a picture that was coded with too few bits; what softness alone
    explains does not count.
    """
    seen = look(frame)
    if seen is None:
        return IN_PLACE
    own, masters = seen
    middle = len(masters) // 2
    soft = (np.asarray(cv2.GaussianBlur(masters[middle], (0, 0), sigma), np.float32) for sigma in _SOFTNESS)
    plain = max(likeness, *(ssim(own, one) for one in soft))
    pairs = [(one, other) for at, one in enumerate(masters) for other in masters[at + 1 :]]
    blend = max((_best_blend(own, *pair) for pair in pairs), default=0.0)
    alone = {at: ssim(own, one) for at, one in enumerate(masters) if at != middle}
    best = max(alone, key=lambda at: alone[at], default=middle)
    if alone and alone[best] - plain > gain and alone[best] > blend - _AS_GOOD:
        return REPEATED if best < middle else OTHER
    return BLENDED if blend - plain > gain else IN_PLACE


def _best_blend(own: Grey, one: Grey, other: Grey) -> float:
    """How like the best blend of two pictures a third is."""

    def likeness(share: float) -> float:
        return ssim(own, np.asarray(cv2.addWeighted(one, 1 - share, other, share, 0), np.float32))

    tried = {share: likeness(share) for share in _SHARES}
    best = max(tried, key=lambda share: tried[share])
    return max(*tried.values(), *(likeness(share) for share in _BETWEEN if abs(share - best) < 0.2))
