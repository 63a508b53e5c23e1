"""How like the master each picture is: SSIM and PSNR on luma, after the picture was laid and levelled."""

from __future__ import annotations

from collections.abc import Container, Iterable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.frames import Grey
from brisk_core.master.geometry import Geometry, warp
from brisk_core.master.levels import LevelCurve
from brisk_core.master.pairs import Pair

_LINES = 60  # of a picture that are looked at together
_WINDOW, _SIGMA = (11, 11), 1.5  # of the structural similarity (Wang, Bovik, Sheikh and Simoncelli 2004)
_C1, _C2 = (0.01 * 255) ** 2, (0.03 * 255) ** 2
_PEAK = 255.0
_WORST_KEPT = 12
_LIKE, _WORST_LIKE = 0.94, 0.85  # means of a whole file, and of its worst picture, from which it counts as good
_SAME = 99.0  # dB told of pictures that are the same to the last sample


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

    def without(self, frames: Container[int]) -> Similarity:
        """The likeness of the other pictures, of all where nothing else was compared."""
        rows = tuple(row for row in self.rows if row.frame not in frames)
        return Similarity(rows=rows or self.rows)

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


def aligned(pair: Pair, geometry: Geometry, curve: LevelCurve | None) -> tuple[Grey, Grey] | None:
    """Return both pictures where the master covers the file, the master laid and levelled; ``None`` where it does
    not.
    """
    shape = (pair.own.luma.shape[0], pair.own.luma.shape[1])
    laid, inside = warp(pair.other.luma, geometry, shape)
    if curve is not None and curve.changed:
        laid = np.asarray(laid * np.float32(curve.gain) + np.float32(curve.offset), np.float32)
    return _crop(pair.own.luma, laid, inside) if inside.mean() >= 0.05 else None


def _crop(own: Grey, laid: Grey, inside: NDArray[np.bool_]) -> tuple[Grey, Grey]:
    """Both pictures where the master covers the file."""
    down, across = np.flatnonzero(inside.any(axis=1)), np.flatnonzero(inside.any(axis=0))
    part = np.s_[down[0] : down[-1] + 1, across[0] : across[-1] + 1]
    return np.ascontiguousarray(own[part]), np.ascontiguousarray(laid[part])


def ssim(one: Grey, other: Grey) -> float:
    """Return the mean structural similarity of two pictures of one size, code values 0 to 255."""
    height = one.shape[0]
    total = 0.0
    for top in range(0, height, _LINES):
        bottom = min(height, top + _LINES)
        start = max(0, top - _WINDOW[1] // 2)
        end = min(height, bottom + _WINDOW[1] // 2)
        total += _similar(one[start:end], other[start:end], slice(top - start, bottom - start))
    return total / one.size


def _similar(one: Grey, other: Grey, lines: slice) -> float:
    """Return the sum of the similarity of some lines, which are few enough to stay in the processor's cache."""

    def soft(picture: Any) -> Any:
        return cv2.GaussianBlur(picture, _WINDOW, _SIGMA)[lines]

    def square(picture: Any) -> Any:
        return cv2.multiply(picture, picture)

    mean_one, mean_other = soft(one), soft(other)
    means = cv2.multiply(mean_one, mean_other)
    squares = cv2.add(square(mean_one), square(mean_other))
    # The two variances are only ever added up, so they are softened as one picture.
    spreads = cv2.subtract(soft(cv2.add(square(one), square(other))), squares)
    shared = cv2.subtract(soft(cv2.multiply(one, other)), means)
    top = cv2.multiply(cv2.addWeighted(means, 2, means, 0, _C1), cv2.addWeighted(shared, 2, shared, 0, _C2))
    bottom = cv2.multiply(squares + np.float32(_C1), spreads + np.float32(_C2))
    return float(cv2.sumElems(cv2.divide(top, bottom))[0])


def psnr(one: Grey, other: Grey) -> float:
    """Return the peak signal-to-noise ratio of two pictures in dB, at most 99."""
    error = float(np.mean(np.square(one - other, dtype=np.float64)))
    return _SAME if error < 1e-7 else min(_SAME, 10 * float(np.log10(_PEAK**2 / error)))
