"""From the hops of each track to facts of the sound."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brisk_core.facts import FactsBuilder, Stage, TimeSpan, keys
from brisk_core.meters.hops import HOPS, layout_weights
from brisk_core.meters.loudness import Loudness, measure_loudness, power_of, steps_of
from brisk_core.meters.sound_faults import SoundFaults, Times, find_faults
from brisk_core.scan.series import SOUND_ROW
from brisk_core.scan.sounds import TrackScan

_DECIMALS = 2
#: Characteristics and the fields of ``Loudness`` that answer them.
_LOUDNESS = (
    (keys.SOUND_LOUDNESS, "integrated"),
    (keys.SOUND_LOUDNESS_RANGE, "range"),
    (keys.SOUND_SHORT_MAX, "short_max"),
    (keys.SOUND_MOMENTARY_MAX, "momentary_max"),
)
_FAULTS = (
    (keys.SOUND_CLIPPING, "clipping"),
    (keys.SOUND_SILENCE, "silence"),
    (keys.SOUND_CLICK, "clicks"),
)
_BEFORE_PICTURE_S = 0.005  # what ends until then, on the clock of the picture, ends before it
_FLOOR = -120.0  # dBFS told for digital silence
_MOST_SPANS = 500  # kept of one kind and track
_QUIET = "nothing is louder than −70 LUFS for 0.4 s"


class _Track:
    """One track with everything that its hops decide."""

    def __init__(self, scan: TrackScan, picture_start: Fraction) -> None:
        self.scan = scan
        self.rows = scan.rows
        self.start = float(scan.start - picture_start)
        self.power: NDArray[np.float64] = np.zeros(0)
        self.full: NDArray[np.bool_] = np.zeros(0, np.bool_)
        self.loudness: Loudness | None = None
        self.faults: SoundFaults | None = None
        if len(self.rows):
            weights = layout_weights(scan.channel_names)
            self.power, self.steps = power_of(self.rows, weights), steps_of(self.rows, weights)
            self.full = self.rows["length"] >= scan.sample_rate // HOPS
            self.loudness = measure_loudness(self.power, self.full, self.steps)
            self.faults = find_faults(self.rows, scan.sample_rate)

    def times(self, spans: Times) -> tuple[TimeSpan, ...]:
        """Spans on the clock of the picture."""
        return tuple(
            TimeSpan(start=round(self.start + start, 4), end=round(self.start + end, 4))
            for start, end in spans[:_MOST_SPANS]
        )

    def dropouts(self) -> tuple[TimeSpan, ...]:
        """Dropouts on the clock of the picture, before whose first nothing plays: a coder's priming may lie there."""
        found = self.faults.dropouts if self.faults else ()
        return self.times(tuple((start, end) for start, end in found if self.start + end > _BEFORE_PICTURE_S))

    def lost(self) -> tuple[TimeSpan, ...]:
        """Places that could not be decoded right, on the clock of the picture."""
        shift = self.start - float(self.scan.start)
        return tuple(
            TimeSpan(start=round(start + shift, 4), end=round(end + shift, 4)) for start, end in self.scan.unreadable
        )


def observe_sounds(
    builder: FactsBuilder, scans: Sequence[TrackScan], picture_start: Fraction
) -> tuple[NDArray[Any], ...]:
    """Record what the sound shows; return the rows that are kept of each track (``series.SOUND_ROW``).

    ``picture_start`` is the time of the first picture on the file's clock, in seconds.
    """
    tracks = [_Track(scan, picture_start) for scan in scans]
    unmeasured = next(
        (
            track.scan.says or "the track could not be decoded"
            for track in tracks
            if track.faults is None or track.scan.says
        ),
        "",
    )
    if unmeasured:
        builder.unread_missing(Stage.SAMPLES, unmeasured)
        return tuple(_rows(track) for track in tracks)
    _observe_loudness(builder, tracks)
    _observe_faults(builder, tracks)
    builder.observed(keys.SOUND_BIT_DEPTH, tuple(track.scan.used_bits for track in tracks))
    return tuple(_rows(track) for track in tracks)


def _observe_loudness(builder: FactsBuilder, tracks: Sequence[_Track]) -> None:
    for key, name in _LOUDNESS:
        values = tuple(_rounded(getattr(track.loudness, name)) for track in tracks)
        if tracks and all(value is None for value in values):
            builder.unread(key, _QUIET)
        else:
            builder.observed(key, values)
    peaks = (float(track.rows["true_peak"].max()) for track in tracks)
    builder.observed(keys.SOUND_TRUE_PEAK, tuple(_decibels(peak) for peak in peaks))
    loudness = _programme(tracks)
    if loudness is None:
        builder.unread(keys.SOUND_PROGRAMME_LOUDNESS, _QUIET if tracks else "there is no sound")
    else:
        builder.observed(keys.SOUND_PROGRAMME_LOUDNESS, round(loudness, _DECIMALS))


def _programme(tracks: Sequence[_Track]) -> float | None:
    """Integrated loudness of the first track, or of the first two when each has one channel: left and right."""
    if not tracks:
        return None
    pair = [track for track in tracks[:2] if track.scan.channels == 1]
    if len(pair) < 2:
        return tracks[0].loudness.integrated if tracks[0].loudness else None
    count = min(len(track.power) for track in pair)
    full = pair[0].full[:count] & pair[1].full[:count]
    return measure_loudness(pair[0].power[:count] + pair[1].power[:count], full).integrated


def _observe_faults(builder: FactsBuilder, tracks: Sequence[_Track]) -> None:
    faults = [track.faults for track in tracks if track.faults]
    for key, name in _FAULTS:
        builder.observed(key, tuple(track.times(getattr(track.faults, name)) for track in tracks))
    builder.observed(keys.SOUND_DROPOUT, tuple(track.dropouts() for track in tracks))
    if tracks:
        builder.observed(keys.SOUND_UNREADABLE, tuple(track.lost() for track in tracks))
    else:
        builder.silent(keys.SOUND_UNREADABLE)
    builder.observed(keys.SOUND_PHASE, tuple(one.phase for one in faults))
    builder.observed(keys.SOUND_DC_OFFSET, tuple(max(one.dc_offset, key=abs, default=0.0) for one in faults))
    builder.observed(keys.SOUND_SAME_CHANNELS, tuple(one.same_channels for one in faults))
    builder.observed(
        keys.SOUND_CHANNELS,
        tuple(track.scan.channels - len(_silent(track)) for track in tracks if track.faults),
    )
    builder.observed(keys.SOUND_MISTAKES, _mistakes(faults))
    builder.observed(
        keys.SOUND_SILENT_CHANNELS,
        tuple(
            f"track {number} channel {channel}"
            for number, track in enumerate((track for track in tracks if track.faults), 1)
            for channel in _silent(track)
        ),
    )


def _silent(track: _Track) -> list[int]:
    """Return the silent channels, from 1; a film without effects has nothing in the channel for them."""
    names = track.scan.channel_names
    silent = track.faults.silent_channels if track.faults else ()
    return [channel for channel in silent if names[channel - 1 : channel] != (_EFFECTS,)]


def _mistakes(faults: Sequence[SoundFaults]) -> tuple[str, ...]:
    """Sentences for what has been seen before: one channel sold as two, inverted polarity, one side dead."""
    found = []
    for number, one in enumerate(faults, 1):
        if one.same_channels:
            found.append(f"Left and right of track {number} are the same: one channel stands in both.")
        if one.turned_channels:
            found.append(
                f"Left and right of track {number} work against each other: the polarity of one of them is inverted, "
                "and they vanish when they are added for one loudspeaker."
            )
        if len(one.silent_channels) == 1 and len(one.dc_offset) == _STEREO:
            found.append(f"Channel {one.silent_channels[0]} of track {number} is silent while the other carries sound.")
    return tuple(found)


_STEREO = 2
_EFFECTS = "LFE"  # as layouts name the channel of low-frequency effects


def _rows(track: _Track) -> NDArray[Any]:
    kept = np.full(len(track.rows), np.nan, SOUND_ROW)
    if track.loudness is None or track.faults is None:
        return kept
    for name in ("momentary", "short"):
        levels = getattr(track.loudness, name)
        kept[name][: len(levels)] = np.maximum(levels, -120)
    with np.errstate(divide="ignore"):
        kept["true_peak"] = np.maximum(20 * np.log10(track.rows["true_peak"].max(axis=1)), -120)
        square = track.rows["square"].max(axis=1) / np.maximum(track.rows["length"], 1)
        kept["level"] = np.maximum(10 * np.log10(square), -120)
    kept["phase"] = track.faults.phase_series
    return kept


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, _DECIMALS)


def _decibels(value: float) -> float:
    """Decibels of full scale; digital silence is the floor."""
    return max(round(20 * float(np.log10(value)), _DECIMALS), _FLOOR) if value > 0 else _FLOOR
