"""Code values: how many lie outside narrow range, what range they use, and whether a range was converted wrongly.

EBU R 103 allows short excursions; a picture that was read in the wrong range shows in its whole histogram. Squeezing
full range into narrow range a second time lifts the floor to about 30 and lowers the ceiling to about 218 (8 bits);
stretching narrow range once too often piles samples up at 0 and 255. Mapping integers to integers also leaves its
comb: stretched, one value in seven stays empty; squeezed, one in seven is met twice as often as its neighbours.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.kernels import count_outside
from brisk_core.meters.picture import Picture, Plane
from brisk_core.meters.rows import Rows

_HISTOGRAM_EVERY = 4  # pictures; the histogram is statistics, the counts beside it are exact
_BINS = 1024  # of the histogram; deeper samples are counted by their upper ten bits
_NARROW_TOP, _NARROW_CHROMA_TOP, _NARROW_FLOOR = 235, 240, 16  # ITU-R BT.709-6, item 5.9; BT.2100

_LEAST_PICTURES = 10
_LEAST_SPREAD = 60  # 8-bit steps between the 1st and 99th percentile, below which a picture is too flat to tell
_TAIL = 0.0005  # share of samples that may lie beyond floor and ceiling
_FULL_SHARE = 0.005  # of the samples outside narrow range, with values spread over both ends, that proves full range
_SQUEEZED_FLOOR, _SQUEEZED_CEILING = (26, 34), (212, 222)  # 16 and 235 mapped by 16 + 219/255 of v: 29.7 and 217.8
_TWICE_FLOOR, _TWICE_CEILING = (37, 47), (197, 210)  # mapped once more: 41.5 and 203.1
_PILED = 0.003  # share of the samples at each rail itself
_COMB_PART, _COMB_TEETH, _COMB_COUNTED = 64, 12, 200  # bins that have one place, teeth among them, samples of a tooth
_COMB_LOW, _COMB_USUAL = 1.15, 1.25  # heights over the values two beside of all but few teeth, and of half of them
_COMB_PARTS, _COMB_SHARE = 3, 0.8  # parts of the scale that must be judged, and share of them that must have the comb
_COMB = 0.5  # a bin below this share of its neighbours' mean is a hole, above its inverse (and more) a double


class LevelMeter:
    """Exact counts of code values for each picture, and shares outside narrow range after a small low-pass."""

    name = "levels"
    row = np.dtype(
        [("min", "u2"), ("max", "u2"), ("below", "u4"), ("above", "u4"), ("count", "u4"),
         ("chroma_min", "u2"), ("chroma_max", "u2"), ("chroma_below", "u4"), ("chroma_above", "u4"),
         ("chroma_count", "u4"),
         ("soft_below", "f4"), ("soft_above", "f4"), ("used", "u2"), ("bits", "u1")]
    )  # fmt: skip
    looks_back = False

    def measure(self, now: Picture, before: Sequence[Picture]) -> tuple[Any, ...]:
        """Return smallest and largest values and counts outside narrow range, in code values of the coded depth.

        ``used`` is the bitwise or of the values seen; the bits that are never set are not used.
        """
        bits = now.samples.bits
        luma = _count(now.luma, bits, _NARROW_TOP)
        chroma = [_count(plane, bits, _NARROW_CHROMA_TOP) for plane in now.planes[1:3]]
        soft_below = soft_above = 0.0
        if luma[2] or luma[3]:  # what lies inside stays inside
            soft = cv2.blur(now.bands, (3, 3))
            soft_below, soft_above = (count / soft.size for count in _count(soft, 8, _NARROW_TOP)[2:])
        return (
            *luma,
            now.luma.size,
            min((one[0] for one in chroma), default=0),
            max((one[1] for one in chroma), default=0),
            sum(one[2] for one in chroma),
            sum(one[3] for one in chroma),
            sum(plane.size for plane in now.planes[1:3]),
            soft_below,
            soft_above,
            int(np.bitwise_or.reduce(now.coded_bands, axis=None)) if bits > 8 else 0,
            bits,
        )


def _count(plane: Plane, bits: int, top: int) -> tuple[int, int, int, int]:
    """Return smallest, largest, how many lie below and how many above narrow range."""
    shift = bits - 8
    return count_outside(plane, _NARROW_FLOOR << shift, top << shift)


class LumaHistogram:
    """Luma of every fourth picture, counted by code value; histograms of segments add up."""

    def __init__(self) -> None:
        self.counts = np.zeros(_BINS, np.int64)
        self.pictures = 0

    def take(self, picture: Picture) -> None:
        """Count a picture."""
        if picture.number % _HISTOGRAM_EVERY:
            return
        # The whole picture: some lines of it would leave out values of a drawn slope, which looks like a comb.
        luma, bits = picture.luma, picture.samples.bits
        if bits > 10:
            luma = luma >> (bits - 10)
        counted = cv2.calcHist([luma], [0], None, [_BINS if bits > 8 else 256], [0, _BINS if bits > 8 else 256])
        values = counted.ravel().astype(np.int64)
        self.counts[:: 1 if bits > 8 else 4] += values
        self.pictures += 1

    def join(self, later: LumaHistogram) -> None:
        """Add the histogram of the segment that follows."""
        self.counts += later.counts
        self.pictures += later.pictures


def summarise_levels(rows: Rows) -> dict[str, Any] | None:
    """Return smallest, largest and shares outside narrow range of luma and chroma, of the file and its worst one."""
    if not len(rows):
        return None
    found: dict[str, Any] = {}
    for name, prefix in (("luma", ""), ("chroma", "chroma_")):
        count = rows[f"{prefix}count"].astype(np.float64)
        if not count.any():
            continue
        below, above = (rows[f"{prefix}{side}"].astype(np.float64) for side in ("below", "above"))
        outside = (below + above) / np.maximum(count, 1)
        worst = int(outside.argmax())
        found[name] = {
            "min": int(rows[f"{prefix}min"].min()),
            "max": int(rows[f"{prefix}max"].max()),
            "below_narrow": float(below.sum() / count.sum()),
            "above_narrow": float(above.sum() / count.sum()),
            "worst_frame": worst,
            "worst_share": float(outside[worst]),
        }
    bits = int(rows["bits"].max())
    luma = found["luma"]
    return {
        "min": luma["min"],
        "max": luma["max"],
        "min_8bit": luma["min"] / (1 << (bits - 8)),
        "max_8bit": luma["max"] / (1 << (bits - 8)),
        "below_narrow": luma["below_narrow"],
        "above_narrow": luma["above_narrow"],
        "filtered_below": float(rows["soft_below"].mean()),
        "filtered_above": float(rows["soft_above"].mean()),
        **found,
    }


def bits_used(rows: Rows, histogram: LumaHistogram) -> int | None:
    """Return the depth that the samples really use: the coded one less the low bits that none of them ever sets, and 8
    where their histogram has the comb of 256 values.
    """
    if not len(rows):
        return None
    bits = int(rows["bits"].max())
    used = int(np.bitwise_or.reduce(rows["used"]))
    if bits == 8 or not used:
        return bits
    known = bits - ((used & -used).bit_length() - 1)
    return 8 if known > 8 and _has_comb_of_256(histogram.counts.astype(np.float64)) else known


def _has_comb_of_256(counts: NDArray[np.float64]) -> bool:
    """Does one value in four stand above those between, as where 8 bits were carried into ten, also through a coder?

    By shifting the values lie at multiples of four, by scaling (1023/255) they move by one in every 85, so each part of
    the scale has a place of its own.
    """
    judged = combed = 0
    for start in range(0, _BINS, _COMB_PART):
        parts = []
        for at in range(4):
            peaks = np.arange(start + at, start + _COMB_PART, 4)
            peaks = peaks[(peaks >= 2) & (peaks < _BINS - 2)]
            around = (counts[peaks - 2] + counts[peaks + 2]) / 2
            seen = counts[peaks] + counts[peaks - 1] + counts[peaks + 1] + around
            told = seen >= _COMB_COUNTED
            if np.count_nonzero(told) >= _COMB_TEETH:
                heights = counts[peaks][told] / np.maximum(around[told], 1)
                parts.append((float(np.quantile(heights, 0.15)), float(np.median(heights))))
        if parts:
            low, usual = max(parts)
            judged += 1
            combed += low >= _COMB_LOW and usual >= _COMB_USUAL
    return judged >= _COMB_PARTS and combed >= _COMB_SHARE * judged


@dataclass(frozen=True, slots=True, kw_only=True)
class RangeVerdict:
    """What the histogram says of range and of conversions."""

    range: str | None  #: narrow or full
    shift: str | None  #: none, squeezed, squeezed-twice, stretched, stretched-twice
    says: str  #: why neither can be told


def judge_range(histogram: LumaHistogram, *, full: bool) -> RangeVerdict:
    """Decide range and level shift; ``full`` is what stream and wrapper say the range is."""
    counts = histogram.counts.astype(np.float64)
    total = counts.sum()
    if histogram.pictures < _LEAST_PICTURES or not total:
        return _unsure(f"{histogram.pictures} pictures counted; {_LEAST_PICTURES} are needed")
    cumulated = np.cumsum(counts) / total
    low, high = (float(np.searchsorted(cumulated, share)) / 4 for share in (0.01, 0.99))
    floor, ceiling = (float(np.searchsorted(cumulated, share)) / 4 for share in (_TAIL, 1 - _TAIL))
    if high - low < _LEAST_SPREAD:
        return _unsure(f"too flat: 98 % of the samples lie between {low:.0f} and {high:.0f} (8-bit)")
    by_value = counts.reshape(256, 4).sum(axis=1) / total
    outside = float(by_value[:15].sum()), float(by_value[237:].sum())
    piled = float(by_value[0]) > _PILED and float(by_value[255]) > _PILED
    holes, doubles = _comb(by_value)
    found_range = "full" if min(outside) > _FULL_SHARE / 2 or sum(outside) > _FULL_SHARE * 4 else None
    if found_range is None and sum(outside) < _FULL_SHARE / 5 and floor < 24 and ceiling > 215:
        found_range = "narrow"
    shift = _shift(floor, ceiling, piled, holes, doubles, full=full)
    says = "" if found_range and shift else f"the samples reach from {floor:.0f} to {ceiling:.0f} (8-bit) only"
    times = _SQUEEZES.get(shift or "")
    if times and not _bears_comb(by_value, times):
        # Many a film has no blacker black and no whiter white; the comb of the mapping tells them apart.
        shift = None
        says += ", as full range mapped to narrow twice does and as other pictures may; a master would tell"
    if shift == "none" and found_range == "full" and not full:
        # Lossy coding fills the holes that a stretch leaves, so the two cannot be told apart by the histogram.
        shift, says = None, "full range in a file that says narrow: stretched once too often, or flagged wrongly"
    return RangeVerdict(range=found_range, shift=shift, says=says)


def _unsure(says: str) -> RangeVerdict:
    return RangeVerdict(range=None, shift=None, says=says)


def _shift(floor: float, ceiling: float, piled: bool, holes: int, doubles: int, *, full: bool) -> str | None:
    if not full and holes >= _HOLES_ONCE and ceiling > _NARROW_TOP + 10:
        return "stretched-twice" if holes >= _HOLES_TWICE else "stretched"
    if piled and not full:
        return "stretched"
    if _inside(floor, _SQUEEZED_FLOOR) and _inside(ceiling, _SQUEEZED_CEILING):
        return "squeezed"
    if _inside(floor, _TWICE_FLOOR) and _inside(ceiling, _TWICE_CEILING):
        return "squeezed-twice"
    if doubles >= _DOUBLES and floor > _SQUEEZED_FLOOR[0]:
        return "squeezed"
    return "none" if floor < 24 and ceiling > 222 else None


_SQUEEZES = {"squeezed": 1, "squeezed-twice": 2}  # how often full range was mapped into narrow range beyond need
_COMB_FOUND, _COMB_HEIGHT = 0.2, 0.03  # correlation with the comb, and its height over that of an uncoded one
_COMB_VALUES, _COMB_AROUND = slice(44, 200), 15  # values looked at, and those around each that are the usual
_BLUR = np.exp(-0.5 * np.arange(-3, 4) ** 2)  # a coder moves values by about one


def _bears_comb(by_value: NDArray[np.float64], times: int) -> bool:
    """Do the values stand a little higher where a mapping of integers into narrow range put two on one?

    Which those are is known, so even the traces that lossy coding leaves of them show over all values together.
    """
    return any(_follows_comb(by_value, times, rounding) for rounding in (np.round, np.floor))


def _follows_comb(by_value: NDArray[np.float64], times: int, rounding: Callable[[Any], Any]) -> bool:
    mapped = np.arange(256)
    for _ in range(times):
        mapped = rounding(16 + mapped * (219 / 255)).astype(np.intp)
    blur, even = _BLUR / _BLUR.sum(), np.ones(_COMB_AROUND) / _COMB_AROUND
    comb = np.convolve(np.bincount(mapped, minlength=256).astype(np.float64), blur, "same")
    wanted = (comb / np.maximum(np.convolve(comb, even, "same"), 1e-9) - 1)[_COMB_VALUES]
    heights = np.log(np.convolve(by_value, blur, "same") + 1e-9)
    found = (heights - np.convolve(heights, even, "same"))[_COMB_VALUES]
    wanted, found = wanted - wanted.mean(), found - found.mean()
    shared = float(found @ wanted)
    strength = float(np.sqrt((found @ found) * (wanted @ wanted)))
    return strength > 0 and shared / strength >= _COMB_FOUND and shared / float(wanted @ wanted) >= _COMB_HEIGHT


#: Of the 209 values looked at: one stretch leaves 29 holes and two leave 54; coding fills some.
_HOLES_ONCE, _HOLES_TWICE, _DOUBLES = 15, 42, 15


def _inside(value: float, bounds: tuple[float, float]) -> bool:
    return bounds[0] <= value <= bounds[1]


def _comb(by_value: NDArray[np.float64]) -> tuple[int, int]:
    """Count the values that are met far less and far more often than their neighbours, between 20 and 230."""
    inner = by_value[20:231]
    beside = (inner[:-2] + inner[2:]) / 2
    middle = inner[1:-1]
    seen = beside > 1e-5
    return int(np.sum(seen & (middle < _COMB * beside))), int(np.sum(seen & (middle > 1.6 * beside)))
