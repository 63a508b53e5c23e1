"""The sound pass: every track decoded once."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.hops import SoundMeter, hop_dtype
from brisk_core.reading import Source, open_container

Progress = Callable[[float, float], None]  #: seconds done, seconds in all
_GAP_S, _LONGEST_GAP_S = 0.02, 600.0  # time without sound inside a track that is filled with silence


@dataclass(frozen=True, slots=True, kw_only=True)
class TrackScan:
    """What was measured of one sound track."""

    rows: NDArray[Any]  #: of every tenth of a second, see ``meters.hops``; none for a track that could not be decoded
    sample_rate: int = 0  #: samples a second
    start: Fraction = Fraction(0)  #: seconds of the first sample on the file's clock
    channel_names: tuple[str, ...] = ()
    used_bits: int | None = None  #: depth really used, None for coded sound and for silence
    says: str = ""  #: why the track could not be measured, or not to its end

    @property
    def channels(self) -> int:
        """Number of channels."""
        return len(self.channel_names)


@dataclass(slots=True)
class _Track:
    """One track while it is decoded."""

    meter: SoundMeter | None = None
    start: Fraction = Fraction(0)
    channel_names: tuple[str, ...] = ()
    says: str = ""
    _seen: int = 0  # bitwise or of the samples as integers
    _width: int = 0  # bits of these integers, 0 for other samples

    def take(self, frame: Any) -> None:
        """Measure the samples of a frame; raises ``ValueError`` when the track changes its form."""
        samples, seen, width = _samples(frame)
        if self.meter is None:
            self.meter = SoundMeter(frame.sample_rate, samples.shape[0])
            self.start = frame.pts * frame.time_base if frame.pts is not None else Fraction(0)
            self.channel_names = tuple(channel.name for channel in frame.layout.channels)
        elif (frame.sample_rate, samples.shape[0]) != (self.meter.sample_rate, self.meter.channels):
            raise ValueError(f"the sound changes to {samples.shape[0]} channels at {frame.sample_rate} Hz")
        self._fill_gap(frame)
        self._seen |= seen
        self._width = width
        self.meter.take(samples)

    def _fill_gap(self, frame: Any) -> None:
        """Put silence where time passes without samples, so that places stay in step with the picture."""
        assert self.meter is not None  # noqa: S101 - set before the first call
        if frame.pts is None:
            return
        passed = float(frame.pts * frame.time_base - self.start) - self.meter.samples / self.meter.sample_rate
        if _GAP_S < passed < _LONGEST_GAP_S:
            silence = np.zeros((self.meter.channels, round(passed * self.meter.sample_rate)), np.float32)
            self.meter.take(silence)

    def finish(self) -> TrackScan:
        """Return what was measured."""
        if self.meter is None:
            return TrackScan(rows=np.zeros(0), says=self.says or "no sound could be decoded")
        used = self._width - ((self._seen & -self._seen).bit_length() - 1) if self._width and self._seen else None
        return TrackScan(
            rows=self.meter.rows(),
            sample_rate=self.meter.sample_rate,
            start=self.start,
            channel_names=self.channel_names,
            used_bits=used,
            says=self.says,
        )


def _samples(frame: Any) -> tuple[NDArray[np.float32], int, int]:
    """Return samples as ``(channels, count)`` at full scale 1, the bitwise or of integer samples, and their width."""
    array = frame.to_ndarray()
    if not frame.format.is_planar:
        array = array.reshape(-1, len(frame.layout.channels)).T
    if array.dtype.kind == "f":
        return np.ascontiguousarray(array, np.float32), 0, 0
    if array.dtype == np.uint8:
        return ((array.astype(np.float32) - 128) / 128), 0, 0
    width = array.dtype.itemsize * 8
    seen = int(np.bitwise_or.reduce(array, axis=None)) & ((1 << width) - 1)
    return (array.astype(np.float32) / np.float32(1 << (width - 1))), seen, width


def scan_sounds(source: Source, duration: float, progress: Progress | None = None) -> list[TrackScan]:
    """Decode every sound track once and measure it, in the order of the tracks; ``duration`` in seconds is for
    progress.

    Packets that cannot be decoded are left out and leave silence. Raises ``UnreadableFile`` when the file cannot be
    opened.
    """
    with open_container(source) as container:
        streams = list(container.streams.audio)
        tracks = {stream.index: _Track() for stream in streams}
        if not streams:
            return []
        ended: set[int] = set()
        lost = dict.fromkeys(tracks, 0)
        packets = container.demux(streams)
        while True:
            try:
                packet = next(packets)
            except StopIteration:
                break
            except (av.FFmpegError, IndexError, UnicodeDecodeError, MemoryError):
                break
            index = packet.stream_index
            if index not in tracks or index in ended:
                continue
            track = tracks[index]
            try:
                for frame in packet.decode():
                    track.take(frame)
            except ValueError as error:
                track.says = str(error)
                ended.add(index)
            except av.FFmpegError:
                lost[index] += 1
            if progress and packet.pts is not None and packet.time_base:
                progress(float(packet.pts * packet.time_base), duration)
        for index, track in tracks.items():
            if lost[index] and not track.says:
                track.says = f"{lost[index]} packets could not be decoded"
        return [track.finish() for track in tracks.values()]


def save_sounds(tracks: Sequence[TrackScan], path: Path) -> None:
    """Write what was measured of the tracks to a file, whole or not at all."""
    told = [
        {
            "sample_rate": track.sample_rate,
            "start": str(track.start),
            "channel_names": track.channel_names,
            "used_bits": track.used_bits,
            "says": track.says,
        }
        for track in tracks
    ]
    part = path.with_suffix(".part.npz")
    rows = {f"rows_{number}": track.rows.view(np.uint8) for number, track in enumerate(tracks)}
    np.savez(part, allow_pickle=False, told=np.array(json.dumps(told)), **rows)
    part.replace(path)


def load_sounds(path: Path) -> list[TrackScan]:
    """Read what ``save_sounds`` wrote."""
    with np.load(path, allow_pickle=False) as data:
        tracks = []
        for number, told in enumerate(json.loads(str(data["told"]))):
            names = tuple(told.pop("channel_names"))
            rows = data[f"rows_{number}"]
            rows = rows.view(hop_dtype(len(names))) if len(names) else np.zeros(0)
            start = Fraction(told.pop("start"))
            tracks.append(TrackScan(rows=rows, start=start, channel_names=names, **told))
        return tracks
