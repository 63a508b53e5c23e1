"""Faults of sound: clipping, silence, dropouts, clicks, phase, offset, channels that are the same or silent."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.clicks import CLICK
from brisk_core.meters.hops import FINE, HOPS, fine_level
from brisk_core.meters.spans import runs

SILENCE_DBFS = -60.0
SILENCE_S = 1.0  #: default length from which silence is reported
_NOTHING = fine_level(-90.0)
_SOUND = fine_level(-50.0)
_DROP = 60  # fine levels (30 dB) that sound falls by at least
_STEPS_A_SECOND = HOPS * FINE
_LONGEST_DROPOUT = _STEPS_A_SECOND  # one second
_NEAR = 4  # fine steps (20 ms) before and after a dropout in which there must be sound
_PHASE_HOPS = 4  # 400 ms
_SAME = 2 / 32768  # largest difference of two channels that are the same, one step of 16 bits and rounding
_SILENT_PEAK = 10 ** (-80 / 20)

Times = tuple[tuple[float, float], ...]  #: half-open, in seconds from the first sample of the track


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundFaults:
    """What is wrong, or may be, with one track."""

    clipping: Times
    silence: Times
    dropouts: Times
    clicks: Times
    phase: float | None  #: mean correlation of the first two channels, -1 to 1
    phase_series: NDArray[np.float32]  #: correlation over 400 ms, a value a hop; NaN in silence
    dc_offset: tuple[float, ...]  #: mean of each channel over full scale
    same_channels: bool | None  #: the first two channels are the same; None for one channel or silence
    turned_channels: bool  #: one of the first two is the other with inverted polarity
    silent_channels: tuple[int, ...]  #: from 1


def find_faults(rows: NDArray[Any], sample_rate: int) -> SoundFaults:
    """Find the faults of a track in the rows of its hops."""
    channels = rows["peak"].shape[1] if len(rows) else 0
    loudest = rows["fine"].max(axis=1).reshape(-1) if len(rows) else np.zeros(0, np.uint8)
    peaks = rows["peak"].max(axis=0) if len(rows) else np.zeros(channels)
    phase, series = _phase(rows) if channels > 1 else (None, np.zeros(len(rows), np.float32))
    same = None
    if channels > 1 and min(peaks[:2]) > _SILENT_PEAK:
        same = bool(rows["apart"].max() <= _SAME)
    lengths = max(int(rows["length"].sum()), 1)
    return SoundFaults(
        clipping=_hops_of(rows["clipped"].max(axis=1, initial=0) > 0),
        silence=_silence(loudest),
        dropouts=_dropouts(rows),
        clicks=_clicks(rows, sample_rate),
        phase=phase,
        phase_series=series,
        dc_offset=tuple(round(float(total) / lengths, 6) for total in rows["sum"].sum(axis=0)),
        same_channels=same,
        turned_channels=phase is not None and phase < _TURNED,
        silent_channels=tuple(int(at) + 1 for at in np.flatnonzero(peaks <= _SILENT_PEAK)),
    )


_TURNED = -0.8


def _hops_of(there: NDArray[np.bool_]) -> Times:
    return tuple((start / HOPS, end / HOPS) for start, end in runs(there))


def _silence(loudest: NDArray[np.uint8]) -> Times:
    quiet = runs(loudest < fine_level(SILENCE_DBFS))
    return tuple(
        (start / _STEPS_A_SECOND, end / _STEPS_A_SECOND)
        for start, end in quiet
        if end - start >= SILENCE_S * _STEPS_A_SECOND
    )


def _dropouts(rows: NDArray[Any]) -> Times:
    """Stretches under a second in which a channel is gone at once and comes back at once.

    Coders smear the edges over a part of their frame, and what they leave is not nothing: it counts as gone when it
    lies far under the sound on both sides and under whatever else is quiet in the seconds around.
    """
    found: list[tuple[int, int]] = []
    for channel in range(rows["fine"].shape[1] if len(rows) else 0):
        levels = rows["fine"][:, channel].reshape(-1).astype(np.int64)
        quiet = runs(levels <= _GONE)
        pauses = np.array([(start, end, _left(levels, start, end)) for start, end in quiet]).reshape(-1, 3)
        at_once = pauses[[_is_gone_at_once(levels, *gap) for gap in quiet]]
        hard = _hard_steps(rows["hard"][:, channel])
        gone = [
            (start, end)
            for start, end in _between_sound(quiet, levels)
            if end - start < _LONGEST_DROPOUT
            and _is_gone_at_once(levels, start, end)
            and _is_unusual(levels, start, end)
        ]
        found += [
            gap
            for gap in gone
            if not _names_line_up(levels, gap, quiet)
            and (hard[gap[0] - 1 : gap[1] + 1].any() or not _is_cut_throughout(gap, _left(levels, *gap), at_once))
            and (_is_cut_off(levels, *gap) or not _goes_quiet_often(levels, gap, pauses))
        ]
    joined: list[tuple[int, int]] = []
    for start, end in sorted(found):  # channels go together
        if joined and start < joined[-1][1]:
            joined[-1] = joined[-1][0], max(joined[-1][1], end)
        else:
            joined.append((start, end))
    return tuple((start / _STEPS_A_SECOND, end / _STEPS_A_SECOND) for start, end in joined)


def _between_sound(gone: list[tuple[int, int]], levels: NDArray[np.int64]) -> list[tuple[int, int]]:
    """Those that are no pauses between pips: beside them sound lasts for longer than they do, or is there mostly."""
    edges = [0, *(edge for gap in gone for edge in gap), len(levels)]
    kept = []
    for at, (start, end) in enumerate(gone):
        around = np.concatenate([levels[max(start - _PIPS, 0) : start], levels[end : end + _PIPS]])
        longest = max(start - edges[2 * at], edges[2 * at + 3] - end)
        if longest > end - start or (len(around) and float(np.mean(around > _GONE)) > _MOSTLY):
            kept.append((start, end))
    return kept


def _names_line_up(levels: NDArray[np.int64], gap: tuple[int, int], quiet: list[tuple[int, int]]) -> bool:
    """Is it one of the breaks by which line-up tone tells its channels (EBU Tech 3304, and that of four seconds)?"""
    if not _is_break(levels, gap):
        return False
    starts = [start for start, end in quiet if _is_break(levels, (start, end))]
    for period in _LINE_UP_PERIODS:
        before2, before, after, after2 = (
            any(abs(gap[0] + turns * period - start) <= _LINE_UP_OFF for start in starts) for turns in (-2, -1, 1, 2)
        )
        if (before and after) or (before2 and before) or (after and after2):
            return True
    return False


def _is_break(levels: NDArray[np.int64], gap: tuple[int, int]) -> bool:
    start, end = gap
    if not _LINE_UP_BREAK[0] <= end - start <= _LINE_UP_BREAK[1]:
        return False
    before, after = levels[max(start - _LINE_UP_TONE, 0) : max(start - 1, 0)], levels[end + 1 : end + _LINE_UP_TONE]
    tone = np.concatenate([before, after])
    return len(tone) >= _LINE_UP_TONE - 1 and int(np.ptp(tone)) <= _STEADY


_PIPS, _MOSTLY = 3 * _STEPS_A_SECOND, 0.7  # fine steps around, and their share that must be sound
_LINE_UP_BREAK = (48, 52)  # fine steps: 250 ms
_LINE_UP_PERIODS, _LINE_UP_OFF = (3 * _STEPS_A_SECOND, 4 * _STEPS_A_SECOND), 4
_LINE_UP_TONE, _STEADY = 30, 4  # fine steps of tone beside a break, and fine levels (2 dB) that it stays within


def _is_gone_at_once(levels: NDArray[np.int64], start: int, end: int) -> bool:
    """Does sound stop and begin again within the smear of a coder, and is what is left far under it?"""
    if start < _NEAR or end + _NEAR > len(levels):
        return False
    before, after = levels[max(start - _SMEAR - _NEAR, 0) : start], levels[end : end + _SMEAR + _NEAR]
    edges = int(before.max()), int(after.max())
    if min(edges) < _SOUND or min(edges) - _left(levels, start, end) < _DROP:
        return False
    last, first = int(before[-_SMEAR:].max()), int(after[:_SMEAR].max())
    fall = last - int(levels[start : start + _STEP].min())
    rise = first - int(levels[max(end - _STEP, start) : end].min())
    return last >= edges[0] - _FADE and first >= edges[1] - _FADE and min(fall, rise) >= _STEEP


def _hard_steps(bits: NDArray[np.uint32]) -> NDArray[np.bool_]:
    """In which fine steps sound begins or ends from one sample to the next."""
    return (bits[:, None] >> np.arange(FINE, dtype=np.uint32) & 1).astype(bool).reshape(-1)


def _is_cut_throughout(gap: tuple[int, int], left: float, at_once: NDArray[np.float64]) -> bool:
    """Is it one of many, which are a good part of the sound around, as of a gate, beeps, chords cut off, or dry words?

    ``at_once`` are those pauses (as in ``_goes_quiet_often``) in which sound stops and begins again at once, however
    long.
    """
    first, last = np.searchsorted(at_once[:, 0], (gap[0] - 2 * _AROUND, gap[0] + 2 * _AROUND + 1))
    alike = at_once[first:last][at_once[first:last, 2] <= max(left + _UNDER, _NOTHING)]
    at = int(np.searchsorted(alike[:, 0], gap[0]))
    for start in range(max(at - _MANY, 0), min(at, len(alike) - _MANY - 1) + 1):
        some = alike[start : start + _MANY + 1]
        lasts = some[-1, 1] - some[0, 0]
        if lasts <= 2 * _AROUND and (some[:, 1] - some[:, 0]).sum() >= _PART * lasts:
            return True
    return False


def _goes_quiet_often(levels: NDArray[np.int64], gap: tuple[int, int], pauses: NDArray[np.float64]) -> bool:
    """Is as little left between sounds time and again around a gap, as where a gate closes between words?

    ``pauses`` are the stretches in which the track is quiet: where each starts and ends, and what is left there, one a
    row in order.
    """
    first, last = np.searchsorted(pauses[:, 0], (gap[0] - _AROUND, gap[0] + _AROUND + 1))
    left = max(_left(levels, *gap) + _UNDER, _NOTHING)
    return int(np.count_nonzero(pauses[first:last, 2] <= left)) > _OFTEN


def _is_cut_off(levels: NDArray[np.int64], start: int, end: int) -> bool:
    """Does sound break off, and come back, about as loud as it is beside? Words and gates decay first."""
    smear = _LAST if _left(levels, start, end) <= _NOTHING else _SMEAR
    before, after = levels[max(start - _BESIDE, 0) : start], levels[end : end + _BESIDE]
    return all(
        int(last.max()) >= np.percentile(beside, _LOUD) - _DECAYS
        for beside, last in ((before, before[-smear:]), (after, after[:smear]))
    )


def _left(levels: NDArray[np.int64], start: int, end: int) -> float:
    """What is left in a gap, as a fine level."""
    return float(np.median(levels[start:end]))


def _is_unusual(levels: NDArray[np.int64], start: int, end: int) -> bool:
    """Is there nothing left, or less than in the other quiet moments around, such as between two words?"""
    inside = _left(levels, start, end)
    if inside <= _NOTHING:
        return True
    if end - start < _SHORTEST_LEFT:
        return False
    around = np.concatenate([levels[max(start - _AROUND, 0) : start], levels[end : end + _AROUND]])
    return bool(inside <= np.percentile(around, _QUIETEST) - _UNDER)


_GONE = fine_level(-45.0)  # what a low bit rate leaves of nothing in the first hundredths of a second
_SHORTEST_LEFT = 2  # fine steps (10 ms) that coders leave of 20 ms between smeared edges
_STEP, _STEEP = 3, 50  # fine steps inside it, in which the level has fallen by so many fine levels (25 dB)
_SMEAR = 4  # fine steps (20 ms) over which a coder spreads an edge
_AROUND, _QUIETEST, _UNDER = 15 * _STEPS_A_SECOND, 5, 12  # fine steps, percent, fine levels (6 dB)
_MANY, _PART = 7, 0.12  # others that a cut is one of, and their part of the time from the first to the last
_OFTEN = 5  # times that it goes quiet around
_BESIDE, _LAST = 20, 2  # fine steps beside it that are looked at, and the last of them
_LOUD, _DECAYS = 60, 12  # percentile of the levels beside it, and fine levels (6 dB) that the last may lie under it
_FADE = 40  # fine levels (20 dB) that the last step may lie below those just before it: more is a fade


def _clicks(rows: NDArray[Any], sample_rate: int) -> Times:
    found = []
    hop, channel = np.nonzero(rows["click"] >= CLICK)
    for at, which in zip(hop.tolist(), channel.tolist(), strict=True):
        start = (at * sample_rate // HOPS + int(rows["click_at"][at, which])) / sample_rate
        found.append((start, start + 1 / sample_rate))
    return tuple(sorted(set(found)))


def _phase(rows: NDArray[Any]) -> tuple[float | None, NDArray[np.float32]]:
    """Return the mean correlation and its series over 400 ms, both where there is sound."""
    energies = rows["square"][:, 0], rows["square"][:, 1]
    kernel = np.ones(_PHASE_HOPS)
    cross, left, right = (np.convolve(one, kernel)[: len(rows)] for one in (rows["cross"], *energies))
    samples = np.convolve(rows["length"].astype(np.float64), kernel)[: len(rows)]
    heard = np.minimum(left, right) > _SILENT_PEAK**2 * samples
    with np.errstate(all="ignore"):
        series = np.where(heard, cross / np.sqrt(left * right), np.nan)
    whole = float(np.sqrt(energies[0].sum() * energies[1].sum()))
    mean = round(float(rows["cross"].sum() / whole), 4) if heard.any() and whole else None
    return mean, series.astype(np.float32)
