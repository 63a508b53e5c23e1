"""How like the master each picture is: SSIM and PSNR on luma, after the picture was laid and levelled."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Container, Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.frames import Grey
from brisk_core.master.geometry import Geometry, covered_part, warp
from brisk_core.master.levels import LevelCurve
from brisk_core.master.pairs import Pair

_FEW_LINES = 32  # of a picture, every one of which is looked at
_WINDOW, _SIGMA = 11, 1.5  # of the structural similarity (Wang, Bovik, Sheikh and Simoncelli 2004)
_C1, _C2 = (0.01 * 255) ** 2, (0.03 * 255) ** 2
_PEAK = 255.0
_WORST_KEPT = 12
_LIKE, _WORST_LIKE = 0.94, 0.85  # means of a whole file, and of its worst picture, from which it counts as good
_PLAINLY = 0.9  # of the likeness of a picture that lies where a geometry lays it
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


def compare_pictures(
    pairs: Iterable[Pair],
    geometry: Geometry,
    curve: LevelCurve | None,
    also: Callable[[Pair, Grey, Grey], None] | None = None,
) -> Similarity | None:
    """Return the likeness of every pair; the master is laid by ``geometry`` and levelled by ``curve``.

    ``also`` is given each pair, and both its pictures as they are compared.
    """
    rows = []
    for pair in pairs:
        both = aligned(pair, geometry, curve)
        if both is None:
            continue
        own, laid = both
        if also is not None:
            also(pair, own, laid)
        rows.append(
            Likeness(frame=pair.own.number, master_frame=pair.other.number, ssim=ssim(own, laid), psnr=psnr(own, laid))
        )
    return Similarity(rows=tuple(rows)) if rows else None


def aligned(pair: Pair, geometry: Geometry, curve: LevelCurve | None) -> tuple[Grey, Grey] | None:
    """Return both pictures where the master covers the file, the master laid and levelled; ``None`` where it does
    not.
    """
    own, other = pair.own.luma, pair.other.luma
    shape = (own.shape[0], own.shape[1])
    part = covered_part(geometry, shape, (other.shape[0], other.shape[1]))
    if part is None:
        return None
    laid, _ = warp(other, geometry, shape)
    if curve is not None and curve.changed:
        laid = np.asarray(laid * np.float32(curve.gain) + np.float32(curve.offset), np.float32)
    return np.ascontiguousarray(own[part]), np.ascontiguousarray(laid[part])


def bears_out(geometry: Geometry, pairs: Sequence[Pair]) -> bool:
    """Do some pictures plainly look like the master's where a geometry lays it?"""
    laid = [aligned(pair, geometry, None) for pair in pairs]
    return bool(laid) and all(both is not None and ssim(*both) >= _PLAINLY for both in laid)


def ssim(one: Grey, other: Grey) -> float:
    """Return the mean structural similarity of two pictures of one size, code values 0 to 255.

    Windows are laid around the samples of every second line; each sees eleven.
    """
    _require_alike(one, other)
    weights, step = _window(), 2 if one.shape[0] > _FEW_LINES else 1
    both = (_filled(one), _filled(other))
    return float(_compiled().mean_similarity(*both, weights, step, np.float32(_C1), np.float32(_C2)))


@lru_cache(maxsize=1)
def _compiled() -> Any:
    return importlib.import_module("brisk_core.master.compiled")


@lru_cache(maxsize=1)
def _window() -> NDArray[np.float32]:
    """Weights of a window along one side."""
    away = np.arange(_WINDOW) - _WINDOW // 2
    bell = np.exp(-np.square(away) / (2 * _SIGMA**2))
    return np.asarray(bell / bell.sum(), np.float32)


def _require_alike(one: Grey, other: Grey) -> None:
    """Raise ``ValueError`` unless both have one shape: compiled loops read on past the end of a smaller one."""
    if one.shape != other.shape or not one.size:
        raise ValueError(f"met pictures of {one.shape} and {other.shape}; expected two of one size")


def _filled(picture: Grey) -> Grey:
    """Return a picture as large as half a window at least: a tiny one goes on as it ends."""
    height, width = picture.shape
    least = _WINDOW // 2 + 1
    if height < least or width < least:
        picture = np.pad(picture, ((0, max(least - height, 0)), (0, max(least - width, 0))), mode="edge")
    return np.ascontiguousarray(picture, np.float32)


def psnr(one: Grey, other: Grey) -> float:
    """Return the peak signal-to-noise ratio of two pictures in dB, at most 99."""
    _require_alike(one, other)
    error = float(_compiled().mean_square(_filled(one), _filled(other)))
    return _SAME if error < 1e-7 else min(_SAME, 10 * float(np.log10(_PEAK**2 / error)))
