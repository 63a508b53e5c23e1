"""The sound pass: every track decoded once."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from brisk_core.meters.hops import SoundMeter, hop_dtype
from brisk_core.reading import Source, open_container
from brisk_core.scan.listening import Listener, listening, prepare
from brisk_core.whole_file import written_whole

Progress = Callable[[float, float], None]  #: seconds done, seconds in all
_OTHER_PROGRAMME_S = 2.0  # of frames of another form, from which the sound itself has changed
_ADJOINING_S = 0.05  # between two places that are told as one
_MOST_PLACES = 500  # kept of a track
_GAP_S, _LONGEST_GAP_S = 0.02, 600.0  # time without sound inside a track that is filled with silence


@dataclass(frozen=True, slots=True, kw_only=True)
class TrackScan:
    """What was measured of one sound track."""

    rows: NDArray[Any]  #: of every tenth of a second, see ``meters.hops``; none for a track that could not be decoded
    sample_rate: int = 0  #: samples a second
    start: Fraction = Fraction(0)  #: seconds of the first sample on the file's clock
    channel_names: tuple[str, ...] = ()
    used_bits: int | None = None  #: depth really used, None for coded sound and for silence
    unreadable: tuple[tuple[float, float], ...] = ()  #: seconds on the file's clock that could not be decoded right
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
    unreadable: list[tuple[float, float]] = field(default_factory=list)
    says: str = ""
    _other_form: float = 0.0  # seconds of frames of another form than the track's, one after the other
    _seen: int = 0  # bitwise or of the samples as integers
    _width: int = 0  # bits of these integers, 0 for other samples

    def take(self, frame: Any) -> None:
        """Measure the samples of a frame; raises ``ValueError`` when the track changes its form."""
        samples, seen, width = samples_of(frame)
        if self.meter is None:
            self.meter = SoundMeter(frame.sample_rate, samples.shape[0])
            self.start = frame.pts * frame.time_base if frame.pts is not None else Fraction(0)
            self.channel_names = tuple(channel.name for channel in frame.layout.channels)
        elif (frame.sample_rate, samples.shape[0]) != (self.meter.sample_rate, self.meter.channels):
            self._note_other_form(frame, samples.shape)
            return
        self._other_form = 0.0
        self._fill_gap(frame)
        self._seen |= seen
        self._width = width
        self.meter.take(samples)

    def _note_other_form(self, frame: Any, shape: tuple[int, ...]) -> None:
        """A frame of another form is damage, many of them are another programme."""
        length = shape[1] / frame.sample_rate
        self._other_form += length
        if self._other_form > _OTHER_PROGRAMME_S:
            raise ValueError(f"the sound changes to {shape[0]} channels at {frame.sample_rate} Hz")
        if frame.pts is not None:
            self.lose(float(frame.pts * frame.time_base), length)

    def lose(self, start: float, length: float) -> None:
        """Note that a stretch could not be decoded right, in seconds on the file's clock."""
        if self.unreadable and start <= self.unreadable[-1][1] + _ADJOINING_S:
            self.unreadable[-1] = (self.unreadable[-1][0], max(self.unreadable[-1][1], start + length))
        else:
            self.unreadable.append((start, start + length))

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
            unreadable=tuple(self.unreadable[:_MOST_PLACES]),
            says=self.says,
        )


def samples_of(frame: Any) -> tuple[NDArray[np.float32], int, int]:
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

    Packets that cannot be decoded leave silence, and their places are noted, as are those of which the decoder
    complains. Raises ``UnreadableFile`` when the file cannot be opened.
    """
    with open_container(source) as container:
        streams = list(container.streams.audio)
        tracks = {stream.index: _Track() for stream in streams}
        if not streams:
            return []
        for stream in streams:
            if stream.codec_context is not None:
                prepare(stream.codec_context)
        with listening() as listener:
            _decode(container, streams, tracks, listener, lambda at: progress(at, duration) if progress else None)
        return [track.finish() for track in tracks.values()]


def _decode(
    container: Any, streams: list[Any], tracks: dict[int, _Track], listener: Listener, tell: Callable[[float], None]
) -> None:
    """Decode all packets of the tracks and note where that fails, or where the decoder complains."""
    packets = container.demux(streams)
    at = 0.0
    while True:
        try:
            packet = next(packets)
        except StopIteration:
            return
        except (av.FFmpegError, IndexError, UnicodeDecodeError, MemoryError):
            for one in tracks.values():
                one.says = one.says or f"the file cannot be read on from {at:.1f} s"
            return
        track = tracks.get(packet.stream_index)
        if track is None or track.says:
            continue
        listener.forget()  # what the reader of the wrapper says is judged by the packets
        lost = False
        try:
            for frame in packet.decode():
                track.take(frame)
        except av.FFmpegError:  # before the next: some of these are values that the library refuses as well
            lost = True
        except ValueError as error:
            track.says = str(error)
        complaints = listener.complaints()
        if packet.pts is None or not packet.time_base:
            continue
        at = float(packet.pts * packet.time_base)
        if lost or complaints or packet.is_corrupt:
            track.lose(at, float((packet.duration or 0) * packet.time_base))
        tell(at)


def save_sounds(tracks: Sequence[TrackScan], path: Path) -> None:
    """Write what was measured of the tracks to a file, whole or not at all."""
    told = [
        {
            "sample_rate": track.sample_rate,
            "start": str(track.start),
            "channel_names": track.channel_names,
            "used_bits": track.used_bits,
            "unreadable": track.unreadable,
            "says": track.says,
        }
        for track in tracks
    ]
    rows = {f"rows_{number}": track.rows.view(np.uint8) for number, track in enumerate(tracks)}
    with written_whole(path) as unfinished:
        np.savez(unfinished, allow_pickle=False, told=np.array(json.dumps(told)), **rows)


def load_sounds(path: Path) -> list[TrackScan]:
    """Read what ``save_sounds`` wrote."""
    with np.load(path, allow_pickle=False) as data:
        tracks = []
        for number, told in enumerate(json.loads(str(data["told"]))):
            names = tuple(told.pop("channel_names"))
            rows = data[f"rows_{number}"]
            rows = rows.view(hop_dtype(len(names))) if len(names) else np.zeros(0)
            start = Fraction(told.pop("start"))
            told["unreadable"] = tuple((one, other) for one, other in told["unreadable"])
            tracks.append(TrackScan(rows=rows, start=start, channel_names=names, **told))
        return tracks
