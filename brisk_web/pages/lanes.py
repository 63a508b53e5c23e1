"""What the lanes of a check show: a window of the file as so many columns, smallest and largest value in each."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np

from brisk_core.edit import Timeline
from brisk_core.facts import keys
from brisk_core.packets import PacketSeries, fullness, load_series, one_second_windows
from brisk_core.packets.series import SOUND_STEPS
from brisk_core.spec import bit_rate_limits
from brisk_web.checks.models import Check
from brisk_web.pages.scan_lanes import scan_window

MOST_COLUMNS = 4000
_MOST_SOUND_TRACKS = 4  # drawn; more are named by their number
_TYPES_BELOW = 800  # frames in the window up to which pictures are drawn by their types


@dataclass(frozen=True, slots=True, kw_only=True)
class Series:
    """A packet series laid out by presented frame."""

    sizes: np.ndarray  #: bytes by frame
    types: bytes  #: letters by frame
    entries: np.ndarray  #: frames where a player can start
    rates: np.ndarray | None  #: bits in the second from each packet on, in decode order; None under a second
    steps: np.ndarray  #: microseconds from each frame to the next; the last has the mean
    sound: tuple[np.ndarray, ...]  #: bytes of each track in each 1/25 s from the first frame on
    packets: PacketSeries

    def __len__(self) -> int:
        return len(self.sizes)


@lru_cache(maxsize=16)
def _series(path: str, modified_ns: int, rate: Fraction) -> Series:
    packets: PacketSeries = load_series(Path(path))
    order = packets.presentation_order
    windows = one_second_windows(packets, rate)
    pts = packets.pts[order]
    steps = np.rint(np.diff(pts) * float(packets.time_base * 1_000_000)).astype(np.int64)
    first = max(int(pts[0] * packets.time_base * SOUND_STEPS), 0)
    return Series(
        steps=np.append(steps, round(1_000_000 / rate)),
        sound=tuple(track[first:].astype(np.int64) for track in packets.sound),
        packets=packets,
        sizes=packets.sizes[order].astype(np.int64),
        types=bytes(packets.types[order]),
        entries=np.flatnonzero(packets.random_access[order]),
        rates=windows.bits if windows else None,
    )


def series_of(check: Check) -> Series | None:
    """Return the series of a check's file, ``None`` while there is none."""
    inspection = check.media_file.inspection
    facts = inspection.facts if inspection else None
    rate = facts[keys.PICTURE_FRAME_RATE] if facts else None
    if inspection is None or rate is None or not inspection.has_series:
        return None
    path = inspection.series_path
    return _series(str(path), path.stat().st_mtime_ns, rate)


@lru_cache(maxsize=16)
def _fullness(path: str, modified_ns: int, rate: Fraction, buffer_rate: int, buffer_size: int) -> np.ndarray:
    """Bits left in a buffer after each frame was taken out, by presented frame."""
    packets = _series(path, modified_ns, rate).packets
    return fullness(packets, rate, buffer_rate, buffer_size)[packets.presentation_order]


def columns(values: np.ndarray, start: int, end: int, width: int) -> list[list[int]]:
    """Return ``[smallest, largest]`` of the values in each of ``width`` columns of the window ``[start, end)``.

    Fewer values than columns give one entry a value. The work is one pass over the window, whatever the width.
    """
    part = values[start:end]
    if not len(part):
        return []
    if len(part) <= width:
        return [[int(value), int(value)] for value in part]
    edges = np.arange(width, dtype=np.int64) * len(part) // width
    low, high = np.minimum.reduceat(part, edges), np.maximum.reduceat(part, edges)
    pairs: list[list[int]] = np.stack([low, high], axis=1).tolist()
    return pairs


def _letters(series: Series, start: int, end: int, width: int) -> str:
    """The type of the largest picture in each column of ``columns``; none for a window of too many pictures."""
    if end - start > _TYPES_BELOW:
        return ""
    part = series.sizes[start:end]
    count = min(width, len(part))
    edges = [*(np.arange(count, dtype=np.int64) * len(part) // count).tolist(), len(part)]
    largest = (first + int(part[first:last].argmax()) for first, last in pairwise(edges))
    return "".join(chr(series.types[start + one]) for one in largest)


def _limits(check: Check) -> dict[str, int]:
    """The bit rates that the spec's lines draw: least and most of the mean, most of the peak."""
    inspection = check.media_file.inspection
    facts = inspection.facts if inspection else None
    return bit_rate_limits(check.spec_version.parsed(), facts.ordered_as(check.kind_of_work)) if facts else {}


def _edit_lane(check: Check, timeline: Timeline | None, rate: Fraction) -> dict[str, Any]:
    """Events and marks of the timeline in frames of the file."""
    if timeline is None or check.timeline is None:
        return {"events": [], "marks": [], "length": None}
    covered = check.timeline.covered(check.range_start, check.range_end)
    scale = rate / timeline.rate

    def place(frame: int) -> float:
        return float((frame - covered.start) * scale)

    lane = timeline.picture_lanes[0] if timeline.picture_lanes else None
    events = [
        {"kind": event.kind, "name": event.name, "start": place(event.start), "end": place(event.end)}
        for event in (lane.events if lane else ())
        if event.end > covered.start and event.start < covered.end
    ]
    marks = [
        {"name": mark.name, "at": place(mark.start)}
        for mark in timeline.marks
        if covered.start <= mark.start < covered.end
    ]
    return {"events": events, "marks": marks, "length": float(covered.length * scale)}


def _buffer_lane(
    check: Check, limits: dict[str, int], rate: Fraction, start: int, end: int, width: int
) -> dict[str, Any]:
    """The buffer that the spec gives, else the one that the stream codes, and what is left in it after each frame."""
    inspection = check.media_file.inspection
    facts = inspection.facts if inspection else None
    if inspection is None or facts is None:
        return {}
    given = "buffer_rate" in limits
    coded = facts.witnessed(keys.BITRATE_BUFFER).told
    if given:
        speed, size = limits["buffer_rate"], limits["buffer_size"]
    elif coded:
        speed, size = coded["rate"], coded["size"]
    else:
        return {}
    path = inspection.series_path
    left = _fullness(str(path), path.stat().st_mtime_ns, rate, speed, size)
    return {
        "size": size,
        "rate": speed,
        "given": given,
        "left": columns(left, start, end, width),
        "least": int(left.min()),
    }


def _sound_lane(series: Series, rate: Fraction, start: int, end: int, width: int) -> list[list[list[int]]]:
    """The bytes of the first tracks in the window, a list of columns for each."""
    first, last = int(start / rate * SOUND_STEPS), -int(-end / rate * SOUND_STEPS // 1)
    return [columns(track, first, last, width) for track in series.sound[:_MOST_SOUND_TRACKS]]


def window(check: Check, start: int, end: int, width: int) -> dict[str, Any] | None:
    """Return everything the lanes draw of frames ``[start, end)`` in ``width`` columns, ``None`` without a series."""
    series = series_of(check)
    inspection = check.media_file.inspection
    if series is None or inspection is None or inspection.facts is None:
        return None
    rate = inspection.facts[keys.PICTURE_FRAME_RATE]
    if rate is None:
        return None
    start = max(0, min(start, len(series) - 1))
    end = max(start + 1, min(end, len(series)))
    width = max(1, min(width, MOST_COLUMNS))
    timeline = check.timeline.edit if check.timeline else None
    inside = series.entries[(series.entries >= start) & (series.entries < end)]
    limits = _limits(check)
    return {
        "buffer": _buffer_lane(check, limits, rate, start, end, width),
        "steps": columns(series.steps, start, end, width),
        "period": round(1_000_000 / rate),
        "sound": _sound_lane(series, rate, start, end, width),
        "sound_tracks": len(series.sound),
        "start": start,
        "end": end,
        "frames": len(series),
        "edit": _edit_lane(check, timeline, rate),
        "rates": columns(series.rates, start, end, width) if series.rates is not None else [],
        "rates_end": len(series.rates) if series.rates is not None else 0,
        "limits": {name: limits[name] for name in ("peak", "most", "least") if name in limits},
        "sizes": columns(series.sizes, start, end, width),
        "types": _letters(series, start, end, width),
        "entries": inside.tolist() if len(inside) <= width // 3 else [],
        "largest_size": int(series.sizes.max()),
        "scan": scan_window(check, inspection.facts, rate, start, end, width),
    }
