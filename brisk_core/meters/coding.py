"""Traces of coding: blocks, and alpha as it is really used."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.picture import Picture, Plane
from brisk_core.meters.rows import Rows

_GRID = 8  # samples; coders of 16-sample blocks transform in eights too
_LEAST_STEP = 0.3  # mean 8-bit step beside the grid below which a picture is too flat
_EVERY = 4  # pictures between two that are looked at
_LINE_STEP = 4  # lines between those looked at
_TOLERANCE = 3.0  # 8-bit steps a premultiplied sample may exceed its alpha by: rounding and coding
_STRAIGHT_SHARE = 0.01  # of half-transparent samples above their alpha that proves straight alpha
_PARTIAL = (8, 247)  # 8-bit alpha counted as half transparent


class BlockMeter:
    """Steps on the eight-sample grid over steps beside it, across the picture."""

    name = "blocks"
    row = np.dtype([("ratio", "f2")])
    looks_back = False

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return the ratio; NaN for a picture that is not looked at or too flat to tell."""
        if now.number % _EVERY:
            return (np.nan,)
        lines = now.bands[::_LINE_STEP]
        if lines.shape[1] <= _GRID:
            return (np.nan,)
        steps = cv2.reduce(cv2.absdiff(lines[:, 1:], lines[:, :-1]), 0, cv2.REDUCE_AVG, dtype=cv2.CV_32F).ravel()
        on_grid, beside = steps[_GRID - 1 :: _GRID], steps[_GRID // 2 - 1 :: _GRID]
        usual = float(beside.mean())
        return (float(on_grid.mean()) / usual,) if usual >= _LEAST_STEP else (np.nan,)


def judge_blockiness(rows: Rows) -> float | None:
    """Return the mean ratio of the pictures that can be told, ``None`` when they are few."""
    told = rows["ratio"][~np.isnan(rows["ratio"])].astype(np.float64)
    return round(float(told.mean()), 3) if len(told) >= _LEAST_PICTURES else None


_LEAST_PICTURES = 5


class AlphaMeter:
    """Smallest and largest alpha, and how much of the half-transparent picture is brighter than its alpha allows."""

    name = "alpha"
    row = np.dtype([("there", "?"), ("min", "u1"), ("max", "u1"), ("partial", "f4"), ("above", "f4")])
    looks_back = False

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return whether there is alpha, its extremes in 8 bits, share of half-transparent samples, of those too
        bright.
        """
        if now.alpha is None:
            return (False, 0, 0, 0.0, 0.0)
        alpha = _eight(now.alpha, now.samples.bits)
        low, high = (int(value) for value in cv2.minMaxLoc(alpha)[:2])
        if low >= _PARTIAL[1]:
            return (True, low, high, 0.0, 0.0)
        partial = (alpha > _PARTIAL[0]) & (alpha < _PARTIAL[1])
        share = float(partial.mean())
        if not share:
            return (True, low, high, 0.0, 0.0)
        luma = _eight(now.luma, now.samples.bits)[partial].astype(np.float32)
        black, white = now.samples.black, now.samples.white
        allowed = black + (white - black) * alpha[partial].astype(np.float32) / 255 + _TOLERANCE
        return (True, low, high, share, float((luma > allowed).mean()))


def _eight(plane: Plane, bits: int) -> NDArray[np.uint8]:
    return plane if plane.dtype == np.uint8 else (plane >> (bits - 8)).astype(np.uint8)


def judge_alpha(rows: Rows) -> str | None:
    """Return none, opaque, straight, premultiplied, or present where half-transparent samples are too few to tell."""
    if not len(rows):
        return None
    if not rows["there"].any():
        return "none"
    if int(rows["min"][rows["there"]].min()) >= _PARTIAL[1]:
        return "opaque"
    told = rows[rows["partial"] > _LEAST_PARTIAL]
    if len(told) < 1:
        return "present"
    return "straight" if float(told["above"].mean()) > _STRAIGHT_SHARE else "premultiplied"


_LEAST_PARTIAL = 0.0005
