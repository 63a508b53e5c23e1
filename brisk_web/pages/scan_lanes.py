"""What the lanes show of a full scan: fields, cadence, levels, light, bars and sound of a window of the file."""

from __future__ import annotations

from fractions import Fraction
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from brisk_core.facts import Inspection as Facts
from brisk_core.facts import keys
from brisk_core.meters import fields
from brisk_core.meters.hops import HOPS
from brisk_core.meters.spans import runs
from brisk_core.scan import ScanSeries, load_scan, series
from brisk_web.checks.models import Check
from brisk_web.inspections.models import Inspection

_MOST_RUNS = 600  # drawn of one kind; more are drawn as columns in which something happens
_MOMENTS = {fields.PROGRESSIVE: "one", fields.TOP: "top", fields.BOTTOM: "bottom"}
_MARKS = {
    "repeat": series.REPEAT, "blend": series.BLEND, "drop": series.DROP, "black": series.BLACK, "freeze": series.FREEZE,
    "flash": series.FLASH, "missing": series.MISSING,
}  # fmt: skip
_LOUDNESS = (keys.SOUND_PROGRAMME_LOUDNESS.id, keys.SOUND_LOUDNESS.id)
_LOUDNESS_FLOOR = -60.0  # LUFS; the lane does not go lower


@lru_cache(maxsize=8)
def _load(path: str, modified_ns: int) -> ScanSeries:
    return load_scan(Path(path))


def scan_of(inspection: Inspection) -> ScanSeries | None:
    """Return the scan series of an inspection, ``None`` while there is none."""
    if not inspection.has_scan:
        return None
    path = inspection.scan_path
    try:
        return _load(str(path), path.stat().st_mtime_ns)
    except (OSError, ValueError):
        return None


def number_columns(values: np.ndarray, start: int, end: int, width: int, digits: int = 2) -> list[list[float] | None]:
    """Return ``[smallest, largest]`` in each of ``width`` columns, ``None`` where there is no number."""
    part = np.asarray(values[start:end], np.float64)
    if not len(part):
        return []
    count = min(width, len(part))
    edges = np.arange(count, dtype=np.int64) * len(part) // count
    there = ~np.isnan(part)
    low = np.minimum.reduceat(np.where(there, part, np.inf), edges)
    high = np.maximum.reduceat(np.where(there, part, -np.inf), edges)
    return [
        [round(float(one), digits), round(float(other), digits)] if one <= other else None
        for one, other in zip(low, high, strict=True)
    ]


def _runs_in(there: np.ndarray, start: int, end: int, width: int) -> list[list[int]]:
    """Runs of a mark in the window, in frames; very many are brought together by columns."""
    found = [[start + first, start + last] for first, last in runs(there[start:end])]
    if len(found) <= _MOST_RUNS:
        return found
    edges = np.arange(width, dtype=np.int64) * (end - start) // width
    met = np.logical_or.reduceat(there[start:end], edges)
    bounds_of = [*edges.tolist(), end - start]
    return [[start + bounds_of[first], start + bounds_of[last]] for first, last in runs(met)]


def _moments(scan: ScanSeries, start: int, end: int, width: int) -> dict[str, list[list[int]]]:
    return {
        name: _runs_in(scan.pictures["moment"] == kind, start, end, width)
        for kind, name in _MOMENTS.items()
        if (scan.pictures["moment"] == kind).any()
    }


def _edges(scan: ScanSeries, start: int, end: int, width: int) -> dict[str, list[list[float] | None]]:
    """First and last lit line of each column, where a hard edge is seen."""
    found = {}
    for name in ("top", "bottom"):
        values = scan.pictures[name].astype(np.float64)
        found[name] = number_columns(np.where(values >= 0xFFFE, np.nan, values), start, end, width, 0)
    return found


def _has_bars(facts: Facts) -> bool:
    bars, changes = (facts.best(id_) for id_ in (keys.CONTENT_BARS.id, keys.CONTENT_BARS_CHANGE.id))
    return bool(changes) or bars not in (None, "none")


def _sound(scan: ScanSeries, rate: Fraction, start: int, end: int, width: int) -> list[dict[str, Any]]:
    """Loudness, peaks and phase of the first two tracks, on the axis of the pictures."""
    tracks = []
    for rows, begins in list(zip(scan.sounds, scan.starts, strict=True))[:2]:
        first, last = (max(round((float(place / rate) - begins) * HOPS), 0) for place in (start, end))
        momentary = np.maximum(rows["momentary"].astype(np.float64), _LOUDNESS_FLOOR)
        short = np.maximum(rows["short"].astype(np.float64), _LOUDNESS_FLOOR)
        tracks.append(
            {
                "momentary": number_columns(momentary, first, last, width, 1),
                "short": number_columns(short, first, last, width, 1),
                "true_peak": number_columns(rows["true_peak"], first, last, width, 1),
                "phase": number_columns(rows["phase"], first, last, width, 2),
                # Frames that the columns span: sound may begin later or end sooner than the picture.
                "from": float((first / HOPS + begins) * rate),
                "to": float((min(last, len(rows)) / HOPS + begins) * rate),
            }
        )
    return tracks


def _sound_places(facts: Facts, rate: Fraction) -> list[dict[str, Any]]:
    """Silence, dropouts, clicks and clipping of all tracks, in frames."""
    found = []
    for kind in ("silence", "dropout", "click", "clipping"):
        value = facts.facts[f"sound.{kind}"].observed
        for number, track in enumerate(value if isinstance(value, tuple) else (), 1):
            found += [
                {"kind": kind, "track": number, "start": float(one.start * rate), "end": float(one.end * rate)}
                for one in track
            ]
    return found


def loudness_target(check: Check) -> list[float] | None:
    """Return the lowest and highest loudness that the spec asks for, ``None`` where it asks for none."""
    for line in check.spec_version.parsed().lines:
        if line.characteristic.id in _LOUDNESS:
            least, most = line.condition.bounds
            if least is not None and most is not None:
                return [float(least), float(most)]
    return None


def scan_window(check: Check, facts: Facts, rate: Fraction, start: int, end: int, width: int) -> dict[str, Any] | None:
    """Return what the lanes draw of the scan, ``None`` before there is one."""
    inspection = check.media_file.inspection
    scan = scan_of(inspection) if inspection else None
    if scan is None:
        return None
    rows = scan.pictures
    end = min(end, len(rows))
    found: dict[str, Any] = {
        "sound": _sound(scan, rate, start, end, width),
        "places": _sound_places(facts, rate),
        "loudness_target": loudness_target(check),
    }
    if not len(rows) or start >= end:
        return found
    size = facts[keys.PICTURE_SIZE] or (0, 0)
    marks = rows["marks"]
    cuts = np.flatnonzero(marks[start:end] & series.CUT) + start
    return found | {
        "moments": _moments(scan, start, end, width),
        "marks": {name: _runs_in((marks & bit) > 0, start, end, width) for name, bit in _MARKS.items()},
        "change": number_columns(rows["change"], start, end, width),
        "low": number_columns(rows["low"], start, end, width, 0),
        "high": number_columns(rows["high"], start, end, width, 0),
        "outside": number_columns(100 * (rows["below"].astype(np.float64) + rows["above"]), start, end, width),
        "blocks": number_columns(rows["blocks"], start, end, width),
        "edges": _edges(scan, start, end, width) if _has_bars(facts) else None,
        "lines": int(size[1]),
        "cuts": cuts.tolist() if len(cuts) <= width // 3 else [],
    }
