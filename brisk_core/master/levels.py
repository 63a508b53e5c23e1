"""The level curve: which luma of the master became which luma of the file, and what happened to colour."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.facts import Sentence
from brisk_core.frames import Grey
from brisk_core.master.colours import Colours, Matrix, at_places, colours_of, gathered
from brisk_core.master.geometry import Geometry, warp
from brisk_core.master.pairs import Pair

_FEWEST = 400  # samples of a value before its place on the curve is believed
_QUIET = 6.0  # code values of local contrast above which a sample is left out: edges move with scaling
_GAIN, _OFFSET = 0.012, 1.2  # from which a curve counts as changed; coding alone stays below
_SQUEEZE = 219 / 255  # full range put into narrow range (ITU-R BT.709 item 5, 8 bit)
_NAMED = (
    # gain, offset, in words
    (_SQUEEZE, 16.0, "narrow range was put into narrow range once more: blacks turn grey"),
    (_SQUEEZE**2, 16 * _SQUEEZE + 16, "narrow range was put into narrow range two times more: blacks turn grey"),
    (1 / _SQUEEZE, -16 / _SQUEEZE, "narrow range was stretched to full range: shadows and lights are clipped"),
)
_CLIPPED = 6  # values of the master at an end that share one value of the file


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelCurve:
    """File luma over master luma, 8-bit narrow-range code values."""

    points: tuple[tuple[float, float], ...]  #: (master, file), rising
    gain: float
    offset: float
    clipped_low: bool
    clipped_high: bool
    colours: Colours

    @property
    def range_says(self) -> str:
        """What a change of range made of it; empty where it is none."""
        near = (says for gain, offset, says in _NAMED if abs(self.gain - gain) < 0.03 and abs(self.offset - offset) < 4)
        return next(near, "")

    @property
    def is_explained(self) -> bool:
        """Is luma as it is because of the colours?"""
        return self.colours.explains_luma

    @property
    def fault_of_colour(self) -> str:
        """What became of the colours, a sentence where it is known; else empty."""
        return self.colours.known_fault(with_luma=self.changed)

    @property
    def changed(self) -> bool:
        """Is the curve another than the straight line?"""
        middle = self.gain * 126 + self.offset - 126
        return abs(self.gain - 1) > _GAIN or abs(middle) > _OFFSET

    def to_json(self) -> dict[str, Any]:
        """The value of ``master.level_curve``."""
        return {
            "gain": round(self.gain, 4),
            "offset": round(self.offset, 2),
            "clipped_low": self.clipped_low,
            "clipped_high": self.clipped_high,
            **self.colours.to_json(),
            "points": [[round(one, 1), round(other, 2)] for one, other in self.points],
        }


def find_curve(
    pairs: Iterable[Pair], geometry: Geometry, matrices: tuple[Matrix, Matrix] | None = None
) -> LevelCurve | None:
    """Return the level curve over some pairs, ``None`` where the pictures are too flat to tell.

    ``matrices`` are the colour matrices of file and master.
    """
    masters, files = [], []
    coloured: list[NDArray[np.float32]] = []
    for pair in pairs:
        laid, inside = warp(pair.other.luma, geometry, (pair.own.luma.shape[0], pair.own.luma.shape[1]))
        quiet = inside & (_contrast(laid) < _QUIET) & (_contrast(pair.own.luma) < _QUIET)
        masters.append(laid[quiet])
        files.append(pair.own.luma[quiet])
        colours = colours_of(pair, geometry)
        if colours is not None:
            lumas = at_places(pair.own.luma), at_places(np.where(inside, laid, pair.own.luma))
            coloured.append(np.column_stack([colours, *lumas]))
    if not masters:
        return None
    master, file = np.concatenate(masters), np.concatenate(files)
    keys = np.clip(np.rint(master), 0, 255).astype(np.intp)
    counts = np.bincount(keys, minlength=256)
    known = np.flatnonzero(counts >= _FEWEST)
    if len(known) < 24 or known[-1] - known[0] < 40:
        return None
    order = np.argsort(keys, kind="stable")
    edges = np.concatenate([[0], np.cumsum(counts)])
    sorted_file = file[order]
    middle = np.array([float(np.median(sorted_file[edges[key] : edges[key + 1]])) for key in known])
    gain, offset, low, high = _straight(known.astype(np.float64), middle)
    return LevelCurve(
        points=tuple((float(key), value) for key, value in zip(known, middle, strict=True)),
        gain=gain,
        offset=offset,
        clipped_low=low,
        clipped_high=high,
        colours=gathered(coloured, matrices),
    )


def _contrast(luma: Grey) -> Grey:
    kernel = np.ones((3, 3), np.uint8)
    return np.asarray(cv2.morphologyEx(luma, cv2.MORPH_GRADIENT, kernel), np.float32)


def _straight(keys: NDArray[np.float64], values: NDArray[np.float64]) -> tuple[float, float, bool, bool]:
    """Gain and offset of the straight part of the curve, and whether its ends are clipped."""
    low, high = _flat_run(values), _flat_run(values[::-1])
    inner = slice(low if low >= _CLIPPED else 0, len(keys) - (high if high >= _CLIPPED else 0))
    if inner.stop - inner.start < 12:
        inner = slice(0, len(keys))
    gain, offset = np.polyfit(keys[inner], values[inner], 1)
    for _ in range(3):
        off = np.abs(values[inner] - (gain * keys[inner] + offset))
        kept = off <= max(1.0, 2 * float(np.median(off)))
        gain, offset = np.polyfit(keys[inner][kept], values[inner][kept], 1)
    clipped = bool(low >= _CLIPPED and keys[0] < 60), bool(high >= _CLIPPED and keys[-1] > 190)
    return float(gain), float(offset), *clipped


def _flat_run(values: NDArray[np.float64]) -> int:
    """How many values at an end share its value."""
    return int(np.argmax(np.append(np.abs(values - values[0]) > 0.6, True)))


def tell_levels(curve: LevelCurve) -> tuple[tuple[Sentence, ...], str]:
    """Return the sentences and a short word."""
    sentences: list[Sentence] = []
    words = f"gain {curve.gain:.3f}, offset {curve.offset:+.1f}"
    if told := curve.fault_of_colour:
        sentences.append(Sentence(says=told, frame=0, fault=True))
    if curve.changed and not curve.is_explained:
        named = curve.range_says
        black, white = (curve.gain * value + curve.offset for value in (16, 235))
        says = f"Levels differ from the master: {words} (black {black:.0f}, white {white:.0f})"
        sentences.append(Sentence(says=f"{says}{': ' + named if named else ''}.", frame=0, fault=True))
    elif curve.clipped_low or curve.clipped_high:
        end = "Shadows" if curve.clipped_low else "Lights"
        sentences.append(Sentence(says=f"{end} of the master are clipped.", frame=0, fault=True))
    colours = curve.colours
    if colours.is_other and not told and not colours.is_right_conversion:
        # Levels that are squeezed or stretched take colour with them; it is told once then.
        with_levels = curve.changed and not colours.is_tinted and not colours.is_turned
        sentences.append(Sentence(says=colours.says(), frame=0, fault=not with_levels))
    return tuple(sentences), words
