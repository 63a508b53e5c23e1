"""How like the master each picture is: SSIM and PSNR on luma, after the picture was laid and levelled."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.frames import Grey
from brisk_core.master.geometry import Geometry, warp
from brisk_core.master.levels import LevelCurve
from brisk_core.master.pairs import Pair

_WINDOW, _SIGMA = (11, 11), 1.5  # of the structural similarity (Wang, Bovik, Sheikh and Simoncelli 2004)
_C1, _C2 = (0.01 * 255) ** 2, (0.03 * 255) ** 2
_PEAK = 255.0
_WORST_KEPT = 12
_LIKE, _WORST_LIKE = 0.94, 0.85  # means of a whole file, and of its worst picture, from which it counts as good
_STANDS_OUT, _LEAST_DROP = 8.0, 0.02  # spreads and SSIM below the usual at which a picture is looked at closely
_MOST_LOOKED = 60
_FEW_TRIED = 6
_MUST_GAIN = 0.3  # of what a picture lacks in likeness that a blend must bring
_SOFTNESS = (0.6, 1.0, 1.6)  # samples
_SHARES, _BETWEEN = (0.2, 0.5, 0.8), (0.35, 0.65)  # of a blend that are tried, and then beside the best
_SAME = 99.0  # dB told of pictures that are the same to the last sample


#: Gives the luma of a frame of the file and of the master's frames around its place, laid and levelled alike.
Look = Callable[[int], tuple[Grey, list[Grey]] | None]


@dataclass(frozen=True, slots=True, kw_only=True)
class Likeness:
    """How like its master one picture is."""

    frame: int  #: of the file
    master_frame: int
    ssim: float
    psnr: float  #: dB


@dataclass(frozen=True, slots=True, kw_only=True)
class Similarity:
    """Likeness of the pictures that were compared."""

    rows: tuple[Likeness, ...]  #: in file order

    @property
    def mean(self) -> float:
        """Mean structural similarity."""
        return float(np.mean([row.ssim for row in self.rows]))

    @property
    def worst(self) -> list[Likeness]:
        """The least like pictures, the worst first."""
        return sorted(self.rows, key=lambda row: row.ssim)[:_WORST_KEPT]

    @property
    def right(self) -> bool:
        """Is the file as good as its master, for what coding must lose?"""
        return self.mean >= _LIKE and self.worst[0].ssim >= _WORST_LIKE

    def of(self, start: int, end: int) -> float | None:
        """Return the mean over frames of the file, ``None`` where none was compared."""
        found = [row.ssim for row in self.rows if start <= row.frame < end]
        return float(np.mean(found)) if found else None

    def to_json(self) -> dict[str, Any]:
        """The value of ``master.similarity``."""
        psnr = float(np.mean([row.psnr for row in self.rows]))
        return {
            "ssim": round(self.mean, 4),
            "psnr": round(psnr, 2),
            "compared": len(self.rows),
            "worst": [[row.frame, row.master_frame, round(row.ssim, 4), round(row.psnr, 2)] for row in self.worst],
            "frames": [[row.frame, round(row.ssim, 4)] for row in self.rows],
        }


def compare_pictures(pairs: Iterable[Pair], geometry: Geometry, curve: LevelCurve | None) -> Similarity | None:
    """Return the likeness of every pair; the master is laid by ``geometry`` and levelled by ``curve``."""
    rows = []
    for pair in pairs:
        both = aligned(pair, geometry, curve)
        if both is None:
            continue
        own, laid = both
        rows.append(
            Likeness(frame=pair.own.number, master_frame=pair.other.number, ssim=ssim(own, laid), psnr=psnr(own, laid))
        )
    return Similarity(rows=tuple(rows)) if rows else None


def _gain_by_blending(look: Look, frame: int, own_likeness: float) -> float:
    """How much more like a blend of two pictures of the master a frame is than like its own place, sharp or soft.

    A blend is softer than its parts, and so is a picture that was coded with too few bits; what softness alone
    explains does not count.
    """
    seen = look(frame)
    if seen is None:
        return 0.0
    own, masters = seen
    middle = masters[len(masters) // 2]
    soft = (np.asarray(cv2.GaussianBlur(middle, (0, 0), sigma), np.float32) for sigma in _SOFTNESS)
    plain = max(own_likeness, *(ssim(own, one) for one in soft))
    pairs = [(one, other) for at, one in enumerate(masters) for other in masters[at + 1 :]]
    return max((_best_blend(own, *pair) for pair in pairs), default=0.0) - plain


def _best_blend(own: Grey, one: Grey, other: Grey) -> float:
    """How like the best blend of two pictures a third is."""

    def likeness(share: float) -> float:
        return ssim(own, np.asarray(cv2.addWeighted(one, 1 - share, other, share, 0), np.float32))

    tried = {share: likeness(share) for share in _SHARES}
    best = max(tried, key=lambda share: tried[share])
    return max(*tried.values(), *(likeness(share) for share in _BETWEEN if abs(share - best) < 0.2))


def aligned(pair: Pair, geometry: Geometry, curve: LevelCurve | None) -> tuple[Grey, Grey] | None:
    """Return both pictures where the master covers the file, the master laid and levelled; ``None`` where it does
    not.
    """
    shape = (pair.own.luma.shape[0], pair.own.luma.shape[1])
    laid, inside = warp(pair.other.luma, geometry, shape)
    if curve is not None and curve.changed:
        laid = np.asarray(laid * np.float32(curve.gain) + np.float32(curve.offset), np.float32)
    return _crop(pair.own.luma, laid, inside) if inside.mean() >= 0.05 else None


def find_blended(similarity: Similarity, look: Look, doubtful: Sequence[int] = ()) -> set[int]:
    """Return the frames of the file that are blends of the pictures beside their place.

    The waves of a picture halfway between two others in a steady pan are those of the picture itself; only its edges
    tell, which are double. ``look`` gives a picture of the file and those of the master from one before to one after.
    ``doubtful`` are pictures that the file's own scan takes for blends; where a few of them turn out to be, all are.
    """
    by_frame = {row.frame: row.ssim for row in similarity.rows}
    values = np.array(list(by_frame.values()))
    usual = float(np.median(values))
    spread = 1.5 * float(np.median(np.abs(values - usual)))
    odd = [frame for frame, value in by_frame.items() if value < usual - max(_STANDS_OUT * spread, _LEAST_DROP)]
    found: set[int] = set()
    for frame in sorted(odd, key=lambda one: by_frame[one])[:_MOST_LOOKED]:
        lacks = usual - by_frame[frame]
        if _gain_by_blending(look, frame, by_frame[frame]) > _MUST_GAIN * lacks:
            found.add(frame)
    tried = [frame for frame in doubtful if frame in by_frame and frame not in found]
    tried = tried[:: max(1, len(tried) // _FEW_TRIED)][:_FEW_TRIED]
    better = [
        frame for frame in tried if _gain_by_blending(look, frame, by_frame[frame]) > _MUST_GAIN * (1 - by_frame[frame])
    ]
    if tried and len(better) > len(tried) / 2:
        found |= set(doubtful)
    return found


def _crop(own: Grey, laid: Grey, inside: NDArray[np.bool_]) -> tuple[Grey, Grey]:
    """Both pictures where the master covers the file."""
    down, across = np.flatnonzero(inside.any(axis=1)), np.flatnonzero(inside.any(axis=0))
    part = np.s_[down[0] : down[-1] + 1, across[0] : across[-1] + 1]
    return np.ascontiguousarray(own[part]), np.ascontiguousarray(laid[part])


def ssim(one: Grey, other: Grey) -> float:
    """Return the mean structural similarity of two pictures of one size, code values 0 to 255."""

    def soft(picture: NDArray[np.float32]) -> NDArray[np.float32]:
        return np.asarray(cv2.GaussianBlur(picture, _WINDOW, _SIGMA), np.float32)

    mean_one, mean_other = soft(one), soft(other)
    means = mean_one * mean_other
    squares = np.square(mean_one, out=mean_one)
    squares += np.square(mean_other, out=mean_other)
    # The two variances are only ever added up, so they are softened as one picture.
    spreads = soft(np.asarray(cv2.accumulateSquare(other, one * one), np.float32))
    spreads -= squares
    shared = soft(one * other)
    shared -= means
    top = (means * 2 + np.float32(_C1)) * (shared * 2 + np.float32(_C2))
    squares += np.float32(_C1)
    spreads += np.float32(_C2)
    squares *= spreads
    return float(np.mean(np.divide(top, squares, out=top)))


def psnr(one: Grey, other: Grey) -> float:
    """Return the peak signal-to-noise ratio of two pictures in dB, at most 99."""
    error = float(np.mean(np.square(one - other, dtype=np.float64)))
    return _SAME if error < 1e-7 else min(_SAME, 10 * float(np.log10(_PEAK**2 / error)))
