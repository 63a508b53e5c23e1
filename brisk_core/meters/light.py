"""Brightness: black, and flashes that can harm viewers (ITU-R BT.1702)."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.picture import Picture, Samples
from brisk_core.meters.rows import Rows
from brisk_core.meters.spans import runs

BLACK_LIMIT = 4  #: 8-bit steps above black under which a picture counts as black

_ACROSS, _DOWN = 12, 7  # cells in which luminance is followed
#: The screen of BT.1702: white is 200 cd/m², light follows the code value by the power 2.4 (ITU-R BT.1886).
SCREEN_WHITE, _GAMMA = 200.0, 2.4
_STEP = 20.0  # cd/m² of an opposing change that counts (BT.1702-3, annex 1)
_DARKER_BELOW = 160.0  # cd/m²; a change between two brighter states is harmless
_AREA = 0.25  # of the screen (BT.1702-3, annex 1)
_MOST_FLASHES = 3  # in any one second; a flash is a pair of opposing changes
_RED_SHARE = 0.8  # of R + G + B from which red is saturated
_LEAST_RED = 160.0  # 8-bit red difference below which no cell can be saturated red
_RED_STEP = 20.0  # change of 320 times (R - G - B) that counts for red


class LightMeter:
    """Mean, 99.9th percentile, luminance and saturated red in cells, and the area that became brighter or darker."""

    name = "light"
    row = np.dtype(
        [("mean", "f2"), ("high", "u1"), ("cells", "u1", (_DOWN * _ACROSS,)), ("red", "u1", (_DOWN * _ACROSS,)),
         ("rose", "f2"), ("fell", "f2")]
    )  # fmt: skip
    looks_back = True

    def __init__(self) -> None:
        self._seen: tuple[Picture, NDArray[np.float32]] | None = None  # the last picture and its luminance

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return mean and 99.9th percentile in 8-bit steps, cd/m² and red of each cell, and the shares of the area
        that rose and fell by the step that counts since the picture before; NaN for the first.
        """
        mean = float(now.small.mean())
        level, light = _level(now), _light(now)
        cells = cv2.resize(light, (_ACROSS, _DOWN), interpolation=cv2.INTER_AREA)
        rose, fell = self._changed(light, before[-1]) if before else (np.nan, np.nan)
        self._seen = now, light
        fixed = np.round(cells).astype(np.uint8).ravel(), _red(now, level).ravel()
        return (mean, now.high, *fixed, rose, fell)

    def _changed(self, light: NDArray[np.float32], before: Picture) -> tuple[float, float]:
        last = self._seen[1] if self._seen is not None and self._seen[0] is before else _light(before)
        if last.shape != light.shape:
            return np.nan, np.nan
        dark = np.minimum(light, last) < _DARKER_BELOW
        return float(((light - last >= _STEP) & dark).mean()), float(((last - light >= _STEP) & dark).mean())


def _level(picture: Picture) -> NDArray[np.float32]:
    """Signal of each cell of the small picture, from 0 for black to 1 for white."""
    return _levels_of_values(picture.samples)[_values(picture)]


def _light(picture: Picture) -> NDArray[np.float32]:
    """Luminance of each cell of the small picture in cd/m²."""
    return _light_of_values(picture.samples)[_values(picture)]


def _values(picture: Picture) -> NDArray[np.intp]:
    """Cells of the small picture as code values of the coded depth, which they are whole."""
    return (picture.small * np.float32(1 << (picture.samples.bits - 8))).astype(np.intp)


@lru_cache(maxsize=8)
def _levels_of_values(samples: Samples) -> NDArray[np.float32]:
    values = np.arange(1 << samples.bits, dtype=np.float32) / np.float32(1 << (samples.bits - 8))
    return np.asarray(np.clip((values - samples.black) / (samples.white - samples.black), 0, 1), np.float32)


@lru_cache(maxsize=8)
def _light_of_values(samples: Samples) -> NDArray[np.float32]:
    return np.asarray(_levels_of_values(samples) ** _GAMMA * SCREEN_WHITE, np.float32)


def _red(now: Picture, level: NDArray[np.float32]) -> NDArray[np.uint8]:
    """Strength of saturated red in cells, (R − G − B) × 320 / 255 where red has its share, else 0 (BT.1702)."""
    chroma = now.small_chroma
    if chroma is None:
        return np.zeros((_DOWN, _ACROSS), np.uint8)
    shape = (_ACROSS, _DOWN)
    if float(chroma[1].max()) < _LEAST_RED:
        return np.zeros((_DOWN, _ACROSS), np.uint8)
    luma = cv2.resize(level, shape, interpolation=cv2.INTER_AREA)
    span = (240 - 16) if not now.samples.full else 255
    blue, red = (
        (
            cv2.resize(
                plane, shape, interpolation=cv2.INTER_LINEAR if plane.shape < (_DOWN, _ACROSS) else cv2.INTER_AREA
            )
            - 128
        )
        / span
        for plane in chroma
    )
    r = np.clip(luma + 1.5748 * red, 0, 1) ** _GAMMA  # ITU-R BT.709-6, item 3.2
    g = np.clip(luma - 0.1873 * blue - 0.4681 * red, 0, 1) ** _GAMMA
    b = np.clip(luma + 1.8556 * blue, 0, 1) ** _GAMMA
    strength = np.where(r >= _RED_SHARE * (r + g + b), np.clip(r - g - b, 0, 1), 0)
    return np.round(strength * 255).astype(np.uint8)


def find_black(rows: Rows, black: float, limit: float = BLACK_LIMIT) -> tuple[tuple[int, int], ...]:
    """Return half-open runs of black pictures; ``black`` is the code value of black in 8 bits.

    A single one counts: it is seen as a blink.
    """
    return tuple(runs(rows["high"] <= black + limit))


def find_flashes(rows: Rows, rate: float) -> tuple[tuple[int, int, str], ...]:
    """Return half-open spans with more than three flashes in any one second, and which kind they are."""
    found = []
    areas = rows["rose"].astype(np.float32), rows["fell"].astype(np.float32)
    general = _opposing(rows["cells"].astype(np.float32), _STEP, _DARKER_BELOW, areas)
    red = _opposing(rows["red"].astype(np.float32) * (320 / 255), _RED_STEP, None, None)
    for changes, kind in ((general, "general flashes"), (red, "red flashes")):
        found += [(start, end, kind) for start, end in _too_many(changes, rate)]
    return tuple(sorted(found))


def _opposing(
    cells: NDArray[np.float32],
    step: float,
    darker_below: float | None,
    areas_of_samples: tuple[NDArray[np.float32], NDArray[np.float32]] | None,
) -> list[int]:
    """Return pictures at which a quarter of the screen completes a change against the direction of the one before.

    Cells tell which way they go over several pictures, but one that changes in part counts whole. Where a change is
    done within a picture or two, the area of the samples that made it has the last word.
    """
    if len(cells) < 2:
        return []
    low, high = cells[0].copy(), cells[0].copy()  # extremes of each cell since its last change
    last = 0
    found: list[int] = []
    recent: list[tuple[NDArray[np.bool_], NDArray[np.bool_]]] = []
    quick = np.abs(np.diff(cells, axis=0)).max(axis=1) >= _LEAST_PACE
    for at in range(1, len(cells)):
        if not quick[at - 1] and not recent:
            continue
        now = cells[at]
        np.minimum(low, now, out=low)
        np.maximum(high, now, out=high)
        dark = True if darker_below is None else low < darker_below
        up, down = (now - low >= step) & dark, (high - now >= step) & ((now < darker_below) if darker_below else True)
        recent = [*recent, (up, down)][-_TOGETHER:]
        areas = [float(np.logical_or.reduce([pair[picked] for pair in recent]).mean()) for picked in (0, 1)]
        for direction, area, against in ((1, areas[0], areas[1]), (-1, areas[1], areas[0])):
            # Where as much goes up as goes down, something moves; light that flashes goes one way.
            if direction != last and area >= _AREA and against <= _AGAINST * area:
                if areas_of_samples and _too_small(cells, areas_of_samples[direction < 0], at, direction):
                    continue
                found.append(at)
                last = direction
                low, high = now.copy(), now.copy()
                recent = []
                break
    return found


def _too_small(cells: NDArray[np.float32], area: NDArray[np.float32], at: int, direction: int) -> bool:
    """Was a change done at once, and by fewer samples than a quarter of the screen?"""
    begun = max(0, at - _TOGETHER)
    earlier = max(0, begun - _BEFORE)
    moved = np.clip(direction * (cells[at] - cells[begun]), 0, None).sum()
    slowly = np.clip(direction * (cells[begun] - cells[earlier]), 0, None).sum()
    changed = float(np.nansum(area[begun + 1 : at + 1]))
    return bool(slowly <= _SLOWLY * moved and changed < _AREA)


_BEFORE, _SLOWLY = 3, 0.2  # pictures before a change, and the share of it that may have been done in them
#: cd/m² a picture below which nothing on the way can make four flashes a second, at 60 pictures a second.
_LEAST_PACE = 2.0
_AGAINST = 0.5  # area that may change the other way at the same time, as a share
_TOGETHER = 2  # pictures within which the cells of one change may follow each other


def _too_many(changes: list[int], rate: float) -> list[tuple[int, int]]:
    """Stretches in which any one second holds more than three pairs of changes."""
    least = 2 * _MOST_FLASHES + 1
    found: list[tuple[int, int]] = []
    for at in range(len(changes) - least + 1):
        first, last = changes[at], changes[at + least - 1]
        if last - first < rate:
            if found and first <= found[-1][1]:
                found[-1] = (found[-1][0], last + 1)
            else:
                found.append((first, last + 1))
    return found
